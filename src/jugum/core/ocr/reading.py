"""Reading one page: text layer where it is sound, else straighten and OCR."""

from __future__ import annotations

import io
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt
from PIL import Image

from jugum.core.ocr.engines import Engine
from jugum.core.ocr.papers import Paper
from jugum.core.ocr.upright import lies_sideways, line_crops, skew_of, straightened
from jugum.core.page import Page, PageSource, Word, reading_order

Pixels = npt.NDArray[np.uint8]
VIEW_DPI = 130
SMALL_VIEW_DPI = 220
VIEW_SIDE_MAX = 2200  # pixels
OCR_DPI = 200
SMALL_PRINT_DPI = 300
SMALL_PAGE_PT = 450  # a page whose long side is under 16 cm is a card or slip: small print
OCR_SIDE_MAX = 3600  # pixels
VOTE_MARGIN = 0.15


@dataclass(frozen=True)
class ReadPage:
    """A page as read, and the picture (JPEG bytes) of it as a person sees it: upright and straight."""

    page: Page
    view: bytes
    view_size: tuple[int, int]


def read_page(paper: Paper, index: int, engine: Engine) -> ReadPage:
    """Read page `index` (from 0). A blank page gives a page without words, never an error."""
    layer = paper.text_layer(index)
    if layer is not None and not layer.unsound:
        width_pt, height_pt = _turned(paper.size_pt(index), layer.turn)
        words = reading_order(layer.words)
        page = Page(index + 1, width_pt, height_pt, words, PageSource.TEXT_LAYER, layer.turn)
        return _with_view(page, paper.render(index, _view_dpi(width_pt, height_pt), layer.turn))
    return _read_picture(paper, index, engine)


def _turned(size: tuple[float, float], turn: int) -> tuple[float, float]:
    return (size[1], size[0]) if turn % 180 else size


def _view_dpi(width_pt: float, height_pt: float) -> int:
    long_side = max(width_pt, height_pt)
    wanted = VIEW_DPI if long_side > SMALL_PAGE_PT else SMALL_VIEW_DPI
    return max(20, min(wanted, int(VIEW_SIDE_MAX * 72 / long_side)))


def _read_picture(paper: Paper, index: int, engine: Engine) -> ReadPage:
    size = paper.size_pt(index)
    dpi = SMALL_PRINT_DPI if max(size) < SMALL_PAGE_PT else OCR_DPI
    dpi = max(20, min(dpi, int(OCR_SIDE_MAX * 72 / max(size))))
    pixels = paper.render(index, dpi)
    turn = 0
    if lies_sideways(_grey(pixels)):
        turn, pixels = 90, _clockwise(pixels, 90)
    skew = skew_of(_grey(pixels))
    pixels = straightened(pixels, skew)
    pixels, words, more = _right_way_up(pixels, engine)
    turn = (turn + more) % 360
    width_pt, height_pt = _turned(size, turn)
    page = Page(index + 1, width_pt, height_pt, reading_order(words), PageSource.OCR, turn, round(skew, 2))
    return _with_view(page, _resized(pixels, _view_dpi(width_pt, height_pt) / dpi))


def _right_way_up(pixels: Pixels, engine: Engine) -> tuple[Pixels, list[Word], int]:
    """Ask the engine which end is up; where it can't tell, read both ways and keep the better one."""
    grey = _grey(pixels)
    vote = engine.upside_down(line_crops(grey))
    if vote > VOTE_MARGIN:
        pixels = _clockwise(pixels, 180)
        return pixels, engine.read(_grey(pixels)), 180
    words = engine.read(grey)
    if vote >= -VOTE_MARGIN and words:
        turned = _clockwise(pixels, 180)
        others = engine.read(_grey(turned))
        if _worth(others) > 1.1 * _worth(words):
            return turned, others, 180
    return pixels, words, 0


def _worth(words: list[Word]) -> float:
    """How much was read and how surely: letters and digits, each counting its word's confidence squared."""
    return sum(word.confidence**2 * sum(letter.isalnum() for letter in word.text) for word in words)


def _grey(pixels: Pixels) -> Pixels:
    return np.asarray(cv2.cvtColor(pixels, cv2.COLOR_RGB2GRAY), dtype=np.uint8)


def _clockwise(pixels: Pixels, turn: int) -> Pixels:
    return np.ascontiguousarray(np.rot90(pixels, -(turn // 90)))


def _resized(pixels: Pixels, scale: float) -> Pixels:
    if abs(scale - 1) < 0.02:
        return pixels
    return np.asarray(cv2.resize(pixels, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), dtype=np.uint8)


def _with_view(page: Page, pixels: Pixels) -> ReadPage:
    view, size = page_view(pixels)
    return ReadPage(page, view, size)


def page_view(pixels: Pixels) -> tuple[bytes, tuple[int, int]]:
    """A page's picture for the screen: JPEG bytes and (width, height) in pixels."""
    buffer = io.BytesIO()
    Image.fromarray(pixels).save(buffer, "JPEG", quality=82, optimize=True)
    return buffer.getvalue(), (pixels.shape[1], pixels.shape[0])
