"""Reading one page: its text layer where that is sound, else the picture, straightened and read by an engine."""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image
from rapidfuzz import fuzz

from jugum.core.ocr.barcodes import barcodes
from jugum.core.ocr.combs import without_combs
from jugum.core.ocr.engines import Engine
from jugum.core.ocr.letter_boxes import with_letter_boxes
from jugum.core.ocr.papers import Paper
from jugum.core.ocr.rules import in_cells, ruling_of
from jugum.core.ocr.textlayer import TextLayer
from jugum.core.ocr.upright import flattened, lies_sideways, line_crops, skew_of, straightened
from jugum.core.page import Box, Page, PageSource, Word, WordKind, reading_order, rows_of, union

Pixels = npt.NDArray[np.uint8]
VIEW_DPI = 130  # of the picture that people see; small print can still be read
SMALL_VIEW_DPI = 220  # cards and slips, whose print is small
VIEW_SIDE_MAX = 2200  # pixels
PEEK_DPI = 60  # of the small picture in lists, from which the way up is told as well
CODE_DPI = 150  # bar codes are found at it (see SIDE_MAX of barcodes.py)
RULE_SIDE = 1300  # pixels of a scan's longer side when ruled cells are looked for
OCR_DPI = 200  # letters of ten points have 28 pixels (decision 0006)
SMALL_PRINT_DPI = 300  # cards and slips, whose print is half as large
SMALL_PAGE_PT = 450  # a page whose long side is under 16 cm is a card or slip: small print
OCR_SIDE_MAX = 3600  # pixels
VOTE_MARGIN = 0.15  # a page is turned over only when lines say so clearly: turning one wrongly loses all of it
INK_CONTRAST = 22  # grey levels within a word's box, at 60 dpi; white on white and what lies under a picture has less
HIDDEN_MAX = 0.3  # share of words that nobody can see from which a text layer is not believed
SAMPLE_AGREES = 80  # of 100, between a text layer and what is read off the picture at the same place


@dataclass(frozen=True)
class How:
    """How pages are to be read. `turn` fixes the rotation (degrees clockwise) instead of finding it; `text_layer`
    False reads the picture in any case; `dpi` overrides the resolution; `contrast` evens out light and noise first.
    """

    text_layer: bool = True
    turn: int | None = None
    dpi: int | None = None
    contrast: bool = False


@dataclass(frozen=True)
class ReadPage:
    """A page as read, a small picture of it (JPEG bytes, about 60 dpi), and what was noticed on the way ("" when
    nothing)."""

    page: Page
    peek: bytes
    note: str = ""


def read_page(paper: Paper, index: int, engine: Engine, how: How | None = None) -> ReadPage:
    """Read page `index` (from 0). A blank page gives a page without words, never an error."""
    how = how or How()
    note = ""
    if how.text_layer:
        layer = paper.text_layer(index)
        if layer is not None and not layer.unsound:
            read = _read_layer(paper, index, layer, engine, how)
            if isinstance(read, ReadPage):
                return read
            note = read
        elif layer is not None and layer.words:
            note = f"text layer not used: {layer.unsound}"
    return replace(_read_picture(paper, index, engine, how), note=note)


# ---- Text layers -----------------------------------------------------------------------------------------------------


def _read_layer(paper: Paper, index: int, layer: TextLayer, engine: Engine, how: How) -> ReadPage | str:
    """The page by its text layer, or why the layer is not used."""
    turn = layer.turn if how.turn is None else how.turn
    if turn != layer.turn:
        layer = _layer_turned(layer, (turn - layer.turn) % 360)
    size = _turned(paper.size_pt(index), turn)
    small = paper.render(index, PEEK_DPI, turn, grey=True)
    seen = [word for word in layer.words if word.kind is not WordKind.TEXT or _inked(small, word.box)]
    hidden = len(layer.words) - len(seen)
    if hidden > HIDDEN_MAX * len(layer.words):
        return f"text layer not used: {hidden} of its {len(layer.words)} words can't be seen on the page"
    if layer.doubt:
        agrees = _sampled_agreement(paper, index, layer, turn, engine)
        if agrees < SAMPLE_AGREES:
            return f"text layer not used: {layer.doubt}, {agrees:.0f} % like the picture"
    words, source = seen, PageSource.TEXT_LAYER
    more = [word for box in layer.pictures for word in _picture_words(paper, index, turn, box, engine)]
    if more:
        words, source = [*words, *more], PageSource.MIXED
    if layer.drawn:
        words = _with_codes(words, barcodes(paper.render(index, CODE_DPI, turn, grey=True)))
    if layer.ruled:
        words = in_cells(words, ruling_of(small).cells, size)
    note = f"{hidden} hidden words left out" if hidden else ""
    page = Page(index + 1, *size, reading_order(without_combs(words, size)), source, turn)
    return ReadPage(page, picture_bytes(small, 60), note)


