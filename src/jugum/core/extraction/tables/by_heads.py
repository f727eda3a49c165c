"""Tables without training: the columns' printed headers are looked for, and rows are what stands under them."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from statistics import median

import numpy as np
from rapidfuzz import fuzz

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.meanings import nearness
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.found import Finding, Found
from jugum.core.extraction.tables.cells import cell_of_words, with_next_line
from jugum.core.page import Page, Segment, laid_out
from jugum.core.schema import FieldPlan, Plan, Totals
from jugum.core.values import NUMERIC, normal_form

HEADER_LEAST = 0.78  # likeness of a head to a column's names; heads are short, so that one letter weighs much
ROW_GAP_MOST = 4.0  # line heights: a wider gap ends a table
ROWS_TRIED = 6  # rows under a head that tell what its column holds
CELLS_LEAST = 0.6  # share of cells that a column's data type must read
ALIKE_LEAST = 0.35  # likeness of a head to a column's names, by letters or meaning, when the rest of the row is known
CUT_LETTERS, CUT_LIKENESS = 3, 0.85
SIDE = 0.02  # of the page's width: how far a cell may stand outside its column's bounds
_TOTAL = re.compile(r"^(grand )?(sub ?)?(totals?|sum|summe|gesamt|totaal|suma|i alt|sammanlagt)\b", re.IGNORECASE)


@dataclass(frozen=True)
class _Header:
    """A row's pieces that name columns: column key → piece, and how well they match on the whole."""

    page: int
    row: int
    pieces: dict[str, Segment]
    score: float


@dataclass(frozen=True)
class Lines:
    """A page's rows as pieces, and the height of its words (page fraction, median)."""

    page: Page
    rows: list[list[Segment]]
    height: float

    @staticmethod
    def of(page: Page) -> Lines:
        """A page's rows of segments from top to bottom, and the median height of its words (page fraction)."""
        by_row: dict[int, list[Segment]] = {}
        for segment in laid_out(page)[1]:
            by_row.setdefault(segment.row, []).append(segment)
        height = median(word.box.height for word in page.words) if page.words else 0.01
        return Lines(page, [by_row[row] for row in sorted(by_row)], height)


def read_table(plan: Plan, table: FieldPlan, pages: Sequence[Page]) -> dict[str, Finding]:
    """A table's columns, each with one value per row (None where a cell is empty). Headers of at least half of the
    columns (two at least, unless there is only one) must be found; the table goes on over pages, under a repeated
    header or none."""
    rows, _ = _read(plan, table, [Lines.of(page) for page in pages])
    columns = plan.inside(table.key)
    return {column.key: Finding(column.key, tuple(row.get(column.key) for row in rows)) for column in columns}


def _read(plan: Plan, table: FieldPlan, lines: Sequence[Lines]) -> tuple[list[dict[str, Found]], _Header | None]:
    columns = plan.inside(table.key)
    headers = [header for number, one in enumerate(lines) for header in _headers(columns, one, number)]
    if not headers:
        return [], None
    # of equal heads the first: later ones repeat it on following pages
    best = max(headers, key=lambda one: (round(one.score, 2), -one.page, -one.row))
    rows, ended = _rows(table, columns, best, lines[best.page])
    page = best.page + 1
    while not ended and page < len(lines) and _at_foot(best if page == best.page + 1 else None, lines[page - 1], rows):
        again = [header for header in headers if header.page == page]
        # Without a repeated header the columns stand where they stood on the page before.
        start = max(again, key=lambda one: one.score) if again else _Header(page, -1, best.pieces, best.score)
        more, ended = _rows(table, columns, start, lines[page])
        if not more:
            break
        rows += more
        page += 1
    if len(rows) < 2 and len(best.pieces) < len(columns):
        rows = []  # labels over their values, not heads over a column
    return rows, best


def table_decision(plan: Plan, table: FieldPlan, lines: Sequence[Lines], layout_similarity: float) -> PartDecision:
    """A table as a whole, as one decision: right when all of its cells are."""
    rows, header = _read(plan, table, lines)
    heads = header.score / max(1, len(header.pieces)) if header else 0.0
    share = len(header.pieces) / max(1, len(plan.inside(table.key))) if header else 0.0
    return decision_of_rows(plan, table, rows, layout_similarity, heads, share)


