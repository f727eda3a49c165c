"""The prior: a ranker trained on other types of paper, shipped with the program (made by `prior/build.py`).

It is the whole model while a type has fewer than three labelled papers, and speaks beside the type's own ranker afterwards: the more, the
stranger the paper's layout is.
"""

from __future__ import annotations

import json
from functools import lru_cache
from importlib import resources
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.features import FEATURES
from jugum.core.extraction.ranker import LOGIT_MAX

Floats = npt.NDArray[np.float32]
FAMILIAR = 0.6  # layout likeness from which on the prior has its least say
LEAST, MOST = 0.15, 0.6  # its share of the mean of logits on familiar and on altogether strange layouts


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
    """The prior that comes with the program. ValueError when it was made for other features: `python -m prior.build` makes it anew."""
    folder = resources.files("jugum.core.extraction").joinpath("data")
    about = json.loads(folder.joinpath("prior.json").read_text("utf-8"))
    if about["features"] != list(FEATURES):
        raise ValueError("the shipped prior was made for other features; run python -m prior.build")
    return Prior(folder.joinpath("prior.txt").read_text("utf-8"), about)


def share_of_prior(familiarity: float) -> float:
    """How much the prior counts in the mean of logits, by likeness (0–1) of the layout to the labelled ones: 0.6 at 0, 0.15 from
    0.6 on."""
    strange = min(1.0, max(0.0, 1 - familiarity / FAMILIAR))
    return LEAST + (MOST - LEAST) * strange
