"""Figures that may be looked at after every paper, without any assumption on how values err together: bets against what
is to be disproved, whose winnings can hardly grow when it is true.

Whoever bets a part λ of what they have on each paper, at odds that are fair or worse if a statement holds, has 20 times
the stake at any time with a probability of 1 in 20 at most (Ville, 1939; Waudby-Smith and Ramdas, 2024). Papers are the
units: one has `total` values that were checked, `wrong` of them wrong; at the promised share a it brings wrong −
a·total, 0 on average. What is won is the mean over several λ, each kept from first to last, so that none need be
chosen.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

Floats = npt.NDArray[np.float64]
ALARM = 20.0  # times the stake: a statement that holds is called false in 1 of 20 cases, however often it is looked at
# Of the largest bet that can't lose all. A breach may be small or large; large bets tell best that little is wrong.
BREACH, KEPT = np.geomspace(0.02, 0.9, 12), np.array([0.4, 0.65, 0.9])
WON_MOST = 700.0  # log: what is more is no number any longer
STEPS = 40  # of halving an interval: to less than 1e-12


def breach_winnings(
    wrong: Sequence[int], total: Sequence[int], promised: float, most: int, shares: Sequence[float] | None = None
) -> Floats:
    """What a bet that more than the share `promised` (0–1) is wrong has won, as times its stake, after each of P papers
    in the order they were checked in. `most`: values that a paper can have; `shares` (0–1]: what a paper counts, the
    smallest probability of being drawn divided by its own, where they were drawn unequally."""
    gains = _gains(wrong, total, promised, shares)
    return _winnings(gains, BREACH / (promised * most))


def proven_bound(wrong: Sequence[int], total: Sequence[int], most: int, *, level: float = 0.95) -> float:
    """Upper bound (0–1) of the share that is wrong, valid at any time: the least share that can be told from it; 1
    where nothing can be."""
    if not len(total):
        return 1.0

    def disproved(share: float) -> bool:
        winnings = _winnings(-_gains(wrong, total, share), KEPT / ((1 - share) * most))
        return bool(winnings.max() >= 1 / (1 - level))

    low, high = 0.0, 1.0 - 1e-6
    if not disproved(high):
        return 1.0
    for _ in range(STEPS):
        middle = (low + high) / 2
        low, high = (low, middle) if disproved(middle) else (middle, high)
    return high


def _gains(wrong: Sequence[int], total: Sequence[int], share: float, counts: Sequence[float] | None = None) -> Floats:
    gains = np.asarray(wrong, dtype=np.float64) - share * np.asarray(total, dtype=np.float64)
    return gains if counts is None else gains * np.asarray(counts, dtype=np.float64)


def _winnings(gains: Floats, bets: Floats) -> Floats:
    """After each paper, the mean of what each bet has made of its stake."""
    won = np.log1p(np.outer(bets, gains)).cumsum(axis=1)
    return np.asarray(np.exp(np.minimum(won, WON_MOST)).mean(axis=0))


__all__ = ["ALARM", "breach_winnings", "proven_bound"]
