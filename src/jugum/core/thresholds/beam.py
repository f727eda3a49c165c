"""The beam: how far a confidence stands from its threshold, in log-odds and as a tilt."""

from __future__ import annotations

import math

TILT_MAX = 24.0  # degrees; steeper and the glyph leaves its box
DEGREES_A_LOGIT = 7.0  # the glyph is at its end at 3.4 logits, such as 97 % against 50 %


def tilt(confidence: float, threshold: float) -> float:
    """Degrees clockwise (−24 to 24) in proportion to the difference of log-odds: positive passes, 0 lies on the
    threshold.

    0.97 against 0.90 → 8.9; equal values → 0.
    """
    return max(-TILT_MAX, min(TILT_MAX, DEGREES_A_LOGIT * margin(confidence, threshold)))


def margin(confidence: float, threshold: float) -> float:
    """The difference of log-odds, above 0 for what passes: 0.97 against 0.90 → 1.28."""
    return _log_odds(confidence) - _log_odds(threshold)


def _log_odds(probability: float) -> float:
    bounded = min(0.999, max(0.001, probability))
    return math.log(bounded / (1 - bounded))
