"""What labelled tables teach: the heads that columns bear on papers, beside the names that the plan says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.page import Box, Page, Segment, horizontal_overlap, laid_out, union
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.schema.plan import PRINTED_NAMES_MAX

HEAD_WITHIN = 5.0  # line heights above the first row in which a column's head is looked for
ROW_SAME = 0.6  # of a line's height: cells of one row stand no further apart


def with_learned_heads(plan: Plan, samples: Sequence[Sample]) -> Plan:
    """The plan with the printed heads of its columns as labelled tables have them, the most frequent first after the
    plan's own.

    A head that stands over two columns as often is nobody's.
    """
    counts: dict[str, Counter[str]] = {planned.key: Counter() for planned in plan.fields if planned.is_column}
    for sample in samples:
        for table in plan.fields:
            if table.kind is FieldKind.TABLE:
                for key, head in heads_of(plan, table, sample).items():
                    counts[key][head] += 1
    fields = []
    for field in plan.fields:
        if not field.is_column:
            fields.append(field)
            continue
        rivals = [its for key, its in counts.items() if key != field.key and plan.field(key).inside == field.inside]
        mine = [head for head, count in counts[field.key].most_common() if all(its[head] < count for its in rivals)]
        names = tuple(dict.fromkeys([*field.printed_names, *mine]))[:PRINTED_NAMES_MAX]
        fields.append(replace(field, printed_names=names))
    return replace(plan, fields=tuple(fields))


def heads_of(plan: Plan, table: FieldPlan, sample: Sample) -> dict[str, str]:
    """Column key → the head that stands over it on a labelled paper, where one stands."""
    pages = {page.number: page for page in sample.pages}
    cells = {other.key: _placed(sample.labels.get(other.key, ())) for other in plan.inside(table.key)}
    placed = [label for its in cells.values() for label in its]
    if not placed:
        return {}
    first_page = min(label.page or 0 for label in placed)
    if first_page not in pages:
        return {}
    page = pages[first_page]
    top = min(label.box.y0 for label in placed if label.page == first_page and label.box)
    rows = _rows_above(page, top)
    found: dict[str, str] = {}
    for key, its in cells.items():
        column = [label.box for label in its if label.page == first_page and label.box]
        if column:
            head = _head(rows, union(column))
            if plain_text(head):
                found[key] = head
    return found


def _placed(labels: Sequence[SampleLabel]) -> list[SampleLabel]:
    return [label for label in labels if label.box is not None and label.page]


def _rows_above(page: Page, top: float) -> list[list[Segment]]:
    """Rows that end above a table's first row and stand near, the nearest first."""
    by_row: dict[int, list[Segment]] = {}
    for segment in laid_out(page)[1]:
        by_row.setdefault(segment.row, []).append(segment)
    found = []
    for row in sorted(by_row, reverse=True):
        box = union(piece.box for piece in by_row[row])
        if box.middle[1] < top and top - box.y1 < HEAD_WITHIN * box.height:
            found.append(by_row[row])
    return found


def _head(rows: Sequence[Sequence[Segment]], column: Box) -> str:
    """The piece over a column in the nearest row that has one; a second line of the same head is put before it when
    it is near."""
    for row in rows:
        over = [segment for segment in row if horizontal_overlap(segment.box, column) > 0.05]
        if over:
            return max(over, key=lambda one: horizontal_overlap(one.box, column)).text
    return ""
