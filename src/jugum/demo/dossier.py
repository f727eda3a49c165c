"""The other papers of an application: works contracts, tax assessments, identity papers, and papers of no known type."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from datetime import date, timedelta

from reportlab.lib.pagesizes import A4, A5

from jugum.demo.people import FAMILY, GIVEN, STREETS, TOWNS
from jugum.demo.sheet import Sheet, SheetTruth
from jugum.demo.zonetext import Holder, card_zone, passport_zone

MONTHS = "January February March April May June July August September October November December".split()
INSTALLERS = ("Fellside Insulation", "Nordlys Roof & Wall", "Ambleholt Builders", "Keld Heat Works", "Selvik Carpentry")
CARD_SIZE = (243.0, 153.0)  # ID-1, 85.6 × 54 mm, in points


@dataclass(frozen=True)
class Paper:
    """A drawn paper: its kind, layout number, PDF bytes, and what stands on each page."""

    kind: str
    layout: int
    pdf: bytes
    pages: list[SheetTruth]
    truth: dict[str, str] = field(default_factory=dict)


def _person(rng: random.Random) -> tuple[str, str]:
    return rng.choice(GIVEN), rng.choice(FAMILY)


def _day(rng: random.Random, year: int = 2026) -> date:
    return date(year, 1, 1) + timedelta(days=rng.randrange(330))


def _spelled(day: date) -> str:
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def _amount(rng: random.Random, low: int, high: int) -> str:
    return f"{rng.randrange(low, high):,}".replace(",", " ") + f",{rng.randrange(100):02d}"


# ---- Works contracts ---------------------------------------------------------------------------------------------------

_CLAUSES = (
    ("Scope of works", "The installer shall insulate the {part} of the dwelling at {place} with {stuff} to a depth of no less than {depth} millimetres, and shall make good whatever is opened for the purpose."),
    ("Price", "The works are carried out for the fixed sum of {total} crowns, all material, travel and removal of waste included. Extra works are paid only where they were agreed in writing beforehand."),
    ("Time", "Works begin on {start} and are finished on {end}. Where frost, storm or late delivery of material hinders them, the time is longer by as many days as the hindrance lasted."),
    ("Payment", "One third is paid when the material lies on the site and the rest within fourteen days after the works were taken over without defects. No interest is due for the first month."),
    ("Grant", "The customer asks the Lowfell Warm Homes Fund for a grant towards the sum in section 2. Should the Fund refuse, the customer may withdraw within ten days without any cost."),
    ("Guarantee", "The installer answers for five years for the tightness of what was built and for two years for paint and trim. Defects are told in writing and mended within thirty days."),
    ("Insurance", "The installer holds an insurance against damage to persons and things of at least 2 000 000 crowns with the Ostmark Mutual and shows proof of it on demand."),
    ("Disputes", "Both sides first try to settle by word. What remains is decided by the arbitration board of the building trades at Tarnby, whose costs the losing side bears."),
    ("Safety", "Ladders and scaffolds are put up by trained hands only. The customer keeps children and animals away from the works and leaves the ways to the attic free."),
    ("Changes", "Changes of this contract need the written form and both signatures. Should one section fall, the others stand."),
)  # fmt: skip


def contract(layout: int, rng: random.Random) -> Paper:
    """Two or three pages of numbered sections, with signatures on the last; layouts differ in letter, heading and order."""
    given, family = _person(rng)
    installer = INSTALLERS[layout % len(INSTALLERS)]
    font, size = (("Times", 11), ("Helvetica", 10), ("Times", 12), ("Helvetica", 9.5), ("Times", 10.5))[layout % 5]
    start = _day(rng)
    values = {
        "part": rng.choice(["attic", "outer walls", "cellar ceiling"]),
        "place": f"{rng.randrange(1, 90)} {rng.choice(STREETS)}, {rng.choice(TOWNS)}",
        "stuff": rng.choice(["wood fibre", "cellulose", "mineral wool", "flax"]),
        "depth": str(rng.randrange(12, 40) * 10),
        "total": _amount(rng, 20_000, 290_000),
        "start": _spelled(start),
        "end": _spelled(start + timedelta(days=rng.randrange(10, 60))),
    }
    number = f"{installer[0]}{rng.randrange(1000, 9999)}-{rng.randrange(10, 99)}"
    sheet = Sheet(A4)
    title = ("CONTRACT FOR WORKS", "Works contract", "Agreement on insulation works")[layout % 3]
    sheet.text(70, 80, title, size + 7, bold=True, font=font)
    sheet.text(70, 104, f"No. {number}", size, font=font)
    y = sheet.paragraph(
        70, 130, 450,
        f"between {installer}, of {rng.randrange(1, 60)} {STREETS[layout % len(STREETS)]}, {TOWNS[layout % len(TOWNS)]} "
        f"(the installer), and {given} {family}, of {values['place']} (the customer), concluded on {_spelled(start - timedelta(days=rng.randrange(5, 40)))}.",
        size, font,
    )  # fmt: skip
    page = 1
    clauses = list(_CLAUSES)
    if layout % 2:
        clauses[4:] = clauses[:3:-1]
    for section, (heading, text) in enumerate(clauses, 1):
        if y > 690:
            _contract_foot(sheet, number, page, layout)
            sheet.new_page()
            page += 1
            y = 80.0
        y += size
        sheet.text(
            70, y, f"{section}. {heading}" if layout % 2 else f"§ {section}  {heading}", size, bold=True, font=font
        )
        y = sheet.paragraph(70, y + 1.5 * size, 450, text.format(**values), size, font)
        if layout % 5 in (0, 2):
            y = sheet.paragraph(
                70,
                y,
                450,
                "This section also binds whoever takes over the dwelling, as far as the law of Norhaven allows it.",
                size,
                font,
            )
    if y > 640:
        _contract_foot(sheet, number, page, layout)
        sheet.new_page()
        page, y = page + 1, 80.0
    y += 60
    for x, who in ((70, "For the installer"), (320, "The customer")):
        sheet.signature(x + 15, y, rng.uniform(80, 130), rng)
        sheet.line(x, y + 2, x + 190, y + 2)
        sheet.text(x, y + 16, who, size - 2, font=font)
    _contract_foot(sheet, number, page, layout)
    truth = {"installer": installer, "customer": f"{given} {family}", **values}
    return Paper("works contract", layout, sheet.done(), sheet.pages, truth)


def _contract_foot(sheet: Sheet, number: str, page: int, layout: int) -> None:
    text = (f"Contract {number} · page {page}", f"{page}", f"Page {page} · {number}")[layout % 3]
    sheet.right(525, 805, text, 8)


# ---- Tax assessments -----------------------------------------------------------------------------------------------------

_LINES = (
    "Income from work", "Income from business", "Pensions received", "Interest and dividends", "Travel to work",
    "Union and professional fees", "Interest paid on loans", "Assessed income", "Tax on income", "Tax withheld",
    "To be paid or returned",
)  # fmt: skip


def tax_assessment(layout: int, rng: random.Random) -> Paper:
    """A boxed form with tick boxes; revisions (layouts) move the cells and rename the lines."""
    given, family = _person(rng)
    sheet = Sheet(A4)
    year = 2025
    font = ("Helvetica", "Times", "Helvetica")[layout % 3]
    title = (f"Tax assessment {year}", f"ASSESSMENT OF INCOME TAX · YEAR {year}", f"Notice of assessed tax for {year}")[
        layout % 3
    ]
    sheet.text(50, 60, "Treasury of Norhaven", 9, font=font)
    sheet.text(50, 82, title, 15, bold=True, font=font)
    sheet.right(545, 60, f"Form T-{4 + layout % 3}  rev. {2021 + layout}", 8, font=font)
    number = f"{rng.randrange(10**9, 10**10)}"
    top = 110 + 12 * (layout % 3)
    for column, (name, value) in enumerate(
        (("Name", f"{family}, {given}"), ("Personal number", number), ("Issued", _spelled(_day(rng))))
    ):
        x = 50 + column * 165
        sheet.box(x, top, 165, 34)
        sheet.text(x + 4, top + 10, name, 7, font=font)
        sheet.text(x + 6, top + 27, value, 10.5, font=font)
    y = top + 62
    style = ("cross", "tick", "filled")[layout % 3]
    sheet.text(50, y, "Household", 9, bold=True, font=font)
    chosen = rng.randrange(3)
    for place, name in enumerate(("single", "married or partners", "widowed")):
        x = 120 + place * 130
        sheet.tick(x, y - 9, 10, place == chosen, style)
        sheet.text(x + 15, y, name, 9.5, font=font)
    y += 20
    sheet.text(50, y, "Also", 9, bold=True, font=font)
    for place, name in enumerate(("owns the dwelling", "works abroad", "has children")):
        x = 120 + place * 130
        sheet.tick(x, y - 9, 10, rng.random() < 0.4, style)
        sheet.text(x + 15, y, name, 9.5, font=font)
    y += 24
    rows = [["", "Code", "Crowns"]]
    high = 22 + 2 * (layout % 3)
    order = list(_LINES) if layout % 2 == 0 else [*_LINES[4:7], *_LINES[:4], *_LINES[7:]]
    for line, name in enumerate(order):
        rows.append([name, f"{100 + 10 * line + layout}", _amount(rng, 100, 480_000)])
    for row in rows:
        for x, width in ((50, 300), (350, 60), (410, 135)):
            sheet.box(x, y, width, high)
        sheet.text(56, y + high - 7, row[0], 9.5, font=font)
        sheet.text(356, y + high - 7, row[1], 9.5, font=font, bold=row[1] == "Code")
        sheet.right(539, y + high - 7, row[2], 9.5, font=font, bold=row[2] == "Crowns")
        y += high
    sheet.truth.tables.append(rows)
    sheet.paragraph(
        50,
        y + 26,
        495,
        "Whoever finds this assessment wrong says so in writing within thirty days to the tax office of their town. What is owed is paid all the same and given back with interest.",
        8.5,
        font,
    )
    return Paper(
        "tax assessment", layout, sheet.done(), sheet.pages, {"name": f"{family}, {given}", "personal_number": number}
    )


# ---- Identity papers ---------------------------------------------------------------------------------------------------------


def identity_paper(layout: int, rng: random.Random) -> Paper:
    """A card with its zone (even layouts) or a passport's data page (odd ones), on a patterned ground."""
    given, family = _person(rng)
    born = date(rng.randrange(1945, 2006), rng.randrange(1, 13), rng.randrange(1, 28))
    number = "".join(rng.choice("ABCDEFGHJKLMNPRSTUVWXYZ0123456789") for _ in range(9))
    holder = Holder(family, given, born, rng.choice("MF"), number, _day(rng, rng.randrange(2027, 2036)))
    card = layout % 2 == 0
    sheet = Sheet(CARD_SIZE if card else (354.0, 250.0))
    _guilloche(sheet, layout)
    sheet.text(10, 16, "NORHAVEN", 9, bold=True)
    sheet.text(80, 16, ("IDENTITY CARD", "PASSPORT", "CITIZEN CARD", "TRAVEL DOCUMENT")[layout % 4], 7)
    x0, y0 = (84, 30) if card else (120, 40)
    sheet.box(10, y0 - 6, x0 - 22, 78 if card else 110, 0.82)
    for name, value in (
        ("Surname", family), ("Given names", given), ("Born", _spelled(born)), ("Document no.", number), ("Valid until", _spelled(holder.expires)),
    ):  # fmt: skip
        sheet.text(x0, y0, name, 5)
        sheet.text(x0, y0 + 9, value, 8, bold=True)
        y0 += 17 if card else 26
    lines = card_zone(holder) if card else passport_zone(holder)
    size = 10.4 if card else 12.3
    sheet.zone(12 if card else 11, sheet.height - (36 if card else 34), lines, size if not card else 11.0 * 30 / 31)
    truth = {"family": family, "given": given, "number": number}
    return Paper("identity paper", layout, sheet.done(), sheet.pages, truth)


