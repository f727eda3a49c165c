"""Counts of what holds of fields on papers of each layout."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from functools import cached_property
from typing import Any, Self


@dataclass(frozen=True)
class LayoutCounts:
    """(field, layout group) → of how many something holds, and of how many it was asked."""

    counts: Mapping[tuple[str, int], tuple[int, int]] = kept(default_factory=dict)

    @classmethod
    def counted(cls, rows: Iterable[tuple[str, int, bool]]) -> Self:
        """From fields, layout groups, and whether it holds."""
        counts: dict[tuple[str, int], tuple[int, int]] = {}
        for field, layout, holds in rows:
            hits, total = counts.get((field, layout), (0, 0))
            counts[field, layout] = hits + int(holds), total + 1
        return cls(counts)

    @cached_property
    def by_field(self) -> dict[str, tuple[int, int]]:
        """The same on all layouts together."""
        found: dict[str, tuple[int, int]] = {}
        for (field, _), (hits, total) in self.counts.items():
            before = found.get(field, (0, 0))
            found[field] = before[0] + hits, before[1] + total
        return found

    def to_data(self) -> list[list[Any]]:
        """JSON-able: field, layout group, of how many it holds, all."""
        return [[field, layout, *count] for (field, layout), count in sorted(self.counts.items())]

    @classmethod
    def from_data(cls, data: Sequence[Any]) -> Self:
        """The inverse."""
        return cls({(field, int(layout)): (int(hits), int(total)) for field, layout, hits, total in data})


__all__ = ["LayoutCounts"]
