"""A notary's leases: running text in four registers, numbers in words and figures, people named by the part they play,
two signatures."""

from __future__ import annotations

import random
from datetime import date

from bench.hands.desk import Desk, a_day

TYPE = "lease"
SCHEMA = {
    "fields": [
        {"key": "landlord", "name": "landlord", "type": "text", "required": True},
        {"key": "tenant", "name": "tenant", "type": "text", "required": True},
        {"key": "premises", "name": "premises", "type": "text", "required": True},
        {"key": "signed_on", "name": "signed on", "type": "date", "required": True},
        {"key": "begins", "name": "begins", "type": "date", "required": True},
        {"key": "ends", "name": "ends", "type": "date", "required": False},
        {"key": "rent", "name": "rent", "type": "amount", "required": True},
        {"key": "deposit", "name": "deposit", "type": "amount", "required": False},
        {"key": "notice_weeks", "name": "notice weeks", "type": "number", "required": True},
        {"key": "landlord_signature", "name": "landlord signature", "type": "signature", "required": False},
        {"key": "tenant_signature", "name": "tenant signature", "type": "signature", "required": False},
    ],
    "tables": [],
}
KNOWN = ("deed", "letter", "articles", "terse")
NEW = ("recital", "friendly")
FIRST = "Amalie Bastian Corinna Dorian Edith Falk Gesine Henrik Isolde Jasper Katrin Lorenz".split()
LAST = "Abendroth Birkeland Crome Dahlmann Ehrlich Fosdyke Grunwald Hasselt Immermann Jessen".split()
STREETS = "Tanner's Row,Lower Mill Street,Chapel Rise,Brewer's Yard,Canal Side,Weaver Street".split(",")
TOWNS = "Ellmouth,Stadtlen,Graufeld,Port Anker,Wendle".split(",")
WORDS = {4: "four", 6: "six", 8: "eight", 10: "ten", 12: "twelve", 13: "thirteen", 26: "twenty-six"}
Part = str | tuple[str, str, str]


def draw(layout: str, rng: random.Random) -> Desk:
    face = {"letter": "Helvetica", "terse": "Courier"}.get(layout, "Times")
    desk = Desk(face, 10.5)
    names = [f"{rng.choice(FIRST)} {rng.choice(LAST)}" for _ in range(2)]
    begins = a_day(rng, 2022, 2026)
    signed = date.fromordinal(begins.toordinal() - rng.randint(3, 60))
    ends = date.fromordinal(begins.toordinal() + rng.choice([365, 730, 1095]))
    rent, deposit = rng.randint(300, 4000), rng.randint(500, 9000)
    weeks = rng.choice(sorted(WORDS))
    place = f"{rng.randint(1, 140)} {rng.choice(STREETS)}, {rng.choice(TOWNS)}"
    said: dict[str, Part] = {
        "landlord": ("landlord", names[0], names[0]),
        "tenant": ("tenant", names[1], names[1]),
        "premises": ("premises", place, place),
        "signed_on": ("signed_on", *_day(layout, signed)),
        "begins": ("begins", *_day(layout, begins)),
        "ends": ("ends", *_day(layout, ends)) if rng.random() < 0.7 else "",
        "rent": ("rent", _money(layout, rent), f"{rent}.00"),
        "deposit": ("deposit", _money(layout, deposit), f"{deposit}.00") if rng.random() < 0.7 else "",
        "notice_weeks": ("notice_weeks", _weeks(layout, weeks), str(weeks)),
    }
    y = 70 + rng.uniform(-5, 5)
    title, paragraphs, hands = _worded(layout, said, rng)
    desk.sheet.text(60, y, title, 14, bold=True, font=face)
    y += 34
    for paragraph in paragraphs:
        y = desk.prose(60, y, 470, paragraph)
    entered, fee = _day(layout, a_day(rng, 2020, 2026))[0], _money(layout, rng.randint(20, 900))
    other = f"{rng.choice(FIRST)} {rng.choice(LAST)}"
    y = desk.prose(60, y, 470, [f"Entered {entered} by {other} ; the fee was {fee} ."])
    y += 40
    for number, (key, caption) in enumerate(zip(("landlord_signature", "tenant_signature"), hands, strict=True)):
        x = 70 + number * 260
        desk.sheet.line(x, y, x + 180, y)
        desk.write(x, y + 13, caption, 8)
        if rng.random() < 0.85:
            desk.sheet.signature(x + 20, y, 100, rng)
            desk.note(key, "signed", "signed", desk.box(x + 20, y - 22, x + 120, y + 4))
    return desk


def _day(layout: str, day: date) -> tuple[str, str]:
    form = {
        "deed": f"{day.day} {day:%B} {day.year}",
        "letter": f"{day:%d.%m.%Y}",
        "articles": f"the {day.day}th of {day:%B} {day.year}"
        if 4 <= day.day <= 20
        else f"{day:%B} {day.day}, {day.year}",
        "terse": f"{day:%Y-%m-%d}",
        "recital": f"{day:%B} {day.day}, {day.year}",
        "friendly": f"{day.day} {day:%b} {day.year}",
    }
    return form[layout], day.isoformat()


