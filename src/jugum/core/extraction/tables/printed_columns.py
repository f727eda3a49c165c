"""Printed columns: stretches of rows that may be tables, and the strips between their columns, by where words stand."""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from statistics import median

import numpy as np

from jugum.core.extraction.tables.by_heads import ROW_GAP_MOST, Lines, column_spans
from jugum.core.page import Box, Segment, text_of, union
from jugum.core.structure.tables import lines_up

GAP_WIDE = 1.6  # times the page's usual gap
STRIP_STEPS = 1500  # of a page's width
STRIP_ROWS = 3  # from so many rows on a strip without ink tells columns
STRIP_CROSSED = 0.15  # share of the rows whose words may cross a strip: a head, a title
STRIP_WIDE, STRIP_NARROW = 0.9, 0.25  # letter heights
STRIP_SHARE = 0.6  # of the rows that reach a narrow strip have words on both sides of it
FIGURES_MOSTLY = 0.8  # of the pieces that a strip goes through
UNIT_LETTERS = 4
Row = tuple[Segment, ...]


@dataclass(frozen=True)
class Run:
    """Rows of a page parted into printed columns: the edges between them (x, page fractions), and for each row the
    words (indices) in each column."""

    lines: Lines
    rows: tuple[Row, ...]
    edges: tuple[float, ...]
    cells: tuple[tuple[tuple[int, ...], ...], ...]

    @staticmethod
    def at(lines: Lines, rows: Sequence[Sequence[Segment]], edges: Sequence[float]) -> Run:
        """Rows parted at given edges; a word belongs where its middle lies."""
        words = lines.page.words
        cells = []
        for row in rows:
            its: list[list[int]] = [[] for _ in range(len(edges) + 1)]
            for piece in row:
                for at in range(piece.first, piece.last + 1):
                    its[bisect_left(edges, words[at].box.middle[0])].append(at)
            cells.append(tuple(map(tuple, its)))
        return Run(lines, tuple(map(tuple, rows)), tuple(edges), tuple(cells))

    @cached_property
    def texts(self) -> list[list[str]]:
        """What stands in each row's columns, "" where nothing does."""
        words = self.lines.page.words
        return [[text_of([words[at] for at in its]) for its in row] for row in self.cells]

    def column(self, span: int, first: int, last: int) -> list[str]:
        """What stands in a column from row `first` to row `last` (inclusive), without empty cells."""
        return [row[span] for row in self.texts[first : last + 1] if row[span]]

    def box(self, row: int) -> Box:
        """All of a row, in shares of the page."""
        return union(piece.box for piece in self.rows[row])


def parted(lines: Lines, rows: Sequence[Sequence[Segment]], *, fine: bool) -> Run | None:
    """Rows parted into columns: where pieces part, or (`fine`) where a strip without ink goes through the words, which
    may be as narrow as a blank where it goes through most rows. None where there is one column alone."""
    wide = [row for row in rows if len(row) > 1]
    edges = _strips(lines, wide) if fine and len(wide) >= STRIP_ROWS else _between(wide)
    return Run.at(lines, rows, edges) if edges else None


def _between(rows: Sequence[Sequence[Segment]]) -> list[float]:
    return [(left[1] + right[0]) / 2 for left, right in pairwise(column_spans(rows))]


def _strips(lines: Lines, rows: Sequence[Sequence[Segment]]) -> list[float]:
    """Middles of the strips that hardly any row's words cross."""
    page = lines.page
    inked = np.zeros((len(rows), STRIP_STEPS), dtype=bool)
    for number, row in enumerate(rows):
        for piece in row:
            for word in page.words[piece.first : piece.last + 1]:
                inked[number, int(word.box.x0 * STRIP_STEPS) : int(np.ceil(word.box.x1 * STRIP_STEPS))] = True
    crossed = inked.sum(axis=0) > STRIP_CROSSED * len(rows)
    begun = np.maximum.accumulate(inked, axis=1)  # ink anywhere to the left
    goes_on = np.maximum.accumulate(inked[:, ::-1], axis=1)[:, ::-1]  # ink anywhere to the right
    letter = lines.height * page.height_pt / page.width_pt
    changes = np.flatnonzero(np.diff(np.concatenate(([True], crossed, [True]))))
    edges: list[float] = []
    before = 0
    for left, right in changes.reshape(-1, 2):
        if left == 0 or right == STRIP_STEPS:
            continue
        middle = (left + right) // 2 / STRIP_STEPS
        width = (right - left) / STRIP_STEPS / letter
        if width < STRIP_WIDE:
            here = inked[:, before:left].any(axis=1)  # words in the column that ends here
            both = int((here & goes_on[:, right - 1]).sum()) / max(1, int(begun[:, left].sum()))
            if width < STRIP_NARROW or both < STRIP_SHARE or _inside_figures(lines, rows, middle):
                continue
        edges.append(middle)
        before = right
    return edges


def _inside_figures(lines: Lines, rows: Sequence[Sequence[Segment]], x: float) -> bool:
    """Whether a strip goes through cells of figures instead of between columns: through the blank of thousands
    ("10 160"), or between a figure and its currency or unit, which come again in other rows."""
    pairs = []
    for piece in (piece for row in rows for piece in row if piece.box.x0 < x < piece.box.x1):
        its = lines.page.words[piece.first : piece.last + 1]
        at = bisect_left([word.box.middle[0] for word in its], x)
        if 0 < at < len(its):
            pairs.append((its[at - 1].text, its[at].text))
    before, after = (Counter(pair[side] for pair in pairs if not re.search(r"\d", pair[side])) for side in (0, 1))
    inside = sum(
        bool(re.search(r"\d$", left) and re.fullmatch(r"\d{3}(?:[.,]\d*)?\D*", right))
        or (before[left] > 1 and bool(re.match(r"\d", right)))
        or (after[right] > 1 and len(right) <= UNIT_LETTERS and bool(re.search(r"\d$", left)))
        for left, right in pairs
    )
    return bool(pairs) and inside >= FIGURES_MOSTLY * len(pairs)


def stretches(lines: Lines) -> Iterator[tuple[Row, ...]]:
    """Stretches of a page's rows that may be tables: parted at wide gaps, at gaps that are wide for the page's rows,
    and where a row keeps to other columns than the rows above."""
    rows = [tuple(row) for row in lines.rows]
    gaps = [
        min(piece.box.y0 for piece in below) - max(piece.box.y1 for piece in above) for above, below in pairwise(rows)
    ]
    usual = median(gaps) if gaps else 0.0
    far = [gap > ROW_GAP_MOST * lines.height for gap in gaps]
    ways = (
        far,
        [gap > max(GAP_WIDE * usual, usual + lines.height) for gap in gaps],
        [apart or not _goes_on(rows[max(0, at - 2) : at + 1], rows[at + 1]) for at, apart in enumerate(far)],
    )
    seen = set()
    for way in ways:
        ends = [0, *(at + 1 for at, here in enumerate(way) if here), len(rows)]
        for first, last in pairwise(ends):
            several = sum(len(row) > 1 for row in rows[first:last])
            if last - first > 1 and several and (first, last) not in seen:
                seen.add((first, last))
                yield tuple(rows[first:last])


def _goes_on(above: Sequence[Row], row: Row) -> bool:
    """Whether half of a row's pieces begin or end where pieces of the last row with several do, of the few above; one
    piece alone may be the next line of a cell."""
    before = next((other for other in reversed(above) if len(other) > 1), None)
    if len(row) < 2 or before is None:
        return True
    fit = sum(any(lines_up(piece.box, other.box) for other in before) for piece in row)
    return fit * 2 >= min(len(row), len(before))
