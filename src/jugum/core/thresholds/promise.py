"""What can be promised of the values that pass on the evidence there is, and how much more evidence would do it."""

from __future__ import annotations

from dataclasses import dataclass

from jugum.core.evaluation.intervals import upper_bound
from jugum.core.thresholds.risk import ThresholdOutcome

VALUES_MAX = 100_000  # more are not worth a forecast


@dataclass(frozen=True)
class Promise:
    """Whether at most `error_most` (a share, 0–1) of the values that pass are wrong, at 95 % confidence. If that is not
    shown: about how many more values must pass, with errors as rare as now, until it is (None: never, since more are
    wrong already), and from how many more papers they come."""

    error_most: float
    shown: bool
    more_values: int | None = None
    more_papers: int | None = None


def promise_of(outcome: ThresholdOutcome, error_most: float, papers: int) -> Promise:
    """What `outcome`, counted on `papers` papers, says of a promise."""
    passing, wrong = outcome.passing, outcome.wrong
    if outcome.error_upper <= error_most:
        return Promise(error_most, True)
    if passing and wrong / passing >= error_most:
        return Promise(error_most, False)
    more = _more_values(passing, wrong, error_most)
    if more is None or not passing or not papers:
        return Promise(error_most, False, more)
    return Promise(error_most, False, more, -(-more * papers // passing))


def _more_values(passing: int, wrong: int, error_most: float) -> int | None:
    """The fewest more values, wrong in the same share as now, at which the bound keeps within `error_most`; None above
    `VALUES_MAX`."""

    def keeps(more: int) -> bool:
        total = passing + more
        return upper_bound(round(wrong * total / passing) if passing else 0, total) <= error_most

    high = 1
    while not keeps(high):
        high *= 2
        if high > VALUES_MAX:
            return None
    low = high // 2
    while low + 1 < high:
        middle = (low + high) // 2
        low, high = (low, middle) if keeps(middle) else (middle, high)
    return high
