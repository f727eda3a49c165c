"""From decisions to the probability that each is right: `calibrator`, on the `records` of fields and layouts."""

from jugum.core.calibration.calibrator import (
    CALIBRATION_FEATURES,
    CONFIDENCE_MAX,
    VALUE,
    Calibrator,
    Calibrators,
    confidences,
    features_of,
    kind_of,
)

__all__ = [
    "CALIBRATION_FEATURES",
    "CONFIDENCE_MAX",
    "VALUE",
    "Calibrator",
    "Calibrators",
    "confidences",
    "features_of",
    "kind_of",
]
