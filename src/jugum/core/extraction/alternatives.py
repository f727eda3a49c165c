"""Choices that a pen made among printed words: "single / married / widowed" with all but one struck out, or with a
ring around one."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import groupby

from jugum.core.page import Box, Page, Segment, Word, laid_out, text_of, union
from jugum.core.structure import WordMarks

BETWEEN = "/|"  # what parts alternatives
OPEN_WORDS = 5  # of the first and last alternative, where nothing shows where they begin and end
STRUCK_SHARE = 0.5  # of an alternative's letters
_BARS = re.compile(rf"([{BETWEEN}])")
_LABEL_ENDS = ":"


@dataclass(frozen=True)
class Alternative:
    """One of several printed answers: its words, whether it is the answer that was left or ringed, and what else may
    be its text where its beginning or end can't be seen, shorter ones first."""

    words: tuple[Word, ...]
    chosen: bool
    shorter: tuple[str, ...]

    @property
    def text(self) -> str:
        """The words joined by blanks."""
        return text_of(self.words)

    @property
    def box(self) -> Box:
        """The box of all words."""
        return union(word.box for word in self.words)


@dataclass(frozen=True)
class _Marked:
    """A word, whether it is struck, whether ringed."""

    word: Word
    struck: bool
    ringed: bool


def alternatives_of(page: Page, marks: WordMarks) -> Iterator[tuple[str, list[Alternative]]]:
    """Rows of alternatives of which a pen struck or ringed some, each with the words that stand before the first."""
    struck, ringed = set(marks.struck), set(marks.ringed)
    if not struck and not ringed:
        return
    _, segments = laid_out(page)
    for _, row in groupby(segments, key=lambda segment: segment.row):
        pieces = list(row)
        inside = [number for piece in pieces for number in range(piece.first, piece.last + 1)]
        if not struck.isdisjoint(inside) or not ringed.isdisjoint(inside):
            marked = [_marked(page, piece, struck, ringed) for piece in pieces]
            yield from _slashed(marked) or _spaced(marked)


def _marked(page: Page, piece: Segment, struck: set[int], ringed: set[int]) -> list[_Marked]:
    """A piece's words, those with a bar within parted at it."""
    found = []
    for number in range(piece.first, piece.last + 1):
        for word in _parted(page.words[number]):
            found.append(_Marked(word, number in struck, number in ringed))
    return found


def _parted(word: Word) -> list[Word]:
    """A word as words and the bars between them, each as wide as its letters."""
    texts = [text for text in _BARS.split(word.text) if text]
    if len(texts) < 2:
        return [word]
    found, at = [], word.box.x0
    letter = word.box.width / len(word.text)
    for text in texts:
        found.append(replace(word, text=text, box=word.box._replace(x0=at, x1=at + letter * len(text))))
        at += letter * len(text)
    return found


def _is_bar(marked: _Marked) -> bool:
    return bool(marked.word.text) and not marked.word.text.strip(BETWEEN)


def _slashed(row: Sequence[Sequence[_Marked]]) -> list[tuple[str, list[Alternative]]]:
    """Alternatives with bars between them, within one piece of a row or over several."""
    words = [(marked, number) for number, piece in enumerate(row) for marked in piece]
    bars = [place for place, (marked, _) in enumerate(words) if _is_bar(marked)]
    if not bars:
        return []
    parts: list[list[tuple[_Marked, int]]] = []
    start = 0
    for bar in [*bars, len(words)]:
        parts.append(words[start:bar])
        start = bar + 1
    if any(not part for part in parts):
        return []
    first = _tail(parts[0])
    last = _head(parts[-1])
    before = text_of([marked.word for marked, _ in parts[0][: len(parts[0]) - len(first)]])
    inner = [[marked for marked, _ in part] for part in parts[1:-1]]
    open_first = [text_of([marked.word for marked in first[n:]]) for n in range(len(first) - 1, 0, -1)]
    open_last = [text_of([marked.word for marked in last[:n]]) for n in range(1, len(last))]
    shorter = [
        open_first if not _all_struck(first) else [],
        *([] for _ in inner),
        open_last if not _all_struck(last) else [],
    ]
    return _judged(before, [first, *inner, last], shorter)


def _tail(part: Sequence[tuple[_Marked, int]]) -> list[_Marked]:
    """The last words before the first bar that may be an alternative: those struck, else those of the same piece behind
    a colon, five at most."""
    words = [marked for marked, piece in part if piece == part[-1][1]]
    return _near_bar(words[::-1], stops=True)[::-1]


def _head(part: Sequence[tuple[_Marked, int]]) -> list[_Marked]:
    return _near_bar([marked for marked, piece in part if piece == part[0][1]], stops=False)


def _near_bar(words: Sequence[_Marked], *, stops: bool) -> list[_Marked]:
    """Words counted from a bar on."""
    found = [words[0]]
    for marked in words[1:]:
        if marked.struck != words[0].struck or marked.ringed != words[0].ringed:
            break
        if len(found) == OPEN_WORDS and not marked.struck:
            break
        if stops and marked.word.text.endswith(_LABEL_ENDS):
            break
        found.append(marked)
    return found


def _spaced(row: Sequence[Sequence[_Marked]]) -> list[tuple[str, list[Alternative]]]:
    """Alternatives that stand apart in a row without bars: pieces wholly struck or ringed, and those beside them."""
    touched = [place for place, piece in enumerate(row) if _all_struck(piece) or all(marked.ringed for marked in piece)]
    if not touched or len(row) < 2:
        return []
    first = max(0, touched[0] - 1) if not row[0][-1].word.text.endswith(_LABEL_ENDS) else max(1, touched[0] - 1)
    parts = [list(piece) for piece in row[first:]]
    before = text_of([marked.word for piece in row[:first] for marked in piece])
    return _judged(before, parts, [[] for _ in parts])


def _judged(
    before: str, parts: Sequence[Sequence[_Marked]], shorter: Sequence[Sequence[str]]
) -> list[tuple[str, list[Alternative]]]:
    """The alternatives with what the pen says of them; none where it says nothing of any, or strikes all."""
    ringed = [any(marked.ringed for marked in part) for part in parts]
    chosen = ringed if any(ringed) else [not _all_struck(part) for part in parts]
    if all(chosen) or not any(chosen):
        return []
    made = [
        Alternative(tuple(marked.word for marked in part), chose, tuple(texts))
        for part, chose, texts in zip(parts, chosen, shorter, strict=True)
    ]
    return [(before, made)]


def _all_struck(part: Sequence[_Marked]) -> bool:
    letters = sum(len(marked.word.text) for marked in part)
    return sum(len(marked.word.text) for marked in part if marked.struck) > STRUCK_SHARE * letters


__all__ = ["Alternative", "alternatives_of"]
