"""Candidates: every run of words that could be a value of a data type, with the words that surround it.

Recall comes first here: what is no candidate can't be found. The ranker sorts out the rest.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, lru_cache
from typing import Any

from jugum.core.extraction.candidates.around import (
    CHANNELS,
    LINE_GAP_MOST,
    WRAP_INDENT,
    Surroundings,
    is_long,
    plain_text,
)
from jugum.core.page import Box, Page, Segment, Word, how_read, part_of, text_of, union
from jugum.core.structure.zones import Zone, read_zones
from jugum.core.values import NUMERIC, AnyType, DataType, ValueType, as_value_type, normal_form, value_shape
from jugum.core.values.dates import month_names
from jugum.core.values.numbers import names_currency
from jugum.core.values.spelled import parse_spelled

WORDS_MAX = {
    DataType.DATE: 10,
    DataType.MONEY: 5,
    DataType.NUMBER: 4,  # "1 234 567 kWh"
    DataType.PERCENT: 4,
    DataType.SPELLED: 8,
    DataType.IDENTIFIER: 6,
    DataType.PHONE: 6,
    DataType.EMAIL: 3,
    DataType.ADDRESS: 14,
    DataType.COUNTRY: 4,
    DataType.CHOICE: 6,
}
SENTENCE_MARKS = ".,;:"
ABOVE = frozenset({"above", "column_head"})
TEXT_WORDS_MAX = 8  # longer runs are sentences; they are read as clauses
STACK_LINES_MAX = 5  # of an address, or in one ruled cell
TEXT_LINES_MAX = 3  # of another text
TEXT_GAP_MOST = 0.85  # line heights between its lines; engines draw boxes close around the letters of scans
STACKS = frozenset({DataType.ADDRESS, DataType.TEXT})
PROSE_WORDS = 4  # a line of fewer words is no prose, and does not go on below
WRAP_WORDS = 4  # words of a value on either side of a line's end
WRAPS = frozenset({DataType.DATE, DataType.MONEY, DataType.NAME, DataType.TEXT})
NEEDS_DIGIT = frozenset({DataType.MONEY, DataType.NUMBER, DataType.PERCENT, DataType.PHONE})
GROUPED = frozenset({DataType.MONEY, DataType.NUMBER})  # whose thousands may be parted by a blank
BLANK_MOST = 0.45  # line heights between groups of one number; columns stand further apart
_GROUP_BEFORE = re.compile(r"(?:^|[^\d.,])[1-9]\d{0,2}$")
_GROUP_AFTER = re.compile(r"\d{3}(?!\d)")
_MARKS = ".,;:“”\"'"
_DASH = re.compile(r"[-–—]")
_GLUED = re.compile(r"^(?P<name>[^\W\d_][^:=]*)[:=](?P<value>[^:=]+.*)$")
_CREDIT = re.compile(r"\(\s*cr\b", re.IGNORECASE)
_ANY_DATE = ValueType(DataType.DATE)


@dataclass(frozen=True)
class Candidate:
    """Words `first` to `last` of a page (inclusive, in reading order), what they say, and what stands around them.

    `contexts` has one plain text (lower case, digits as 0, no punctuation) per channel of CHANNELS; `around` all words
    near by: in running prose (`prose`) those of its sentence, else those of the channels; `beside` the words right
    before and behind it.
    """

    page: int
    first: int
    last: int
    text: str
    normal: str
    kind: ValueType
    box: Box
    contexts: tuple[str, ...]
    confidence: float
    bold: bool
    relative_height: float
    whole_segment: bool
    starts_segment: bool
    ends_segment: bool
    widest: bool
    around: str = ""
    beside: tuple[str, str] = ("", "")
    prose: bool = False
    more_lines: tuple[tuple[int, int], ...] = ()  # further lines of it: first and last words
    differs: bool = False  # a second reading has one of its words otherwise
    by_hand: bool = False  # a pen wrote one of its words

    @property
    def data_type(self) -> DataType:
        """The data type it was read as."""
        return self.kind.data_type

    @property
    def spans(self) -> tuple[tuple[int, int], ...]:
        """First and last words of each of its lines."""
        return ((self.first, self.last), *self.more_lines)

    @property
    def stacked(self) -> int:
        """How many lines it has below one another; in prose, where a value wraps by chance, 1."""
        return 1 if self.prose else len(self.spans)

    @property
    def span(self) -> tuple[int, int, int]:
        """Page, first and last word: what makes two candidates the same place."""
        return self.page, self.first, self.last

    @cached_property
    def plain(self) -> str:
        """Its text as texts are compared: see `plain_text`."""
        return plain_text(self.text)

    @cached_property
    def shape(self) -> str:
        """The shape of its text, without the mark that a sentence puts behind it: see `value_shape`."""
        return value_shape(self.text.rstrip(SENTENCE_MARKS))


def candidates_of(pages: Sequence[Page], kinds: Collection[AnyType]) -> list[Candidate]:
    """All candidates of these value types in a document, page after page in reading order."""
    narrowed = [as_value_type(kind) for kind in kinds]
    return [found for page in pages for found in PageCandidates(page).of(narrowed)]


class PageCandidates(Surroundings):
    """Rows and segments of one page, and the candidates in them."""

    def __init__(self, page: Page) -> None:
        super().__init__(page)
        self._found: dict[ValueType, list[Candidate]] = {}
        self._of_span: dict[tuple[int, int], dict[str, Any]] = {}
        self.home = [segment for segment in self.segments for _ in range(segment.first, segment.last + 1)]

    def of(self, kinds: Collection[ValueType]) -> list[Candidate]:
        """Candidates of some value types, in reading order within each; found once for each type."""
        return [candidate for kind in kinds for candidate in self._of_kind(kind)]

    def _normal(self, text: str, kind: ValueType) -> str | None:
        """What a text says, dates in the order of the paper."""
        return normal_form(text, kind.on_paper(self.page.month_first))

    def _of_kind(self, kind: ValueType) -> list[Candidate]:
        if kind not in self._found:
            self._found[kind] = [
                candidate for segment in self.segments for candidate in self._in_segment(segment, kind)
            ]
        return self._found[kind]

    def _in_segment(self, segment: Segment, kind: ValueType) -> Iterator[Candidate]:
        for first, last, normal, widest in self._spans(segment, kind):
            yield self._candidate(segment, (first, last), kind, normal, widest)
        yield from self._glued(segment, kind)
        if kind.data_type is DataType.DATE:
            yield from self._spanned(segment, kind)
        if kind.data_type in STACKS:
            zone = self._zone_from(segment)
            yield from self._zones(segment, zone, kind) if zone else self._stacked(segment, kind)
        if kind.data_type in WRAPS:
            yield from self._wrapped(segment, kind)

    def _glued(self, segment: Segment, kind: ValueType) -> Iterator[Candidate]:
        """Values that are one word with the name before them: "Born:12.05.1990", "No.=4711"."""
        longest = WORDS_MAX.get(kind.data_type, TEXT_WORDS_MAX)
        for first in range(segment.first, segment.last + 1):
            parts = _GLUED.match(self.words[first].text)
            if parts is None:
                continue
            for last in range(first, min(segment.last, first + longest - 1) + 1):
                words = self.words[first : last + 1]
                text = " ".join([parts["value"], *(word.text for word in words[1:])])
                normal = self._normal(text, kind) if _may_be(text, kind) else None
                box = part_of(words, text)
                if normal is None or box is None or not any(map(str.isalnum, normal)):
                    continue
                made = self._candidate(segment, (first, last), kind, normal, True)
                contexts = (plain_text(parts["name"]), *made.contexts[1:])
                yield replace(made, text=text, box=box, contexts=contexts, whole_segment=False, starts_segment=False)

    def _spanned(self, segment: Segment, kind: ValueType) -> Iterator[Candidate]:
        """Two dates that are one word: "01/02/2026-28/02/2026". The second stands behind the first, as a name does."""
        for index in range(segment.first, segment.last + 1):
            word = self.words[index]
            for place in [found.start() for found in _DASH.finditer(word.text)]:
                parts = word.text[:place], word.text[place + 1 :]
                dates = [
                    (part, normal, box)
                    for part in parts
                    if _may_be(part, kind) and (normal := self._normal(part, kind)) and (box := part_of([word], part))
                ]
                if len(dates) < 2:
                    continue
                made = self._candidate(segment, (index, index), kind, "", True)
                for second, (part, normal, box) in enumerate(dates):
                    contexts = (plain_text(parts[0]), *made.contexts[1:]) if second else made.contexts
                    yield replace(
                        made,
                        text=part,
                        normal=normal,
                        box=box,
                        contexts=contexts,
                        whole_segment=False,
                        starts_segment=made.starts_segment and not second,
                    )

    def _wrapped(self, segment: Segment, kind: ValueType) -> Iterator[Candidate]:
        """Values broken over two lines of prose: the last words of one line with the first of the next."""
        if segment.last - segment.first + 1 < PROSE_WORDS or segment.row + 1 >= len(self.rows):
            return
        below = min(self.by_row[segment.row + 1], key=lambda one: abs(one.box.x0 - segment.box.x0))
        near = below.box.y0 - segment.box.y1 < self.line_gap
        if not near or abs(below.box.x0 - segment.box.x0) > WRAP_INDENT:
            return
        longest = WORDS_MAX.get(kind.data_type, TEXT_WORDS_MAX)
        named = kind.data_type in (DataType.NAME, DataType.TEXT)
        # "12 Quay | Street, Ness": in a sentence an address may begin with its number
        numbered = kind.data_type is DataType.TEXT and self.is_prose(segment)
        for first in range(max(segment.first, segment.last - WRAP_WORDS + 1), segment.last + 1):
            for last in range(below.first, min(below.last, below.first + WRAP_WORDS - 1) + 1):
                words = [*self.words[first : segment.last + 1], *self.words[below.first : last + 1]]
                text = text_of(words)
                if len(words) > longest or (named and not _is_name(words, numbered=numbered)):
                    continue
                normal = self._normal(text, kind) if _may_be(text, kind) else None
                if normal is not None and any(map(str.isalnum, normal)):
                    made = self._candidate(segment, (first, segment.last), kind, normal, True)
                    beside = tuple(
                        "" if channel in ABOVE else its for channel, its in zip(CHANNELS, made.contexts, strict=True)
                    )
                    yield replace(
                        made,
                        text=text,
                        contexts=beside,
                        box=union(word.box for word in words),
                        more_lines=((below.first, last),),
                        relative_height=1.0,
                        **how_read(words),
                    )

    def within(self, kind: ValueType, first: int, last: int) -> Candidate | None:
        """The candidate that exactly these words make, if their data type can read them; for rules, whose findings
        may not be among the usual ones."""
        segment = next((home for home in self.segments if home.first <= first <= home.last), None)
        normal = self._normal(text_of(self.words[first : last + 1]), kind)
        if segment is None or not normal:
            return None
        return self._candidate(segment, (first, last), kind, normal, True)

    def _spans(self, segment: Segment, kind: ValueType) -> Iterator[tuple[int, int, str, bool]]:
        longest = WORDS_MAX.get(kind.data_type, TEXT_WORDS_MAX)
        found: list[tuple[int, int, str]] = []
        prose = is_long(segment) and kind.data_type in (DataType.TEXT, DataType.NAME)
        for first in range(segment.first, segment.last + 1):
            if prose and not self._may_begin(segment, first):
                continue
            for last in range(first, min(segment.last, first + longest - 1) + 1):
                text = text_of(self.words[first : last + 1])
                if not _may_be(text, kind) or (kind.data_type in GROUPED and self._cuts_a_number(segment, first, last)):
                    continue
                if kind.data_type in NUMERIC and any(self.in_date[first : last + 1]):
                    continue
                normal = self._normal(self._said(segment, first, text, kind), kind)
                if normal is not None and any(map(str.isalnum, normal)):
                    found.append((first, last, normal))
        if kind.data_type is DataType.DATE:
            found = self._without_words_around(found)
        spans = {(first, last) for first, last, _ in found}
        for first, last, normal in found:
            wider = any(a <= first and last <= b and (a, b) != (first, last) for a, b in spans)
            yield first, last, normal, not wider

    def _without_words_around(self, dates: list[tuple[int, int, str]]) -> list[tuple[int, int, str]]:
        """Dates but those that say the same without their first or last word, a mere word: "on 4 May 2025, and"."""
        said = {(first, last): normal for first, last, normal in dates}
        return [
            (first, last, normal)
            for first, last, normal in dates
            if not (self._bare_word(first) and said.get((first + 1, last)) == normal)
            and not (self._bare_word(last) and said.get((first, last - 1)) == normal)
        ]

    def _bare_word(self, index: int) -> bool:
        return _is_small_word(self.words[index].text)

    @cached_property
    def in_date(self) -> list[bool]:
        """Of each word whether it is part of a date with the name of its month: "28" and "2025" of "May 28, 2025" are
        numbers of nothing."""
        inside = [False] * len(self.words)
        named = [index for index, word in enumerate(self.words) if word.text.lower().strip(_MARKS) in month_names()]
        for index in named:
            for first, last in ((index - 1, index + 1), (index, index + 2), (index - 2, index + 1)):
                if first < 0 or last >= len(self.words) or self.home[first].row != self.home[last].row:
                    continue
                if normal_form(text_of(self.words[first : last + 1]), _ANY_DATE) is not None:
                    inside[first : last + 1] = [True] * (last + 1 - first)
        return inside

    def _said(self, segment: Segment, first: int, text: str, kind: ValueType) -> str:
        """The text, without a bracket that was opened or is closed elsewhere ("(roll 564989):"), and without brackets
        that are no minus sign: those behind words of the same line ("sixty (60)"), unless a credit is told by them
        ("a balance of (Cr 60.00)")."""
        bare = text.rstrip(SENTENCE_MARKS)
        if bare.endswith(")") and "(" not in bare:
            return bare.removesuffix(")")
        behind = first > segment.first and self.words[first - 1].text.strip(_MARKS).isalpha()
        if kind.data_type not in NUMERIC or not behind or not text.startswith("("):
            return text
        return bare if _CREDIT.match(text) else bare.removeprefix("(").removesuffix(")")

    def _cuts_a_number(self, segment: Segment, first: int, last: int) -> bool:
        """Whether the words begin or end between two groups of one number's thousands: "450,00" of "12 450,00"."""
        return (first > segment.first and self._one_number(first - 1)) or (
            last < segment.last and self._one_number(last)
        )

    def _one_number(self, index: int) -> bool:
        """Whether a word and the next are groups of one number: up to three figures, then three, a blank apart."""
        left, right = self.words[index], self.words[index + 1]
        gap = (right.box.x0 - left.box.x1) * self.page.width_pt
        blank = gap < BLANK_MOST * self.height * self.page.height_pt
        return blank and _GROUP_BEFORE.search(left.text) is not None and _GROUP_AFTER.match(right.text) is not None

    def _may_begin(self, segment: Segment, first: int) -> bool:
        """Whether a text may begin at a word of running prose: at the line's start, with a capital, a figure or a
        number in words, after a colon, quote or bracket. Of every run of words there would be thousands a page."""
        text = self.words[first].text
        before = self.words[first - 1].text if first > segment.first else ""
        begins = text[0].isupper() or text[0].isdigit() or not text[0].isalnum() or parse_spelled(text) is not None
        return first == segment.first or begins or before.endswith((":", "“", '"', "(", "="))

    def _stacked(self, segment: Segment, kind: ValueType) -> Iterator[Candidate]:
        """Values of several lines: pieces of rows that begin at the same place, close below one another. Addresses
        have two to five lines, other texts up to three of a few words, closer together; in one ruled cell up to
        five."""
        address, cell = kind.data_type is DataType.ADDRESS, self.cell_of(segment)
        most = STACK_LINES_MAX if address or cell >= 0 else TEXT_LINES_MAX
        # large print stands further apart
        gap = (LINE_GAP_MOST if address else TEXT_GAP_MOST) * max(self.height, segment.box.height)
        lines = [segment]
        for row in range(segment.row + 1, min(segment.row + 3 * most, len(self.rows))):
            last = lines[-1]
            if not address and is_long(last):
                break
            here = [other for other in self.by_row[row] if abs(other.box.x0 - segment.box.x0) < 0.008]
            if not here:
                if self.by_row[row][0].box.y0 - last.box.y1 > gap:
                    break
                continue
            if here[0].box.y0 - last.box.y1 > gap or here[0].text.endswith(":") or self.cell_of(here[0]) != cell:
                break
            lines.append(here[0])
            joined = "\n" if address else " "
            normal = self._normal(joined.join(line.text for line in lines), kind)
            if normal is not None:
                yield self._several(lines, kind, normal)
            if len(lines) == most:
                break

    @cached_property
    def zones(self) -> list[Zone]:
        """The machine-readable zones of the page, misread letters set right by their check digits."""
        return read_zones(self.words, self.rows)

    def _zone_from(self, segment: Segment) -> Zone | None:
        """The zone whose first line a segment is."""
        for zone in self.zones:
            line = zone.box.height / len(zone.lines) if zone.box else 0.0
            if zone.box and zone.box.contains(*segment.box.middle) and segment.box.middle[1] < zone.box.y0 + line:
                return zone
        return None

    def _zones(self, segment: Segment, zone: Zone, kind: ValueType) -> Iterator[Candidate]:
        """A zone as one value: its lines stand further apart than those of other texts."""
        lines = [other for other in self.segments if zone.box and zone.box.contains(*other.box.middle)]
        normal = self._normal(" ".join(zone.lines), kind)
        if normal is not None and lines[0] is segment:
            yield replace(self._several(lines, kind, normal), text=" ".join(zone.lines))

    def _several(self, lines: Sequence[Segment], kind: ValueType, normal: str) -> Candidate:
        made = self._candidate(lines[0], (lines[0].first, lines[0].last), kind, normal, True)
        words = [word for line in lines for word in self.words[line.first : line.last + 1]]
        joined = ", " if kind.data_type is DataType.ADDRESS else " "
        return replace(
            made,
            text=joined.join(line.text for line in lines),
            box=union(word.box for word in words),
            more_lines=tuple((line.first, line.last) for line in lines[1:]),
            **how_read(words),
        )

    def _candidate(
        self, segment: Segment, span: tuple[int, int], kind: ValueType, normal: str, widest: bool
    ) -> Candidate:
        return Candidate(
            self.page.number, *span, normal=normal, kind=kind, widest=widest, **self._facts(segment, *span)
        )

    def _facts(self, segment: Segment, first: int, last: int) -> dict[str, Any]:
        """What is the same for candidates of all value types over these words; worked out once."""
        if (first, last) not in self._of_span:
            words = self.words[first : last + 1]
            box = union(word.box for word in words) if last > first else words[0].box
            contexts = tuple(map(plain_text, self.contexts(segment, first, last, box)))
            prose = self.is_prose(segment)
            self._of_span[first, last] = {
                "text": text_of(words),
                "box": box,
                "contexts": contexts,
                "around": self.sentence(first, last) if prose else " ".join(dict.fromkeys(contexts)),
                "beside": (plain_text(self.word(first - 1)), plain_text(self.word(last + 1))),
                "prose": prose,
                "bold": all(word.bold for word in words),
                "relative_height": box.height / self.height,
                "whole_segment": (first, last) == (segment.first, segment.last),
                "starts_segment": first == segment.first,
                "ends_segment": last == segment.last,
                **how_read(words),
            }
        return self._of_span[first, last]


