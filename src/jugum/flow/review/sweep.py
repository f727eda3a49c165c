"""The sweep: one field over many papers, as rows of a picture and a value, like beside like."""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import ColumnElement, func, select, union, update
from sqlalchemy.orm import Session

from jugum.core.schema import FieldKind, HoldReason
from jugum.core.states import DocumentState
from jugum.core.thresholds.alike import Alike, SweptValue, alike_groups
from jugum.errors import InputError, NotFound
from jugum.flow.label.desk_parts import must_see_type
from jugum.flow.office.actor import REVIEW, Actor
from jugum.flow.office.types import type_row
from jugum.flow.review.desk import ReviewField, people_named, review_field, said_blind
from jugum.flow.review.queue import is_free
from jugum.flow.review.records import records_of
from jugum.flow.review.waiting import QueueWanted, narrowed, waits
from jugum.flow.weigh.life import effort_in
from jugum.store import Store
from jugum.store.models import (
    CheckedValue,
    Document,
    DocumentType,
    Field,
    Hold,
    LayoutGroup,
    Policy,
    Reading,
    Result,
    SpotCheck,
)

ROWS_MOST = 100  # that are taken at once
NEAR_SIZE = (0.5, 0.09)  # of a page's width and height: what is shown of it where a value is to be said unseen


@dataclass(frozen=True)
class SweepField:
    """A field that can be swept, and how many papers wait for it."""

    key: str
    name: str
    papers: int


@dataclass(frozen=True)
class SweepGroup:
    """Papers whose values have something in common (`alike`): `said` is the value or the layout."""

    alike: str
    said: str
    papers: list[int]


@dataclass(frozen=True)
class SweepView:
    """What waits of one field (`key`, empty where none can be swept), in the order of looking over; `minutes` is what
    that takes a person at a desk. `fields` are those that wait."""

    wanted: QueueWanted
    fields: list[SweepField]
    key: str
    name: str
    data_type: str
    groups: list[SweepGroup]
    papers: int
    minutes: float


@dataclass(frozen=True)
class SweepRow:
    """A paper of a sweep: its field as at the desk. `layout` is empty where the paper is like none that is known; an
    `unseen` value is to be said before what passed is shown: `near` is then a part of a page (left, top, right, bottom
    in fractions) somewhere in which it stands, where the program found it."""

    document: int
    name: str
    revision: int
    layout: str
    unseen: bool
    near: tuple[int, list[float]] | None
    field: ReviewField


def sweep(store: Store, actor: Actor, type_id: int, wanted: QueueWanted) -> SweepView:
    """What can be swept of a queue as it is narrowed: its field, or else the one that most papers wait for. InputError
    for a field that can't be."""
    actor.require(REVIEW)
    wanted.check()
    with store.session() as session:
        kind = type_row(session, type_id)
        must_see_type(actor, kind)
        rows = {row.key: row for row in kind.fields if _can_be_swept(row)}
        if wanted.field and wanted.field not in rows:
            raise InputError(f"“{wanted.field}” can't be swept: only fields with one value a paper can.")
        now = datetime.now(UTC)
        others = QueueWanted(**{**wanted.asked(), "field": ""})
        free = (waits(type_id), is_free(actor), *narrowed(others, actor, kind, now))
        waiting = _waiting(session, free, wanted)
        fields = [
            SweepField(key, row.name, waiting.get(row.id, 0))
            for key, row in rows.items()
            if row.id in waiting or key == wanted.field
        ]
        chosen = wanted.field or max(fields, key=lambda field: field.papers, default=SweepField("", "", 0)).key
        if not chosen:
            return SweepView(wanted, fields, "", "", "", [], 0, 0.0)
        layouts, values = _layouts(session, kind), _swept(session, rows[chosen], free, wanted)
        groups = [
            SweepGroup(group.alike, group.value or layouts.get(group.layout, ""), list(group.papers))
            for group in alike_groups(values)
        ]
        count = len(values)
        minutes = effort_in(session, type_id).minutes(papers=0, fields=count)
        return SweepView(wanted, fields, chosen, rows[chosen].name, rows[chosen].data_type, groups, count, minutes)


def _can_be_swept(row: Field) -> bool:
    return row.kind == FieldKind.VALUE and not row.many and not row.inside


def _layouts(session: Session, kind: DocumentType) -> dict[object, str]:
    rows = session.execute(select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == kind.id))
    return {number: name for number, name in rows}


def _waiting(session: Session, free: Sequence[ColumnElement[bool]], wanted: QueueWanted) -> dict[int, int]:
    """How many papers wait for each field, by its id."""
    of = (Hold.document_id == Document.id) & Hold.settled_at.is_(None)
    held = select(Hold.field_id, Document.id).join(Document, of).where(*free, Document.state == DocumentState.HELD)
    if wanted.reason:
        held = held.where(Hold.reason == wanted.reason)
    of = (CheckedValue.document_id == Document.id) & CheckedValue.is_right.is_(None)
    checked = select(CheckedValue.field_id, Document.id).join(Document, of).where(*free)
    parts = (
        [held] if wanted.reason not in ("", HoldReason.SPOT_CHECK) else [checked] if wanted.reason else [held, checked]
    )
    together = union(*parts).subquery()
    field, _ = together.c
    return {number: count for number, count in session.execute(select(field, func.count()).group_by(field))}


