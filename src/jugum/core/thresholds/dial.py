"""One dial for all fields of a type, since a promise is made for all of its values that pass.

Fourteen fields on 25 papers can say something about a promise of 2 %; one field on 25 papers can't: a single wrong
value is 4 % of it and would hold the field for ever, though it hardly weighs among all values that pass. So the
thresholds of all fields move together: at each stop of the dial every field lets pass what keeps within the same share
of wrong values. First each keeps the promise for itself; then the dial is turned laxer for as long as all that passes
keeps it.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.thresholds.risk import Evidence

GAMBLE = 5.0  # neither a field nor a single value may be wrong so many times more often than is promised for all
STRICTEST, LAXEST = 99, 50  # hundredths
STOPS = 40

Floats = npt.NDArray[np.float64]


def thresholds_for(
    evidence: Mapping[str, Sequence[Evidence]], error_most: float, layout_similarity_min: float = 0.0
) -> dict[str, float]:
    """The lowest thresholds (to 0.99, in hundredths) of all fields together, at which of all values that pass at most
    the share `error_most` is wrong, as counted and as the confidences expect it (mean of 1 − confidence).

    No field passes a larger share of wrong ones than `GAMBLE` × `error_most`, and no threshold is lower than
    1 − `GAMBLE` × `error_most` (nor 0.50), so that where evidence is thin no single value passes that is itself a
    gamble. A field whose surest values are wrong too often, or of which nothing is known, is at 0.99. Only layouts at
    least so familiar count.
    """
    numbers = range(STRICTEST, max(LAXEST, round(100 - 100 * GAMBLE * error_most)) - 1, -1)
    fields = {key: _Passing.of(rows, numbers, layout_similarity_min) for key, rows in evidence.items()}
    chosen = {key: field.index_within(error_most) for key, field in fields.items()}
    for within in np.linspace(error_most, GAMBLE * error_most, STOPS + 1)[1:]:
        laxer = {key: field.index_within(float(within)) for key, field in fields.items()}
        passing, wrong, doubt = sum((fields[key].sums[index] for key, index in laxer.items()), np.zeros(3))
        if max(wrong, doubt) > error_most * passing:
            break
        chosen = laxer
    return {key: numbers[index] / 100 for key, index in chosen.items()}


@dataclass(frozen=True)
class _Passing:
    """What passes of a field at each threshold, from strict to lax: how many, how many of them are wrong, how many the
    confidences expect to be (thresholds × 3), and the share of wrong ones, by whichever is more."""

    sums: Floats
    share: Floats

    @staticmethod
    def of(rows: Sequence[Evidence], numbers: Sequence[int], layout_similarity_min: float) -> _Passing:
        known = [
            (row.confidence, 1.0, float(not row.right), 1 - row.confidence)
            for row in rows
            if row.layout_similarity >= layout_similarity_min
        ]
        confidences, counted = np.split(np.array(known).reshape(-1, 4), [1], axis=1)
        thresholds = np.array(numbers)[:, None] / 100
        passes = np.less_equal(thresholds, confidences.T)
        sums = passes @ counted
        share = np.max(sums[:, 1:], axis=1) / np.maximum(1, sums[:, 0])
        return _Passing(sums, share)

    def index_within(self, share: float) -> int:
        """The laxest threshold at which no more than a share is wrong; the strictest, when there is none. Stricter ones
        need not keep it: a wrong value among the two surest is half of these, and one of twenty further down."""
        within = np.flatnonzero((self.share <= share) & (self.sums[:, 0] > 0))
        return int(within[-1]) if len(within) else 0