def _may_be(text: str, kind: ValueType) -> bool:
    """A quick layout before the slow reading: digits where a data type has them, month names, number words, an @."""
    data_type = kind.data_type
    digits = any(map(str.isdigit, text))
    if data_type is DataType.NUMBER and not digits:
        return parse_spelled(text.split()[0].strip(".,-")) is not None
    if data_type is DataType.MONEY:
        # "fee 20,00" is a name and a sum of money, "VZ412964" no sum at all
        return digits and (not any(map(str.isalpha, text)) or names_currency(text) or _side(text))
    if data_type in NEEDS_DIGIT:
        return digits
    if data_type is DataType.DATE:
        return digits or any(word.lower().strip(".,") in month_names() for word in text.split())
    if data_type is DataType.IDENTIFIER:
        # "no. 5582/Y" is a name and a value
        return True if kind.pattern else digits and not any(map(_is_small_word, _first_and_last(text)))
    if data_type is DataType.EMAIL:
        return "@" in text
    if data_type is DataType.SPELLED:
        return (not digits and parse_spelled(text.split()[0].strip(".,-")) is not None) or text.isdigit()
    if data_type is DataType.CHOICE:
        return _may_be_option(text, kind)
    if data_type is DataType.NAME:
        words = text.split()
        return not digits and words[0][:1].isupper() and words[-1][:1].isupper()
    return True


