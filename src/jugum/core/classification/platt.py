"""Scores as chances: a line through the log-odds (Platt, 1999, with the targets of his paper, which keep it from
running away where few are wrong)."""

from __future__ import annotations

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
SLOPE_LEAST = 0.05  # a better score never means a smaller chance
STEPS = 50


def fit_platt(scores: Floats, right: npt.NDArray[np.bool_], weights: Floats) -> tuple[float, float]:
    """Slope and offset such that the logistic of slope × score + offset is the chance of being right; scores, whether
    right, and what each counts, all of shape (N,). Newton's method on the log-loss (Lin, Lin and Weng, 2007)."""
    good, bad = float(weights[right].sum()), float(weights[~right].sum())
    targets = np.where(right, (good + 1) / (good + 2), 1 / (bad + 2))
    centre = float(np.average(scores, weights=weights))
    spread = max(float(np.sqrt(np.average((scores - centre) ** 2, weights=weights))), 1e-9)
    design = np.column_stack([(scores - centre) / spread, np.ones(len(scores))])
    line = np.array([1.0, np.log((good + 1) / (bad + 1))])
    for _ in range(STEPS):
        chances = 1 / (1 + np.exp(-design @ line))
        gradient = design.T @ (weights * (chances - targets))
        curvature = (design * (weights * chances * (1 - chances))[:, None]).T @ design + 1e-6 * np.eye(2)
        step = np.linalg.solve(curvature, gradient)
        line -= step / max(1.0, float(np.abs(step).max()))  # no further than one at once: far off the curve is flat
        if np.abs(step).max() < 1e-9:
            break
    slope = float(line[0]) / spread
    if slope < SLOPE_LEAST:
        # the offset at which the mean chance is that of the targets
        slope, line[1] = SLOPE_LEAST, float(np.log((good + 1) / (bad + 1)))
    return slope, float(line[1]) - slope * centre


__all__ = ["fit_platt"]