def _guilloche(sheet: Sheet, layout: int) -> None:
    """Faint waves over the whole sheet, as such papers carry."""
    canvas = sheet.canvas
    canvas.setStrokeColorRGB(*((0.78, 0.86, 0.9), (0.9, 0.82, 0.82), (0.82, 0.9, 0.8))[layout % 3])
    canvas.setLineWidth(0.5)
    for row in range(0, int(sheet.height) + 20, 7):
        path = canvas.beginPath()
        path.moveTo(0, row)
        for x in range(0, int(sheet.width) + 20, 20):
            path.curveTo(x + 7, row + 8, x + 13, row - 8, x + 20, row)
        canvas.drawPath(path)
    canvas.setStrokeGray(0)


# ---- Papers of no known type -------------------------------------------------------------------------------------------------


def _newsletter(sheet: Sheet, rng: random.Random) -> None:
    sheet.text(50, 70, rng.choice(["The Tarnby Bell", "Village Notes", "Harbour Gazette"]), 24, bold=True, font="Times")
    sheet.line(50, 80, 545, 80)
    words = "storm boat market choir school bridge bread harvest meeting winter ferry lamb sale church hall dance wool rain road mill".split()
    for x in (50, 305):
        y = 110.0
        for _ in range(5):
            y = sheet.paragraph(x, y, 235, " ".join(rng.choice(words) for _ in range(48)).capitalize() + ".", 10.5) + 8


