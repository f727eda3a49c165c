"""Live figures by day and week: what came, what went straight through, what was held and why, and what checks found of
what had passed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum
from statistics import fmean

import numpy as np

from jugum.core.evaluation.drift import LivePaper
from jugum.core.evaluation.intervals import share_interval
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.evidence import EvidenceTable
from jugum.core.thresholds.outcome import Outcome, outcome


class Span(StrEnum):
    """What figures are told by."""

    DAY = "day"
    WEEK = "week"

    def start(self, day: date) -> date:
        """The first day of the span that a day is in; weeks begin on Monday (ISO 8601)."""
        return day if self is Span.DAY else day - timedelta(days=day.weekday())

    @property
    def days(self) -> int:
        """How many days it has."""
        return 1 if self is Span.DAY else 7


@dataclass(frozen=True)
class Share:
    """So many of a total; the share (0–1, None of nothing) with its 95 % interval (Wilson, 1927)."""

    count: int
    total: int

    @property
    def share(self) -> float | None:
        return self.count / self.total if self.total else None

    @property
    def interval(self) -> tuple[float, float]:
        return share_interval(self.count, self.total)


@dataclass(frozen=True)
class CameIn:
    """A live paper: the day it came, the fields that were held for each reason, and what drift looks at."""

    id: int
    came: date
    held: Mapping[str, int]
    paper: LivePaper


@dataclass(frozen=True)
class Period:
    """A day or week from `start`: papers that came, how many went straight through, papers held by reason, minutes of
    review per 100 papers (None without papers), what was checked of what had passed (None where nothing was), papers of
    new layouts, and means (0–1) of the values' confidence and of that of reading."""

    start: date
    papers: tuple[int, ...]
    through: Share
    held: Mapping[str, int]
    minutes: float | None
    checked: Outcome | None
    new_layouts: Share
    confidence: float | None
    reading: float | None


def periods(
    papers: Sequence[CameIn], span: Span, effort: Effort, checked: EvidenceTable, checked_papers: Sequence[int]
) -> list[Period]:
    """From the first to the last that has a paper, without gaps. `checked` are values that had passed and were checked
    (N), `checked_papers` (N) the ids of their papers: they count where their paper came."""
    if not papers:
        return []
    by_start: dict[date, list[CameIn]] = {}
    for paper in papers:
        by_start.setdefault(span.start(paper.came), []).append(paper)
    place = {paper.id: span.start(paper.came) for paper in papers}
    days = [place.get(number) for number in checked_papers]
    found, start, last = [], min(by_start), max(by_start)
    while start <= last:
        mask = np.array([day == start for day in days], dtype=np.bool_)
        found.append(_period(start, by_start.get(start, []), effort, checked.where(mask) if mask.any() else None))
        start += timedelta(days=span.days)
    return found


def _period(start: date, its: Sequence[CameIn], effort: Effort, checked: EvidenceTable | None) -> Period:
    reasons = sorted({reason for paper in its for reason in paper.held})
    held = [paper for paper in its if paper.held]
    fields = sum(sum(paper.held.values()) for paper in held)
    minutes = effort.minutes(papers=len(held), fields=fields)
    return Period(
        start,
        tuple(paper.id for paper in its),
        Share(sum(paper.paper.through for paper in its), len(its)),
        {reason: sum(reason in paper.held for paper in its) for reason in reasons},
        100 * minutes / len(its) if its else None,
        outcome(checked, checked.confidence >= 0) if checked is not None else None,
        Share(sum(paper.paper.new_layout for paper in its), len(its)),
        fmean(paper.paper.confidence for paper in its) if its else None,
        fmean(paper.paper.reading for paper in its) if its else None,
    )


__all__ = ["CameIn", "Period", "Share", "Span", "periods"]
