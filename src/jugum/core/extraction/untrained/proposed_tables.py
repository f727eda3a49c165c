"""Tables proposed from one sample, and their lines as fields of their own."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from jugum.core.extraction.tables.by_heads import column_spans
from jugum.core.extraction.untrained.guesses import NAME_LETTERS_MAX, Proposal, clean, guessed_type, has_cents, keyed
from jugum.core.page import Box, Page, Segment, segments_in, union
from jugum.core.schema import FieldKind, FieldPlan, Plan, key_from
from jugum.core.structure import Structure, Table, TableCell, tables_of
from jugum.core.values import DataType, normal_form


def tables_on(page: Page, structure: Structure | None) -> Sequence[Table]:
    """A page's tables: those of its layers, else what lines up without rules."""
    return structure.tables if structure else tables_of(page.words, (), page.width_pt / page.height_pt)


def table_of(page: Page, table: Table) -> Proposal | None:
    """A table whose first row, or the row above it, names its columns; None when nothing does."""
    grid = table.grid()
    head, body = grid[0], grid[1:]
    # heads hold no figures: the first row is one of the body already
    if any(re.search(r"\d", cell) for cell in head) or sum(bool(cell) for cell in head) < 2:
        head, body = _row_above(page, table), grid
    named = [(n, clean(cell)) for n, cell in enumerate(head) if clean(cell)]
    if len(named) < 2 or len(body) < 2 or _is_list(table, grid):
        return None
    return table_proposal(page, table.box, [(name, [row[n] for row in body]) for n, name in named])


def lines_of(page: Page, table: Table, made: Proposal) -> Iterator[Proposal]:
    """A table's lines as fields of their own: what stands first names it, its value is in the first column of money,
    or else the last of numbers. Only where each line is named, and differently."""
    rows: dict[int, dict[int, TableCell]] = {}
    for cell in table.cells:
        rows.setdefault(cell.row, {})[cell.column] = cell
    column = _money_column(table)
    names = [clean(row[0].text) for row in rows.values() if 0 in row]
    # lines with equal names could not be told apart on the next paper
    if column is None or len(set(names)) < len(names):
        return
    for row in rows.values():
        head, value = row.get(0), row.get(column)
        name = clean(head.text) if head else ""
        if (
            head is None
            or value is None
            or not normal_form(value.text, DataType.MONEY)
            or len(name) < 3
            or len(name) > NAME_LETTERS_MAX
        ):
            continue
        field = FieldPlan("field", name, DataType.MONEY, (head.text,), required=False)
        yield Proposal(field, (), page.number, union((head.box, value.box)), value.text, "a line of the table")


def _money_column(table: Table) -> int | None:
    """The column after the first that holds most amounts with cents; the first of equal ones."""
    counts = dict.fromkeys(range(1, table.columns), 0)
    for cell in table.cells:
        if cell.column in counts and normal_form(cell.text, DataType.MONEY) and has_cents([cell.text]):
            counts[cell.column] += 1
    best = max(counts, key=lambda n: counts[n], default=None)
    return best if best is not None and counts[best] >= 2 else None


def _is_list(table: Table, grid: Sequence[Sequence[str]]) -> bool:
    """Two columns of which the second holds values of several data types: printed names with their values, no table."""
    if table.columns != 2 or table.ruled:
        return False
    kinds = {guessed_type(row[0], [row[1]]) for row in grid if row[0] and row[1]}
    return len(kinds) > 2  # a real column holds values of one type, read at most as two


def _row_above(page: Page, table: Table) -> list[str]:
    """Words right above a table, by its columns."""
    edges = [
        (min(c.box.x0 for c in table.cells if c.column == n), max(c.box.x1 for c in table.cells if c.column == n))
        for n in range(table.columns)
    ]
    high = min(cell.box.height for cell in table.cells)
    over = [w for w in page.words if 0 <= table.box.y0 - w.box.y1 < 2.2 * max(high, w.box.height)]
    heads = [""] * table.columns
    for word in over:
        fits = [n for n, (x0, x1) in enumerate(edges) if word.box.x1 > x0 - 0.02 and word.box.x0 < x1 + 0.02]
        if fits:
            heads[fits[0]] = f"{heads[fits[0]]} {word.text}".strip()  # heads of two lines grow word by word
    return heads


def table_proposal(page: Page, box: Box, columns: Sequence[tuple[str, Sequence[str]]]) -> Proposal:
    """A table field of columns given by name and example values."""
    names = [name for name, _ in columns]
    table = FieldPlan("table", _table_name(page, box, names), kind=FieldKind.TABLE, required=False)
    made: list[FieldPlan] = []
    for name, values in columns:
        data_type = guessed_type(name, [value for value in values if value.strip()])
        made.append(FieldPlan(f"table.{key_from(name)}", name, data_type, (name,), required=False, inside="table"))
    example = " · ".join(names)
    return Proposal(table, tuple(made), page.number, box, example, f"a table with the heads {example}")


def _table_name(page: Page, box: Box, heads: Sequence[str]) -> str:
    """A short line right above the table, or else its first head with "table"."""
    _, segments = segments_in(page.words, page.width_pt / page.height_pt)
    above = [
        s
        for s in segments
        if s.box.x0 < box.x0 + 0.06 and 0 < box.y0 - s.box.y1 < 0.04 and not re.search(r"\d", s.text)
    ]
    title = clean(max(above, key=lambda s: s.box.y1).text) if above else ""
    return title if 3 <= len(title) <= 30 else f"{heads[0]} table"


def table_from_region(page: Page, box: Box) -> Proposal | None:
    """A block of text, swept by a person, as a table: its pieces put into columns by where they stand; the first row
    names them if it holds no numbers. None when there are no two columns or no two rows."""
    inside = [word for word in page.words if box.contains(*word.box.middle)]
    if not inside:
        return None
    _, segments = segments_in(inside, page.width_pt / page.height_pt)
    rows: dict[int, list[Segment]] = {}
    for segment in segments:
        rows.setdefault(segment.row, []).append(segment)
    columns = column_spans(list(rows.values()))
    if len(columns) < 2 or len(rows) < 2:
        return None
    grid = [["" for _ in columns] for _ in rows]
    for number, row in enumerate(rows.values()):
        for segment in row:
            place = min(
                range(len(columns)), key=lambda n: abs((columns[n][0] + columns[n][1]) / 2 - segment.box.middle[0])
            )
            grid[number][place] = f"{grid[number][place]} {segment.text}".strip()
    headed = not any(re.search(r"\d", cell) for cell in grid[0]) and sum(bool(cell) for cell in grid[0]) >= 2
    heads = grid[0] if headed else [""] * len(columns)
    names = [clean(cell) or f"Column {n}" for n, cell in enumerate(heads, 1)]
    body = grid[1:] if headed else grid
    made = table_proposal(page, box, [(name, [row[n] for row in body]) for n, name in enumerate(names)])
    return keyed(Plan(()), [made])[0]