def _inked(small: Pixels, box: Box) -> bool:
    """Whether something is drawn at a word's place, on the page at 60 dpi."""
    height, width = small.shape
    x0, x1 = int(box.x0 * width), math.ceil(box.x1 * width)
    y0, y1 = int(box.y0 * height), math.ceil(box.y1 * height)
    crop = small[max(0, y0 - 1) : y1 + 1, max(0, x0 - 1) : x1 + 1]
    return bool(crop.size) and int(crop.max()) - int(crop.min()) >= INK_CONTRAST


def _sampled_agreement(paper: Paper, index: int, layer: TextLayer, turn: int, engine: Engine) -> float:
    """0–100: how alike the text layer and the picture are on three bands of the page with the most text."""
    grey = paper.render(index, _ocr_dpi(paper.size_pt(index), None), turn, grey=True)
    rows = rows_of(layer.words)
    bands = sorted(
        (rows[start : start + 3] for start in range(0, len(rows), 3)),
        key=lambda band: -sum(len(layer.words[n].text) for row in band for n in row),
    )[:3]
    said, read = [], []
    for band in bands:
        words = [layer.words[n] for row in band for n in row]
        box = union(word.box for word in words)
        margin = 0.6 * max(word.box.height for word in words)
        crop = _cut(grey, Box(0.0, box.y0 - margin, 1.0, box.y1 + margin))
        said.append(" ".join(sorted(word.text for word in words)))
        read.append(" ".join(sorted(word.text for word in engine.read(crop))))
    return float(fuzz.ratio(" ".join(said), " ".join(read)))


def _picture_words(paper: Paper, index: int, turn: int, box: Box, engine: Engine) -> list[Word]:
    """Words of a picture on a page whose other words come from its text layer."""
    grey = _cut(paper.render(index, _ocr_dpi(paper.size_pt(index), None), turn, grey=True), box)
    words = engine.read(grey) if len(line_crops(grey, 3)) >= 2 else []
    return [replace(word, box=_within(word.box, box)) for word in words]