def _money(layout: str, amount: int) -> str:
    plain = f"{amount:,}.00"
    return {
        "deed": f"{plain} crowns",
        "letter": plain.replace(",", " ").replace(".", ","),
        "articles": f"Cr {plain}",
        "terse": f"{amount}.00",
        "recital": f"{plain} cr",
        "friendly": f"{amount:,}".replace(",", "."),
    }[layout]


def _weeks(layout: str, weeks: int) -> str:
    return {
        "deed": f"{WORDS[weeks]} ({weeks})",
        "articles": f"{WORDS[weeks]} ({weeks})",
        "letter": str(weeks),
        "terse": str(weeks),
        "recital": WORDS[weeks],
        "friendly": str(weeks),
    }[layout]


def _worded(layout: str, v: dict[str, Part], rng: random.Random) -> tuple[str, list[list[Part]], tuple[str, str]]:
    """Title, paragraphs, and the captions of the two lines that are signed."""
    ends, deposit = v["ends"], v["deposit"]
    year = rng.randint(1998, 2015)
    if layout == "deed":
        term: list[Part] = ["and ends without notice on", ends, "."] if ends else ["and runs until notice is given ."]
        pledge: list[Part] = (
            ["The Tenant has lodged a deposit of", deposit, "."] if deposit else ["No deposit is due ."]
        )
        return (
            "DEED OF LEASE",
            [
                [
                    "This lease was made on",
                    v["signed_on"],
                    "before me, between",
                    v["landlord"],
                    ", called the Landlord, and",
                    v["tenant"],
                    ", called the Tenant .",
                ],
                ["The Landlord lets to the Tenant the house at", v["premises"], f", built before {year} ."],
                ["The lease begins on", v["begins"], *term],
                ["The rent is", v["rent"], "a month, to be paid on the third day .", *pledge],
                ["Either may end it with notice of", v["notice_weeks"], "weeks ."],
            ],
            ("The Landlord", "The Tenant"),
        )
    if layout == "letter":
        until: list[Part] = ["and stays yours until", ends, "."] if ends else ["for as long as we both wish ."]
        kept: list[Part] = ["Please bring the deposit of", deposit, "to the office ."] if deposit else []
        return (
            "Letting of rooms",
            [
                [v["signed_on"], "- to", v["tenant"]],
                ["We are glad to let you the rooms at", v["premises"], ". They are yours from", v["begins"], *until],
                ["Rent is", v["rent"], "for each month .", *kept],
                ["Should you wish to leave, tell us", v["notice_weeks"], "weeks before ."],
                ["With kind regards,", v["landlord"], ", owner of the house"],
            ],
            ("Owner", "Lodger"),
        )
    if layout == "articles":
        return (
            "ARTICLES OF LETTING",
            [
                ["Article 1. Parties. Lessor:", v["landlord"], "; lessee:", v["tenant"], "."],
                ["Article 2. Object. The dwelling situated at", v["premises"], "."],
                ["Article 3. Term. From", v["begins"], *(["up to", ends] if ends else []), "."],
                ["Article 4. Consideration.", v["rent"], "monthly in advance ."],
                *([["Article 5. Security.", deposit, ", without interest ."]] if deposit else []),
                ["Article 6. Termination. Upon", v["notice_weeks"], "weeks in writing ."],
                ["Concluded", v["signed_on"], "; this replaces what was agreed in", str(year), "."],
            ],
            ("Lessor", "Lessee"),
        )
    if layout == "terse":
        return (
            "LEASE (SHORT FORM)",
            [
                ["Owner =", v["landlord"]],
                ["Taker =", v["tenant"]],
                ["Where =", v["premises"]],
                ["Starts", v["begins"], *([", stops", ends] if ends else [])],
                ["Monthly", v["rent"], *([", once, to hold:", deposit] if deposit else [])],
                ["Notice", v["notice_weeks"], "weeks. Done", v["signed_on"], f". House of {year} ."],
            ],
            ("for the owner", "for the taker"),
        )
    if layout == "recital":
        return (
            "INDENTURE",
            [
                [
                    "Know all by this writing that",
                    v["landlord"],
                    ", proprietor, demises unto",
                    v["tenant"],
                    ", occupier, all that messuage known as",
                    v["premises"],
                    ", erected",
                    str(year),
                    ".",
                ],
                [
                    "To hold from",
                    v["begins"],
                    *(["till", ends] if ends else ["from year to year"]),
                    ", yielding",
                    v["rent"],
                    "every month .",
                ],
                *([["The occupier has put", deposit, "into the proprietor's hands as a pledge ."]] if deposit else []),
                ["Determinable by either at", v["notice_weeks"], "weeks' warning ."],
                ["Witness our hands,", v["signed_on"], "."],
            ],
            ("proprietor", "occupier"),
        )
    return (
        "Our agreement about the flat",
        [
            ["Hello", v["tenant"], ", here is what we said ."],
            ["You move in at", v["premises"], "on", v["begins"], *(["and out again by", ends] if ends else []), "."],
            [
                "Every month you send me",
                v["rent"],
                "crowns .",
                *(["I keep", deposit, "crowns until you leave ."] if deposit else []),
            ],
            ["If one of us has had enough, we say so", v["notice_weeks"], "weeks ahead ."],
            ["Yours,", v["landlord"], "- written on", v["signed_on"], f", in the house my parents bought in {year} ."],
        ],
        ("me", "you"),
    )
