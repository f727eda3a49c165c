"""Version against version on the same papers: what got better, what worse, and whether that may be chance."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

CHANCE_MOST = 0.05  # the usual level of significance; above it a version is not called better


class ComparisonVerdict(StrEnum):
    """Whether the newer of two versions is better, as far as the evidence tells."""

    BETTER = "better"
    WORSE = "worse"
    OPEN = "can't be told apart"


@dataclass(frozen=True)
class Comparison:
    """On `common` values judged by both, `gained` are right only in the newer, `lost` only in the older. `chance` is
    how often such a difference or a larger one comes about by chance when neither is better (McNemar's exact test);
    the verdict is open above 5 %."""

    common: int
    older_right: int
    newer_right: int
    gained: int
    lost: int
    chance: float
    verdict: ComparisonVerdict
    changed: tuple[dict[str, Any], ...] = ()


def mcnemar_exact(gained: int, lost: int) -> float:
    """Two-sided exact p-value of McNemar's test (McNemar, 1947; the binomial form): 1 with no differences, 8 against
    1 → 0.039."""
    count = gained + lost
    if count == 0:
        return 1.0
    from scipy.stats import binom  # here: it costs half a second, and reading needs none of it

    return float(min(1.0, 2 * binom.cdf(min(gained, lost), count, 0.5)))


def compared(older: Sequence[Mapping[str, Any]], newer: Sequence[Mapping[str, Any]], kept: int = 60) -> Comparison:
    """Compare the held-out evidence of two versions (rows with sample, field, right, unseen, found, expected) on
    known layouts. Values whose label was changed between the two are left out."""
    before = {(row["sample"], row["field"]): row for row in older if not row["unseen"]}
    pairs = [
        (before[row["sample"], row["field"]], row)
        for row in newer
        if not row["unseen"]
        and (row["sample"], row["field"]) in before
        and before[row["sample"], row["field"]]["expected"] == row["expected"]
    ]
    gained = [(old, new) for old, new in pairs if new["right"] and not old["right"]]
    lost = [(old, new) for old, new in pairs if old["right"] and not new["right"]]
    chance = mcnemar_exact(len(gained), len(lost))
    verdict = ComparisonVerdict.OPEN
    if chance <= CHANCE_MOST:
        verdict = ComparisonVerdict.BETTER if len(gained) > len(lost) else ComparisonVerdict.WORSE
    changed = tuple(_changed(old, new) for old, new in [*lost, *gained][:kept])
    return Comparison(
        len(pairs),
        sum(old["right"] for old, _ in pairs),
        sum(new["right"] for _, new in pairs),
        len(gained),
        len(lost),
        chance,
        verdict,
        changed,
    )


def _changed(old: Mapping[str, Any], new: Mapping[str, Any]) -> dict[str, Any]:
    same = {name: new[name] for name in ("sample", "field", "expected")}
    return {**same, "before": old["found"], "now": new["found"], "better": new["right"]}
