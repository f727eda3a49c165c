"""Suggestions from papers of the same layout that are labelled already: one labelled paper helps the rest of its layout
at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jugum.core.classification import LayoutBook, layout_of
from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.candidates.samples import Sample, gold_candidate
from jugum.core.extraction.values.assignment import Choice, Decision, decide
from jugum.core.extraction.values.deciding import CANDIDATES_MAX
from jugum.core.extraction.values.examples import labelled_examples
from jugum.core.extraction.values.features import PaperFeatures
from jugum.core.extraction.values.offered import with_plausible_others
from jugum.core.extraction.values.prior import shipped_prior
from jugum.core.extraction.values.similarities import Example, Examples
from jugum.core.page import Page
from jugum.core.schema import Plan


def suggest_from_same_layout(plan: Plan, labelled: Sequence[Sample], pages: Sequence[Page]) -> list[Decision]:
    """What labelled papers of a layout say about another paper of it: for each field the candidate that stands to its
    values there as values of one field do, by the prior. `labelled` are one to a few papers; the plan's learned
    fields are decided."""
    plan = plan.learned
    examples: list[Example] = []
    for number, sample in enumerate(labelled):
        found, _ = candidates_with_rules(plan, sample.pages)
        placed = []
        for field in plan.fields:
            own = [at for at, candidate in enumerate(found) if candidate.kind == field.value_type]
            for label in sample.labels.get(field.key, ()):
                place = gold_candidate(label, field, [found[at] for at in own])
                if place is not None:
                    placed.append((field.key, own[place]))
        examples += labelled_examples(plan, number, found, placed)
    candidates, by_rule = candidates_with_rules(plan, pages)
    layout = layout_of(pages)
    alike = LayoutBook([layout_of(sample.pages) for sample in labelled]).likeness(layout)
    view = PaperFeatures(plan, candidates, Examples.of(examples), alike, [frozenset()] * len(labelled), by_rule)
    known = np.ones(len(labelled), dtype=bool)
    scored: dict[str, list[Choice]] = {}
    for field in plan.fields:
        field_scores = view.field_scores(field, known)
        if not field_scores.of_field.any() or not len(field_scores.chosen):
            scored[field.key] = []
            continue
        asked = np.argsort(-field_scores.prefilter_score, kind="stable")[:CANDIDATES_MAX]
        logits = shipped_prior().logits(view.features_of(field_scores, asked))
        order = np.argsort(-logits, kind="stable")
        scored[field.key] = [Choice(candidates[int(field_scores.chosen[asked[n]])], float(logits[n])) for n in order]
    return with_plausible_others(plan, decide(plan, scored, view.layout_similarity(known)))
