"""The queue of papers that wait for a reviewer, held or drawn to be checked, and where they go from one."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, CompoundSelect, false, func, literal, select, text, true, union_all
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason
from jugum.core.states import DocumentState
from jugum.core.thresholds.effort import effort_of, seconds_a_field, visits_of
from jugum.errors import InputError
from jugum.flow.label.desk_parts import PRESENCE_SECONDS
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import REVIEW, WEIGH, Actor, record
from jugum.flow.office.people import reviewers
from jugum.flow.office.types import type_row
from jugum.flow.review.aside import reasons_of
from jugum.flow.review.waiting import (
    DOWNWARDS,
    ROWS_A_PAGE,
    QueueChoice,
    QueueWanted,
    choices,
    due_after,
    in_order,
    narrowed,
    page_of,
    waits,
)
from jugum.flow.weigh.life import settled_in
from jugum.store import Store
from jugum.store.models import CheckedValue, Document, DocumentType, Field, Hold, Person

HOURS_MOST = 10_000.0
PACE_FIELDS = 500  # settled fields that the pace of reviewing is told from


@dataclass(frozen=True)
class QueueRow:
    """A paper that waits: with how many fields, for which reasons, since when and until when it should be settled
    (`due`; None where no time is set), who has it open and whom it was given to. One with a spot check may be done all
    the same, as its `state` says."""

    id: int
    name: str
    received_at: datetime
    held: int
    reasons: dict[str, int]
    fields: list[str]
    opened_by: str | None
    state: str
    due: datetime | None = None
    is_late: bool = False
    priority: int = 0
    assigned_to: str | None = None


@dataclass(frozen=True)
class QueueView:
    """Papers that wait, the held ones first, a page of them: `papers` with `held` fields in all, of which `checks`
    papers, with `to_check` fields, wait for nothing but a spot check, and `late` are past their time. `choices` are
    what it can be narrowed to, `next` the place of the page after this one (empty on the last), `minutes` what looking
    at all of it takes (None while nothing waits)."""

    wanted: QueueWanted
    rows: list[QueueRow]
    papers: int
    held: int
    checks: int
    to_check: int
    late: int
    oldest: datetime | None
    seconds_a_field: float | None
    settled_fields: int
    minutes: float | None
    review_hours: float | None
    aside_reasons: list[str]
    choices: dict[str, list[QueueChoice]]
    next: str


def queue(
    store: Store, actor: Actor, type_id: int, wanted: QueueWanted = QueueWanted(), limit: int = ROWS_A_PAGE
) -> QueueView:
    """A page of the papers that wait for a person. InputError for what can't be wanted."""
    wanted.check()
    now = datetime.now(UTC)
    with store.session() as session:
        row = type_row(session, type_id)
        conditions = tuple(narrowed(wanted, actor, row, now))
        documents, after = page_of(session, conditions, type_id, wanted, limit)
        totals = _totals(session, conditions, row, now)
        settled = settled_in(session, type_id)
        effort, lately = effort_of(visits_of(settled)), settled[:PACE_FIELDS]
        fields_ = totals.held + totals.to_check
        return QueueView(
            wanted,
            _rows(session, actor, documents, due_after(row), now),
            totals.papers,
            fields_,
            totals.checks,
            totals.to_check,
            totals.late,
            totals.oldest,
            seconds_a_field([(by, at) for by, _, at in lately]),
            len(lately),
            effort.minutes(papers=totals.papers, fields=fields_) if totals.papers else None,
            row.review_hours,
            reasons_of(row),
            choices(session, row),
            after,
        )


@dataclass(frozen=True)
class _Totals:
    """Papers that wait, held fields, papers that only wait for a check, values to be checked, late papers, and since
    when the first of them waits."""

    papers: int
    held: int
    checks: int
    to_check: int
    late: int
    oldest: datetime | None


def _totals(session: Session, conditions: Sequence[ColumnElement[bool]], row: DocumentType, now: datetime) -> _Totals:
    time = due_after(row)
    is_late = Document.received_at <= now - time if time is not None else false()
    is_held, only_checked = waits(row.id, only_checked=False), waits(row.id, only_checked=True)
    held = select(
        func.count().label("papers"),
        func.count().filter(is_late).label("late"),
        func.min(Document.received_at).label("oldest"),
    ).where(is_held, *conditions)
    checks = select(func.count().label("papers"), func.min(Document.received_at).label("oldest"))
    fields_ = select(func.count()).select_from(Hold).join(Document, Hold.document_id == Document.id)
    values = select(func.count()).select_from(CheckedValue).join(Document, CheckedValue.document_id == Document.id)
    of_held, of_checks = held.subquery(), checks.where(only_checked, *conditions).subquery()
    found: Any = session.execute(
        select(
            *of_held.c,
            *of_checks.c,
            fields_.where(Hold.settled_at.is_(None), is_held, *conditions).scalar_subquery(),
            values.where(CheckedValue.is_right.is_(None), waits(row.id), *conditions).scalar_subquery(),
        ).select_from(of_held.join(of_checks, true()))
    ).one()
    papers, late, oldest, more, first, waiting, to_check = found
    since = min((moment for moment in (oldest, first) if moment is not None), default=None)
    return _Totals(papers + more, waiting, more, to_check, late, since)


