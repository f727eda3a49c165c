"""Which fields the papers of a layout carry: one that no labelled paper of it has is hardly on the next, and one that
all have is hardly missing."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.layout_counts import LayoutCounts
from jugum.core.schema import FieldPlan
from jugum.core.values import DataType

# Labelled papers of a layout from which on what they have in common is no accident: one that lacks a field is no
# pattern, and two may have the same of a choice's options. Below, nothing is surer than their number allows.
LACKING_LEAST, CHOICE_LEAST = 2, 3
DRAWN = 2.0  # papers that a layout's share is drawn towards that of all layouts by (m-estimate, Cestnik 1990)


@dataclass(frozen=True)
class Presence(LayoutCounts):
    """(field, layout group) → labelled papers that lack the field, and all that say anything of it."""

    @staticmethod
    def of(samples: Sequence[Sample], groups: Sequence[int]) -> Presence:
        """From labelled papers and the layout group of each."""
        return Presence.counted(
            (field, group, not labels)
            for sample, group in zip(samples, groups, strict=True)
            for field, labels in sample.labels.items()
        )

    def lacking(self, layout: int) -> dict[str, float]:
        """Field → the log-odds that a paper of the layout lacks it; of a new layout nothing is said."""
        return self._lacking.get(layout, {}) if layout != NEW_LAYOUT else {}

    def most_sure(self, field: FieldPlan, layout: int, *, absent: bool) -> float:
        """The most confidence (0–1) that the labelled papers of a layout can give a decision on a field: where they are
        too few to show what its papers carry or which words of a choice they use, by the rule of succession (n+1 in
        n+2, Laplace 1814); 1 where they are enough, or nothing is known of the layout."""
        without, papers = self.counts.get((field.key, layout), (0, 0)) if layout != NEW_LAYOUT else (0, 0)
        few_choices = field.data_type is DataType.CHOICE and papers < CHOICE_LEAST
        few_lacking = absent and without == papers < LACKING_LEAST
        return (papers + 1) / (papers + 2) if papers and (few_choices or few_lacking) else 1.0

    @cached_property
    def _lacking(self) -> dict[int, dict[str, float]]:
        found: dict[int, dict[str, float]] = {}
        for (field, layout), (without, papers) in self.counts.items():
            anywhere, every = self.by_field[field]
            share = (without + DRAWN * (anywhere + 1) / (every + 2)) / (papers + DRAWN)
            found.setdefault(layout, {})[field] = math.log(share / (1 - share))
        return found


__all__ = ["Presence"]
