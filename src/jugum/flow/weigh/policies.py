"""Weigh: thresholds, what follows from them, and policies."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from jugum.core.states import VersionState
from jugum.core.thresholds import Evidence, ThresholdOutcome, outcome_of, thresholds_for
from jugum.core.thresholds.promise import Promise, promise_of
from jugum.errors import Conflict, InputError
from jugum.flow.in_force import current_policy, live_version, report_in, version_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import plan_in
from jugum.flow.train.versions import redraft
from jugum.store import Store
from jugum.store.models import DocumentType, Field, ModelVersion, Person, Policy

ERROR_MOST = 0.02


@dataclass(frozen=True)
class Point:
    """A held-out decision on the confidence axis; `counted` is false of a value that was looked at only because it was
    held (see `EvidenceRow`)."""

    document: int
    confidence: float
    layout_similarity: float
    right: bool
    unseen: bool
    found: str
    expected: str
    counted: bool = True


@dataclass(frozen=True)
class Balance:
    """A field's evidence, its threshold now and the one proposed, and what follows from the one now."""

    key: str
    name: str
    threshold: float
    proposed: float
    outcome: ThresholdOutcome
    points: list[Point]


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


@dataclass(frozen=True)
class WeighView:
    """What the Weigh page shows. `total` counts decisions over all fields; seen layouts only, for that is what
    passes. `drawn_only` counts the marks of new layouts, `drawn_held` those of values that were looked at only because
    they were held: both are shown and not counted."""

    version_id: int
    version: int
    version_state: str
    papers: int
    layout_similarity_min: float
    layout_similarity_proposed: float
    error_most: float
    balances: list[Balance]
    total: ThresholdOutcome
    promise: Promise
    drawn_only: int
    drawn_held: int
    policy: PolicyView | None