def _rows(
    session: Session, actor: Actor, documents: Sequence[Document], time: timedelta | None, now: datetime
) -> list[QueueRow]:
    """Papers as rows, with what waits on each."""
    waiting: dict[int, dict[str, list[str]]] = {document.id: {} for document in documents}
    for document_id, why, name, _ in session.execute(_waiting_fields(waiting)):
        waiting[document_id].setdefault(why, []).append(name)
    people = {person for document in documents for person in (document.opened_by, document.assigned_to)}
    names = dict(session.execute(select(Person.id, Person.name).where(Person.id.in_(people - {None}))).all())

    def as_row(document: Document) -> QueueRow:
        its = waiting[document.id]
        opened = document.opened_at and now - document.opened_at < timedelta(seconds=PRESENCE_SECONDS)
        other = names.get(document.opened_by) if opened and document.opened_by not in (None, actor.id) else None
        due = document.received_at + time if time is not None and document.state == DocumentState.HELD else None
        return QueueRow(
            document.id,
            document.name,
            document.received_at,
            sum(map(len, its.values())),
            {why: len(fields_) for why, fields_ in its.items()},
            [name for fields_ in its.values() for name in fields_],
            other,
            document.state,
            due,
            due is not None and due <= now,
            document.priority,
            names.get(document.assigned_to) if document.assigned_to else None,
        )

    return [as_row(document) for document in documents]


def _waiting_fields(documents: Collection[int]) -> CompoundSelect[int, str, str, int]:
    """What waits on some papers: the paper, the reason, the name of the field and its place in the plan. Open holds of
    held papers, and values of spot checks that are not done."""
    holds = (
        select(Hold.document_id, Hold.reason, Field.name, Field.position)
        .join(Field, Hold.field_id == Field.id)
        .join(Document, Hold.document_id == Document.id)
        .where(Hold.document_id.in_(documents), Document.state == DocumentState.HELD, Hold.settled_at.is_(None))
    )
    checks = (
        select(CheckedValue.document_id, literal(HoldReason.SPOT_CHECK.value), Field.name, Field.position)
        .join(Field, CheckedValue.field_id == Field.id)
        .where(CheckedValue.document_id.in_(documents), CheckedValue.is_right.is_(None))
    )
    return union_all(holds, checks).order_by(text("1, 4"))


@dataclass(frozen=True)
class Neighbours:
    """Papers around one on the desk: the one this person settled last, the next one that waits and that is nobody
    else's, and how many wait besides."""

    before: int | None
    after: int | None
    left: int


def is_free(actor: Actor) -> ColumnElement[bool]:
    """Papers that nobody else has open, and that were given to nobody else."""
    recent = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
    open_elsewhere = func.coalesce((Document.opened_at > recent) & (Document.opened_by != actor.id), False)
    return ~open_elsewhere & (func.coalesce(Document.assigned_to, actor.id) == actor.id)


def neighbours(session: Session, actor: Actor, document: Document) -> Neighbours:
    """One query: papers that wait are taken in order of their ids after this one, then from the first again; held ones
    before those that are only checked."""
    others = waits(document.type_id) & (Document.id != document.id)
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
    only_checked = Document.state != DocumentState.HELD
    free = select(Document.id).where(others, is_free(actor)).order_by(only_checked, *in_order("due"))
    later = free.where(Document.id > document.id).limit(1).scalar_subquery()
    count = select(func.count(Document.id)).where(others).scalar_subquery()
    before, after, left = session.execute(
        select(settled, func.coalesce(later, free.limit(1).scalar_subquery()), count)
    ).one()
    return Neighbours(before, after, left)


