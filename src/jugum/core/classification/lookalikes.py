"""Layouts: which words stand where. Two papers of one layout share their printed words and the places of these.

Values differ from paper to paper, so only words without digits count; a scan's shift is found and taken out. How like
two papers are in one of these respects is no absolute quantity: two contracts of one form share a fifth of their words'
places, two tax forms nine tenths. So several respects are weighed together, as pairs of many papers have taught
(`prior/layouts.py`), and how high the sum must be for "the same" is found for the papers of each type
(`layout_book.py`).
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from jugum.core.page import Page

PLACE_SCALE = 0.03  # page fractions; a word this far from its place still counts e^-½
GEOMETRY_SHARE = 0.7  # the rest of the likeness is by wording alone
LINE_SAME = 0.006  # page fractions: words whose middles stand no further apart are of one line
OPENING_LINES = 4
# Words of a first page that are compared; the frame of a form is among them, and comparing stays cheap.
ANCHORS_MAX = 400
_NOT_LETTERS = re.compile(r"[^\w]+|_")


@dataclass(frozen=True)
class Layout:
    """The anchor words of a paper, page after page: texts, and their middles (N×2; y counts pages: 1.5 is the middle
    of the second page)."""

    texts: tuple[str, ...]
    places: npt.NDArray[np.float64]

    @cached_property
    def where(self) -> dict[str, list[int]]:
        """Text → its places among the words."""
        found: dict[str, list[int]] = {}
        for index, text in enumerate(self.texts):
            found.setdefault(text, []).append(index)
        return found

    @cached_property
    def spots(self) -> list[list[float]]:
        """The middles as plain numbers."""
        found: list[list[float]] = self.places.tolist()
        return found

    @cached_property
    def lines(self) -> list[list[str]]:
        """The words line by line, as far as their places tell."""
        found: list[list[str]] = []
        before: list[float] | None = None
        for text, spot in zip(self.texts, self.spots, strict=True):
            if before is None or abs(spot[1] - before[1]) > LINE_SAME or spot[0] < before[0]:
                found.append([])
            found[-1].append(text)
            before = spot
        return found

    @cached_property
    def pairs(self) -> frozenset[tuple[str, str]]:
        """Neighbouring words of a line; of a line of one word the word alone."""
        return frozenset(pair for line in self.lines for pair in (pairwise(line) if line[1:] else [(line[0], "")]))

    @cached_property
    def words(self) -> frozenset[str]:
        """Each word of the paper once, as written."""
        return frozenset(self.texts)

    @cached_property
    def opening(self) -> frozenset[str]:
        """The words of the first four lines: letterhead and title."""
        return frozenset(word for line in self.lines[:OPENING_LINES] for word in line)

    def to_data(self) -> list[list[object]]:
        """JSON-able: a row [text, x, y] for each word, places in page fractions to four digits."""
        return [
            [text, round(float(x), 4), round(float(y), 4)] for text, (x, y) in zip(self.texts, self.places, strict=True)
        ]

    @staticmethod
    def from_data(data: Sequence[Sequence[object]]) -> Layout:
        """The inverse of `to_data`."""
        places = np.array([[row[1], row[2]] for row in data], dtype=np.float64).reshape(-1, 2)
        return Layout(tuple(str(row[0]) for row in data), places)


def anchor_text(word: str) -> str:
    """A word as an anchor, in lower case without punctuation; "" for one of under three letters or with digits, which
    is a value more often than print."""
    text = _NOT_LETTERS.sub("", word.casefold())
    return text if len(text) >= 3 and not any(map(str.isdigit, text)) else ""


def layout_of(pages: Sequence[Page]) -> Layout:
    """The layout of a document: its first 400 words of three letters or more without digits, in lower case."""
    texts: list[str] = []
    places: list[tuple[float, float]] = []
    for page in pages:
        for word in page.words:
            text = anchor_text(word.text)
            if text:
                texts.append(text)
                x, y = word.box.middle
                places.append((x, y + page.number - 1))
    return Layout(tuple(texts[:ANCHORS_MAX]), np.array(places[:ANCHORS_MAX], dtype=np.float64).reshape(-1, 2))


def layout_similarity(a: Layout, b: Layout) -> float:
    """How alike two layouts are by words and places, 0–1: 0.7 × geometry + 0.3 × wording, both as Dice shares of
    anchor words.

    Wording counts the words both hold. Geometry counts each of these by exp(−d²/2s²), d being how far its nearest
    twin stands once the median shift between the papers is taken out, s = 0.03 pages. An empty layout is like none.
    """
    if not a.texts or not b.texts:
        return 0.0
    mine, twins = _pairs(a, b)
    if not len(mine):
        return 0.0
    offsets = b.places[twins] - a.places[mine]
    offsets = offsets - np.median(offsets, axis=0) if len(offsets) >= 3 else offsets
    squared = np.sum(offsets**2, axis=1)
    total = (len(a.texts) + len(b.texts)) / 2
    geometry = min(1.0, float(np.sum(np.exp(-squared / (2 * PLACE_SCALE**2)))) / total)
    wording = min(1.0, len(mine) / total)
    return GEOMETRY_SHARE * geometry + (1 - GEOMETRY_SHARE) * wording


def _pairs(a: Layout, b: Layout) -> tuple[npt.NDArray[np.intp], npt.NDArray[np.intp]]:
    """Each word of the paper with fewer anchors paired with the nearest equal word of the other, used once."""
    swapped = len(a.texts) > len(b.texts)
    if len(a.texts) == len(b.texts):  # which one leads must not depend on which comes first
        swapped = (a.texts, a.spots) > (b.texts, b.spots)
    few, many = (b, a) if swapped else (a, b)
    where = {text: list(places) for text, places in many.where.items() if text in few.where}
    left, right = [], []
    theirs, mine = many.spots, few.spots
    for index, text in enumerate(few.texts):
        free = where.get(text)
        if not free:
            continue
        nearest = 0
        if len(free) > 1:
            x, y = mine[index]
            nearest = min(range(len(free)), key=lambda at: abs(theirs[free[at]][0] - x) + abs(theirs[free[at]][1] - y))
        right.append(free.pop(nearest))
        left.append(index)
    first, second = np.array(left, dtype=np.intp), np.array(right, dtype=np.intp)
    return (second, first) if swapped else (first, second)
