"""Words in from ALTO XML (versions 2 to 4): what another reader read from the same pages."""

from __future__ import annotations

from typing import Any

from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from jugum.core.page import Box, Word, reading_order
from jugum.errors import InputError


def words_from_alto(data: bytes) -> list[tuple[Word, ...]]:
    """The words of each page, boxes in fractions of the page's WIDTH and HEIGHT, in reading order; a word's
    confidence is its WC, 1 where none is given. InputError for what is no ALTO, or has pages without a size."""
    try:
        root = ElementTree.fromstring(data)
    except (ElementTree.ParseError, DefusedXmlException, ValueError) as error:
        raise InputError("This is not readable XML.") from error
    if _tag(root) != "alto":
        raise InputError(f"This is not an ALTO file: its root is “{_tag(root)}”.")
    pages = [element for element in root.iter() if _tag(element) == "Page"]
    if not pages:
        raise InputError("The ALTO file has no pages.")
    return [_words(page, number) for number, page in enumerate(pages, start=1)]


def _tag(element: Any) -> str:
    return str(element.tag).rsplit("}", 1)[-1]


def _words(page: Any, number: int) -> tuple[Word, ...]:
    try:
        width, height = float(page.get("WIDTH")), float(page.get("HEIGHT"))
        if width <= 0 or height <= 0:
            raise ValueError("no size")
        words = [
            _word(element, width, height)
            for element in page.iter()
            if _tag(element) == "String" and element.get("CONTENT")
        ]
    except (TypeError, ValueError) as error:
        raise InputError(f"Page {number} of the ALTO file has no size, or a word without a place.") from error
    return reading_order(words)


def _word(one: Any, width: float, height: float) -> Word:
    x, y, w, h = (float(one.get(name)) for name in ("HPOS", "VPOS", "WIDTH", "HEIGHT"))
    sides = (x / width, y / height, (x + w) / width, (y + h) / height)
    x0, y0, x1, y1 = (min(1.0, max(0.0, side)) for side in sides)
    return Word(str(one.get("CONTENT")), Box(x0, y0, x1, y1), min(1.0, max(0.0, float(one.get("WC") or 1.0))))
