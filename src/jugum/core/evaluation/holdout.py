"""Out-of-fold decisions: each paper judged by a ranker, examples and layouts that hold nothing of it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from jugum.core.extraction import Decision, SampleLabel, train_extractor
from jugum.core.extraction.corpus import Corpus
from jugum.core.schema import FieldPlan
from jugum.core.values import same_value

FOLDS = 5


@dataclass(frozen=True)
class HeldOut:
    """A decision on a paper that was held out (number in the corpus), whether it was right, and whether the paper's
    whole look-alike group was held out too (`unseen`)."""

    paper: int
    fold: int
    decision: Decision
    right: bool
    unseen: bool


def is_right(decision: Decision, labels: Sequence[SampleLabel], field: FieldPlan) -> bool:
    """Whether the values chosen are exactly the labelled ones in normal form, in any order; none on both sides counts."""
    left = [label.normal for label in labels]
    for choice in decision.chosen:
        match = next((value for value in left if same_value(value, choice.candidate.normal, field.data_type)), None)
        if match is None:
            return False
        left.remove(match)
    return not left


def held_out_decisions(
    corpus: Corpus, *, unseen: bool, seed: int = 0, progress: Callable[[float], None] = lambda share: None
) -> list[HeldOut]:
    """Decisions on every paper by rankers trained without it: five folds of papers, or, `unseen`, of whole look-alike
    groups. Empty when nothing would be left to learn from (one group only, fewer than two papers)."""
    folds = group_folds(corpus, seed) if unseen else paper_folds(corpus, seed)
    found: list[HeldOut] = []
    for number, fold in enumerate(folds):
        rest = [paper for paper in range(len(corpus.samples)) if paper not in set(fold)]
        known = np.zeros(len(corpus.samples), dtype=bool)
        known[rest] = True
        try:
            ranker = train_extractor(corpus, rest, seed=seed)
        except ValueError:
            continue  # this fold leaves nothing right or nothing wrong to learn from
        for paper in fold:
            for decision in corpus.decisions(paper, known, ranker):
                labels = corpus.samples[paper].labels.get(decision.field)
                if labels is not None:
                    right = is_right(decision, labels, corpus.plan.field(decision.field))
                    found.append(HeldOut(paper, number, decision, right, unseen))
        progress((number + 1) / len(folds))
    return found


def paper_folds(corpus: Corpus, seed: int) -> list[list[int]]:
    """Up to five folds of papers, those of a look-alike group spread evenly over them."""
    rng = np.random.default_rng(seed)
    papers = rng.permutation(len(corpus.samples))
    papers = papers[np.argsort(corpus.groups[papers], kind="stable")]
    count = min(FOLDS, len(papers))
    folds = [sorted(int(paper) for paper in papers[start::count]) for start in range(count)]
    return folds if len(papers) > 1 else []


def group_folds(corpus: Corpus, seed: int) -> list[list[int]]:
    """Up to five folds of whole look-alike groups, about equally many papers in each."""
    rng = np.random.default_rng(seed)
    groups = rng.permutation(np.unique(corpus.groups))
    if len(groups) < 2:
        return []
    sizes = {int(group): int((corpus.groups == group).sum()) for group in groups}
    folds: list[list[int]] = [[] for _ in range(min(FOLDS, len(groups)))]
    for group in sorted(sizes, key=lambda group: -sizes[group]):
        smallest = min(folds, key=len)
        smallest.extend(int(paper) for paper in np.nonzero(corpus.groups == group)[0])
    return [sorted(fold) for fold in folds]
