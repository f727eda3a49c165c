"""Made-up papers of many kinds as words on pages: the school of the prior ranker. None of the demo's kinds of paper is
among them.

A type draws some of the things below as its fields; each of its layouts has its own wording of the labels, order, way
of standing (label left of the value, above it, in a grid, under a column's head, in a sentence) and spelling of
dates and amounts.
"""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.page import Box, Page, Word, reading_order, union
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType, normal_or_text

D = DataType
SYLLABLES = "ka lo mi tar ven dro sel nor hal fen bri mos gar tul win dal ber cro lin sta por eld rum vas".split()
MONTHS = "January February March April May June July August September October November December".split()
# Each thing: data type, its usual names, and further wordings that papers use.
THINGS: dict[str, tuple[DataType, tuple[str, ...]]] = {
    "invoice number": (D.IDENTIFIER, ("Invoice no", "Invoice number", "Bill", "Inv. ref", "Our number", "Document no")),
    "order number": (D.IDENTIFIER, ("Order no", "Your order", "Order reference", "PO", "Purchase order")),
    "customer number": (D.IDENTIFIER, ("Customer no", "Client id", "Account", "Your number", "Customer")),
    "policy number": (D.IDENTIFIER, ("Policy no", "Policy", "Insurance number", "Certificate of cover")),
    "meter number": (D.IDENTIFIER, ("Meter", "Meter no", "Metering point", "Device number")),
    "serial number": (D.IDENTIFIER, ("Serial no", "S/N", "Machine number", "Device", "Unit no")),
    "member number": (D.IDENTIFIER, ("Member no", "Membership", "Card", "Member")),
    "invoice date": (D.DATE, ("Invoice date", "Date", "Issued", "Dated", "Date of bill")),
    "due date": (D.DATE, ("Due date", "Pay by", "Payable until", "Payment due", "To be settled by")),
    "delivery date": (D.DATE, ("Delivery date", "Delivered", "Shipped on", "Goods out", "Arrival")),
    "valid from": (D.DATE, ("Valid from", "Cover begins", "Starts", "Effective", "In force from")),
    "valid to": (D.DATE, ("Valid to", "Expires", "Cover ends", "Ends", "Until")),
    "test date": (D.DATE, ("Date of test", "Tested on", "Sampled", "Examined")),
    "total": (D.MONEY, ("Total", "Amount due", "To pay", "Grand total", "Balance", "Sum payable")),
    "net": (D.MONEY, ("Net", "Subtotal", "Goods value", "Before tax", "Net amount")),
    "sales tax": (D.MONEY, ("VAT", "Tax", "Sales tax", "Duty", "Tax at 20 %")),
    "freight": (D.MONEY, ("Freight", "Carriage", "Postage", "Shipping", "Delivery charge")),
    "premium": (D.MONEY, ("Premium", "Yearly premium", "Contribution", "Price of cover")),
    "deposit": (D.MONEY, ("Deposit", "Paid on account", "Advance", "Already paid")),
    "old balance": (D.MONEY, ("Old balance", "Brought forward", "Previous balance", "Opening balance")),
    "new balance": (D.MONEY, ("New balance", "Closing balance", "Carried forward", "Balance now")),
    "customer": (D.NAME, ("Customer", "Bill to", "Buyer", "For", "Sold to", "Recipient")),
    "seller": (D.NAME, ("Seller", "Supplier", "From", "Vendor", "Issued by")),
    "patient": (D.NAME, ("Patient", "Name of patient", "Person examined", "Name")),
    "doctor": (D.NAME, ("Doctor", "Physician", "Referred by", "Examiner")),
    "driver": (D.NAME, ("Driver", "Carrier", "Driven by", "Haulier")),
    "insured": (D.NAME, ("Insured", "Policy holder", "Insured person", "Holder")),
    "city": (D.TEXT, ("City", "Town", "Place", "Port", "Location")),
    "goods": (D.TEXT, ("Goods", "Article", "Contents", "Description", "Product")),
    "terms": (D.TEXT, ("Terms", "Payment terms", "Conditions", "Mode of payment")),
    "vessel": (D.TEXT, ("Vessel", "Ship", "Lorry", "Vehicle", "Means of transport")),
    "reason": (D.TEXT, ("Reason", "Purpose", "Subject", "Concerning")),
    "quantity": (D.NUMBER, ("Quantity", "Qty", "Pieces", "Number of units", "Packages")),
    "weight": (D.NUMBER, ("Weight", "Gross weight", "Mass", "Weight in kg")),
    "usage": (D.NUMBER, ("Usage", "Consumption", "Used", "kWh", "Units used")),
    "reading": (D.NUMBER, ("Reading", "Meter reading", "Counter", "Reading now")),
    "rate": (D.PERCENT, ("Rate", "Interest", "Discount", "Rate of interest")),
}


