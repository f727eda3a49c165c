"""A counting house's delivery notes: a letterhead, pairs of caption and value in blocks, goods in a table with prices
whose sum is printed, some rows wrapped or without a unit, heads of groups between them."""

from __future__ import annotations

import random
from dataclasses import dataclass

from bench.hands.desk import Desk, Written, a_day

TYPE = "delivery_note"
SCHEMA = {
    "fields": [
        {"key": "sender", "name": "sender", "type": "text", "required": True},
        {"key": "receiver", "name": "receiver", "type": "text", "required": True},
        {"key": "note_number", "name": "note number", "type": "id", "required": True},
        {"key": "order_number", "name": "order number", "type": "id", "required": False},
        {"key": "sent_on", "name": "sent on", "type": "date", "required": True},
        {"key": "carrier", "name": "carrier", "type": "text", "required": False},
        {"key": "weight", "name": "weight", "type": "number", "required": False},
        {"key": "total", "name": "total", "type": "amount", "required": True},
    ],
    "tables": [
        {
            "key": "goods",
            "name": "goods",
            "columns": [
                {"key": "article", "name": "article", "type": "id"},
                {"key": "description", "name": "description", "type": "text"},
                {"key": "quantity", "name": "quantity", "type": "number"},
                {"key": "price", "name": "price", "type": "amount"},
                {"key": "amount", "name": "amount", "type": "amount"},
            ],
        }
    ],
}
KNOWN = ("block", "ruled", "side", "plain")
NEW = ("foot", "boxed")
FIRMS = (
    "Weirside Ropeworks,Ambrose & Kin,Tallow Street Chandlers,Northgate Timber Yard,Pell Brothers,The Copper Kettle,"
    "Halyard Supply,Dunmere Mills,Skerry Canning,Old Wharf Paints"
).split(",")
CARRIERS = "own cart,Fenway Haulage,river barge,Cobb & Rail,bicycle messenger".split(",")
GOODS = (
    "hemp rope 12 mm,copper nails,deck varnish,brass cleat,storm lantern,oak plank planed,tar in drums,canvas heavy,"
    "shackle galvanised,cork fender,paint brush broad,anchor chain short link"
).split(",")
LONG = ("with certificate of the maker", "second choice, as agreed", "from last year's stock")


@dataclass(frozen=True)
class Style:
    """Captions in the order of the schema, heads of the table's columns, the sum's caption, how things are spelled."""

    captions: tuple[str, ...]
    heads: tuple[str, ...]
    day: str
    comma: bool
    money: str
    face: str = "Helvetica"


STYLES = {
    "block": Style(
        ("From", "Deliver to", "Delivery note", "Your order", "Date", "By", "Weight kg", "Value of goods"),
        ("Item", "Description", "Qty", "Each", "Amount"),
        "{0:%d.%m.%Y}",
        True,
        "{0}",
    ),
    "ruled": Style(
        ("Consignor", "Consignee", "Consignment", "Ordered under", "Dispatched", "Conveyed by", "Gross, kg", "Sum"),
        ("Code", "Goods", "Pieces", "Unit price", "Price"),
        "{0:%d %B %Y}",
        False,
        "{0}",
        "Times",
    ),
    "side": Style(
        ("Shipped by", "Shipped to", "Ship note", "PO", "Ship date", "Via", "Kilos", "Total"),
        ("SKU", "Article", "Count", "Price", "Line total"),
        "{0:%Y-%m-%d}",
        False,
        "{0}",
    ),
    "plain": Style(
        ("Maker", "Customer", "Docket", "Reference", "Day", "Carrier", "Mass", "To be charged"),
        ("Ref.", "What", "No.", "At", "Comes to"),
        "{0:%d/%m/%y}",
        True,
        "{0} cr",
        "Courier",
    ),
    "foot": Style(
        ("Goods of", "Bound for", "Sheet", "As bespoken in", "Left us", "Carted by", "On the scales", "In all"),
        ("Mark", "Wares", "Tally", "Apiece", "Makes"),
        "{0.day} {0:%b} {0:%Y}",
        False,
        "{0}",
        "Times",
    ),
    "boxed": Style(
        (
            "Supplying house",
            "Receiving house",
            "Waybill",
            "Commission",
            "Handed over",
            "Hauler",
            "Load (kg)",
            "Sum due",
        ),
        ("Stock no.", "Merchandise", "Units", "Rate", "Extended"),
        "{0:%d-%m-%Y}",
        True,
        "{0}",
    ),
}
KEYS = tuple(one["key"] for one in SCHEMA["fields"])


def _number(amount: float, places: int, comma: bool) -> str:
    text = f"{amount:,.{places}f}"
    return text.translate(str.maketrans(",.", ".,")) if comma else text


