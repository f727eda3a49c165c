"""Labelled papers made ready for learning: candidates, what the labels mean among them, and rows for the ranker."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.classification import Layout, LayoutBook, layout_of
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.candidates.samples import Sample, gold_candidate
from jugum.core.extraction.candidates.synonyms import Groups
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.deciding import Inside, decided_on, scored_on, with_prior
from jugum.core.extraction.values.examples import labelled_examples
from jugum.core.extraction.values.features import FEATURES, PaperFeatures
from jugum.core.extraction.values.own_shapes import OwnShapes, ShapesSeen, shape_of
from jugum.core.extraction.values.ranker import Ranker
from jugum.core.extraction.values.relations import Relations, learned_relations
from jugum.core.extraction.values.second_opinion import TaggedPaper, WordTagger, fit_tagger, tagged
from jugum.core.extraction.values.similarities import Example, Examples
from jugum.core.extraction.values.together import Peer, ReadAlone, decided_together, repeats_of
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import same_value
from jugum.errors import NothingToLearn, at_paper

Floats = npt.NDArray[np.float32]
Mask = npt.NDArray[np.bool_]
Places = npt.NDArray[np.intp]
NEGATIVES_PER_DECISION = (14, 8)  # wrong candidates of a decision that are learned from: the hardest, and others by lot
NEGATIVES_OF_MANY = (10, 5)  # the same where there are so many decisions that more teach nothing
MANY_DECISIONS = 150  # above it NEGATIVES_OF_MANY are enough (bench/learning.py)
# Of rows made as if the whole layout were new, beside those of the paper alone (decision 0004).
GROUP_OUT_WEIGHT = 1.0
REFERENCES_MAX = 60  # papers whose values new papers are compared to
TAGGED_MAX = 40  # papers that the second opinion is learned from
DECISIONS_MAX = (
    400  # decisions (a field on a paper) that the ranker's rows are taken from; more of them taught it nothing more
)
ROW_PAPERS_MIN, ROW_PAPERS_MAX = 24, 160  # papers, though, at least and at most


@dataclass(frozen=True)
class Rows:
    """Feature rows (N×F, the prior's log-odds last), whether each candidate is right (N), the rows' weights (N), and
    which rows belong to one decision, a field on a paper (N, numbers)."""

    features: Floats
    right: Mask
    weights: Floats
    decisions: npt.NDArray[np.intp]


@dataclass(frozen=True)
class Prepared:
    """A paper of a corpus: its candidates, what rules found, and for each decided field the candidate that each of
    its labels means (None: among no candidates)."""

    candidates: list[Candidate]
    by_rule: dict[str, list[int]]
    gold: dict[str, list[int | None]]


class Corpus:
    """Samples of one type. `groups` are the layout groups found among them (or those given).

    As many papers as make 400 decisions (24 to 160), spread evenly over the groups, give rows to learn from, and 60
    of them examples to compare with; so training time and memory stop growing with more. All papers can be judged.
    """

    def __init__(
        self,
        plan: Plan,
        samples: Sequence[Sample],
        *,
        groups: Sequence[int] | None = None,
        synonyms: Groups | None = None,
        progress: Callable[[float], None] = lambda share: None,
    ) -> None:
        self.plan, self.synonyms = plan, synonyms
        self.samples = list(samples)
        self.layouts: list[Layout] = [layout_of(sample.pages) for sample in samples]
        found = groups if groups is not None else LayoutBook(self.layouts).groups
        self.groups = np.array(found, dtype=np.intp)
        most = int(np.clip(DECISIONS_MAX // max(1, len(plan.fields)), ROW_PAPERS_MIN, ROW_PAPERS_MAX))
        self.training_papers = spread(self.groups, most)
        self.reference_papers = np.array(spread(self.groups, REFERENCES_MAX, among=self.training_papers), dtype=np.intp)
        # What papers are compared with, in training and ever after.
        self.book = LayoutBook(
            [self.layouts[int(number)] for number in self.reference_papers],
            groups=[int(self.groups[number]) for number in self.reference_papers],
        )
        progress(0.1)
        self._prepared: dict[int, Prepared] = {}
        self._views: dict[int, PaperFeatures] = {}
        self._right_and_wrong: dict[tuple[int, str], tuple[Places, Places]] = {}
        self._relations: dict[bytes, Relations] = {}
        self._tagged: dict[int, TaggedPaper] = {}
        self._alike: dict[int, Floats] = {}
        self._shapes_seen: dict[int, ShapesSeen] = {}
        kept = set(self.training_papers)
        for place, number in enumerate(self.training_papers):
            with at_paper(self.samples[number].key):
                self._prepared[number] = self._prepare(number)
            progress(0.1 + 0.3 * (place + 1) / len(kept))
        self.texts = [
            frozenset(candidate.plain for candidate in self.prepared(int(number)).candidates)
            for number in self.reference_papers
        ]
        self.examples = Examples.of(
            [
                example
                for place, number in enumerate(self.reference_papers)
                for example in self._examples(place, int(number))
            ]
        )
        for place, number in enumerate(self.training_papers):
            with at_paper(self.samples[number].key):
                self._views[number] = self._view(number)
            progress(0.4 + 0.6 * (place + 1) / len(kept))

    def prepared(self, number: int) -> Prepared:
        """A paper's candidates and what its labels mean; kept for the papers that are learned from."""
        return self._prepared.get(number) or self._prepare(number)

    def view(self, number: int) -> PaperFeatures:
        """The features of a paper by its number; those made ready beforehand are kept, others are made each time."""
        return self._views.get(number) or self._view(number)

    def reference_mask(self, known: Mask) -> Mask:
        """Which exemplars are among known papers (a mask over all papers)."""
        return np.asarray(known[self.reference_papers], dtype=bool)

    def _prepare(self, number: int) -> Prepared:
        sample = self.samples[number]
        found, by_rule = candidates_with_rules(self.plan, sample.pages)
        gold: dict[str, list[int | None]] = {}
        for field in self.plan.fields:
            if field.key in sample.labels:
                places = [index for index, candidate in enumerate(found) if candidate.kind == field.value_type]
                own = [found[index] for index in places]
                means = [gold_candidate(label, field, own) for label in sample.labels[field.key]]
                gold[field.key] = [None if mean is None else places[mean] for mean in means]
        return Prepared(found, by_rule, gold)

    def _examples(self, place: int, number: int) -> list[Example]:
        """Examples of an exemplar, known by its place among the exemplars."""
        one = self.prepared(number)
        placed = [(key, index) for key, its in one.gold.items() for index in its if index is not None]
        return labelled_examples(self.plan, place, one.candidates, placed, self.synonyms)

    def _view(self, number: int) -> PaperFeatures:
        one = self.prepared(number)
        alike = self.likeness(number)
        return PaperFeatures(self.plan, one.candidates, self.examples, alike, self.texts, one.by_rule, self.synonyms)

    def likeness(self, number: int) -> Floats:
        """Likeness (0–1) of a paper's layout to each exemplar; worked out once."""
        if number not in self._alike:
            own = np.flatnonzero(self.reference_papers == number)
            alike = self.book.likeness_within[int(own[0])] if len(own) else self.book.likeness(self.layouts[number])
            self._alike[number] = alike.astype(np.float32)
        return self._alike[number]

    def rows(self, papers: Sequence[int], known: Mask, seed: int) -> Rows:
        """Rows of those of `papers` that are learned from, each paper's features made as if it, and then its whole
        layout group, had not been labelled. Without the second kind the ranker learns only to copy twins, and
        gets worse on new layouts the more it is shown. Raises NothingToLearn when none of them has a label."""
        rng = np.random.default_rng(seed)
        parts: list[tuple[Floats, Mask, float]] = []
        learned = [paper for paper in papers if paper in self._prepared]
        most = NEGATIVES_PER_DECISION if len(learned) * len(self.plan.fields) <= MANY_DECISIONS else NEGATIVES_OF_MANY
        for paper in learned:
            without_paper = known.copy()
            without_paper[paper] = False
            without_group = known & (self.groups != self.groups[paper])
            for mask, weight in ((without_paper, 1.0), (without_group, GROUP_OUT_WEIGHT)):
                for field in self.plan.fields:
                    if field.key in self.prepared(paper).gold:
                        features, right = self.field_rows(paper, field, mask, rng, most)
                        parts.append((features, right, weight))
        if not parts:
            raise NothingToLearn("none of the papers to learn from has a label of a value")
        features = np.concatenate([features for features, _, _ in parts])
        return Rows(
            with_prior(features),
            np.concatenate([right for _, right, _ in parts]),
            np.concatenate([np.full(len(right), weight, dtype=np.float32) for _, right, weight in parts]),
            np.concatenate([np.full(len(right), number, dtype=np.intp) for number, (_, right, _) in enumerate(parts)]),
        )

    def field_rows(
        self,
        paper: int,
        field: FieldPlan,
        known: Mask,
        rng: np.random.Generator,
        most: tuple[int, int] = NEGATIVES_PER_DECISION,
    ) -> tuple[Floats, Mask]:
        """The right candidates, the wrong ones hardest to tell from them, and a few at random. Candidates of the right
        value at other places are left out: they are not wrong."""
        if None in self.prepared(paper).gold[field.key]:
            # The value was misread or torn: what looks like it here can't be called wrong.
            return np.zeros((0, len(FEATURES)), dtype=np.float32), np.zeros(0, dtype=bool)
        view = self.view(paper)
        right, wrong = self._told(paper, field)
        field_scores = view.field_scores(field, self.reference_mask(known))
        order = np.argsort(-field_scores.prefilter_score[wrong], kind="stable")
        hard, rest = wrong[order[: most[0]]], wrong[order[most[0] :]]
        drawn = rng.choice(rest, min(most[1], len(rest)), replace=False) if len(rest) else rest
        keep = np.concatenate([right, hard, drawn])
        return view.features_of(field_scores, keep), np.arange(len(keep)) < len(right)

    def _told(self, paper: int, field: FieldPlan) -> tuple[Places, Places]:
        """Places of the right candidates among those of a field, and of the wrong ones (kept: asked in every fold)."""
        if (paper, field.key) not in self._right_and_wrong:
            chosen = self.view(paper).by_kind[field.value_type]
            gold = [index for index in self.prepared(paper).gold[field.key] if index is not None]
            right = np.isin(chosen, gold)
            wrong = ~right & ~self._of_right_value(paper, field)[chosen]
            self._right_and_wrong[paper, field.key] = np.flatnonzero(right), np.flatnonzero(wrong)
        return self._right_and_wrong[paper, field.key]

    def _of_right_value(self, paper: int, field: FieldPlan) -> Mask:
        """Which of a paper's candidates say what a field's labels say, at whatever place."""
        values = [label.normal for label in self.samples[paper].labels[field.key]]
        said: dict[str, bool] = {}
        for candidate in self.prepared(paper).candidates:
            if candidate.kind == field.value_type and candidate.normal not in said:
                said[candidate.normal] = any(same_value(candidate.normal, value, field.value_type) for value in values)
        return np.array([said.get(read.normal, False) for read in self.prepared(paper).candidates], dtype=bool)

    def read(
        self,
        paper: int,
        known: Mask,
        ranker: Ranker,
        within: Mapping[str, Inside] | None = None,
        lacking: Mapping[str, float] | None = None,
    ) -> ReadAlone:
        """What a paper of the corpus says by itself when only `known` papers are labelled."""
        view = self.view(paper)
        mask = self.reference_mask(known)
        shapes = self.own_shapes(known)
        scored = scored_on(self.plan, view, mask, ranker, within, shapes)
        similarity = view.layout_similarity(mask)
        decided = decided_on(self.plan, scored, similarity, self.relations(known), shapes, lacking)
        return ReadAlone(view.candidates, scored, similarity, decided)

    def together(self, alone: ReadAlone, mine: Peer, others: Sequence[Peer], known: Mask) -> list[Decision]:
        """What is decided on a paper when others of its layout, which is none of those of `known` papers, are read with
        it."""
        mask = self.reference_mask(known)
        groups = self.groups[self.reference_papers].tolist()
        repeats = repeats_of((example for example in self.examples.every if mask[example.paper]), groups)
        told = self.relations(known), self.own_shapes(known)
        return decided_together(self.plan, alone, mine, others, repeats, *told)

    def tagger(self, papers: Sequence[int]) -> WordTagger | None:
        """A second opinion learned from some papers; None for fewer than five."""
        labelled = [number for number in papers if self.samples[number].labels]
        chosen = spread(self.groups, TAGGED_MAX, among=labelled)
        for number in chosen:
            if number not in self._tagged:
                self._tagged[number] = tagged(self.plan, self.samples[number])
        return fit_tagger(self.plan, [self._tagged[number] for number in chosen])

    def own_shapes(self, known: Mask) -> OwnShapes:
        """Shapes that only a field's values have on the known papers that are learned from."""
        return OwnShapes.learned(self._shapes(paper) for paper in self.training_papers if known[paper])

    def _shapes(self, paper: int) -> ShapesSeen:
        if paper not in self._shapes_seen:
            one = self.prepared(paper)
            seen = ShapesSeen(Counter(), Counter())
            for field in self.plan.fields:
                gold = one.gold.get(field.key, [None])
                places = [index for index in gold if index is not None]
                if len(places) == len(gold):  # none misread or torn
                    seen.right.update({(field.key, shape_of(one.candidates[index].text)) for index in places})
                    is_it = self._of_right_value(paper, field)
                    others = {
                        candidate.text
                        for candidate, right in zip(one.candidates, is_it, strict=True)
                        if not right and candidate.kind == field.value_type
                    }
                    seen.wrong.update((field.key, shape_of(text)) for text in others)
            self._shapes_seen[paper] = seen
        return self._shapes_seen[paper]

    def relations(self, known: Mask) -> Relations:
        """What values are to each other on the known papers."""
        key = known.tobytes()
        if key not in self._relations:
            self._relations[key] = learned_relations(self.plan, [self.samples[n] for n in np.flatnonzero(known)])
        return self._relations[key]


def spread(groups: npt.NDArray[np.intp], most: int, *, among: Sequence[int] | None = None) -> list[int]:
    """At most `most` papers (their numbers, in order), of each group as evenly many as there are, the later ones
    first."""
    every = list(among) if among is not None else list(range(len(groups)))
    if len(every) <= most:
        return every
    piles: dict[int, list[int]] = {}
    for number in every:
        piles.setdefault(int(groups[number]), []).append(number)
    chosen: list[int] = []
    while len(chosen) < most:
        for pile in piles.values():
            if pile and len(chosen) < most:
                chosen.append(pile.pop())
    return sorted(chosen)
