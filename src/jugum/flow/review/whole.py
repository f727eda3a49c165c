"""A paper that a person has seen as a whole: what passed on it is a label too, since somebody looked at it."""

from __future__ import annotations

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from jugum.core.states import Method
from jugum.flow.label.desk_parts import ValueView
from jugum.flow.label.rows import CellInput, write_table, write_values
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import REVIEW, Actor, record
from jugum.flow.review.checking import all_right
from jugum.flow.review.recheck import Settled, standing_now
from jugum.flow.review.records import PaperRecords, open_records
from jugum.store import Store
from jugum.store.models import Field, Label, Result


def see_whole(
    store: Store, actor: Actor, document_id: int, *, seen: bool = True, revision: int | None = None
) -> Settled:
    """Say that a person has seen a whole live paper, held or done, or take it back. The fields that passed become
    labels as they stand, absent ones too, and are right where they were drawn to be checked; held ones become labels
    when they are settled."""
    actor.require(REVIEW)
    with store.session() as session, session.no_autoflush:
        records = open_records(session, actor, document_id, revision)
        document = records.document
        if seen:
            document.seen_by = actor.id
            # What a person said is labelled already, "not on this paper" too, which leaves nothing else behind.
            labelled = set(session.scalars(select(Label.field_id).where(Label.document_id == document_id)))
            for row in records.fields:
                passed = "." not in row.key and row.kind != "derived" and row.id not in records.holds
                if passed and not labelled & {row.id, *(column.id for column in records.columns(row))}:
                    _label_as_it_stands(session, actor, records, row)
            all_right(session, records, actor.id)
        else:
            document.seen_by = None
            session.execute(delete(Label).where(Label.document_id == document_id, Label.method == Method.SEEN))
        document.revision += 1
        record(session, actor, Action.SEE_WHOLE if seen else Action.TAKE_BACK_SEEN, "document", document_id)
        return standing_now(session, records, actor)


def _label_as_it_stands(session: Session, actor: Actor, records: PaperRecords, row: Field) -> None:
    """A label of what passed."""
    document = records.document
    if row.kind != "table":
        values = [_value(result) for result in records.results.get(row.id, [])]
        write_values(session, actor.id, document, row, values, absent=not values, method=Method.SEEN)
        return
    rows: dict[int, dict[str, CellInput]] = {}
    for column in records.columns(row):
        for result in records.results.get(column.id, []):
            place = (result.page, _sides(result)) if result.page is not None else (None, None)
            rows.setdefault(result.position, {})[column.key] = CellInput(result.text, *place)
    write_table(session, actor, document, row, [rows[position] for position in sorted(rows)], method=Method.SEEN)


def _value(result: Result) -> ValueView:
    return ValueView(result.text, result.normal, result.page, result.box)


def _sides(result: Result) -> tuple[float, float, float, float] | None:
    if result.box is None:
        return None
    left, top, right, bottom = result.box
    return left, top, right, bottom
