"""The dial: the thresholds of all fields of a type as one parameter, from strict to lax.

A promise is made for all values that pass, not field by field: fourteen fields on 25 papers can say something about
2 %, one field on 25 papers can't. So all thresholds move together. At a setting ε a field's threshold is the one at
which wrong − ε × passing is least: each wrong value costs one, each that passes saves ε. So it goes on for as long as
of what comes in next at most the share ε is wrong (the lower convex hull of wrong against passing values, up to where
it grows steeper than ε). Among all ways to let so many values pass this is the one with the fewest wrong ones, and what
passes at a strict setting passes at every laxer one. A field whose wrong values cost more than others' has a weight: it
goes as far as ε divided by it.

ε is also a price: where looking at a value costs a part ε of what a wrong one costs, the setting ε is the cheapest.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

import numpy as np

from jugum.core.thresholds.evidence import EvidenceTable, Floats, Ints
from jugum.core.thresholds.opening import OpeningPrice
from jugum.core.thresholds.outcome import NEVER

# Thresholds that are proposed: hundredths that a person can read, and one between the last and certainty. At 1 nothing
# passes but what is certain by itself.
TINY = 1e-9  # 1 − 0.1 is no more than 0.9
GRID = np.array([1.0, 0.995, *(number / 100 for number in range(99, 49, -1))])


@dataclass(frozen=True)
class FieldRules:
    """What a person asks of single fields: how much more a wrong value of it weighs than that of others (1 where
    nothing is said), thresholds that stay as they are, and fields that always go to a person; and the price at which
    papers are opened, where they are only when it is worth it."""

    weights: Mapping[str, float] = field(default_factory=dict)
    pinned: Mapping[str, float] = field(default_factory=dict)
    always_held: frozenset[str] = frozenset()
    opening: OpeningPrice | None = None


def entered(table: EvidenceTable) -> Ints:
    """The place in the grid of the strictest threshold that lets each decision pass (N); the grid's length for one that
    no threshold of it does."""
    return np.searchsorted(-GRID, -table.confidence)


@dataclass(frozen=True)
class Curves:
    """What passes of each of F fields at each threshold of the grid (F × G), from strict to lax: how much, and how much
    of it is wrong, as counted or as the confidences expect, whichever is more."""

    fields: tuple[str, ...]
    passing: Floats
    wrong: Floats

    @staticmethod
    def of(table: EvidenceTable) -> Curves:
        """From decisions, of which those on new layouts pass nowhere (`EvidenceTable.gated`)."""
        (only,) = Curves.of_others(table, np.zeros(len(table), dtype=np.int64), 1, entered(table))
        return only

    @staticmethod
    def of_others(table: EvidenceTable, fold: Ints, folds: int, grid_place: Ints) -> list[Curves]:
        """For each of some folds (the number of each decision's, N) the curves of the decisions of all others; of all
        decisions where there is one fold. `grid_place` (N) is what `entered` gives."""
        shape = folds, len(table.fields), len(GRID) + 1
        place = (fold * shape[1] + table.field) * shape[2] + grid_place

        def along(values: Floats) -> Floats:
            sums = np.bincount(place, weights=values, minlength=shape[0] * shape[1] * shape[2])
            of_folds = sums.reshape(shape)[:, :, :-1].cumsum(axis=2)
            return np.asarray(of_folds if folds == 1 else of_folds.sum(axis=0) - of_folds)

        passing, wrong = along(table.weight), along(table.weight * table.wrong)
        worse = np.maximum(wrong, along(table.weight * (1 - table.confidence)))
        return [Curves(table.fields, passing[number], worse[number]) for number in range(folds)]

    def thresholds_at(self, setting: float, rules: FieldRules = FieldRules()) -> dict[str, float]:
        """The thresholds (0–1) at a setting (0–1), by field; `NEVER` of fields that are always held.

        Nowhere does a value pass that is itself likelier wrong than the setting says, however good all values were
        that its field has had; of a field that has had none, nothing passes."""
        shares = np.array([setting / rules.weights.get(key, 1.0) for key in self.fields])[:, None]
        # rounded: where no value comes in, two thresholds are equal, and not nearly so
        loss = np.round(self.wrong - shares * self.passing, 9)
        loss[1 - shares - TINY > GRID] = np.inf
        # the laxest of several that are equal
        place = len(GRID) - 1 - np.argmin(loss[:, ::-1], axis=1)
        nothing = self.passing[np.arange(len(place)), place] <= TINY
        chosen = np.where(nothing, 1.0, GRID[place])
        found = dict(zip(self.fields, chosen.tolist(), strict=True))
        pinned = {key: float(threshold) for key, threshold in rules.pinned.items() if key in found}
        return {**found, **pinned, **{key: NEVER for key in rules.always_held if key in found}}


__all__ = ["GRID", "Curves", "FieldRules", "entered"]
