"""Five families of made-up papers for measuring learning, drawn by the bench's own hand: neither the demo's papers nor
the prior's.

Each family has nine layouts. A layout fixes the labels' wording, the way things stand, fonts, spellings of dates and
amounts, and what else is printed; papers of a layout differ in their values, in what is missing, and by a small shift.
Layouts 0 to 4 are for labelling ("seen"), 5 to 8 for testing only.
"""

from __future__ import annotations

import random
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from reportlab.pdfbase.pdfmetrics import stringWidth

from jugum.core.page import Box
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.values import DataType
from jugum.demo.sheet import Sheet

D = DataType
LAYOUTS, SEEN = 9, 5
A4 = (595.0, 842.0)
FIRST = "Orla Bram Tessa Ivo Runa Leif Maud Janko Edda Pier Sanne Ulf Vera Kaj Mirte Olav Dagny Henk Ylva Rolf".split()
LAST = (
    "Ostrander Vance Holmqvist Brandt Kessler Marwick Tolland Reyne Saarinen Dekker Foss Lindqvist Quill Harrow "
    "Thorne Velde"
).split()
FIRMS = [
    "Norrland Cable",
    "Pike & Daughters",
    "Bluewater Mills",
    "Ashgrove Bakery",
    "Teal Logistics",
    "Harbour Glass",
    "Stenmark",
    "Copperline",
    "Vesper Textiles",
]
STREETS = "Quay Road,Mill Lane,Larch Street,Station Square,High Bank,Orchard Way,Rope Walk,Long Acre".split(",")
TOWNS = "Eastholm,Varrick,Sund,Millford,Greyport,Tarn,Ostby,Low Harbour".split(",")
MONTHS = "January February March April May June July August September October November December".split()


@dataclass
class Truth:
    """What a field says on a paper, and where: (page, box) of each line."""

    text: str
    places: list[tuple[int, Box]]


@dataclass
class Drawn:
    """A paper: its PDF, and per field its values (for a table's column one per row, in order). No entry: not on it."""

    family: str
    layout: int
    pdf: bytes
    truth: dict[str, list[Truth]]


@dataclass
class Hand:
    """How one layout writes."""

    layout: int
    font: str
    size: float
    date: int
    money: int
    left: float
    top: float
    step: float
    way: str
    colon: str
    bold_labels: bool

    def spell_date(self, rng: random.Random, years: tuple[int, int] = (2021, 2026)) -> str:
        day, month, year = rng.randint(1, 28), rng.randint(1, 12), rng.randint(*years)
        return (
            f"{day:02d}/{month:02d}/{year}",
            f"{day} {MONTHS[month - 1]} {year}",
            f"{day:02d}.{month:02d}.{year}",
            f"{year}-{month:02d}-{day:02d}",
            f"{day:02d}-{MONTHS[month - 1][:3]}-{year}",
            f"{MONTHS[month - 1]} {day}, {year}",
        )[self.date]

    def spell_money(self, amount: float) -> str:
        plain = f"{amount:,.2f}"
        comma = plain.replace(",", "_").replace(".", ",")
        return (plain, comma.replace("_", "."), comma.replace("_", " "), f"{amount:.2f}", f"kr {plain}")[self.money]


def hand_of(family: str, layout: int, ways: tuple[str, ...]) -> Hand:
    rng = random.Random(f"{family}-{layout}")
    return Hand(
        layout,
        rng.choice(["Helvetica", "Times", "Helvetica", "Courier"]),
        rng.choice([9.0, 10.0, 10.5]),
        rng.randrange(6),
        rng.randrange(5),
        rng.uniform(40, 70),
        rng.uniform(110, 170),
        rng.uniform(17, 25),
        ways[layout % len(ways)],
        rng.choice(["", ":", ":", " :"]),
        rng.random() < 0.4,
    )


