"""Straight through: papers of which nothing waits for a person."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from jugum.core.thresholds.routing import Thresholds


@dataclass(frozen=True)
class StraightThrough:
    """Of `papers` judged papers `through` would pass whole; of these `flawed` hold a wrong value."""

    papers: int
    through: int
    flawed: int

    @property
    def share(self) -> float:
        """Share of papers that pass whole, 0–1; 0 of none."""
        return self.through / self.papers if self.papers else 0.0


def straight_through(evidence: Iterable[Mapping[str, Any]], thresholds: Thresholds) -> StraightThrough:
    """Count whole papers among held-out decisions (rows with sample, field, confidence, familiarity, right): a paper
    passes when each of its fields does. A field without a threshold is held."""
    papers: dict[str, list[tuple[bool, bool]]] = defaultdict(list)
    for row in evidence:
        gate = thresholds.gate(row["field"])
        passes = gate is not None and gate.passes(row["confidence"], row["layout_similarity"])
        papers[row["sample"]].append((passes, row["right"]))
    through = [its for its in papers.values() if all(passes for passes, _ in its)]
    return StraightThrough(len(papers), len(through), sum(any(not right for _, right in its) for its in through))
