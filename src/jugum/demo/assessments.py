"""Tax assessments: a boxed form in two revisions, and a letter-like notice. The sums agree with each other."""

from __future__ import annotations

import random
from decimal import Decimal

from reportlab.lib.pagesizes import A4

from jugum.demo.parts import PrintedPaper, crowns, day, person, spelled
from jugum.demo.people import personal_number
from jugum.demo.sheet import Sheet

_INCOME = ("Income from work", "Income from business", "Pensions received", "Interest and dividends")
_LESS = ("Travel to work", "Union and professional fees", "Interest paid on loans")
_NAMES = (
    {
        "assessed": "Assessed income",
        "tax": "Tax on income",
        "withheld": "Tax withheld",
        "balance": "To be paid or returned",
    },
    {"assessed": "Taxable income", "tax": "Tax due", "withheld": "Withheld at source", "balance": "Balance"},
    {"assessed": "income assessed", "tax": "tax on it", "withheld": "tax already withheld", "balance": "remains"},
)
YEAR = 2025


class _Sums:
    """A household's figures, which add up."""

    def __init__(self, rng: random.Random) -> None:
        def some(low: int, high: int, chance: float) -> Decimal:
            return Decimal(rng.randrange(low * 100, high * 100)) / 100 if rng.random() < chance else Decimal(0)

        self.income = [
            some(180_000, 520_000, 1.0),
            some(4_000, 60_000, 0.3),
            some(8_000, 90_000, 0.25),
            some(50, 4_000, 0.6),
        ]
        self.less = [some(900, 12_000, 0.7), some(400, 5_000, 0.6), some(600, 30_000, 0.5)]
        self.assessed = sum(self.income, Decimal(0)) - sum(self.less, Decimal(0))
        self.tax = (self.assessed * Decimal(rng.randrange(200, 330)) / 1000).quantize(Decimal("0.01"))
        self.withheld = self.tax + Decimal(rng.randrange(-900_000, 900_000)) / 100
        self.balance = self.tax - self.withheld

    def lines(self, names: dict[str, str]) -> list[tuple[str, Decimal]]:
        return [
            *zip(_INCOME, self.income, strict=True),
            *zip(_LESS, self.less, strict=True),
            (names["assessed"], self.assessed),
            (names["tax"], self.tax),
            (names["withheld"], self.withheld),
            (names["balance"], self.balance),
        ]


def tax_assessment(layout: int, rng: random.Random) -> PrintedPaper:
    """An assessment in design `layout` modulo three; the revision printed on it is `layout`'s own."""
    draw = (_boxed, _boxed, _notice)[layout % 3]
    return draw(layout, rng)


def _truth(name: str, number: str, issued: str, sums: _Sums, household: str, also: list[bool]) -> dict[str, str]:
    return {
        "name": name,
        "personal_number": number,
        "tax_year": str(YEAR),
        "issued": issued,
        "household": household,
        "owns_the_dwelling": "yes" if also[0] else "no",
        "works_abroad": "yes" if also[1] else "no",
        "has_children": "yes" if also[2] else "no",
        "assessed_income": crowns(sums.assessed),
        "tax_on_income": crowns(sums.tax),
        "tax_withheld": crowns(sums.withheld),
        "balance": crowns(sums.balance),
    }


_HOUSEHOLDS = ("single", "married or partners", "widowed")
_ALSO = ("owns the dwelling", "works abroad", "has children")