def _side(text: str) -> bool:
    """Whether its only letters say on which side of an account it stands."""
    return {word.upper() for word in re.findall(r"[^\W\d_]+", text)} <= {"CR", "DR"}


def _first_and_last(text: str) -> tuple[str, str]:
    words = text.split()
    return words[0], words[-1]


def _is_name(words: Sequence[Word], *, numbered: bool) -> bool:
    """Whether words begin and end with a capital; where it may be numbered, also a number before words that all do."""
    first, *others = [word.text for word in words]
    if numbered and first[:1].isdigit() and first.isalnum():
        return all(text[:1].isupper() for text in others)
    return first[:1].isupper() and others[-1][:1].isupper()


def _is_small_word(text: str) -> bool:
    """Whether a word is letters only, none of them a capital."""
    word = text.strip(_MARKS)
    return word.isalpha() and word.islower()


def _ends(text: str) -> tuple[int, str, str]:
    """How many words a text has, and its first and last letter."""
    letters = [letter for letter in text.casefold() if letter.isalnum()] or [""]
    return text.count(" "), letters[0], letters[-1]


@lru_cache(maxsize=1000)
def _ends_of_options(kind: ValueType) -> frozenset[tuple[int, str, str]]:
    return frozenset(_ends(spelling) for option in kind.options for spelling in option.spellings)


def _may_be_option(text: str, kind: ValueType) -> bool:
    """Whether a text has as many words as an option of the choice and begins or ends as it does; one letter may be
    misread."""
    count, first, last = _ends(text)
    return any(words == count and (first == a or last == b) for words, a, b in _ends_of_options(kind))
