"""Test papers: mooring slips in three layouts, and files that are no papers. Nothing of the demo is used here."""

from __future__ import annotations

import io
import zipfile
from dataclasses import dataclass
from email.message import EmailMessage

import pikepdf
import pypdfium2 as pdfium
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
        (40, 500, "Paid by"),
        (160, 500, slip.member),
        (40, 475, "Date"),
        (160, 475, slip.day),
        (40, 450, "Berth"),
        (160, 450, "B 14"),
        (40, 425, "Deposit"),
        (160, 425, "50,00"),
        (40, 400, "Total"),
        (160, 400, slip.amount),
        (40, 350, "Valid until 31.12.2027"),
    ]


def _above(slip: Slip) -> list[tuple[int, int, str]]:
    return [
        (40, 500, "Member"),
        (40, 485, slip.member),
        (230, 500, "Paid on"),
        (230, 485, slip.day),
        (40, 440, "Fee per week"),
        (40, 425, "12,50"),
        (230, 440, "Amount"),
        (230, 425, slip.amount),
        (40, 380, "Printed 01.01.2020"),
    ]


def _table(slip: Slip) -> list[tuple[int, int, str]]:
    return [
        (40, 500, "Name"),
        (170, 500, "Day"),
        (280, 500, "Total"),
        (40, 480, slip.member),
        (170, 480, slip.day),
        (280, 480, slip.amount),
        (40, 440, "Carried over"),
        (280, 440, "0,00"),
    ]


_LAYOUTS = (_left, _above, _table)


def words_pdf(*lines: str, rotate: int = 0, white: str = "") -> bytes:
    """A PDF page with lines of text; `rotate` sets the page's /Rotate, `white` is drawn white on white."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    canvas.setFont("Helvetica", 12)
    for number, line in enumerate(lines):
        canvas.drawString(50, 500 - 24 * number, line)
    canvas.setFillGray(1)
    canvas.drawString(50, 100, white)
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


def drawn(pdf: bytes, dpi: int = 200) -> Image.Image:
    """The first page of a PDF as a grey picture."""
    document = pdfium.PdfDocument(pdf)
    try:
        return document[0].render(scale=dpi / 72).to_pil().convert("L")
    finally:
        document.close()


def searchable_scan(*lines: str) -> bytes:
    """A scan with the right words hidden under it, where they stand."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5)
    canvas.setFont("Helvetica", 12)
    for number, line in enumerate(lines):
        canvas.drawString(50, 500 - 24 * number, line)
    canvas.drawInlineImage(drawn(words_pdf(*lines)), 0, 0, *A5)
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def mixed_pdf(heading: str, lines: tuple[str, ...]) -> bytes:
    """A heading as text, and below it a picture with lines of text that covers a third of the page."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5)
    canvas.setFont("Helvetica", 14)
    canvas.drawString(50, 540, heading)
    picture = drawn(words_pdf(*lines))
    canvas.drawInlineImage(picture.crop((0, 200, picture.width, 650)), 0, 200, A5[0], A5[0] * 450 / picture.width)
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def form_pdf() -> bytes:
    """A form with a text field ("Oddny Strand"), a ticked box and an empty one."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5)
    canvas.drawString(50, 520, "Name of the member")
    canvas.acroForm.textfield(name="member", value="Oddny Strand", x=50, y=480, width=200, height=22)
    canvas.acroForm.checkbox(name="berth", checked=True, x=50, y=440, size=16)
    canvas.acroForm.checkbox(name="winter", checked=False, x=50, y=400, size=16)
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def many_pages(count: int, *, scans: bool = False) -> bytes:
    """A PDF of `count` pages, each with its number; as pictures of text when `scans`."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5)
    for number in range(1, count + 1):
        if scans:
            canvas.drawInlineImage(drawn(words_pdf(f"Scanned sheet number {number}"), 100), 0, 0, *A5)
        else:
            canvas.drawString(50, 500, f"Sheet number {number}")
        canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def joined(*pdfs: bytes | None) -> bytes:
    """One PDF of several; None is a blank page."""
    made = pikepdf.new()
    for pdf in pdfs:
        if pdf is None:
            made.add_blank_page(page_size=A5)
        else:
            with pikepdf.open(io.BytesIO(pdf)) as opened:
                made.pages.extend(opened.pages)
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def zipped(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def mail(subject: str, text: str, files: dict[str, bytes]) -> bytes:
    message = EmailMessage()
    message["From"], message["To"], message["Subject"] = "Oddny <oddny@example.org>", "papers@example.org", subject
    message["Date"] = "Mon, 16 Nov 2026 09:12:00 +0100"
    message.set_content(text)
    for name, data in files.items():
        message.add_attachment(data, maintype="application", subtype="octet-stream", filename=name)
    return message.as_bytes()
