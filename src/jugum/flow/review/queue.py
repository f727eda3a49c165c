"""The queue of papers that wait for a reviewer, held or drawn to be checked, and where they go from one."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason
from jugum.core.states import CHECKED_STATES, DocumentState, Purpose
from jugum.core.thresholds.effort import seconds_a_field
from jugum.flow.label.desk_parts import PRESENCE_SECONDS
from jugum.flow.office.actor import Actor
from jugum.flow.worked_on import waits_for_check
from jugum.store import Store
from jugum.store.models import CheckedValue, Document, Field, Hold, Person

PACE_FIELDS = 500  # settled fields that the pace of reviewing is told from


@dataclass(frozen=True)
class QueueRow:
    """A paper that waits: with how many fields, for which reasons, how long it has waited, who has it open. One with a
    spot check may be done all the same, as its `state` says."""

    id: int
    name: str
    received_at: datetime
    held: int
    reasons: dict[str, int]
    fields: list[str]
    opened_by: str | None
    state: str


@dataclass(frozen=True)
class QueueView:
    """Papers that wait, the held ones first: `papers` with `held` fields in all, of which `checks` papers, with
    `to_check` fields, wait for nothing but a spot check."""

    rows: list[QueueRow]
    papers: int
    held: int
    checks: int
    to_check: int
    oldest: datetime | None
    seconds_a_field: float | None
    settled_fields: int


def queue(store: Store, actor: Actor, type_id: int, *, reason: str | None = None, limit: int = 200) -> QueueView:
    """Papers that wait for a person, the longest waiting first; spot checks, which delay nothing, come last."""
    with store.session() as session:
        names = dict(session.execute(select(Person.id, Person.name)).all())
        waiting: dict[int, tuple[Document, dict[str, list[str]]]] = {}
        for document, why, name in [*_holds(session, type_id), *_checks(session, type_id)]:
            waiting.setdefault(document.id, (document, {}))[1].setdefault(why, []).append(name)
        rows = [_queue_row(actor, names, *its) for its in waiting.values()]
        rows = [row for row in rows if reason is None or reason in row.reasons]
        pace, settled = _pace(session, type_id)
        checks = [row for row in rows if set(row.reasons) == {HoldReason.SPOT_CHECK.value}]
        return QueueView(
            rows[:limit],
            len(rows),
            sum(row.held for row in rows),
            len(checks),
            sum(row.held for row in checks),
            min((row.received_at for row in rows), default=None),
            pace,
            settled,
        )


def _holds(session: Session, type_id: int) -> Iterable[tuple[Document, str, str]]:
    """Held papers, each hold with its reason and the name of its field."""
    query = (
        select(Document, Hold.reason, Field.name)
        .join(Hold, Hold.document_id == Document.id)
        .join(Field, Hold.field_id == Field.id)
        .where(Document.type_id == type_id, Document.state == DocumentState.HELD, Hold.settled_at.is_(None))
        .order_by(Document.received_at, Document.id, Field.position)
    )
    return [(document, why, name) for document, why, name in session.execute(query)]


def _checks(session: Session, type_id: int) -> Iterable[tuple[Document, str, str]]:
    """Papers with a spot check that is not done, each value that is asked for with the name of its field."""
    query = (
        select(Document, Field.name)
        .join(CheckedValue, CheckedValue.document_id == Document.id)
        .join(Field, CheckedValue.field_id == Field.id)
        .where(Document.type_id == type_id, Document.state.in_(CHECKED_STATES), CheckedValue.is_right.is_(None))
        .order_by(Document.received_at, Document.id, Field.position)
    )
    return [(document, HoldReason.SPOT_CHECK.value, name) for document, name in session.execute(query)]


def _queue_row(actor: Actor, names: dict[int, str], document: Document, waiting: dict[str, list[str]]) -> QueueRow:
    opened = document.opened_at and datetime.now(UTC) - document.opened_at < timedelta(seconds=PRESENCE_SECONDS)
    other = names.get(document.opened_by) if opened and document.opened_by not in (None, actor.id) else None
    fields = [name for its in waiting.values() for name in its]
    reasons = {why: len(its) for why, its in waiting.items()}
    return QueueRow(
        document.id, document.name, document.received_at, len(fields), reasons, fields, other, document.state
    )


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
    """Papers around one on the desk: the one this person settled last, the next one that waits and that nobody else has
    open, and how many wait besides."""

    before: int | None
    after: int | None
    left: int


def _free(actor: Actor) -> ColumnElement[bool]:
    """Papers that nobody else has open."""
    recent = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
    return ~func.coalesce((Document.opened_at > recent) & (Document.opened_by != actor.id), False)


def _waits(type_id: int | None) -> ColumnElement[bool]:
    """Papers that are held, or have values that are still to be checked."""
    check = Document.state.in_(CHECKED_STATES) & waits_for_check(Document.id)
    waits = (Document.state == DocumentState.HELD) | check
    return (Document.type_id == type_id) & (Document.purpose == Purpose.LIVE) & waits


_IN_ORDER = (Document.state != DocumentState.HELD, Document.received_at, Document.id)  # held ones first


def neighbours(session: Session, actor: Actor, document: Document) -> Neighbours:
    """One query: papers that wait are taken in order of their ids after this one, then from the first again; held ones
    before those that are only checked."""
    waits = _waits(document.type_id) & (Document.id != document.id)
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
    free = select(Document.id).where(waits, _free(actor)).order_by(*_IN_ORDER)
    later = free.where(Document.id > document.id).limit(1).scalar_subquery()
    count = select(func.count(Document.id)).where(waits).scalar_subquery()
    before, after, left = session.execute(
        select(settled, func.coalesce(later, free.limit(1).scalar_subquery()), count)
    ).one()
    return Neighbours(before, after, left)


def first_waiting(store: Store, actor: Actor, type_id: int) -> int | None:
    """The paper that has waited longest and that nobody else has open; held ones first."""
    with store.session() as session:
        return session.scalar(select(Document.id).where(_waits(type_id), _free(actor)).order_by(*_IN_ORDER).limit(1))
