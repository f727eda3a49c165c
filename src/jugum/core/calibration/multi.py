"""Calibration on several signs at once: how sure the ranker is, by how much it leads, whether the layout is familiar
and the words were well read. A score alone can't tell a strange layout from a familiar one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction import Decision
from jugum.core.extraction.decided import PartDecision

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
)
Floats = npt.NDArray[np.float64]


@dataclass
class Calibrator:
    """Logistic regression on the signs of a decision, fitted on out-of-fold decisions of one kind.

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
        from sklearn.linear_model import LogisticRegression  # here: it costs a second, and reading needs none of it

        line = LogisticRegression(C=self.regularisation, max_iter=1000)
        line.fit(
            np.concatenate([scaled, scaled]),
            np.repeat([1, 0], len(rows)),
            sample_weight=np.concatenate([weight * target, weight * (1 - target)]),
        )
        self.coefficients_: npt.NDArray[np.float64] = line.coef_[0]
        self.intercept_ = float(line.intercept_[0])
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
    def from_data(data: dict[str, Any]) -> Calibrator:
        calibrator = Calibrator()
        calibrator.mean_ = np.array(data["mean"])
        calibrator.scale_ = np.array(data["scale"])
        calibrator.coefficients_ = np.array(data["coefficients"])
        calibrator.intercept_ = float(data["intercept"])
        calibrator.decisions_ = int(data["decisions"])
        return calibrator


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
    return logit, lead, absent, familiar, decision.reading, logit * familiar, logit * absent, agrees, differs
