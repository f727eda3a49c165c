"""Weigh: what follows from every setting of the dial, and where three ways to set it lead."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from jugum.core.thresholds import (
    EvidenceTable,
    FieldRules,
    FrontierPoint,
    Outcome,
    by_budget,
    by_costs,
    by_promise,
    frontier,
    outcomes_by_field,
    passing,
    point_of,
    proposed_thresholds,
)
from jugum.core.thresholds.choice import Costs
from jugum.core.thresholds.dial import GRID
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.frontier import decisions_a_paper, point_among
from jugum.core.thresholds.opening import OpeningPrice
from jugum.core.thresholds.promise import Promise, promise_of
from jugum.flow.in_force import current_policy, report_in, thresholds_of
from jugum.flow.office.types import type_row
from jugum.flow.weigh.dial import ERROR_MOST, DialSettings, Way
from jugum.flow.weigh.evidence import Point, points_of, weighable_version, weighed, weighed_fields
from jugum.flow.weigh.life import effort_in, papers_a_week_in
from jugum.flow.weigh.policies import PolicyView, policy_view
from jugum.store import Store
from jugum.store.models import ModelVersion, Policy


@dataclass(frozen=True)
class SetPoint:
    """A point of the frontier with what it says of the promise."""

    point: FrontierPoint
    promise: Promise


@dataclass(frozen=True)
class Frontier:
    """All settings of the dial, the one that is proposed (its place; None where none keeps the promise), and the policy
    in force as a point. `papers`: the evidence stands on; `papers_a_week`: that the budget was reckoned with."""

    settings: DialSettings
    points: list[SetPoint]
    proposed: int | None
    now: SetPoint | None
    papers: int
    effort: Effort
    papers_a_week: float


@dataclass(frozen=True)
class FieldWeighed:
    """A field, its threshold in force (None without one), its marks, what follows at each threshold of the grid, from
    strict to lax, and how many decisions about it a paper has in the mean."""

    key: str
    name: str
    threshold: float | None
    points: list[Point]
    along: list[Outcome]
    decisions_a_paper: float


@dataclass(frozen=True)
class WeighView:
    """What the Weigh page shows. Known layouts only are counted, for that is what passes. `drawn_only` counts the marks
    of new layouts, `drawn_held` those of held-out values that were looked at only because they were held: both are
    shown and not counted. `test_papers` and `live_papers` are those of `papers` that evidence comes from, beside
    held-out ones."""

    version_id: int
    version: int
    version_state: str
    papers: int
    test_papers: int
    live_papers: int
    layout_similarity_min: float
    layout_similarity_proposed: float
    grid: list[float]
    fields: list[FieldWeighed]
    frontier: Frontier
    drawn_only: int
    drawn_held: int
    policy: PolicyView | None


def weigh(
    store: Store, type_id: int, settings: DialSettings | None = None, *, error_most: float | None = None
) -> WeighView:
    """Evidence of the live version (or the newest trained), and the frontier by some settings, else by those of the
    policy in force; with `error_most` by that promise."""
    with store.session() as session:
        version = weighable_version(session, type_id)
        policy = current_policy(session, type_id)
        gate_proposed = report_in(version).layout_similarity_min
        gate = policy.layout_similarity_min if policy else gate_proposed
        fields = weighed_fields(type_row(session, type_id), version)
        keys = [field.key for field in fields]
        evidence = weighed(session, version, keys, gate)
        table = evidence.table
        if settings is None:
            settings = DialSettings.of(policy).for_fields(keys)
        if error_most is not None:
            settings = replace(settings, way=Way.PROMISE, error_most=error_most)
        in_force = _in_force(policy, table) or {}
        along, a_paper = along_grid(table), decisions_a_paper(table)
        points = {field.key: points_of(version, field.key, evidence.lived) for field in fields}
        return WeighView(
            version.id,
            version.number,
            version.state,
            version.papers,
            evidence.test_papers,
            evidence.live_papers,
            gate,
            gate_proposed,
            GRID.tolist(),
            [
                FieldWeighed(
                    field.key,
                    field.name,
                    in_force.get(field.key),
                    points[field.key],
                    along[field.key],
                    a_paper[field.key],
                )
                for field in fields
            ],
            _frontier(session, type_id, table, settings, policy),
            sum(point.unseen and point.counted for its in points.values() for point in its),
            sum(not point.counted for its in points.values() for point in its),
            policy_view(session, policy) if policy else None,
        )


def _in_force(policy: Policy | None, table: EvidenceTable) -> dict[str, float] | None:
    """The thresholds of a policy for the fields there are; None without a policy."""
    if policy is None:
        return None
    by_field = thresholds_of(policy).by_field
    return {key: by_field[key] for key in table.fields if key in by_field}


def along_grid(table: EvidenceTable) -> dict[str, list[Outcome]]:
    """What follows for each field at each threshold of the grid, from strict to lax."""
    found: dict[str, list[Outcome]] = {key: [] for key in table.fields}
    for threshold in GRID.tolist():
        for key, follows in outcomes_by_field(table, table.confidence >= threshold).items():
            found[key].append(follows)
    return found


def frontier_of(
    store: Store, type_id: int, settings: DialSettings, layout_similarity_min: float | None = None
) -> Frontier:
    """The frontier by some settings; with the minimum of layout similarity in force where none is given."""
    with store.session() as session:
        version = weighable_version(session, type_id)
        policy = current_policy(session, type_id)
        gate = layout_similarity_min
        if gate is None:
            gate = policy.layout_similarity_min if policy else report_in(version).layout_similarity_min
        table = _table(session, type_id, version, gate)
        return _frontier(session, type_id, table, settings, policy)


def _table(session: Session, type_id: int, version: ModelVersion, gate: float) -> EvidenceTable:
    fields = weighed_fields(type_row(session, type_id), version)
    return weighed(session, version, [field.key for field in fields], gate).table


def _frontier(
    session: Session,
    type_id: int,
    table: EvidenceTable,
    settings: DialSettings,
    policy: Policy | None,
) -> Frontier:
    effort, a_week = effort_in(session, type_id), papers_a_week_in(session, type_id)
    return frontier_by(table, settings, effort, a_week, _in_force(policy, table), opening_of(policy))


def frontier_by(
    table: EvidenceTable,
    settings: DialSettings,
    effort: Effort,
    came_a_week: float,
    in_force: Mapping[str, float] | None,
    opening: OpeningPrice | None = None,
) -> Frontier:
    """The frontier of any evidence, what is proposed by some settings, and where thresholds in force stand on it, with
    the price of opening a paper that is in force. A budget is for as many papers a week as have come in, where its
    settings name no other number."""
    settings.check(table.fields)
    a_week = came_a_week if settings.papers_a_week is None else settings.papers_a_week
    costs = Costs(settings.wrong_value_cost, settings.review_hour_cost)
    rules = settings.rules_for(effort)
    points = frontier(table, rules, effort)
    values_a_paper = sum(decisions_a_paper(table).values())
    chosen = {
        Way.PROMISE: lambda: by_promise(points, settings.error_most, proven=settings.proven),
        Way.BUDGET: lambda: by_budget(points, settings.hours_a_week, a_week),
        Way.COSTS: lambda: by_costs(points, costs, values_a_paper),
    }[settings.way]()

    def said(point: FrontierPoint) -> SetPoint:
        return SetPoint(point, promise_of(point.outcome, settings.error_most, table.papers))

    return Frontier(
        settings,
        [said(point) for point in points],
        points.index(chosen) if chosen else None,
        said(_now(points, table, in_force, replace(rules, opening=opening), effort, same=rules.opening == opening))
        if in_force is not None
        else None,
        table.papers,
        effort,
        a_week,
    )


def _now(
    points: list[FrontierPoint],
    table: EvidenceTable,
    in_force: Mapping[str, float],
    rules: FieldRules,
    effort: Effort,
    *,
    same: bool,
) -> FrontierPoint:
    """Where thresholds in force stand; on the frontier only where papers are opened by the `same` price there."""
    if same:
        return point_among(points, table, in_force, rules, effort)
    return point_of(table, in_force, rules, effort)


def opening_of(policy: Policy | None) -> OpeningPrice | None:
    """The price of opening a paper that a policy keeps to; None where it opens each."""
    opening = thresholds_of(policy).opening if policy else None
    return opening.price if opening else None


def proposal(
    store: Store, type_id: int, error_most: float = ERROR_MOST, *, proven: bool = False
) -> tuple[dict[str, float], float]:
    """The thresholds of all fields that a promise allows, with the proposed minimum of layout similarity."""
    with store.session() as session:
        version = weighable_version(session, type_id)
        gate = report_in(version).layout_similarity_min
        table = _table(session, type_id, version, gate)
    return proposed_thresholds(table, error_most, proven=proven), gate


@dataclass(frozen=True)
class WhatFollows:
    """What thresholds would do: all fields together as a point, and the outcome of each field."""

    total: SetPoint
    outcomes: dict[str, Outcome]


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
        table = weighed(session, version, sorted(thresholds), layout_similarity_min).table
        effort = effort_in(session, type_id)
    point = point_of(table, thresholds, effort=effort)
    total = SetPoint(point, promise_of(point.outcome, error_most, table.papers))
    return WhatFollows(total, outcomes_by_field(table, passing(table, thresholds)))


__all__ = [
    "FieldWeighed",
    "Frontier",
    "SetPoint",
    "WeighView",
    "WhatFollows",
    "along_grid",
    "frontier_by",
    "frontier_of",
    "proposal",
    "weigh",
    "what_follows",
]
