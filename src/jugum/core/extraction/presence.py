"""Which fields the papers of a layout carry: one that no labelled paper of it has is hardly on the next, and one that
all have is hardly missing."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from functools import cached_property
from typing import Any

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.candidates.samples import Sample

DRAWN = 2.0  # papers that a layout's share is drawn towards that of all layouts by (m-estimate, Cestnik 1990)


@dataclass(frozen=True)
class Presence:
    """(field, layout group) → labelled papers that lack the field, and all that say anything of it."""

    counts: Mapping[tuple[str, int], tuple[int, int]] = kept(default_factory=dict)

    @staticmethod
    def of(samples: Sequence[Sample], groups: Sequence[int]) -> Presence:
        """From labelled papers and the layout group of each."""
        counts: dict[tuple[str, int], tuple[int, int]] = {}
        for sample, group in zip(samples, groups, strict=True):
            for field, labels in sample.labels.items():
                without, every = counts.get((field, int(group)), (0, 0))
                counts[field, int(group)] = without + (not labels), every + 1
        return Presence(counts)

    def lacking(self, layout: int) -> dict[str, float]:
        """Field → the log-odds that a paper of the layout lacks it; of a new layout nothing is said."""
        return self._lacking.get(layout, {}) if layout != NEW_LAYOUT else {}

    @cached_property
    def _lacking(self) -> dict[int, dict[str, float]]:
        sums: dict[str, list[int]] = {}
        for (field, _), (without, every) in self.counts.items():
            its = sums.setdefault(field, [0, 0])
            its[0], its[1] = its[0] + without, its[1] + every
        found: dict[int, dict[str, float]] = {}
        for (field, layout), (without, every) in self.counts.items():
            share = (sums[field][0] + 1) / (sums[field][1] + 2)
            here = (without + DRAWN * share) / (every + DRAWN)
            found.setdefault(layout, {})[field] = math.log(here / (1 - here))
        return found

    def to_data(self) -> list[list[Any]]:
        """JSON-able: field, layout group, papers without it, papers."""
        return [[field, layout, *count] for (field, layout), count in sorted(self.counts.items())]

    @staticmethod
    def from_data(data: Sequence[Sequence[Any]]) -> Presence:
        """The inverse."""
        return Presence({(field, int(layout)): (int(without), int(every)) for field, layout, without, every in data})
