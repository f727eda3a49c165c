"""The world that a type of paper of the school comes from: what its people, firms and towns are called, which trades
there are, which of a few things a text says. All papers of a type share it, whatever their layout."""

from __future__ import annotations

import random
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from prior.ink import FIRMS, GIVEN, spelled_span, word
from prior.things import THINGS, WORDED

OF_ANY_WORLD = 0.2  # share of types whose names and texts have nothing in common
SURNAMES = "aro ilen oski utti andis emko abel orne imar estal".split()
TOWNS = "ham ford stad ville dorf mouth burg holm".split()
STREETS = "Street Lane Road Square Quay Hill Gate Walk".split()
TRADES = (
    "Timber Glass Freight Dairy Foundry Tools Seeds Textiles Pumps Ceramics Mills Logistics Clinic Travel Optics "
    "Cables Paper Wines Motors Furniture Laundry Brewery Press Garage Steel Supply"
).split()
# How often a name of a thing is a firm's; of all others one in ten.
FIRM = {"seller": 0.9, "lender": 0.8, "owner": 0.5, "keeper": 0.5, "customer": 0.5, "borrower": 0.4, "tenant": 0.4}
RARELY, EITHER = 0.1, 0.2  # share of types that have persons and firms for one thing


@dataclass(frozen=True)
class World:
    """Names of people end in some ways, firms in some forms; `firms` says of a thing's names how often they are firms'
    (0–1), `words` what a text may say, `units` in which unit a span of time is told ("" for any)."""

    sounds: tuple[str, ...]
    given: tuple[str, ...]
    surnames: tuple[str, ...]
    towns: tuple[str, ...]
    trades: tuple[str, ...]
    forms: tuple[str, ...]
    streets: tuple[str, ...]
    number_first: bool
    firms: Mapping[str, float]
    words: Mapping[str, tuple[str, ...]]
    units: Mapping[str, str]

    def word(self, rng: random.Random) -> str:
        """A word of the world's sounds, with a capital."""
        return "".join(rng.choice(self.sounds) for _ in range(rng.randint(1, 2))).capitalize()

    def person(self, rng: random.Random) -> str:
        """The name of a person."""
        middle = rng.choice(["", "", "", f" {rng.choice('ABEHKLMRST')}.", f" {rng.choice(self.given)}"])
        last = self.word(rng) + rng.choice(self.surnames)
        return f"{rng.choice(self.given)}{middle} {last}{'-' + self.word(rng) if rng.random() < 0.08 else ''}"

    def firm(self, rng: random.Random) -> str:
        """The name of a firm."""
        return f"{self.word(rng)}{rng.choice(self.towns)} {rng.choice(self.trades)}{rng.choice(self.forms)}"

    def town(self, rng: random.Random) -> str:
        """The name of a town."""
        return self.word(rng) + rng.choice(self.towns)

    def address(self, rng: random.Random) -> str:
        """A street with a number, mostly with its town."""
        street = f"{self.word(rng)} {rng.choice(self.streets)}"
        number = rng.randint(1, 180)
        first = f"{number} {street}" if self.number_first else f"{street} {number}"
        return first if rng.random() < 0.3 else f"{first}, {self.town(rng)}"

    def name(self, rng: random.Random, thing: str) -> str:
        """Whom a thing names."""
        return self.firm(rng) if rng.random() < self.firms.get(thing, RARELY) else self.person(rng)

    def text(self, rng: random.Random, thing: str) -> str:
        """What a text says."""
        if thing == "city":
            return self.town(rng)
        if thing == "address":
            return self.address(rng)
        return rng.choice(self.words[thing])

    def span(self, rng: random.Random, thing: str, way: int) -> str:
        """A number of days, weeks, months or years, in the spelling of a layout."""
        return spelled_span(rng, way, self.units.get(thing, ""))


def world(rng: random.Random, things: Iterable[str]) -> World:
    """A world drawn for a type."""
    any_world = rng.random() < OF_ANY_WORLD
    asked = sorted(things)
    sounds = [word(rng)[: rng.choice([3, 4, 5])] for _ in range(60 if any_world else 14)]
    return World(
        sounds=tuple(sounds),
        given=(*rng.sample(GIVEN, 8), *(word(rng).capitalize() for _ in range(40 if any_world else 6))),
        surnames=tuple(SURNAMES if any_world else rng.sample(SURNAMES, 3)) + ("",) * any_world,
        towns=tuple(rng.sample(TOWNS, 3)),
        trades=tuple(rng.sample(TRADES, len(TRADES) if any_world else 8)),
        forms=tuple(rng.sample(FIRMS, 6 if any_world else 3)),
        streets=tuple(rng.sample(STREETS, 3)),
        number_first=rng.random() < 0.5,
        firms={thing: _share_of_firms(rng, thing) for thing in sorted(THINGS)},
        words={thing: tuple(rng.sample(said, min(len(said), rng.randint(3, 12)))) for thing, said in WORDED.items()},
        units={thing: rng.choice(["days", "weeks", "months", "years"]) for thing in asked if rng.random() < 0.7},
    )


def _share_of_firms(rng: random.Random, thing: str) -> float:
    """A thing's names are persons' or firms' on all papers of a type, now and then both."""
    likely = FIRM.get(thing, RARELY)
    return likely if rng.random() < EITHER else float(rng.random() < likely)
