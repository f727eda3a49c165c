"""The statistics of a report: precision and recall, intervals by bootstrap over papers, and how true confidences
are."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.evaluation.intervals import share_interval
from jugum.core.training.verdicts import Counts

Floats = npt.NDArray[np.float64]
DRAWS = 2000  # of a permutation test: a chance of 5 % rests on a hundred of them
RESAMPLES = 600  # the 2.5 % quantile rests on 15 of them


def macro_f1(counts: Sequence[Counts]) -> float:
    """Mean F1 over fields that have something to find or found; 1 for none."""
    told = [count.f1 for count in counts if count.found + count.there]
    return sum(told) / len(told) if told else 1.0


def bootstrap_interval(
    papers: Sequence[npt.ArrayLike],
    figure: Callable[[Floats], float],
    *,
    level: float = 0.95,
    seed: int = 0,
    resamples: int = RESAMPLES,
) -> tuple[float, float]:
    """Percentile interval of a figure by resampling whole papers (Efron and Tibshirani, 1993, chapter 13), since values
    of one paper go together.

    papers: P rows of K counts each; `figure` is given K sums over resampled papers. (0, 1) for none; the same seed
    gives the same interval.
    """
    rows = np.array([np.asarray(paper, dtype=np.float64) for paper in papers])
    if not len(rows):
        return 0.0, 1.0
    rng = np.random.default_rng(seed)
    # how often each paper is drawn: all resamples in one product
    weights = rng.multinomial(len(rows), np.full(len(rows), 1 / len(rows)), size=resamples)
    values = np.array([figure(sums) for sums in weights @ rows])
    low, high = np.quantile(values, [(1 - level) / 2, (1 + level) / 2])
    return float(low), float(high)


def share_by_papers(papers: Sequence[tuple[int, int]], *, seed: int = 0) -> tuple[float, float]:
    """Interval of a share from (hits, total) of each paper. The wider of the bootstrap over papers and of Wilson's
    interval: where all papers are without a miss the bootstrap would be a point."""
    hits, total = sum(paper[0] for paper in papers), sum(paper[1] for paper in papers)
    if not total:
        return 0.0, 1.0
    low, high = bootstrap_interval(papers, lambda sums: sums[0] / sums[1] if sums[1] else hits / total, seed=seed)
    plain = share_interval(hits, total)
    return min(low, plain[0]), max(high, plain[1])  # the wider promises less


def chance_of_gap(
    mine: Sequence[tuple[int, int]], others: Sequence[tuple[int, int]], *, seed: int = 0, draws: int = DRAWS
) -> float:
    """How often chance alone would part two shares as far as these, each given as (hits, total) of its papers: a
    permutation test over papers, since the values of one paper are right or wrong together (Fisher 1935; with one
    added to counts, so that it is never 0: Phipson and Smyth 2010). 1 where one has no paper."""
    both = np.array([*mine, *others], dtype=float).reshape(-1, 2)
    if not len(mine) or not len(others):
        return 1.0

    def gap(order: npt.NDArray[np.intp]) -> float:
        first, second = both[order[: len(mine)]].sum(axis=0), both[order[len(mine) :]].sum(axis=0)
        return float(abs(first[0] / max(1.0, first[1]) - second[0] / max(1.0, second[1])))

    rng = np.random.default_rng(seed)
    seen = gap(np.arange(len(both)))
    as_far = sum(gap(rng.permutation(len(both))) >= seen - 1e-12 for _ in range(draws))
    return (as_far + 1) / (draws + 1)


def brier(confidence: Sequence[float], right: Sequence[bool]) -> float:
    """Mean squared distance of confidence from what came out (Brier, 1950): 0 is perfect, 0.25 a coin. 0 for none."""
    if not len(confidence):
        return 0.0
    return float(np.mean((np.array(confidence, dtype=float) - np.array(right, dtype=float)) ** 2))


def calibration_error(confidence: Sequence[float], right: Sequence[bool], bins: int = 10) -> float:
    """Expected calibration error: |confidence − share right| over bins of equal count, weighted (0–1; 0 is true;
    Naeini and others, 2015, with equal counts)."""
    if not len(confidence):
        return 0.0
    sure, hit = _tied(confidence, right)
    # of equal count: most confidences lie near 1, and bins of equal width would stay empty
    parts = np.array_split(np.arange(len(sure)), min(bins, len(sure)))
    return float(sum(abs(sure[part].sum() - hit[part].sum()) for part in parts) / len(sure))


def _tied(confidence: Sequence[float], right: Sequence[bool]) -> tuple[Floats, Floats]:
    """Confidences in order, and what came out; decisions of one confidence share the mean of what came out, so that
    their order has no say."""
    levels, tied = np.unique(np.array(confidence, dtype=float), return_inverse=True)
    counts = np.bincount(tied, minlength=len(levels))
    mean = np.bincount(tied, np.array(right, dtype=float), minlength=len(levels)) / counts
    return np.repeat(levels, counts), np.repeat(mean, counts)


def area_under_risk_coverage(confidence: Sequence[float], right: Sequence[bool]) -> float:
    """Mean share of wrong answers among the surest k, over all k (Geifman and El-Yaniv, 2017): 0 when no wrong
    answer is surer than a right one and none is wrong. Ties count as if in any order: each gets the mean of its tie.
    0 for none."""
    if not len(confidence):
        return 0.0
    _, hit = _tied(confidence, right)
    ordered = 1 - hit[::-1]
    return float(np.mean(np.cumsum(ordered) / np.arange(1, len(ordered) + 1)))


@dataclass(frozen=True)
class ReliabilityBin:
    """Decisions of like confidence: how many, their mean confidence, the share right, and its 95 % interval
    (Wilson)."""

    count: int
    confidence: float
    right: float
    interval: tuple[float, float]


def reliability(confidence: Sequence[float], right: Sequence[bool], bins: int = 8) -> list[ReliabilityBin]:
    """Bins of about equal count, the least sure first; equal confidences stay together, so there may be fewer."""
    if not len(confidence):
        return []
    order = np.argsort(np.array(confidence, dtype=float), kind="stable")
    sure, hit = np.array(confidence, dtype=float)[order], np.array(right, dtype=float)[order]
    cuts = sorted(
        {
            # Cut before equal confidences, never between them: their order is chance.
            int(np.searchsorted(sure, sure[place], side="left"))
            for place in np.linspace(0, len(sure), bins, endpoint=False).astype(int)
        }
        | {0}
    )
    found = []
    for start, end in zip(cuts, [*cuts[1:], len(sure)], strict=True):
        hits, total = int(hit[start:end].sum()), end - start
        interval = share_interval(hits, total)
        found.append(
            ReliabilityBin(
                total,
                round(float(sure[start:end].mean()), 4),
                round(hits / total, 4),
                (round(interval[0], 4), round(interval[1], 4)),
            )
        )
    return found
