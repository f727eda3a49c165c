"""What spot checks have found: values that passed and were looked at, with their probabilities."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.thresholds import Evidence, EvidenceSource, EvidenceTable
from jugum.core.thresholds.checking import CheckedPaper
from jugum.flow.in_force import live_version
from jugum.store.models import Breach, CheckedValue, Document, Field, Policy, SpotCheck

CHECKS_MOST = 5000  # papers, the newest, that figures are told from


@dataclass(frozen=True)
class Checked:
    """A value that was checked: on which paper of which layout group, in which check, whether blind, when, and what was
    found and said."""

    check_id: int
    document_id: int
    paper: str
    layout_group_id: int | None
    field: str
    probability: float
    share: float
    blind: bool
    confidence: float
    layout_similarity: float
    right: bool
    found: str
    said: str
    done_at: datetime
    policy: int

    def evidence(self, now: datetime) -> Evidence:
        """As a decision whose truth is known."""
        return Evidence(
            self.field,
            self.confidence,
            self.right,
            self.layout_similarity,
            str(self.document_id),
            self.layout_group_id or 0,
            EvidenceSource.SPOT_CHECK,
            self.probability * self.share,
            max(0.0, (now - self.done_at) / timedelta(days=1)),
        )


def checked_values(
    session: Session,
    type_id: int,
    *,
    policy_id: int | None = None,
    version_id: int | None = None,
    since: datetime | None = None,
) -> list[Checked]:
    """The values of all checks of a type that are done, in the order in which they were; of one policy only, of papers
    that one version read, or of checks drawn since a moment."""
    wanted = [Document.type_id == type_id, SpotCheck.done_at.is_not(None)]
    if policy_id is not None:
        wanted.append(SpotCheck.policy_id == policy_id)
    if version_id is not None:
        wanted.append(Document.version_id == version_id)
    if since is not None:
        wanted.append(SpotCheck.drawn_at > since)
    newest = (
        select(SpotCheck.id)
        .join(Document, SpotCheck.document_id == Document.id)
        .where(*wanted)
        .order_by(SpotCheck.done_at.desc(), SpotCheck.id.desc())
        .limit(CHECKS_MOST)
    )
    rows: Iterable[Any] = session.execute(
        select(
            SpotCheck.id,
            SpotCheck.document_id,
            Document.name,
            Document.drafted_layout_id,
            Field.key,
            SpotCheck.probability,
            CheckedValue.share,
            SpotCheck.blind,
            CheckedValue.confidence,
            CheckedValue.layout_similarity,
            func.coalesce(CheckedValue.is_right, False),
            CheckedValue.found,
            CheckedValue.said,
            func.coalesce(SpotCheck.done_at, SpotCheck.drawn_at),
            Policy.number,
        )
        .join(SpotCheck, CheckedValue.spot_check_id == SpotCheck.id)
        .join(Document, SpotCheck.document_id == Document.id)
        .join(Field, CheckedValue.field_id == Field.id)
        .join(Policy, SpotCheck.policy_id == Policy.id)
        .where(SpotCheck.id.in_(newest))
        .order_by(SpotCheck.done_at, SpotCheck.id, Field.position)
    )
    return [Checked(*row) for row in rows]


def papers_of(values: Iterable[Checked]) -> list[CheckedPaper]:
    """Checked papers in the order in which they were."""
    grouped: dict[int, list[Checked]] = defaultdict(list)
    for value in values:
        grouped[value.check_id].append(value)
    return [
        CheckedPaper(len(its), sum(not value.right for value in its), its[0].probability) for its in grouped.values()
    ]


def table_of(values: Sequence[Checked], *, half_life_days: float | None = None) -> EvidenceTable:
    """Checked values as columns; what is old counts less where a half-life is given."""
    now = datetime.now(UTC)
    return EvidenceTable.of([value.evidence(now) for value in values], half_life_days=half_life_days)


def begun_at(session: Session, policy: Policy) -> datetime | None:
    """Since when a policy's checks count for its promise: since it was last resumed after a breach, or since the live
    version was published, if that was later; from the first where there was neither."""
    resumed = session.scalar(select(func.max(Breach.resumed_at)).where(Breach.policy_id == policy.id))
    live = live_version(session, policy.type_id)
    published = live.published_at if live and live.published_at and live.published_at > policy.created_at else None
    return max(filter(None, (resumed, published)), default=None)


__all__ = ["Checked", "begun_at", "checked_values", "papers_of", "table_of"]
