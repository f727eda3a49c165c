"""Words that a pen struck out or drew a ring around: how forms without boxes are answered ("single / married").

A strike is a line through the middle of a word that leaves no gap between its letters; a ring runs over and under
the word, bent, with ink at both its sides.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.ocr.upright import ink_mask
from jugum.core.page import Word

Grey = npt.NDArray[np.uint8]
Ink = npt.NDArray[np.bool_]
LETTERS_LEAST = 2  # of a word that may be struck: one letter with a bar is a letter
BAND = (0.3, 0.78)  # of a word's height, from above, that a strike lies in; below is underlining
BEYOND = 0.12  # of a word's height that a pen goes on at both ends, where no letter joins its neighbours
STRUCK_LEAST = 0.97  # share of a word's width that its strike covers
LEAN = 2  # pixels that a strike may lean up or down within a word
BLACK = 0.7  # share of a word's place that is ink where it was blacked out, or is light print on a dark ground
BARE = 0.3  # share of a place that is ink at most where nothing but a line is
RING_REACH, RING_INTO = 0.6, 0.2  # of a word's height: how far a ring stands off at most, and cuts into its corners
RING_LEAST = 0.85  # share of the word's width that is under the ring, and over it
RING_BEND = 0.06  # of the word's height that a ring is nearer at its ends than in its middle
SIDE_LEAST = 0.5  # share of the word's height beside which a ring has ink


@dataclass(frozen=True)
class WordMarks:
    """Numbers of a page's words that are struck out, and that have a ring around them."""

    struck: tuple[int, ...] = ()
    ringed: tuple[int, ...] = ()


def word_marks(grey: Grey, words: Sequence[Word]) -> WordMarks:
    """Struck and ringed words of an upright page, whose H×W picture shows `words` at their boxes."""
    mask = ink_mask(grey) > 0
    struck = _with_short_ones([_is_struck(mask, word) for word in words], words, mask)
    ringed = [number for number, word in enumerate(words) if not struck[number] and _is_ringed(mask, word)]
    return WordMarks(tuple(np.flatnonzero(struck).tolist()), tuple(ringed))


def _letters(word: Word) -> int:
    return sum(map(str.isalnum, word.text))


def _is_struck(mask: Ink, word: Word) -> bool:
    if _letters(word) < LETTERS_LEAST:
        return False
    x0, y0, x1, y1 = _pixels(mask, word)
    beyond = max(2, round(BEYOND * (y1 - y0)))
    x0, x1 = max(0, x0 - beyond), min(mask.shape[1], x1 + beyond)
    top, bottom = y0 + round(BAND[0] * (y1 - y0)), y0 + round(BAND[1] * (y1 - y0))
    band = mask[max(0, top - LEAN) : bottom + LEAN + 1, x0:x1]
    if band.shape[0] < 4 or band.shape[1] < 8 or band.any(axis=0).mean() < STRUCK_LEAST:
        return False
    return _line_through(band) >= STRUCK_LEAST and not _blacked_out(mask, x0, y0, x1, y1)


def _line_through(band: Ink) -> float:
    """The greatest share of a band's width that one line, level or leaning a little, has ink in."""
    width = band.shape[1]
    columns = np.arange(width)
    thick = band[1:] | band[:-1]  # a line between two rows of pixels
    best = 0.0
    for lean in range(-LEAN, LEAN + 1):
        drop = np.round(columns / max(1, width - 1) * lean).astype(np.intp)
        for start in range(max(0, -lean), thick.shape[0] - max(0, lean)):
            best = max(best, float(thick[start + drop, columns].mean()))
    return best


def _blacked_out(mask: Ink, x0: int, y0: int, x1: int, y1: int) -> bool:
    """Whether most of the word's place is ink: a bar over it, or light print on a dark ground."""
    return float(mask[y0:y1, x0:x1].mean()) > BLACK


def _with_short_ones(struck: Sequence[bool], words: Sequence[Word], mask: Ink) -> list[bool]:
    """The short words between two struck ones of a line are struck, too; a word that is struck by itself must have its
    line end about where the word does, since a ruled line goes on."""
    found = list(struck)
    for number in range(1, len(words) - 1):
        before, word, after = words[number - 1 : number + 2]
        level = abs(before.box.middle[1] - after.box.middle[1]) < 0.5 * word.box.height
        found[number] |= struck[number - 1] and struck[number + 1] and level and _letters(word) > 0
    return [one and not _on_a_rule(mask, words[number]) for number, one in enumerate(found)]


def _on_a_rule(mask: Ink, word: Word) -> bool:
    """Whether the line through a word goes on for three of its heights on both sides with no word on it."""
    x0, y0, x1, y1 = _pixels(mask, word)
    reach = 3 * (y1 - y0)
    sides = []
    for start, end in ((x0 - reach, x0), (x1, x1 + reach)):
        side = mask[y0:y1, max(0, start) : min(mask.shape[1], end)]
        if side.shape[0] < 4 or side.shape[1] < 8:
            return False
        sides.append(_line_through(side) >= STRUCK_LEAST and float(side.mean()) <= BARE)
    return all(sides)


def _is_ringed(mask: Ink, word: Word) -> bool:
    x0, y0, x1, y1 = _pixels(mask, word)
    height = y1 - y0
    if height < 8 or x1 - x0 < height or not _letters(word):
        return False
    reach, into = round(RING_REACH * height), round(RING_INTO * height)
    if y0 - reach < 0 or y1 + reach >= mask.shape[0]:
        return False
    above = _arc(mask[y0 - reach : y0 + into, x0:x1])
    below = _arc(mask[y1 - into : y1 + reach, x0:x1][::-1])
    if above is None or below is None or min(above, below) < RING_BEND * height:
        return False
    sides = (mask[y0:y1, max(0, x0 - 2 * reach) : max(1, x0 - 1)], mask[y0:y1, x1 + 1 : x1 + 2 * reach])
    return all(bool(side.size) and float(side.any(axis=1).mean()) >= SIDE_LEAST for side in sides)


def _arc(strip: Ink) -> float | None:
    """How many pixels a line over a strip's whole width is further out in its middle than at its ends; None where there
    is no such line. Rows count from outside towards the word."""
    inked = strip.any(axis=0)
    if not strip.shape[0] or inked.mean() < RING_LEAST:
        return None
    depth: Any = strip.argmax(axis=0).astype(float)
    depth[~inked] = np.nan
    eighth = max(1, len(depth) // 8)
    ends = np.concatenate([depth[:eighth], depth[-eighth:]])
    middle = depth[2 * eighth : -2 * eighth]
    if np.isnan(ends).all() or np.isnan(middle).all():
        return None
    return float(np.nanmedian(ends) - np.nanmedian(middle))


def _pixels(mask: Ink, word: Word) -> tuple[int, int, int, int]:
    height, width = mask.shape
    box = word.box
    return (
        max(0, round(box.x0 * width)),
        max(0, round(box.y0 * height)),
        min(width, round(box.x1 * width)),
        min(height, round(box.y1 * height)),
    )


__all__ = ["WordMarks", "word_marks"]
