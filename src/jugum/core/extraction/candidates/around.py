"""What stands around the words of a page: beside, above and beneath them, what their paragraph is headed by, and the
sentence they stand in. All of it is text, by channels; see `Surroundings.contexts`."""

from __future__ import annotations

import re
from functools import cached_property, lru_cache
from statistics import median

from jugum.core.page import Box, Page, Segment, horizontal_overlap, laid_out, text_of

CHANNELS = ("left", "above", "row_head", "column_head", "previous", "next", "below", "heading", "right")
CELL_ROWS = 5  # rows that the name of a ruled cell may stand above a value in it
BELOW_WITHIN = 1.4  # line heights between a value and the name printed beneath it
LINE_GAP_MOST = 1.1  # line heights between two lines of one address, or of one paragraph
# Of what is usual between the long lines of a page: a paragraph that is set wide has its lines further apart.
WIDE_GAP, WIDE_GAP_MOST, WIDE_LINES = 1.2, 3.5, 4
LINE_WORDS = 9  # of a piece of a row; with more it is running prose
WRAP_INDENT = 0.03  # page widths that two lines of prose may begin apart
CONTEXT_WORDS = 4  # words before and after, on the line; printed names have seldom more
HEADING_ROWS = 12  # above a paragraph that its heading is looked for in
AROUND_WORDS = (12, 6)  # words before and after that tell, in running prose, what a value is; within its sentence
_ENDS_SENTENCE = re.compile(r"(?:\w{3}[.!?]|;)$")  # "No." does not
_PUNCTUATION = re.compile(r"[^\w%#&/]+|_")
_DIGITS = re.compile(r"\d+")


@lru_cache(maxsize=50_000)
def plain_text(text: str) -> str:
    """Lower case, runs of digits as 0, no punctuation, single blanks: `"Net pay (kr) 12.50:"` → `"net pay kr 0 0"`."""
    return _DIGITS.sub("0", bare_text(text))


@lru_cache(maxsize=50_000)
def bare_text(text: str) -> str:
    """Lower case, no punctuation, single blanks, digits as they are: `"14 Days:"` → `"14 days"`."""
    return " ".join(_PUNCTUATION.sub(" ", text.casefold()).split())


def is_long(segment: Segment) -> bool:
    """Whether a piece of a row has so many words that it is a line of running prose."""
    return segment.last - segment.first + 1 > LINE_WORDS


