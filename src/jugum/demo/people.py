"""Invented people, employers and numbers of Norhaven."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal

GIVEN = (
    "Aldis Brenna Corvin Dagna Edrik Fenna Gorm Halla Isarn Jorunn Kelda Lovar Merith Nils Oda Perrin Quilla Runa Sigge "
    "Torvi Ulla Varn Wenda Yrsa Zander Anneke Bodil Casten Dorthe Eskil"
).split()
FAMILY = (
    "Aschgrove Birkedal Coldwell Dunmoor Elvestad Fairlough Grannholt Hallowby Innskog Jernvik Kettleby Lindfoss Marrick "
    "Nordholm Ostermoor Pellworth Quarnby Rowanstad Selvik Tarnfell Ulverby Vintergate Wexholm Ystwick Ambleholt"
).split()
STREETS = "Tarn Lane,Weaver Row,Old Quay,Fell Road,Mill Rise,Kirk Brae,Sawpit Way,Lark Hill".split(",")
TOWNS = "Lowfell,Ostmark,Tarnby,Highbeck,Marrow Sound,Skelling".split(",")


@dataclass(frozen=True)
class PayStub:
    """What a pay stub says, before it is drawn."""

    employee: str
    personal_number: str
    address: str
    staff_number: str
    period_from: date
    period_to: date
    pay_date: date
    hours: Decimal
    rate: Decimal
    bonus: Decimal | None
    tax: Decimal
    pension: Decimal
    union_fee: Decimal
    months_before: int
    account: str
    extra: dict[str, str] = field(default_factory=dict)

    @property
    def basic(self) -> Decimal:
        return (self.hours * self.rate).quantize(Decimal("0.01"))

    @property
    def gross(self) -> Decimal:
        return self.basic + (self.bonus or Decimal(0))

    @property
    def deductions(self) -> Decimal:
        return self.tax + self.pension + self.union_fee

    @property
    def net(self) -> Decimal:
        return self.gross - self.deductions

    def year_to_date(self, amount: Decimal) -> Decimal:
        """A believable sum since January: this period and the ones before, which differed a little."""
        before = amount * self.months_before * Decimal("0.973")
        return (amount + before).quantize(Decimal("0.01"))


def personal_number(rng: random.Random) -> str:
    """Day, month, year of birth, three digits and a check digit (weights 3 7 6 1 8 9 4 5 2, modulo 11)."""
    while True:
        born = date(1955, 1, 1) + timedelta(days=rng.randrange(365 * 48))
        digits = f"{born:%d%m%y}{rng.randrange(1000):03d}"
        rest = sum(int(digit) * weight for digit, weight in zip(digits, (3, 7, 6, 1, 8, 9, 4, 5, 2), strict=True)) % 11
        check = (11 - rest) % 11
        if check < 10:
            return f"{digits[:6]}-{digits[6:]}{check}"


def pay_stub(rng: random.Random) -> PayStub:
    """A month's pay of an invented person, in 2026."""
    month = rng.randrange(1, 10)
    first = date(2026, month, 1)
    last = date(2026, month + 1, 1) - timedelta(days=1)
    hours = Decimal(rng.choice([120, 135, 148, 150, 156, 160, 162, 165])) + Decimal(
        rng.choice(["0", "0", "0.5", "0.25"])
    )
    rate = Decimal(rng.randrange(14_800, 33_500)) / 100
    bonus = Decimal(rng.randrange(500, 4_000) * 100) / 100 if rng.random() < 0.45 else None
    gross = hours * rate + (bonus or 0)
    return PayStub(
        employee=f"{rng.choice(GIVEN)} {rng.choice(FAMILY)}",
        personal_number=personal_number(rng),
        address=f"{rng.randrange(1, 90)} {rng.choice(STREETS)}, {rng.choice(TOWNS)}",
        staff_number=str(rng.randrange(1000, 9999)),
        period_from=first,
        period_to=last,
        pay_date=last - timedelta(days=rng.randrange(0, 5)),
        hours=hours,
        rate=rate,
        bonus=bonus,
        tax=(gross * Decimal(rng.randrange(18, 33)) / 100).quantize(Decimal("0.01")),
        pension=(gross * Decimal("0.04")).quantize(Decimal("0.01")),
        union_fee=Decimal(rng.randrange(180, 420)),
        months_before=month - 1,
        account=f"{rng.randrange(1000, 9999)} {rng.randrange(10, 99)} {rng.randrange(10_000, 99_999)}",
    )
