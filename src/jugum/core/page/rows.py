"""Words → rows → segments, and the order a person reads them in.

A *row* is what stands on one line across the page; a *segment* is a piece of a row without a wide gap: a label, a
value, a cell. Most of what a form says is said by how segments stand to each other.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import groupby
from statistics import median

from jugum.core.page.geometry import Box, union
from jugum.core.page.words import Page, Word, text_of

SEGMENT_GAP = 2.2  # character widths; measured on forms, see docs/decisions


@dataclass(frozen=True, slots=True)
class Segment:
    """Consecutive words of one row: `first` to `last` (inclusive) are indices into the page's words."""

    row: int
    first: int
    last: int
    box: Box
    text: str


def rows_of(words: Sequence[Word]) -> list[list[int]]:
    """Indices of words by row, rows from top to bottom, each from left to right.

    A word joins the row whose middle line it stands on (middle within half of the smaller height), the nearest
    if there are several. Rows keep a running middle so that a slightly leaning line stays one row.
    """
    middles = [word.box.middle for word in words]
    heights = [word.box.height for word in words]
    order = sorted(range(len(words)), key=lambda index: (middles[index][1], words[index].box.x0))
    rows: list[list[tuple[float, int]]] = []  # (middle along x, index), sorted
    for index in order:
        x, y = middles[index]
        best, best_distance = -1, 1e9
        for candidate in range(max(0, len(rows) - 6), len(rows)):
            near = _nearest(rows[candidate], x)
            middle = sum(middles[other][1] for other in near) / len(near)
            height = min(heights[index], sorted(heights[other] for other in near)[len(near) // 2])
            distance = abs(y - middle)
            if distance < 0.5 * height and distance < best_distance:
                best, best_distance = candidate, distance
        if best < 0:
            rows.append([(x, index)])
        else:
            insort(rows[best], (x, index))
    found = [sorted((index for _, index in row), key=lambda index: words[index].box.x0) for row in rows]
    return sorted(found, key=lambda row: sum(middles[index][1] for index in row) / len(row))


def _nearest(row: list[tuple[float, int]], x: float) -> list[int]:
    """The up to three words of a row that stand nearest to a place along x."""
    at = bisect_left(row, (x, -1))
    around = row[max(0, at - 3) : at + 3]
    return [index for _, index in sorted(around, key=lambda other: abs(other[0] - x))[:3]]


def reading_order(words: Sequence[Word]) -> tuple[Word, ...]:
    """The words row by row, from top to bottom and left to right."""
    return tuple(words[index] for row in rows_of(words) for index in row)


def segments_in(words: Sequence[Word], aspect: float) -> tuple[list[int], list[Segment]]:
    """Indices of any words in reading order, and their segments, whose `first` and `last` are places in that order."""
    rows = rows_of(words)
    order = [index for row in rows for index in row]
    places, start = [], 0
    for row in rows:
        places.append(list(range(start, start + len(row))))
        start += len(row)
    return order, segments_of([words[index] for index in order], places, aspect)


def segments_of(words: Sequence[Word], rows: Sequence[Sequence[int]], aspect: float) -> list[Segment]:
    """Cut rows at gaps wider than 2.2 character widths, and at the ruling between two cells.

    `words` are in reading order, so that a row's indices run on; `aspect` is page width ÷ height. A character's
    width is the median over the row of width ÷ letters, and not under a quarter of the row's height (a row of
    one-letter words would cut everywhere).
    """
    segments: list[Segment] = []
    for number, row in enumerate(rows):
        height = median(words[index].box.height for index in row)
        character = max(
            median(words[index].box.width / max(1, len(words[index].text)) for index in row), 0.25 * height / aspect
        )
        start = 0
        for place in range(1, len(row) + 1):
            if place == len(row) or _parted(words[row[place - 1]], words[row[place]], SEGMENT_GAP * character):
                piece = [words[index] for index in row[start:place]]
                box = union(word.box for word in piece)
                segments.append(Segment(number, row[start], row[place - 1], box, text_of(piece)))
                start = place
    return segments


@lru_cache(maxsize=64)
def laid_out(page: Page) -> tuple[tuple[list[int], ...], tuple[Segment, ...]]:
    """A page's rows and segments; kept for the pages asked for last. Rows are runs of the page's words as they stand:
    where these are not in reading order (a word at the edge of two rows), a row falls in two."""
    row_of = {index: number for number, row in enumerate(rows_of(page.words)) for index in row}
    rows = [list(run) for _, run in groupby(range(len(page.words)), key=row_of.__getitem__)]
    return tuple(rows), tuple(segments_of(page.words, rows, page.width_pt / page.height_pt))


def _parted(left: Word, right: Word, gap: float) -> bool:
    """Whether two neighbours of a row are two pieces."""
    return left.cell != right.cell or right.box.x0 - left.box.x1 > gap
