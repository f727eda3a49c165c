"""How far two people agree who labelled the same papers without seeing each other's answers."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.evaluation.intervals import share_interval


@dataclass(frozen=True)
class Agreement:
    """On `papers` papers `same` answers were the same; `interval` (Wilson, 95 %) of that share; `alpha` is it
    corrected for chance (1: always, 0: as by chance), None where there is nothing to tell chance from."""

    papers: int
    same: int
    interval: tuple[float, float]
    alpha: float | None


def agreement(pairs: Sequence[tuple[str, str]]) -> Agreement:
    """Agreement of two labellers on one field, each pair their normal forms on one paper ("" for "not on it")."""
    same = sum(a == b for a, b in pairs)
    return Agreement(len(pairs), same, share_interval(same, len(pairs)), krippendorff_alpha(pairs))


def krippendorff_alpha(pairs: Sequence[tuple[str, str]]) -> float | None:
    """Krippendorff's alpha for nominal data and two observers without missing values (Krippendorff, *Computing
    Krippendorff's Alpha-Reliability*, 2011, section A): 1 − observed ÷ expected disagreement. None for no pairs or one
    value throughout.

    Meg 0100000010 and Owen 1110010000 → 0.095.
    """
    values = Counter(value for pair in pairs for value in pair)
    count = sum(values.values())
    if len(values) < 2:
        return None
    observed = 2 * sum(a != b for a, b in pairs) / count
    expected = 1 - sum(n * (n - 1) for n in values.values()) / (count * (count - 1))
    return 1 - observed / expected
