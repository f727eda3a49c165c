"""A swept table as rails and lines: where its columns and rows part, which column is which, and what stands in its
cells."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

from jugum.core.extraction.tables.by_heads import HEADER_LEAST, column_spans, header_likeness
from jugum.core.page import Box, Page, Segment, Word, segments_in, text_of, union
from jugum.core.schema import FieldPlan
from jugum.core.values import NUMERIC, DataType, normal_form

LINE_GAP_MOST = 0.6  # line heights: a row this near under another, with figures missing, is its second line
_CENTS = re.compile(r"\d[.,]\d{2}\b")
EDGE = 0.004  # page fractions that outer rails and lines stand outside of the words


@dataclass(frozen=True)
class Grid:
    """A table on one page: `rails` x₀ < … < xₙ and `lines` y₀ < … < yₘ in page fractions part it into m rows of n
    cells; `columns` has the key of each of the n columns, "" for one that is no column of the plan."""

    page: int
    rails: tuple[float, ...]
    lines: tuple[float, ...]
    columns: tuple[str, ...]


@dataclass(frozen=True)
class GridCell:
    """What stands in a cell, and the box around its words."""

    text: str
    box: Box


def propose_grid(page: Page, box: Box, columns: Sequence[FieldPlan], ruled: Sequence[Box] = ()) -> Grid | None:
    """Rails and lines for a swept part of a page; None when no words stand there.

    Columns part at the ruling where `ruled` cells (boxes) fill the region, else in the white between pieces of rows.
    A first row that names columns of the plan says which is which and is left out; else each takes the column whose
    data type reads most of its cells. A row close under another that lacks the figures the other has is its second
    line.
    """
    inside = [word for word in page.words if box.contains(*word.box.middle)]
    if not inside:
        return None
    _, segments = segments_in(inside, page.width_pt / page.height_pt)
    rows: dict[int, list[Segment]] = {}
    for segment in segments:
        rows.setdefault(segment.row, []).append(segment)
    ordered = [rows[number] for number in sorted(rows)]
    cells = [cell for cell in ruled if box.contains(*cell.middle)]
    # what is drawn goes before what only lines up
    rails = _ruled_rails(cells, inside) or _white_rails(inside, ordered)
    heads, body = _heads(ordered, rails, columns)
    # a sweep over the heads alone still shows which column is which
    keys = _columns(body or ordered, rails, columns, heads)
    lines = _lines(body or ordered, rails, keys, columns)
    return Grid(page.number, tuple(rails), tuple(lines), tuple(keys))


def cells_of_grid(page: Page, grid: Grid) -> list[list[GridCell | None]]:
    """The cells of a grid, row by row: each word belongs where its middle lies; words keep their reading order."""
    found: list[list[GridCell | None]] = []
    for top, bottom in pairwise(grid.lines):
        row: list[GridCell | None] = []
        for left, right in pairwise(grid.rails):
            region = Box(left, top, right, bottom)
            words = [word for word in page.words if region.contains(*word.box.middle)]
            row.append(GridCell(text_of(words), union(word.box for word in words)) if words else None)
        found.append(row)
    return found


def _ruled_rails(cells: Sequence[Box], words: Sequence[Word]) -> list[float]:
    """Left and right edges that at least half of the rows of ruled cells share; none unless most words stand in
    cells."""
    held = sum(any(cell.contains(*word.box.middle) for cell in cells) for word in words)
    if len(cells) < 4 or held < 0.8 * len(words):
        return []
    edges: list[list[float]] = []
    for x in sorted(edge for cell in cells for edge in (cell.x0, cell.x1)):
        if edges and x - edges[-1][-1] < 0.012:
            edges[-1].append(x)
        else:
            edges.append([x])
    rows = max(1, len({round(cell.y0, 2) for cell in cells}))
    rails = [sum(edge) / len(edge) for edge in edges if len(edge) >= 0.5 * rows]
    return rails if len(rails) >= 3 else []


def _white_rails(words: Sequence[Word], rows: Sequence[Sequence[Segment]]) -> list[float]:
    spans = column_spans(rows)
    between = [(left[1] + right[0]) / 2 for left, right in pairwise(spans)]
    around = union(word.box for word in words)
    return [max(0.0, around.x0 - EDGE), *between, min(1.0, around.x1 + EDGE)]


def _place_of(segment: Segment, rails: Sequence[float]) -> int:
    x = segment.box.middle[0]
    return max(0, min(len(rails) - 2, sum(rail <= x for rail in rails) - 1))


def _heads(
    rows: Sequence[Sequence[Segment]], rails: Sequence[float], columns: Sequence[FieldPlan]
) -> tuple[dict[int, str], list[Sequence[Segment]]]:
    """Which rail-parted column a head row names (place → key), and the rows below it; heads of two lines are put
    together."""
    for last in range(min(3, len(rows))):  # a title or two may stand above the heads
        texts: dict[int, str] = {}
        for row in rows[: last + 1]:
            for segment in row:
                place = _place_of(segment, rails)
                texts[place] = f"{texts.get(place, '')} {segment.text}".strip()
        likely = sorted(
            (
                (score, place, column.key)
                for place, text in texts.items()
                for column in columns
                if (score := header_likeness(column, text)) >= HEADER_LEAST
            ),
            key=lambda one: (-one[0], one[1]),
        )
        named: dict[int, str] = {}
        for _, place, key in likely:
            if place not in named and key not in named.values():
                named[place] = key
        if len(named) >= max(1, min(2, len(columns))):
            return named, list(rows[last + 1 :])
    return {}, list(rows)


def _columns(
    rows: Sequence[Sequence[Segment]], rails: Sequence[float], columns: Sequence[FieldPlan], heads: dict[int, str]
) -> list[str]:
    keys = [heads.get(place, "") for place in range(len(rails) - 1)]
    left = [column for column in columns if column.key not in keys]
    texts: list[list[str]] = [[] for _ in keys]
    for row in rows:
        for segment in row:
            texts[_place_of(segment, rails)].append(segment.text)
    fits = sorted(
        (
            (_fit(column, texts[place]), -order, -place)
            for order, column in enumerate(left)
            for place in range(len(keys))
        ),
        reverse=True,
    )
    for fit, order, place in fits:
        # less than half of its cells read: it is rather no column of the plan
        if fit > 0.5 and not keys[-place] and left[-order].key not in keys:
            keys[-place] = left[-order].key
    return keys


def _fit(column: FieldPlan, texts: Sequence[str]) -> float:
    """Share of cells that the column's data type reads; free text reads all, so it comes after what is narrower."""
    if not texts:
        return 0.0
    share = sum(normal_form(text, column.value_type) is not None for text in texts) / len(texts)
    if column.data_type is DataType.MONEY:
        # Any number reads as money: cents tell amounts from hours.
        share += 0.1 * sum(_CENTS.search(text) is not None for text in texts) / len(texts)
    return share if column.data_type in NUMERIC or column.data_type.value in ("date", "identifier") else 0.6 * share


def _lines(
    rows: Sequence[Sequence[Segment]], rails: Sequence[float], keys: Sequence[str], columns: Sequence[FieldPlan]
) -> list[float]:
    numeric = {place for place, key in enumerate(keys) if any(c.key == key and c.data_type in NUMERIC for c in columns)}
    height = median(segment.box.height for row in rows for segment in row)
    starts: list[Box] = []
    figures = False
    for row in rows:
        around = union(segment.box for segment in row)
        mine = {_place_of(segment, rails) for segment in row}
        near = bool(starts) and around.y0 - starts[-1].y1 < LINE_GAP_MOST * height
        # only under a row with figures: rows without any would all run together
        if near and figures and numeric and not mine & numeric:
            starts[-1] = union((starts[-1], around))
            continue
        figures = bool(mine & numeric)
        starts.append(around)
    between = [(upper.y1 + lower.y0) / 2 for upper, lower in pairwise(starts)]
    return [max(0.0, starts[0].y0 - EDGE), *between, min(1.0, starts[-1].y1 + EDGE)]
