"""Cells of tables: made of words, and read against their labels, cell by cell and row by row."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from jugum.core.extraction.candidates.samples import SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.found import EngineName, Found
from jugum.core.page import Page, how_read, text_of, union
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import normal_form, same_value


def cell_of_words(
    column: FieldPlan, page: Page, words: Sequence[int], why: str, engine: EngineName = EngineName.TABLE
) -> Found | None:
    """The cell that words of a page (indices) make; None where the column's data type can't read them, or a sign says
    that the cell is empty."""
    its = [page.words[index] for index in words]
    text = text_of(its)
    normal = normal_form(text, column.value_type.on_paper(page.month_first))
    if not normal:
        return None
    read = how_read(its)
    box = union(word.box for word in its)
    return Found(text, normal, page.number, box, 1.0, engine, why, reading=read["confidence"], by_hand=read["by_hand"])


def with_next_line(cell: Found, line: Found) -> Found:
    """A cell of text with one more line."""
    text = f"{cell.text} {line.text}"
    return replace(
        cell,
        text=text,
        normal=text,
        box=union((cell.box, line.box)),
        reading=min(cell.reading, line.reading),
        by_hand=cell.by_hand or line.by_hand,
    )


@dataclass(frozen=True)
class Cells:
    """A table's cells: found rightly, found, and there; rows with every cell right, found, and there."""

    right: int
    found: int
    there: int
    rows_right: int
    rows_found: int
    rows_there: int

    @property
    def all_right(self) -> bool:
        """Every cell of every row, and nothing besides."""
        return self.right == self.found == self.there


def cells_of(plan: Plan, decision: PartDecision, labels: Mapping[str, Sequence[SampleLabel]]) -> Cells:
    """Count a table row by row, in order: the first row found against the first labelled one."""
    columns = plan.inside(decision.field)
    found = {
        column.key: [cell.normal if cell else "" for cell in decision.values.get(column.key, ())] for column in columns
    }
    truth = {column.key: [label.normal for label in labels.get(column.key, ())] for column in columns}
    rows_found, rows_there = (max((len(its) for its in table.values()), default=0) for table in (found, truth))
    right = rows_right = 0
    for row in range(min(rows_found, rows_there)):
        pairs = [(_at(found[column.key], row), _at(truth[column.key], row), column) for column in columns]
        same = [(not a and not b) or (bool(a) and bool(b) and same_value(a, b, one.value_type)) for a, b, one in pairs]
        right += sum(hit and bool(b) for hit, (_, b, _) in zip(same, pairs, strict=True))
        rows_right += all(same)
    filled = [sum(bool(text) for its in table.values() for text in its) for table in (found, truth)]
    return Cells(right, filled[0], filled[1], rows_right, rows_found, rows_there)


def _at(column: Sequence[str], row: int) -> str:
    return column[row] if row < len(column) else ""
