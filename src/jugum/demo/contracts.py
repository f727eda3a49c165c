"""Works contracts of five installers, each with its own prose, letter and way of numbering; three to six pages,
signed or not."""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date, timedelta

from reportlab.lib.pagesizes import A4

from jugum.demo.parts import MONTHS, PrintedPaper, amount, day, person, spelled
from jugum.demo.people import STREETS, TOWNS
from jugum.demo.sheet import Sheet

_ORDINALS = (
    "first second third fourth fifth sixth seventh eighth ninth tenth eleventh twelfth thirteenth fourteenth fifteenth sixteenth "
    "seventeenth eighteenth nineteenth twentieth twenty-first twenty-second twenty-third twenty-fourth twenty-fifth "
    "twenty-sixth twenty-seventh twenty-eighth twenty-ninth thirtieth thirty-first"
).split()
_YEARS = {2: "two", 3: "three", 5: "five", 7: "seven", 10: "ten"}


def _solemn(when: date) -> str:
    return f"the {_ORDINALS[when.day - 1]} day of {MONTHS[when.month - 1]}, {when.year}"


def _dotted(when: date) -> str:
    return f"{when:%d.%m.%Y}"


def _american(when: date) -> str:
    return f"{MONTHS[when.month - 1]} {when.day}, {when.year}"


@dataclass(frozen=True)
class _Template:
    """An installer's form: letter, dates, how sections are headed, and the five sections that carry values."""

    installer: str
    title: str
    font: str
    size: float
    dates: object
    head: str
    opening: str
    scope: tuple[str, str]
    price: tuple[str, str]
    time: tuple[str, str]
    payment: tuple[str, str]
    guarantee: tuple[str, str]
    signers: tuple[str, str]
    foot: str
    fillers: int


_TEMPLATES = (
    _Template(
        "Fellside Insulation",
        "CONTRACT FOR WORKS",
        "Times",
        11,
        spelled,
        "{n}. {head}",
        "between {installer}, of {office} (the installer), and {customer}, of {address} (the customer), concluded on {concluded} under number {number}.",
        (
            "Scope of works",
            "The installer shall insulate the {part} of the dwelling at {place} with {stuff} to a depth of no less than {depth} millimetres, and shall make good whatever is opened for the purpose.",
        ),
        (
            "Price",
            "The works are carried out for the fixed sum of {total} crowns, all material, travel and removal of waste included. Extra works are paid only where they were agreed in writing beforehand.",
        ),
        (
            "Time",
            "Works begin on {start} and are finished on {end}. Where frost, storm or late delivery of material hinders them, the time is longer by as many days as the hindrance lasted.",
        ),
        (
            "Payment",
            "One third is paid when the material lies on the site and the rest within fourteen days after the works were taken over without defects. No interest is due for the first month.",
        ),
        (
            "Guarantee",
            "The installer answers for {years} years for the tightness of what was built, reckoned from the day the works were taken over. Defects are told in writing and mended within thirty days.",
        ),
        ("For the installer", "The customer"),
        "Contract {number} · page {page}",
        14,
    ),
    _Template(
        "Nordlys Roof & Wall",
        "Works contract",
        "Helvetica",
        10,
        _dotted,
        "§ {n}  {head}",
        "No. {number}. Made on {concluded} by {installer}, {office}, called the contractor, with {customer}, {address}, called the client.",
        (
            "What is built",
            "The contractor lays {stuff}, {depth} millimetres deep, over the {part} of the client's dwelling at {place}. Vapour barriers are joined and taped at all edges, and each opening is closed again.",
        ),
        (
            "Price of the works",
            "For all this the client owes the contractor a total price of kr {total}. The price holds for three months from the day of signing and covers scaffolds and carting.",
        ),
        (
            "Dates",
            "The start is set for {start}; completion is due by {end}. Each party tells the other at once when a date can't be kept.",
        ),
        (
            "When money is due",
            "Half of the price is due when half of the works stand, the remainder on the day they are taken over. Late money bears interest of four per cent a year.",
        ),
        (
            "Warranty",
            "For {years} years after the works were taken over the contractor mends without charge what proves faulty. The client keeps this paper for as long.",
        ),
        ("Contractor", "Client"),
        "Page {page} · {number}",
        14,
    ),
    _Template(
        "Ambleholt Builders",
        "Agreement on insulation works",
        "Times",
        12,
        _solemn,
        "ARTICLE {n}. {head}",
        "This agreement, numbered {number}, was concluded on {concluded}, the builder being {installer} of {office}, the owner being {customer} of {address}.",
        (
            "Object of the agreement",
            "The builder undertakes to fill the {part} of the house at {place} with {stuff} of {depth} millimetres and to leave the house swept and dry.",
        ),
        (
            "Consideration",
            "In consideration of the works the owner shall pay the sum of {total} crowns, of which nothing is payable before the material has been delivered and counted by both parties.",
        ),
        (
            "Commencement and completion",
            "The works shall commence on {start} and shall be completed not later than {end}, days of hard frost excepted.",
        ),
        (
            "Instalments",
            "The sum is paid in three equal parts: on delivery, at the half, and on completion. The builder writes a receipt for each.",
        ),
        (
            "Liability for defects",
            "The builder is liable for hidden defects for a term of {years} years. Claims are made in writing with a description of the defect.",
        ),
        ("The builder", "The owner"),
        "{page}",
        17,
    ),
    _Template(
        "Keld Heat Works",
        "Order and contract for thermal works",
        "Helvetica",
        9.5,
        _american,
        "{n} {head}",
        "Contract no. {number} of {concluded}. Supplier: {installer}, {office}. Household: {customer}, {address}.",
        (
            "Works ordered",
            "The household orders insulation of its {part}, at {place}, with {stuff}, laid {depth} millimetres thick and blown in by machine where hands can't reach.",
        ),
        (
            "Contract sum",
            "The contract sum is {total} crowns including tax. It is not raised for the supplier's own errors nor for dearer material.",
        ),
        (
            "Timetable",
            "Work starts on {start}. The last working day is {end}. A day of delay for which the supplier answers costs it half of one per cent of the contract sum.",
        ),
        (
            "Terms of payment",
            "Thirty days from the invoice, which is sent only when the works have been looked over together and a list of what is missing has been signed.",
        ),
        (
            "Guarantee period",
            "The guarantee period is {years} years. Within it the supplier comes within a week when heat is lost where it should not be.",
        ),
        ("Supplier", "Household"),
        "{number} – {page}",
        16,
    ),
    _Template(
        "Selvik Carpentry",
        "Carpenter's contract",
        "Times",
        10.5,
        spelled,
        "{n}) {head}",
        "{installer} ({office}) and {customer} ({address}) agreed on {concluded} as follows. Their contract bears the number {number}.",
        (
            "The work",
            "Selvik Carpentry packs the {part} at {place} with {stuff} to {depth} millimetres and builds what timber frame that needs, of sound spruce.",
        ),
        (
            "What it costs",
            "The work costs {total} crowns in all. That sum was worked out together on the spot and changes only if the customer wants something else.",
        ),
        (
            "Begin and end",
            "We begin on {start} and hand over on {end}. If rain comes in while the roof is open we cover it before anything else.",
        ),
        (
            "How it is paid",
            "The customer pays a quarter when we begin, half when the frame stands, and the last quarter when all is done.",
        ),
        (
            "What we stand for",
            "We stand for our work for {years} years. Whoever buys the house takes over this right from the customer.",
        ),
        ("For Selvik Carpentry", "Customer"),
        "Carpenter's contract {number}, page {page}",
        9,
    ),
)

