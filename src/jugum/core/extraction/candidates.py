"""Candidates: every run of words that could be a value of a data type, with the words that surround it.

Recall comes first here: what is no candidate can't be found. The ranker sorts out the rest.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from statistics import median

from jugum.core.page import Box, Page, Segment, horizontal_overlap, rows_of, segments_of, text_of, union
from jugum.core.values import DataType, normal_form

CHANNELS = ("left", "above", "row_head", "column_head", "previous", "next")
PARSED_WORDS_MAX = {DataType.DATE: 6, DataType.MONEY: 5, DataType.NUMBER: 3}
TEXT_WORDS_MAX = 8
CONTEXT_WORDS = 4
_PUNCTUATION = re.compile(r"[^\w%#&/]+|_")
_DIGITS = re.compile(r"\d+")


@dataclass(frozen=True)
class Candidate:
    """Words `first` to `last` of a page (inclusive, in reading order), what they say, and what stands around them.

    `contexts` has one plain text (lower case, digits as 0, no punctuation) per channel of CHANNELS.
    """

    page: int
    first: int
    last: int
    text: str
    normal: str
    data_type: DataType
    box: Box
    contexts: tuple[str, ...]
    confidence: float
    bold: bool
    relative_height: float
    whole_segment: bool
    starts_segment: bool
    ends_segment: bool
    widest: bool

    @property
    def span(self) -> tuple[int, int, int]:
        return self.page, self.first, self.last

    @cached_property
    def plain(self) -> str:
        return plain_text(self.text)


@lru_cache(maxsize=50_000)
def plain_text(text: str) -> str:
    """Lower case, runs of digits as 0, no punctuation, single blanks: `"Net pay (kr) 12.50:"` → `"net pay kr 0 0"`."""
    return " ".join(_DIGITS.sub("0", _PUNCTUATION.sub(" ", text.casefold())).split())


def candidates_of(pages: Sequence[Page], data_types: Collection[DataType]) -> list[Candidate]:
    """All candidates of these data types in a document, page after page in reading order."""
    return [found for page in pages for found in _PageCandidates(page).of(data_types)]


class _PageCandidates:
    """Rows and segments of one page, and the candidates in them."""

    def __init__(self, page: Page) -> None:
        self.page = page
        self.words = page.words
        self.rows = rows_of(page.words)
        self.segments = segments_of(page.words, self.rows, page.width_pt / page.height_pt)
        self.height = median(word.box.height for word in page.words) if page.words else 1.0
        self.by_row: dict[int, list[Segment]] = {}
        for segment in self.segments:
            self.by_row.setdefault(segment.row, []).append(segment)
        self.numeric = {id(segment): _is_numeric(segment.text) for segment in self.segments}

    def of(self, data_types: Collection[DataType]) -> Iterator[Candidate]:
        for segment in self.segments:
            above = self._heads_above(segment.box, segment.row)
            for data_type in data_types:
                for first, last, normal, widest in self._spans(segment, data_type):
                    yield self._candidate(segment, (first, last), data_type, normal, widest, above)

    def _spans(self, segment: Segment, data_type: DataType) -> Iterator[tuple[int, int, str, bool]]:
        longest = PARSED_WORDS_MAX.get(data_type, TEXT_WORDS_MAX)
        found: list[tuple[int, int, str]] = []
        for first in range(segment.first, segment.last + 1):
            for last in range(first, min(segment.last, first + longest - 1) + 1):
                text = text_of(self.words[first : last + 1])
                if data_type is not DataType.TEXT and not any(letter.isdigit() for letter in text):
                    continue
                normal = normal_form(text, data_type)
                if normal is not None and (data_type is not DataType.TEXT or any(map(str.isalnum, normal))):
                    found.append((first, last, normal))
        spans = {(first, last) for first, last, _ in found}
        for first, last, normal in found:
            wider = any(a <= first and last <= b and (a, b) != (first, last) for a, b in spans)
            yield first, last, normal, not wider

    def _candidate(
        self,
        segment: Segment,
        span: tuple[int, int],
        data_type: DataType,
        normal: str,
        widest: bool,
        above: tuple[str, str],
    ) -> Candidate:
        first, last = span
        words = self.words[first : last + 1]
        box = union(word.box for word in words)
        if (first, last) != (segment.first, segment.last) and segment.last - segment.first > 3:
            above = self._heads_above(box, segment.row)
        return Candidate(
            page=self.page.number,
            first=first,
            last=last,
            text=text_of(words),
            normal=normal,
            data_type=data_type,
            box=box,
            contexts=tuple(plain_text(text) for text in self._contexts(segment, first, last, above)),
            confidence=min(word.confidence for word in words),
            bold=all(word.bold for word in words),
            relative_height=box.height / self.height,
            whole_segment=(first, last) == (segment.first, segment.last),
            starts_segment=first == segment.first,
            ends_segment=last == segment.last,
            widest=widest,
        )

    def _contexts(self, segment: Segment, first: int, last: int, above: tuple[str, str]) -> tuple[str, ...]:
        """Texts of the channels, in the order of CHANNELS."""
        row = self.by_row[segment.row]
        place = row.index(segment)
        inside = text_of(self.words[max(segment.first, first - CONTEXT_WORDS) : first])
        left = inside or (row[place - 1].text if place else "")
        head = next((other.text for other in row[: place or 1] if not self.numeric[id(other)]), "")
        row_head = head if place else inside
        previous = text_of(self.words[max(0, first - CONTEXT_WORDS) : first])
        following = text_of(self.words[last + 1 : last + 1 + CONTEXT_WORDS])
        return left, above[0], row_head, above[1], previous, following

    def _heads_above(self, box: Box, row: int) -> tuple[str, str]:
        """The nearest segment above a box, and the nearest that is no number (a column's head), looking up 30 rows."""
        nearest = head = ""
        for number in range(row - 1, max(-1, row - 31), -1):
            over = [other for other in self.by_row[number] if horizontal_overlap(other.box, box) > 0.15]
            if not over:
                continue
            best = max(over, key=lambda other: horizontal_overlap(other.box, box))
            nearest = nearest or best.text
            if not self.numeric[id(best)]:
                head = best.text
                break
        return nearest, head


def _is_numeric(text: str) -> bool:
    """Whether over half of the letters and digits are digits: a number, a date, an amount with its currency."""
    digits = sum(letter.isdigit() for letter in text)
    solid = sum(letter.isalnum() for letter in text)
    return digits * 2 > solid
