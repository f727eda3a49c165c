"""Whether a paper is opened at all: looking at a value costs little, opening its paper costs, too. A paper of which a
person would only see values that are hardly unsure is not worth it, though each is below its threshold."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

import numpy as np

from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.evidence import Floats


@dataclass(frozen=True)
class OpeningPrice:
    """What looking at a value, and opening its paper, costs in wrong values: .01 is a hundredth of what one costs."""

    look: float
    paper: float

    @staticmethod
    def of(wrong_value: float, review_hour: float, effort: Effort) -> OpeningPrice:
        """From what a wrong value and an hour of review cost, in the same money, and how long review takes."""
        second = review_hour / 3600 / wrong_value
        return OpeningPrice(second * effort.field_seconds, second * effort.opening_seconds)

    def gains(self, confidence: Floats, weight: Floats) -> Floats:
        """What looking at held values is worth (N): the chance that each is wrong, by the weight of its field, less
        what looking costs; none is worth less than nothing."""
        return np.asarray(np.maximum(0.0, weight * (1 - confidence) - self.look))


@dataclass(frozen=True)
class Opening:
    """A policy's rule for opening papers: the price, the weights of fields (1 where none is given), and fields whose
    thresholds were set by hand: a value below such a one is always looked at."""

    price: OpeningPrice
    weights: Mapping[str, float] = field(default_factory=dict)
    pinned: frozenset[str] = frozenset()

    def is_worth(self, held: Iterable[tuple[str, float]]) -> bool:
        """Whether a paper is opened for some values that are held for their confidence alone (field, confidence)."""
        values = list(held)
        if any(key in self.pinned for key, _ in values):
            return True
        confidence = np.array([sure for _, sure in values], dtype=np.float64)
        weight = np.array([self.weights.get(key, 1.0) for key, _ in values], dtype=np.float64)
        return bool(self.price.gains(confidence, weight).sum() > self.price.paper)


__all__ = ["Opening", "OpeningPrice"]
