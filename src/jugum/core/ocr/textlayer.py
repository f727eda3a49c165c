"""Words from a PDF's own text, and whether that text can be trusted.

Per-character boxes from PDFium cost a few milliseconds a page, a hundredth of OCR.
"""

from __future__ import annotations

import ctypes
import math
import unicodedata
from collections import Counter
from dataclasses import dataclass

import pypdfium2 as pdfium
import pypdfium2.raw as c

from jugum.core.page import Box, Word

_GRID = 1_000_000  # device units that a page side is mapped to
BOLD_WEIGHT = 600
IMAGE_COVER_MAX = 0.5  # a picture over more of the page than this: its text layer came from somebody's OCR
ODD_CHARACTERS_MAX = 0.03
OUTSIDE_MAX = 0.05


@dataclass(frozen=True)
class TextLayer:
    """Words of a page's text layer, upright after turning the page by `turn` degrees clockwise, and `unsound`: why
    the layer can't be trusted (empty when it can)."""

    words: tuple[Word, ...]
    turn: int
    unsound: str


@dataclass(frozen=True, slots=True)
class _Character:
    text: str
    box: Box
    bold: bool


def text_layer(page: pdfium.PdfPage) -> TextLayer:
    """Read the text layer and judge it.

    It is unsound when there are no words, when a picture covers over half the page (a scan with a hidden layer of
    unknown quality), when over 3 % of its characters are replacement or private-use ones (broken font maps), or when
    over 5 % of its words lie outside the page.
    """
    textpage = page.get_textpage()
    try:
        turn = _turn(textpage, page.get_rotation())
        words, outside = _words(page, textpage, turn)
    finally:
        textpage.close()
    return TextLayer(tuple(words), turn, _unsound(page, words, outside))


def _unsound(page: pdfium.PdfPage, words: list[Word], outside: int) -> str:
    if not words:
        return "no text layer"
    if outside > OUTSIDE_MAX * (outside + len(words)):
        return "text lies outside the page"
    letters = "".join(word.text for word in words)
    odd = sum(1 for letter in letters if letter == "\ufffd" or unicodedata.category(letter) in ("Co", "Cn", "Cc"))
    if odd > ODD_CHARACTERS_MAX * len(letters):
        return "characters without meaning"
    if _image_cover(page) > IMAGE_COVER_MAX:
        return "a picture with text hidden under it"
    return ""


def _image_cover(page: pdfium.PdfPage) -> float:
    """Share of the page (0–1) that its largest picture covers."""
    width, height = page.get_size()
    cover = 0.0
    for item in page.get_objects(filter=[c.FPDF_PAGEOBJ_IMAGE], max_depth=3):
        left, bottom, right, top = item.get_bounds()
        cover = max(cover, (right - left) * (top - bottom) / (width * height))
    return cover


def _turn(textpage: pdfium.PdfTextPage, rotation: int) -> int:
    """Degrees clockwise to turn the page so that most of its characters stand upright: 0, 90, 180 or 270."""
    count = textpage.count_chars()
    step = max(1, count // 400)
    votes = Counter(
        round(math.degrees(c.FPDFText_GetCharAngle(textpage, index)) / 90) * 90 % 360 for index in range(0, count, step)
    )
    # PDFium measures the angle clockwise in page space, /Rotate aside; what leans by both is turned back by both.
    return (360 - votes.most_common(1)[0][0] - rotation) % 360 if votes else 0


def _words(page: pdfium.PdfPage, textpage: pdfium.PdfTextPage, turn: int) -> tuple[list[Word], int]:
    """Words with boxes in fractions of the turned page, and how many more lie outside of it."""
    words: list[Word] = []
    pending: list[_Character] = []
    outside = 0
    for character in [*_characters(page, textpage, turn), None]:
        if pending and (character is None or not character.text.strip() or _breaks(pending[-1], character)):
            word = _joined(pending)
            pending = []
            middle_x, middle_y = word.box.middle
            if 0 <= middle_x <= 1 and 0 <= middle_y <= 1:
                words.append(word)
            else:
                outside += 1
        if character is not None and character.text.strip():
            pending.append(character)
    return words, outside


def _breaks(last: _Character, new: _Character) -> bool:
    """Whether a new word begins although no blank was drawn: a jump back, to another line, or over a gap."""
    height = max(last.box.height, new.box.height)
    if abs(last.box.middle[1] - new.box.middle[1]) > 0.7 * height:
        return True
    gap = new.box.x0 - last.box.x1
    # Widths and heights are fractions of different sides; letters are about half as wide as high on upright A4.
    letter = max(last.box.width, new.box.width, 0.35 * height)
    return gap > 0.6 * letter or gap < -2.5 * letter


def _joined(characters: list[_Character]) -> Word:
    box = Box(
        min(one.box.x0 for one in characters),
        min(one.box.y0 for one in characters),
        max(one.box.x1 for one in characters),
        max(one.box.y1 for one in characters),
    )
    bold = sum(one.bold for one in characters) * 2 > len(characters)
    text = unicodedata.normalize("NFKC", "".join(one.text for one in characters))
    return Word(text, box, 1.0, bold)


def _characters(page: pdfium.PdfPage, textpage: pdfium.PdfTextPage, turn: int) -> list[_Character]:
    found: list[_Character] = []
    rect = c.FS_RECTF()
    bold_by_font: dict[tuple[int, bytes], bool] = {}
    for index in range(textpage.count_chars()):
        code = c.FPDFText_GetUnicode(textpage, index)
        if code in (0, 2, 0xAD) or 0xD800 <= code < 0xE000:
            continue
        text = chr(code)
        if not text.strip():
            found.append(_Character(" ", Box(0, 0, 0, 0), False))
            continue
        if not c.FPDFText_GetLooseCharBox(textpage, index, rect):
            continue
        box = _on_page(page, turn, rect)
        found.append(_Character(text, box, _is_bold(textpage, index, bold_by_font)))
    return found


def _on_page(page: pdfium.PdfPage, turn: int, rect: c.FS_RECTF) -> Box:
    """A rectangle of page space → fractions of the page as it is seen (crop box and /Rotate heeded) after `turn`."""
    x, y = ctypes.c_int(), ctypes.c_int()
    corners = []
    for px, py in ((rect.left, rect.top), (rect.right, rect.bottom)):
        c.FPDF_PageToDevice(page, 0, 0, _GRID, _GRID, turn // 90, px, py, x, y)
        corners.append((x.value / _GRID, y.value / _GRID))
    (x0, y0), (x1, y1) = corners
    return Box(min(x0, x1), min(y0, y1), max(x0, x1), max(y0, y1))


def _is_bold(textpage: pdfium.PdfTextPage, index: int, known: dict[tuple[int, bytes], bool]) -> bool:
    weight = c.FPDFText_GetFontWeight(textpage, index)
    if weight >= BOLD_WEIGHT:
        return True
    name = ctypes.create_string_buffer(64)
    flags = ctypes.c_int()
    c.FPDFText_GetFontInfo(textpage, index, name, 64, flags)
    key = (weight, name.value)
    if key not in known:
        known[key] = b"bold" in name.value.lower()
    return known[key]
