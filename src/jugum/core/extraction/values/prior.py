"""The prior: a ranker trained on other types of paper, shipped with the program (made by `prior/build.py`).

It is the whole model while a type has fewer than three labelled papers. Afterwards its log-odds are one of the
ranker's features, and it is heard beside a ranker of few papers.
"""

from __future__ import annotations

import json
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.values.features import FEATURES
from jugum.core.extraction.values.ranker import LOGIT_MAX

Floats = npt.NDArray[np.float32]
HALF_AT = 2.0  # papers at which it has as much say as the ranker


class Prior:
    """Trees over the ranker's features."""

    def __init__(self, trees: str, about: dict[str, Any]) -> None:
        import lightgbm

        self.booster: Any = lightgbm.Booster(model_str=trees)
        self.about = about

    def logits(self, rows: Floats) -> npt.NDArray[np.float64]:
        """N log-odds that candidates are their fields' values, cut to ±9."""
        if not len(rows):
            return np.zeros(0)
        found: npt.NDArray[np.float64] = self.booster.predict(rows, raw_score=True, num_threads=1)
        return np.clip(found, -LOGIT_MAX, LOGIT_MAX)


@lru_cache(maxsize=1)
def shipped_prior() -> Prior:
    """The prior that comes with the program. ValueError when it was made for other features: `python -m prior.build`
    makes it anew."""
    folder = resources.files("jugum.core.extraction").joinpath("data")
    about = json.loads(folder.joinpath("prior.json").read_text("utf-8"))
    # Its weights are by place (decision 0011): under other features it would answer nonsense.
    if about["features"] != list(FEATURES):
        raise ValueError("the shipped prior was made for other features; run python -m prior.build")
    return Prior(folder.joinpath("prior.txt").read_text("utf-8"), about)


def share_of_prior(papers: int) -> float:
    """How much the prior counts in the mean of its log-odds and the ranker's, by the number of papers the ranker was
    fitted on: a half at 2, 31 % at 3, 14 % at 5, 4 % at 10. A ranker of few papers orders candidates well; the prior
    knows how sure one may be."""
    return 1 / (1 + (papers / HALF_AT) ** 2)
