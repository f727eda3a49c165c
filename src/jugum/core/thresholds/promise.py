"""What can be promised of the values that pass on the evidence there is, and how much more evidence would prove it."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from jugum.core.thresholds.outcome import Outcome

EFFECTIVE_MAX = 100_000.0  # values; more are not worth a forecast


class PromiseState(StrEnum):
    """How a promise stands."""

    PROVEN = "proven"  # the upper bound keeps it
    EXPECTED = "expected"  # what was counted and what the confidences say keep it; the bound does not yet
    BROKEN = "broken"
    EMPTY = "empty"  # nothing passes


@dataclass(frozen=True)
class Promise:
    """Whether at most `error_most` (a share, 0–1) of the values that pass are wrong, at 95 % confidence. Of one that is
    expected: from about how many more papers like these it would be proven (None: more than are worth a forecast)."""

    error_most: float
    state: PromiseState
    more_papers: int | None = None


def promise_of(outcome: Outcome, error_most: float, papers: int) -> Promise:
    """What an outcome, counted on so many papers, says of a promise."""
    if not outcome.passing:
        return Promise(error_most, PromiseState.EMPTY)
    if outcome.error_upper <= error_most:
        return Promise(error_most, PromiseState.PROVEN)
    error = max(outcome.error_share, outcome.expected_share)
    if error > error_most:
        return Promise(error_most, PromiseState.BROKEN)
    needed = _values_to_prove(error, error_most, outcome.effective)
    if needed is None or not outcome.effective:
        return Promise(error_most, PromiseState.EXPECTED)
    more = papers * (needed / outcome.effective - 1)
    return Promise(error_most, PromiseState.EXPECTED, max(1, round(more)))


def _values_to_prove(error: float, error_most: float, begun: float) -> float | None:
    """The fewest values that err alone, wrong in a share of `error`, whose bound keeps within `error_most`; at least
    those there are. None above `EFFECTIVE_MAX`."""
    from scipy.special import betaincinv  # here: loading SciPy would delay every start by half a second

    def keeps(values: float) -> bool:
        wrong = error * values
        return bool(betaincinv(wrong + 1, values - wrong, 0.95) <= error_most)

    low = high = max(1.0, begun)
    while not keeps(high):
        low, high = high, 2 * high
        if high > EFFECTIVE_MAX:
            return None
    while high - low > 0.5:
        middle = (low + high) / 2
        low, high = (low, middle) if keeps(middle) else (middle, high)
    return high


__all__ = ["Promise", "PromiseState", "promise_of"]
