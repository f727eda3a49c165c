"""What follows from thresholds: how much passes, how much of it is wrong, and how sure that is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from jugum.core.evaluation.clustered import OnPapers, Sums, clustered_interval, clustered_upper_bound, effective
from jugum.core.thresholds.evidence import Bools, EvidenceTable, Floats

NEVER = np.inf  # a threshold that no confidence reaches
FEW = 11  # decisions; with fewer even none wrong leaves a bound of a quarter


@dataclass(frozen=True)
class Outcome:
    """What thresholds do to `total` decisions: `passing` pass, `wrong` of these are wrong.

    The shares (0–1) count each decision by its weight: `passing_share` of all that pass, `error_share` of what passes
    that is wrong (a ratio of weighted sums: Hájek, 1971), `expected_share` that the confidences expect to be (mean of
    1 − confidence). `error_upper` is the one-sided upper bound of the error at 95 %, `error_interval` the two-sided
    one (1 and 0–1 where nothing passes), both of so many values that err alone as say the same: `effective`."""

    total: int
    passing: int
    wrong: int
    passing_share: float
    error_share: float
    expected_share: float
    error_upper: float
    error_interval: tuple[float, float]
    effective: float


def limits_of(table: EvidenceTable, thresholds: Mapping[str, float]) -> Floats:
    """The threshold of each decision (N), by its field; none reaches that of a field without one."""
    return np.array([thresholds.get(key, NEVER) for key in table.fields] or [NEVER], dtype=np.float64)[table.field]


def passing(table: EvidenceTable, thresholds: Mapping[str, float]) -> Bools:
    """Which decisions pass (N): those as confident as the threshold of their field asks."""
    return np.asarray(table.confidence >= limits_of(table, thresholds))


def outcome(table: EvidenceTable, passes: Bools) -> Outcome:
    """What follows for all fields together when the decisions of a mask (N) pass."""
    weight = table.weight[passes]
    them = OnPapers.of_numbers(table.paper[passes], table.wrong[passes], weight)
    return outcome_of(
        table,
        counts=(int(passes.sum()), int(table.wrong[passes].sum())),
        sums=them.sums,
        doubt=float((weight * (1 - table.confidence[passes])).sum()),
    )


def says_something(total: int) -> bool:
    """Whether so many decisions are enough to say anything of a field."""
    return total >= FEW


def outcomes_by_field(table: EvidenceTable, passes: Bools) -> dict[str, Outcome]:
    """The same of each field by itself, of which a paper has one decision."""
    fields, field = len(table.fields), table.field[passes]

    def summed(values: Floats | Bools) -> list[float]:
        return [float(value) for value in np.bincount(field, weights=values, minlength=fields)]

    every = np.bincount(table.field, minlength=fields).tolist()
    weights = np.bincount(table.field, weights=table.weight, minlength=fields).tolist()
    weight, wrong = table.weight[passes], table.wrong[passes]
    counts = zip(np.bincount(field, minlength=fields).tolist(), map(int, summed(wrong)), strict=True)
    squares = summed(weight**2)
    sums = map(Sums, summed(weight), summed(weight * wrong), squares, squares)
    doubts = summed(weight * (1 - table.confidence[passes]))
    return {
        key: outcome_of(table, counts=count, sums=them, doubt=doubt, of=(total, heavy))
        for key, count, them, doubt, total, heavy in zip(
            table.fields, counts, sums, doubts, every, weights, strict=True
        )
    }


def outcome_of(
    table: EvidenceTable,
    *,
    counts: tuple[int, int],
    sums: Sums,
    doubt: float,
    of: tuple[int, float] | None = None,
) -> Outcome:
    """An outcome from sums over what passes: how many and how many wrong, by count and by weight, and the wrong ones
    that are expected, by weight; `of` so many decisions, of that weight, all of the table when nothing is given."""
    total, weight = of or (len(table), table.total_weight)
    return Outcome(
        total=total,
        passing=counts[0],
        wrong=counts[1],
        passing_share=sums.values / weight if weight else 0.0,
        error_share=sums.wrong / sums.values if sums.values else 0.0,
        expected_share=doubt / sums.values if sums.values else 0.0,
        error_upper=clustered_upper_bound(sums, table.correlation),
        error_interval=clustered_interval(sums, table.correlation),
        effective=effective(sums, table.correlation)[0],
    )


__all__ = ["NEVER", "Outcome", "outcome", "outcome_of", "outcomes_by_field", "passing", "says_something"]