def draw(layout: str, rng: random.Random) -> Desk:
    style = STYLES[layout]
    desk = Desk(style.face, 9.5)
    sender, receiver = rng.sample(FIRMS, 2)
    sent = a_day(rng)
    rows = _rows(rng)
    total = sum(row[2] * row[3] for row in rows)
    weight = rng.randint(20, 9000) / 10
    values = {
        "sender": (sender, sender),
        "receiver": (receiver, receiver),
        "note_number": ((mark := f"{rng.randint(100, 999)}/{rng.randint(10, 99)}"), mark),
        "order_number": ((order := f"{rng.choice('PQX')}-{rng.randint(1000, 9999)}"), order),
        "sent_on": (style.day.format(sent), sent.isoformat()),
        "carrier": ((carrier := rng.choice(CARRIERS)), carrier),
        "weight": (_number(weight, 1, style.comma), f"{weight:.1f}"),
        "total": (style.money.format(_number(total, 2, style.comma)), f"{total:.2f}"),
    }
    for key in ("order_number", "carrier", "weight"):
        if rng.random() < 0.25:
            del values[key]
    top = _letterhead(desk, values, style, layout, rng)
    bottom = _table(desk, rows, style, layout, rng, top)
    desk.write(330, bottom + 20, style.captions[7], bold=True)
    text, normal = values["total"]
    desk.put("total", 530 - desk.wide(text, bold=True), bottom + 20, text, normal, bold=True)
    quoted, limit = style.day.format(a_day(rng)), _number(rng.randint(1_000, 900_000) / 100, 2, style.comma)
    desk.write(50, 785, f"Prices of {quoted}; no credit beyond {limit}. Ask for {rng.choice(FIRMS)} as well.", 8)
    desk.write(50, 800, f"Claims within {rng.randint(5, 20)} days. Packing is lent, not sold.", 7)
    return desk


def _letterhead(desk: Desk, values: dict[str, tuple[str, str]], style: Style, layout: str, rng: random.Random) -> float:
    """All but the table and its sum; the y below."""
    shift = rng.uniform(-5, 5)
    captions = dict(zip(KEYS, style.captions, strict=True))
    if layout in ("block", "foot"):  # the sender in large print, without a caption
        place = desk.write(50, 60 + shift, values["sender"][0], 16, bold=True)
        desk.note("sender", *values["sender"], place)
        keys = [key for key in KEYS[1:7]]
    else:
        keys = list(KEYS[:7])
    at = 95 + shift
    for number, key in enumerate(keys):
        two = layout in ("block", "side", "boxed")
        x = 50 + (260 if two and number % 2 else 0)
        y = at + (number // 2 if two else number) * (30 if layout == "boxed" else 18)
        if layout == "boxed":
            desk.sheet.box(x - 4, y - 16, 256, 28)
            desk.write(x, y - 8, captions[key], 6.5)
            spot = (x, y + 6)
        else:
            desk.write(x, y, captions[key] + ("" if layout == "ruled" else ":"))
            spot = (x + 105, y)
        if key in values:
            desk.put(key, *spot, *values[key])
    return at + len(keys) * (18 if layout not in ("block", "side") else 10) + 30


def _rows(rng: random.Random) -> list[tuple[str, str, int, float, str]]:
    """Article, description, quantity, price, and what wraps onto a second line ("" mostly)."""
    return [
        (
            f"{rng.choice('ABEG')}{rng.randint(100, 999)}",
            rng.choice(GOODS),
            rng.randint(1, 60),
            rng.randint(50, 20_000) / 100,
            rng.choice(LONG) if rng.random() < 0.15 else "",
        )
        for _ in range(rng.randint(3, 9))
    ]


def _table(
    desk: Desk,
    rows: list[tuple[str, str, int, float, str]],
    style: Style,
    layout: str,
    rng: random.Random,
    top: float,
) -> float:
    edges = (50, 115, 335, 385, 455, 535)
    right = (False, False, True, True, True)
    for number, head in enumerate(style.heads):
        x = edges[number + 1] - 5 - desk.wide(head, bold=True) if right[number] else edges[number] + 4
        desk.write(x, top, head, bold=True)
    y = top
    if layout in ("ruled", "boxed"):
        desk.sheet.line(50, top + 5, 535, top + 5)
    made: list[dict[str, Written | None]] = []
    for number, (article, what, count, price, more) in enumerate(rows):
        if layout in ("plain", "foot") and number == len(rows) // 2 and len(rows) > 4:
            y += 18
            desk.write(54, y, rng.choice(["For the yard", "Stores", "Second delivery"]), bold=True)
        y += 18
        texts = (
            (article, article),
            (what, what),
            (str(count), str(count)),
            (_number(price, 2, style.comma), f"{price:.2f}"),
            (_number(count * price, 2, style.comma), f"{count * price:.2f}"),
        )
        row: dict[str, Written | None] = {}
        for column, (text, normal) in enumerate(texts):
            x = edges[column + 1] - 5 - desk.wide(text) if right[column] else edges[column] + 4
            key = SCHEMA["tables"][0]["columns"][column]["key"]
            row[key] = Written(text, normal, [desk.write(x, y, text)])
        if more:
            y += 12
            described = row["description"]
            assert described is not None
            described.boxes.append(desk.write(edges[1] + 4, y, more))
            row["description"] = Written(f"{what} {more}", f"{what} {more}", described.boxes)
        made.append(row)
        if layout == "boxed":
            desk.sheet.line(50, y + 5, 535, y + 5, 0.3)
    if layout == "boxed":
        for edge in edges:
            desk.sheet.line(edge, top - 11, edge, y + 5, 0.3)
    desk.rows["goods"] = made
    return y + 8
