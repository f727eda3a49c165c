"""Identity papers: three designs of cards and the data page of a passport, on patterned grounds, with correct zones."""

from __future__ import annotations

import random
from datetime import date

from jugum.demo.parts import PrintedPaper, day, person, spelled
from jugum.demo.sheet import Sheet
from jugum.demo.zonetext import Holder, card_zone, passport_zone, sheet_zone

CARD_SIZE = (243.0, 153.0)  # ID-1, 85.6 × 54 mm, in points
PASSPORT_SIZE = (354.0, 250.0)
SHEET_SIZE = (298.0, 210.0)  # ID-2, 105 × 74 mm
_TITLES = ("IDENTITY CARD", "PASSPORT", "CITIZEN CARD", "RESIDENT CARD")
_LABELS = (
    ("Surname", "Given names", "Born", "Document no.", "Valid until"),
    ("Surname", "Given names", "Date of birth", "Passport no.", "Date of expiry"),
    ("Family name", "First names", "Birth date", "Card no.", "Expires"),
    ("Name", "Given names", "Date of birth", "Number", "Valid to"),
)


def identity_paper(layout: int, rng: random.Random) -> PrintedPaper:
    """Design `layout` modulo four: a card (TD1), a passport (TD3), another card (TD1), a larger card (TD2)."""
    design = layout % 4
    given, family = person(rng)
    born = date(rng.randrange(1945, 2006), rng.randrange(1, 13), rng.randrange(1, 28))
    number = "".join(rng.choice("ABCDEFGHJKLMNPRSTUVWXYZ0123456789") for _ in range(9))
    holder = Holder(family, given, born, rng.choice("MF"), number, day(rng, rng.randrange(2027, 2036)))
    shown = f"{born:%d.%m.%Y}" if design in (2, 3) else spelled(born)
    expires = f"{holder.expires:%d.%m.%Y}" if design in (2, 3) else spelled(holder.expires)
    values = (family, given, shown, number, expires)
    sheet = Sheet((CARD_SIZE, PASSPORT_SIZE, CARD_SIZE, SHEET_SIZE)[design])
    _guilloche(sheet, layout)
    sheet.text(10, 16, "NORHAVEN", 9, bold=True)
    sheet.text(80, 16, _TITLES[design], 7)
    (_stacked, _stacked, _beside, _grid)[design](sheet, design, values)
    _zone(sheet, design, holder)
    truth = {
        "surname": family,
        "given_names": given,
        "born": shown,
        "document_number": number,
        "valid_until": expires,
        "zone": "\n".join(sheet.truth.zones[0]),
    }
    return PrintedPaper("identity paper", layout, sheet.done(), sheet.pages, truth)


def _zone(sheet: Sheet, design: int, holder: Holder) -> None:
    if design in (0, 2):
        sheet.zone(12, sheet.height - 36, card_zone(holder), 11.0 * 30 / 31)
    elif design == 1:
        sheet.zone(11, sheet.height - 34, passport_zone(holder), 12.3)
    else:
        sheet.zone(12, sheet.height - 30, sheet_zone(holder), 12.4)


def _stacked(sheet: Sheet, design: int, values: tuple[str, ...]) -> None:
    """Small labels over their values, one below the other, beside the portrait's place."""
    card = design == 0
    x, y = (84, 30) if card else (120, 40)
    sheet.box(10, y - 6, x - 22, 78 if card else 110, 0.82)
    for label, value in zip(_LABELS[design], values, strict=True):
        sheet.text(x, y, label, 5)
        sheet.text(x, y + 9, value, 8, bold=True)
        y += 17 if card else 26


def _beside(sheet: Sheet, design: int, values: tuple[str, ...]) -> None:
    """Labels left of their values, the portrait at the right."""
    sheet.box(180, 26, 54, 70, 0.85)
    y = 36.0
    for label, value in zip(_LABELS[design], values, strict=True):
        sheet.text(12, y, f"{label}:", 6)
        sheet.text(62, y, value, 8, bold=True, font="Times")
        y += 15


def _grid(sheet: Sheet, design: int, values: tuple[str, ...]) -> None:
    """Two columns of numbered labels over values."""
    sheet.box(12, 30, 66, 84, 0.85)
    for place, (label, value) in enumerate(zip(_LABELS[design], values, strict=True)):
        x, y = 92 + (place % 2) * 104, 42 + (place // 2) * 32
        sheet.text(x, y, f"{place + 1} {label}", 5.5)
        sheet.text(x, y + 10, value, 8.5, bold=True)


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