@dataclass
class Ink:
    """Words being set on a page, 0.0075 page widths a letter, 0.013 high."""

    words: list[Word] = field(default_factory=list)

    def text(self, x: float, y: float, text: str, *, bold: bool = False, size: float = 1.0) -> Box | None:
        boxes = []
        for part in text.split():
            width = 0.0075 * size * len(part)
            if x + width > 0.99:
                break
            box = Box(x, y, x + width, y + 0.013 * size)
            self.words.append(Word(part, box, 1.0, bold))
            boxes.append(box)
            x += width + 0.006 * size
        return union(boxes) if boxes else None


@dataclass(frozen=True)
class LayoutGroup:
    """How papers of one layout stand: the way, the labels by thing, the order, and spellings."""

    way: str
    labels: dict[str, str]
    order: tuple[str, ...]
    colon: bool
    left: float
    value_x: float
    top: float
    step: float
    dates: int
    money: int
    heading: str
    noise: tuple[str, ...]
    previous_first: bool
    again: bool  # whether the figures' names stand once more further down, over other figures


@dataclass(frozen=True)
class Kind:
    """A type of paper: its plan, the thing each field is, and its layouts."""

    plan: Plan
    things: dict[str, str]
    layouts: tuple[LayoutGroup, ...]


def word(rng: random.Random) -> str:
    return "".join(rng.choice(SYLLABLES) for _ in range(rng.randint(2, 3)))


def name(rng: random.Random) -> str:
    parts = [word(rng).capitalize() for _ in range(2)]
    return " ".join(parts) + rng.choice(["", "", "", " Ltd", " & Sons", " Trading"])


def value(rng: random.Random, data_type: DataType, layout: LayoutGroup) -> str:
    if data_type is D.DATE:
        return spelled_date(rng, layout.dates)
    if data_type is D.MONEY:
        return spelled_money(rng, layout.money)
    if data_type is D.NUMBER:
        return str(rng.randint(1, 9999))
    if data_type is D.PERCENT:
        return f"{rng.randint(1, 30)}{rng.choice(['', '.5'])} %"
    if data_type is D.IDENTIFIER:
        letters = "".join(rng.choice("ABCDEFGHKLMNPRSTUVWX") for _ in range(rng.randint(0, 3)))
        return (
            f"{letters}{rng.choice(['', '-'])}{rng.randint(1000, 9_999_999)}"
            if letters
            else str(rng.randint(10_000, 9_999_999))
        )
    if data_type is D.NAME:
        return name(rng)
    return " ".join(word(rng).capitalize() if n == 0 else word(rng) for n in range(rng.randint(1, 3)))


def spelled_date(rng: random.Random, way: int) -> str:
    day, month, year = rng.randint(1, 28), rng.randint(1, 12), rng.randint(2019, 2027)
    return (
        f"{day:02d}.{month:02d}.{year}",
        f"{day} {MONTHS[month - 1]} {year}",
        f"{year}-{month:02d}-{day:02d}",
        f"{day:02d}/{month:02d}/{year}",
        f"{day:02d} {MONTHS[month - 1][:3]} {year}",
    )[way]


def spelled_money(rng: random.Random, way: int) -> str:
    whole, cents = rng.choice([rng.randint(5, 999), rng.randint(1000, 99_999)]), rng.randint(0, 99)
    grouped = f"{whole:,}"
    plain = (
        f"{grouped.replace(',', ' ')},{cents:02d}",
        f"{grouped.replace(',', '.')},{cents:02d}",
        f"{grouped}.{cents:02d}",
        f"{whole}.{cents:02d}",
    )[way % 4]
    return f"{plain} kr" if way >= 4 else plain


def kind(rng: random.Random) -> Kind:
    chosen = rng.sample(sorted(THINGS), rng.randint(5, 10))
    fields, things = [], {}
    for number, thing in enumerate(chosen):
        data_type, wordings = THINGS[thing]
        own = rng.choice([wordings[0], thing.capitalize(), rng.choice(wordings)])
        printed = tuple(rng.sample(wordings, rng.randint(0, 2)))
        key = f"f{number}"
        things[key] = thing
        fields.append(FieldPlan(key, own, data_type, printed, required=rng.random() < 0.7))
    return Kind(Plan(tuple(fields)), things, tuple(layout(rng, things) for _ in range(rng.randint(2, 4))))


