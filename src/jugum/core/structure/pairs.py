"""Label–value pairs: which printed names stand to which values, by how pieces of rows stand to each other."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from jugum.core.page import Box, Segment, Word, horizontal_overlap, segments_in

LABEL_LETTERS_MAX = 48  # longer texts are prose
ABOVE_MOST = 2.6  # heights of the value: how far above it a label may stand
LEFT_MOST = 0.5  # of the page's width
LARGER = 1.12  # times a label's height: what stands under it in such letters is its value
ALIGNED = 0.012  # of the page's width: edges this near are one edge
_LEADER = re.compile(r"^[._·…]{3,}$")


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
    likely = [(1.0, label, value) for label, value in _led(segments)]
    for number, segment in enumerate(segments):
        if number not in used and _is_label(segment.text):
            likely += _right_of(segments, number, cells) + _below(segments, number, cells)
    for _, number, beside in sorted(likely, key=lambda one: (-one[0], one[1], one[2])):
        if number in used or beside in used:
            continue
        value = segments[beside]
        used.update((number, beside))
        found.append(_pair(segments[number], value, order))
    for number, beside in _in_columns(segments, used, found):
        found.append(_pair(segments[number], segments[beside], order))
    return sorted(found, key=lambda pair: (pair.label_box.y0, pair.label_box.x0))


def _pair(label: Segment, value: Segment, order: Sequence[int]) -> Pair:
    words = tuple(order[place] for place in range(value.first, value.last + 1))
    return Pair(label.text.rstrip(" :._·…"), value.text, label.box, value.box, words)


def _led(segments: Sequence[Segment]) -> Iterator[tuple[int, int]]:
    """Labels with a leader of dots behind them, in their own piece or one of its own, and the value it leads to."""
    for number, segment in enumerate(segments[:-1]):
        last = segment.text.rsplit(" ", 1)[-1]
        following = number + 1
        if _LEADER.match(segments[following].text) and following + 1 < len(segments):
            following += 1
        elif not _LEADER.match(last):
            continue
        if segments[following].row == segment.row:
            yield number, following


def _in_columns(segments: Sequence[Segment], used: set[int], found: Sequence[Pair]) -> Iterator[tuple[int, int]]:
    """Pairs of words only ("Employee   Runa Selvik"): the label stands under labels, the value under values, of at
    least two pairs that were told by their digits."""
    known = [(pair.label_box.x0, pair.value_box.x0) for pair in found]
    for number, segment in enumerate(segments[:-1]):
        other = segments[number + 1]
        if number in used or number + 1 in used or other.row != segment.row or not _is_label(segment.text):
            continue
        alike = sum(
            abs(segment.box.x0 - label) < ALIGNED and abs(other.box.x0 - value) < ALIGNED for label, value in known
        )
        if alike >= 2:
            used.update((number, number + 1))
            yield number, number + 1


def _mapped(pair: Pair, order: list[int]) -> Pair:
    return Pair(pair.label, pair.value, pair.label_box, pair.value_box, tuple(order[place] for place in pair.words))


def _within(segment: Segment, words: Sequence[Word]) -> Pair | None:
    """ "Period: 01.02.2026", "Net wage ........ 1 200,00": a word that ends in a colon, or a leader of dots, parts
    them."""
    for place in range(segment.first, segment.last):
        if (words[place].text.endswith(":") or _LEADER.match(words[place].text)) and place + 1 <= segment.last:
            label, value = words[segment.first : place + 1], words[place + 1 : segment.last + 1]
            text = " ".join(word.text for word in label).rstrip(" :._·…")
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


Likely = list[tuple[float, int, int]]  # score, label, value: indices of pieces


def _right_of(segments: Sequence[Segment], number: int, cells: Sequence[Box]) -> Likely:
    """The next piece of the row, surest where the label ends in a colon or the value holds a digit."""
    here = segments[number]
    following = number + 1
    if following >= len(segments) or segments[following].row != here.row:
        return []
    other = segments[following]
    gap = other.box.x0 - here.box.x1
    if gap > LEFT_MOST or not _is_value(other.text):
        return []
    if _same_cell(here.box, other.box, cells) is False and not (
        _alone(segments, number, cells) and _alone(segments, following, cells)
    ):
        return []
    if here.text.endswith(":"):
        return [(0.99 - 0.2 * gap, number, following)]
    if re.search(r"\d", other.text):
        return [(0.95 - 0.3 * gap, number, following)]
    return [] if _is_label(other.text) else [(0.8 - 0.3 * gap, number, following)]


def _alone(segments: Sequence[Segment], number: int, cells: Sequence[Box]) -> bool:
    """Whether a piece has its cell to itself: a cell with a label of its own has its value too."""
    x, y = segments[number].box.middle
    home = next((cell for cell in cells if cell.contains(x, y)), None)
    return home is None or sum(home.contains(*segment.box.middle) for segment in segments) == 1


def _below(segments: Sequence[Segment], number: int, cells: Sequence[Box]) -> Likely:
    """The nearest piece under a label that holds a digit or is set larger than it, unless something stands between."""
    here = segments[number]
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
        larger = other.box.height > LARGER * here.box.height
        if not (re.search(r"\d", other.text) or larger):
            return []
        near = 0.08 * max(0.0, gap) / max(other.box.height, here.box.height)
        aligned = 0.05 * (abs(here.box.x0 - other.box.x0) < ALIGNED)
        return [(0.7 + 0.1 * larger + aligned - near, number, place)]
    return []