class TableWay(StrEnum):
    """How a table's rows were told."""

    HEADS = "heads"
    LABELLER = "labeller"
    CELLS = "cells"


def decision_of_rows(
    plan: Plan,
    table: FieldPlan,
    rows: Sequence[Mapping[str, Found]],
    layout_similarity: float,
    heads: float = 1.0,
    share: float | None = None,
    *,
    way: TableWay = TableWay.HEADS,
) -> PartDecision:
    """The decision that rows (column key → cell) make. `heads` (0–1) is the likeness of the heads found, `share`
    (0–1) that of the columns that have one; without heads, of those that have any cell."""
    columns = plan.inside(table.key)
    if share is None:
        share = sum(any(column.key in row for row in rows) for column in columns) / max(1, len(columns))
    values = {column.key: tuple(row.get(column.key) for row in rows) for column in columns}
    sure = min((cell.reading for row in rows for cell in row.values()), default=1.0)
    # an empty cell of an optional column is no sign of a bad reading
    must = [column.key for column in columns if column.required] or [column.key for column in columns]
    filled = sum(key in row for row in rows for key in must) / max(1, len(rows) * len(must))
    features = {
        "heads": heads,
        "columns_with_head": share,
        "cells_filled": filled,
        "log_rows": float(np.log1p(len(rows))),
        "absent": float(not rows),
        "layout_similarity": layout_similarity,
        "reading": sure,
        "by_tagger": float(way is TableWay.LABELLER),
        "by_cells": float(way is TableWay.CELLS),
    }
    why = {"heads": round(heads, 3), "columns": round(share, 3)} if way is TableWay.HEADS else {way.value: 1.0}
    return PartDecision(table.key, PartKind.TABLE, values, (), features, layout_similarity, sure, why)


