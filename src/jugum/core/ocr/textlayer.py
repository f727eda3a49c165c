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
BOLD_WEIGHT = 600  # of fonts, where 400 is regular and 700 bold
IMAGE_COVER_MAX = 0.5  # a picture over more of the page than this: its text layer came from somebody's OCR
ODD_CHARACTERS_MAX = 0.03  # a symbol here and there is meant; broken encodings show everywhere
OUTSIDE_MAX = 0.05  # of a text layer may lie beside the page: trimmed prints have some
BARE_PICTURE_LEAST = 0.015  # share of the page; a smaller picture is an ornament
WORDLIKE_LEAST = 0.6  # of the longer words; abbreviations and names are no words either
VOWELS = (
    0.29,
    0.56,
)  # shares of letters, over languages in Latin, Greek and Cyrillic script; outside of it the picture is asked
BARS_LEAST = 20  # bar codes are drawn of more paths than that


@dataclass(frozen=True)
class TextLayer:
    """Words of a page's text layer, upright after turning the page by `turn` degrees clockwise.

    `unsound` says why it can't be used (empty when it can); `doubt` says why it must be compared with the picture
    before it is used; `pictures` are the places of pictures on the turned page that no word of the layer lies on;
    `drawn` tells that the page holds pictures or drawings that may be bar codes, `ruled` that it holds enough
    drawings to enclose a cell.
    """

    words: tuple[Word, ...]
    turn: int
    unsound: str = ""
    doubt: str = ""
    pictures: tuple[Box, ...] = ()
    drawn: bool = False
    ruled: bool = False


def text_layer(page: pdfium.PdfPage) -> TextLayer:
    """Read the text layer and judge it.

    It is unsound when there are no words, when over 3 % of its characters are replacement or private-use ones
    (broken font maps), or when over 5 % of its words lie outside the page. It is doubted when a picture covers over
    half the page (a scan with somebody's OCR under it), or when its words don't look like words.
    """
    textpage = page.get_textpage()
    try:
        turn = _turn(textpage, page.get_rotation())
        words, outside = _words(page, textpage, turn)
    finally:
        textpage.close()
    unsound = _unsound(words, outside)
    if unsound:
        return TextLayer(tuple(words), turn, unsound)
    boxes = _picture_boxes(page, turn)
    covered = max((box.area for box in boxes), default=0.0)
    doubt = "a picture with text hidden under it" if covered > IMAGE_COVER_MAX else _strange(words)
    bare = tuple(
        box
        for box in boxes
        if BARE_PICTURE_LEAST < box.area <= IMAGE_COVER_MAX
        and not any(box.contains(*word.box.middle) for word in words)
    )
    paths = _paths(page)
    drawn = bool(boxes) or paths >= BARS_LEAST
    return TextLayer(tuple(words), turn, "", doubt, bare, drawn, bool(boxes) or paths > 0)


def _unsound(words: list[Word], outside: int) -> str:
    if not words:
        return "no text layer"
    if outside > OUTSIDE_MAX * (outside + len(words)):
        return "text lies outside the page"
    letters = "".join(word.text for word in words)
    odd = sum(1 for letter in letters if letter == "\ufffd" or unicodedata.category(letter) in ("Co", "Cn", "Cc"))
    return "characters without meaning" if odd > ODD_CHARACTERS_MAX * len(letters) else ""


def _strange(words: list[Word]) -> str:
    """A doubt when too few of the longer words look like words: a vowel at least every six letters, case not mixed
    within."""
    longer = [
        word.text for word in words if len(word.text) >= 4 and sum(map(str.isalpha, word.text)) > 0.7 * len(word.text)
    ]
    if len(longer) < 5:
        letters = "".join(word.text for word in words)
        return "" if sum(map(str.isalnum, letters)) > 0.5 * len(letters) else "hardly any letters"
    good = sum(1 for text in longer if _like_a_word(text))
    said = [letter for text in longer for letter in text.lower() if letter.isalpha()]
    vowels = sum(map(_is_vowel, said)) / len(said)
    likely = good >= WORDLIKE_LEAST * len(longer) and (len(said) < 60 or VOWELS[0] <= vowels <= VOWELS[1])
    return "" if likely else "words that are none"


_VOWELS = frozenset("aeiouyäöüåæøáéíóúàèìòùâêîôûëïãõőűąęěůýœıαεηιουωаеиоуыэюяіїє")


def _like_a_word(text: str) -> bool:
    letters = [letter for letter in text if letter.isalpha()]
    core = "".join(letters)
    if not (core.islower() or core.isupper() or core[1:].islower() or core[1:].isupper()):
        return False
    without = 0
    for letter in core.lower():
        without = 0 if _is_vowel(letter) else without + 1
        if without > 6:
            return False
    return without < len(core)


def _is_vowel(letter: str) -> bool:
    return letter in _VOWELS or unicodedata.normalize("NFD", letter)[0] in _VOWELS


def _paths(page: pdfium.PdfPage) -> int:
    """How many paths are drawn on the page, counted no further than is needed."""
    count = 0
    for index in range(min(2000, c.FPDFPage_CountObjects(page))):
        count += c.FPDFPageObj_GetType(c.FPDFPage_GetObject(page, index)) == c.FPDF_PAGEOBJ_PATH
        if count >= BARS_LEAST:
            break
    return count