def layout(rng: random.Random, things: dict[str, str]) -> LayoutGroup:
    labels = {}
    for key, thing in things.items():
        wordings = THINGS[thing][1]
        strange = " ".join(word(rng) for _ in range(rng.randint(1, 2))).capitalize()
        labels[key] = strange if rng.random() < 0.1 else rng.choice(wordings)
    if len(set(labels.values())) < len(labels):  # two fields of one layout never bear the same label
        labels = {
            key: THINGS[thing][1][0] if list(labels.values()).count(labels[key]) > 1 else labels[key]
            for key, thing in things.items()
        }
    order = list(things)
    rng.shuffle(order)
    others = [thing for thing in THINGS if thing not in things.values()]
    return LayoutGroup(
        rng.choice(["left", "left", "above", "grid", "columns", "right", "sentence", "beneath", "numbered", "cells"]),
        labels,
        tuple(order),
        rng.random() < 0.5,
        rng.uniform(0.05, 0.15),
        rng.uniform(0.3, 0.6),
        rng.uniform(0.12, 0.3),
        rng.uniform(0.022, 0.04),
        rng.randrange(5),
        rng.randrange(6),
        " ".join(word(rng) for _ in range(3)).capitalize(),
        tuple(rng.sample(others, rng.randint(2, 5))),
        rng.random() < 0.5,
        rng.random() < 0.3,
    )


def paper(rng: random.Random, kind_: Kind, layout_: LayoutGroup, number: str, *, slips: float = 0.0) -> Sample:
    """A paper of a layout as a sample, its labels where its values stand. `slips`: share of letters misread."""
    ink = Ink()
    ink.text(0.08, 0.05, layout_.heading, bold=True, size=1.5)
    said: dict[str, tuple[str, Box]] = {}
    shown = [key for key in layout_.order if kind_.plan.field(key).required or rng.random() < 0.7]
    rows = [(key, layout_.labels[key], kind_.plan.field(key).data_type) for key in shown]
    rows += [("", THINGS[thing][1][0], THINGS[thing][0]) for thing in layout_.noise]
    fixed = random.Random(layout_.heading)  # the order of a layout is its own
    fixed.shuffle(rows)
    _WAYS[layout_.way](rng, layout_, ink, rows, said)
    if layout_.again:
        _once_more(rng, layout_, ink, rows)
    ink.text(0.08, 0.94, f"Printed {spelled_date(rng, layout_.dates)} page 1 of 1", size=0.8)
    shift = rng.uniform(-0.01, 0.01)
    words = [_slipped(rng, _moved(one, shift), slips) for one in ink.words]
    labels = {
        field_.key: (
            (
                SampleLabel(
                    said[field_.key][0],
                    normal_or_text(said[field_.key][0], field_.value_type),
                    1,
                    _shifted(said[field_.key][1], shift),
                ),
            )
            if field_.key in said
            else ()
        )
        for field_ in kind_.plan.fields
    }
    return Sample(number, (Page(1, 595, 842, reading_order(words)),), labels)


def _moved(one: Word, shift: float) -> Word:
    return Word(one.text, _shifted(one.box, shift), one.confidence, one.bold)


def _shifted(box: Box, shift: float) -> Box:
    return Box(box.x0, box.y0 + shift, box.x1, box.y1 + shift)


def _slipped(rng: random.Random, one: Word, share: float) -> Word:
    if not share:
        return one
    swaps = {"0": "O", "O": "0", "l": "1", "1": "l", "5": "S", "S": "5", "e": "c", "n": "r", "m": "rn"}
    text = "".join(swaps.get(letter, letter) if rng.random() < share else letter for letter in one.text)
    return Word(text, one.box, 0.8 if text != one.text else 0.97, one.bold)


def _once_more(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: list[tuple[str, str, DataType]]) -> None:
    """Totals of the year or of the account so far, under the same names."""
    y = max(word.box.y1 for word in ink.words) + 0.03
    ink.text(
        layout_.left,
        y,
        random.Random(layout_.heading).choice(["So far", "This year", "Running totals", "All periods"]),
        bold=True,
    )
    for place, (_, label, data_type) in enumerate([row for row in rows if row[2] in (D.MONEY, D.NUMBER)][:3], 1):
        ink.text(layout_.left, y + 0.02 * place, label)
        ink.text(layout_.left + 0.4, y + 0.02 * place, value(rng, data_type, layout_))


