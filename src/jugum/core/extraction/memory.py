"""Suggestions from papers of the same look that are labelled already: one labelled paper helps all its look-alikes at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jugum.core.classification import layout_of
from jugum.core.extraction.assignment import Choice, Decision, decide
from jugum.core.extraction.examples import Sample, gold_candidate
from jugum.core.extraction.features import Example, PaperView, example_of
from jugum.core.extraction.rules import candidates_with_rules
from jugum.core.page import Page
from jugum.core.schema import Plan

SURROUNDINGS, PLACE, SHAPE = 0.55, 0.3, 0.15
EVEN = 0.62  # the score at which a candidate is as likely right as wrong
STEEP = 9.0


def remembered(plan: Plan, labelled: Sequence[Sample], pages: Sequence[Page]) -> list[Decision]:
    """What labelled papers of a look say about another paper of it: for each field the candidate whose surroundings, place and
    shape are most like those of its values there. `labelled` are one to a few papers; the plan's learned fields are decided."""
    plan = plan.learned
    examples: list[Example] = []
    for number, sample in enumerate(labelled):
        found, _ = candidates_with_rules(plan, sample.pages)
        for field in plan.fields:
            own = [one for one in found if one.kind == field.value_type]
            for label in sample.labels.get(field.key, ()):
                place = gold_candidate(label, field, own)
                if place is not None:
                    examples.append(example_of(number, field.key, own[place]))
    candidates, by_rule = candidates_with_rules(plan, pages)
    layouts = [layout_of(sample.pages) for sample in labelled]
    view = PaperView(plan, candidates, layout_of(pages), examples, layouts, [frozenset()] * len(layouts), by_rule)
    scored: dict[str, list[Choice]] = {}
    for field in plan.fields:
        chosen, mine = view.by_kind[field.value_type], view.fields == field.key
        if not len(chosen) or not mine.any():
            scored[field.key] = []
            continue
        score = (
            SURROUNDINGS * view.joint[chosen][:, mine].max(axis=1)
            + PLACE * view.place[chosen][:, mine].max(axis=1)
            + SHAPE * view.shape[chosen][:, mine].max(axis=1)
        )
        order = np.argsort(-score, kind="stable")[:40]
        scored[field.key] = [Choice(candidates[int(chosen[n])], STEEP * (float(score[n]) - EVEN)) for n in order]
    familiarity = float(view.alike.max()) if len(view.alike) else 0.0
    return decide(plan, scored, familiarity)
