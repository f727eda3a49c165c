"""Finding where a value keyed by hand stands on its paper, so that it becomes a label without drawing a box."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from rapidfuzz import fuzz

from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.extraction.values.examples import example_of
from jugum.core.extraction.values.features import PaperFeatures
from jugum.core.extraction.values.similarities import Example, Examples
from jugum.core.page import Page
from jugum.core.schema import FieldPlan, Plan
from jugum.core.states import RecordState
from jugum.core.values import DataType, normal_form, same_value

# Of several letters one may be misread; of few none (bench/labelling.py: 0 of 1,104 placed wrongly).
FUZZY_LEAST = 0.86
CLEAR_LEAD = 0.08  # a smaller lead over the next place is asked about
FUZZY = frozenset({DataType.TEXT, DataType.NAME, DataType.ADDRESS, DataType.IDENTIFIER})


class Match(StrEnum):
    """How a value from past records and what is printed are alike: letter for letter, in normal form, or nearly."""

    EXACT = "exact"
    NORMAL = "normal form"
    FUZZY = "fuzzy"
    NONE = ""


@dataclass(frozen=True)
class Placement:
    """Where a value from past records stands. `places` are where it may stand, the likeliest first; `candidate`
    is the one it is placed at, or, when it is ambiguous, the best guess."""

    state: RecordState
    places: tuple[Candidate, ...] = ()
    match: Match = Match.NONE

    @property
    def candidate(self) -> Candidate | None:
        """The likeliest place; None when there is none."""
        return self.places[0] if self.places else None


def place_value(
    plan: Plan, pages: Sequence[Page], values: Mapping[str, str], examples: Sequence[Example] = ()
) -> dict[str, Placement]:
    """Place values (field key → keyed text) on a paper.

    A value's places are the widest candidates that say the same, letter for letter or in normal form, else a run of
    words that does, else (texts and identifiers) those at least 86 % alike. Of several, the one whose surroundings
    the field's printed names and earlier `examples` speak for most is taken; it is *ambiguous* when it leads by
    under 0.08. A place that another value of the paper holds more clearly is not taken twice.
    """
    parts = [PageCandidates(page) for page in pages]
    found = [
        candidate for part in parts for candidate in part.of(sorted({f.value_type for f in plan.fields}, key=repr))
    ]
    papers = sorted({example.paper for example in examples})
    renumbered = [replace(example, paper=papers.index(example.paper)) for example in examples]
    runs = {
        key: [] if _said(found, plan.field(key), text) else _runs(parts, plan.field(key), text)
        for key, text in values.items()
    }
    found += [candidate for its in runs.values() for candidate in its]
    view = PaperFeatures(plan, found, Examples.of(renumbered), np.ones(len(papers)), [frozenset[str]()] * len(papers))
    placed: dict[str, Placement] = {}
    for _ in range(2):  # what is clear in the first round keeps others from its words in the second
        held = {
            spot.span: key for key, one in placed.items() if one.state is RecordState.FOUND and (spot := one.candidate)
        }
        for key, text in values.items():
            if key not in placed or placed[key].state is RecordState.AMBIGUOUS:
                taken = {span for span, owner in held.items() if owner != key}
                placed[key] = _place(view, plan.field(key), text, taken)
    return placed


def placed_examples(plan: Plan, paper: int, placed: Mapping[str, Placement]) -> list[Example]:
    """What clearly placed values teach about where a field stands, for the papers that come after."""
    return [
        example_of(paper, key, one.candidate)
        for key, one in placed.items()
        if one.state is RecordState.FOUND and one.candidate is not None
    ]


def _said(candidates: Sequence[Candidate], field: FieldPlan, text: str) -> bool:
    normal = normal_form(text, field.value_type)
    if not normal:
        return False
    return any(
        candidate.kind == field.value_type and same_value(candidate.normal, normal, field.value_type)
        for candidate in candidates
    )


def _runs(parts: Sequence[PageCandidates], field: FieldPlan, text: str) -> list[Candidate]:
    """Runs of words that say a text though they are no usual candidate: too long, or over a gap in the line."""
    wanted = text.casefold().split()
    found = []
    for part in parts:
        said = [word.text.casefold() for word in part.words]
        for start in range(len(said) - len(wanted) + 1):
            if wanted and said[start : start + len(wanted)] == wanted:
                made = part.within(field.value_type, start, start + len(wanted) - 1)
                found += [made] if made else []
    return found


def _place(view: PaperFeatures, field: FieldPlan, text: str, taken: set[tuple[int, int, int]]) -> Placement:
    normal = normal_form(text, field.value_type)
    chosen, scores = view.name_score(field)
    if not normal or not len(chosen):
        return Placement(RecordState.NOT_FOUND)
    field_scores = view.field_scores(field, np.ones(len(view.alike), dtype=bool))
    if field_scores.of_field.any():
        scores = scores + 1.5 * field_scores.joint + 0.5 * field_scores.place
    places, match = _equal_places(view, field, chosen, text, normal)
    free = [place for place in places if view.candidates[int(chosen[place])].span not in taken]
    ranked = sorted(free or places, key=lambda place: (-float(scores[place]), place))
    if not ranked:
        return Placement(RecordState.NOT_FOUND)
    lead = float(scores[ranked[0]] - scores[ranked[1]]) if len(ranked) > 1 else 1.0
    how = RecordState.FOUND if lead >= CLEAR_LEAD else RecordState.AMBIGUOUS
    return Placement(how, tuple(view.candidates[int(chosen[place])] for place in ranked), match)


def _equal_places(
    view: PaperFeatures, field: FieldPlan, chosen: np.ndarray[tuple[int], np.dtype[np.intp]], text: str, normal: str
) -> tuple[list[int], Match]:
    """Places (positions in `chosen`) of candidates saying `normal`; where several share words, the tightest fit."""
    candidates = [view.candidates[int(index)] for index in chosen]
    equal = [place for place, c in enumerate(candidates) if same_value(c.normal, normal, field.value_type)]
    match = Match.EXACT if any(candidates[place].text == text for place in equal) else Match.NORMAL
    if not equal and field.data_type in FUZZY:
        alike = [
            (fuzz.ratio(c.normal.casefold(), normal.casefold()) / 100, place) for place, c in enumerate(candidates)
        ]
        best = max(alike, default=(0.0, 0))[0]
        equal = [place for score, place in alike if score >= FUZZY_LEAST and score >= best - 1e-9]
        match = Match.FUZZY
    kept: list[int] = []
    for place in sorted(equal, key=lambda place: len(candidates[place].text)):
        mine = candidates[place]
        if not any(
            mine.page == candidates[k].page and mine.first <= candidates[k].last and candidates[k].first <= mine.last
            for k in kept
        ):
            kept.append(place)
    return kept, match if kept else Match.NONE
