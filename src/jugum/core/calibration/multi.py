"""Calibration on several signs at once: how sure the ranker is, by how much it leads, whether the layout is familiar
and the words were well read. A score alone can't tell a strange layout from a familiar one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction import Decision
from jugum.core.extraction.decided import PART_DIRECTIONS, PartDecision

SURE_MAX = 0.995
SIGNS = (
    "logit",
    "lead",
    "absent",
    "familiarity",
    "reading",
    "logit_if_familiar",
    "logit_if_absent",
    "opinion_agrees",
    "opinion_differs",
    "readings_differ",
)
# Which way each sign may speak: 1 for being right, −1 against, 0 either way. What a handful of papers happen to show must not turn a familiar
# layout, or a surer ranker, into a reason for doubt.
DIRECTIONS = (1, 1, 0, 1, 1, 1, 0, 1, -1, -1)
Floats = npt.NDArray[np.float64]


@dataclass
class Calibrator:
    """Logistic regression on the signs of a decision, fitted on out-of-fold decisions of one kind; no sign counts against its direction.

    Targets are Platt's (1999, section 2.2): (n₊+1)/(n₊+2) and 1/(n₋+2) instead of 1 and 0, so that a handful of right
    answers alone gives no certainty: with 10 decisions, all right, none is called surer than about 92 %.
    """

    regularisation: float = 1.0

    def fit(
        self,
        decisions: Sequence[Decision | PartDecision],
        right: Sequence[bool],
        weights: Sequence[float] | None = None,
    ) -> Calibrator:
        """decisions and right: N ≥ 1 each; ValueError when empty."""
        if not decisions:
            raise ValueError("calibration needs at least one decision")
        rows = signs_of(decisions)
        good = np.array(right, dtype=bool)
        self.mean_ = rows.mean(axis=0)
        self.scale_ = np.where(rows.std(axis=0) > 1e-6, rows.std(axis=0), 1.0)
        above, below = (good.sum() + 1) / (good.sum() + 2), 1 / ((~good).sum() + 2)
        target = np.where(good, above, below)
        weight = np.ones(len(rows)) if weights is None else np.array(weights, dtype=float)
        scaled = (rows - self.mean_) / self.scale_
        self.coefficients_, self.intercept_ = _fitted(
            scaled, target, weight, self.regularisation, directions_of(decisions[0])
        )
        self.decisions_ = len(rows)
        return self

    def probabilities(self, decisions: Sequence[Decision | PartDecision]) -> npt.NDArray[np.float64]:
        """Probability (0–1) that each decision is right, never surer than what N decisions can show: N+1 in N+2."""
        if not decisions:
            return np.zeros(0)
        scores = (signs_of(decisions) - self.mean_) / self.scale_ @ self.coefficients_ + self.intercept_
        sure: npt.NDArray[np.float64] = 1 / (1 + np.exp(-scores))
        return np.clip(sure, 0.005, min(SURE_MAX, (self.decisions_ + 1) / (self.decisions_ + 2)))

    def to_data(self) -> dict[str, Any]:
        return {
            "mean": self.mean_.tolist(),
            "scale": self.scale_.tolist(),
            "coefficients": self.coefficients_.tolist(),
            "intercept": self.intercept_,
            "decisions": self.decisions_,
        }

    @staticmethod
    def from_data(data: dict[str, Any], signs: int = 0) -> Calibrator:
        """The inverse of `to_data`. `signs` is how many a decision of this kind has now: those that came later than the data say nothing."""
        calibrator = Calibrator()
        known = len(data["mean"])
        more = (0, max(0, signs - known))
        calibrator.mean_ = np.pad(np.array(data["mean"]), more)
        calibrator.scale_ = np.pad(np.array(data["scale"]), more, constant_values=1.0)
        calibrator.coefficients_ = np.pad(np.array(data["coefficients"]), more)
        calibrator.intercept_ = float(data["intercept"])
        calibrator.decisions_ = int(data["decisions"])
        return calibrator


def directions_of(decision: Decision | PartDecision) -> tuple[int, ...]:
    """The directions of a decision's signs."""
    return PART_DIRECTIONS[decision.kind] if isinstance(decision, PartDecision) else DIRECTIONS


def _fitted(
    rows: Floats, target: Floats, weight: Floats, strength: float, directions: Sequence[int]
) -> tuple[Floats, float]:
    """Coefficients (S) and intercept of a logistic regression with soft targets (N, 0–1), weights (N) and an L2 penalty of 1/(2·strength), each
    coefficient on its side of nought."""
    from scipy.optimize import minimize  # here: loading SciPy would delay every start by half a second

    def loss(both: Floats) -> tuple[float, Floats]:
        scores = rows @ both[:-1] + both[-1]
        off = weight * (1 / (1 + np.exp(-scores)) - target)
        value = float(
            np.sum(weight * (np.logaddexp(0, scores) - target * scores)) + both[:-1] @ both[:-1] / (2 * strength)
        )
        return value, np.append(rows.T @ off + both[:-1] / strength, off.sum())

    sides = {1: (0.0, None), -1: (None, 0.0), 0: (None, None)}
    bounds = [*(sides[one] for one in directions), (None, None)]
    found = minimize(
        loss, np.zeros(rows.shape[1] + 1), jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": 500}
    )
    return np.asarray(found.x[:-1], dtype=np.float64), float(found.x[-1])


def signs_of(decisions: Sequence[Decision | PartDecision]) -> Floats:
    """N×S signs: of values those of SIGNS (for "not there" the logit is that of the best candidate, turned round), of parts their own."""
    return np.array(
        [one.signs if isinstance(one, PartDecision) else _value_signs(one) for one in decisions], dtype=np.float64
    )


def _value_signs(decision: Decision) -> tuple[float, ...]:
    absent = float(decision.absent)
    logit = -decision.logit if decision.absent else decision.logit
    lead = 0.0 if decision.absent else min(12.0, decision.logit - decision.rival)
    familiar = decision.familiarity
    agrees, differs = float(decision.opinion is True), float(decision.opinion is False)
    misread = float(decision.misread)
    return logit, lead, absent, familiar, decision.reading, logit * familiar, logit * absent, agrees, differs, misread
