"""From a paper's features to a decision for each of its fields: the likeliest candidates are scored, then the best for
all fields together is taken."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.values.assignment import Choice, Decision, absence_logit, decide, strangeness
from jugum.core.extraction.values.features import COLUMN, FEATURES, PaperFeatures
from jugum.core.extraction.values.field_scores import FieldScores
from jugum.core.extraction.values.own_shapes import OwnShapes
from jugum.core.extraction.values.prior import shipped_prior
from jugum.core.extraction.values.ranker import Ranker
from jugum.core.extraction.values.reasons import reason
from jugum.core.extraction.values.relations import Relations, optimise_jointly
from jugum.core.schema import Plan

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
Inside = Callable[[Candidate], bool]
CANDIDATES_MAX = 40  # candidates of a field, the likeliest by looks, that are ranked; no other is ever decided for


@dataclass(frozen=True)
class Scored:
    """What a ranker says of a paper: `choices` by field, best first, the feature `rows` that they rest on (N×F, the
    prior's log-odds last), and `row_of` each of them by its field and candidate (its id)."""

    choices: Mapping[str, Sequence[Choice]]
    rows: Floats
    row_of: Mapping[tuple[str, int], int]


def with_prior(features: Floats) -> Floats:
    """Feature rows with the prior's log-odds as one more column."""
    return np.column_stack([features, shipped_prior().logits(features).astype(np.float32)]).astype(np.float32)


def scored_on(
    plan: Plan,
    view: PaperFeatures,
    known: Mask,
    ranker: Ranker,
    within: Mapping[str, Inside] | None = None,
    own_shapes: OwnShapes | None = None,
) -> Scored:
    """The likeliest candidates of all fields, scored in one call of the ranker. `within` says of fields inside a clause
    which candidates may be theirs, `own_shapes` what only a field's values look like."""
    shapes = own_shapes or OwnShapes()
    all_scores = [view.field_scores(field, known) for field in plan.fields]
    places = [
        _likeliest(view, field_scores, (within or {}).get(field_scores.field.key), shapes)
        for field_scores in all_scores
    ]
    tables = [view.features_of(field_scores, place) for field_scores, place in zip(all_scores, places, strict=True)]
    rows = with_prior(np.concatenate(tables)) if tables else np.zeros((0, len(FEATURES) + 1), dtype=np.float32)
    logits = ranker.logits(rows)
    choices: dict[str, list[Choice]] = {}
    row_of: dict[tuple[str, int], int] = {}
    start = 0
    for field, field_scores, place in zip(plan.fields, all_scores, places, strict=True):
        own = logits[start : start + len(place)]
        order = np.argsort(-own, kind="stable")
        choices[field.key] = [Choice(view.candidates[int(field_scores.chosen[place[n]])], float(own[n])) for n in order]
        row_of |= {(field.key, id(view.candidates[int(field_scores.chosen[place[n]])])): start + int(n) for n in order}
        start += len(place)
    return Scored(choices, rows, row_of)


def decided_on(
    plan: Plan,
    scored: Scored,
    layout_similarity: float,
    relations: Relations | None = None,
    own_shapes: OwnShapes | None = None,
    lacking: Mapping[str, float] | None = None,
) -> list[Decision]:
    """One decision per field of the plan. `relations` are what values of a paper are to each other, `own_shapes` what
    only a field's values look like, `lacking` the log-odds that papers of this layout lack a field."""
    shapes = own_shapes or OwnShapes()
    choices = {key: shapes.raised(key, its) for key, its in scored.choices.items()}
    decided = decide(plan, choices, layout_similarity)
    if relations is not None:
        here = replace(relations, lacking=lacking or {}, strange=strangeness(layout_similarity))
        decided = optimise_jointly(decided, here, absence_logit(layout_similarity))
    return [_explained(decision, scored) for decision in decided]


def _explained(decision: Decision, scored: Scored) -> Decision:
    """A decision with what spoke for it, the log-odds of ranker and prior, and how familiar its surroundings are."""
    first = next(iter(decision.chosen), None) or next(iter(decision.others), None)
    if first is None:
        return decision
    row = scored.rows[scored.row_of[decision.field, id(first.candidate)]]
    why = decision.why or (reason(row, first.candidate) if decision.chosen else "")
    scores = {"ranker": round(first.logit, 3), "prior": round(float(row[-1]), 3), "next": round(decision.rival, 3)}
    if not decision.chosen:
        return replace(decision, why=why, scores=scores)
    its = [
        scored.rows[scored.row_of[decision.field, id(choice.candidate)]][COLUMN["label_like"]]
        for choice in decision.chosen
    ]
    return replace(decision, why=why, scores=scores, label_like=float(min(its)))


def _likeliest(
    view: PaperFeatures, field_scores: FieldScores, inside: Inside | None, own_shapes: OwnShapes
) -> npt.NDArray[np.intp]:
    """Places of the candidates that are ranked: the likeliest by looks, what rules found, and what has a shape of the
    field's own."""
    order = np.argsort(-field_scores.prefilter_score, kind="stable")
    if inside is not None:
        allowed = np.array([inside(view.candidates[int(field_scores.chosen[n])]) for n in order], dtype=bool)
        order = order[allowed] if len(order) else order
    key = field_scores.field.key
    ruled = view.by_rule.get(key, frozenset())
    if key in own_shapes.fields:
        ruled = ruled | {int(n) for n in field_scores.chosen if own_shapes.has(key, view.candidates[int(n)].text)}
    by_rule = [n for n in order[CANDIDATES_MAX:] if int(field_scores.chosen[n]) in ruled]
    return np.concatenate([order[:CANDIDATES_MAX], np.array(by_rule, dtype=np.intp)]).astype(np.intp)


__all__ = ["CANDIDATES_MAX", "Inside", "Scored", "decided_on", "scored_on", "with_prior"]
