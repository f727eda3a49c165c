"""Clauses without training: a paper's numbered sections and paragraphs, and which of them a clause's names mean."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

from rapidfuzz import fuzz

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.page import Box, Page, text_of, union
from jugum.core.schema import FieldPlan
from jugum.core.structure import blocks_of

HEADING_LETTERS_MAX = 90  # a longer line is prose
# Likeness of a heading to a clause's names; set by hand, judged by bench/plans.py.
SECTION_LEAST = 0.72
PARAGRAPH_GAP = 0.75  # line heights of white between two paragraphs
SECTION_GAP = 2.6  # line heights of white that no section goes on over
SIGNED_WORDS_MAX = 8  # of a line that names a place for a signature
HEADING_WORDS_MAX = 8  # of a heading that only its place tells
HEADING_GAP, HEADING_INDENT = 1.6, 0.03  # line heights and page widths that what it heads may stand away
PROSE_WORDS = 7  # a line of so many words is prose
MARGIN = 0.06  # of the page's height: running heads and feet stand within it
_NUMBER = re.compile(
    r"^(?:(?P<mark>§|art(?:icle|\.)|section|clause|abschnitt|artikel)\s*)?(?P<number>\d{1,2}(?:\.\d{1,2})*|[ivx]{1,5}|[a-z])(?P<end>[.)]|\s|$)",
    re.IGNORECASE,
)
_RULED = re.compile(r"[_.…\s]{6,}")
_SIGNED = re.compile(
    r"(?:signature|signed|sign here|place and date|place, date|date and signature|date, signature|for and on behalf"
    r"|unterschrift|ort, datum|underskrift|sted og dato|handtekening|firma|signatur|stamp|stempel)\b",
    re.IGNORECASE,
)
# What offices stamp on papers, with a date behind or none. In capitals, as stamps are.
_STAMPED = re.compile(
    r"(?:RECEIVED|PAID|APPROVED|COPY|CERTIFIED|CANCELLED|ENTERED|FILED|VOID|DRAFT|URGENT|ORIGINAL|BOOKED|CHECKED|SEEN"
    r"|PROCESSED|REGISTERED|CONFIDENTIAL|EINGEGANGEN|EINGANG|BEZAHLT|GEBUCHT|KOPIE|KOPI|MOTTATT|BETALT|GODKJENT"
    r"|INKOMMET|BETALD|ONTVANGEN|BETAALD|REÇU|PAYÉ|RECIBIDO|PAGADO|RICEVUTO|PAGATO)\b"
)
STAMP_WORDS_MAX = 6
_STOP = frozenset(
    "the of a an in to and or is are was for on by which what who when how much many does do this that it with".split()
)


@dataclass(frozen=True)
class SectionLine:
    """A line of a paper: its page, and the indices of its words."""

    page: Page
    words: tuple[int, ...]

    @property
    def text(self) -> str:
        """Its words, one blank between them."""
        return text_of([self.page.words[index] for index in self.words])

    @property
    def box(self) -> Box:
        """The box around its words."""
        return union(self.page.words[index].box for index in self.words)

    @property
    def bold(self) -> bool:
        """Whether all its words are bold."""
        return all(self.page.words[index].bold for index in self.words)


@dataclass(frozen=True)
class Section:
    """A numbered section, a headed one, or a paragraph: its heading ("" for a paragraph) and its lines, heading
    included."""

    heading: str
    lines: tuple[SectionLine, ...]

    @property
    def text(self) -> str:
        """Its lines, one blank between them."""
        return " ".join(line.text for line in self.lines)


def sections_of(pages: Sequence[Page]) -> list[Section]:
    """The paper cut into sections at its headings, over page breaks; what stands before the first heading, or after a
    wide gap or at a line for a signature, is of no section and is cut into paragraphs. A heading is a short line that
    begins with a number, or is bold or in capitals; on pages where nothing is bold (as on all scans) also one that
    stands by itself over prose."""
    sections: list[Section] = []
    current: list[SectionLine] = []
    heading = ""
    lines = lines_of(pages)
    plain = {page.number for page in pages if not any(word.bold for word in page.words)}
    for number, line in enumerate(lines):
        mine = _heading(line)
        if not mine and line.page.number in plain and _stands_over_prose(lines, number):
            mine = line.text.strip()
        has_body = len(current) > (1 if heading else 0)  # a heading is never parted from what it heads
        if mine or (has_body and _ends(current[-1], line)):
            if current:
                sections.append(Section(heading, tuple(current)))
            current, heading = [line], mine
        else:
            current.append(line)
    if current:
        sections.append(Section(heading, tuple(current)))
    return sections


def lines_of(pages: Sequence[Page]) -> list[SectionLine]:
    """All lines in reading order without running heads and feet: lines in the margins of a paper of several pages
    that hold a page number or stand on every page."""
    lines = [
        SectionLine(page, words)
        for page in pages
        for block in blocks_of(page.words, page.width_pt / page.height_pt)
        for words in block.lines
    ]
    if len(pages) < 2:
        return lines
    margins = [plain_text(line.text) for line in lines if _in_margin(line)]
    return [
        line
        for line in lines
        if not _in_margin(line) or (margins.count(plain_text(line.text)) < 2 and not line.text.strip().isdigit())
    ]


def _ends(before: SectionLine, line: SectionLine) -> bool:
    """Whether a section has ended before a line of the same page: white much wider than between paragraphs lies between
    them, or the line is one to sign on, or names one, or is a stamp's."""
    if before.page.number != line.page.number or line.box.y0 < before.box.y1:
        return False
    white = (line.box.y0 - before.box.y1) / max(1e-6, min(before.box.height, line.box.height))
    text = line.text.strip()
    named = len(line.words) <= SIGNED_WORDS_MAX and _SIGNED.match(text) is not None
    stamped = len(line.words) <= STAMP_WORDS_MAX and text.upper() == text and _STAMPED.match(text) is not None
    return white > SECTION_GAP or _RULED.fullmatch(text) is not None or stamped or (named and white > PARAGRAPH_GAP)


