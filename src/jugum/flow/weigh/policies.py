"""Policies: thresholds of a type that are in force, or were."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict, dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.thresholds import FieldRules, FrontierPoint, Outcome, frontier, outcome
from jugum.core.thresholds.frontier import passes_by, point_among
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.in_force import thresholds_of, version_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.evidence import weighable_version, weighed, weighed_fields
from jugum.flow.weigh.life import effort_in
from jugum.store import Store
from jugum.store.models import Person, Policy
from jugum.store.queue import Task, enqueue


@dataclass(frozen=True)
class PolicyView:
    id: int
    number: int
    version: int
    thresholds: dict[str, float]
    layout_similarity_min: float
    note: str
    created_at: datetime
    created_by: str
    outcome: dict[str, Any]
    always_held: list[str]
    settings: dict[str, Any]


def save_policy(
    store: Store,
    actor: Actor,
    type_id: int,
    thresholds: Mapping[str, float],
    layout_similarity_min: float,
    note: str = "",
    *,
    always_held: Collection[str] = (),
    settings: DialSettings | None = None,
) -> int:
    """Publish thresholds (field key → 0–1) as the next policy, in force at once: for papers drafted from now on, and
    for held ones nobody has begun, which are routed anew and not read again. `always_held`: fields that go to a person
    whatever their confidence; `settings`: how the dial was set. Returns its number."""
    actor.require(WEIGH)
    with store.session() as session:
        row = type_row(session, type_id)
        session.get_one(type(row), type_id, with_for_update=True)
        version = weighable_version(session, type_id)
        keys = {field.key for field in weighed_fields(row, version)}
        for key, threshold in thresholds.items():
            if key not in keys:
                raise InputError(f"“{row.name}” has no field “{key}”.")
            if not 0 <= threshold <= 1:
                raise InputError(f"The threshold of “{key}” is {threshold}; it must be between 0 and 1.")
        if not 0 <= layout_similarity_min <= 1:
            raise InputError(f"The minimum layout similarity is {layout_similarity_min}; it must be between 0 and 1.")
        if unknown := set(always_held) - keys:
            raise InputError(f"“{row.name}” has no field {', '.join(sorted(unknown))} that could always be held.")
        if missing := keys - set(thresholds):
            raise InputError(f"A threshold is missing for {', '.join(sorted(missing))}.")
        if settings is not None:
            settings.check(keys)
        number = (session.scalar(select(func.max(Policy.number)).where(Policy.type_id == type_id)) or 0) + 1
        policy = Policy(
            type_id=type_id,
            number=number,
            version_id=version.id,
            created_by=actor.id,
            note=note.strip()[:500],
            thresholds={key: round(float(value), 4) for key, value in thresholds.items()},
            layout_similarity_min=round(layout_similarity_min, 4),
            always_held=sorted(always_held),
            settings=settings.to_data() if settings else {},
        )
        effort = effort_in(session, type_id)
        rules = settings.rules_for(effort) if settings else FieldRules()
        if rules.opening is not None:
            policy.settings = {**policy.settings, "opening": asdict(rules.opening)}
        session.add(policy)
        session.flush()
        table = weighed(session, version, sorted(thresholds), layout_similarity_min).table
        passing_now = thresholds_of(policy).by_field
        total = outcome(table, passes_by(table, passing_now, rules))
        points = frontier(table, rules, effort)
        here = point_among(points, table, passing_now, rules, effort)
        policy.outcome = outcome_kept(total, table.papers, points, here)
        record(session, actor, Action.SAVE_POLICY, "policy", policy.id, number=number, thresholds=policy.thresholds)
        enqueue(session, Task.ROUTE_AGAIN, priority=60, lock=f"route-{type_id}", type_id=type_id)
        return number


def outcome_kept(total: Outcome, papers: int, points: Sequence[FrontierPoint], here: FrontierPoint) -> dict[str, Any]:
    """What is kept of what was known when a policy was published: counts, and how it stood in the picture then, to be
    laid over that of another day."""
    return {
        "total": total.total,
        "passing": total.passing,
        "wrong": total.wrong,
        "passing_share": total.passing_share,
        "error_share": total.error_share,
        "error_upper": total.error_upper,
        "expected_share": total.expected_share,
        "papers": papers,
        "frontier": [_in_picture(point) for point in points],
        "point": _in_picture(here),
    }


def _in_picture(point: FrontierPoint) -> list[float]:
    """Minutes of review per 100 papers, wrong values in 1,000, and these at the upper bound."""
    return [round(value, 2) for value in (point.minutes, point.wrong_per_1000, point.wrong_per_1000_upper)]


def policies(store: Store, type_id: int) -> list[PolicyView]:
    with store.session() as session:
        rows = session.scalars(select(Policy).where(Policy.type_id == type_id).order_by(Policy.number.desc())).all()
        return [policy_view(session, row) for row in rows]


def policy_view(session: Session, row: Policy) -> PolicyView:
    person = session.get(Person, row.created_by)
    return PolicyView(
        row.id,
        row.number,
        version_row(session, row.version_id).number,
        dict(row.thresholds),
        row.layout_similarity_min,
        row.note,
        row.created_at,
        person.name if person else "",
        dict(row.outcome),
        list(row.always_held),
        dict(row.settings),
    )


def policy(store: Store, type_id: int, number: int) -> PolicyView:
    """One policy by its number. NotFound without it."""
    with store.session() as session:
        return policy_view(session, _policy_row(session, type_id, number))


def _policy_row(session: Session, type_id: int, number: int) -> Policy:
    row = session.scalar(select(Policy).where(Policy.type_id == type_id, Policy.number == number))
    if row is None:
        raise NotFound(f"There is no policy {number}.")
    return row


def go_back(store: Store, actor: Actor, type_id: int, number: int) -> int:
    """Save an earlier policy's thresholds again as the newest."""
    with store.session() as session:
        old = _policy_row(session, type_id, number)
        row = type_row(session, type_id)
        fields = weighed_fields(row, weighable_version(session, type_id))
        missing = {field.key for field in fields} - set(old.thresholds)
        if missing:
            raise Conflict(f"Policy {number} has no threshold for {', '.join(sorted(missing))}, which was added later.")
        kept = {field.key: float(old.thresholds[field.key]) for field in fields}
        gate, held = old.layout_similarity_min, [key for key in old.always_held if key in kept]
        settings = DialSettings.of(old).for_fields(kept) if old.settings else None
    note = f"Back to policy {number}"
    return save_policy(store, actor, type_id, kept, gate, note, always_held=held, settings=settings)


__all__ = ["PolicyView", "go_back", "outcome_kept", "policies", "policy", "policy_view", "save_policy"]