def _boxed(layout: int, rng: random.Random) -> PrintedPaper:
    """Boxes for the person, tick boxes for the household, and a ruled table of coded lines; the second revision
    moves all."""
    given, family = person(rng)
    second = layout % 3 == 1
    sums, names = _Sums(rng), _NAMES[1 if second else 0]
    font = "Times" if second else "Helvetica"
    sheet = Sheet(A4)
    sheet.text(50, 60, "Treasury of Norhaven", 9, font=font)
    title = f"ASSESSMENT OF INCOME TAX · YEAR {YEAR}" if second else f"Tax assessment {YEAR}"
    sheet.text(50, 82, title, 15, bold=True, font=font)
    sheet.right(545, 60, f"Form T-{4 + layout % 3}  rev. {2021 + layout}", 8, font=font)
    number, issued, who = personal_number(rng), spelled(day(rng)), f"{family}, {given}"
    top = 112 if second else 105
    for column, (label, value) in enumerate(
        (("Name", who), ("Personal number", number), ("Issued", issued), ("Tax year", str(YEAR)))
    ):
        x = (50, 230, 350, 470)[column]
        width = (180, 120, 120, 75)[column]
        sheet.box(x, top, width, 34)
        sheet.text(x + 4, top + 10, label, 7, font=font)
        sheet.text(x + 6, top + 27, value, 10.5, font=font)
    y, chosen, also = _ticks(sheet, top + 62, font, "tick" if second else "cross", rng)
    rows = [["Line", "Code", "Crowns"]]
    order = sums.lines(names)
    if second:
        order = [*order[4:7], *order[:4], *order[7:]]
    rows += [[name, f"{100 + 10 * n + layout % 3}", crowns(value)] for n, (name, value) in enumerate(order)]
    high = 24 if second else 22
    for row in rows:
        for x, width in ((50, 300), (350, 60), (410, 135)):
            sheet.box(x, y, width, high)
        bold = row is rows[0]
        sheet.text(56, y + high - 7, row[0], 9.5, font=font, bold=bold)
        sheet.text(356, y + high - 7, row[1], 9.5, font=font, bold=bold)
        sheet.right(539, y + high - 7, row[2], 9.5, font=font, bold=bold)
        y += high
    sheet.truth.tables.append(rows)
    _closing(sheet, y + 26, font)
    lines = [{"line": row[0], "code": row[1], "crowns": row[2]} for row in rows[1:]]
    truth = _truth(who, number, issued, sums, _HOUSEHOLDS[chosen], also)
    return PrintedPaper("tax assessment", layout, sheet.done(), sheet.pages, truth, {"lines": lines})


def _ticks(sheet: Sheet, y: float, font: str, style: str, rng: random.Random) -> tuple[float, int, list[bool]]:
    chosen = rng.randrange(3)
    also = [rng.random() < 0.4 for _ in _ALSO]
    for heading, names, states in (("Household", _HOUSEHOLDS, [n == chosen for n in range(3)]), ("Also", _ALSO, also)):
        sheet.text(50, y, heading, 9, bold=True, font=font)
        for place, (name, state) in enumerate(zip(names, states, strict=True)):
            x = 120 + place * 130
            sheet.tick(x, y - 9, 10, state, style)
            sheet.text(x + 15, y, name, 9.5, font=font)
        y += 22
    return y + 2, chosen, also


def _closing(sheet: Sheet, y: float, font: str) -> None:
    text = "Whoever finds this assessment wrong says so in writing within thirty days to the tax office of their town. What is owed is paid all the same and given back with interest."
    sheet.paragraph(50, y, 495, text, 8.5, font)


def _notice(layout: int, rng: random.Random) -> PrintedPaper:
    """A letter: the figures stand in sentences and a short list, the ticks at its end."""
    given, family = person(rng)
    sums, names = _Sums(rng), _NAMES[2]
    number, issued, who = personal_number(rng), spelled(day(rng)), f"{given} {family}"
    sheet = Sheet(A4)
    sheet.text(70, 70, "Treasury of Norhaven", 12, bold=True, font="Times")
    sheet.text(70, 85, f"Tax office of {rng.choice(['Lowfell', 'Tarnby', 'Skelling'])}", 10, font="Times")
    sheet.right(525, 110, f"Issued {issued}", 10, font="Times")
    sheet.text(70, 150, f"Notice of assessed tax for {YEAR}", 15, bold=True, font="Times")
    sheet.text(70, 176, f"To: {who}", 11, font="Times")
    sheet.text(70, 192, f"Personal number: {number}", 11, font="Times")
    sheet.text(70, 208, f"Tax year: {YEAR}", 11, font="Times")
    y = sheet.paragraph(
        70,
        236,
        455,
        "Your return has been looked through. We have reckoned with what your employers and banks have told us, and with what you could show of expenses. This is what came of it:",
        11,
    )
    y += 14
    for label, value in (
        (f"Your {names['assessed']}", sums.assessed),
        (f"The {names['tax']}", sums.tax),
        (f"Of which {names['withheld']}", sums.withheld),
        (f"There {names['balance']}", sums.balance),
    ):
        sheet.text(90, y, label, 11, font="Times")
        sheet.right(480, y, f"{crowns(value)} kr", 11, font="Times")
        y += 18
    y = sheet.paragraph(
        70,
        y + 12,
        455,
        "A sum below nothing is paid back to your account within three weeks. What we know of your household is marked here; tell us where it is wrong.",
        11,
    )
    y, chosen, also = _ticks(sheet, y + 20, "Times", "filled", rng)
    _closing(sheet, y + 20, "Times")
    truth = _truth(who, number, issued, sums, _HOUSEHOLDS[chosen], also)
    return PrintedPaper("tax assessment", layout, sheet.done(), sheet.pages, truth, {"lines": []})
