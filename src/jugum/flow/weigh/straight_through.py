"""Straight through: of a version's held-out papers, those that would pass whole under the policy in force."""

from __future__ import annotations

from sqlalchemy.orm import undefer

from jugum.core.thresholds.through import StraightThrough, straight_through
from jugum.flow.in_force import current_policy, thresholds_of, version_row
from jugum.flow.weigh.evidence import is_counted
from jugum.store import Store
from jugum.store.models import ModelVersion


def straight_through_rate(store: Store, version_id: int) -> tuple[int, StraightThrough, StraightThrough] | None:
    """What of a version's held-out papers would pass whole under the policy in force: its number, on known layouts
    and not seen. None without policy or evidence."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, options=[undefer(ModelVersion.evidence)]) or version_row(
            session, version_id
        )
        policy = current_policy(session, version.type_id)
        if policy is None or not version.evidence:
            return None
        thresholds = thresholds_of(policy)
        seen, unseen = (
            straight_through(
                [row for row in version.evidence if row["unseen"] is strange and is_counted(row)], thresholds
            )
            for strange in (False, True)
        )
        return policy.number, seen, unseen