_FILLERS = (
    "Grant",
    "Insurance",
    "Disputes",
    "Safety",
    "Changes",
    "Access to the house",
    "Neighbours",
    "Waste",
    "Subcontractors",
    "Materials on site",
    "Weather",
    "Drawings",
    "Withdrawal",
    "Notices",
    "Risk of loss",
    "Cleaning",
    "Electricity and water",
)
_WHO = ("the installer", "the customer", "each side", "whoever is on the site", "the side at fault", "the foreman")
_DOES = (
    "tells the other in writing of",
    "bears the cost of",
    "answers for",
    "keeps a record of",
    "asks the Lowfell Warm Homes Fund about",
    "insures at its own cost",
    "removes without delay",
    "mends before the works are taken over",
)
_WHAT = (
    "any damage to gutters, cables and pipes",
    "what was found behind old panels",
    "scaffolds, ladders and covers",
    "packing and cut-offs",
    "delays that others have caused",
    "defects of the material delivered",
    "the keys that were handed over",
    "noise before seven in the morning",
    "the meter readings at the start",
    "all changes of the drawings",
)
_WHEN = (
    "within ten days",
    "before the next working day",
    "as soon as it is known",
    "in the week after the works were taken over",
    "without being asked",
    "if nothing else was agreed",
    "unless frost or storm hinders it",
)
_THEN = (
    "What is not told in time can't be claimed later.",
    "The law of Norhaven on works for households holds besides.",
    "Should this section fall, the others stand.",
    "Nothing here takes away rights that the law gives a household.",
    "A message by post counts from the day it was sent.",
    "The arbitration board of the building trades at Tarnby decides what remains open.",
    "Costs of up to 1 500 crowns are borne by the side that caused them.",
)


def _filler(rng: random.Random) -> str:
    sentences = []
    for _ in range(rng.randrange(4, 9)):
        who, does, what, when = (rng.choice(part) for part in (_WHO, _DOES, _WHAT, _WHEN))
        sentences.append(f"{who[0].upper()}{who[1:]} {does} {what} {when}.")
    return " ".join([*sentences, rng.choice(_THEN)])


