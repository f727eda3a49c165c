"""One dial for all fields of a type, since a promise is made for all of its values that pass.

Fourteen fields on 25 papers can say something about a promise of 2 %; one field on 25 papers can't: a single wrong
value is 4 % of it and would hold the field for ever, though it hardly weighs among all values that pass. So first each
field keeps the promise for itself; then one threshold after the other is made laxer, that first which lets pass most
for each value that is wrong, for as long as all that passes keeps the promise.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.thresholds.risk import Evidence

GAMBLE = 5.0  # neither a field nor a single value may be wrong so many times more often than is promised for all
STRICTEST, LAXEST = 99, 50  # hundredths

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
    moves = {(key, index) for key, field in fields.items() for index in field.indices_within(GAMBLE * error_most)}
    passing = sum((fields[key].sums[index] for key, index in chosen.items()), np.zeros(3))
    while moves := {(key, index) for key, index in moves if index > chosen[key]}:
        gains = {move: fields[move[0]].sums[move[1]] - fields[move[0]].sums[chosen[move[0]]] for move in moves}
        # name and number, so that the same evidence always gives the same answer
        cost = {move: (float(max(gain[1:]) / max(1e-9, gain[0])), move[0], -move[1]) for move, gain in gains.items()}
        best = min(moves, key=cost.__getitem__)
        moves.remove(best)
        after = passing + gains[best]
        if gains[best][0] and max(after[1:]) <= error_most * after[0]:
            passing, chosen[best[0]] = after, best[1]
    return {key: numbers[fields[key].laxest_like(index)] / 100 for key, index in chosen.items()}


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
        within = self.indices_within(share)
        return within[-1] if within else 0

    def laxest_like(self, index: int) -> int:
        """The laxest threshold at which no more passes than at another one; the strictest as it is, since it may be so
        for what stands above it."""
        if not index or not self.sums[index, 0]:
            return index
        return int(np.flatnonzero(self.sums[:, 0] == self.sums[index, 0])[-1])

    def indices_within(self, share: float) -> list[int]:
        """The thresholds at which no more than a share is wrong of what passes, which is something."""
        return [int(index) for index in np.flatnonzero((self.share <= share) & (self.sums[:, 0] > 0))]
