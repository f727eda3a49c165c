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
