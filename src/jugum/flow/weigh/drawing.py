"""Drawing papers for spot checks when they are routed."""

from __future__ import annotations

from collections.abc import Container, Mapping

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.thresholds import DraftedField
from jugum.core.thresholds.beam import margin
from jugum.core.thresholds.checking import CheckRules, draw
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.weigh.checked import begun_at, checked_values
from jugum.flow.weigh.rate import rate_now
from jugum.store.models import CheckedValue, Document, Policy, SpotCheck


def draw_check(
    session: Session,
    document: Document,
    policy: Policy | None,
    drafted: Mapping[str, DraftedField],
    held: Container[str],
) -> bool:
    """Decide whether a paper that was just routed is checked, in place of what was decided before; a check that is
    done stays. Returns whether it is."""
    session.execute(delete(SpotCheck).where(SpotCheck.document_id == document.id, SpotCheck.done_at.is_(None)))
    if policy is None or policy.suspended:
        return False
    settings = CheckSettings.of(document.placed_type)
    passing = {
        key: one
        for key, one in drafted.items()
        if key in policy.thresholds and key not in held and one.confidence is not None
    }
    if not settings.on or not passing:
        return False
    margins = {key: margin(one.confidence or 0.0, float(policy.thresholds[key])) for key, one in passing.items()}
    rate = _rate(session, policy, settings.rules)
    drawn = draw(settings.rules, rate, document.id, policy.id, margins, _layout_checks(session, document, policy))
    if drawn is None:
        return False
    check = SpotCheck(document_id=document.id, policy_id=policy.id, probability=drawn.probability, blind=drawn.blind)
    session.add(check)
    session.flush()
    rows = {row.key: row for row in document.placed_type.fields}
    session.add_all(
        CheckedValue(
            spot_check_id=check.id,
            document_id=document.id,
            field_id=rows[key].id,
            confidence=passing[key].confidence or 0.0,
            layout_similarity=1.0 if (likeness := passing[key].layout_similarity) is None else likeness,
            share=drawn.share,
        )
        for key in drawn.fields
    )
    return True


def _rate(session: Session, policy: Policy, rules: CheckRules) -> float:
    """The rate in force; worked out when nothing is known of it yet."""
    if policy.check_rate is None:
        values = checked_values(session, policy.type_id, policy_id=policy.id, since=begun_at(session, policy))
        policy.check_rate = rate_now(session, policy, rules, values).rate
    return policy.check_rate


def _layout_checks(session: Session, document: Document, policy: Policy) -> int:
    """How many papers of its layout were checked by a policy, or wait for it."""
    if document.drafted_layout_id is None:
        return 0
    count = session.scalar(
        select(func.count(SpotCheck.id))
        .join(Document, SpotCheck.document_id == Document.id)
        .where(SpotCheck.policy_id == policy.id, Document.drafted_layout_id == document.drafted_layout_id)
    )
    return count or 0


__all__ = ["draw_check"]
