"""Pay stubs of eight invented employers, each drawn in its own kind of layout, as born-digital PDF with known truth."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from decimal import Decimal

from reportlab.lib.pagesizes import A4, A5, landscape

from jugum.demo.parts import Rows
from jugum.demo.people import PayStub, pay_stub
from jugum.demo.sheet import Sheet

Dates = Callable[[date], str]
Money = Callable[[Decimal], str]
MONTHS = "January February March April May June July August September October November December".split()


@dataclass(frozen=True)
class StubPaper:
    """A drawn pay stub: PDF bytes, and the truth: field key → what is printed ("" when the paper has no such field),
    and the rows of its tables of earnings and deductions, where it has them."""

    employer: int
    pdf: bytes
    truth: dict[str, str]
    tables: dict[str, Rows]


def blank_thousands(amount: Decimal) -> str:
    return f"{amount:,.2f}".replace(",", " ").replace(".", ",")


def point_thousands(amount: Decimal) -> str:
    return f"{amount:,.2f}".replace(",", "#").replace(".", ",").replace("#", ".")


def comma_thousands(amount: Decimal) -> str:
    return f"{amount:,.2f}"


def dotted(day: date) -> str:
    return f"{day:%d.%m.%Y}"


def spelled(day: date) -> str:
    return f"{day.day} {MONTHS[day.month - 1]} {day.year}"


def iso(day: date) -> str:
    return day.isoformat()


def slashed(day: date) -> str:
    return f"{day:%d/%m/%Y}"


def short(day: date) -> str:
    return f"{day.day:02d} {MONTHS[day.month - 1][:3]} {day.year}"


EMPLOYERS = (
    "Brackwater Timber Works",
    "Ostmark Dairy Co-operative",
    "Tarnby Municipal Services",
    "Highbeck Engineering",
    "Marrow Sound Ferries",
    "Skelling Textile Mill",
    "Lowfell Care Homes",
    "Northmoor Haulage",
)
SEEN_EMPLOYERS = range(6)
UNSEEN_EMPLOYERS = range(6, 8)


def stub_paper(employer: int, rng: random.Random) -> StubPaper:
    """A pay stub of employer 0–7 with invented content from `rng`."""
    stub = pay_stub(rng)
    pdf, truth = _LAYOUTS[employer](EMPLOYERS[employer], stub, rng)
    tables = _TABLES[employer](stub) if employer in _TABLES else {}
    return StubPaper(employer, pdf, {"employer": EMPLOYERS[employer], **truth}, tables)


def _truth(stub: PayStub, dates: Dates, money: Money, hours: str, **changed: str) -> dict[str, str]:
    return {
        "employee": stub.employee,
        "personal_number": stub.personal_number,
        "period_from": dates(stub.period_from),
        "period_to": dates(stub.period_to),
        "pay_date": dates(stub.pay_date),
        "hours": hours,
        "gross_pay": money(stub.gross),
        "tax": money(stub.tax),
        "net_pay": money(stub.net),
        "bonus": money(stub.bonus) if stub.bonus else "",
        "gross_year": money(stub.year_to_date(stub.gross)),
        **changed,
    }


def _hours_comma(stub: PayStub) -> str:
    return f"{stub.hours.normalize():f}".replace(".", ",")


def _labels_left(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """Labels left of their values, one below the other."""
    sheet = Sheet(A4)
    sheet.text(56, 70, name, 17, bold=True)
    sheet.text(56, 88, "4 Sawpit Way, Lowfell · Company no. 88 214 703", 9)
    sheet.text(56, 130, "PAY STATEMENT", 12, bold=True)
    money, dates = blank_thousands, dotted
    y = 160.0
    rows = [
        ("Employee", stub.employee),
        ("Personal number", stub.personal_number),
        ("Address", stub.address),
        ("Staff number", stub.staff_number),
        ("Pay period from", dates(stub.period_from)),
        ("Pay period to", dates(stub.period_to)),
        ("Date of payment", dates(stub.pay_date)),
        ("", ""),
        ("Hours worked", _hours_comma(stub)),
        ("Hourly rate", money(stub.rate)),
        ("Basic pay", money(stub.basic)),
    ]
    if stub.bonus:
        rows.append(("Bonus", money(stub.bonus)))
    rows += [
        ("Gross pay", money(stub.gross)),
        ("Income tax", money(stub.tax)),
        ("Pension", money(stub.pension)),
        ("Union fee", money(stub.union_fee)),
        ("Net pay", money(stub.net)),
        ("", ""),
        ("Gross pay this year", money(stub.year_to_date(stub.gross))),
        ("Income tax this year", money(stub.year_to_date(stub.tax))),
    ]
    for label, value in rows:
        if label:
            sheet.text(56, y, label)
            sheet.text(220, y, value, bold=label == "Net pay")
        y += 19
    sheet.text(56, y + 20, f"Paid to account {stub.account}. Questions: pay office, extension 214.", 8)
    return sheet.done(), _truth(stub, dates, money, _hours_comma(stub))


def _labels_above(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """Small labels above their values, in a grid."""
    sheet = Sheet(A4)
    sheet.text(50, 60, name, 15, bold=True, font="Times")
    sheet.right(545, 60, "Pay advice", 15, font="Times")
    sheet.line(50, 70, 545, 70)
    money, dates = point_thousands, spelled
    hours = _hours_comma(stub)
    cells = [
        [("Name of employee", stub.employee), ("Personal no.", stub.personal_number), ("Works no.", stub.staff_number)],
        [("From", dates(stub.period_from)), ("To", dates(stub.period_to)), ("Paid on", dates(stub.pay_date))],
        [("Hours", hours), ("Rate per hour", money(stub.rate)), ("Basic wage", money(stub.basic))],
        [
            ("Premium", money(stub.bonus) if stub.bonus else "–"),
            ("Total gross", money(stub.gross)),
            ("Tax withheld", money(stub.tax)),
        ],
        [("Pension fund", money(stub.pension)), ("Union", money(stub.union_fee)), ("Payable to you", money(stub.net))],
        [
            ("Gross since January", money(stub.year_to_date(stub.gross))),
            ("Tax since January", money(stub.year_to_date(stub.tax))),
            ("", ""),
        ],
    ]
    y = 100.0
    for row in cells:
        for column, (label, value) in enumerate(row):
            x = 50 + column * 170
            sheet.text(x, y, label, 7.5, font="Times")
            sheet.text(x, y + 14, value, 11, font="Times", bold=label == "Payable to you")
        y += 48
    sheet.text(50, y + 20, "Keep this advice. The dairy is closed on 1 May and 24 December.", 9, font="Times")
    return sheet.done(), _truth(stub, dates, money, hours)


def _boxed(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """A ruled form with numbered boxes."""
    sheet = Sheet(A4)
    sheet.text(60, 60, name.upper(), 13, bold=True)
    sheet.text(60, 78, "Form P-12  Salary specification", 10)
    money, dates = comma_thousands, iso
    hours = f"{stub.hours:.2f}"
    boxes = [
        ("1 Surname and given name", ", ".join(reversed(stub.employee.split()))),
        ("2 Personal number", stub.personal_number),
        ("3 Period begins", dates(stub.period_from)),
        ("4 Period ends", dates(stub.period_to)),
        ("5 Payment date", dates(stub.pay_date)),
        ("6 Hours", hours),
        ("7 Basic salary", money(stub.basic)),
        ("8 Supplement", money(stub.bonus) if stub.bonus else ""),
        ("9 Gross salary", money(stub.gross)),
        ("10 Tax", money(stub.tax)),
        ("11 Pension", money(stub.pension)),
        ("12 Union dues", money(stub.union_fee)),
        ("13 Net salary", money(stub.net)),
        ("14 Gross salary, year to date", money(stub.year_to_date(stub.gross))),
    ]
    for number, (label, value) in enumerate(boxes):
        x, y = 60 + (number % 2) * 240, 100 + (number // 2) * 44
        sheet.box(x, y, 240, 44)
        sheet.text(x + 4, y + 11, label, 7)
        sheet.text(x + 10, y + 32, value, 11, font="Courier")
    sheet.text(60, 430, "Issued under the Municipal Pay Order of 2019-06-14. Boxes 15 to 20 are for official use.", 7)
    return sheet.done(), _truth(stub, dates, money, hours, employer=name.upper(), employee=boxes[0][1])


def _two_columns(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """A table with this period beside the year to date."""
    sheet = Sheet(A4)
    sheet.box(40, 40, 515, 46, 0.9)
    sheet.text(50, 60, name, 14, bold=True)
    sheet.text(50, 77, "Payroll department", 9)
    money, dates = comma_thousands, short
    hours = f"{stub.hours.normalize():f}"
    sheet.text(50, 110, f"Employee: {stub.employee}", 10)
    sheet.text(50, 125, f"Personal no: {stub.personal_number}", 10)
    sheet.text(320, 110, f"Period: {dates(stub.period_from)} to {dates(stub.period_to)}", 10)
    sheet.text(320, 125, f"Pay date: {dates(stub.pay_date)}", 10)
    y = 160.0
    for x, head in ((50, "Earnings"), (240, "Hours"), (320, "Rate"), (420, "This period"), (545, "Year to date")):
        (sheet.text if x == 50 else sheet.right)(x, y, head, 9, bold=True)
    sheet.line(40, y + 5, 555, y + 5)
    for row in _earnings(stub):
        y += 20
        sheet.text(50, y, row[0], 10)
        sheet.right(240, y, hours if row[1] else "", 10)
        sheet.right(320, y, money(row[1]) if row[1] else "", 10)
        sheet.right(420, y, money(row[2]), 10)
        sheet.right(545, y, money(stub.year_to_date(row[2])), 10)
    y = _two_sums(sheet, y, "Gross pay", stub.gross, stub)
    y += 30
    for x, head in ((50, "Deductions"), (420, "This period"), (545, "Year to date")):
        (sheet.text if x == 50 else sheet.right)(x, y, head, 9, bold=True)
    sheet.line(40, y + 5, 555, y + 5)
    for label, amount in _deductions(stub):
        y += 20
        sheet.text(50, y, label, 10)
        sheet.right(420, y, money(amount), 10)
        sheet.right(545, y, money(stub.year_to_date(amount)), 10)
    y = _two_sums(sheet, y, "Total deductions", stub.deductions, stub)
    y = _two_sums(sheet, y + 6, "Net pay", stub.net, stub)
    sheet.line(40, y + 8, 555, y + 8)
    sheet.text(50, y + 40, f"Paid into {stub.account}", 9)
    return sheet.done(), _truth(stub, dates, money, hours)


def _two_sums(sheet: Sheet, y: float, label: str, amount: Decimal, stub: PayStub) -> float:
    """A line of totals, now and since January; returns its y."""
    y += 20
    sheet.text(50, y, label, 10, bold=True)
    sheet.right(420, y, comma_thousands(amount), 10, bold=True)
    sheet.right(545, y, comma_thousands(stub.year_to_date(amount)), 10)
    return y


def _earnings(stub: PayStub) -> list[tuple[str, Decimal | None, Decimal]]:
    """(what, rate per hour or None, amount)."""
    rows: list[tuple[str, Decimal | None, Decimal]] = [("Basic pay", stub.rate, stub.basic)]
    return [*rows, ("Bonus", None, stub.bonus)] if stub.bonus else rows


def _deductions(stub: PayStub) -> list[tuple[str, Decimal]]:
    return [("Income tax", stub.tax), ("Pension scheme", stub.pension), ("Union dues", stub.union_fee)]


def _table_rows(stub: PayStub, money: Money, hours: str) -> dict[str, Rows]:
    return {
        "earnings": [
            {
                "description": what,
                "hours": hours if rate else "",
                "rate": money(rate) if rate else "",
                "amount": money(amount),
            }
            for what, rate, amount in _earnings(stub)
        ],
        "deductions": [{"description": what, "amount": money(amount)} for what, amount in _deductions(stub)],
    }


def _dotted_totals(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """Right-aligned totals with dotted leaders, amounts led by the currency."""
    sheet = Sheet(A5)
    sheet.text(40, 44, name, 13, bold=True)
    sheet.text(40, 60, "Crew pay slip", 10)
    dates = dotted

    def money(amount: Decimal) -> str:
        return f"kr {blank_thousands(amount)}"

    hours = _hours_comma(stub)
    sheet.text(40, 90, stub.employee, 11, bold=True)
    sheet.text(40, 104, f"Born/PN {stub.personal_number}   Crew no. {stub.staff_number}", 8.5)
    sheet.text(40, 118, f"{dates(stub.period_from)} – {dates(stub.period_to)}   Value date {dates(stub.pay_date)}", 8.5)
    y = 150.0
    rows = [("Hours at sea and ashore", hours), ("Ordinary wage", money(stub.basic))]
    rows += [("Sea bonus", money(stub.bonus))] if stub.bonus else []
    rows += [("Gross wage", money(stub.gross)), ("Withheld tax", money(stub.tax)), ("Pension", money(stub.pension))]
    rows += [("Seamen's union", money(stub.union_fee)), ("Net wage", money(stub.net))]
    rows += [("Gross wage so far this year", money(stub.year_to_date(stub.gross)))]
    for label, value in rows:
        sheet.text(40, y, label, 10, bold=label == "Net wage")
        start = 44 + sheet.canvas.stringWidth(label, "Helvetica", 10)
        end = 380 - sheet.canvas.stringWidth(value, "Helvetica-Bold", 10) - 6
        sheet.canvas.setFont("Helvetica", 8)
        sheet.canvas.drawString(start + 4, sheet.height - y, "." * max(0, int((end - start - 8) / 2.3)))
        sheet.right(380, y, value, 10, bold=label == "Net wage")
        y += 21
    return sheet.done(), _truth(stub, dates, money, hours)


def _letter(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """A letter-like slip full of other dates and amounts: last month's pay, next month's, leave, a loan."""
    sheet = Sheet(A4)
    money, dates = blank_thousands, spelled
    hours = _hours_comma(stub)
    sheet.text(70, 70, name, 14, bold=True, font="Times")
    sheet.text(70, 86, "Weaver Row 12, Skelling", 10, font="Times")
    sheet.right(525, 110, f"Printed {spelled(stub.pay_date)}", 9, font="Times")
    sheet.text(70, 140, f"To: {stub.employee}", 11, font="Times")
    sheet.text(70, 156, f"Personal number {stub.personal_number}", 11, font="Times")
    sheet.text(
        70, 190, f"Your wage for {dates(stub.period_from)} until {dates(stub.period_to)}", 12, bold=True, font="Times"
    )
    sheet.text(70, 208, f"will be on your account on {dates(stub.pay_date)}.", 11, font="Times")
    last = stub.gross * Decimal("0.97")
    y = 250.0
    sheet.right(400, y, "Last month", 9, font="Times")
    sheet.right(525, y, "Now", 9, bold=True, font="Times")
    rows: list[tuple[str, str, str]] = [("Hours", _hours_comma(stub), hours)]
    rows += [("Wage", money(stub.basic * Decimal("0.97")), money(stub.basic))]
    rows += [("Piecework bonus", "0,00", money(stub.bonus))] if stub.bonus else []
    rows += [("Gross", money(last), money(stub.gross)), ("Tax", money(stub.tax * Decimal("0.96")), money(stub.tax))]
    rows += [("Pension and union", money(stub.pension), money(stub.pension + stub.union_fee))]
    rows += [("To be paid out", money(last - stub.tax), money(stub.net))]
    for label, before, now in rows:
        y += 19
        sheet.text(70, y, label, 11, font="Times")
        sheet.right(400, y, before, 11, font="Times")
        sheet.right(525, y, now, 11, bold=True, font="Times")
    sheet.line(70, y + 6, 525, y + 6)
    sheet.text(70, y + 40, f"Gross earned in 2026 so far: {money(stub.year_to_date(stub.gross))}", 10, font="Times")
    left = Decimal(rng.randrange(20, 90) * 100)
    sheet.text(
        70, y + 56, f"Of your loan of 12 000,00 there remain {money(left)}, due by 31 December 2027.", 10, font="Times"
    )
    sheet.text(70, y + 72, f"Leave left: {rng.randrange(3, 24)} days.", 10, font="Times")
    return sheet.done(), _truth(stub, dates, money, hours)


def _dense(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """Earnings and deductions side by side, small print."""
    sheet = Sheet(A4)
    money, dates = point_thousands, slashed
    hours = _hours_comma(stub)
    sheet.text(45, 52, "REMUNERATION SLIP", 9, bold=True)
    sheet.right(550, 52, name, 12, bold=True)
    sheet.line(45, 58, 550, 58)
    for x, label, value in ((45, "Payee:", stub.employee), (300, "National ID:", stub.personal_number)):
        sheet.text(x, 74, label, 8)
        sheet.text(x + 60, 74, value, 8, bold=True)
    sheet.text(45, 88, f"For the period {dates(stub.period_from)} - {dates(stub.period_to)}", 8)
    sheet.text(300, 88, "Credited:", 8)
    sheet.text(360, 88, dates(stub.pay_date), 8)
    for x, head in ((45, "Earnings"), (300, "Deductions")):
        sheet.text(x, 116, head, 9, bold=True)
    for x, head in ((165, "Hours"), (210, "Rate"), (265, "Amount"), (520, "Amount")):
        sheet.right(x, 116, head, 9, bold=True)
    for number, (label, rate, amount) in enumerate(_earnings(stub)):
        y = 134 + number * 15
        sheet.text(45, y, label, 8)
        sheet.right(165, y, hours if rate else "", 8)
        sheet.right(210, y, money(rate) if rate else "", 8)
        sheet.right(265, y, money(amount), 8)
    sheet.text(45, 180, "Gross earnings", 8, bold=True)
    sheet.right(265, 180, money(stub.gross), 8, bold=True)
    for number, (label, amount) in enumerate(_deductions(stub)):
        sheet.text(300, 134 + number * 15, label, 8)
        sheet.right(520, 134 + number * 15, money(amount), 8)
    sheet.box(300, 210, 250, 24, 0.92)
    sheet.text(308, 226, "Take-home pay", 10, bold=True)
    sheet.right(542, 226, money(stub.net), 10, bold=True)
    sheet.text(45, 226, f"Gross YTD  {money(stub.year_to_date(stub.gross))}", 8)
    return sheet.done(), _truth(stub, dates, money, hours)


def _landscape(name: str, stub: PayStub, rng: random.Random) -> tuple[bytes, dict[str, str]]:
    """A wide slip: one row of column heads over one row of values."""
    sheet = Sheet(landscape(A5))
    money, dates = comma_thousands, dotted
    hours = f"{stub.hours:.2f}"
    sheet.text(30, 40, name, 12, bold=True)
    sheet.text(30, 54, "Driver wage slip", 9)
    sheet.text(30, 80, "Driver", 8)
    sheet.text(90, 80, stub.employee, 9, bold=True)
    sheet.text(300, 80, "Personal number", 8)
    sheet.text(390, 80, stub.personal_number, 9)
    heads = [
        ("From", dates(stub.period_from)),
        ("Until", dates(stub.period_to)),
        ("Paid", dates(stub.pay_date)),
        ("Hours", hours),
    ]
    amounts = [
        ("Gross", money(stub.gross)),
        ("Tax", money(stub.tax)),
        ("Other ded.", money(stub.pension + stub.union_fee)),
    ]
    amounts += [("of which bonus", money(stub.bonus))] if stub.bonus else []
    amounts += [("Net amount", money(stub.net)), ("Gross cum.", money(stub.year_to_date(stub.gross)))]
    for y, cells in ((120, heads), (190, amounts)):
        step = 540 / len(cells)
        sheet.box(28, y - 12, 540, 40)
        for number, (label, value) in enumerate(cells):
            sheet.text(33 + number * step, y, label, 8)
            sheet.text(33 + number * step, y + 18, value, 9)
    return sheet.done(), _truth(stub, dates, money, hours)


_TABLES: dict[int, Callable[[PayStub], dict[str, Rows]]] = {
    3: lambda stub: _table_rows(stub, comma_thousands, f"{stub.hours.normalize():f}"),
    6: lambda stub: _table_rows(stub, point_thousands, _hours_comma(stub)),
}

_LAYOUTS = (_labels_left, _labels_above, _boxed, _two_columns, _dotted_totals, _letter, _dense, _landscape)
