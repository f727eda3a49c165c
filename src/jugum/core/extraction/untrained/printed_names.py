"""Where printed names stand on a paper, and how well a candidate stands to them: beside, after, below, under a
column's head."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz, process

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.extraction.candidates.synonyms import meant_names
from jugum.core.page import Box, Segment, union
from jugum.core.schema import Plan

Floats = npt.NDArray[np.float32]
LABEL_WORDS_MAX = 7  # words that one printed name may run over
LIKE_LEAST = 0.8  # likeness in letters from which words count as a printed name; one misread letter in five
EXTRA_COST = 0.45  # what a label loses when all but none of its piece of the row is the printed name
# How much each standing counts; what is farther or has something between counts less.
AFTER, RIGHT, BELOW, COLUMN = 1.0, 0.97, 0.95, 0.72
PER_WIDTH, PER_BETWEEN, PER_LINE, PER_ROW = 0.35, 0.13, 0.09, 0.02
RIGHT_MOST, LINES_MOST, ROWS_MOST, ROWS_NEAR, WORDS_BETWEEN_MAX = 0.8, 3.0, 20, 5, 5


@dataclass(frozen=True)
class PrintedName:
    """A field's printed name on a page: words `first` to `last`, in a piece of a row; `like` is 1 for the name
    alone, as it is in the plan, and less for letters misread and for further words beside it."""

    page: int
    segment: Segment
    first: int
    last: int
    box: Box
    like: float
    name: str


@dataclass(frozen=True)
class _Piece:
    """A run of one to seven words in one piece of a row."""

    page: int
    segment: Segment
    first: int
    last: int
    text: str
    share: float


def _pieces(parts: Sequence[PageCandidates]) -> list[_Piece]:
    found = []
    for part in parts:
        for segment in part.segments:
            plain = [plain_text(word.text) for word in part.words[segment.first : segment.last + 1]]
            wordy = [any(map(str.isalpha, text)) for text in plain]
            for start in range(len(plain)):
                if not wordy[start]:
                    continue
                for end in range(start, min(len(plain), start + LABEL_WORDS_MAX)):
                    if wordy[end] or end == start:
                        text = " ".join(" ".join(plain[start : end + 1]).split())
                        first, last = segment.first + start, segment.first + end
                        share = _share(part, segment, first, last)
                        found.append(_Piece(part.page.number, segment, first, last, text, share))
    return found


def _share(part: PageCandidates, segment: Segment, first: int, last: int) -> float:
    """How much of the label these words are: of the wordy words in their piece of the row up to a colon, or to the
    first word with a digit behind them."""
    start, end = segment.first, segment.last
    for index in range(segment.first, segment.last):
        if part.words[index].text.endswith(":"):
            if index < first:
                start = index + 1
            elif index >= last:
                end = min(end, index)
    for index in range(last + 1, end + 1):
        if any(map(str.isdigit, part.words[index].text)):
            end = index - 1
            break
    around = [index for index in range(start, end + 1) if any(map(str.isalpha, part.words[index].text))]
    mine = sum(first <= index <= last for index in around)
    return mine / max(1, len(around))


def printed_names(plan: Plan, parts: Sequence[PageCandidates]) -> dict[str, list[PrintedName]]:
    """For each field, where its printed names stand; a place goes to the field whose name it is most like."""
    pieces = _pieces(parts)
    shown = {plain_text(name): name for field in plan.fields for name in field.names_on_paper}
    meant = meant_names(plan)
    names = [(key, plain, shown.get(plain, plain), weight) for key, its in meant.items() for plain, weight in its]
    found: dict[str, list[PrintedName]] = {field.key: [] for field in plan.fields}
    if not pieces or not names:
        return found
    table = process.cdist(
        [segment.text for segment in pieces], [plain for _, plain, _, _ in names], scorer=fuzz.ratio, dtype=np.uint8
    )
    by_page = {part.page.number: part for part in parts}
    hits: list[tuple[float, int, PrintedName, str]] = []
    for row, column in zip(*np.nonzero(table >= 100 * LIKE_LEAST), strict=True):
        piece, (key, plain, name, weight) = pieces[row], names[column]
        if len(plain) <= 4 and table[row, column] < 100:
            continue  # of short names, one letter is too much
        like = weight * float(table[row, column]) / 100 * (1 - EXTRA_COST * (1 - piece.share))
        words = by_page[piece.page].words[piece.first : piece.last + 1]
        box = union(word.box for word in words)
        hits.append(
            (like, len(plain), PrintedName(piece.page, piece.segment, piece.first, piece.last, box, like, name), key)
        )
    taken: dict[tuple[int, int], list[tuple[float, int, str]]] = {}
    for like, length, place, key in sorted(hits, key=lambda hit: (-hit[0], -hit[1], hit[2].page, hit[2].first)):
        over = [other for index in range(place.first, place.last + 1) for other in taken.get((place.page, index), ())]
        if any(owner == key or better > like + 0.04 for better, _, owner in over):
            continue
        found[key].append(place)
        for index in range(place.first, place.last + 1):
            taken.setdefault((place.page, index), []).append((like, length, key))
    return found


def standing(
    names: Sequence[PrintedName], candidates: Sequence[Candidate], part: PageCandidates
) -> tuple[Floats, list[int]]:
    """For each candidate of one page, how well it stands to the best of a field's printed names (0–1.0), and which
    (−1: none)."""
    best = np.zeros(len(candidates), dtype=np.float32)
    which = [-1] * len(candidates)
    rows: dict[int, list[int]] = {}
    for place, candidate in enumerate(candidates):
        rows.setdefault(part.home[candidate.first].row, []).append(place)
    for number, name in enumerate(names):
        if name.page != part.page.number:
            continue
        row = name.segment.row
        last = row + (ROWS_MOST if _may_head(name) else ROWS_NEAR)
        for place in (place for below in range(row, last + 1) for place in rows.get(below, ())):
            score = name.like * _relation(name, candidates[place], part)
            if score > best[place]:
                best[place], which[place] = score, number
    return best, which


def _may_head(name: PrintedName) -> bool:
    """A column's head is a piece of its row by itself, not words in a sentence."""
    return name.first == name.segment.first and name.last == name.segment.last


