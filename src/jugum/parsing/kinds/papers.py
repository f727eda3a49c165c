"""PDF files and pictures: opened, drawn, their words taken out. A few stay open, since pages are asked for one by
one."""

from __future__ import annotations

import contextlib
from typing import Any

import pikepdf  # noqa: F401 - loaded here, since nothing can be loaded later
from PIL import Image
from pydantic import TypeAdapter

from jugum.core.ocr.papers import Limits, Paper, open_paper, unlocked
from jugum.core.ocr.textlayer import TextLayer
from jugum.parsing.kinds import Answers, Kind

with contextlib.suppress(ImportError):
    import pi_heif  # noqa: F401 - an extra of the installation
Image.init()  # every decoder

LAYER = TypeAdapter(TextLayer | None)
_papers: dict[int, Paper] = {}


def _open(data: bytearray, handle: int, name: str, limits: dict[str, Any]) -> Answers:
    paper = open_paper(bytes(data), name, Limits(**limits))
    _papers[handle] = paper
    yield {"media_type": paper.media_type, "page_count": paper.page_count}, b""


def _close(data: bytearray, handle: int) -> Answers:
    _papers.pop(handle).close()
    yield from ()


def _size(data: bytearray, handle: int, index: int) -> Answers:
    yield _papers[handle].size_pt(index), b""


def _render(data: bytearray, handle: int, index: int, dpi: int, turn: int, grey: bool) -> Answers:
    pixels = _papers[handle].render(index, dpi, turn, grey=grey)
    yield pixels.shape, pixels.data


def _text_layer(data: bytearray, handle: int, index: int) -> Answers:
    yield LAYER.dump_python(_papers[handle].text_layer(index), mode="json"), b""


def _unlocked(data: bytearray, name: str, password: str) -> Answers:
    yield None, unlocked(bytes(data), name, password)


def _check(data: bytearray, name: str, limits: dict[str, Any]) -> Answers:
    open_paper(bytes(data), name, Limits(**limits)).close()
    yield None, b""


KIND = Kind(
    {
        "open": _open,
        "close": _close,
        "size": _size,
        "render": _render,
        "text_layer": _text_layer,
        "unlocked": _unlocked,
        "check": _check,
    }
)
