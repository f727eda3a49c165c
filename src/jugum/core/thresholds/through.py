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
    passes when each of its fields does, and when those that do not are not worth opening it. A field without a
    threshold is held."""
    papers: dict[str, list[Mapping[str, Any]]] = defaultdict(list)
    for row in evidence:
        papers[row["sample"]].append(row)
    through = [rows for rows in papers.values() if _passes_whole(rows, thresholds)]
    return StraightThrough(len(papers), len(through), sum(any(not row["right"] for row in rows) for rows in through))


def _passes_whole(rows: Iterable[Mapping[str, Any]], thresholds: Thresholds) -> bool:
    held = {}
    for row in rows:
        gate = thresholds.gate(row["field"])
        if gate is None or not gate.passes(row["confidence"], row["layout_similarity"]):
            held[row["field"]] = (row["confidence"], row["layout_similarity"])
    return not held or not thresholds.opens(held)