Rows = list[tuple[str, str, DataType]]
Said = dict[str, tuple[str, Box]]


def _keep(said: Said, key: str, text: str, box: Box | None) -> None:
    if key and box is not None:
        said[key] = (text, box)


def _left(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    for place, (key, label, data_type) in enumerate(rows):
        y = layout_.top + place * layout_.step
        ink.text(layout_.left, y, label + (":" if layout_.colon else ""))
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(layout_.value_x, y, text))


def _right(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    """Amounts end at one edge, labels stand right before them with a colon."""
    for place, (key, label, data_type) in enumerate(rows):
        y = layout_.top + place * layout_.step
        box = ink.text(layout_.left, y, f"{label}:")
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text((box.x1 if box else layout_.left) + 0.006, y, text))


def _above(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    for place, (key, label, data_type) in enumerate(rows):
        x, y = layout_.left + (place % 3) * 0.3, layout_.top + (place // 3) * (layout_.step + 0.03)
        ink.text(x, y, label, size=0.85)
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(x, y + 0.016, text))


def _grid(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    for place, (key, label, data_type) in enumerate(rows):
        x, y = layout_.left + (place % 2) * 0.45, layout_.top + (place // 2) * layout_.step
        ink.text(x, y, label + (":" if layout_.colon else ""))
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(x + 0.2, y, text))


def _columns(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    """This period's figures beside the last one's: numbers in two columns, the rest above with labels left."""
    numbers = [row for row in rows if row[2] in (D.MONEY, D.NUMBER, D.PERCENT)]
    _left(rng, layout_, ink, [row for row in rows if row not in numbers], said)
    top = layout_.top + (len(rows) - len(numbers) + 2) * layout_.step
    mine, other = (0.75, 0.55) if layout_.previous_first else (0.55, 0.75)
    ink.text(mine, top - layout_.step, "This time", bold=True)
    ink.text(other, top - layout_.step, "Last time", bold=True)
    for place, (key, label, data_type) in enumerate(numbers):
        y = top + place * layout_.step
        ink.text(layout_.left, y, label)
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(mine, y, text))
        ink.text(other, y, value(rng, data_type, layout_))


def _sentence(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    fixed = random.Random(layout_.heading + "s")
    for place, (key, label, data_type) in enumerate(rows):
        y = layout_.top + place * layout_.step
        before = fixed.choice(["The", "We note the", "Please find the", "Here is the"])
        middle = fixed.choice(["is", "amounts to", "stands as", "of this paper is", "is given as"])
        box = ink.text(layout_.left, y, f"{before} {label.lower()} {middle}")
        text = value(rng, data_type, layout_)
        box = ink.text((box.x1 if box else 0.3) + 0.006, y, text)
        _keep(said, key, text, box)
        if box is not None:
            ink.text(box.x1 + 0.006, y, fixed.choice(["as agreed.", "for your records.", "at present.", "."]))


def _beneath(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    """Values on lines, their names in small print beneath."""
    for place, (key, label, data_type) in enumerate(rows):
        x, y = layout_.left + (place % 2) * 0.45, layout_.top + (place // 2) * (layout_.step + 0.025)
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(x, y, text))
        ink.text(x, y + 0.016, label, size=0.75)


def _numbered(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    """A form's numbered lines, values at the right edge."""
    for place, (key, label, data_type) in enumerate(rows):
        y = layout_.top + place * layout_.step
        ink.text(layout_.left, y, str(place + 1))
        ink.text(layout_.left + 0.04, y, label)
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(0.9 - 0.0075 * len(text), y, text))


def _cells(rng: random.Random, layout_: LayoutGroup, ink: Ink, rows: Rows, said: Said) -> None:
    """Boxes with a small name in their corner and the value under it, close to the next box."""
    for place, (key, label, data_type) in enumerate(rows):
        x, y = layout_.left + (place % 3) * 0.29, layout_.top + (place // 3) * 0.045
        ink.text(x, y, label, size=0.7)
        text = value(rng, data_type, layout_)
        _keep(said, key, text, ink.text(x + 0.01, y + 0.017, text))


_WAYS: dict[str, Callable[[random.Random, LayoutGroup, Ink, Rows, Said], None]] = {
    "left": _left,
    "right": _right,
    "above": _above,
    "grid": _grid,
    "columns": _columns,
    "sentence": _sentence,
    "beneath": _beneath,
    "numbered": _numbered,
    "cells": _cells,
}
