"""The ranker: is this candidate this field's value? Logistic regression and boosted trees, mean of their logits.

The regression carries over to layouts never seen, the trees fit the known ones; their mean was better than either.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.errors import NothingToLearn

Floats = npt.NDArray[np.float32]
LOGIT_MAX = 9.0  # no row is surer than one in eight thousand: more would drown all else that is added up
# Of Platt's line from rows to decisions: a few labels must not turn the scores over or blow them up.
SLOPES = (0.4, 1.5)
BINS = 63  # of a feature's values, for the trees


@dataclass
class Ranker:
    """`fit` on feature rows, then `logits`. Repeatable: same rows and seed, same numbers to the last digit."""

    regularisation: float = 0.05
    trees: int = 120
    leaves: int = 15
    learning_rate: float = 0.06
    seed: int = 0

    def fit(
        self,
        rows: Floats,
        right: npt.NDArray[np.bool_],
        weights: Floats,
        decisions: npt.NDArray[np.intp],
        *,
        prior_share: float = 0.0,
    ) -> Ranker:
        """rows: N×F, the prior's log-odds last; right: N; weights: N, positive; decisions: N, the number of the
        decision that each row is an answer to; `prior_share` (0–1) of the prior in the logits. Raises NothingToLearn
        without rows of both kinds."""
        self.slope_, self.level_ = 1.0, 0.0
        self.prior_share_ = prior_share
        if not right.any() or right.all():
            raise NothingToLearn("every candidate of the labelled values is right, or every one is wrong")
        # What no row has shown (the likeness of a familiar layout, where each paper is of a layout of its own) must not
        # be extrapolated from.
        self.low_, self.high_ = rows.min(axis=0), rows.max(axis=0)
        self.mean_ = rows.mean(axis=0).astype(np.float64)
        self.scale_ = np.where(rows.std(axis=0) > 1e-6, rows.std(axis=0), 1.0).astype(np.float64)
        from sklearn.linear_model import LogisticRegression  # here: it costs a second, and reading needs none of it

        line = LogisticRegression(C=self.regularisation, max_iter=300, tol=1e-3)
        line.fit((rows - self.mean_) / self.scale_, right, sample_weight=weights)
        self.coefficients_ = line.coef_[0].astype(np.float64)
        self.intercept_ = float(line.intercept_[0])
        import lightgbm

        self.booster_: Any = lightgbm.train(
            {
                "objective": "binary",
                "max_bin": BINS,
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
            lightgbm.Dataset(
                rows, label=right.astype(np.float32), weight=weights, params={"max_bin": BINS}, free_raw_data=True
            ),
            num_boost_round=self.trees,
        )
        self.slope_, self.level_ = _levelled(self._raw(rows), right, decisions)
        return self

    def logits(self, rows: Floats) -> npt.NDArray[np.float64]:
        """N log-odds, cut to ±9."""
        if not len(rows):
            return np.zeros(0)
        found = self.slope_ * self._raw(rows) + self.level_
        return np.clip((1 - self.prior_share_) * found + self.prior_share_ * rows[:, -1], -LOGIT_MAX, LOGIT_MAX)

    def _raw(self, rows: Floats) -> npt.NDArray[np.float64]:
        rows = np.clip(rows, self.low_, self.high_)
        line = (rows - self.mean_) / self.scale_ @ self.coefficients_ + self.intercept_
        trees = self.booster_.predict(rows, raw_score=True, num_threads=1)
        mean: npt.NDArray[np.float64] = (np.clip(line, -12, 12) + np.clip(trees, -12, 12)) / 2
        return mean

    def to_data(self) -> tuple[dict[str, Any], str]:
        """JSON-able parameters of the regression, and the trees in LightGBM's own text format."""
        return {
            "low": self.low_.tolist(),
            "high": self.high_.tolist(),
            "mean": self.mean_.tolist(),
            "scale": self.scale_.tolist(),
            "coefficients": self.coefficients_.tolist(),
            "intercept": self.intercept_,
            "prior_share": self.prior_share_,
            "slope": self.slope_,
            "level": self.level_,
        }, str(self.booster_.model_to_string())

    @staticmethod
    def from_data(line: dict[str, Any], trees: str) -> Ranker:
        """The inverse of `to_data`; ValueError for trees that are none."""
        import lightgbm

        ranker = Ranker()
        ranker.low_, ranker.high_ = (np.array(line[name], dtype=np.float32) for name in ("low", "high"))
        ranker.mean_ = np.array(line["mean"])
        ranker.scale_ = np.array(line["scale"])
        ranker.coefficients_ = np.array(line["coefficients"])
        ranker.intercept_ = float(line["intercept"])
        ranker.prior_share_, ranker.slope_, ranker.level_ = (
            float(line["prior_share"]),
            float(line["slope"]),
            float(line["level"]),
        )
        try:
            ranker.booster_ = lightgbm.Booster(model_str=trees)
        except lightgbm.basic.LightGBMError as error:
            raise ValueError("the trees can't be read") from error
        return ranker


def _levelled(
    logits: npt.NDArray[np.float64], right: npt.NDArray[np.bool_], decisions: npt.NDArray[np.intp]
) -> tuple[float, float]:
    """Slope and level that bring log-odds of rows to log-odds of decisions (Platt, 1999): among rows the wrong ones
    are by far more, so that a ranker of few papers orders well and calls nothing likely. Fitted on each decision's
    right rows and its hardest wrong one."""
    wrong = np.flatnonzero(~right)
    order = wrong[np.lexsort((-logits[wrong], decisions[wrong]))]
    _, first = np.unique(decisions[order], return_index=True)
    used = np.concatenate([np.flatnonzero(right), order[first]])
    asked, truth = logits[used], right[used]
    good = int(truth.sum())
    bad = len(truth) - good
    above, below = (good + 1) / (good + 2), 1 / (bad + 2)
    target = np.where(truth, above, below)
    from sklearn.linear_model import LogisticRegression

    line = LogisticRegression(C=1.0, max_iter=500)
    line.fit(
        np.concatenate([asked, asked])[:, None],
        np.repeat([1, 0], len(used)),
        sample_weight=np.concatenate([target, 1 - target]),
    )
    slope = float(np.clip(line.coef_[0][0], *SLOPES))
    return slope, float(line.intercept_[0]) + (float(line.coef_[0][0]) - slope) * float(np.median(asked))
