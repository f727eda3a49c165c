"""What the page of spot checks shows: how the promise in force is kept by what life has shown."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.states import CHECKED_STATES
from jugum.core.thresholds import Outcome, outcome
from jugum.core.thresholds.checking import ALARM, CheckRate, watch
from jugum.core.thresholds.promise import Promise
from jugum.flow.in_force import current_policy
from jugum.flow.office.personal import shown
from jugum.flow.office.types import type_row
from jugum.flow.weigh.breaches import BreachView, breaches
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.weigh.checked import Checked, begun_at, checked_values, papers_of, table_of
from jugum.flow.weigh.rate import promise_now, rate_now
from jugum.flow.worked_on import waits_for_check
from jugum.store import Store
from jugum.store.models import Document, LayoutGroup, Policy, SpotCheck

FOUND_MOST = 200  # wrong values that are listed, the newest
NEW_LAYOUT = "another layout"


@dataclass(frozen=True)
class Figure:
    """Checked values of a group (all, a field, a layout, those that were asked blind): on how many papers, and what
    follows, each counted by its probability of being drawn."""

    name: str
    papers: int
    outcome: Outcome


@dataclass(frozen=True)
class WrongValue:
    """A value that had passed and was wrong: what had passed, and what a person said."""

    document_id: int
    paper: str
    field: str
    name: str
    found: str
    said: str
    blind: bool
    policy: int
    done_at: datetime


@dataclass(frozen=True)
class Won:
    """After how many checked papers a bet against the promise had won how many times its stake; the paper it was."""

    papers: int
    winnings: float
    document_id: int
    paper: str
    wrong: int


@dataclass(frozen=True)
class SpotChecksView:
    """The checks of the policy in force (since it was last resumed): how many papers wait, the rate at which papers are
    drawn now, what all that was checked says of the promise, by field, by layout, blind against open, and the bet
    against the promise after each paper. `found` are wrong values of all policies, the newest first."""

    policy: int | None
    suspended: bool
    waiting: int
    drawn: int
    papers: int
    rate: CheckRate | None
    promise: Promise | None
    all: Figure
    by_field: list[Figure]
    by_layout: list[Figure]
    by_way: list[Figure]
    winnings: list[Won]
    alarm: float
    found: list[WrongValue]
    breaches: list[BreachView]
    settings: CheckSettings


def spot_checks(store: Store, type_id: int) -> SpotChecksView:
    """What the spot checks of a type have shown."""
    with store.session() as session:
        row = type_row(session, type_id)
        settings = CheckSettings.of(row)
        policy = current_policy(session, type_id)
        every = checked_values(session, type_id)
        since = begun_at(session, policy) if policy else None
        values = checked_values(session, type_id, policy_id=policy.id, since=since) if policy else []
        names = {field.key: field.name for field in row.fields}
        layouts = _layouts(session, type_id)
        promise = promise_now(policy, values) if policy else None
        drawn, waiting = _counts(session, type_id, policy)
        return SpotChecksView(
            policy.number if policy else None,
            policy.suspended if policy else False,
            waiting,
            drawn,
            len({value.check_id for value in values}),
            rate_now(session, policy, settings.rules, values) if policy and settings.on else None,
            promise,
            _figure("", values),
            _figures(values, lambda value: names.get(value.field, value.field), list(names.values())),
            _figures(values, lambda value: layouts.get(value.layout_group_id, NEW_LAYOUT), sorted(layouts.values())),
            _figures(values, lambda value: "blind" if value.blind else "open", ["open", "blind"]),
            _winnings(values, promise.error_most) if promise else [],
            ALARM,
            _wrong(every, names),
            breaches(session, type_id),
            settings,
        )


def _counts(session: Session, type_id: int, policy: Policy | None) -> tuple[int, int]:
    """How many papers were drawn by a policy, and how many wait to be checked by whichever."""
    of_type = SpotCheck.document_id == Document.id, Document.type_id == type_id
    drawn = session.scalar(
        select(func.count(SpotCheck.id)).where(*of_type, SpotCheck.policy_id == (policy.id if policy else None))
    )
    waiting = session.scalar(
        select(func.count(SpotCheck.id)).where(
            *of_type, Document.state.in_(CHECKED_STATES), waits_for_check(Document.id)
        )
    )
    return drawn or 0, waiting or 0


def _layouts(session: Session, type_id: int) -> dict[int | None, str]:
    rows = session.execute(select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == type_id))
    return {number: name for number, name in rows}


def _figure(name: str, values: Sequence[Checked]) -> Figure:
    table = table_of(values)
    return Figure(name, table.papers, outcome(table, table.confidence >= 0))


def _figures(values: Sequence[Checked], of: Callable[[Checked], str], order: Sequence[str]) -> list[Figure]:
    """A figure for each group that has a checked value, in an order; others last."""
    groups: dict[str, list[Checked]] = {}
    for value in values:
        groups.setdefault(of(value), []).append(value)
    known = [name for name in dict.fromkeys(order) if name in groups]
    rest = [name for name in groups if name not in known]
    return [_figure(name, groups[name]) for name in (*known, *rest)]


def _winnings(values: Sequence[Checked], error_most: float) -> list[Won]:
    papers = papers_of(values)
    first = {value.check_id: value for value in reversed(values)}
    order = list(dict.fromkeys(value.check_id for value in values))
    won = watch(papers, error_most).winnings
    return [
        Won(count, round(winnings, 4), first[check].document_id, first[check].paper, paper.wrong)
        for count, (winnings, check, paper) in enumerate(zip(won, order, papers, strict=True), 1)
    ]


def _wrong(values: Sequence[Checked], names: dict[str, str]) -> list[WrongValue]:
    return [
        WrongValue(
            value.document_id,
            value.paper,
            value.field,
            names.get(value.field, value.field),
            shown(value.found, value.field) or "nothing",
            shown(value.said, value.field) or "not on the paper",
            value.blind,
            value.policy,
            value.done_at,
        )
        for value in reversed(values)
        if not value.right
    ][:FOUND_MOST]


__all__ = ["Figure", "SpotChecksView", "Won", "WrongValue", "spot_checks"]
