"""What the papers of an application have in common: who they are about, days, amounts, and a drawn paper with its
truth."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal

from jugum.demo.people import FAMILY, GIVEN
from jugum.demo.sheet import SheetTruth

MONTHS = "January February March April May June July August September October November December".split()
Rows = list[dict[str, str]]


@dataclass(frozen=True)
class PrintedPaper:
    """A drawn paper: its kind, layout number, PDF bytes, what stands on each page, and the truth: field key → what
    is printed ("" when the paper has no such field; "yes" or "no" for marks), table key → its rows."""

    kind: str
    layout: int
    pdf: bytes
    pages: list[SheetTruth]
    truth: dict[str, str] = field(default_factory=dict)
    tables: dict[str, Rows] = field(default_factory=dict)


def person(rng: random.Random) -> tuple[str, str]:
    return rng.choice(GIVEN), rng.choice(FAMILY)


def day(rng: random.Random, year: int = 2026) -> date:
    return date(year, 1, 1) + timedelta(days=rng.randrange(300))


def spelled(when: date) -> str:
    return f"{when.day} {MONTHS[when.month - 1]} {when.year}"


def crowns(amount: Decimal | int) -> str:
    return f"{Decimal(amount):,.2f}".replace(",", " ").replace(".", ",")


def amount(rng: random.Random, low: int, high: int) -> str:
    return crowns(Decimal(rng.randrange(low * 100, high * 100)) / 100)
