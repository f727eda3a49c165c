"""What follows from a threshold, which threshold keeps a promise, and what must be held for a person."""

from jugum.core.thresholds.choice import by_budget, by_costs, by_promise, proposed_thresholds
from jugum.core.thresholds.dial import FieldRules
from jugum.core.thresholds.drafted import DraftedField
from jugum.core.thresholds.evidence import Evidence, EvidenceSource, EvidenceTable
from jugum.core.thresholds.frontier import FrontierPoint, frontier, point_of
from jugum.core.thresholds.outcome import Outcome, outcome, outcomes_by_field, passing
from jugum.core.thresholds.routing import Gate, Routed, Thresholds, hold_for, route

__all__ = [
    "DraftedField",
    "Evidence",
    "EvidenceSource",
    "EvidenceTable",
    "FieldRules",
    "FrontierPoint",
    "Gate",
    "Outcome",
    "Routed",
    "Thresholds",
    "by_budget",
    "by_costs",
    "by_promise",
    "frontier",
    "hold_for",
    "outcome",
    "outcomes_by_field",
    "passing",
    "point_of",
    "proposed_thresholds",
    "route",
]