def _picture_boxes(page: pdfium.PdfPage, turn: int) -> list[Box]:
    """Places of the pictures on the turned page."""
    boxes = []
    rect = c.FS_RECTF()
    for item in page.get_objects(filter=[c.FPDF_PAGEOBJ_IMAGE], max_depth=3):
        rect.left, rect.bottom, rect.right, rect.top = item.get_bounds()
        box = on_page(page, turn, rect)
        boxes.append(Box(*(min(1.0, max(0.0, side)) for side in box)))
    return boxes


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
    characters = _characters(page, textpage, turn)
    words: list[Word] = []
    known: dict[tuple[int, bytes], bool] = {}
    outside = start = 0
    for place in range(1, len(characters) + 1):
        ended = place == len(characters) or _breaks(characters[place - 1], characters[place])
        if not ended:
            continue
        piece = [character for character in characters[start:place] if character[1]]
        start = place
        if not piece:
            continue
        box = Box(
            min(letter[2] for letter in piece),
            min(letter[3] for letter in piece),
            max(letter[4] for letter in piece),
            max(letter[5] for letter in piece),
        )
        middle_x, middle_y = box.middle
        if not (0 <= middle_x <= 1 and 0 <= middle_y <= 1):
            outside += 1
            continue
        text = unicodedata.normalize("NFKC", "".join(letter[1] for letter in piece))
        bold = _is_bold(textpage, piece[len(piece) // 2][0], known)
        words.append(Word(text, Box(*(min(1.0, max(0.0, side)) for side in box)), 1.0, bold))
    return words, outside


# A character: its index in PDFium's list, its text ("" for a blank), x0, y0, x1, y1. A plain tuple: thousands are made
# a page.
_Character = tuple[int, str, float, float, float, float]


def _breaks(last: _Character, new: _Character) -> bool:
    """Whether a new word begins: at a blank, and where none was drawn at a jump back, to another line, or over a
    gap."""
    if not last[1] or not new[1]:
        return True
    height = max(last[5] - last[3], new[5] - new[3])
    if abs(last[3] + last[5] - new[3] - new[5]) > 1.4 * height:
        return True
    gap = new[2] - last[4]
    # Widths and heights are fractions of different sides; letters are about half as wide as high on upright A4.
    letter = max(last[4] - last[2], new[4] - new[2], 0.35 * height)
    return gap > 0.6 * letter or gap < -2.5 * letter


def _characters(page: pdfium.PdfPage, textpage: pdfium.PdfTextPage, turn: int) -> list[_Character]:
    """All characters in the order they were drawn, boxes in fractions of the turned page."""
    unicode_at, box_at, raw = c.FPDFText_GetUnicode, c.FPDFText_GetLooseCharBox, textpage.raw
    rect = c.FS_RECTF()
    there = ctypes.byref(rect)
    x0, y0, ax, bx, ay, by = _to_page(page, turn)
    found: list[_Character] = []
    for index in range(textpage.count_chars()):
        code = unicode_at(raw, index)
        if code in (0, 2, 0xAD) or 0xD800 <= code < 0xE000:
            continue
        text = chr(code)
        if text.isspace():
            found.append((index, "", 0.0, 0.0, 0.0, 0.0))
        elif box_at(raw, index, there):
            left, right = x0 + ax * rect.left + bx * rect.top, x0 + ax * rect.right + bx * rect.bottom
            top, bottom = y0 + ay * rect.left + by * rect.top, y0 + ay * rect.right + by * rect.bottom
            found.append((index, text, min(left, right), min(top, bottom), max(left, right), max(top, bottom)))
    return found


def _to_page(page: pdfium.PdfPage, turn: int) -> tuple[float, float, float, float, float, float]:
    """Page space → fractions of the page as it is seen (crop box and /Rotate heeded) after `turn`: x = x0 + ax·px +
    bx·py."""
    x, y = ctypes.c_int(), ctypes.c_int()
    points = []
    for px, py in ((0.0, 0.0), (1000.0, 0.0), (0.0, 1000.0)):
        c.FPDF_PageToDevice(page, 0, 0, _GRID, _GRID, turn // 90, px, py, x, y)
        points.append((x.value / _GRID, y.value / _GRID))
    (x0, y0), (x1, y1), (x2, y2) = points
    return x0, y0, (x1 - x0) / 1000, (x2 - x0) / 1000, (y1 - y0) / 1000, (y2 - y0) / 1000


def on_page(page: pdfium.PdfPage, turn: int, rect: c.FS_RECTF) -> Box:
    """A rectangle of page space → fractions of the page as it is seen after `turn`."""
    x0, y0, ax, bx, ay, by = _to_page(page, turn)
    left, right = x0 + ax * rect.left + bx * rect.top, x0 + ax * rect.right + bx * rect.bottom
    top, bottom = y0 + ay * rect.left + by * rect.top, y0 + ay * rect.right + by * rect.bottom
    return Box(min(left, right), min(top, bottom), max(left, right), max(top, bottom))


def _is_bold(textpage: pdfium.PdfTextPage, index: int, known: dict[tuple[int, bytes], bool]) -> bool:
    """By the weight or the name of the font of one character."""
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