def contract(layout: int, rng: random.Random) -> PrintedPaper:
    """A contract after template `layout` modulo five; one in eight lacks the customer's signature."""
    form = _TEMPLATES[layout % len(_TEMPLATES)]
    values = _values(form, layout, rng)
    sheet = Sheet(A4)
    sheet.text(70, 80, form.title, form.size + 7, bold=True, font=form.font)
    y = sheet.paragraph(70, 112, 450, form.opening.format(**values), form.size, form.font)
    page = 1

    def turned(y: float, limit: float) -> float:
        nonlocal page
        if y <= limit:
            return y
        sheet.right(525, 805, form.foot.format(number=values["number"], page=page), 8)
        sheet.new_page()
        page += 1
        return 80.0

    truth = {}
    for number, (key, heading, text) in enumerate(_sections(form, rng), 1):
        y = turned(y + form.size, 720)
        head = form.head.format(n=number, head=heading)
        sheet.text(70, y, head, form.size, bold=True, font=form.font)
        said = text.format(**values)
        y += 1.5 * form.size
        for line in sheet.lines_of(450, said, form.size, form.font):  # a section runs on over the page's end
            y = turned(y, 770)
            sheet.text(70, y, line, form.size, font=form.font)
            y += 1.32 * form.size
        if key:
            truth[key] = f"{head} {said}"
    y = turned(y, 640) + 60
    signed = _signatures(sheet, form, y, rng)
    sheet.right(525, 805, form.foot.format(number=values["number"], page=page), 8)
    truth |= {
        "contract_number": values["number"],
        "installer": form.installer,
        "customer": values["customer"],
        "customer_address": values["address"],
        "concluded": values["concluded"],
        "part": values["part"],
        "total": values["total"],
        "works_begin": values["start"],
        "works_end": values["end"],
        "depth": values["depth"],
        "guarantee_years": values["years"],
        "installer_signed": "yes",
        "customer_signed": signed,
    }
    return PrintedPaper("works contract", layout, sheet.done(), sheet.pages, truth)


def _values(form: _Template, layout: int, rng: random.Random) -> dict[str, str]:
    given, family = person(rng)
    start = day(rng)
    dates = form.dates
    assert callable(dates)
    home = f"{rng.randrange(1, 90)} {rng.choice(STREETS)}, {rng.choice(TOWNS)}"
    elsewhere = f"{rng.randrange(1, 90)} {rng.choice(STREETS)}, {rng.choice(TOWNS)}"
    return {
        "installer": form.installer,
        "office": f"{1 + 7 * (layout % 5)} {STREETS[layout % len(STREETS)]}, {TOWNS[layout % len(TOWNS)]}",
        "customer": f"{given} {family}",
        "address": home,
        "place": home if rng.random() < 0.7 else elsewhere,
        "part": rng.choice(["attic", "outer walls", "cellar ceiling"]),
        "stuff": rng.choice(["wood fibre", "cellulose", "mineral wool", "flax"]),
        "depth": str(rng.randrange(12, 40) * 10),
        "total": amount(rng, 20_000, 290_000),
        "start": dates(start),
        "end": dates(start + timedelta(days=rng.randrange(10, 60))),
        "concluded": dates(start - timedelta(days=rng.randrange(5, 40))),
        "years": _YEARS[rng.choice(list(_YEARS))],
        "number": f"{form.installer[0]}{rng.randrange(1000, 9999)}-{rng.randrange(10, 99)}",
    }


def _sections(form: _Template, rng: random.Random) -> list[tuple[str, str, str]]:
    """(truth key or "", heading, text): the five sections that carry values, and fillers after and between them."""
    named = {
        "scope": form.scope,
        "price": form.price,
        "time": form.time,
        "payment": form.payment,
        "guarantee": form.guarantee,
    }
    told = [(key, *section) for key, section in named.items()]
    fillers = [("", heading, _filler(rng)) for heading in rng.sample(_FILLERS, form.fillers)]
    sections = [*told, *fillers[3:]]
    for place, filler in zip((2, 4, 6), fillers[:3], strict=True):
        sections.insert(place, filler)
    return sections


def _signatures(sheet: Sheet, form: _Template, y: float, rng: random.Random) -> str:
    """Lines to sign on; "no" when the customer has not signed."""
    missing = rng.random() < 0.125
    for x, who in zip((70, 320), form.signers, strict=True):
        if not (missing and x == 320):
            sheet.signature(x + 15, y, rng.uniform(80, 130), rng)
        sheet.line(x, y + 2, x + 190, y + 2)
        sheet.text(x, y + 16, who, form.size - 2, font=form.font)
    return "no" if missing else "yes"