@dataclass
class Pen:
    """A sheet with a page counter, a small shift, and the truth of what it draws."""

    hand: Hand
    shift: tuple[float, float]
    size: tuple[float, float] = A4
    truth: dict[str, list[Truth]] = field(default_factory=dict)
    page: int = 1

    def __post_init__(self) -> None:
        self.sheet = Sheet(self.size)

    def write(
        self,
        x: float,
        y: float,
        text: str,
        *,
        key: str = "",
        bold: bool = False,
        scale: float = 1.0,
        right: bool = False,
    ) -> float:
        """Draw text (its value under `key`); returns the x it ends at."""
        size = self.hand.size * scale
        x, y = x + self.shift[0], y + self.shift[1]
        face = {"Times": ("Times-Roman", "Times-Bold")}.get(self.hand.font, (self.hand.font, f"{self.hand.font}-Bold"))
        width = stringWidth(text, face[bold], size)
        x0 = x - width if right else x
        self.sheet.text(x0, y, text, size, bold=bold, font=self.hand.font)
        if key:
            self.keep(
                key,
                text,
                Box(
                    x0 / self.size[0],
                    (y - 0.8 * size) / self.size[1],
                    (x0 + width) / self.size[0],
                    (y + 0.25 * size) / self.size[1],
                ),
            )
        return x0 + width - self.shift[0]

    def keep(self, key: str, text: str, box: Box, *, more: bool = False) -> None:
        its = self.truth.setdefault(key, [])
        if more:
            its[-1].text += " " + text
            its[-1].places.append((self.page, box))
        else:
            its.append(Truth(text, [(self.page, box)]))

    def turn(self) -> None:
        self.sheet.new_page()
        self.page += 1


Item = tuple[str, str, str]  # key ("" for what is not asked), label, value


