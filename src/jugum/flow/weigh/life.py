"""What weighing knows of the office's days: how long review takes, how many papers come in."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from jugum.core.states import Purpose
from jugum.core.thresholds.effort import Effort, effort_of, visits_of
from jugum.store.models import Document, Hold

SETTLED_MOST = 3000  # the newest settled fields, which the effort is measured on
WEEKS = 4  # of arrivals, which the papers of a week are told from


def effort_in(session: Session, type_id: int) -> Effort:
    """Seconds that reviewing a paper of a type takes, from when its fields were settled."""
    return effort_of(visits_of(settled_in(session, type_id)))


def settled_in(session: Session, type_id: int) -> list[tuple[int | None, int, float]]:
    """The fields of a type that were settled last, the latest first: by whom, on which paper, when (seconds since an
    epoch)."""
    rows = session.execute(
        select(Hold.settled_by, Hold.document_id, Hold.settled_at)
        .join(Document, Hold.document_id == Document.id)
        .where(Document.type_id == type_id, Hold.settled_at.is_not(None))
        .order_by(Hold.settled_at.desc())
        .limit(SETTLED_MOST)
    ).all()
    return [(by, document, at.timestamp()) for by, document, at in rows if at is not None]


def papers_a_week_in(session: Session, type_id: int, now: datetime | None = None) -> float:
    """Live papers of a type that came in a week (see `came_a_week_in`)."""
    return came_a_week_in(session, Document.type_id == type_id, now=now)


def came_a_week_in(session: Session, *which: ColumnElement[bool], now: datetime | None = None) -> float:
    """Live papers (those for which all conditions hold) that came in a week, over the last four weeks, or since the
    first one came, though not over less than a week."""
    until = now or datetime.now(UTC)
    since = until - timedelta(weeks=WEEKS)
    live = (*which, Document.purpose == Purpose.LIVE)
    first = session.scalar(select(func.min(Document.received_at)).where(*live))
    if first is None:
        return 0.0
    count = session.scalar(select(func.count()).where(*live, Document.received_at >= since)) or 0
    weeks = max(1.0, (until - max(first, since)).total_seconds() / timedelta(weeks=1).total_seconds())
    return count / weeks


__all__ = ["came_a_week_in", "effort_in", "papers_a_week_in", "settled_in"]