def _swept(session: Session, row: Field, free: Sequence[ColumnElement[bool]], wanted: QueueWanted) -> list[SweptValue]:
    """What waits of a field, held or to be checked, with what was read of it."""
    read = (Reading.document_id == Document.id) & (Reading.field_id == row.id) & (Reading.position == 0)
    known = (Document.id, Document.drafted_layout_id, Reading.normal, Reading.text, Reading.confidence)
    held = (
        select(*known, Hold.reason)
        .join(Hold, (Hold.document_id == Document.id) & (Hold.field_id == row.id) & Hold.settled_at.is_(None))
        .outerjoin(Reading, read)
        .where(*free, Document.state == DocumentState.HELD)
    )
    checked = (
        select(*known, SpotCheck.blind)
        .join(CheckedValue, (CheckedValue.document_id == Document.id) & (CheckedValue.field_id == row.id))
        .join(SpotCheck, CheckedValue.spot_check_id == SpotCheck.id)
        .outerjoin(Reading, read)
        .where(*free, CheckedValue.is_right.is_(None))
    )
    found: dict[int, SweptValue] = {}
    if wanted.reason != HoldReason.SPOT_CHECK:
        query = held.where(Hold.reason == wanted.reason) if wanted.reason else held
        for document, layout, normal, text, confidence, reason in session.execute(query):
            doubted = reason == HoldReason.FAILS_A_CHECK or bool(text and not normal)
            found[document] = SweptValue(document, normal or "", layout, confidence, doubted)
    if wanted.reason in ("", HoldReason.SPOT_CHECK):
        for document, layout, normal, _, confidence, blind in session.execute(checked):
            found.setdefault(document, SweptValue(document, normal or "", layout, confidence, unseen=blind))
    return list(found.values())


def take(store: Store, actor: Actor, type_id: int, key: str, documents: Sequence[int]) -> list[SweepRow]:
    """Papers of a sweep for one person, in the order they are asked in: nobody else is handed them while they are kept
    (see `keep`). Those that somebody else has by now, or that do not wait any more, are left out."""
    actor.require(REVIEW)
    _few(documents)
    with store.session() as session:
        kind = type_row(session, type_id)
        must_see_type(actor, kind)
        row = next((row for row in kind.fields if row.key == key and _can_be_swept(row)), None)
        if row is None:
            raise NotFound(f"“{kind.name}” has no field “{key}” that can be swept.")
        papers = session.scalars(
            select(Document)
            .where(Document.id.in_(documents), waits(type_id), is_free(actor))
            .order_by(Document.id)
            .with_for_update(skip_locked=True, of=Document)
        ).all()
        for paper in papers:
            paper.opened_by, paper.opened_at = actor.id, datetime.now(UTC)
        return _rows(session, kind, row, papers, documents)


def _rows(
    session: Session, kind: DocumentType, row: Field, papers: Sequence[Document], order: Sequence[int]
) -> list[SweepRow]:
    records = records_of(session, papers, [row.id])
    layouts = _layouts(session, kind)
    policies: Mapping[int, Policy] = {
        policy.id: policy
        for policy in session.scalars(select(Policy).where(Policy.id.in_({paper.policy_id for paper in papers})))
    }
    names = people_named(session, records.values())
    place = {document: number for number, document in enumerate(order)}
    found = []
    for paper in sorted(papers, key=lambda paper: place[paper.id]):
        its = records[paper.id]
        if its.held(row) is None:
            continue
        unseen = its.is_unseen(row)
        near = _near(its.standing(row), paper.id) if unseen else None
        field = review_field(
            its,
            row,
            policies.get(paper.policy_id or 0),
            names,
            said_blind(session, its),
            hidden=unseen,
        )
        found.append(
            SweepRow(
                paper.id, paper.name, paper.revision, layouts.get(paper.drafted_layout_id, ""), unseen, near, field
            )
        )
    return found


def _near(values: Sequence[Reading | Result], paper: int) -> tuple[int, list[float]] | None:
    """A part of a page in which a value stands, now here and now there in it, so that its place gives nothing away."""
    placed = next((value for value in values if value.page and value.box), None)
    if placed is None or placed.page is None or placed.box is None:
        return None
    chance = random.Random(paper)
    sides = []
    for low, high, length in zip(placed.box[:2], placed.box[2:], NEAR_SIZE, strict=True):
        room = max(length, high - low + 0.02) - (high - low)
        start = min(max(0.0, low - room * chance.uniform(0.1, 0.9)), max(0.0, 1 - room - (high - low)))
        sides.append((round(start, 4), round(min(1.0, start + room + high - low), 4)))
    (x0, x1), (y0, y1) = sides
    return placed.page, [x0, y0, x1, y1]


def keep(store: Store, actor: Actor, type_id: int, documents: Sequence[int], *, release: bool = False) -> int:
    """Papers that a person has taken stay theirs for a while more, or (`release`) are free again; how many."""
    _few(documents)
    with store.session() as session:
        changed = session.execute(
            update(Document)
            .where(Document.id.in_(documents), Document.type_id == type_id, Document.opened_by == actor.id)
            .values(opened_by=None if release else actor.id, opened_at=None if release else datetime.now(UTC))
            .returning(Document.id)
        ).all()
        return len(changed)


def _few(documents: Sequence[int]) -> None:
    if len(documents) > ROWS_MOST:
        raise InputError(f"At most {ROWS_MOST} papers are taken at once.")


__all__ = ["ROWS_MOST", "Alike", "SweepField", "SweepGroup", "SweepRow", "SweepView", "keep", "sweep", "take"]