def _headers(columns: Sequence[FieldPlan], lines: Lines, number: int) -> list[_Header]:
    """Rows (or two rows together, for headers of two lines) whose pieces name columns."""
    found = []
    needed = max(min(2, len(columns)), (len(columns) + 1) // 2)
    for place, row in enumerate(lines.rows):
        likely = {
            column.key: {
                at: score
                for at, segment in enumerate(row)
                if (score := header_likeness(column, segment.text)) >= HEADER_LEAST
            }
            for column in columns
        }
        pieces = _assigned(likely)
        if len(pieces) >= needed:
            total = sum(likely[key][at] for key, at in pieces.items())
            # Only once a row is known as a head row do weaker likenesses count.
            pieces |= _completed(columns, row, pieces, lines.rows[place + 1 : place + 1 + ROWS_TRIED])
            found.append(_Header(number, place, {key: row[at] for key, at in pieces.items()}, total))
    return found


def _completed(
    columns: Sequence[FieldPlan], row: Sequence[Segment], pieces: dict[str, int], below: Sequence[Sequence[Segment]]
) -> dict[str, int]:
    """The other pieces of a head row for the columns that have none yet: by what little their names are alike, by
    meaning, and by whether the cells below can be read as the column's data type. The last piece for the last column
    needs no likeness, only fitting cells."""
    left = [other for other in columns if other.key not in pieces]
    free = [at for at in range(len(row)) if at not in pieces.values() and any(map(str.isalpha, row[at].text))]
    fits = []
    for order, column in enumerate(left):
        for at in free:
            share = _readable(column, row[at], below)
            names = [plain_text(name) for name in column.names_on_paper]
            alike = max(
                0.8 * header_likeness(column, row[at].text),
                float(nearness([plain_text(row[at].text)], names).max(initial=0.0)),
            )
            lone = len(left) == len(free) == 1  # one head and one column left: they belong together by elimination
            if share >= CELLS_LEAST and (alike >= ALIKE_LEAST or lone):
                fits.append((alike + 0.3 * share, -order, at, column.key))
    found: dict[str, int] = {}
    for _, _, at, key in sorted(fits, reverse=True):
        if key not in found and at not in found.values():
            found[key] = at
    return found


def _readable(column: FieldPlan, head: Segment, below: Sequence[Sequence[Segment]]) -> float:
    """Share of the pieces under a head that the column's data type reads; of text, those that are no number."""
    cells = [
        segment.text
        for row in below
        for segment in row
        if segment.box.x0 < head.box.x1 + SIDE and segment.box.x1 > head.box.x0 - SIDE
    ]
    if not cells:
        return 0.0
    if column.data_type in NUMERIC:
        return sum(normal_form(text, column.value_type) is not None for text in cells) / len(cells)
    return sum(any(map(str.isalpha, text)) or "%" in text for text in cells) / len(cells)


def _assigned(likely: dict[str, dict[int, float]]) -> dict[str, int]:
    """One piece of a row for each column that has one, the surest pair first ("Minimum" is like "Maximum" too); of
    equal ones (two tables side by side have the same heads) the first to the right of the columns already placed,
    else the nearest."""
    pieces: dict[str, int] = {}
    waiting = [key for key in likely if likely[key]]
    while waiting:
        free = {key: {at: score for at, score in likely[key].items() if at not in pieces.values()} for key in waiting}
        waiting = [key for key in waiting if free[key]]
        if not waiting:
            break
        # of equally sure ones the column with fewer choices
        key = max(waiting, key=lambda key: (round(max(free[key].values()), 2), -len(free[key])))
        best = max(free[key].values())
        # readers make such small differences between equal heads
        ties = [at for at, score in free[key].items() if score > best - 0.02]
        last = max(pieces.values(), default=-1) if key != next(iter(likely)) else -1
        pieces[key] = min(ties, key=lambda at: (at < last, abs(at - last)))
        waiting.remove(key)
    return pieces


def header_likeness(column: FieldPlan, text: str) -> float:
    """How like a column's printed names a head is, 0–1."""
    plain = plain_text(text)
    names = [plain_text(name) for name in column.names_on_paper]
    return max(
        (
            # a name that is the same letter by letter goes before one with words more
            max(fuzz.ratio(plain, name), 0.97 * _by_words(plain, name), 100 * _cut_short(plain, name)) / 100
            for name in names
        ),
        default=0.0,
    )


def _cut_short(text: str, name: str) -> float:
    """Heads are narrow: "max" is "maximum", "del date" is "delivery date", if each word begins as the name's does;
    0.85 then, else 0."""
    mine, theirs = text.split(), name.split()
    cut = len(mine) == len(theirs) and all(
        min(len(a), len(b)) >= CUT_LETTERS and (a.startswith(b) or b.startswith(a))
        for a, b in zip(mine, theirs, strict=True)
    )
    return CUT_LIKENESS if mine and cut else 0.0


def _by_words(text: str, name: str) -> float:
    """Likeness of sets of words, for heads such as "Amount (kr)"; of one short word only when it is the same."""
    return fuzz.token_set_ratio(text, name) if abs(len(text.split()) - len(name.split())) <= 2 else 0.0


def column_spans(rows: Sequence[Sequence[Segment]]) -> list[tuple[float, float]]:
    """Columns as spans along x: overlapping pieces merged, those that reach over several columns left out."""
    spans: list[list[float]] = []
    # The narrowest first: a title across the table must not merge its columns.
    for segment in sorted((piece for row in rows for piece in row), key=lambda one: one.box.width):
        over = [span for span in spans if segment.box.x0 < span[1] and span[0] < segment.box.x1]
        if len(over) == 1:
            over[0][:] = min(over[0][0], segment.box.x0), max(over[0][1], segment.box.x1)
        elif not over:
            spans.append([segment.box.x0, segment.box.x1])
    return sorted((span[0], span[1]) for span in spans)


def _bounds(header: _Header, columns: Sequence[FieldPlan], lines: Lines) -> dict[str, tuple[float, float]]:
    """From where to where each column's cells lie: half way to the neighbouring heads of the same row, those of other
    tables included; numbers end at their head's right edge, so they may reach far to the left of it."""
    heads = lines.rows[header.row] if header.row >= 0 else sorted(header.pieces.values(), key=lambda one: one.box.x0)
    bounds = {}
    for key, head in header.pieces.items():
        column = next(other for other in columns if other.key == key)
        left = max((other.box.x1 for other in heads if other.box.x1 <= head.box.x0 + 1e-6), default=0.0)
        right = min((other.box.x0 for other in heads if other.box.x0 >= head.box.x1 - 1e-6), default=1.0)
        if column.data_type in NUMERIC:
            bounds[key] = (left, head.box.x1 + min(SIDE * 2, (right - head.box.x1) / 2))
        else:
            bounds[key] = (head.box.x0 - SIDE, right)
    return bounds


def _rows(
    table: FieldPlan, columns: Sequence[FieldPlan], header: _Header, lines: Lines
) -> tuple[list[dict[str, Found]], bool]:
    """Rows under a header, and whether the table ended on this page: by a gap, a line of totals, or text across it."""
    bounds = _bounds(header, columns, lines)
    by_key = {column.key: column for column in columns}
    found: list[dict[str, Found]] = []
    above = lines.rows[header.row][0].box.y1 if header.row >= 0 else None
    for row in lines.rows[header.row + 1 :]:
        cells = _cells(row, bounds, by_key)
        near = [segment for segment in row if any(a <= segment.box.middle[0] <= b for a, b in bounds.values())]
        if not near:
            continue
        top = min(segment.box.y0 for segment in near)
        # what follows a wide gap is another part of the paper
        if above is not None and top - above > ROW_GAP_MOST * lines.height:
            return found, True
        if says_total(near):
            if table.totals is Totals.END:
                return found, True
            if table.totals is Totals.SKIP:
                continue
        read = {key: cell for key, cut in cells.items() if (cell := _cell(by_key[key], cut, lines.page))}
        numeric = [key for key in by_key if by_key[key].data_type in NUMERIC and key in bounds]
        # A row without any figure in a table of figures is a second line of a cell, or the table's end.
        if not read or (numeric and not any(key in read for key in numeric)):
            if found and read and above is not None and top - above < 0.9 * lines.height:
                found[-1] |= {
                    key: with_next_line(found[-1][key], cell) for key, cell in read.items() if key in found[-1]
                }
                above = max(segment.box.y1 for segment in near)
                continue
            if found:
                return found, True
            continue
        if found and adds_up(found, read, numeric):
            if table.totals is Totals.END:
                return found, True
            if table.totals is Totals.SKIP:
                continue
        found.append(read)
        above = max(segment.box.y1 for segment in near)
    return found, False


def adds_up(rows: Sequence[dict[str, Found]], read: dict[str, Found], numeric: Sequence[str]) -> bool:
    """Whether a row is the sum of the rows above: a line of totals that doesn't say so. Of a single row it must have
    fewer figures, since two equal rows may follow each other."""
    mine = [key for key in numeric if key in read]
    fewer = len(mine) < max(sum(key in row for key in numeric) for row in rows)
    if not mine or not (fewer or len(rows) > 1):
        return False
    return all(
        Decimal(read[key].normal) == sum((Decimal(row[key].normal) for row in rows if key in row), Decimal(0))
        for key in mine
    )


def _cells(
    row: Sequence[Segment], bounds: dict[str, tuple[float, float]], by_key: dict[str, FieldPlan]
) -> dict[str, list[Segment]]:
    """Pieces of a row by column: numbers by their right edge, the rest by their left, each to the column it fits
    best."""
    cells: dict[str, list[Segment]] = {}
    for segment in row:
        fits = []
        for key, (left, right) in bounds.items():
            shared = min(right, segment.box.x1) - max(left, segment.box.x0)
            inside = shared / max(1e-6, segment.box.width)
            edge = segment.box.x1 if by_key[key].data_type in NUMERIC else segment.box.x0
            # more than half, so that a piece never fits two columns at once
            if inside > 0.5 and left - SIDE <= edge <= right + SIDE:
                fits.append((inside, key))
        if fits:
            cells.setdefault(max(fits)[1], []).append(segment)
    return cells


def _cell(column: FieldPlan, cut: Sequence[Segment], page: Page) -> Found | None:
    words = [index for segment in cut for index in range(segment.first, segment.last + 1)]
    return cell_of_words(column, page, words, "under its column's header")


def says_total(row: Sequence[Segment]) -> bool:
    """Whether a row begins with a word for a sum."""
    return bool(row) and _TOTAL.match(row[0].text.strip(" :")) is not None


def _at_foot(header: _Header | None, lines: Lines, rows: Sequence[dict[str, Found]]) -> bool:
    """Whether the last row stands in the lower part of its page, so that the table may go on over the next."""
    last = max((value.box.y1 for row in rows[-1:] for value in row.values()), default=0.0)
    return last > 0.6
