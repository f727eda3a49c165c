"""Live figures of a type: how its papers fared, by day and week, and what is other now than before."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.evaluation.drift import PAPERS_LEAST, Drift, LivePaper, drift
from jugum.core.states import DONE_STATES, DocumentState, Purpose
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.periods import CameIn, Period, Span, periods
from jugum.flow.in_force import current_policy, thresholds_of
from jugum.flow.weigh.checked import checked_values, table_of
from jugum.flow.weigh.life import effort_in
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, PageRow, Policy, Reading

WEEKS = {Span.WEEK: 26, Span.DAY: 5}
PAPERS_MOST = 20_000  # the newest
NOW_DAYS = 14  # that drift takes for now
DRIFT_MOST = 500  # papers of either time, the newest
LISTED_MOST = 300


@dataclass(frozen=True)
class Published:
    """A policy and the day it was published."""

    policy: int
    day: date


@dataclass(frozen=True)
class Listed:
    """A paper of a period: its state, the fields that were held for each reason."""

    id: int
    name: str
    state: str
    received_at: datetime
    held: dict[str, int]
    new_layout: bool


@dataclass(frozen=True)
class LiveView:
    """Figures by `span`, the policies that were published meanwhile, what drifted since the policy in force (from so
    many papers before to so many now), and the papers of the period that was asked for."""

    span: Span
    periods: list[Period]
    published: list[Published]
    effort: Effort
    drifts: list[Drift]
    papers_before: int
    papers_now: int
    opened: Period | None
    papers: list[Listed]


def live(store: Store, type_id: int, span: Span = Span.WEEK, start: date | None = None) -> LiveView:
    """How the live papers of a type fared; with the papers of the period that begins on a day."""
    now = datetime.now(UTC)
    with store.session() as session:
        rows = _rows(session, type_id, now - timedelta(weeks=WEEKS[span]))
        came = _came(session, rows)
        values = checked_values(session, type_id)
        effort = effort_in(session, type_id)
        found = periods(came, span, effort, table_of(values), [value.document_id for value in values])
        policy = current_policy(session, type_id)
        before, recent = _two_times(session, came, policy, now)
        opened = next((period for period in found if period.start == start), None)
        return LiveView(
            span,
            found,
            _published(session, type_id, found),
            effort,
            drift(before, recent),
            len(before),
            len(recent),
            opened,
            _listed(rows, came, opened) if opened else [],
        )


def _rows(session: Session, type_id: int, since: datetime) -> Sequence[Document]:
    """Live papers that were drafted, the newest first."""
    return session.scalars(
        select(Document)
        .where(
            Document.type_id == type_id,
            Document.purpose == Purpose.LIVE,
            Document.version_id.is_not(None),
            Document.state.in_((DocumentState.HELD, *DONE_STATES)),
            Document.received_at >= since,
        )
        .order_by(Document.received_at.desc(), Document.id.desc())
        .limit(PAPERS_MOST)
    ).all()


def _came(session: Session, rows: Sequence[Document]) -> list[CameIn]:
    """Papers as figures are told of them, the oldest first."""
    ids = [row.id for row in rows]
    held: dict[int, dict[str, int]] = defaultdict(dict)
    for document, reason, count in session.execute(
        select(Hold.document_id, Hold.reason, func.count(func.distinct(Hold.field_id)))
        .where(Hold.document_id.in_(ids))
        .group_by(Hold.document_id, Hold.reason)
    ):
        held[document][reason] = count
    sure = _means(session, Reading, ids)
    read = _means(session, PageRow, ids)
    missing: dict[int, set[str]] = defaultdict(set)
    for document, key in session.execute(
        select(Reading.document_id, Field.key)
        .join(Field, Reading.field_id == Field.id)
        .where(Reading.document_id.in_(ids), Reading.absent)
    ):
        missing[document].add(key)
    return [
        CameIn(
            row.id,
            row.received_at.astimezone(UTC).date(),
            held[row.id],
            LivePaper(
                not held[row.id],
                row.read_with is not None,
                sure.get(row.id, 0.0),
                read.get(row.id, 0.0),
                frozenset(missing[row.id]),
            ),
        )
        for row in reversed(rows)
    ]


def _means(session: Session, table: type[Reading | PageRow], ids: Sequence[int]) -> dict[int, float]:
    """The mean confidence that a table has of each paper."""
    query = (
        select(table.document_id, func.avg(table.confidence))
        .where(table.document_id.in_(ids), table.confidence.is_not(None))
        .group_by(table.document_id)
    )
    return {document: float(mean) for document, mean in session.execute(query)}


def _two_times(
    session: Session, came: Sequence[CameIn], policy: Policy | None, now: datetime
) -> tuple[list[LivePaper], list[LivePaper]]:
    """Papers that came before the policy in force, and those of the last days since; where too few came before, the two
    halves of all. Both as they pass by that policy: what another one held or let pass is no drift."""
    times = [its[-DRIFT_MOST:] for its in _parted(came, policy, now)]
    through = _through(session, policy, [paper.id for its in times for paper in its]) if policy else set()
    before, recent = ([replace(paper.paper, through=paper.id in through) for paper in its] for its in times)
    return before, recent


def _through(session: Session, policy: Policy, ids: Sequence[int]) -> set[int]:
    """Of some papers those of which everything that the policy weighs passes by it."""
    thresholds = thresholds_of(policy)
    rows = session.execute(
        select(Reading.document_id, Field.key, Reading.confidence, Reading.layout_similarity)
        .join(Field, Reading.field_id == Field.id)
        .where(Reading.document_id.in_(ids), Reading.position == 0)
    )
    held: dict[int, dict[str, tuple[float | None, float | None]]] = defaultdict(dict)
    for document, key, confidence, similarity in rows:
        whole = key.split(".", 1)[0]  # a table's confidence is kept with its columns
        gate = thresholds.gate(whole)
        if gate is not None and not gate.passes(confidence, similarity):
            held[document][whole] = (confidence, similarity)
    return set(ids) - {document for document, fields in held.items() if thresholds.opens(fields)}


def _parted(came: Sequence[CameIn], policy: Policy | None, now: datetime) -> tuple[Sequence[CameIn], Sequence[CameIn]]:
    if policy is not None:
        published = policy.created_at.astimezone(UTC).date()
        before = [paper for paper in came if paper.came < published]
        since = max(published, (now - timedelta(days=NOW_DAYS)).date())
        if len(before) >= PAPERS_LEAST:
            return before, [paper for paper in came if paper.came >= since]
    half = len(came) // 2
    return came[:half], came[half:]


def _published(session: Session, type_id: int, found: Sequence[Period]) -> list[Published]:
    if not found:
        return []
    rows = session.execute(
        select(Policy.number, Policy.created_at).where(Policy.type_id == type_id).order_by(Policy.number)
    )
    days = [Published(number, at.astimezone(UTC).date()) for number, at in rows]
    return [policy for policy in days if policy.day >= found[0].start]


def _listed(rows: Sequence[Document], came: Sequence[CameIn], opened: Period) -> list[Listed]:
    known = {paper.id: paper for paper in came}
    wanted = set(opened.papers)
    return [
        Listed(row.id, row.name, row.state, row.received_at, dict(known[row.id].held), known[row.id].paper.new_layout)
        for row in rows
        if row.id in wanted
    ][:LISTED_MOST]


__all__ = ["Listed", "LiveView", "Published", "live"]
