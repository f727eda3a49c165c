"""Whether the figures of a table's columns add up to what is printed beneath them: rows that do are hardly wrong, and
none is missing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal, InvalidOperation

from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.found import Found
from jugum.core.page import Page, segments_in, text_of
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType, normal_form, same_value

ADDED = (DataType.MONEY,)  # counts of things add up by chance: 2 of 11 tables of new layouts that did were right
ROWS_LEAST = 2  # one figure and the same one beneath it are no sum


def with_sums(plan: Plan, decision: PartDecision, pages: Sequence[Page]) -> PartDecision:
    """A table's decision with the sign `adds_up`: 1 where the amounts of a column come to one that is printed beneath
    its last row, on the same page; else 0."""
    columns = [plan.field(key) for key in decision.values]
    found = any(_adds_up(column, decision.values[column.key], pages) for column in columns if _is_added(column))
    return replace(decision, features={**decision.features, "adds_up": float(found)})


def _is_added(column: FieldPlan) -> bool:
    return column.data_type in ADDED


def _adds_up(column: FieldPlan, values: Sequence[Found | None], pages: Sequence[Page]) -> bool:
    cells = [cell for cell in values if cell]
    page = next((page for page in pages if cells and page.number == cells[-1].page), None)
    if page is None or len(cells) < ROWS_LEAST:
        return False
    try:
        total = str(sum(Decimal(cell.normal) for cell in cells))
    except InvalidOperation:
        return False
    beneath = [word for word in page.words if word.box.middle[1] > cells[-1].box.y1]
    kind = column.value_type.on_paper(page.month_first)
    order, pieces = segments_in(beneath, page.width_pt / page.height_pt)
    words = [beneath[index] for index in order]
    ends = (text_of(words[first : piece.last + 1]) for piece in pieces for first in range(piece.first, piece.last + 1))
    return any((normal := normal_form(text, kind)) and same_value(normal, total, column.data_type) for text in ends)


__all__ = ["with_sums"]
