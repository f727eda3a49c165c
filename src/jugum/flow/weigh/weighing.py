"""Weigh: what follows from thresholds, and which are proposed."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from jugum.core.thresholds import Outcome, outcome, outcomes_by_field, passing, proposed_thresholds
from jugum.core.thresholds.promise import Promise, promise_of
from jugum.errors import InputError
from jugum.flow.in_force import current_policy, report_in
from jugum.flow.office.types import type_row
from jugum.flow.weigh.evidence import Point, evidence_of, points_of, weighable_version, weighed_fields
from jugum.flow.weigh.policies import PolicyView, policy_view
from jugum.store import Store

ERROR_MOST = 0.02


@dataclass(frozen=True)
class Balance:
    """A field's evidence, its threshold now and the one proposed, and what follows from the one now."""

    key: str
    name: str
    threshold: float
    proposed: float
    outcome: Outcome
    points: list[Point]


@dataclass(frozen=True)
class WeighView:
    """What the Weigh page shows. `total` counts decisions over all fields; known layouts only, for that is what
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
    total: Outcome
    promise: Promise
    drawn_only: int
    drawn_held: int
    policy: PolicyView | None


def weigh(store: Store, type_id: int, *, error_most: float = ERROR_MOST, proven: bool = False) -> WeighView:
    """Evidence of the live version (or the newest trained), with thresholds of the policy in force, or proposed
    ones; `proven`: such as keep the promise by its upper bound."""
    if not 0.001 <= error_most <= 0.5:
        raise InputError("The maximum error rate must be between 0.1 % and 50 %.")
    with store.session() as session:
        version = weighable_version(session, type_id)
        row = type_row(session, type_id)
        policy = current_policy(session, type_id)
        gate_proposed = report_in(version).layout_similarity_min
        gate = policy.layout_similarity_min if policy else gate_proposed
        fields = weighed_fields(row, version)
        keys = [field.key for field in fields]
        table = evidence_of(version, keys, gate)
        proposed = proposed_thresholds(table, error_most, proven=proven)
        thresholds = {**proposed, **(policy.thresholds if policy else {})}
        thresholds = {key: float(thresholds[key]) for key in keys}
        passes = passing(table, thresholds)
        by_field, total = outcomes_by_field(table, passes), outcome(table, passes)
        points = {key: points_of(version, key) for key in keys}
        return WeighView(
            version.id,
            version.number,
            version.state,
            version.papers,
            gate,
            gate_proposed,
            error_most,
            [
                Balance(one.key, one.name, thresholds[one.key], proposed[one.key], by_field[one.key], points[one.key])
                for one in fields
            ],
            total,
            promise_of(total, error_most, table.papers),
            sum(point.unseen and point.counted for its in points.values() for point in its),
            sum(not point.counted for its in points.values() for point in its),
            policy_view(session, policy) if policy else None,
        )


@dataclass(frozen=True)
class WhatFollows:
    """What thresholds would do: the outcome of each field, key "" is all together, and what that says of a promise."""

    outcomes: dict[str, Outcome]
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
        version = weighable_version(session, type_id)
        table = evidence_of(version, sorted(thresholds), layout_similarity_min)
    passes = passing(table, thresholds)
    total = outcome(table, passes)
    return WhatFollows({**outcomes_by_field(table, passes), "": total}, promise_of(total, error_most, table.papers))


__all__ = ["ERROR_MOST", "Balance", "WeighView", "WhatFollows", "weigh", "what_follows"]
