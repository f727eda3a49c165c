"""Suggestions from papers of the same look that are labelled already: one labelled paper helps all its look-alikes at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jugum.core.classification import layout_of
from jugum.core.extraction.assignment import Choice, Decision, decide
from jugum.core.extraction.examples import Sample, gold_candidate
from jugum.core.extraction.features import Example, PaperView, example_of
from jugum.core.extraction.prior import shipped_prior
from jugum.core.extraction.rules import candidates_with_rules
from jugum.core.page import Page
from jugum.core.schema import Plan


def remembered(plan: Plan, labelled: Sequence[Sample], pages: Sequence[Page]) -> list[Decision]:
    """What labelled papers of a look say about another paper of it: for each field the candidate that stands to its values
    there as values of one field do, by the prior. `labelled` are one to a few papers; the plan's learned fields are decided."""
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
    known = np.ones(len(layouts), dtype=bool)
    scored: dict[str, list[Choice]] = {}
    for field in plan.fields:
        chosen, mine = view.by_kind[field.value_type], view.fields == field.key
        if not len(chosen) or not mine.any():
            scored[field.key] = []
            continue
        _, rows = view.features(field, known)
        logits = shipped_prior().logits(rows)
        order = np.argsort(-logits, kind="stable")[:40]
        scored[field.key] = [Choice(candidates[int(chosen[n])], float(logits[n])) for n in order]
    familiarity = float(view.alike.max()) if len(view.alike) else 0.0
    return decide(plan, scored, familiarity)
