"""Held-out decisions: each paper judged by models, examples and layouts that know nothing of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
import numpy.typing as npt

from jugum.core.classification.layout_book import NEW_LAYOUT, group_by
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.model import on_layout
from jugum.core.extraction.parts import PartPaper, PartReader, fit_parts, inside_of, one_each, parts_of
from jugum.core.extraction.presence import Presence
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.extractor import train_extractor
from jugum.core.extraction.values.ranker import Ranker
from jugum.core.extraction.values.second_opinion import with_opinion
from jugum.core.extraction.values.together import PEERS_MAX, ReadAlone
from jugum.core.schema import Plan
from jugum.core.structure import Structures
from jugum.core.training.verdicts import Verdict, verdict_on
from jugum.errors import NothingToLearn, at_paper

FOLDS = 5  # the usual number: four fifths of the papers are left to learn from
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class HeldOut:
    """A decision on a paper that was held out (number in the corpus), what became of it, and whether the paper's
    whole layout group was held out too (`unseen`)."""

    paper: int
    fold: int
    decision: Decision | PartDecision
    verdict: Verdict
    unseen: bool

    @property
    def right(self) -> bool:
        """Whether the decision is what the label says."""
        return self.verdict.right


@dataclass(frozen=True)
class FoldLeftOut:
    """A fold (numbered from 0) whose `papers` papers gave no evidence about values, and why: the rest of the papers
    left nothing to learn from."""

    fold: int
    papers: int
    unseen: bool
    reason: str


@dataclass(frozen=True)
class HeldOutDecisions:
    """Decisions on held-out papers, and the folds that could give none."""

    records: list[HeldOut] = field(default_factory=list)
    left_out: list[FoldLeftOut] = field(default_factory=list)

    def __add__(self, other: HeldOutDecisions) -> HeldOutDecisions:
        return HeldOutDecisions([*self.records, *other.records], [*self.left_out, *other.left_out])


@dataclass
class Papers:
    """Labelled papers with all that judging them needs. `plan` is the whole plan; `corpus` holds its learned values,
    `parts` what its clauses, tables and marks are read from, made once for every fold."""

    plan: Plan
    samples: Sequence[Sample]
    corpus: Corpus
    parts: list[PartPaper] = field(default_factory=list)

    @staticmethod
    def of(
        plan: Plan, samples: Sequence[Sample], corpus: Corpus, structures: Mapping[str, Structures] | None = None
    ) -> Papers:
        """Papers made ready for holding out: values and parts of each worked out once."""
        part = parts_of(plan)
        made = []
        for sample in samples:
            with at_paper(sample.key):
                its = (structures or {}).get(sample.key)
                made.append(PartPaper.of(part, sample.pages, its) if part.fields else PartPaper((), (), {}, ()))
        return Papers(plan, samples, corpus, made)

    @cached_property
    def counted(self) -> list[bool]:
        """Of which papers figures are made: of those that a person looked at as a whole; of all when there are none."""
        whole = [sample.is_whole for sample in self.samples]
        return whole if any(whole) else [True] * len(whole)

    @property
    def has_parts(self) -> bool:
        """Whether any field is a clause, table or mark."""
        return bool(parts_of(self.plan).fields)


def held_out_decisions(
    papers: Papers, *, unseen: bool, seed: int = 0, progress: Callable[[float], None] = lambda share: None
) -> HeldOutDecisions:
    """Decisions on every paper by models trained without it: five folds of papers, or, `unseen`, of whole layout
    groups. Empty when nothing would be left to learn from (one group only, fewer than two papers)."""
    corpus = papers.corpus
    folds = group_folds(corpus, seed) if unseen else paper_folds(corpus, seed)
    found = HeldOutDecisions()
    for number, fold in enumerate(folds):
        inside = set(fold)
        rest = [paper for paper in range(len(corpus.samples)) if paper not in inside]
        found += judge_fold(papers, fold, rest, number, unseen=unseen, seed=seed)
        progress((number + 1) / len(folds))
    return found


def judge_fold(
    papers: Papers, fold: Sequence[int], rest: Sequence[int], number: int, *, unseen: bool, seed: int
) -> HeldOutDecisions:
    """Decisions on the papers of a fold by models of the rest. Where the rest has nothing to learn values from, the
    fold is among the left-out ones with the reason; any other fault is the caller's to see: evidence must not shrink
    in silence."""
    corpus = papers.corpus
    known = np.zeros(len(corpus.samples), dtype=bool)
    known[list(rest)] = True
    parts = (
        fit_parts(
            papers.plan,
            [papers.samples[n] for n in rest],
            [papers.parts[n] for n in rest],
            corpus.groups[list(rest)].tolist(),
        )
        if papers.has_parts and rest
        else None
    )
    left_out: list[FoldLeftOut] = []
    ranker: Ranker | None = None
    if corpus.plan.fields:
        try:
            ranker = train_extractor(corpus, rest, seed=seed)
        except NothingToLearn as error:
            left_out.append(FoldLeftOut(number, len(fold), unseen, str(error)))
    records = [
        record
        for paper, decisions in _fold_decisions(papers, fold, rest, known, parts, ranker)
        for decision in decisions
        if (record := _judged(papers, paper, number, decision, unseen)) is not None
    ]
    return HeldOutDecisions(records, left_out)


def _judged(papers: Papers, paper: int, fold: int, decision: Decision | PartDecision, unseen: bool) -> HeldOut | None:
    verdict = verdict_on(papers.plan, decision, papers.samples[paper].labels)
    return None if verdict is None else HeldOut(paper, fold, decision, verdict, unseen)


def _fold_decisions(
    papers: Papers,
    fold: Sequence[int],
    rest: Sequence[int],
    known: Mask,
    parts: PartReader | None,
    ranker: Ranker | None,
) -> list[tuple[int, list[Decision | PartDecision]]]:
    corpus = papers.corpus
    # learned from the rest too: it must not have seen the fold
    tagger = corpus.tagger(rest) if ranker is not None else None
    presence = Presence.of([papers.samples[n] for n in rest], [int(corpus.groups[n]) for n in rest])
    read: list[_Read] = []
    for paper in fold:
        decided: list[PartDecision] = []
        # Likeness to the papers that were learned from alone: else every held-out paper would seem well known.
        mates = corpus.reference_mask(known)
        alike = corpus.likeness(paper)[mates]
        group = group_by(alike, corpus.groups[corpus.reference_papers[mates]])
        lacking = presence.lacking(group)
        if parts is not None:
            decided = parts.decide_on(papers.parts[paper], float(alike.max(initial=0.0)), group)
        within = inside_of(papers.plan, decided)
        alone = corpus.read(paper, known, ranker, within, lacking) if ranker is not None else None
        read.append(_Read(paper, group, decided, alone))
    found: list[tuple[int, list[Decision | PartDecision]]] = []
    decided_values = _values(corpus, read, known)
    for its in read:
        values = decided_values.get(its.paper, [])
        if tagger is not None:
            values = with_opinion(corpus.plan, values, tagger.values(papers.samples[its.paper].pages))
        values, decided = one_each(values, its.parts)
        found.append((its.paper, on_layout(papers.plan, [*decided, *values], its.group, presence)))
    return found


@dataclass(frozen=True)
class _Read:
    """A held-out paper, the layout group it seems to be of, its parts, and what it says of its values by itself."""

    paper: int
    group: int
    parts: list[PartDecision]
    alone: ReadAlone | None


def _values(corpus: Corpus, fold: Sequence[_Read], known: Mask) -> dict[int, list[Decision]]:
    """Decisions on the values of held-out papers: of new layouts together with others of it, as live papers are."""
    peers = {its.paper: its.alone.peer(corpus.layouts[its.paper]) for its in fold if its.alone}
    found = {}
    for its in fold:
        if its.alone and its.group == NEW_LAYOUT:
            mates = [peers[n] for n in peers if n != its.paper and corpus.groups[n] == corpus.groups[its.paper]]
            found[its.paper] = corpus.together(its.alone, peers[its.paper], mates[:PEERS_MAX], known)
        elif its.alone:
            found[its.paper] = its.alone.decisions
    return found


def paper_folds(corpus: Corpus, seed: int) -> list[list[int]]:
    """Up to five folds of papers, those of a layout group spread evenly over them."""
    rng = np.random.default_rng(seed)
    papers = rng.permutation(len(corpus.samples))
    # The groups in an order drawn by lot, too: where each paper is a group of its own, their numbers are the order in
    # which papers came, and papers that came turn by turn would put each layout into one fold.
    groups, group_of = np.unique(corpus.groups[papers], return_inverse=True)
    papers = papers[np.argsort(rng.permutation(len(groups))[group_of], kind="stable")]
    count = min(FOLDS, len(papers))
    folds = [sorted(int(paper) for paper in papers[start::count]) for start in range(count)]
    return folds if len(papers) > 1 else []


def group_folds(corpus: Corpus, seed: int) -> list[list[int]]:
    """Up to five folds of whole layout groups, about equally many papers in each."""
    rng = np.random.default_rng(seed)
    groups = rng.permutation(np.unique(corpus.groups))
    if len(groups) < 2:  # without another layout nothing can be said about new ones
        return []
    sizes = {int(group): int((corpus.groups == group).sum()) for group in groups}
    folds: list[list[int]] = [[] for _ in range(min(FOLDS, len(groups)))]
    # the largest first, into the smallest fold: folds come out nearly alike
    for group in sorted(sizes, key=lambda group: -sizes[group]):
        smallest = min(folds, key=len)
        smallest.extend(int(paper) for paper in np.nonzero(corpus.groups == group)[0])
    return [sorted(fold) for fold in folds]


__all__ = [
    "FoldLeftOut",
    "HeldOut",
    "HeldOutDecisions",
    "Papers",
    "group_folds",
    "held_out_decisions",
    "judge_fold",
    "paper_folds",
]
