"""Values typed into the fields of a PDF form (AcroForm, ISO 32000-1 §12.7), as words at the place of their fields."""

from __future__ import annotations

import ctypes

import pypdfium2 as pdfium
import pypdfium2.raw as c

from jugum.core.ocr.textlayer import on_page
from jugum.core.page import Box, Word, WordKind

TICKED, EMPTY = "☒", "☐"
_MARKED = (c.FPDF_FORMFIELD_CHECKBOX, c.FPDF_FORMFIELD_RADIOBUTTON)
_WRITTEN = (c.FPDF_FORMFIELD_TEXTFIELD, c.FPDF_FORMFIELD_COMBOBOX, c.FPDF_FORMFIELD_LISTBOX)


def form_words(document: pdfium.PdfDocument, page: pdfium.PdfPage, turn: int) -> list[Word]:
    """Words of the page's form fields; a tick box gives "☒" or "☐". Empty for a document without a form."""
    if document.formenv is None:
        return []
    form = document.formenv.raw
    words: list[Word] = []
    for index in range(c.FPDFPage_GetAnnotCount(page)):
        annotation = c.FPDFPage_GetAnnot(page, index)
        try:
            words.extend(_words(form, page, annotation, turn))
        finally:
            c.FPDFPage_CloseAnnot(annotation)
    return words


def _words(form: object, page: pdfium.PdfPage, annotation: object, turn: int) -> list[Word]:
    kind = c.FPDFAnnot_GetFormFieldType(form, annotation)
    if kind not in _MARKED and kind not in _WRITTEN:
        return []
    rect = c.FS_RECTF()
    if not c.FPDFAnnot_GetRect(annotation, rect):
        return []
    box = on_page(page, turn, rect)
    if kind in _MARKED:
        text = TICKED if c.FPDFAnnot_IsChecked(form, annotation) else EMPTY
        return [Word(text, box, 1.0, False, WordKind.FORM)]
    return _spread(_value(form, annotation), box)


def _value(form: object, annotation: object) -> str:
    size = c.FPDFAnnot_GetFormFieldValue(form, annotation, None, 0)
    buffer = ctypes.create_string_buffer(max(2, size))
    c.FPDFAnnot_GetFormFieldValue(
        form, annotation, ctypes.cast(buffer, ctypes.POINTER(ctypes.c_ushort)), ctypes.c_ulong(size)
    )
    # PDFium counts bytes, with the two of the end
    return buffer.raw[: max(0, size - 2)].decode("utf-16-le", errors="replace").strip("\x00")


def _spread(value: str, box: Box) -> list[Word]:
    """The value's words over the field's box: lines share its height, words their line's width by their letters.
    PDFium does not tell where they are drawn; a field's text starts at its left."""
    lines = [line.split() for line in value.replace("\r", "\n").split("\n") if line.strip()]
    words = []
    for number, line in enumerate(lines):
        letters = sum(map(len, line)) + len(line) - 1
        high = box.height / len(lines)
        # a letter is about half as wide as its line is high; long texts are squeezed
        letter = min(box.width / max(1, letters), 0.45 * high)
        x = box.x0
        for text in line:
            y0 = box.y0 + number * high
            words.append(Word(text, Box(x, y0, x + letter * len(text), y0 + high), 1.0, False, WordKind.FORM))
            x += letter * (len(text) + 1)
    return words