def _relation(name: PrintedName, candidate: Candidate, part: PageCandidates) -> float:
    home = part.home[candidate.first]
    if candidate.first <= name.last and name.first <= candidate.last:
        return 0.0
    if home is name.segment:
        between = candidate.first - name.last - 1
        if not 0 <= between <= WORDS_BETWEEN_MAX:
            return 0.0
        return AFTER - PER_BETWEEN * _solid(part, name.last + 1, candidate.first)
    if home.row == name.segment.row:
        return _right(name, candidate, part)
    return _below(name, candidate, part)


def _solid(part: PageCandidates, first: int, end: int) -> int:
    """How many words with a letter or digit stand between."""
    return sum(any(map(str.isalnum, part.words[index].text)) for index in range(first, end))


def _right(name: PrintedName, candidate: Candidate, part: PageCandidates) -> float:
    gap = candidate.box.x0 - name.box.x1
    if gap < 0 or gap > RIGHT_MOST:
        return 0.0
    row = part.by_row[name.segment.row]
    home = part.home[candidate.first]
    between = max(0, row.index(home) - row.index(name.segment) - 1)
    inner = _solid(part, home.first, candidate.first) + _solid(part, name.last + 1, name.segment.last + 1)
    return RIGHT - PER_WIDTH * max(0.0, gap - 0.1) - PER_BETWEEN * (between + inner)


def _below(name: PrintedName, candidate: Candidate, part: PageCandidates) -> float:
    """Right below a name (in one cell, or one stack), or farther down in the column it heads."""
    home = part.home[candidate.first]
    gap = candidate.box.y0 - name.box.y1
    if gap < -0.2 * name.box.height or home.row <= name.segment.row:
        return 0.0
    aligned = abs(candidate.box.x0 - name.box.x0) < 0.02 or abs(candidate.box.x1 - name.box.x1) < 0.012
    shared = min(candidate.box.x1, name.box.x1) - max(candidate.box.x0, name.box.x0)
    over = shared > 0.3 * min(name.box.width, candidate.box.width)
    if not (aligned or over):
        return 0.0
    lines = gap / part.height
    loose = 0.0 if name.segment.last == name.last else 0.1  # something follows the name on its own row
    between = _between(name.box, name.segment.row, home.row, part)
    if lines <= LINES_MOST and not between:
        inner = _solid(part, home.first, candidate.first)
        return BELOW - PER_LINE * max(0.0, lines - 0.6) - PER_BETWEEN * inner - loose - (0.0 if aligned else 0.05)
    rows = home.row - name.segment.row
    headed = rows <= ROWS_MOST and all(part.numeric[id(segment)] for segment in between)
    return max(0.0, COLUMN - PER_ROW * rows) if headed else 0.0


def _between(box: Box, first: int, last: int, part: PageCandidates) -> list[Segment]:
    """Pieces of the rows between two that stand under a name."""
    return [
        segment
        for row in range(first + 1, last)
        for segment in part.by_row.get(row, ())
        if min(segment.box.x1, box.x1) - max(segment.box.x0, box.x0) > 0.2 * min(segment.box.width, box.width)
    ]


def said(name: PrintedName, candidate: Candidate) -> str:
    """`“Net pay” stands left of it`."""
    if name.box.y1 <= candidate.box.y0 + 0.2 * candidate.box.height:
        return f"“{name.name}” is above it"
    return f"“{name.name}” is before it"


def name_words(names: dict[str, list[PrintedName]]) -> set[tuple[int, int]]:
    """The words (page, index) that are part of a printed name of any field."""
    return {
        (place.page, index)
        for places in names.values()
        for place in places
        if place.like >= 0.9
        for index in range(place.first, place.last + 1)
    }
