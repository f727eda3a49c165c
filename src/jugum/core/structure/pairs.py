"""Label–value pairs: which printed names stand to which values, by how pieces of rows stand to each other."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from jugum.core.page import Box, Segment, Word, horizontal_overlap, segments_in

LABEL_LETTERS_MAX = 48
ABOVE_MOST = 2.6  # heights of the value: how far above it a label may stand
LEFT_MOST = 0.5  # of the page's width


@dataclass(frozen=True, slots=True)
class Pair:
    """A label, its value, and their boxes. `words` are the indices of the value's words."""

    label: str
    value: str
    label_box: Box
    value_box: Box
    words: tuple[int, ...]


def pairs_of(words: Sequence[Word], aspect: float = 0.707, cells: Sequence[Box] = ()) -> list[Pair]:
    """Pairs of a page in reading order.

    A piece of text with "label: value" in it, a value right of its label, or one below it. A value is what holds a
    digit, or what stands after a piece that ends in a colon or looks like a label; a cell keeps its pair together.
    """
    order, segments = segments_in(words, aspect)
    ordered = [words[index] for index in order]
    found: list[Pair] = []
    used: set[int] = set()
    for number, segment in enumerate(segments):
        inner = _within(segment, ordered)
        if inner is not None:
            found.append(_mapped(inner, order))
            used.add(number)
    for number, segment in enumerate(segments):
        if number in used or not _is_label(segment.text):
            continue
        beside = _right_of(segments, number, cells) or _below(segments, number, cells)
        if beside is not None and beside not in used:
            value = segments[beside]
            used.update((number, beside))
            span = tuple(order[place] for place in range(value.first, value.last + 1))
            found.append(Pair(segment.text.rstrip(" :"), value.text, segment.box, value.box, span))
    return sorted(found, key=lambda pair: (pair.label_box.y0, pair.label_box.x0))


def _mapped(pair: Pair, order: list[int]) -> Pair:
    return Pair(pair.label, pair.value, pair.label_box, pair.value_box, tuple(order[place] for place in pair.words))


def _within(segment: Segment, words: Sequence[Word]) -> Pair | None:
    """ "Period: 01.02.2026": the word that ends in a colon parts them."""
    for place in range(segment.first, segment.last):
        if words[place].text.endswith(":") and place + 1 <= segment.last:
            label, value = words[segment.first : place + 1], words[place + 1 : segment.last + 1]
            text = " ".join(word.text for word in label).rstrip(" :")
            if not text or len(text) > LABEL_LETTERS_MAX:
                return None
            return Pair(
                text,
                " ".join(word.text for word in value),
                _around(label),
                _around(value),
                tuple(range(place + 1, segment.last + 1)),
            )
    return None


def _around(words: Sequence[Word]) -> Box:
    return Box(
        min(word.box.x0 for word in words),
        min(word.box.y0 for word in words),
        max(word.box.x1 for word in words),
        max(word.box.y1 for word in words),
    )


def _is_label(text: str) -> bool:
    """Letters mostly, short, no sentence; "1 Surname" and "Hours (h)" are labels, "12.05.2026" and "B 14" are not."""
    if len(text) > LABEL_LETTERS_MAX or (text.endswith((".", ",", ";")) and " " in text):
        return False
    letters = sum(map(str.isalpha, text))
    digits = sum(map(str.isdigit, text))
    return letters >= 2 and digits <= max(2, 0.25 * letters) and len(text.split()) <= 7


def _is_value(text: str) -> bool:
    return bool(re.search(r"\d", text)) or not text.endswith(":")


def _same_cell(a: Box, b: Box, cells: Sequence[Box]) -> bool | None:
    """Whether both stand in one cell; None where neither is in any."""
    home = [next((n for n, cell in enumerate(cells) if cell.contains(*box.middle)), None) for box in (a, b)]
    return None if home[0] is None and home[1] is None else home[0] == home[1]


def _right_of(segments: Sequence[Segment], number: int, cells: Sequence[Box]) -> int | None:
    here = segments[number]
    following = number + 1
    if following >= len(segments) or segments[following].row != here.row:
        return None
    other = segments[following]
    labelled = here.text.endswith(":") or re.search(r"\d", other.text)
    if other.box.x0 - here.box.x1 > LEFT_MOST or not _is_value(other.text):
        return None
    if _same_cell(here.box, other.box, cells) is False and _below(segments, number, cells) is not None:
        return None
    return following if labelled or not _is_label(other.text) else None


def _below(segments: Sequence[Segment], number: int, cells: Sequence[Box]) -> int | None:
    here = segments[number]
    best, least = None, 1e9
    for place in range(number + 1, len(segments)):
        other = segments[place]
        if other.row == here.row:
            continue
        gap = other.box.y0 - here.box.y1
        if gap > ABOVE_MOST * max(other.box.height, here.box.height):
            break
        if gap < -0.3 * other.box.height or horizontal_overlap(here.box, other.box) < 0.3:
            continue
        if _same_cell(here.box, other.box, cells) is False:
            continue
        valued = re.search(r"\d", other.text) or other.box.height > 1.15 * here.box.height
        if valued and gap < least:
            best, least = place, gap
    return best
