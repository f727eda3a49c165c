"""Breaches: a promise that spot checks show to be broken is told of, its policy is suspended if the type asks for that,
and a person resumes it with a reason."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import select
from sqlalchemy.orm import Session, aliased

from jugum.core.thresholds.checking import watch
from jugum.errors import Conflict, InputError
from jugum.flow.in_force import current_policy
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.weigh.checked import begun_at, checked_values, papers_of
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.rate import rate_now
from jugum.store import Store
from jugum.store.models import Breach, Person, Policy, SpotCheck
from jugum.store.queue import Task, enqueue

REASON_MAX = 300  # letters


@dataclass(frozen=True)
class BreachView:
    """A breach of a policy's promise: after how many checked papers and values it was noticed, how many were
    wrong, what a bet against the promise had won (times its stake), what was done. `open` while nobody has: neither
    resumed the policy nor published another."""

    id: int
    policy: int
    error_most: float
    papers: int
    values: int
    wrong: int
    winnings: float
    suspends: bool
    noticed_at: datetime
    told: str
    open: bool
    resumed_at: datetime | None
    resumed_by: str
    reason: str
    replaced_by: int | None


def notice(session: Session, check: SpotCheck) -> Breach | None:
    """After a check is done: the rate of checks follows what is known now, and a promise that is shown to be broken is
    noticed, once. The caller has the paper's row; the policy's is locked here, so that two reviewers see one breach."""
    policy = session.get_one(Policy, check.policy_id, with_for_update=True)
    row = type_row(session, policy.type_id)
    settings = CheckSettings.of(row)
    session.flush()
    values = checked_values(session, row.id, policy_id=policy.id, since=begun_at(session, policy))
    policy.check_rate = rate_now(session, policy, settings.rules, values).rate
    newest = current_policy(session, row.id)
    if newest is None or newest.id != policy.id or _open_breach(session, policy.id) is not None:
        return None
    papers = papers_of(values)
    seen = watch(papers, DialSettings.of(policy).error_most)
    if not seen.is_broken:
        return None
    breach = Breach(
        type_id=row.id,
        policy_id=policy.id,
        papers=len(papers),
        values=sum(paper.values for paper in papers),
        wrong=sum(paper.wrong for paper in papers),
        winnings=seen.winnings[-1],
        suspends=settings.suspends,
    )
    session.add(breach)
    session.flush()
    record(session, None, Action.BREACH, "policy", policy.id, wrong=breach.wrong, values=breach.values)
    if settings.suspends:
        policy.suspended = True
        _route(session, row.id)
    if settings.tell:
        enqueue(session, Task.SEND_NOTICE, priority=50, lock=f"breach-{breach.id}", breach_id=breach.id)
    return breach


def resume(store: Store, actor: Actor, type_id: int, reason: str) -> None:
    """Go on by the policy in force after a breach, with the reason: its checks begin anew, on probation, and what was
    held because it was suspended is routed by it again."""
    actor.require(WEIGH)
    reason = reason.strip()
    if not reason:
        raise InputError("Give the reason: what was wrong, and what was done about it?")
    if len(reason) > REASON_MAX:
        raise InputError(f"The reason has {len(reason)} letters; at most {REASON_MAX} are kept.")
    with store.session() as session:
        policy = current_policy(session, type_id)
        if policy is not None:
            policy = session.get_one(Policy, policy.id, with_for_update=True)
        breach = _open_breach(session, policy.id) if policy else None
        if policy is None or breach is None:
            raise Conflict("No breach of the policy in force is open.")
        breach.resumed_at, breach.resumed_by, breach.reason = datetime.now(UTC), actor.id, reason
        policy.suspended, policy.check_rate = False, None
        _route(session, type_id)
        record(session, actor, Action.RESUME_POLICY, "policy", policy.id, reason=reason)


def _route(session: Session, type_id: int) -> None:
    enqueue(session, Task.ROUTE_AGAIN, priority=60, lock=f"route-{type_id}", type_id=type_id)


def _open_breach(session: Session, policy_id: int) -> Breach | None:
    return session.scalar(select(Breach).where(Breach.policy_id == policy_id, Breach.resumed_at.is_(None)))


def breaches(session: Session, type_id: int) -> list[BreachView]:
    """All breaches of a type, the newest first."""
    newest = current_policy(session, type_id)
    later = aliased(Policy)
    replaced = (
        select(later.number)
        .where(later.type_id == Breach.type_id, later.number > Policy.number, later.created_at >= Breach.noticed_at)
        .order_by(later.number)
        .limit(1)
        .scalar_subquery()
    )
    rows = session.execute(
        select(Breach, Policy, Person.name, replaced)
        .join(Policy, Breach.policy_id == Policy.id)
        .outerjoin(Person, Breach.resumed_by == Person.id)
        .where(Breach.type_id == type_id)
        .order_by(Breach.id.desc())
    )
    return [
        BreachView(
            row.id,
            policy.number,
            DialSettings.of(policy).error_most,
            row.papers,
            row.values,
            row.wrong,
            row.winnings,
            row.suspends,
            row.noticed_at,
            row.told,
            row.resumed_at is None and newest is not None and newest.id == policy.id,
            row.resumed_at,
            name or "",
            row.reason,
            None if row.resumed_at else later_number,
        )
        for row, policy, name, later_number in rows
    ]


def open_breach(store: Store, type_id: int) -> BreachView | None:
    """The breach of the policy in force that waits for a person, if there is one."""
    with store.session() as session:
        return next((view for view in breaches(session, type_id) if view.open), None)


__all__ = ["BreachView", "breaches", "notice", "open_breach", "resume"]
