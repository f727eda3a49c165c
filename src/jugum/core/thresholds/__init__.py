"""What follows from a threshold, which threshold keeps a promise, and what must be held for a person."""

from jugum.core.thresholds.dial import thresholds_for
from jugum.core.thresholds.drafted import DraftedField
from jugum.core.thresholds.risk import Evidence, ThresholdOutcome, outcome_of
from jugum.core.thresholds.routing import Gate, Routed, Thresholds, hold_for, route

__all__ = [
    "DraftedField",
    "Evidence",
    "Gate",
    "Routed",
    "ThresholdOutcome",
    "Thresholds",
    "hold_for",
    "outcome_of",
    "route",
    "thresholds_for",
]
