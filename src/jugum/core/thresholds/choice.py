"""Three ways to set the dial: by a promise, by hours of review, by costs. All choose a point of the frontier."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.thresholds.evidence import EvidenceTable
from jugum.core.thresholds.frontier import FrontierPoint, bounded, frontier

# No single value passes that is likelier wrong than so many times what is promised of all. It would cost little of the
# promise where few such values come, and be a gamble all the same.
GAMBLE = 5.0


def by_promise(points: Sequence[FrontierPoint], error_most: float, *, proven: bool) -> FrontierPoint | None:
    """The laxest setting at which at most the share `error_most` of what passes is wrong: as counted and as the
    confidences expect it, and, where it must be `proven`, by the upper bound, too. None where nothing keeps it."""
    kept = [
        point
        for point in points
        if point.outcome.passing and point.setting <= GAMBLE * error_most and _keeps(point, error_most, proven)
    ]
    return kept[-1] if kept else None


def _keeps(point: FrontierPoint, error_most: float, proven: bool) -> bool:
    follows = point.outcome
    expected = max(follows.error_share, follows.expected_share)
    return max(expected, follows.error_upper if proven else 0.0) <= error_most


def proposed_thresholds(table: EvidenceTable, error_most: float, *, proven: bool = False) -> dict[str, float]:
    """The thresholds (0–1) of all fields of gated evidence that `by_promise` proposes; 1 where nothing keeps it."""
    chosen = by_promise(frontier(table), error_most, proven=proven)
    return {**dict.fromkeys(table.fields, 1.0), **(bounded(chosen.thresholds) if chosen else {})}


def by_budget(points: Sequence[FrontierPoint], hours_a_week: float, papers_a_week: float) -> FrontierPoint | None:
    """The strictest setting whose review fits into so many hours for so many papers; the laxest, where none does. None
    without a frontier."""
    minutes = 60 * hours_a_week
    fitting = [point for point in points if point.minutes * papers_a_week / 100 <= minutes]
    return fitting[0] if fitting else points[-1] if points else None


@dataclass(frozen=True)
class Costs:
    """What a wrong value costs (of a field with a weight so many times as much) and what an hour of review does, in the
    same money."""

    wrong_value: float
    review_hour: float


def by_costs(points: Sequence[FrontierPoint], costs: Costs, values_a_paper: float) -> FrontierPoint | None:
    """The setting at which wrong values and review cost least together, the laxest of equals. None without a
    frontier."""

    def cost(point: FrontierPoint) -> float:
        """Money for 100 papers."""
        wrong = point.weighted_wrong * values_a_paper * 100
        return wrong * costs.wrong_value + point.minutes / 60 * costs.review_hour

    return min(reversed(points), key=cost, default=None)


__all__ = ["GAMBLE", "Costs", "by_budget", "by_costs", "by_promise", "proposed_thresholds"]
