"""The ranker: is this candidate this field's value? Logistic regression and boosted trees, mean of their logits.

The regression carries over to layouts never seen, the trees fit the known ones; their mean was better than either.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float32]
LOGIT_MAX = 9.0


@dataclass
class Ranker:
    """`fit` on feature rows, then `logits`. Repeatable: same rows and seed, same numbers to the last digit."""

    regularisation: float = 0.05
    trees: int = 120
    leaves: int = 15
    learning_rate: float = 0.06
    seed: int = 0

    def fit(self, rows: Floats, right: npt.NDArray[np.bool_], weights: Floats) -> Ranker:
        """rows: N×F; right: N; weights: N, positive. Needs rows of both kinds (ValueError else)."""
        if not right.any() or right.all():
            raise ValueError("a ranker needs right and wrong candidates")
        self.mean_ = rows.mean(axis=0).astype(np.float64)
        self.scale_ = np.where(rows.std(axis=0) > 1e-6, rows.std(axis=0), 1.0).astype(np.float64)
        from sklearn.linear_model import LogisticRegression  # here: it costs a second, and reading needs none of it

        line = LogisticRegression(C=self.regularisation, max_iter=500)
        line.fit((rows - self.mean_) / self.scale_, right, sample_weight=weights)
        self.coefficients_ = line.coef_[0].astype(np.float64)
        self.intercept_ = float(line.intercept_[0])
        import lightgbm

        self.booster_: Any = lightgbm.train(
            {
                "objective": "binary",
                "num_leaves": self.leaves,
                "learning_rate": self.learning_rate,
                "min_data_in_leaf": 5,
                "feature_fraction": 0.7,
                "lambda_l2": 1.0,
                "seed": self.seed,
                "deterministic": True,
                "force_row_wise": True,
                "num_threads": 1,
                "verbosity": -1,
            },
            lightgbm.Dataset(rows, label=right.astype(np.float32), weight=weights, free_raw_data=True),
            num_boost_round=self.trees,
        )
        return self

    def logits(self, rows: Floats) -> npt.NDArray[np.float64]:
        """N log-odds, cut to ±9."""
        if not len(rows):
            return np.zeros(0)
        line = (rows - self.mean_) / self.scale_ @ self.coefficients_ + self.intercept_
        trees = self.booster_.predict(rows, raw_score=True, num_threads=1)
        mean: npt.NDArray[np.float64] = np.clip(
            (np.clip(line, -12, 12) + np.clip(trees, -12, 12)) / 2, -LOGIT_MAX, LOGIT_MAX
        )
        return mean

    def to_data(self) -> tuple[dict[str, Any], str]:
        """JSON-able parameters of the regression, and the trees in LightGBM's own text format."""
        return {
            "mean": self.mean_.tolist(),
            "scale": self.scale_.tolist(),
            "coefficients": self.coefficients_.tolist(),
            "intercept": self.intercept_,
        }, str(self.booster_.model_to_string())

    @staticmethod
    def from_data(line: dict[str, Any], trees: str) -> Ranker:
        import lightgbm

        ranker = Ranker()
        ranker.mean_ = np.array(line["mean"])
        ranker.scale_ = np.array(line["scale"])
        ranker.coefficients_ = np.array(line["coefficients"])
        ranker.intercept_ = float(line["intercept"])
        ranker.booster_ = lightgbm.Booster(model_str=trees)
        return ranker