def _layer_turned(layer: TextLayer, more: int) -> TextLayer:
    def turned(box: Box) -> Box:
        for _ in range(more // 90):
            box = Box(1 - box.y1, box.x0, 1 - box.y0, box.x1)
        return box

    words = tuple(replace(word, box=turned(word.box)) for word in layer.words)
    return replace(layer, words=words, turn=(layer.turn + more) % 360, pictures=tuple(map(turned, layer.pictures)))


# ---- Pictures --------------------------------------------------------------------------------------------------------


def _read_picture(paper: Paper, index: int, engine: Engine, how: How) -> ReadPage:
    size = paper.size_pt(index)
    grey = paper.render(index, _ocr_dpi(size, how.dpi), grey=True)
    turn = 0
    if how.turn is not None:
        turn, grey = how.turn, _clockwise(grey, how.turn)
    elif lies_sideways(grey):
        turn, grey = 90, _clockwise(grey, 90)
    skew = skew_of(grey)
    grey = straightened(grey, skew)
    if how.contrast:
        grey = flattened(grey)
    if how.turn is None:
        grey, words, more = _right_way_up(grey, engine)
        turn = (turn + more) % 360
    else:
        words = engine.read(grey)
    words = _with_codes(words, barcodes(grey))
    size = _turned(size, turn)
    cells = ruling_of(grey, RULE_SIDE).cells
    words = with_letter_boxes(grey, in_cells(words, cells, size), cells, size, engine)
    words = without_combs(words, size)
    page = Page(index + 1, *size, reading_order(words), PageSource.OCR, turn, round(skew, 2))
    return ReadPage(page, picture_bytes(_shrunk_to(grey, PEEK_DPI, page), 60))


def _with_codes(words: list[Word], codes: list[Word]) -> list[Word]:
    """Bars read as letters are dropped where a code was read."""
    if not codes:
        return words
    kept = [word for word in words if not any(code.box.contains(*word.box.middle) for code in codes)]
    return [*kept, *codes]


def _right_way_up(grey: Pixels, engine: Engine) -> tuple[Pixels, list[Word], int]:
    """Ask the engine which end is up; where it can't tell, read both ways and keep the better one."""
    vote = engine.upside_down(line_crops(grey))
    if vote > VOTE_MARGIN:
        grey = _clockwise(grey, 180)
        return grey, engine.read(grey), 180
    words = engine.read(grey)
    if vote >= -VOTE_MARGIN and words:
        turned = _clockwise(grey, 180)
        others = engine.read(turned)
        if _worth(others) > 1.1 * _worth(words):
            return turned, others, 180
    return grey, words, 0


def _worth(words: Sequence[Word]) -> float:
    """How much was read and how surely: letters and digits, each counting its word's confidence squared."""
    return sum(word.confidence**2 * sum(letter.isalnum() for letter in word.text) for word in words)


# ---- The picture of a page as a person sees it: upright and straight -------------------------------------------------


def upright_picture(paper: Paper, index: int, page: Page, dpi: int | None = None, *, grey: bool = False) -> Pixels:
    """The page turned and straightened as it was read: H×W×3 (H×W when `grey`) at `dpi`, or as fits the screen."""
    dpi = dpi or _view_dpi(page.width_pt, page.height_pt)
    return straightened(paper.render(index, dpi, page.rotation, grey=grey), page.skew)


def reading_picture(paper: Paper, index: int, page: Page) -> Pixels:
    """The upright page in grey at the resolution it is read at."""
    return upright_picture(paper, index, page, _ocr_dpi((page.width_pt, page.height_pt), None), grey=True)


def region_picture(paper: Paper, index: int, page: Page, box: Box, dpi: int, *, grey: bool = False) -> Pixels:
    """A part of the upright page at `dpi` (as far as the limit of pixels allows)."""
    return _cut(upright_picture(paper, index, page, dpi, grey=grey), box)


def read_region(
    paper: Paper, index: int, page: Page, box: Box, engine: Engine, how: How | None = None
) -> tuple[Word, ...]:
    """Words of a part of an upright page, read again from the picture; boxes in fractions of the page, in reading
    order."""
    how = how or How()
    dpi = how.dpi or min(400, 2 * _ocr_dpi((page.width_pt, page.height_pt), None))
    grey = region_picture(paper, index, page, box, dpi, grey=True)
    if how.contrast:
        grey = flattened(grey)
    margin = 24  # the engines want some paper around what they read
    framed = cv2.copyMakeBorder(
        grey, margin, margin, margin, margin, cv2.BORDER_CONSTANT, value=(float(np.percentile(grey, 90)),)
    )
    words = engine.read(np.asarray(framed, dtype=np.uint8))
    high, wide = grey.shape

    def placed(inner: Box) -> Box:
        x0, x1 = ((x * (wide + 2 * margin) - margin) / wide for x in (inner.x0, inner.x1))
        y0, y1 = ((y * (high + 2 * margin) - margin) / high for y in (inner.y0, inner.y1))
        return _within(Box(*(min(1.0, max(0.0, side)) for side in (x0, y0, x1, y1))), box)

    found = [replace(word, box=placed(word.box)) for word in words]
    return reading_order([*found, *(replace(code, box=_within(code.box, box)) for code in barcodes(grey))])


def page_view(paper: Paper, index: int, page: Page) -> tuple[bytes, tuple[int, int]]:
    """A page's picture for the screen: JPEG bytes and (width, height) in pixels."""
    pixels = upright_picture(paper, index, page)
    return picture_bytes(pixels, 82), (pixels.shape[1], pixels.shape[0])


def view_size(page: Page) -> tuple[int, int]:
    """Width and height in pixels of the picture that `page_view` makes."""
    dpi = _view_dpi(page.width_pt, page.height_pt)
    return round(page.width_pt * dpi / 72), round(page.height_pt * dpi / 72)


def picture_bytes(pixels: Pixels, quality: int = 82) -> bytes:
    """Pixels as JPEG."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "JPEG", quality=quality)
    return buffer.getvalue()


def _view_dpi(width_pt: float, height_pt: float) -> int:
    long_side = max(width_pt, height_pt)
    wanted = VIEW_DPI if long_side > SMALL_PAGE_PT else SMALL_VIEW_DPI
    return max(20, min(wanted, int(VIEW_SIDE_MAX * 72 / long_side)))


def _ocr_dpi(size: tuple[float, float], wanted: int | None) -> int:
    dpi = wanted or (SMALL_PRINT_DPI if max(size) < SMALL_PAGE_PT else OCR_DPI)
    return max(20, min(dpi, int(OCR_SIDE_MAX * 72 / max(size))))


def _turned(size: tuple[float, float], turn: int) -> tuple[float, float]:
    return (size[1], size[0]) if turn % 180 else size


def _clockwise(pixels: Pixels, turn: int) -> Pixels:
    return np.ascontiguousarray(np.rot90(pixels, -(turn // 90)))


def _shrunk_to(grey: Pixels, dpi: int, page: Page) -> Pixels:
    size = (max(1, round(page.width_pt * dpi / 72)), max(1, round(page.height_pt * dpi / 72)))
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)


def _cut(pixels: Pixels, box: Box) -> Pixels:
    height, width = pixels.shape[:2]
    x0, x1 = max(0, int(box.x0 * width)), min(width, math.ceil(box.x1 * width))
    y0, y1 = max(0, int(box.y0 * height)), min(height, math.ceil(box.y1 * height))
    return np.ascontiguousarray(pixels[y0 : max(y1, y0 + 1), x0 : max(x1, x0 + 1)])


def _within(inner: Box, outer: Box) -> Box:
    """A box in fractions of `outer` → in fractions of the page."""
    return Box(
        outer.x0 + inner.x0 * outer.width,
        outer.y0 + inner.y0 * outer.height,
        outer.x0 + inner.x1 * outer.width,
        outer.y0 + inner.y1 * outer.height,
    )
