"""Routing anew what was drafted: after a policy was published, papers that wait are held or pass by what was kept of
them. No model is run and no page is opened."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import replace

from sqlalchemy import ColumnElement, and_, or_, select
from sqlalchemy.orm import Session

from jugum.core.extraction.found import EngineName, Found
from jugum.core.page import Box
from jugum.core.schema import FieldKind, Plan
from jugum.core.states import DocumentState, Purpose
from jugum.core.thresholds import DraftedField, route
from jugum.flow.in_force import current_policy, in_force_now
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import record
from jugum.flow.plan.fields import plan_of
from jugum.flow.review.draft import keep_routing
from jugum.flow.review.records import context_of
from jugum.flow.worked_on import worked_on
from jugum.store import Store
from jugum.store.models import Document, Policy, Reading

AT_ONCE = 50  # papers a transaction: none is locked for longer than it takes to write some


def route_again(store: Store, type_id: int) -> int:
    """Route the held papers of a type on which no person has worked by the policy in force, and those that passed by
    one that is suspended and are not delivered; returns how many. Papers that are still to be drafted meet that policy
    then."""
    with store.session() as session:
        waiting = session.scalars(
            select(Document.id)
            .where(
                Document.type_id == type_id,
                Document.purpose == Purpose.LIVE,
                _waits(),
            )
            .order_by(Document.id)
        ).all()
    count = 0
    for first in range(0, len(waiting), AT_ONCE):
        with store.session() as session:
            count += _route_some(session, type_id, waiting[first : first + AT_ONCE])
    return count


def _waits() -> ColumnElement[bool]:
    """Papers nobody has begun that are held, or that passed by a policy that is suspended now."""
    suspended = select(Policy.id).where(Policy.suspended)
    passed = and_(Document.state == DocumentState.PASSED, Document.policy_id.in_(suspended))
    return and_(or_(Document.state == DocumentState.HELD, passed), ~worked_on(Document.id))


def _route_some(session: Session, type_id: int, document_ids: Sequence[int]) -> int:
    """Some papers, locked, of which those are left alone that are not as they were when they were listed."""
    policy = current_policy(session, type_id)
    documents = session.scalars(
        select(Document).where(Document.id.in_(document_ids), _waits()).order_by(Document.id).with_for_update()
    ).all()
    readings: dict[int, list[Reading]] = defaultdict(list)
    for reading in session.scalars(
        select(Reading).where(Reading.document_id.in_([document.id for document in documents])).order_by(Reading.id)
    ):
        readings[reading.document_id].append(reading)
    for document in documents:
        if document.type_id == type_id and readings[document.id]:
            route_document(session, document, readings[document.id], policy)
    return len(documents)


def route_document(session: Session, document: Document, readings: Sequence[Reading], policy: Policy | None) -> None:
    """Hold and pass the fields of a drafted paper by a policy."""
    plan = plan_of(document)
    keys = {row.id: row.key for row in document.placed_type.fields}
    by_field: dict[str, list[Reading]] = defaultdict(list)
    for reading in readings:
        if reading.field_id in keys:
            by_field[keys[reading.field_id]].append(reading)
    drafted = drafted_from(plan, by_field)
    routed = route(plan, drafted, in_force_now(policy), context_of(session, document, plan))
    keep_routing(session, document, policy, drafted, routed)
    number = policy.number if policy else None
    record(session, None, Action.ROUTE_AGAIN, "document", document.id, policy=number, held=len(routed.holds))


def drafted_from(plan: Plan, readings: Mapping[str, Sequence[Reading]]) -> dict[str, DraftedField]:
    """What was drafted for each field, from the readings that were kept of it: the other way of `reading_rows`."""
    drafted = {field.key: drafted_field(readings[field.key]) for field in plan.fields if readings.get(field.key)}
    for table in plan.fields:
        inside = [column.key for column in plan.inside(table.key) if column.key in drafted]
        columns = [drafted[key] for key in inside]
        if table.kind is FieldKind.TABLE and columns:
            rows = max(len(column.values) for column in columns)
            for key, column in zip(inside, columns, strict=True):
                drafted[key] = replace(column, values=column.values + (None,) * (rows - len(column.values)))
            # A table's confidence is kept with each of its columns.
            drafted[table.key] = DraftedField((), (), columns[0].confidence, columns[0].layout_similarity)
    return drafted


def drafted_field(readings: Sequence[Reading]) -> DraftedField:
    """One field from its readings, at least one, in any order; empty cells of a column keep their places."""
    first = readings[0]
    values: list[Found | None] = []
    for reading in sorted(readings, key=lambda one: one.position):
        if not reading.absent:
            values.extend([None] * (reading.position - len(values)))
            values.append(_found(reading))
    others = tuple(
        Found(other["text"], other["normal"], other["page"], Box(*other["box"]), 0.0, EngineName.MODEL, "")
        for other in first.others
    )
    # A version's value that nothing has measured was chosen by a check.
    by_check = first.confidence is None and first.engine == EngineName.MODEL and not first.absent
    return DraftedField(
        tuple(values),
        others,
        first.confidence,
        first.layout_similarity,
        chosen_by=first.why if by_check else "",
        scores=first.scores,
    )


def _found(reading: Reading) -> Found:
    return Found(
        reading.text,
        reading.normal,
        reading.page or 1,
        Box(*reading.box) if reading.box else Box(0.0, 0.0, 0.0, 0.0),
        0.0,
        EngineName(reading.engine),
        reading.why,
        by_hand=reading.by_hand,
    )


__all__ = ["drafted_from", "route_again", "route_document"]
