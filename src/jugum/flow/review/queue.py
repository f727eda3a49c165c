"""The queue of held papers, and where a reviewer goes from one."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from jugum.core.states import DocumentState, Purpose
from jugum.core.thresholds.effort import seconds_a_field
from jugum.flow.label.desk_parts import PRESENCE_SECONDS
from jugum.flow.office.actor import Actor
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, Person

PACE_FIELDS = 500  # settled fields that the pace of reviewing is told from


@dataclass(frozen=True)
class QueueRow:
    """A held paper: how many fields, for which reasons, how long it has waited, who has it open."""

    id: int
    name: str
    received_at: datetime
    held: int
    reasons: dict[str, int]
    fields: list[str]
    opened_by: str | None


@dataclass(frozen=True)
class QueueView:
    rows: list[QueueRow]
    papers: int
    held: int
    oldest: datetime | None
    seconds_a_field: float | None
    settled_fields: int


def queue(store: Store, actor: Actor, type_id: int, *, reason: str | None = None, limit: int = 200) -> QueueView:
    """Held papers, the longest waiting first."""
    with store.session() as session:
        query = (
            select(Hold, Document, Field.name)
            .join(Document, Hold.document_id == Document.id)
            .join(Field, Hold.field_id == Field.id)
            .where(Document.type_id == type_id, Document.state == DocumentState.HELD, Hold.settled_at.is_(None))
            .order_by(Document.received_at, Document.id, Field.position)
        )
        names = dict(session.execute(select(Person.id, Person.name)).all())
        grouped: dict[int, tuple[Document, list[Hold], list[str]]] = {}
        for hold, document, name in session.execute(query):
            _, holds, fields = grouped.setdefault(document.id, (document, [], []))
            holds.append(hold)
            fields.append(name)
        rows = [_queue_row(actor, names, *group) for group in grouped.values()]
        rows = [row for row in rows if reason is None or reason in row.reasons]
        pace, settled = _pace(session, type_id)
        return QueueView(
            rows[:limit], len(rows), sum(row.held for row in rows), rows[0].received_at if rows else None, pace, settled
        )


def _queue_row(
    actor: Actor, names: dict[int, str], document: Document, holds: list[Hold], fields: list[str]
) -> QueueRow:
    reasons: dict[str, int] = {}
    for hold in holds:
        reasons[hold.reason] = reasons.get(hold.reason, 0) + 1
    opened = document.opened_at and datetime.now(UTC) - document.opened_at < timedelta(seconds=PRESENCE_SECONDS)
    other = names.get(document.opened_by) if opened and document.opened_by not in (None, actor.id) else None
    return QueueRow(document.id, document.name, document.received_at, len(holds), reasons, fields, other)


def _pace(session: Session, type_id: int) -> tuple[float | None, int]:
    """Median seconds a reviewer takes a field, from the last 500 settled ones, and how many these are."""
    rows = session.execute(
        select(Hold.settled_by, Hold.settled_at)
        .join(Document)
        .where(Document.type_id == type_id, Hold.settled_at.is_not(None))
        .order_by(Hold.settled_at.desc())
        .limit(PACE_FIELDS)
    ).all()
    return seconds_a_field([(by, at.timestamp()) for by, at in rows if at is not None]), len(rows)


@dataclass(frozen=True)
class Neighbours:
    """Papers around one on the desk: the one this person settled last, the next held paper that nobody else has
    open, and how many are held besides."""

    before: int | None
    after: int | None
    left: int


def _free(actor: Actor) -> ColumnElement[bool]:
    """Papers that nobody else has open."""
    recent = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
    return ~func.coalesce((Document.opened_at > recent) & (Document.opened_by != actor.id), False)


def _held(type_id: int | None) -> ColumnElement[bool]:
    return (Document.type_id == type_id) & (Document.purpose == Purpose.LIVE) & (Document.state == DocumentState.HELD)


def neighbours(session: Session, actor: Actor, document: Document) -> Neighbours:
    """One query: held papers are taken in order of their ids after this one, then from the first again."""
    held = _held(document.type_id) & (Document.id != document.id)
    settled = (
        select(Document.id)
        .where(
            Document.type_id == document.type_id,
            Document.settled_by == actor.id,
            Document.state == DocumentState.SETTLED,
            Document.id != document.id,
        )
        .order_by(Document.settled_at.desc())
        .limit(1)
        .scalar_subquery()
    )
    free = select(Document.id).where(held, _free(actor)).order_by(Document.received_at, Document.id)
    later = free.where(Document.id > document.id).limit(1).scalar_subquery()
    count = select(func.count(Document.id)).where(held).scalar_subquery()
    before, after, left = session.execute(
        select(settled, func.coalesce(later, free.limit(1).scalar_subquery()), count)
    ).one()
    return Neighbours(before, after, left)


def first_held(store: Store, actor: Actor, type_id: int) -> int | None:
    """The held paper that has waited longest and that nobody else has open."""
    with store.session() as session:
        return session.scalar(
            select(Document.id).where(_held(type_id), _free(actor)).order_by(Document.received_at, Document.id).limit(1)
        )
