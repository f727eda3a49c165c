"""Rules as an engine: patterns and anchors that an analyst gave, turned into candidates."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from rapidfuzz import fuzz

from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.page import Page, Segment, horizontal_overlap, text_of
from jugum.core.schema import FieldPlan, Plan, ReadingRule, Where
from jugum.core.values import DataType, compiled

ANCHOR_LEAST = 86.0  # per cent of likeness (RapidFuzz ratio) to an anchor's words
BETWEEN_WORDS_MAX = 60  # an end further away belongs to something else
ROWS_BELOW_MAX = 4  # rows under the words of a rule; what stands lower is another block


def candidates_with_rules(
    plan: Plan, pages: Sequence[Page], parts_of: Sequence[PageCandidates] = ()
) -> tuple[list[Candidate], dict[str, list[int]]]:
    """All candidates of a plan's fields on a paper, those found by rules among them, and for each field with rules
    the indices of what its rules found, the surest rule (the first) first. `parts_of` are the pages' parts, if they
    are there already."""
    kinds = list(dict.fromkeys(field.value_type for field in plan.fields))
    found: list[Candidate] = []
    by_rule: dict[str, list[int]] = {}
    for number, page in enumerate(pages):
        parts = parts_of[number] if parts_of else PageCandidates(page)
        start = len(found)
        found += parts.of(kinds)
        place = {(c.kind, c.first, c.last): start + n for n, c in enumerate(found[start:]) if not c.more_lines}
        for field in plan.fields:
            for candidate in rule_candidates(field, parts):
                key = (candidate.kind, candidate.first, candidate.last)
                if key not in place:
                    place[key] = len(found)
                    found.append(candidate)
                if place[key] not in by_rule.setdefault(field.key, []):
                    by_rule[field.key].append(place[key])
    return found, by_rule


def rule_candidates(field: FieldPlan, parts: PageCandidates) -> Iterator[Candidate]:
    """What a field's rules find on a page, rule after rule."""
    for rule in field.rules:
        for first, last in _pattern(rule, parts) if rule.pattern else _anchor(rule, field, parts):
            candidate = parts.within(field.value_type, first, last)
            if candidate is not None:
                yield candidate


def _pattern(rule: ReadingRule, parts: PageCandidates) -> Iterator[tuple[int, int]]:
    """Words that a pattern's group (or whole) touches, row by row."""
    pattern = compiled(rule.pattern)
    for row in parts.by_row.values():
        first, last = row[0].first, row[-1].last
        starts, at = [], 0
        for word in parts.words[first : last + 1]:
            starts.append(at)
            at += len(word.text) + 1
        for match in pattern.finditer(text_of(parts.words[first : last + 1])):
            begin, end = match.span(1) if pattern.groups and match[1] is not None else match.span()
            inside = [n for n, at in enumerate(starts) if at < end and at + len(parts.words[first + n].text) > begin]
            if inside:
                yield first + inside[0], first + inside[-1]


def _anchor(rule: ReadingRule, field: FieldPlan, parts: PageCandidates) -> Iterator[tuple[int, int]]:
    for first, last in _places(rule.words, parts):
        for near_first, near_last in _near(rule, parts, first, last):
            yield _readable(field, parts, near_first, near_last)


def _places(words: str, parts: PageCandidates) -> Iterator[tuple[int, int]]:
    """Where some words stand on a page, letters misread allowed for, best first."""
    wanted = _bare(words)
    count = max(1, len(words.split()))
    found = []
    for row in parts.by_row.values():
        first, last = row[0].first, row[-1].last
        for length in {count, max(1, count - 1), count + 1}:
            for start in range(first, last - length + 2):
                text = _bare(text_of(parts.words[start : start + length]))
                likeness = fuzz.ratio(wanted, text)
                if likeness >= ANCHOR_LEAST:
                    found.append((-likeness, start, start + length - 1))
    taken: list[tuple[int, int]] = []
    for _, first, last in sorted(found):
        if not any(first <= b and a <= last for a, b in taken):
            taken.append((first, last))
            yield first, last


def _bare(text: str) -> str:
    """Small letters and digits, single blanks: an anchor may be a number, so digits count."""
    return " ".join("".join(letter if letter.isalnum() else " " for letter in text.casefold()).split())


def _near(rule: ReadingRule, parts: PageCandidates, first: int, last: int) -> Iterator[tuple[int, int]]:
    """The words that stand to an anchor as a rule says: the rest of its piece of the row or the next piece, …"""
    row = next(row for row in parts.by_row.values() if row[0].first <= first <= row[-1].last)
    home = next(segment for segment in row if segment.first <= first <= segment.last)
    place = row.index(home)
    if rule.where is Where.RIGHT:
        if last < home.last:
            yield last + 1, home.last
        elif place + 1 < len(row):
            yield row[place + 1].first, row[place + 1].last
    elif rule.where is Where.LEFT:
        if first > home.first:
            yield home.first, first - 1
        elif place:
            yield row[place - 1].first, row[place - 1].last
    elif rule.where is Where.BETWEEN:
        end = next((start for start, _ in sorted(_places(rule.until, parts)) if start > last), None)
        if end is not None and last + 1 < end <= last + BETWEEN_WORDS_MAX:
            yield last + 1, end - 1
    else:
        yield from _above_or_below(rule, parts, home, first, last)


def _above_or_below(
    rule: ReadingRule, parts: PageCandidates, home: Segment, first: int, last: int
) -> Iterator[tuple[int, int]]:
    step = 1 if rule.where is Where.BELOW else -1
    x0, x1 = parts.words[first].box.x0, parts.words[last].box.x1
    box = home.box._replace(x0=x0, x1=x1)
    for distance in range(1, ROWS_BELOW_MAX + 1):
        over = [
            segment
            for segment in parts.by_row.get(home.row + step * distance, ())
            if horizontal_overlap(segment.box, box) > 0.1
        ]
        if over:
            best = max(over, key=lambda segment: horizontal_overlap(segment.box, box))
            yield best.first, best.last
            return


def _readable(field: FieldPlan, parts: PageCandidates, first: int, last: int) -> tuple[int, int]:
    """The longest run of these words, from the earliest start, that the field's data type reads; text takes all of
    them."""
    if field.data_type in (DataType.TEXT, DataType.ADDRESS):
        return first, last
    for start in range(first, last + 1):
        for end in range(last, start - 1, -1):
            if parts.within(field.value_type, start, end) is not None:
                return start, end
    return first, last