def _order(sheet: Sheet, rng: random.Random) -> None:
    sheet.text(60, 70, "Order confirmation", 16, bold=True)
    sheet.text(60, 95, f"Order {rng.randrange(10**5, 10**6)} of {_spelled(_day(rng))}", 10)
    goods = [
        "oak plank 2 m",
        "brass hinge",
        "window putty",
        "roof nail 40",
        "lime mortar 25 kg",
        "door seal",
        "paint, white",
    ]
    rows = [["Item", "Quantity", "Each", "Sum"]]
    for name in rng.sample(goods, 5):
        rows.append([name, str(rng.randrange(1, 40)), _amount(rng, 2, 90), _amount(rng, 80, 2500)])
    y = 140.0
    for row in rows:
        sheet.text(60, y, row[0], 10, bold=row is rows[0])
        for x, cell in zip((300, 400, 520), row[1:], strict=True):
            sheet.right(x, y, cell, 10, bold=row is rows[0])
        y += 19
    sheet.truth.tables.append(rows)
    sheet.text(60, y + 30, "Goods are fetched at the yard. Thank you for your order.", 10)


def _recipe(sheet: Sheet, rng: random.Random) -> None:
    sheet.text(60, 80, rng.choice(["Barley soup", "Rye bread", "Smoked trout with dill"]), 18, bold=True, font="Times")
    y = 120.0
    for part in rng.sample(
        [
            "two onions",
            "a litre of stock",
            "a spoon of salt",
            "barley, soaked over night",
            "four carrots",
            "cream",
            "a bunch of dill",
            "rye flour",
        ],
        5,
    ):
        sheet.text(75, y, f"– {part}", 12, font="Times")
        y += 18
    sheet.paragraph(
        60,
        y + 20,
        440,
        "Cook slowly for two hours and stir now and then. Taste, and serve with bread. Keeps three days in the cold. The rest is good for the hens.",
        12,
    )


