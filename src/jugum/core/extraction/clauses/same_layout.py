"""Clauses from labelled papers of the same layout: what a person marked on one paper is proposed on the next, from the
line it begins with to the line that comes after it."""

from __future__ import annotations

from collections.abc import Sequence

from rapidfuzz import fuzz

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.sections import SectionLine, lines_of, places_of
from jugum.core.extraction.found import EngineName, Found
from jugum.core.page import Box, Page
from jugum.core.schema import FieldKind, Plan

ALIKE_LEAST = 0.8  # likeness of two lines that are taken for the same printed line
NEIGHBOUR_WORTH = 0.95  # of a line before that is alike, where the first line itself is written anew on each paper
WHY = "where it stands on a labelled paper of the layout"


def suggest_clauses(plan: Plan, labelled: Sequence[Sample], pages: Sequence[Page]) -> dict[str, Found]:
    """Field key → the lines that stand to a paper as a clause's stood to the first labelled paper that has it and on
    which its first line, or the one before, is printed alike. Clauses that none tells are left out."""
    lines = lines_of(pages)
    found: dict[str, Found] = {}
    for field in plan.fields:
        if field.kind is not FieldKind.CLAUSE:
            continue
        for sample in labelled:
            for label in sample.labels.get(field.key, ())[:1]:
                if field.key not in found and (its := _as_on(sample, label, lines)):
                    found[field.key] = _found(its)
    return found


def _as_on(sample: Sample, label: SampleLabel, lines: Sequence[SectionLine]) -> list[SectionLine]:
    """The lines of a paper that a label on another one means; none where its beginning is not found again."""
    theirs = lines_of(sample.pages)
    marked = [number for number, line in enumerate(theirs) if _is_marked(line, label)]
    if not marked:
        return []
    first, last = marked[0], marked[-1]
    before = theirs[first - 1] if first else None
    scored = [
        (max(_alike(line, theirs[first]), NEIGHBOUR_WORTH * _alike(lines[n - 1] if n else None, before)), -n)
        for n, line in enumerate(lines)
    ]
    score, place = max(scored, default=(0.0, 0))
    if score < ALIKE_LEAST:
        return []
    after = theirs[last + 1] if last + 1 < len(theirs) else None
    rest = lines[-place:]
    ends = next((n for n, line in enumerate(rest) if n and _alike(line, after) >= ALIKE_LEAST), None)
    return list(rest[: ends if ends is not None else len(marked)])


def _is_marked(line: SectionLine, label: SampleLabel) -> bool:
    places = [(label.page, label.box), *label.more_places]
    return any(page == line.page.number and box is not None and box.contains(*line.box.middle) for page, box in places)


def _alike(line: SectionLine | None, other: SectionLine | None) -> float:
    """How alike two lines are printed, 0–1; numbers count as equal, and no line is like none."""
    if line is None or other is None:
        return 0.0
    return fuzz.ratio(plain_text(line.text), plain_text(other.text)) / 100


def _found(lines: Sequence[SectionLine]) -> Found:
    places: list[tuple[int, Box]] = places_of(lines)
    text = " ".join(line.text for line in lines)
    sure = min(line.page.words[index].confidence for line in lines for index in line.words)
    return Found(text, text, *places[0], 1.0, EngineName.SECTION, WHY, sure, tuple(places[1:]))