def _weighable(session: Session, type_id: int) -> ModelVersion:
    """The live version, else the newest trained one. InputError when there is none."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None))
        .order_by((ModelVersion.state == VersionState.PUBLISHED).desc(), ModelVersion.number.desc())
        .limit(1)
        .options(undefer(ModelVersion.evidence))
    )
    if version is None:
        raise InputError("No version has been trained yet: there is nothing to weigh. Train a version in Train.")
    return version


def weigh(store: Store, type_id: int, *, error_most: float = ERROR_MOST) -> WeighView:
    """Evidence of the live version (or the newest trained), with thresholds of the policy in force, or proposed
    ones."""
    if not 0.001 <= error_most <= 0.5:
        raise InputError("The maximum error rate must be between 0.1 % and 50 %.")
    with store.session() as session:
        version = _weighable(session, type_id)
        row = type_row(session, type_id)
        policy = current_policy(session, type_id)
        gate_proposed = report_in(version).layout_similarity_min
        gate = policy.layout_similarity_min if policy else gate_proposed
        fields = weighed(row, version)
        points = {
            field.key: [_point(entry) for entry in version.evidence if entry["field"] == field.key] for field in fields
        }
        proposed = thresholds_for(
            {
                key: [Evidence(p.confidence, p.layout_similarity, p.right) for p in its if p.counted]
                for key, its in points.items()
            },
            error_most,
            gate,
        )
        thresholds = {**proposed, **(policy.thresholds if policy else {})}
        balances, everything = [], []
        for field in fields:
            key, threshold = field.key, float(thresholds[field.key])
            outcome = outcome_of(_counted(version, key), threshold, gate)
            everything.append(outcome)
            balances.append(Balance(key, field.name, threshold, proposed[key], outcome, points[key]))
        total = _summed(everything)
        return WeighView(
            version.id,
            version.number,
            version.state,
            version.papers,
            gate,
            gate_proposed,
            error_most,
            balances,
            total,
            promise_of(total, error_most, version.papers),
            sum(point.unseen and point.counted for its in points.values() for point in its),
            sum(not point.counted for its in points.values() for point in its),
            _policy_view(session, policy) if policy else None,
        )


def weighed(row: DocumentType, version: ModelVersion) -> list[Field]:
    """The fields whose confidence a version has measured: of all that is read from papers (a table as a whole) what
    was labelled."""
    measured = {str(entry["field"]) for entry in version.evidence}
    keys = {field.key for field in plan_in(row).fields if field.weighed} & measured
    return [field for field in row.fields if field.key in keys]


def _point(one: Mapping[str, Any]) -> Point:
    return Point(
        int(one["sample"]),
        one["confidence"],
        one["layout_similarity"],
        one["right"],
        one["unseen"],
        one["found"],
        one["expected"],
        is_counted(one),
    )


def is_counted(row: Mapping[str, Any]) -> bool:
    """Whether a row of evidence is counted; those of versions trained before rows said so are."""
    return bool(row.get("counted", True))


def _counted(version: ModelVersion, key: str) -> list[Evidence]:
    """The evidence of a field that outcomes are counted from: known layouts, values that were not chosen for being
    hard."""
    return [
        Evidence(row["confidence"], row["layout_similarity"], row["right"])
        for row in version.evidence
        if row["field"] == key and not row["unseen"] and is_counted(row)
    ]


def _summed(outcomes: list[ThresholdOutcome]) -> ThresholdOutcome:
    from jugum.core.evaluation.intervals import upper_bound

    total, passing, wrong = (sum(getattr(o, name) for o in outcomes) for name in ("total", "passing", "wrong"))
    return ThresholdOutcome(total, passing, wrong, upper_bound(wrong, passing))


@dataclass(frozen=True)
class WhatFollows:
    """What thresholds would do: the outcome of each field, key "" is all together, and what that says of a promise."""

    outcomes: dict[str, ThresholdOutcome]
    promise: Promise


def what_follows(
    store: Store,
    type_id: int,
    thresholds: Mapping[str, float],
    layout_similarity_min: float,
    error_most: float = ERROR_MOST,
) -> WhatFollows:
    """Outcomes on held-out papers of known layouts, for thresholds that are not saved yet."""
    with store.session() as session:
        version = _weighable(session, type_id)
        outcomes = {}
        for key, threshold in thresholds.items():
            outcomes[key] = outcome_of(_counted(version, key), threshold, layout_similarity_min)
        total = _summed(list(outcomes.values()))
        return WhatFollows({**outcomes, "": total}, promise_of(total, error_most, version.papers))


def save_policy(
    store: Store,
    actor: Actor,
    type_id: int,
    thresholds: Mapping[str, float],
    layout_similarity_min: float,
    note: str = "",
) -> int:
    """Save thresholds (field key → 0–1) as the next policy, in force at once: for papers drafted from now on, and for
    held ones nobody has begun. Returns its number."""
    actor.require(WEIGH)
    with store.session() as session:
        row = type_row(session, type_id)
        session.get_one(type(row), type_id, with_for_update=True)
        version = _weighable(session, type_id)
        keys = {field.key for field in weighed(row, version)}
        for key, threshold in thresholds.items():
            if key not in keys:
                raise InputError(f"“{row.name}” has no field “{key}”.")
            if not 0 <= threshold <= 1:
                raise InputError(f"The threshold of “{key}” is {threshold}; it must be between 0 and 1.")
        if not 0 <= layout_similarity_min <= 1:
            raise InputError(f"The minimum layout similarity is {layout_similarity_min}; it must be between 0 and 1.")
        if missing := keys - set(thresholds):
            raise InputError(f"A threshold is missing for {', '.join(sorted(missing))}.")
        number = (session.scalar(select(func.max(Policy.number)).where(Policy.type_id == type_id)) or 0) + 1
        policy = Policy(
            type_id=type_id,
            number=number,
            version_id=version.id,
            created_by=actor.id,
            note=note.strip()[:500],
            thresholds={key: round(float(value), 4) for key, value in thresholds.items()},
            layout_similarity_min=round(layout_similarity_min, 4),
        )
        session.add(policy)
        session.flush()
        total = _total_of(version, thresholds, layout_similarity_min)
        policy.outcome = {
            "total": total.total,
            "passing": total.passing,
            "wrong": total.wrong,
            "error_upper": total.error_upper,
        }
        record(session, actor, Action.SAVE_POLICY, "policy", policy.id, number=number, thresholds=policy.thresholds)
        redraft(session, type_id)
        return number


def _total_of(version: ModelVersion, thresholds: Mapping[str, float], layout_similarity_min: float) -> ThresholdOutcome:
    return _summed(
        [outcome_of(_counted(version, key), threshold, layout_similarity_min) for key, threshold in thresholds.items()]
    )


def policies(store: Store, type_id: int) -> list[PolicyView]:
    with store.session() as session:
        rows = session.scalars(select(Policy).where(Policy.type_id == type_id).order_by(Policy.number.desc())).all()
        return [_policy_view(session, row) for row in rows]


def _policy_view(session: Session, row: Policy) -> PolicyView:
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
    )


def go_back(store: Store, actor: Actor, type_id: int, number: int) -> int:
    """Save an earlier policy's thresholds again as the newest."""
    with store.session() as session:
        old = session.scalar(select(Policy).where(Policy.type_id == type_id, Policy.number == number))
        if old is None:
            raise InputError(f"There is no policy {number}.")
        row = type_row(session, type_id)
        fields = weighed(row, _weighable(session, type_id))
        missing = {field.key for field in fields} - set(old.thresholds)
        if missing:
            raise Conflict(f"Policy {number} has no threshold for {', '.join(sorted(missing))}, which was added later.")
        kept = {field.key: float(old.thresholds[field.key]) for field in fields}
        gate = old.layout_similarity_min
    return save_policy(store, actor, type_id, kept, gate, f"Back to policy {number}")


__all__ = [
    "Balance",
    "PolicyView",
    "WeighView",
    "go_back",
    "live_version",
    "policies",
    "save_policy",
    "weigh",
    "what_follows",
]
