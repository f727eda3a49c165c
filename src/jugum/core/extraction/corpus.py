"""Labelled papers made ready for learning: candidates, what the labels mean among them, and rows for the ranker."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.classification import layout_of, look_alike_groups, similarity_matrix
from jugum.core.extraction.assignment import Choice, Decision, decide
from jugum.core.extraction.candidates import Candidate
from jugum.core.extraction.examples import Sample, gold_candidate
from jugum.core.extraction.features import FEATURES, Example, PaperView, example_of
from jugum.core.extraction.prior import share_of_prior, shipped_prior
from jugum.core.extraction.ranker import Ranker
from jugum.core.extraction.rules import candidates_with_rules
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import same_value

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
HARD_ROWS = 14
RANDOM_ROWS = 8
GROUP_OUT_WEIGHT = 0.6
PRIOR_ASKED = 12  # candidates of a field, the likeliest by the ranker, of which the prior is asked


@dataclass(frozen=True)
class Rows:
    """Feature rows (N×F), whether each candidate is right (N), and the rows' weights (N)."""

    features: Floats
    right: Mask
    weights: Floats


class Corpus:
    """Samples of one type. `groups` are the look-alike groups found among them (or those given)."""

    def __init__(
        self,
        plan: Plan,
        samples: Sequence[Sample],
        *,
        groups: Sequence[int] | None = None,
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        self.plan = plan
        self.samples = list(samples)
        paired = [candidates_with_rules(plan, sample.pages) for sample in samples]
        self.candidates = [one for one, _ in paired]
        self.by_rule = [hits for _, hits in paired]
        self.layouts = [layout_of(sample.pages) for sample in samples]
        progress(0.2)
        likeness = similarity_matrix(self.layouts)
        self.groups = np.array(groups if groups is not None else look_alike_groups(likeness), dtype=np.intp)
        self.texts = [frozenset(candidate.plain for candidate in found) for found in self.candidates]
        self._same: dict[tuple[int, str], Mask] = {}
        self.gold = [self._gold(number) for number in range(len(samples))]
        self.examples: list[Example] = [
            example_of(number, key, self.candidates[number][index])
            for number, gold in enumerate(self.gold)
            for key, indices in gold.items()
            for index in indices
            if index is not None
        ]
        progress(0.4)
        self.views: list[PaperView] = []
        for number, found in enumerate(self.candidates):
            self.views.append(
                PaperView(
                    plan, found, self.layouts[number], self.examples, self.layouts, self.texts, self.by_rule[number]
                )
            )
            progress(0.4 + 0.6 * (number + 1) / len(samples))

    def _gold(self, number: int) -> dict[str, list[int | None]]:
        """For each decided field of a sample, the candidate each of its labels means (None: among no candidates)."""
        sample, found = self.samples[number], self.candidates[number]
        gold: dict[str, list[int | None]] = {}
        for field in self.plan.fields:
            if field.key not in sample.labels:
                continue
            places = [index for index, candidate in enumerate(found) if candidate.kind == field.value_type]
            own = [found[index] for index in places]
            means = [gold_candidate(label, field, own) for label in sample.labels[field.key]]
            gold[field.key] = [None if mean is None else places[mean] for mean in means]
        return gold

    def rows(self, papers: Sequence[int], known: Mask, seed: int) -> Rows:
        """Rows of `papers`, each paper's features made as if it, and then its whole look-alike group, had not been
        labelled. Without the second kind the ranker learns only to copy twins, and gets worse on new layouts the
        more it is shown."""
        rng = np.random.default_rng(seed)
        parts: list[tuple[Floats, Mask, float]] = []
        for paper in papers:
            without_paper = known.copy()
            without_paper[paper] = False
            without_group = known & (self.groups != self.groups[paper])
            for mask, weight in ((without_paper, 1.0), (without_group, GROUP_OUT_WEIGHT)):
                for field in self.plan.fields:
                    if field.key in self.gold[paper]:
                        features, right = self.field_rows(paper, field, mask, rng)
                        parts.append((features, right, weight))
        if not parts:
            raise ValueError("no labels to learn from")
        return Rows(
            np.concatenate([features for features, _, _ in parts]),
            np.concatenate([right for _, right, _ in parts]),
            np.concatenate([np.full(len(right), weight, dtype=np.float32) for _, right, weight in parts]),
        )

    def field_rows(self, paper: int, field: FieldPlan, known: Mask, rng: np.random.Generator) -> tuple[Floats, Mask]:
        """The right candidates, the wrong ones hardest to tell from them, and a few at random. Candidates of the right
        value at other places are left out: they are not wrong."""
        view, gold = self.views[paper], self.gold[paper][field.key]
        leading = view.leading(field, known)
        chosen = leading.chosen
        right = np.isin(chosen, [index for index in gold if index is not None])
        neutral = self._of_right_value(paper, field)[chosen]
        if None in gold:  # the value was misread or torn: what looks like it here can't be called wrong
            return np.zeros((0, len(FEATURES)), dtype=np.float32), right[:0]
        wrong = np.nonzero(~right & ~neutral)[0]
        hard = wrong[np.argsort(-leading.hardness[wrong], kind="stable")[:HARD_ROWS]]
        rest = np.setdiff1d(wrong, hard)
        drawn = rng.choice(rest, min(RANDOM_ROWS, len(rest)), replace=False) if len(rest) else rest
        keep = np.concatenate([np.nonzero(right)[0], hard, drawn]).astype(np.intp)
        return view.features_of(leading, keep), right[keep]

    def _of_right_value(self, paper: int, field: FieldPlan) -> Mask:
        """Which of a paper's candidates say what a field's labels say, at whatever place (kept: asked in every fold)."""
        if (paper, field.key) not in self._same:
            values = [label.normal for label in self.samples[paper].labels[field.key]]
            self._same[paper, field.key] = np.array(
                [
                    any(same_value(c.normal, value, field.value_type) for value in values)
                    for c in self.candidates[paper]
                ],
                dtype=bool,
            )
        return self._same[paper, field.key]

    def decisions(self, paper: int, known: Mask, ranker: Ranker) -> list[Decision]:
        """What a ranker decides on a paper of the corpus when only `known` papers are labelled."""
        return decisions_on(self.plan, self.views[paper], self.candidates[paper], known, ranker)


def decisions_on(
    plan: Plan, view: PaperView, candidates: Sequence[Candidate], known: Mask, ranker: Ranker
) -> list[Decision]:
    """Score all (candidate, field) pairs of a paper in one call of the ranker, then decide."""
    tables = [view.features(field, known) for field in plan.fields]
    rows = np.concatenate([features for _, features in tables])
    logits = ranker.logits(rows)
    best = _likeliest(logits, [len(chosen) for chosen, _ in tables])
    share = share_of_prior(view.familiarity(known))
    logits[best] = (1 - share) * logits[best] + share * shipped_prior().logits(rows[best])
    scored: dict[str, list[Choice]] = {}
    start = 0
    for field, (chosen, _) in zip(plan.fields, tables, strict=True):
        own = logits[start : start + len(chosen)]
        start += len(chosen)
        order = np.argsort(-own, kind="stable")
        scored[field.key] = [Choice(candidates[int(chosen[place])], float(own[place])) for place in order]
    return decide(plan, scored, view.familiarity(known))


def _likeliest(logits: npt.NDArray[np.float64], counts: Sequence[int]) -> npt.NDArray[np.intp]:
    """The rows of each field's likeliest candidates: only these few can be decided for, so only of these the prior is asked."""
    found, start = [], 0
    for count in counts:
        found.append(start + np.argsort(-logits[start : start + count], kind="stable")[:PRIOR_ASKED])
        start += count
    return np.concatenate(found) if found else np.zeros(0, dtype=np.intp)
