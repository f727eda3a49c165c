"""Fields that are taken out of a plan are kept with everything said of them (labels, readings, holds, results), and
come back with it when the plan has the field again. Retention and the deletion of a paper end what is kept."""

from __future__ import annotations

from collections.abc import Collection
from datetime import UTC, datetime

from sqlalchemy import func, literal, literal_column, select, text
from sqlalchemy import insert as insert_into
from sqlalchemy.orm import Session

from jugum.core.schema import FieldPlan
from jugum.core.states import By, DocumentState
from jugum.flow.office.actor import Actor
from jugum.flow.states import change_state
from jugum.store.models import (
    Base,
    BlindLabel,
    CheckedValue,
    ControlSuggestion,
    Document,
    Field,
    Hold,
    KeptLabel,
    Label,
    PastRecord,
    Reading,
    RemovedField,
    RemovedRow,
    Result,
)

# Whose rows say something of a field on a paper.
TABLES = (Label, BlindLabel, ControlSuggestion, PastRecord, KeptLabel, Reading, Hold, Result, CheckedValue)
# An open hold comes back where a person can still look.
OPEN_TO_HOLDS = (DocumentState.HELD, DocumentState.PASSED, DocumentState.SETTLED)


def keep(session: Session, actor: Actor, row: Field) -> None:
    """Put a field and its rows away; the caller deletes it. The field must not have unwritten changes. From here on
    nothing new can be said of it: what came after the copy would be lost."""
    session.execute(select(Field.id).where(Field.id == row.id).with_for_update())
    whole = select(func.to_jsonb(literal_column("field"))).where(Field.id == row.id)
    removed = RemovedField(
        type_id=row.type_id,
        key=row.key,
        kind=row.kind,
        personal=row.personal,
        data=session.scalar(whole),
        removed_by=actor.id,
    )
    session.add(removed)
    session.flush()
    for table in TABLES:
        name = table.__tablename__
        rows = select(literal(removed.id), table.document_id, literal(name), func.to_jsonb(literal_column(name))).where(
            table.field_id == row.id
        )
        into = ["removed_field_id", "document_id", "table_name", "data"]
        session.execute(insert_into(RemovedRow).from_select(into, rows))


def settle_what_waits_for_nothing(session: Session, actor: Actor, held: Collection[int]) -> None:
    """Of papers that were held, those whose last held field was just removed are settled by who removed it."""
    still = select(Hold.id).where(Hold.document_id == Document.id, Hold.settled_at.is_(None)).exists()
    ids = session.scalars(select(Document.id).where(Document.id.in_(held), ~still)).all()
    for document in session.scalars(select(Document).where(Document.id.in_(ids)).with_for_update()):
        change_state(document, DocumentState.SETTLED, By.PERSON)
        document.settled_at, document.settled_by = datetime.now(UTC), actor.id
        document.opened_by = document.opened_at = None
        document.revision += 1


def held_for(session: Session, field_ids: Collection[int]) -> set[int]:
    """Ids of papers in review that are held for one of the fields."""
    its = select(Hold.document_id).where(Hold.field_id.in_(field_ids), Hold.settled_at.is_(None))
    return set(session.scalars(select(Document.id).where(Document.id.in_(its), Document.state == DocumentState.HELD)))


def held_for_others(session: Session, field_ids: Collection[int]) -> set[int]:
    """Ids of papers that are held for another field than these, of those that are held for these, too."""
    its = select(Hold.document_id).where(Hold.field_id.in_(field_ids), Hold.settled_at.is_(None))
    others = Hold.document_id.in_(its), Hold.field_id.not_in(field_ids), Hold.settled_at.is_(None)
    return set(session.scalars(select(Hold.document_id).where(*others)))


def bring_back(session: Session, type_id: int, one: FieldPlan) -> Field | None:
    """The field that was last removed under a key, with its rows on papers that are still of the type; None when none
    was, or when it was of another kind. Papers with an open hold for it are held again."""
    removed = session.scalar(
        select(RemovedField)
        .where(RemovedField.type_id == type_id, RemovedField.key == one.key, RemovedField.kind == one.kind)
        .where(RemovedField.data.has_key("id"))
        .order_by(RemovedField.id.desc())
        .limit(1)
    )
    if removed is None:
        return None
    _insert(session, removed, Field.__tablename__, "SELECT data FROM removed_field WHERE id = :removed")
    for table in TABLES:
        _insert(session, removed, table.__tablename__, _taken_out(table))
    session.flush()
    field = session.get_one(Field, removed.data["id"])
    _hold_again(session, field)
    if session.scalar(select(RemovedRow.id).where(RemovedRow.removed_field_id == removed.id).limit(1)) is None:
        session.delete(removed)
    else:
        removed.data = {}  # what is left is of papers that are no longer of the type, or gone out
    return field


def _taken_out(table: type[Base]) -> str:
    """Rows of a table that come back, taken out of where they are kept."""
    its = "removed_field_id = :removed AND table_name = :table"
    papers = "SELECT id FROM document WHERE type_id = :type"
    if table is Hold:
        states = ", ".join(f"'{state.value}'" for state in OPEN_TO_HOLDS)
        its += f" AND (data->>'settled_at' IS NOT NULL OR document_id IN ({papers} AND state IN ({states})))"
    return f"DELETE FROM removed_row WHERE {its} AND document_id IN ({papers}) RETURNING data"


def _insert(session: Session, removed: RemovedField, table: str, rows: str) -> None:
    """Insert rows that were put away as JSON; columns that the table got since take their defaults."""
    named = "SELECT DISTINCT column_name FROM information_schema.columns WHERE table_name = :table"
    kept = "SELECT data FROM removed_row WHERE removed_field_id = :removed AND table_name = :table LIMIT 1"
    values = {"removed": removed.id, "table": table, "type": removed.type_id}
    first = removed.data if table == Field.__tablename__ else session.execute(text(kept), values).scalar()
    if first is None:
        return
    columns = ", ".join(f'"{name}"' for name in session.scalars(text(named), values) if name in first)
    session.execute(
        text(
            f"WITH kept AS ({rows}) INSERT INTO {table} ({columns}) SELECT {columns} "
            f"FROM kept, jsonb_populate_record(NULL::{table}, kept.data)"
        ),
        values,
    )


def _hold_again(session: Session, field: Field) -> None:
    waiting = select(Hold.document_id).where(Hold.field_id == field.id, Hold.settled_at.is_(None))
    for document in session.scalars(select(Document).where(Document.id.in_(waiting)).with_for_update()):
        change_state(document, DocumentState.HELD, By.PERSON)
        document.settled_at = document.settled_by = None
        document.revision += 1
