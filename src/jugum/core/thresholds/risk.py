"""Risk and coverage: how much passes at a threshold, how much of it is wrong, and how sure that is."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.evaluation.intervals import upper_bound


@dataclass(frozen=True)
class Evidence:
    """A decision whose truth is known: its confidence (0–1), the familiarity of its layout (0–1), whether it was
    right."""

    confidence: float
    layout_similarity: float
    right: bool


@dataclass(frozen=True)
class ThresholdOutcome:
    """What a threshold does to `total` decisions: `passing` pass, `wrong` of these are wrong; `error_upper` is the
    upper bound on the share of wrong ones among what passes, at 95 % confidence (1.0 when nothing passes)."""

    total: int
    passing: int
    wrong: int
    error_upper: float

    @property
    def passing_share(self) -> float:
        """Share of all decisions that pass, 0–1."""
        return self.passing / self.total if self.total else 0.0

    @property
    def error_share(self) -> float:
        """Share of wrong ones among those that pass, 0–1; 0 when none passes."""
        return self.wrong / self.passing if self.passing else 0.0


def outcome_of(evidence: Sequence[Evidence], threshold: float, layout_similarity_min: float = 0.0) -> ThresholdOutcome:
    """Count what passes: confidence at or above the threshold, on a layout familiar enough."""
    passing = [
        row for row in evidence if row.confidence >= threshold and row.layout_similarity >= layout_similarity_min
    ]
    wrong = sum(not row.right for row in passing)
    return ThresholdOutcome(len(evidence), len(passing), wrong, upper_bound(wrong, len(passing)))


def threshold_for(evidence: Sequence[Evidence], error_most: float, layout_similarity_min: float = 0.0) -> float:
    """The lowest threshold (to 0.99, in hundredths) from which on upwards what passes stays within `error_most` twice:
    the share counted wrong, and the share the confidences themselves expect to be wrong (mean of 1 − confidence).

    0.99 when nothing passes below it or nothing keeps within; never under 1 − 5 × `error_most` (nor 0.50), so that
    where evidence is thin no single value passes that is itself a gamble. Only known layouts count.
    """
    familiar = [row for row in evidence if row.layout_similarity >= layout_similarity_min]
    lowest = 0.99
    floor = max(50, round(100 - 500 * error_most))
    for number in range(99, floor - 1, -1):
        passing = [row for row in familiar if row.confidence >= number / 100]
        if passing:
            counted = sum(not row.right for row in passing) / len(passing)
            expected = sum(1 - row.confidence for row in passing) / len(passing)
            if max(counted, expected) > error_most:
                break
            lowest = number / 100
    return lowest