def _in_margin(line: SectionLine) -> bool:
    return line.box.y1 < MARGIN or line.box.y0 > 1 - MARGIN


def _heading(line: SectionLine) -> str:
    """A line's heading text, "" when it is none: `"§ 3 Time"` → "§ 3 Time"."""
    text = line.text.strip()
    if not text or len(text) > HEADING_LETTERS_MAX:
        return ""
    numbered = _NUMBER.match(text)
    letters = sum(map(str.isalpha, text))
    short = len(text.split()) <= 9 and letters >= 3 and not text.endswith((",", ";"))
    if numbered and short and (numbered["mark"] or numbered["end"].strip() or line.bold):
        rest = text[numbered.end() :].strip(" .–-")
        return text if (rest and rest[0].isupper()) or numbered["mark"] else ""
    plain_head = short and not re.search(r"\d", text) and not text.endswith((".", ":"))
    return text if plain_head and (line.bold or (text.isupper() and letters >= 5)) else ""


def _stands_over_prose(lines: Sequence[SectionLine], number: int) -> bool:
    """Whether a short line with white above it begins at the edge of a line of prose close below."""
    line, text = lines[number], lines[number].text.strip()
    if len(line.words) > HEADING_WORDS_MAX or not text[0].isupper() or re.search(r"\d|[.,;:]$", text):
        return False
    below = lines[number + 1] if number + 1 < len(lines) else None
    if below is None or below.page.number != line.page.number or len(below.words) < PROSE_WORDS:
        return False
    box, under = line.box, below.box
    close = under.y0 - box.y1 < HEADING_GAP * box.height and abs(under.x0 - box.x0) < HEADING_INDENT
    above = lines[number - 1] if number and lines[number - 1].page.number == line.page.number else None
    return close and (above is None or box.y0 - above.box.y1 >= PARAGRAPH_GAP * box.height)


def read_section(
    field: FieldPlan, pages: Sequence[Page], sections: Sequence[Section]
) -> tuple[Finding, Section | None]:
    """The section whose heading is most like the clause's printed names, or else the one whose words answer its
    question or hold its names best; and that section itself, for what is read inside it."""
    scored = sorted(((score_of(field, one), -n) for n, one in enumerate(sections)), reverse=True)
    good = [(score, sections[-place]) for score, place in scored if score >= SECTION_LEAST]
    if not good:
        return Finding(field.key), None
    found = [_found(section, score) for score, section in good[:4]]
    return Finding(field.key, (found[0],), tuple(found[1:])), good[0][1]


def score_of(field: FieldPlan, section: Section) -> float:
    """How a section answers to a clause's names (by its heading) and question (by its words), 0–1."""
    heading = re.sub(r"^[\W\d]+", "", plain_text(section.heading)).strip()
    names = [plain_text(name) for name in field.names_on_paper]
    by_heading = max((fuzz.ratio(heading, name) / 100 for name in names), default=0.0) if heading else 0.0
    held = max((fuzz.token_set_ratio(heading, name) / 100 for name in names), default=0.0) if heading else 0.0
    words = {word for name in (*field.names_on_paper, field.question) for word in plain_text(name).split()} - _STOP
    inside = set(plain_text(section.text).split())
    by_words = len(words & inside) / len(words) if words else 0.0
    return max(by_heading, 0.93 * held, 0.75 * by_words)


def places_of(lines: Sequence[SectionLine]) -> list[tuple[int, Box]]:
    """Where lines stand: one box for each page."""
    places: dict[int, list[Box]] = {}
    for line in lines:
        places.setdefault(line.page.number, []).append(line.box)
    return [(page, union(boxes)) for page, boxes in places.items()]


def paragraphs_of(pages: Sequence[Page]) -> list[Section]:
    """The paper as paragraphs in reading order, over page breaks: sections as `sections_of` has them, and those that
    hold several blocks of text cut at the white between them. A paragraph that ends a page without a full stop goes
    on over the next."""
    found: list[Section] = []
    for section in sections_of(pages):
        parts: list[list[SectionLine]] = [[section.lines[0]]]
        for before, line in pairwise(section.lines):
            if _goes_on(before, line):
                parts[-1].append(line)
            else:
                parts.append([line])
        if len(parts) > 1 and section.heading and len(parts[0]) == 1:
            parts[:2] = [[*parts[0], *parts[1]]]  # a heading belongs to what it heads
        found += [Section(section.heading if number == 0 else "", tuple(part)) for number, part in enumerate(parts)]
    return found


def _goes_on(before: SectionLine, line: SectionLine) -> bool:
    if before.page.number != line.page.number:
        return not before.text.rstrip().endswith((".", ":", ";", "!", "?"))
    return line.box.y0 - before.box.y1 < PARAGRAPH_GAP * min(before.box.height, line.box.height)


def _found(section: Section, score: float) -> Found:
    boxes = places_of(section.lines)
    text = section.text
    why = f"the section “{section.heading}”" if section.heading else "a paragraph that holds its words"
    sure = min(line.page.words[index].confidence for line in section.lines for index in line.words)
    return Found(text, text, boxes[0][0], boxes[0][1], score, EngineName.SECTION, why, sure, tuple(boxes[1:]))
