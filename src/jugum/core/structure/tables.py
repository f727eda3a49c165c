"""Tables, ruled and unruled: rows and columns of cells with their words."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from jugum.core.ocr.rules import cells_of, rows_of_boxes
from jugum.core.page import Box, Segment, Word, rows_of, segments_in, union

COLUMNS_LEAST = 2  # one column is a list
ROWS_LEAST = 3  # heads and one line alone are as often a pair of pairs
ALIGNED = 0.012  # of the page's width: edges this near are one edge
ROW_GAP_MAX = 3.2  # heights of a line between rows of one table


@dataclass(frozen=True, slots=True)
class TableCell:
    """One cell: its row and column (from 0), its text, its box, the indices of its words."""

    row: int
    column: int
    text: str
    box: Box
    words: tuple[int, ...]


@dataclass(frozen=True)
class Table:
    """A table. `ruled` tells whether lines enclose its cells."""

    box: Box
    rows: int
    columns: int
    cells: tuple[TableCell, ...]
    ruled: bool

    def grid(self) -> list[list[str]]:
        """Texts by row and column, "" where a cell is empty."""
        texts = [[""] * self.columns for _ in range(self.rows)]
        for cell in self.cells:
            texts[cell.row][cell.column] = cell.text
        return texts


def tables_of(words: Sequence[Word], cells: Sequence[Box], aspect: float = 0.707) -> list[Table]:
    """Tables of a page from top to bottom: first from ruled cells, then from what lines up without rules."""
    ruled = _ruled(words, cells)  # Rules first: they are drawn on purpose, alignment may be chance.
    taken = {index for table in ruled for cell in table.cells for index in cell.words}
    free = [index for index in range(len(words)) if index not in taken]
    unruled = _unruled(words, free, aspect)
    return sorted([*ruled, *unruled], key=lambda table: (table.box.y0, table.box.x0))


# ---- Ruled -----------------------------------------------------------------------------------------------------------


def _ruled(words: Sequence[Word], cells: Sequence[Box]) -> list[Table]:
    """Groups of touching cells whose rows hold several cells with shared column edges."""
    tables = []
    for group in _touching(cells):
        rows = rows_of_boxes(group)
        while rows and len(rows[0]) < COLUMNS_LEAST:  # a row of one cell on top is the table's title
            rows.pop(0)
        if len(rows) < ROWS_LEAST or median(len(row) for row in rows) < COLUMNS_LEAST:
            continue
        edges = _edges([box for row in rows for box in row])
        if len(edges) < COLUMNS_LEAST or _is_form(words, rows):
            continue
        made = []
        for number, row in enumerate(rows):
            for box in row:
                column = min(range(len(edges)), key=lambda place: abs(edges[place] - box.x0))
                inside = _inside(words, box)
                made.append(TableCell(number, column, _text(words, inside), box, inside))
        tables.append(Table(union(cell.box for cell in made), len(rows), len(edges), tuple(made), True))
    return tables


def _is_form(words: Sequence[Word], rows: list[list[Box]]) -> bool:
    """Boxes that hold their own label above their value are a form, not a table: two lines in most cells that hold
    text."""
    filled = two = 0
    for row in rows:
        for box in row:
            inside = _inside(words, box)
            if inside:
                filled += 1
                two += len(rows_of([words[index] for index in inside])) >= 2
    return filled > 0 and two > 0.6 * filled  # not all: a form has empty boxes and boxes with a label alone


def _touching(cells: Sequence[Box]) -> list[list[Box]]:
    groups: list[list[Box]] = []
    for cell in cells:
        near = [group for group in groups if any(_adjoin(cell, other) for other in group)]
        for group in near:
            groups.remove(group)
        # One cell may join groups that did not touch before.
        groups.append([*(box for group in near for box in group), cell])
    return [cells_of(group) for group in groups if len(group) >= 2 * COLUMNS_LEAST]


def _adjoin(a: Box, b: Box) -> bool:
    gap = 0.008
    return a.x0 < b.x1 + gap and b.x0 < a.x1 + gap and a.y0 < b.y1 + gap and b.y0 < a.y1 + gap


def _edges(cells: Sequence[Box]) -> list[float]:
    """Left edges that several cells share."""
    groups: list[list[float]] = []
    for x in sorted(cell.x0 for cell in cells):
        if groups and x - groups[-1][-1] < ALIGNED:
            groups[-1].append(x)
        else:
            groups.append([x])
    return [sum(group) / len(group) for group in groups if len(group) >= 2]


def _inside(words: Sequence[Word], box: Box) -> tuple[int, ...]:
    return tuple(index for index, word in enumerate(words) if box.contains(*word.box.middle))


def _text(words: Sequence[Word], inside: Sequence[int]) -> str:
    return " ".join(words[index].text for index in inside)


# ---- Unruled ---------------------------------------------------------------------------------------------------------


@dataclass
class _Column:
    """A column while it grows: its span, and how its cells line up."""

    x0: float
    x1: float


def _unruled(words: Sequence[Word], free: Sequence[int], aspect: float) -> list[Table]:
    """Runs of rows with two or more pieces each whose pieces keep to the same columns, most of one column being
    numbers."""
    if not free:
        return []
    order, segments = segments_in([words[index] for index in free], aspect)
    order = [free[place] for place in order]
    by_row: dict[int, list[Segment]] = {}
    for segment in segments:
        by_row.setdefault(segment.row, []).append(segment)
    tables = []
    for run in _runs_of_rows([by_row[row] for row in sorted(by_row)]):
        table = _as_table(words, order, run)
        if table is not None:
            tables.append(table)
    return tables


def _runs_of_rows(rows: list[list[Segment]]) -> list[list[list[Segment]]]:
    """Consecutive rows with at least two pieces that share columns with the rows before."""
    runs: list[list[list[Segment]]] = []
    current: list[list[Segment]] = []
    for row in rows:
        fits = len(row) >= COLUMNS_LEAST and (not current or (_near(current[-1], row) and _alike(current, row)))
        if fits:
            current.append(row)
            continue
        if len(current) >= ROWS_LEAST:
            runs.append(current)
        current = [row] if len(row) >= COLUMNS_LEAST else []
    if len(current) >= ROWS_LEAST:
        runs.append(current)
    return runs


def _near(above: list[Segment], below: list[Segment]) -> bool:
    high = max(segment.box.height for segment in (*above, *below))
    gap = min(segment.box.y0 for segment in below) - max(segment.box.y1 for segment in above)
    return gap < ROW_GAP_MAX * high


def _alike(rows: list[list[Segment]], row: list[Segment]) -> bool:
    """Whether most pieces of a row stand under a piece of one of the last rows, by left or right edge or by overlap."""
    # of several rows above, since cells may be empty
    others = [segment.box for before in rows[-4:] for segment in before]
    fit = sum(1 for segment in row if any(lines_up(segment.box, other) for other in others))
    return fit >= 0.6 * len(row) and fit >= 2  # one piece alone lines up with anything at the margin


def lines_up(a: Box, b: Box) -> bool:
    """Whether two pieces begin or end at one edge."""
    # words by their left, figures by their right edge
    return abs(a.x0 - b.x0) < ALIGNED or abs(a.x1 - b.x1) < ALIGNED


def _as_table(words: Sequence[Word], order: list[int], rows: list[list[Segment]]) -> Table | None:
    columns = _columns([segment for row in rows for segment in row])
    if len(columns) < COLUMNS_LEAST:
        return None
    cells: list[TableCell] = []
    for number, row in enumerate(rows):
        by_column: dict[int, list[Segment]] = {}
        for segment in row:
            by_column.setdefault(_column_of(columns, segment.box), []).append(segment)
        for column, pieces in sorted(by_column.items()):
            inside = tuple(order[place] for piece in pieces for place in range(piece.first, piece.last + 1))
            box = union(piece.box for piece in pieces)
            cells.append(TableCell(number, column, " ".join(piece.text for piece in pieces), box, inside))
    # Text that lines up is a list of columns, an address block or a form as often as a table.
    if not _numeric_column(cells, len(columns)) or (len(columns) == 2 and len(rows) < 4):
        return None
    return Table(union(cell.box for cell in cells), len(rows), len(columns), tuple(cells), False)


def _columns(segments: Sequence[Segment]) -> list[_Column]:
    """Columns: overlapping spans merged, what spans several others left aside; at least two pieces each."""
    columns: list[_Column] = []
    counts: list[int] = []
    # the narrowest first: a title across must not merge columns
    for segment in sorted(segments, key=lambda one: one.box.width):
        over = [n for n, column in enumerate(columns) if segment.box.x0 < column.x1 and column.x0 < segment.box.x1]
        if len(over) > 1:
            continue
        if over:
            column = columns[over[0]]
            column.x0, column.x1 = min(column.x0, segment.box.x0), max(column.x1, segment.box.x1)
            counts[over[0]] += 1
        else:
            columns.append(_Column(segment.box.x0, segment.box.x1))
            counts.append(1)
    kept = [column for column, count in zip(columns, counts, strict=True) if count >= 2]  # a lone piece is a remark
    return sorted(kept, key=lambda column: column.x0)


def _column_of(columns: list[_Column], box: Box) -> int:
    def distance(column: _Column) -> float:
        shared = min(column.x1, box.x1) - max(column.x0, box.x0)
        return -shared if shared > 0 else max(column.x0 - box.x1, box.x0 - column.x1)

    return min(range(len(columns)), key=lambda number: distance(columns[number]))


def _numeric_column(cells: list[TableCell], columns: int) -> bool:
    for column in range(columns):
        texts = [cell.text for cell in cells if cell.column == column]
        numeric = sum(1 for text in texts if re.search(r"\d", text) and sum(map(str.isalpha, text)) <= 4)
        if len(texts) >= 3 and numeric >= 0.6 * len(texts):
            return True
    return False
