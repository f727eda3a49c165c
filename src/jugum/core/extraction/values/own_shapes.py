"""Shapes that only a field's values have: what a person sees at once of a personal number or a machine-readable zone,
whatever stands beside it.

A ranker weighs a value's shape against its surroundings, and on a layout that nobody has labelled these say "no". Where
labelled papers prove that whatever has the shape is the field's value, they have no say.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as kept
from functools import cached_property

from jugum.core.extraction.candidates.generate import SENTENCE_MARKS
from jugum.core.extraction.values.assignment import Choice
from jugum.core.structure.zones import repaired_zone
from jugum.core.values import value_shape

ZONE = "machine-readable zone"  # whichever letters it has
PROVEN = 0.9  # of all that has a shape on labelled papers, the least share that must be the field's value
RIGHT_LEAST = 3  # labelled values with the shape


def shape_of(text: str) -> str:
    """The shape of a value's text; machine-readable zones are all alike."""
    if "<<" in text and repaired_zone(text.split()) is not None:
        return ZONE
    return value_shape(text.rstrip(SENTENCE_MARKS))


@dataclass(frozen=True)
class ShapesSeen:
    """On one paper: the shapes of a field's values, by (field, shape), and of what else it might have been, each text
    once."""

    right: Counter[tuple[str, str]]
    wrong: Counter[tuple[str, str]]


@dataclass(frozen=True)
class OwnShapes:
    """(field, shape) → log-odds that what has the shape is the field's value."""

    log_odds: Mapping[tuple[str, str], float] = kept(default_factory=dict)

    @staticmethod
    def learned(papers: Iterable[ShapesSeen]) -> OwnShapes:
        """From labelled papers, by Laplace's rule of succession. Shapes that other things have, too, are left out, and
        those of letters alone: that no other thing on a few papers was two words with capitals is luck."""
        right: Counter[tuple[str, str]] = Counter()
        wrong: Counter[tuple[str, str]] = Counter()
        for paper in papers:
            right.update(paper.right)
            wrong.update(paper.wrong)
        return OwnShapes(
            {
                key: math.log((count + 1) / (wrong[key] + 1))
                for key, count in sorted(right.items())
                if _tells(key[1]) and count >= RIGHT_LEAST and count >= PROVEN * (count + wrong[key])
            }
        )

    @cached_property
    def fields(self) -> frozenset[str]:
        """The fields that have such shapes."""
        return frozenset(field for field, _ in self.log_odds)

    def has(self, field: str, text: str) -> bool:
        """Whether a text has a shape of the field's own."""
        return (field, shape_of(text)) in self.log_odds

    def raised(self, field: str, choices: Sequence[Choice]) -> list[Choice]:
        """The choices for a field, the best first, the one value that has a shape of its own at least as likely as
        labelled papers say. Where several values have it, the shape tells nothing."""
        if field not in self.fields:
            return list(choices)
        own = [choice for choice in choices if self.has(field, choice.candidate.text)]
        if len({choice.candidate.normal for choice in own}) != 1:
            return list(choices)
        made = [
            replace(choice, logit=max(choice.logit, self.log_odds[field, shape_of(choice.candidate.text)]))
            if choice is own[0]
            else choice
            for choice in choices
        ]
        return sorted(made, key=lambda choice: -choice.logit)

    def to_data(self) -> list[list[str | float]]:
        """JSON-able: field, shape, log-odds."""
        return [[field, shape, round(value, 4)] for (field, shape), value in self.log_odds.items()]

    @staticmethod
    def from_data(data: Sequence[Sequence[str | float]]) -> OwnShapes:
        """The inverse."""
        return OwnShapes({(str(field), str(shape)): float(value) for field, shape, value in data})


def _tells(shape: str) -> bool:
    return shape == ZONE or "9" in shape


__all__ = ["OwnShapes", "ShapesSeen", "shape_of"]
