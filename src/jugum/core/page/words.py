"""What stands on a page."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum
from typing import TypedDict

from jugum.core.page.geometry import Box


class PageSource(StrEnum):
    """Where a page's words came from."""

    TEXT_LAYER = "text layer"
    OCR = "ocr"
    MIXED = "mixed"  # a text layer, and pictures on the page that were read


class WordKind(StrEnum):
    """What a word was read from, where that is not print: a bar or QR code, or a field of a PDF form."""

    TEXT = "text"
    BARCODE = "barcode"
    FORM = "form field"


@dataclass(frozen=True, slots=True)
class Word:
    """One word: its text without blanks, its box, how sure the reading is (0–1), whether it is bold, and its kind. What
    a bar code says is one word, blanks and all.

    `cell` is the number of the ruled cell on the page that it stands in (−1: in none); `differs` tells that a second
    reading has another text at its place, `by_hand` that it was written by a pen.
    """

    text: str
    box: Box
    confidence: float = 1.0
    bold: bool = False
    kind: WordKind = WordKind.TEXT
    cell: int = -1
    differs: bool = False
    by_hand: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """An upright page.

    `words` stand in reading order, so that a word is known by (page number, index). `width_pt` and `height_pt`
    are in points (1/72 inch) and give fractions of the page a length; `rotation` is how many degrees clockwise
    the received page was turned to stand upright, `skew` how many degrees its lines leant after that. `month_first`
    tells how dates in digits are read on its paper (03/04 is 4 March), None where nobody knows.
    """

    number: int
    width_pt: float
    height_pt: float
    words: tuple[Word, ...]
    source: PageSource = PageSource.TEXT_LAYER
    rotation: int = 0
    skew: float = 0.0
    month_first: bool | None = None

    @property
    def mean_confidence(self) -> float:
        """Mean reading confidence over characters (0–1); 0 for a page without words."""
        letters = sum(len(word.text) for word in self.words)
        return sum(word.confidence * len(word.text) for word in self.words) / letters if letters else 0.0


class HowRead(TypedDict):
    """How well some words together were read: as well as the worst of them."""

    confidence: float
    differs: bool
    by_hand: bool


def how_read(words: Sequence[Word]) -> HowRead:
    """The least confidence of words (at least one), whether a second reading has any otherwise, and whether any was
    written by hand."""
    return HowRead(
        confidence=min(word.confidence for word in words),
        differs=any(word.differs for word in words),
        by_hand=any(word.by_hand for word in words),
    )


def text_of(words: Sequence[Word]) -> str:
    """The words' texts joined by single blanks."""
    return " ".join(word.text for word in words)
