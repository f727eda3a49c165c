"""Papers that belong to no dossier: newsletter, order, recipe, water bill, letter, timetable."""

from __future__ import annotations

import random
from collections.abc import Callable

from reportlab.lib.pagesizes import A4, A5

from jugum.demo.parts import PrintedPaper, amount, day, person, spelled
from jugum.demo.people import TOWNS
from jugum.demo.sheet import Sheet


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
    sheet.text(60, 95, f"Order {rng.randrange(10**5, 10**6)} of {spelled(day(rng))}", 10)
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
        rows.append([name, str(rng.randrange(1, 40)), amount(rng, 2, 90), amount(rng, 80, 2500)])
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
        ("To pay", amount(rng, 900, 4000)),
        ("Due", spelled(day(rng))),
    ):
        sheet.text(50, y, name, 11)
        sheet.right(400, y, str(value), 11)
        sheet.line(50, y + 4, 400, y + 4, 0.3)
        y += 24


def _letter(sheet: Sheet, rng: random.Random) -> None:
    given, family = person(rng)
    sheet.right(525, 90, spelled(day(rng)), 11, font="Times")
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
    _newsletter,
    _order,
    _recipe,
    _water_bill,
    _letter,
    _timetable,
)


def stranger(layout: int, rng: random.Random) -> PrintedPaper:
    """A paper that belongs to no dossier: newsletter, order, recipe, water bill, letter, timetable."""
    sheet = Sheet(A5 if layout % 12 == 8 else A4)
    STRANGERS[layout % len(STRANGERS)](sheet, rng)
    return PrintedPaper("stranger", layout, sheet.done(), sheet.pages)
