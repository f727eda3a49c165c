"""Raw score → probability that a decision is right."""

from jugum.core.calibration.multi import Calibrator

__all__ = ["Calibrator"]
