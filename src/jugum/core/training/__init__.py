"""From labels to a version: folds, held-out decisions, confidence, the layout gate.

`version` trains; `holdout` judges papers by models that had not seen them; `verdicts` says what is right;
`confidence` fits the calibrators and makes the evidence; `gate` says how like a labelled layout a new one must be;
`stages` tells how far a training is.
"""

from jugum.core.training.confidence import EvidenceRow
from jugum.core.training.holdout import FoldLeftOut, HeldOut, HeldOutDecisions, held_out_decisions
from jugum.core.training.verdicts import Counts, Verdict, is_right, verdict_on
from jugum.core.training.version import TrainedVersion, confident_decisions, train_version

__all__ = [
    "Counts",
    "EvidenceRow",
    "FoldLeftOut",
    "HeldOut",
    "HeldOutDecisions",
    "TrainedVersion",
    "Verdict",
    "confident_decisions",
    "held_out_decisions",
    "is_right",
    "train_version",
    "verdict_on",
]
