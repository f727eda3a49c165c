"""Risk and coverage: how much passes at a threshold, how much of it is wrong, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from scipy.stats import beta


@dataclass(frozen=True)
class Evidence:
    """A decision whose truth is known: its confidence (0–1), the familiarity of its layout (0–1), whether it was right."""

    confidence: float
    familiarity: float
    right: bool


@dataclass(frozen=True)
class Outcome:
    """What a threshold does to `total` decisions: `passing` pass, `wrong` of these are wrong; `error_upper` is the upper
    bound on the share of wrong ones among what passes, at 95 % confidence (1.0 when nothing passes)."""

    total: int
    passing: int
    wrong: int
    error_upper: float

    @property
    def passing_share(self) -> float:
        return self.passing / self.total if self.total else 0.0

    @property
    def error_share(self) -> float:
        return self.wrong / self.passing if self.passing else 0.0


def upper_bound(wrong: int, total: int, *, level: float = 0.95) -> float:
    """One-sided Clopper–Pearson upper bound of a share (Clopper and Pearson, 1934): 0 of 45 at 90 % → 0.050.

    It takes decisions as independent; those on one paper are not quite.
    """
    if total <= 0 or wrong >= total:
        return 1.0
    return float(beta.ppf(level, wrong + 1, total - wrong))


def share_interval(hits: int, total: int, *, level: float = 0.95) -> tuple[float, float]:
    """Two-sided Wilson interval of a share (Wilson, 1927): 28 of 30 → (0.787, 0.982). (0, 1) when total is 0."""
    if total <= 0:
        return 0.0, 1.0
    from scipy.stats import norm

    z = float(norm.ppf(0.5 + level / 2))
    share = hits / total
    centre = (share + z * z / (2 * total)) / (1 + z * z / total)
    half = z / (1 + z * z / total) * (share * (1 - share) / total + z * z / (4 * total * total)) ** 0.5
    return max(0.0, centre - half), min(1.0, centre + half)


def outcome_of(evidence: Sequence[Evidence], threshold: float, familiarity_least: float = 0.0) -> Outcome:
    """Count what passes: confidence at or above the threshold, on a layout familiar enough."""
    passing = [one for one in evidence if one.confidence >= threshold and one.familiarity >= familiarity_least]
    wrong = sum(not one.right for one in passing)
    return Outcome(len(evidence), len(passing), wrong, upper_bound(wrong, len(passing)))


def threshold_for(
    evidence: Sequence[Evidence], error_most: float, familiarity_least: float = 0.0, *, step: float = 0.01
) -> float:
    """The lowest threshold on a grid (0.50 to 0.99) from which on upwards the share of wrong ones among what passes stays
    within `error_most`; and never under 1 − error_most, for a calibrated confidence below it admits to be too unsure.
    """
    lowest = 0.99
    for number in range(99, 49, -max(1, round(step * 100))):
        outcome = outcome_of(evidence, number / 100, familiarity_least)
        if outcome.passing and outcome.error_share > error_most:
            break
        lowest = number / 100
    return max(lowest, min(0.99, 1 - error_most))