class Surroundings:
    """Rows and segments of one page, and what stands around them."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.words = page.words
        self.rows, self.segments = laid_out(page)
        self.height = median(word.box.height for word in page.words) if page.words else 1.0
        self.by_row: dict[int, list[Segment]] = {}
        for segment in self.segments:
            self.by_row.setdefault(segment.row, []).append(segment)
        self._heads: dict[int, tuple[str, str]] = {}
        self._prose: dict[int, bool] = {}
        self._headings: dict[int, str] = {}
        self.numeric = {id(segment): _is_numeric(segment.text) for segment in self.segments}

    def word(self, index: int) -> str:
        """The text of a word; "" before the first and behind the last."""
        return self.words[index].text if 0 <= index < len(self.words) else ""

    @cached_property
    def line_gap(self) -> float:
        """The most (in page heights) that is between two lines of a paragraph, of this page's prose: of close print
        `LINE_GAP_MOST`, of print set wide a little more than is usual there."""
        long = [segment for segment in self.segments if is_long(segment)]
        gaps = [
            below.box.y0 - above.box.y1
            for above in long
            for below in self.by_row.get(above.row + 1, ())
            if is_long(below) and abs(above.box.x0 - below.box.x0) < WRAP_INDENT
        ]
        wide = WIDE_GAP * median(gaps) if len(gaps) >= WIDE_LINES else 0.0
        return max(LINE_GAP_MOST * self.height, min(wide, WIDE_GAP_MOST * self.height))

    def is_prose(self, segment: Segment) -> bool:
        """Whether a piece of a row is a line of running prose: of many words, or the last words below such a line."""
        if segment.first not in self._prose:
            self._prose[segment.first] = is_long(segment) or (
                segment.row > 0
                and any(
                    is_long(above)
                    and abs(above.box.x0 - segment.box.x0) < WRAP_INDENT
                    and segment.box.y0 - above.box.y1 < self.line_gap
                    for above in self.by_row[segment.row - 1]
                )
            )
        return self._prose[segment.first]

    def heading(self, segment: Segment) -> str:
        """What a paragraph of running prose is headed by: a few words in the margin beside its first line, else a short
        line above it; "" for what is no prose."""
        if not self.is_prose(segment):
            return ""
        if segment.first not in self._headings:
            self._headings[segment.first] = self._heading_of(segment)
        return self._headings[segment.first]

    def _heading_of(self, segment: Segment) -> str:
        row = self.by_row[segment.row]
        place = row.index(segment)
        if place:
            return row[place - 1].text
        above = [
            other for other in self.by_row.get(segment.row - 1, ()) if abs(other.box.x0 - segment.box.x0) < WRAP_INDENT
        ]
        if above and self.is_prose(above[0]) and segment.box.y0 - above[0].box.y1 < self.line_gap:
            return self.heading(above[0])
        for number in range(segment.row - 1, max(-1, segment.row - HEADING_ROWS - 1), -1):
            short = self.by_row[number][0]
            if len(self.by_row[number]) == 1 and not self.is_prose(short) and not self.numeric[id(short)]:
                return short.text
        return ""

    def sentence(self, first: int, last: int) -> str:
        """The words of a value's sentence near it, without the value, in plain text."""
        before, after = AROUND_WORDS
        start, end = first, last
        while start > max(0, first - before) and not _ENDS_SENTENCE.search(self.words[start - 1].text):
            start -= 1
        while end < min(len(self.words) - 1, last + after) and not _ENDS_SENTENCE.search(self.words[end].text):
            end += 1
        return plain_text(text_of([*self.words[start:first], *self.words[last + 1 : end + 1]]))

    def contexts(self, segment: Segment, first: int, last: int, box: Box) -> tuple[str, ...]:
        """Texts of the channels, in the order of CHANNELS."""
        row = self.by_row[segment.row]
        place = row.index(segment)
        inside = text_of(self.words[max(segment.first, first - CONTEXT_WORDS) : first])
        left = inside or (row[place - 1].text if place else "")
        head = next((other.text for other in row[: place or 1] if not self.numeric[id(other)]), "")
        row_head = head if place else inside
        previous = text_of(self.words[max(0, first - CONTEXT_WORDS) : first])
        following = text_of(self.words[last + 1 : last + 1 + CONTEXT_WORDS])
        part = (first, last) != (segment.first, segment.last) and segment.last - segment.first > 3
        above = self._heads_above(segment, box) if part else self._heads_of(segment)
        return (
            left,
            above[0],
            row_head,
            above[1],
            previous,
            following,
            self._below(segment, box),
            self.heading(segment),
            self._right(segment, last),
        )

    def _right(self, segment: Segment, last: int) -> str:
        """What a value is called behind it: words in brackets right after it, or the next piece of its row, unless a
        figure follows, whose name that will be."""
        following = self.word(last + 1) if last < segment.last else ""
        if following.startswith("("):
            for end in range(last + 1, min(segment.last, last + CONTEXT_WORDS) + 1):
                if ")" in self.words[end].text:
                    return text_of(self.words[last + 1 : end + 1])
            return ""
        row = self.by_row[segment.row]
        place = row.index(segment)
        if last < segment.last or place + 1 == len(row) or self.is_prose(segment):
            return ""
        behind, *others = row[place + 1 : place + 3]
        if self.numeric[id(behind)] or behind.text.endswith(":") or (others and self.numeric[id(others[0])]):
            return ""
        return behind.text

    def _heads_of(self, segment: Segment) -> tuple[str, str]:
        """What stands above a whole piece; kept."""
        if segment.first not in self._heads:
            self._heads[segment.first] = self._heads_above(segment, segment.box)
        return self._heads[segment.first]

    def cell_of(self, segment: Segment) -> int:
        """The ruled cell that a piece of a row stands in, −1 for none."""
        return self.words[segment.first].cell

    def _below(self, segment: Segment, box: Box) -> str:
        """The words close under a box: forms print the name of a line beneath it. What another ruled cell says is
        not meant."""
        for number in range(segment.row + 1, min(segment.row + 3, len(self.rows))):
            under = [other for other in self.by_row[number] if horizontal_overlap(other.box, box) > 0.15]
            if under:
                best = max(under, key=lambda other: horizontal_overlap(other.box, box))
                if self.cell_of(segment) != self.cell_of(best):
                    return ""
                near = best.box.y0 - box.y1 < BELOW_WITHIN * self.height
                return best.text if near and not self.numeric[id(best)] else ""
        return ""

    def _heads_above(self, segment: Segment, box: Box) -> tuple[str, str]:
        """The nearest piece above a box, and the nearest that is no number (a column's head), looking up 30 rows. In
        a ruled cell what is printed above in the same cell is both, wherever in it: its name stands in a corner of
        the box."""
        nearest = head = self._in_cell_above(segment, box)
        if head:
            return nearest, head
        for number in range(segment.row - 1, max(-1, segment.row - 31), -1):
            over = [other for other in self.by_row[number] if horizontal_overlap(other.box, box) > 0.15]
            if not over:
                continue
            best = max(over, key=lambda other: horizontal_overlap(other.box, box))
            nearest = nearest or best.text
            if not self.numeric[id(best)]:
                head = best.text
                break
        return nearest, head

    def _in_cell_above(self, segment: Segment, box: Box) -> str:
        cell = self.cell_of(segment)
        if cell < 0:
            return ""
        for number in range(segment.row - 1, max(-1, segment.row - CELL_ROWS - 1), -1):
            here = [
                other for other in self.by_row[number] if self.cell_of(other) == cell and not self.numeric[id(other)]
            ]
            if here:
                return min(here, key=lambda one: abs(one.box.x0 - box.x0)).text
        return ""


def _is_numeric(text: str) -> bool:
    """Whether over half of the letters and digits are digits: a number, a date, an amount with its currency."""
    digits = sum(letter.isdigit() for letter in text)
    solid = sum(letter.isalnum() for letter in text)
    return digits * 2 > solid
