"""Test papers: mooring slips in three layouts, and files that are no papers. Nothing of the demo is used here."""

from __future__ import annotations

import io
from dataclasses import dataclass

import pikepdf
from PIL import Image
from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas

MEMBERS = (
    "Oddny Strand",
    "Tor Vik",
    "Mina Holm",
    "Jens Bakke",
    "Liv Moe",
    "Per Dahl",
    "Una Ness",
    "Kai Lunde",
    "Siv Rud",
    "Ola Krog",
)


@dataclass(frozen=True)
class Slip:
    """What a slip says."""

    member: str
    day: str
    amount: str

    @property
    def truth(self) -> dict[str, str]:
        return {"member": self.member, "paid_on": self.day, "amount": self.amount}


def slips(count: int, start: int = 0) -> list[Slip]:
    """Different slips, the same on every run."""
    return [
        Slip(
            MEMBERS[n % len(MEMBERS)],
            f"{n % 27 + 1:02d}.{n % 12 + 1:02d}.2026",
            f"{n * 37 % 9 + 1} {n * 211 % 900 + 100},{n % 90 + 10}",
        )
        for n in range(start, start + count)
    ]


def slip_pdf(slip: Slip, layout: int = 0) -> bytes:
    """A born-digital slip; layouts 0 (labels left), 1 (labels above), 2 (a table)."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    canvas.setFont("Helvetica-Bold", 14)
    canvas.drawString(40, 550, ("Harbour receipt", "Berth fee note", "Quay ledger extract")[layout])
    canvas.setFont("Helvetica", 11)
    printed = 0
    for x, y, text in _LAYOUTS[layout](slip):
        canvas.drawString(x, y, text)
        printed += 1
    assert printed
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def _left(slip: Slip) -> list[tuple[int, int, str]]:
    return [
        (40, 500, "Paid by"), (160, 500, slip.member), (40, 475, "Date"), (160, 475, slip.day), (40, 450, "Berth"), (160, 450, "B 14"),
        (40, 425, "Deposit"), (160, 425, "50,00"), (40, 400, "Total"), (160, 400, slip.amount), (40, 350, "Valid until 31.12.2027"),
    ]  # fmt: skip


def _above(slip: Slip) -> list[tuple[int, int, str]]:
    return [
        (40, 500, "Member"), (40, 485, slip.member), (230, 500, "Paid on"), (230, 485, slip.day),
        (40, 440, "Fee per week"), (40, 425, "12,50"), (230, 440, "Amount"), (230, 425, slip.amount), (40, 380, "Printed 01.01.2020"),
    ]  # fmt: skip


def _table(slip: Slip) -> list[tuple[int, int, str]]:
    return [
        (40, 500, "Name"), (170, 500, "Day"), (280, 500, "Total"),
        (40, 480, slip.member), (170, 480, slip.day), (280, 480, slip.amount), (40, 440, "Carried over"), (280, 440, "0,00"),
    ]  # fmt: skip


_LAYOUTS = (_left, _above, _table)


def words_pdf(*lines: str, rotate: int = 0) -> bytes:
    """A PDF page with lines of text; `rotate` sets the page's /Rotate."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    canvas.setFont("Helvetica", 12)
    for number, line in enumerate(lines):
        canvas.drawString(50, 500 - 24 * number, line)
    canvas.showPage()
    canvas.save()
    if not rotate:
        return buffer.getvalue()
    with pikepdf.open(buffer) as pdf:
        pdf.pages[0].Rotate = rotate
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


def locked_pdf() -> bytes:
    with pikepdf.open(io.BytesIO(words_pdf("Secret"))) as pdf:
        out = io.BytesIO()
        pdf.save(out, encryption=pikepdf.Encryption(owner="o", user="u"))
        return out.getvalue()


def empty_pdf() -> bytes:
    """A well-formed PDF without pages."""
    pdf = pikepdf.new()
    out = io.BytesIO()
    pdf.save(out)
    return out.getvalue()


def huge_png() -> bytes:
    out = io.BytesIO()
    Image.new("1", (20_000, 20_000), 1).save(out, "PNG")
    return out.getvalue()


def scan_over_hidden_text(text: str) -> bytes:
    """A full-page picture with a text layer drawn under it, as scanners' own OCR leaves."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5)
    canvas.drawString(50, 300, text)
    canvas.drawInlineImage(Image.new("L", (420, 595), 240), 0, 0, A5[0], A5[1])
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()
