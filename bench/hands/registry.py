"""A harbour registry's forms: ruled cells with a number and a small caption, letters one a box, squares to be ticked,
a line to be signed."""

from __future__ import annotations

import random
from dataclasses import dataclass

from bench.hands.desk import Desk, Place, a_day

TYPE = "mooring_permit"
SCHEMA = {
    "fields": [
        {"key": "skipper", "name": "skipper", "type": "text", "required": True},
        {"key": "vessel", "name": "vessel", "type": "text", "required": True},
        {"key": "permit_number", "name": "permit number", "type": "id", "required": True},
        {"key": "berth", "name": "berth", "type": "id", "required": False},
        {"key": "length", "name": "length", "type": "number", "required": True},
        {"key": "issued", "name": "issued", "type": "date", "required": True},
        {"key": "valid_until", "name": "valid until", "type": "date", "required": False},
        {"key": "fee", "name": "fee", "type": "amount", "required": True},
        {"key": "deposit", "name": "deposit", "type": "amount", "required": False},
        {"key": "use", "name": "use", "type": "choice", "choices": ["fishing", "freight", "pleasure"]},
        {"key": "insured", "name": "insured", "type": "yesno", "required": False},
        {"key": "signature", "name": "signature", "type": "signature", "required": False},
    ],
    "tables": [],
}
KNOWN = ("grid", "ledger", "letters", "card")
NEW = ("columns", "slip")
NAMES = "Ruben Idris Maren Thilo Greta Anselm Jorunn Piet Ottilie Casimir Svea Lennart".split()
FAMILIES = "Ekdahl Brouwer Tiedemann Vasko Rautio Lindner Oyelar Halvard Zabel Corvin".split()
BOATS = "Gannet,Marigold,Second Wind,Kittiwake,Old Salt,Moonfish,Fair Isle,Tern,Curlew III,Northern Lass".split(",")


@dataclass(frozen=True)
class Style:
    """How a layout is worded and spelled: captions in the order of the schema, title, choices, date, amounts."""

    title: str
    captions: tuple[str, ...]
    uses: tuple[str, str, str]
    yes: tuple[str, str] | None
    day: str
    comma: bool
    face: str = "Helvetica"


STYLES = {
    "grid": Style(
        "PERMIT TO MOOR",
        (
            "Person in command",
            "Craft",
            "Permit",
            "Place at quay",
            "Over all, m",
            "Given on",
            "Runs to",
            "Harbour due",
            "Held as security",
            "Employed for",
            "Cover in force",
            "Signed",
        ),
        ("catching fish", "carrying goods", "leisure"),
        ("yes", "no"),
        "{0:%d.%m.%Y}",
        True,
    ),
    "ledger": Style(
        "Mooring register, extract",
        (
            "Master",
            "Name of boat",
            "Entry no.",
            "Stand",
            "Metres",
            "Entered",
            "Struck off after",
            "Paid per year",
            "Bond",
            "Trade",
            "Policy seen",
            "Registrar",
        ),
        ("fishery", "cargo", "private"),
        None,
        "{0:%Y-%m-%d}",
        False,
        "Times",
    ),
    "letters": Style(
        "APPLICATION FOR A BERTH - GRANTED",
        (
            "1 Who sails her",
            "2 What she is called",
            "3 Our mark",
            "4 Berth",
            "5 Length",
            "6 Day of grant",
            "7 Last day",
            "8 To pay",
            "9 Deposit",
            "10 She is used for",
            "11 Insurance shown",
            "12 For the office",
        ),
        ("nets", "freight", "pleasure"),
        ("shown", "not shown"),
        "{0:%d/%m/%Y}",
        False,
        "Courier",
    ),
    "card": Style(
        "Berth card",
        (
            "Holder",
            "Boat",
            "Card",
            "Berth",
            "LOA",
            "From",
            "Until",
            "Annual charge",
            "Deposit",
            "Class",
            "Insured",
            "Harbour master",
        ),
        ("F - fishing", "C - carrying", "P - pleasure"),
        None,
        "{0.day} {0:%b} {0:%Y}",
        True,
    ),
    "columns": Style(
        "Leave to lie alongside",
        (
            "Commander",
            "Keel",
            "Licence mark",
            "Ring",
            "Stem to stern",
            "As of",
            "Lapses",
            "Quayage",
            "Earnest money",
            "Calling",
            "Underwritten",
            "By hand of",
        ),
        ("trawling", "hauling", "cruising"),
        ("aye", "nay"),
        "{0:%d-%b-%Y}",
        True,
        "Times",
    ),
    "slip": Style(
        "Quay slip",
        (
            "Answers for her",
            "Hull painted",
            "Slip",
            "Bollard",
            "Metres of quay",
            "Tied up",
            "Casts off",
            "Owed",
            "Left with us",
            "Living by",
            "Has cover",
            "Harbour hand",
        ),
        ("fish", "goods", "guests"),
        None,
        "{0:%d.%m.%y}",
        False,
        "Courier",
    ),
}


def draw(layout: str, rng: random.Random) -> Desk:
    style = STYLES[layout]
    desk = Desk(style.face, 10)
    values = _values(style, rng)
    desk.sheet.text(60, 60 + rng.uniform(-4, 4), style.title, 15, bold=True, font=style.face)
    top = 100 + rng.uniform(-6, 6)
    if layout == "letters":
        top = _letter_boxes(desk, values, style, top)
    elif layout in ("grid", "columns"):
        top = _cells(desk, values, style, top, across=3 if layout == "grid" else 2)
    else:
        top = _lines(desk, values, style, top, gap=26 if layout == "ledger" else 21, right=layout == "slip")
    _ticks(desk, style, rng, top + 14)
    _signed(desk, style, rng, top + 120)
    clerk = f"{rng.choice(NAMES)} {rng.choice(FAMILIES)}"
    printed, arrears = style.day.format(a_day(rng)), _number(rng.randint(100, 90_000) / 100, 2, style.comma)
    desk.write(60, 760, f"Printed {printed} by {clerk}. Whoever owes more than {arrears} loses the place.", 8)
    desk.write(60, 790, f"Dues rise by {rng.randint(2, 9)} % each year. Form {rng.randint(100, 999)}/{layout[0]}", 7)
    return desk


