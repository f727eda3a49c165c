"""Finding where a value keyed by hand stands on its paper, so that it becomes a label without drawing a box."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np
from rapidfuzz import fuzz

from jugum.core.classification import layout_of
from jugum.core.extraction.candidates import Candidate, candidates_of
from jugum.core.extraction.features import Example, PaperView
from jugum.core.page import Page
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType, normal_form, same_value

FUZZY_LEAST = 0.86
CLEAR_LEAD = 0.08


class Placing(StrEnum):
    PLACED = "placed"
    AMBIGUOUS = "ambiguous"
    NOT_FOUND = "not found"


@dataclass(frozen=True)
class Placement:
    """Where a keyed value stands: `candidate` is None when it was not found; ambiguous ones carry the best guess."""

    how: Placing
    candidate: Candidate | None
    places: int


def place_value(
    plan: Plan, pages: Sequence[Page], values: Mapping[str, str], examples: Sequence[Example] = ()
) -> dict[str, Placement]:
    """Place values (field key → keyed text) on a paper.

    A value's places are the widest candidates that say the same in normal form, else (text only) those at least 86 %
    alike. Of several, the one whose surroundings the field's printed names and earlier examples speak for most is
    taken; it is *ambiguous* when it leads by under 0.08.
    """
    found = candidates_of(pages, {field.value_type for field in plan.fields})
    layout = layout_of(pages)
    papers = sorted({example.paper for example in examples})
    renumbered = [Example(papers.index(e.paper), e.field, e.contexts, e.text, e.shape, e.page, e.box) for e in examples]
    view = PaperView(plan, found, layout, renumbered, [layout] * len(papers), [frozenset[str]()] * len(papers))
    return {key: _place(view, plan.field(key), text) for key, text in values.items()}


def _place(view: PaperView, field: FieldPlan, text: str) -> Placement:
    normal = normal_form(text, field.value_type)
    chosen, scores = view.name_score(field)
    if normal is None or not len(chosen):
        return Placement(Placing.NOT_FOUND, None, 0)
    mine = view.fields == field.key
    if mine.any():
        scores = scores + 1.5 * view.joint[chosen][:, mine].max(axis=1)
    places = _equal_places(view, field, chosen, normal)
    if not places:
        return Placement(Placing.NOT_FOUND, None, 0)
    ranked = sorted(places, key=lambda place: (-float(scores[place]), place))
    best = view.candidates[int(chosen[ranked[0]])]
    lead = float(scores[ranked[0]] - scores[ranked[1]]) if len(ranked) > 1 else 1.0
    how = Placing.PLACED if lead >= CLEAR_LEAD else Placing.AMBIGUOUS
    return Placement(how, best, len(ranked))


def _equal_places(
    view: PaperView, field: FieldPlan, chosen: np.ndarray[tuple[int], np.dtype[np.intp]], normal: str
) -> list[int]:
    """Places (positions in `chosen`) of candidates saying `normal`; where several share words, the tightest fit."""
    candidates = [view.candidates[int(index)] for index in chosen]
    exact = [place for place, c in enumerate(candidates) if same_value(c.normal, normal, field.value_type)]
    if not exact and field.data_type in (DataType.TEXT, DataType.NAME):
        alike = [
            (fuzz.ratio(c.normal.casefold(), normal.casefold()) / 100, place) for place, c in enumerate(candidates)
        ]
        best = max(alike, default=(0.0, 0))[0]
        exact = [place for score, place in alike if score >= FUZZY_LEAST and score >= best - 1e-9]
    kept: list[int] = []
    for place in sorted(exact, key=lambda place: len(candidates[place].text)):
        mine = candidates[place]
        if not any(
            mine.page == candidates[k].page and mine.first <= candidates[k].last and candidates[k].first <= mine.last
            for k in kept
        ):
            kept.append(place)
    return kept
