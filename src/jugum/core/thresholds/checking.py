"""Spot checks: how many of the papers that pass a person looks at, which ones, and when what they find is a breach.

A policy begins on probation: many of its papers are checked. As they prove its promise, the rate falls to what is
needed to notice a breach in time (kin of continuous sampling: Dodge, 1943). Papers are drawn with probabilities that
are known and kept, so that what is found on them stands for all that pass (`EvidenceTable`).
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from jugum.core.evaluation.betting import ALARM, BREACH, breach_winnings
from jugum.core.evaluation.clustered import USUAL_CORRELATION

NEAR_LOGITS = 0.7  # of a threshold: a confidence of 95 % is so near to one of 91 %
YOUNG_CHECKS = 10  # checked papers, below which a layout group is young
NEAR_TIMES, YOUNG_TIMES = 2.0, 2.0  # how much likelier such papers are checked
RATE_LEAST = 0.01  # always some are checked


@dataclass(frozen=True)
class CheckRules:
    """What a type asks of its spot checks: the rate (0–1) a policy begins with, the breach that must be noticed (so
    many times the promise) and within how many days, and the share of checks (0–1) that are blind: values are given
    before what passed is seen, at most `blind_values` on a paper, for that takes longer."""

    probation_rate: float = 0.5
    notice_times: float = 3.0
    notice_days: float = 14.0
    blind_share: float = 0.25
    blind_values: int = 4


@dataclass(frozen=True)
class CheckRate:
    """The rate of checks now (0–1), the one that is needed to notice a breach, how far the promise is proven by life
    (0–1), and about how many checked papers notice the breach."""

    rate: float
    needed: float
    proven: float
    papers_to_notice: int


def check_rate(
    rules: CheckRules, error_most: float, values_a_paper: float, papers_a_day: float, checked: int, more: int | None
) -> CheckRate:
    """The rate for a promise (`error_most`, 0–1) on papers with so many passing values, of which so many pass a day.
    `checked` papers were checked so far, and about `more` would prove the promise (0: proven; None: not in sight).

    The rate goes from that of probation to the needed one in equal ratios as the proof goes on: at half of the proof it
    is their geometric mean."""
    notice = papers_to_notice(error_most, rules.notice_times, values_a_paper)
    passing = papers_a_day * rules.notice_days
    needed = min(1.0, max(RATE_LEAST, notice / passing)) if passing > 0 else 1.0
    proven = 0.0 if more is None else checked / (checked + more) if checked + more else 0.0
    begins = max(needed, min(1.0, rules.probation_rate))
    return CheckRate(begins ** (1 - proven) * needed**proven, needed, proven, notice)


def papers_to_notice(
    error_most: float, times: float, values_a_paper: float, correlation: float = USUAL_CORRELATION
) -> int:
    """About how many checked papers it takes to notice that `times` as many values are wrong as is promised: until the
    bet that grows fastest on such papers has won enough for all of them (`breach_winnings`). Wrong values of a paper
    are beta-binomial with a correlation."""
    most = max(1, round(values_a_paper))
    wrong = _wrong_values(most, min(0.9, times * error_most), correlation)
    gains = np.arange(most + 1) - error_most * most
    growth = max(float(wrong @ np.log1p(part / (error_most * most) * gains)) for part in BREACH)
    return max(1, math.ceil(math.log(ALARM * len(BREACH)) / growth)) if growth > 0 else 1_000_000


def _wrong_values(most: int, share: float, correlation: float) -> np.ndarray:
    """Probabilities of 0 … `most` wrong values on a paper (beta-binomial)."""
    from scipy.special import betaln, gammaln  # here: loading SciPy would delay every start by half a second

    count = np.arange(most + 1)
    spread = (1 - correlation) / max(correlation, 1e-6)
    ways = gammaln(most + 1) - gammaln(count + 1) - gammaln(most - count + 1)
    right, wrong = (1 - share) * spread, share * spread
    return np.asarray(np.exp(ways + betaln(count + wrong, most - count + right) - betaln(wrong, right)))


def check_probability(rate: float, margin_logits: float, layout_checks: int) -> float:
    """The probability (0–1] with which a paper that passed is checked: the rate, and more where its least sure value
    lies near its threshold (in log-odds) or where few papers of its layout were checked yet."""
    times = (NEAR_TIMES if margin_logits < NEAR_LOGITS else 1.0) * (
        YOUNG_TIMES if layout_checks < YOUNG_CHECKS else 1.0
    )
    return min(1.0, rate * times)


def is_drawn(paper: int, policy: int, probability: float, purpose: str = "check") -> bool:
    """Whether a paper is drawn: a matter of chance, but the same chance however often it is asked."""
    return _chance(paper, policy, purpose) < probability


def _chance(paper: int, policy: int, purpose: str) -> float:
    digest = hashlib.sha256(f"{purpose}-{policy}-{paper}".encode()).digest()
    return int.from_bytes(digest[:8], "big") / 2**64


@dataclass(frozen=True)
class Draw:
    """A paper that is drawn: with which probability (0–1], whether blind, the fields that are asked for, and the
    probability (0–1] with which each of a paper's passing ones is."""

    probability: float
    blind: bool
    fields: tuple[str, ...]
    share: float


def draw(
    rules: CheckRules, rate: float, paper: int, policy: int, margins: Mapping[str, float], layout_checks: int
) -> Draw | None:
    """Whether a paper with passing fields (key → how far its confidence lies above the threshold, in log-odds) is
    checked at a rate (0–1), and what is asked of it; None where it is not drawn."""
    if not margins:
        return None
    probability = check_probability(rate, min(margins.values()), layout_checks)
    if not is_drawn(paper, policy, probability):
        return None
    blind = is_drawn(paper, policy, rules.blind_share, "blind")
    if not blind or len(margins) <= rules.blind_values:
        return Draw(probability, blind, tuple(margins), 1.0)
    chosen = sorted(margins, key=lambda key: _chance(paper, policy, key))[: rules.blind_values]
    return Draw(probability, blind, tuple(key for key in margins if key in chosen), len(chosen) / len(margins))


@dataclass(frozen=True)
class CheckedPaper:
    """A passed paper that was checked: its values, how many of them were wrong, and its probability of being drawn."""

    values: int
    wrong: int
    probability: float


@dataclass(frozen=True)
class Watch:
    """What checks say of a promise after each of them, in their order: what a bet against it has won (times its stake;
    the promise is called broken at `ALARM`), and the place of the first that did (None: none)."""

    winnings: tuple[float, ...]
    breach: int | None

    @property
    def is_broken(self) -> bool:
        """Whether the promise was called broken, once and for all."""
        return self.breach is not None


def watch(checks: Sequence[CheckedPaper], error_most: float) -> Watch:
    """May be asked after every check: a promise that is kept is called broken in one of twenty cases at most, however
    often one looks. A paper that was likelier to be drawn counts for less."""
    if not checks:
        return Watch((), None)
    least = min(check.probability for check in checks)
    won = breach_winnings(
        [check.wrong for check in checks],
        [check.values for check in checks],
        error_most,
        max(check.values for check in checks),
        [least / check.probability for check in checks],
    )
    breach = np.flatnonzero(won >= ALARM)
    return Watch(tuple(won.tolist()), int(breach[0]) if len(breach) else None)


__all__ = [
    "ALARM",
    "CheckRate",
    "CheckRules",
    "CheckedPaper",
    "Draw",
    "Watch",
    "check_probability",
    "check_rate",
    "draw",
    "is_drawn",
    "papers_to_notice",
    "watch",
]
