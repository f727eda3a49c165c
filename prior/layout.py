"""What a layout of the school is, and what a paper of it says."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property

from jugum.core.page import Box
from prior.ink import Ink
from prior.things import IDLE, THINGS
from prior.worlds import World

Said = dict[str, list[Box]]  # where the value of each field stands, a box a line


@dataclass(frozen=True)
class LayoutGroup:
    """How papers of one layout stand: the way, captions by thing, the order, places and spellings."""

    way: str
    captions: dict[str, str]
    order: tuple[tuple[str, str], ...]
    colon: bool
    left: float
    value_x: float
    top: float
    step: float
    dates: int
    amounts: int
    identifiers: int
    spans: int
    title: str
    previous_first: bool
    again: bool  # whether the figures' names stand once more further down, over other figures
    seed: int

    def rng(self, of: str = "") -> random.Random:
        """Lots that fall alike on every paper of the layout."""
        return random.Random(f"{self.seed}-{of}")


@dataclass(frozen=True)
class Row:
    """A thing on a paper: the key of its field ("" for what is no field), its caption, and the value."""

    key: str
    caption: str
    thing: str
    text: str


@dataclass
class Facts:
    """What is drawn for one paper: `other` gives another value of a thing, in the layout's spelling."""

    rng: random.Random
    layout: LayoutGroup
    other: Callable[[str], str]
    world: World

    @cached_property
    def house(self) -> str:
        """The name of who writes; the same on all papers of a layout."""
        return self.world.firm(self.layout.rng("house"))

    def idle(self, sentence: str) -> str:
        """A sentence that says nothing of the fields, with values in it."""
        return (
            sentence.replace("{d}", self.other("invoice date"))
            .replace("{n}", str(self.rng.randint(2, 60)))
            .replace("{p}", self.world.person(self.rng))
            .replace("{m}", self.other("fee"))
        )

    def idle_sentences(self, count: int, of: str = "") -> list[str]:
        """Some such sentences, the same ones on all papers of a layout, with values of this paper."""
        return [self.idle(one) for one in self.layout.rng(f"idle{of}").sample(IDLE, count)]


Way = Callable[[Ink, list[Row], Facts], Said]


def is_figure(row: Row) -> bool:
    """Whether the value is an amount or a number, which forms set in columns."""
    return THINGS[row.thing].data_type.value in ("money", "number", "percent")


__all__ = ["Facts", "LayoutGroup", "Row", "Said", "Way", "is_figure"]
