"""Training a version with honest evidence: every figure is of papers that the ranker behind it had not seen."""

from jugum.core.evaluation.holdout import HeldOut, held_out_decisions, is_right
from jugum.core.evaluation.version import FieldFigures, Report, TrainedVersion, train_version

__all__ = [
    "FieldFigures",
    "HeldOut",
    "Report",
    "TrainedVersion",
    "held_out_decisions",
    "is_right",
    "train_version",
]