def set_items(pen: Pen, items: list[Item], rng: random.Random) -> float:
    """Labels with their values, the way of the layout; returns the y below."""
    hand = pen.hand
    x, y = hand.left, hand.top
    for number, (key, label, value) in enumerate(items):
        printed = label + hand.colon
        if hand.way == "rows":
            pen.write(x, y, printed, bold=hand.bold_labels)
            pen.write(x + 170, y, value, key=key)
            y += hand.step
        elif hand.way == "run":
            end = pen.write(x, y, label + (hand.colon or ":"), bold=hand.bold_labels)
            pen.write(end + 5, y, value, key=key)
            y += hand.step
        elif hand.way == "cells":
            cx, cy = x + (number % 2) * 250, y + (number // 2) * 38
            pen.sheet.box(cx - 4 + pen.shift[0], cy - 11 + pen.shift[1], 246, 34)
            pen.write(cx, cy, label, scale=0.72)
            pen.write(cx, cy + 16, value, key=key)
        elif hand.way == "stack":
            cx, cy = x + (number % 3) * 170, y + (number // 3) * 42
            pen.write(cx, cy, printed, scale=0.8, bold=hand.bold_labels)
            pen.write(cx, cy + 14, value, key=key)
        elif hand.way == "below":
            cx, cy = x + (number % 2) * 260, y + (number // 2) * 40
            pen.write(cx, cy, value, key=key)
            pen.sheet.line(cx, cy + 4, cx + 220, cy + 4)
            pen.write(cx, cy + 14, label, scale=0.7)
        elif hand.way == "numbered":
            pen.write(x, y, f"{number + 3}")
            pen.write(x + 22, y, label)
            pen.write(x + 470, y, value, key=key, right=True)
            pen.sheet.line(x, y + 5, x + 470, y + 5, 0.3)
            y += hand.step
        else:  # two columns of label and value
            cx, cy = x + (number % 2) * 260, y + (number // 2) * hand.step
            pen.write(cx, cy, printed, bold=hand.bold_labels)
            pen.write(cx + 125, cy, value, key=key)
    pairs = (len(items) + 1) // 2
    rows = {"cells": pairs * 38, "stack": (len(items) + 2) // 3 * 42, "below": pairs * 40, "pairs": pairs * hand.step}
    return y + rows.get(hand.way, 0.0)


def person(rng: random.Random) -> str:
    return f"{rng.choice(FIRST)} {rng.choice(LAST)}"


def wording(family: str, layout: int, names: Mapping[str, tuple[str, ...]]) -> dict[str, str]:
    """One label for each thing: a layout's own choice, no two alike."""
    rng = random.Random(f"{family}-words-{layout}")
    said: dict[str, str] = {}
    for key, its in names.items():
        free = [one for one in its if one not in said.values()]
        said[key] = rng.choice(free or list(its))
    return said


# ---- Pay stubs -------------------------------------------------------------------------------------------------------

STUB = {
    "person": ("Employee", "Name", "Paid to", "Colleague", "Worker", "Payee", "Staff member"),
    "number": ("Employee no.", "Staff number", "Clock number", "Personnel ID", "Payroll ref", "Badge"),
    "firm": ("Employer", "Company", "Paid by", "Business unit", "Firm"),
    "paid_on": ("Pay date", "Payment date", "Credited on", "Date paid", "Value date", "Payday"),
    "from": ("Period from", "From", "Start of period", "Period start", "Earnings since"),
    "to": ("Period to", "Until", "End of period", "Period end", "through"),
    "gross": ("Gross pay", "Total earnings", "Gross wages", "Gross", "Earnings before tax"),
    "tax": ("Income tax", "Tax withheld", "Wage tax", "Tax deducted", "PAYE"),
    "net": ("Net pay", "Take-home pay", "Amount paid", "Net wages", "Paid into your account"),
}
STUB_PLAN = Plan(
    (
        FieldPlan("person", "Employee", D.NAME),
        FieldPlan("number", "Employee number", D.IDENTIFIER),
        FieldPlan("firm", "Employer", D.TEXT),
        FieldPlan("paid_on", "Pay date", D.DATE),
        FieldPlan("from", "Period start", D.DATE),
        FieldPlan("to", "Period end", D.DATE),
        FieldPlan("gross", "Gross pay", D.MONEY),
        FieldPlan("tax", "Income tax", D.MONEY, required=False),
        FieldPlan("net", "Net pay", D.MONEY),
    )
)


def stub(rng: random.Random, layout: int) -> Drawn:
    hand = hand_of("stub", layout, ("rows", "stack", "pairs", "cells", "run", "below", "numbered", "stack", "pairs"))
    pen, says = Pen(hand, (rng.uniform(-4, 4), rng.uniform(-6, 6))), wording("stub", layout, STUB)
    fixed = random.Random(f"stub-order-{layout}")
    gross = rng.uniform(14_000, 62_000)
    tax = gross * rng.uniform(0.1, 0.4)
    extra = rng.uniform(100, 900)
    values = {
        "person": person(rng),
        "number": f"{rng.choice(['', 'E-', 'W'])}{rng.randint(1000, 99999)}",
        "firm": rng.choice(FIRMS),
        "paid_on": hand.spell_date(rng),
        "from": hand.spell_date(rng),
        "to": hand.spell_date(rng),
        "gross": hand.spell_money(gross),
        "tax": hand.spell_money(tax),
        "net": hand.spell_money(gross - tax - extra),
    }
    if rng.random() < 0.15:
        del values["tax"]
    items: list[Item] = [(key, says[key], text) for key, text in values.items()]
    items += [
        ("", fixed.choice(["Pension", "Pension fund", "Retirement"]), hand.spell_money(extra)),
        ("", fixed.choice(["Hourly rate", "Rate", "Basic rate"]), hand.spell_money(rng.uniform(90, 400))),
        ("", fixed.choice(["Bank account", "Account", "IBAN"]), str(rng.randint(10**9, 10**10))),
        ("", fixed.choice(["Hired", "With us since", "Date of entry"]), hand.spell_date(rng, (2005, 2019))),
    ]
    fixed.shuffle(items)
    pen.write(
        hand.left,
        60,
        fixed.choice(["Payslip", "Statement of earnings", "Salary advice", "Wage slip"]),
        bold=True,
        scale=1.6,
    )
    y = set_items(pen, items, rng) + 25
    if fixed.random() < 0.6:  # year to date: the same names again, other figures
        pen.write(hand.left, y, fixed.choice(["Year to date", "Totals this year", "Cumulative"]), bold=True)
        for number, key in enumerate(("gross", "tax", "net")):
            pen.write(hand.left, y + 18 + 16 * number, says[key])
            pen.write(hand.left + 300, y + 18 + 16 * number, hand.spell_money(gross * rng.uniform(2, 11)), right=True)
    pen.write(hand.left, 800, f"Printed {hand.spell_date(rng)}  page 1", scale=0.7)
    return Drawn("stub", layout, pen.sheet.done(), pen.truth)


# ---- Tax forms -------------------------------------------------------------------------------------------------------

TAX = {
    "payer": ("Taxpayer", "Name of taxpayer", "Full name", "Assessed person", "Name"),
    "id": ("Personal number", "Tax file number", "Identification no.", "TIN", "Citizen number"),
    "year": ("Tax year", "Year of income", "Fiscal year", "Income year"),
    "income": ("Total income", "Income from all sources", "Sum of income", "Aggregate income"),
    "deductions": ("Deductions", "Allowances", "Total deductions", "Less: reliefs"),
    "taxable": ("Taxable income", "Income subject to tax", "Chargeable income", "Net income for tax"),
    "due": ("Tax payable", "Tax due", "Assessed tax", "Amount of tax", "Tax to pay"),
    "assessed_on": ("Date of assessment", "Assessed on", "Notice date", "Decision date"),
}
TAX_PLAN = Plan(
    (
        FieldPlan("payer", "Taxpayer", D.NAME),
        FieldPlan("id", "Personal number", D.IDENTIFIER),
        FieldPlan("year", "Tax year", D.NUMBER),
        FieldPlan("income", "Total income", D.MONEY),
        FieldPlan("deductions", "Deductions", D.MONEY, required=False),
        FieldPlan("taxable", "Taxable income", D.MONEY),
        FieldPlan("due", "Tax payable", D.MONEY),
        FieldPlan("assessed_on", "Date of assessment", D.DATE),
    )
)


def tax(rng: random.Random, layout: int) -> Drawn:
    hand = hand_of("tax", layout, ("numbered", "cells", "rows", "pairs", "numbered", "cells", "run", "stack", "rows"))
    pen, says = Pen(hand, (rng.uniform(-3, 3), rng.uniform(-5, 5))), wording("tax", layout, TAX)
    fixed = random.Random(f"tax-order-{layout}")
    income = rng.uniform(150_000, 900_000)
    relief = income * rng.uniform(0.02, 0.2)
    values = {
        "payer": person(rng),
        "id": f"{rng.randint(100000, 999999)}-{rng.randint(1000, 9999)}",
        "year": str(rng.randint(2018, 2025)),
        "income": hand.spell_money(income),
        "deductions": hand.spell_money(relief),
        "taxable": hand.spell_money(income - relief),
        "due": hand.spell_money((income - relief) * 0.31),
        "assessed_on": hand.spell_date(rng),
    }
    if rng.random() < 0.2:
        del values["deductions"]
    items: list[Item] = [(key, says[key], text) for key, text in values.items()]
    items += [
        ("", fixed.choice(["Tax credits", "Credits", "Prepaid tax"]), hand.spell_money(rng.uniform(500, 20_000))),
        ("", fixed.choice(["Date of birth", "Born"]), hand.spell_date(rng, (1950, 2000))),
        ("", fixed.choice(["Office", "Tax office", "District"]), rng.choice(TOWNS)),
        ("", fixed.choice(["Dependants", "Children"]), str(rng.randint(0, 4))),
        ("", fixed.choice(["Case reference", "Our reference"]), f"R{rng.randint(10000, 99999)}/{rng.randint(10, 99)}"),
    ]
    head, tail = items[:3], items[3:]
    fixed.shuffle(tail)
    pen.write(
        hand.left,
        55,
        fixed.choice(["Notice of assessment", "Annual tax statement", "Assessment of income"]),
        bold=True,
        scale=1.5,
    )
    pen.write(hand.left, 75, f"Form {fixed.choice('ABCDEF')}{fixed.randint(10, 99)}", scale=0.8)
    set_items(pen, head + tail, rng)
    pen.write(hand.left, 790, "You may object within six weeks of the date of this notice.", scale=0.8)
    return Drawn("tax", layout, pen.sheet.done(), pen.truth)


# ---- Identity cards --------------------------------------------------------------------------------------------------

CARD = {
    "surname": ("Surname", "Family name", "Last name", "Name"),
    "given": ("Given names", "First names", "Forenames", "Given name"),
    "born": ("Date of birth", "Born", "Birth date", "DOB"),
    "number": ("Card number", "Document no.", "No.", "Card no."),
    "issued": ("Date of issue", "Issued", "Issued on", "Valid from"),
    "expires": ("Date of expiry", "Expires", "Valid until", "Expiry"),
    "place": ("Place of birth", "Birthplace", "Born in"),
}
CARD_PLAN = Plan(
    (
        FieldPlan("surname", "Surname", D.TEXT),
        FieldPlan("given", "Given names", D.TEXT),
        FieldPlan("born", "Date of birth", D.DATE),
        FieldPlan("number", "Card number", D.IDENTIFIER),
        FieldPlan("issued", "Date of issue", D.DATE, required=False),
        FieldPlan("expires", "Date of expiry", D.DATE),
        FieldPlan("place", "Place of birth", D.TEXT, required=False),
    )
)


def card(rng: random.Random, layout: int) -> Drawn:
    hand = hand_of("card", layout, ("rows", "stack", "run", "rows", "stack", "rows", "stack", "run", "below"))
    hand.left, hand.top, hand.step = 150 if layout % 2 else 40, 75, 21
    pen, says = Pen(hand, (rng.uniform(-2, 2), rng.uniform(-2, 2)), (430, 270)), wording("card", layout, CARD)
    fixed = random.Random(f"card-order-{layout}")
    if hand.way == "stack":
        hand.left = 30
    values = {
        "surname": rng.choice(LAST).upper() if layout % 3 == 0 else rng.choice(LAST),
        "given": " ".join(rng.sample(FIRST, rng.randint(1, 2))),
        "born": hand.spell_date(rng, (1950, 2004)),
        "number": f"{rng.choice('ABCXZ')}{rng.randint(10**6, 10**7 - 1)}",
        "issued": hand.spell_date(rng, (2016, 2025)),
        "expires": hand.spell_date(rng, (2026, 2035)),
        "place": rng.choice(TOWNS),
    }
    for key in ("issued", "place"):
        if fixed.random() < 0.3 or rng.random() < 0.05:
            del values[key]
    items: list[Item] = [(key, says[key], text) for key, text in values.items()]
    items.append(("", fixed.choice(["Sex", "Height", "Nationality"]), rng.choice(["F", "M", "172 cm", "UTO"])))
    fixed.shuffle(items)
    pen.write(
        30,
        35,
        fixed.choice(["IDENTITY CARD", "RESIDENCE CARD", "CITIZEN CARD", "DRIVING PERMIT"]),
        bold=True,
        scale=1.3,
    )
    pen.write(300, 35, fixed.choice(["NORHAVEN", "Utopia", "REPUBLIC"]), scale=0.9)
    set_items(pen, items, rng)
    return Drawn("card", layout, pen.sheet.done(), pen.truth)


# ---- Certificates with a table ---------------------------------------------------------------------------------------

CERTIFICATE = {
    "certificate": ("Certificate no.", "Certificate number", "Report no.", "Ref."),
    "issued": ("Date of issue", "Issued", "Date", "Report date"),
    "customer": ("Customer", "Client", "Ordered by", "Purchaser"),
    "order": ("Order no.", "Your order", "Purchase order", "Job"),
}
COLUMNS = {
    "test": ("Test", "Property", "Parameter", "Determination", "Characteristic"),
    "unit": ("Unit", "Units", "U/M"),
    "least": ("Min", "Minimum", "Lower limit", "From"),
    "most": ("Max", "Maximum", "Upper limit", "Not over"),
    "result": ("Result", "Found", "Measured", "Value", "Actual"),
}
PROPERTIES = [
    "Tensile strength",
    "Yield point",
    "Elongation",
    "Hardness",
    "Carbon",
    "Manganese",
    "Silicon",
    "Impact energy",
    "Density",
    "Ash",
    "Flash point",
    "Viscosity",
    "pH",
]
UNITS = "MPa,%,HB,J,kg/m3,mm2/s,mg/kg".split(",")
CERTIFICATE_PLAN = Plan(
    (
        FieldPlan("certificate", "Certificate number", D.IDENTIFIER),
        FieldPlan("issued", "Date of issue", D.DATE),
        FieldPlan("customer", "Customer", D.TEXT),
        FieldPlan("order", "Order number", D.IDENTIFIER),
        FieldPlan("tests", "Tests", kind=FieldKind.TABLE),
        FieldPlan("tests.test", "Test", D.TEXT, inside="tests"),
        FieldPlan("tests.unit", "Unit", D.TEXT, inside="tests", required=False),
        FieldPlan("tests.least", "Minimum", D.NUMBER, inside="tests", required=False),
        FieldPlan("tests.most", "Maximum", D.NUMBER, inside="tests", required=False),
        FieldPlan("tests.result", "Result", D.NUMBER, inside="tests"),
    )
)


def certificate(rng: random.Random, layout: int) -> Drawn:
    hand = hand_of("certificate", layout, ("rows", "pairs", "cells", "stack", "run", "pairs", "rows", "cells", "run"))
    pen, says = Pen(hand, (rng.uniform(-4, 4), rng.uniform(-6, 6))), wording("certificate", layout, CERTIFICATE)
    fixed = random.Random(f"certificate-order-{layout}")
    values = {
        "certificate": f"C{rng.randint(1000, 9999)}-{rng.randint(10, 99)}",
        "issued": hand.spell_date(rng),
        "customer": rng.choice(FIRMS),
        "order": str(rng.randint(100_000, 999_999)),
    }
    items: list[Item] = [(key, says[key], text) for key, text in values.items()]
    items += [("", "Heat", f"H{rng.randint(1000, 9999)}"), ("", "Grade", f"S{rng.randint(200, 900)}")]
    fixed.shuffle(items)
    pen.write(
        hand.left,
        60,
        fixed.choice(["Test certificate", "Inspection certificate", "Certificate of analysis"]),
        bold=True,
        scale=1.5,
    )
    y = set_items(pen, items, rng) + 40
    pen.write(
        hand.left,
        y,
        fixed.choice(["Results of tests", "We certify the following values", "Analysis"]),
        bold=fixed.random() < 0.5,
    )
    y = _table(pen, rng, fixed, layout, y + 26)
    if fixed.random() < 0.5:
        pen.write(
            hand.left,
            y + 8,
            fixed.choice(["Values without limits are for information.", "End of results", "Remarks: none"]),
            scale=0.85,
        )
    pen.write(hand.left, 780, f"{fixed.choice(['Inspector', 'Signed', 'Works inspector'])}: {person(rng)}", scale=0.9)
    return Drawn("certificate", layout, pen.sheet.done(), pen.truth)


def _table(pen: Pen, rng: random.Random, fixed: random.Random, layout: int, y: float) -> float:
    says = wording("certificate-columns", layout, COLUMNS)
    order = ["test", *fixed.sample(["unit", "least", "most", "result"], 4)]
    if fixed.random() < 0.3:
        order.remove("unit")
    edges = [pen.hand.left + at for at in (0, 170, 250, 330, 420)]
    numeric = {"least", "most", "result"}
    lines = fixed.choice(["none", "rules", "head"])
    step = fixed.uniform(14, 22)
    numbers = fixed.random() < 0.25  # a column of running numbers that nobody asks for
    if numbers:
        pen.write(edges[0] - 22, y, "#", bold=True)
    for x, key in zip(edges, order, strict=False):
        pen.write(
            x + (60 if key in numeric else 0),
            y,
            says[key],
            bold=pen.hand.bold_labels or lines == "none",
            right=key in numeric,
        )
    if lines != "none":
        pen.sheet.line(edges[0], y + 4, edges[-1] + 70, y + 4)
    for number in range(rng.randint(3, 9)):
        y += step
        property_ = rng.choice(PROPERTIES)
        low = round(rng.uniform(0.1, 400), rng.choice([0, 1, 2]))
        row = {
            "test": property_,
            "unit": rng.choice(UNITS),
            "least": f"{low:g}" if rng.random() < 0.75 else "",
            "most": f"{low * 2:g}" if rng.random() < 0.6 else "",
            "result": f"{low * 1.4:.2f}",
        }
        if numbers:
            pen.write(edges[0] - 22, y, str(number + 1))
        for x, key in zip(edges, order, strict=False):
            if row[key]:
                pen.write(x + (60 if key in numeric else 0), y, row[key], key=f"tests.{key}", right=key in numeric)
            else:
                pen.truth.setdefault(f"tests.{key}", []).append(Truth("", []))
        if lines == "rules":
            pen.sheet.line(edges[0], y + 4, edges[-1] + 70, y + 4, 0.3)
    return y + step


# ---- Contracts -------------------------------------------------------------------------------------------------------

CLAUSES: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "termination": (
        ("Termination", "Ending this agreement", "Notice", "Duration and notice"),
        (
            "Either party may end this agreement by giving {days} days notice in writing to the other. Sums due at "
            "that day stay payable.",
            "This agreement runs until it is cancelled. Cancellation needs {days} days of written warning and takes "
            "effect at the end of a month.",
            "The contract may be terminated by either side, at {days} days, by registered letter. Work begun shall "
            "be finished and paid.",
        ),
    ),
    "liability": (
        ("Liability", "Limits of liability", "Damages", "Responsibility"),
        (
            "The supplier is answerable for loss caused by gross neglect only, and never for more than {cap} in all.",
            "Liability for indirect loss is excluded. In every other case compensation is limited to {cap} for each "
            "event.",
            "Should damage arise, the contractor makes it good up to a ceiling of {cap}; loss of profit is not made "
            "good.",
        ),
    ),
    "payment": (
        ("Payment", "Price and payment", "Fees", "Invoicing"),
        (
            "The client pays the price within thirty days of the invoice. A deposit of {deposit} is due at signing. "
            "Late sums bear interest.",
            "Invoices are sent monthly and fall due after two weeks; {deposit} must be paid in advance, before the "
            "start of work.",
            "An advance of {deposit} is payable on signature. The balance follows on completion, against invoice, "
            "without discount.",
        ),
    ),
}
OTHERS = (
    (
        "Secrecy",
        "Each side keeps what it learns of the other to itself, during this agreement and for three years after it "
        "has ended.",
    ),
    (
        "Warranty",
        "The supplier warrants that the work is free of faults for twenty-four months and mends what shows itself at "
        "no cost.",
    ),
    (
        "Governing law",
        "This agreement is under the law of Norhaven. The courts of the capital decide all disputes that talks do "
        "not settle.",
    ),
    (
        "Force majeure",
        "No side answers for delay that flood, fire, strike or war brings about, as long as it tells the other at "
        "once.",
    ),
    (
        "Assignment",
        "Rights under this agreement may be handed on to others only when the other side has agreed to it in writing.",
    ),
    (
        "Delivery",
        "Goods are handed over at the client's yard between eight and four. The risk passes with the signature on "
        "the slip.",
    ),
    (
        "Changes",
        "Changes and additions need the written form. Nothing has been agreed by word of mouth beside this paper.",
    ),
)
CONTRACT_PLAN = Plan(
    (
        FieldPlan("supplier", "Supplier", D.TEXT),
        FieldPlan("client", "Client", D.NAME),
        FieldPlan("dated", "Date of contract", D.DATE),
        FieldPlan("price", "Price", D.MONEY),
        FieldPlan("termination", "Termination", kind=FieldKind.CLAUSE),
        FieldPlan("liability", "Liability", kind=FieldKind.CLAUSE),
        FieldPlan("payment", "Payment", kind=FieldKind.CLAUSE, required=False),
        FieldPlan("deposit", "Deposit", D.MONEY, required=False, inside="payment"),
    )
)
PARTIES = (
    "This agreement is made on |dated| between |supplier|, hereafter the supplier, and |client|, hereafter the client. "
    "The supplier carries out the works described in the schedule for |price|.",
    "Between |supplier| (the contractor) and |client| (the principal) the following was agreed on |dated|. "
    "The total remuneration comes to |price| and covers all material.",
    "|client| engages |supplier| as of |dated| to do the works named below. For these works a fixed sum of |price| "
    "is agreed.",
    "Dated |dated|. The undersigned |supplier|, seller, and |client|, buyer, have come to this contract. Purchase "
    "price: |price| in all.",
)


def contract(rng: random.Random, layout: int) -> Drawn:
    hand = hand_of("contract", layout, ("prose",))
    hand.font, hand.left = random.Random(f"contract-font-{layout}").choice(["Times", "Helvetica"]), hand.left + 10
    pen, fixed = Pen(hand, (rng.uniform(-3, 3), rng.uniform(-5, 5))), random.Random(f"contract-order-{layout}")
    values = {
        "supplier": rng.choice(FIRMS),
        "client": person(rng),
        "dated": hand.spell_date(rng),
        "price": hand.spell_money(rng.uniform(20_000, 400_000)),
        "deposit": hand.spell_money(rng.uniform(1000, 9000)),
        "days": str(rng.choice([14, 28, 30, 60, 90])),
        "cap": hand.spell_money(rng.uniform(10_000, 90_000)),
    }
    pen.write(
        hand.left, 70, fixed.choice(["Agreement", "Contract for works", "Service contract"]), bold=True, scale=1.6
    )
    y = _prose(pen, 105, PARTIES[layout % len(PARTIES)], values, "")
    numbering = fixed.choice(["{n}. {t}", "§ {n} {t}", "Article {n}: {t}", "{t}", "{n}) {t}"])
    wanted = ["termination", "liability"] + (["payment"] if rng.random() < 0.85 else [])
    heads = {key: fixed.choice(CLAUSES[key][0]) for key in CLAUSES}
    bodies = {key: fixed.choice(CLAUSES[key][1]) for key in CLAUSES}
    others = fixed.sample(OTHERS, 4)
    parts = [(key, heads[key], bodies[key]) for key in CLAUSES] + [("", head, body) for head, body in others]
    fixed.shuffle(parts)
    number = 0
    for key, head, body in parts:
        if key and key not in wanted:
            continue
        number += 1
        if y > 690:
            pen.turn()
            y = 70
        y += 16
        title = numbering.format(n=number, t=head)
        pen.write(hand.left, y, title, bold=True, scale=1.05, key=key)
        y = _prose(pen, y + 16, body, values, key)
    pen.write(
        hand.left, 780, f"{fixed.choice(['Signed', 'Done'])} at {rng.choice(TOWNS)}, {hand.spell_date(rng)}", scale=0.9
    )
    return Drawn("contract", layout, pen.sheet.done(), pen.truth)


def _prose(pen: Pen, y: float, text: str, values: dict[str, str], clause: str) -> float:
    """Text in lines; |key| and {key} stand for values, of which the fields' places are kept. Lines of a clause are
    kept as its own."""
    for key, value in values.items():
        text = text.replace(f"|{key}|", f"\u0001{key}\u0002{value}\u0003").replace(
            f"{{{key}}}", f"\u0001{key}\u0002{value}\u0003"
        )
    size, hand = pen.hand.size, pen.hand
    face = "Times-Roman" if hand.font == "Times" else hand.font
    x, right, gap = hand.left, 540.0, stringWidth(" ", face, size)
    key, line, begun = "", [], False

    def flush() -> None:
        if clause and line:
            box = Box(
                line[0][0] / 595,
                (y + pen.shift[1] - 0.8 * size) / 842,
                line[-1][1] / 595,
                (y + pen.shift[1] + 0.25 * size) / 842,
            )
            pen.keep(clause, " ".join(one[2] for one in line), box, more=True)
        line.clear()

    for token in text.split():
        if "\u0001" in token:
            key, token = token[1:].split("\u0002")
            begun = False
        ends = "\u0003" in token
        token = token.replace("\u0003", "")
        bare = token.rstrip(",.;)") if ends else token
        width = stringWidth(token, face, size)
        if x + width > right:
            flush()
            x, y = hand.left, y + 1.35 * size
        pen.sheet.text(x + pen.shift[0], y + pen.shift[1], token, size, font=hand.font)
        line.append((x + pen.shift[0], x + width + pen.shift[0], token))
        if key and key in {planned.key for planned in CONTRACT_PLAN.fields}:
            bare_width = stringWidth(bare, face, size)
            box = Box(
                (x + pen.shift[0]) / 595,
                (y + pen.shift[1] - 0.8 * size) / 842,
                (x + bare_width + pen.shift[0]) / 595,
                (y + pen.shift[1] + 0.25 * size) / 842,
            )
            pen.keep(key, bare, box, more=begun)
            begun = True
        if ends:
            key = ""
        x += width + gap
    flush()
    return y + 1.35 * size


FAMILIES: dict[str, tuple[Plan, Callable[[random.Random, int], Drawn]]] = {
    "stub": (STUB_PLAN, stub),
    "tax": (TAX_PLAN, tax),
    "card": (CARD_PLAN, card),
    "certificate": (CERTIFICATE_PLAN, certificate),
    "contract": (CONTRACT_PLAN, contract),
}
