"""What follows from a threshold, which threshold keeps a promise, and what must be held for a person."""

from jugum.core.thresholds.risk import Evidence, Outcome, outcome_of, threshold_for
from jugum.core.thresholds.routing import Drafted, Rule, hold_for

__all__ = [
    "Drafted",
    "Evidence",
    "Outcome",
    "Rule",
    "hold_for",
    "outcome_of",
    "threshold_for",
]