def _values(style: Style, rng: random.Random) -> dict[str, tuple[str, str]]:
    """Field → as printed and in normal form; what is missing has no entry."""
    issued, until = a_day(rng, 2019, 2024), a_day(rng, 2025, 2030)
    amounts = {"fee": rng.randint(8_000, 400_000) / 100, "deposit": rng.randint(5_000, 90_000) / 100}
    metres = rng.randint(45, 240) / 10
    name = f"{rng.choice(NAMES)} {rng.choice(FAMILIES)}"
    made = {
        "skipper": (name, name),
        "vessel": ((boat := rng.choice(BOATS)), boat),
        "permit_number": ((mark := f"{rng.choice('KLMR')}{rng.randint(10_000, 99_999)}"), mark),
        "berth": ((berth := f"{rng.choice('ABCD')}-{rng.randint(1, 88)}"), berth),
        "length": (_number(metres, 1, style.comma), f"{metres:.1f}"),
        "issued": (style.day.format(issued), issued.isoformat()),
        "valid_until": (style.day.format(until), until.isoformat()),
        **{key: (_number(amount, 2, style.comma), f"{amount:.2f}") for key, amount in amounts.items()},
    }
    for key in ("berth", "valid_until", "deposit"):
        if rng.random() < 0.25:
            del made[key]
    return made


def _number(amount: float, places: int, comma: bool) -> str:
    text = f"{amount:,.{places}f}"
    return text.replace(",", " ").replace(".", ",") if comma else text


KEYS = tuple(one["key"] for one in SCHEMA["fields"])
PLAIN = KEYS[:9]


def _cells(desk: Desk, values: dict[str, tuple[str, str]], style: Style, top: float, across: int) -> float:
    wide, high = 480 / across, 38.0
    for number, key in enumerate(PLAIN):
        x, y = 60 + number % across * wide, top + number // across * high
        desk.sheet.box(x, y, wide, high)
        desk.write(x + 4, y + 10, f"{number + 1}  {style.captions[number]}", 6.5)
        if key in values:
            desk.put(key, x + 10, y + 29, *values[key])
    return top + -(-len(PLAIN) // across) * high


def _lines(
    desk: Desk, values: dict[str, tuple[str, str]], style: Style, top: float, gap: float, *, right: bool
) -> float:
    for number, key in enumerate(PLAIN):
        y = top + number * gap
        desk.write(60, y, style.captions[number] + ("" if right else ":"), bold=not right)
        desk.sheet.line(60, y + 5, 535, y + 5, 0.3)
        if key in values:
            value, normal = values[key]
            desk.put(key, 530 - desk.wide(value) if right else 215, y, value, normal)
    return top + len(PLAIN) * gap


def _letter_boxes(desk: Desk, values: dict[str, tuple[str, str]], style: Style, top: float) -> float:
    for number, key in enumerate(PLAIN):
        y = top + number * 40
        desk.write(60, y, style.captions[number], 7.5)
        count = 24 if key in ("skipper", "vessel") else 12
        for place in range(count):
            desk.sheet.box(60 + place * 16, y + 5, 16, 18)
        if key not in values:
            continue
        value, normal = values[key]
        value = value.upper()
        start = count - len(value) if key in ("fee", "deposit") else 0
        for place, letter in enumerate(value, start):
            desk.write(60 + (place + 0.5) * 16 - desk.wide(letter) / 2, y + 18, letter)
        spot = desk.box(60 + start * 16, y + 5, 60 + (start + len(value)) * 16, y + 23)
        desk.note(key, value, normal.upper() if key in ("skipper", "vessel") else normal, spot)
    return top + len(PLAIN) * 40


def _ticks(desk: Desk, style: Style, rng: random.Random, y: float) -> None:
    chosen = rng.randrange(3)
    desk.write(60, y, style.captions[9])
    for number, caption in enumerate(style.uses):
        x = 190 + number * 118
        desk.sheet.tick(x, y - 9, 10, number == chosen, rng.choice(["cross", "tick"]))
        desk.write(x + 15, y, caption)
        if number == chosen:
            desk.note("use", caption, SCHEMA["fields"][9]["choices"][number], desk.box(x, y - 9, x + 10, y + 1))
    y += 26
    desk.write(60, y, style.captions[10])
    insured = rng.random() < 0.6
    if style.yes is None:
        desk.sheet.tick(190, y - 9, 10, insured)
        desk.note("insured", style.captions[10], "yes" if insured else "no", desk.box(190, y - 9, 200, y + 1))
        return
    for number, caption in enumerate(style.yes):
        x = 190 + number * 100
        desk.sheet.tick(x, y - 9, 10, insured == (number == 0))
        desk.write(x + 15, y, caption)
        if insured == (number == 0):
            desk.note("insured", caption, "yes" if insured else "no", desk.box(x, y - 9, x + 10, y + 1))


def _signed(desk: Desk, style: Style, rng: random.Random, y: float) -> None:
    desk.sheet.line(330, y, 520, y)
    desk.write(330, y + 12, style.captions[11], 8)
    if rng.random() < 0.75:
        desk.sheet.signature(350, y, 110, rng)
        place: Place = desk.box(350, y - 22, 460, y + 4)
        desk.note("signature", "signed", "signed", place)
