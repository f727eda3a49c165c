"""Bounds of a share that was counted on papers: values of one paper err together, so that twenty of one paper prove
less than twenty of twenty papers.

A share of n values on papers is treated as one of fewer values that err alone: n divided by the design effect
1 + (m − 1) ρ, m the values a paper has (each value asking how many are with it) and ρ how much more alike two values of
a paper are than two of different ones (Kish, 1965; Korn and Graubard, 1998, for the bound). Where values count
unequally (they were drawn with different probabilities), n is first divided by 1 plus the squared variation of weights
(Kish).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
USUAL_CORRELATION = 0.08  # of being wrong, among values of one paper, where nothing is known yet: an assumption
USUAL_PAPERS = 60  # that many papers weigh as much as what is usual


@dataclass(frozen=True)
class OnPapers:
    """Values by the papers they stand on: for each paper how many there are and how many are wrong (P each), by weight,
    and the sum of squared weights (P). Papers without values are left out."""

    total: Floats
    wrong: Floats
    squares: Floats

    @staticmethod
    def of(papers: Sequence[str], wrong: Sequence[bool], weights: Sequence[float] | None = None) -> OnPapers:
        """N values: the paper of each, whether it is wrong, and what it counts (1 where nothing is given)."""
        _, place = np.unique(np.asarray(papers, dtype=object).astype(str), return_inverse=True)
        return OnPapers.of_numbers(place, wrong, weights)

    @staticmethod
    def of_numbers(papers: npt.ArrayLike, wrong: npt.ArrayLike, weights: npt.ArrayLike | None = None) -> OnPapers:
        """The same with papers as numbers from 0 (N)."""
        place = np.asarray(papers, dtype=np.int64)
        weight = np.ones(len(place)) if weights is None else np.asarray(weights, dtype=np.float64)

        def summed(values: Floats) -> Floats:
            return np.bincount(place, weights=values).astype(np.float64)

        total, bad = summed(weight), summed(weight * np.asarray(wrong, dtype=np.float64))
        some = total > 0
        return OnPapers(total[some], bad[some], summed(weight**2)[some])

    @property
    def values(self) -> float:
        """How many values there are, by weight."""
        return float(self.total.sum())

    @property
    def share(self) -> float:
        """The share that is wrong (0–1; 0 of none); a ratio of weighted sums (Hájek, 1971)."""
        return float(self.wrong.sum() / self.values) if self.values else 0.0

    @property
    def sums(self) -> Sums:
        """What bounds are worked out from."""
        return Sums(self.values, float(self.wrong.sum()), float(self.squares.sum()), float((self.total**2).sum()))


@dataclass(frozen=True)
class Sums:
    """Of values on papers: the sum of their weights, of those of wrong ones, of squared weights, and of the squares of
    what each paper weighs."""

    values: float
    wrong: float
    squares: float
    papers: float


def intraclass_correlation(them: OnPapers) -> float:
    """How much of the variance of being wrong lies between papers (0–1), by the analysis of variance of groups of
    unequal size (Donner, 1986), drawn to what is usual by as much as there are few papers. Weights must be 1."""
    papers, values = len(them.total), them.values
    if papers < 2 or values <= papers:
        return USUAL_CORRELATION
    within_papers = them.wrong / them.total
    between = float((them.total * (within_papers - them.share) ** 2).sum()) / (papers - 1)
    within = float((them.total * within_papers * (1 - within_papers)).sum()) / (values - papers)
    usual = (values - float((them.total**2).sum()) / values) / (papers - 1)
    below = between + (usual - 1) * within
    # Where nothing is wrong, or everything, nothing is told.
    own = max(0.0, (between - within) / below) if below > 0 else USUAL_CORRELATION
    return (papers * own + USUAL_PAPERS * USUAL_CORRELATION) / (papers + USUAL_PAPERS)


def effective(sums: Sums, correlation: float) -> tuple[float, float]:
    """How many values that err alone would say as much, and how many of them would be wrong."""
    if not sums.values:
        return 0.0, 0.0
    # among weights of one size the values of a paper are its total, of whichever size that is
    unequal = sums.squares / sums.values
    a_paper = sums.papers / sums.values / unequal
    alone = sums.values / unequal / (1 + max(0.0, a_paper - 1) * correlation)
    return alone, alone * min(1.0, sums.wrong / sums.values)


def clustered_upper_bound(sums: Sums, correlation: float, *, level: float = 0.95) -> float:
    """One-sided upper bound of the share that is wrong: that of Clopper and Pearson (1934) at the effective number of
    values; 1 where there are none. With a correlation of 0 and weights of 1 it is theirs."""
    from scipy.special import betaincinv  # here: loading SciPy would delay every start by half a second

    total, wrong = effective(sums, correlation)
    if total <= 0 or wrong >= total:
        return 1.0
    return float(betaincinv(wrong + 1, total - wrong, level))


def clustered_interval(sums: Sums, correlation: float, *, level: float = 0.95) -> tuple[float, float]:
    """Two-sided interval of the share that is wrong, of the same kind."""
    from scipy.special import betaincinv

    total, wrong = effective(sums, correlation)
    if total <= 0:
        return 0.0, 1.0
    tail = (1 - level) / 2
    low = float(betaincinv(wrong, total - wrong + 1, tail)) if wrong > 0 else 0.0
    high = float(betaincinv(wrong + 1, total - wrong, 1 - tail)) if wrong < total else 1.0
    return low, high


__all__ = [
    "OnPapers",
    "Sums",
    "clustered_interval",
    "clustered_upper_bound",
    "effective",
    "intraclass_correlation",
]