def _water_bill(sheet: Sheet, rng: random.Random) -> None:
    sheet.text(50, 60, "Marrow Sound Waterworks", 13, bold=True)
    sheet.text(50, 90, f"Water account {rng.randrange(10**6, 10**7)}", 10)
    y = 130.0
    for name, value in (
        ("Reading before", rng.randrange(100, 400)),
        ("Reading now", rng.randrange(400, 700)),
        ("Used, cubic metres", rng.randrange(50, 200)),
        ("Price per cubic metre", "21,40"),
        ("To pay", _amount(rng, 900, 4000)),
        ("Due", _spelled(_day(rng))),
    ):
        sheet.text(50, y, name, 11)
        sheet.right(400, y, str(value), 11)
        sheet.line(50, y + 4, 400, y + 4, 0.3)
        y += 24


def _letter(sheet: Sheet, rng: random.Random) -> None:
    given, family = _person(rng)
    sheet.right(525, 90, _spelled(_day(rng)), 11, font="Times")
    sheet.text(70, 140, "Dear neighbours,", 12, font="Times")
    text = "Thank you for the help with the fence after the storm. The sheep are back and the gate holds. On Sunday we bake, and all of you are asked to come, with the children and the old ones too. Bring chairs. "
    y = sheet.paragraph(70, 165, 450, text * 2, 12)
    sheet.text(70, y + 40, f"{given} {family}", 12, font="Times")
    sheet.signature(75, y + 34, 90, rng)


def _timetable(sheet: Sheet, rng: random.Random) -> None:
    sheet.text(60, 70, "Ferry timetable, winter", 16, bold=True)
    rows = [["Quay", "Mon–Fri", "Sat", "Sun"]]
    hour = rng.randrange(5, 8)
    for town in TOWNS:
        rows.append([town, *(f"{hour + n:02d}:{rng.randrange(60):02d}" for n in range(3))])
        hour += 1
    y = 110.0
    for row in rows:
        for x, cell in zip((60, 220, 320, 420), row, strict=True):
            sheet.box(x, y, 160 if x == 60 else 100, 26)
            sheet.text(x + 8, y + 17, cell, 11, bold=row is rows[0])
        y += 26
    sheet.truth.tables.append(rows)


STRANGERS: tuple[Callable[[Sheet, random.Random], None], ...] = (
    _newsletter, _order, _recipe, _water_bill, _letter, _timetable,
)  # fmt: skip


def stranger(layout: int, rng: random.Random) -> Paper:
    """A paper that belongs to no dossier: newsletter, order, recipe, water bill, letter, timetable."""
    sheet = Sheet(A5 if layout % 12 == 8 else A4)
    STRANGERS[layout % len(STRANGERS)](sheet, rng)
    return Paper("stranger", layout, sheet.done(), sheet.pages)
