"""How many of the papers that pass are checked now: much on probation, less as the promise is proven."""

from __future__ import annotations

from sqlalchemy import update
from sqlalchemy.orm import Session

from jugum.core.thresholds import outcome
from jugum.core.thresholds.checking import CheckRate, CheckRules, check_rate
from jugum.core.thresholds.promise import Promise, PromiseState, promise_of
from jugum.flow.weigh.checked import Checked, table_of
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.life import papers_a_week_in
from jugum.store.models import Policy

DAYS = 7


def promise_now(policy: Policy, values: list[Checked]) -> Promise:
    """What checked values say of the promise of a policy."""
    table = table_of(values)
    return promise_of(outcome(table, table.confidence >= 0), DialSettings.of(policy).error_most, table.papers)


def rate_now(session: Session, policy: Policy, rules: CheckRules, values: list[Checked]) -> CheckRate:
    """The rate by what the checks of a policy have shown so far, and by how many papers come in."""
    promise = promise_now(policy, values)
    papers = len({value.check_id for value in values})
    return check_rate(
        rules,
        promise.error_most,
        len(values) / papers if papers else max(1.0, float(len(policy.thresholds))),
        papers_a_week_in(session, policy.type_id) / DAYS,
        papers,
        0 if promise.state is PromiseState.PROVEN else promise.more_papers,
    )


def rate_anew(session: Session, type_id: int) -> None:
    """Have the rate worked out anew when it is needed next."""
    session.execute(update(Policy).where(Policy.type_id == type_id).values(check_rate=None))


__all__ = ["promise_now", "rate_anew", "rate_now"]