def claim_next(store: Store, actor: Actor, type_id: int, wanted: QueueWanted = QueueWanted()) -> int | None:
    """Hand a person the next paper of a queue, as it is narrowed and sorted, and note that they have it open: two
    people who ask at once get two papers. In the usual order those of the batch of the paper that they settled last
    come first, and then those given to them, after what was put first; none that was given to somebody else. None where
    nothing is left."""
    wanted.check()
    now = datetime.now(UTC)
    with store.session() as session:
        row = type_row(session, type_id)
        conditions = (is_free(actor), *narrowed(wanted, actor, row, now))
        document = next(
            (
                found
                for where in _turns(session, actor, type_id, wanted)
                if (found := _taken(session, where, conditions))
            ),
            None,
        )
        if document is None:
            return None
        document.opened_by, document.opened_at = actor.id, now
        return document.id


Turn = tuple[ColumnElement[bool], tuple[Any, ...]]


def _turns(session: Session, actor: Actor, type_id: int, wanted: QueueWanted) -> Iterator[Turn]:
    """Which papers are handed out before others, each by its order: each turn is asked for only when the one before is
    empty, and each but the first is in the order of an index."""
    held, order = waits(type_id, only_checked=False), in_order(wanted.sort)
    if wanted.sort in DOWNWARDS:
        order = tuple(column.desc() for column in order)
    if wanted.sort == "due":
        batch = session.scalar(
            select(Document.batch_id)
            .where(Document.type_id == type_id, Document.settled_by == actor.id)
            .order_by(Document.settled_at.desc())
            .limit(1)
        )
        of_batch, mine = Document.batch_id == batch, Document.assigned_to == actor.id
        nearest = (func.coalesce(~of_batch, True), func.coalesce(~mine, True))
        yield held & (Document.priority > 0), (order[0], *nearest, *order[1:])
        if batch is not None:
            yield held & of_batch, (nearest[1], *order)
        yield held & mine, order
    yield held, order
    yield waits(type_id, only_checked=True), order


def _taken(session: Session, turn: Turn, conditions: Sequence[ColumnElement[bool]]) -> Document | None:
    """The first paper of a turn that nobody else is taking, locked."""
    where, order = turn
    query = select(Document).where(where, *conditions).order_by(*order).limit(1)
    return session.scalar(query.with_for_update(skip_locked=True, of=Document))


def give(store: Store, actor: Actor, type_id: int, document_ids: Sequence[int], person_id: int | None) -> int:
    """Give papers of a type to a person who may review them, or (None) to nobody; returns how many."""
    actor.require(REVIEW)
    with store.session() as session:
        rows = _locked(session, type_id, document_ids)
        if person_id is not None:
            kind = type_row(session, type_id)
            if person_id not in {person.id for person in reviewers(session, kind)}:
                raise InputError(f"This person may not review papers of “{kind.name}”. Let them in first (People).")
        for document in rows:
            record(
                session, actor, Action.GIVE_PAPER, "document", document.id, before=document.assigned_to, to=person_id
            )
            document.assigned_to = person_id
        return len(rows)


def _locked(session: Session, type_id: int, document_ids: Sequence[int]) -> Sequence[Document]:
    """Papers of a type that wait, locked; others are left out."""
    return session.scalars(
        select(Document)
        .where(Document.id.in_(document_ids), waits(type_id))
        .order_by(Document.id)
        .with_for_update(of=Document)
    ).all()


def put_first(store: Store, actor: Actor, type_id: int, document_ids: Sequence[int], *, first: bool) -> int:
    """Papers that come first in the queue, or as they came in again; returns how many."""
    actor.require(REVIEW)
    with store.session() as session:
        rows = _locked(session, type_id, document_ids)
        for document in rows:
            record(session, actor, Action.PUT_FIRST, "document", document.id, first=first)
            document.priority = int(first)
        return len(rows)


def set_review_hours(store: Store, actor: Actor, type_id: int, hours: float | None) -> None:
    """Within how many hours a type's papers are to be settled; None: no time is set."""
    actor.require(WEIGH)
    if hours is not None and not 0 < hours <= HOURS_MOST:
        raise InputError(f"Papers can be due within more than 0 and at most {HOURS_MOST:,.0f} hours.")
    with store.session() as session:
        row = type_row(session, type_id)
        record(session, actor, Action.SET_REVIEW_HOURS, "document_type", type_id, before=row.review_hours, hours=hours)
        row.review_hours = hours


@dataclass(frozen=True)
class ReviewerView:
    """A person to whom papers of a type can be given."""

    id: int
    name: str


def reviewers_of(store: Store, type_id: int) -> list[ReviewerView]:
    """Who may review papers of a type, by name."""
    with store.session() as session:
        return [ReviewerView(person.id, person.name) for person in reviewers(session, type_row(session, type_id))]
