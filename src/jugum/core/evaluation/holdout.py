"""Out-of-fold decisions: each paper judged by a ranker, examples and layouts that hold nothing of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
import numpy.typing as npt

from jugum.core.evaluation.metrics import Counts
from jugum.core.extraction import Decision, SampleLabel, train_extractor
from jugum.core.extraction.cells import Cells, cells_of
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.examples import Sample
from jugum.core.extraction.parts import (
    PartPaper,
    Structures,
    expected_of,
    fit_parts,
    inside_of,
    judged,
    part_right,
    parts_of,
)
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import same_value

FOLDS = 5
Mask = npt.NDArray[np.bool_]


@dataclass(frozen=True)
class Verdict:
    """A decision against the labels: whether it is right, what was found and what was labelled (each on one line), what it counts in precision and
    recall (its values; of a table the cells), and a table's cells and rows."""

    right: bool
    found: str
    expected: str
    counts: Counts
    cells: Cells | None = None


@dataclass(frozen=True)
class HeldOut:
    """A decision on a paper that was held out (number in the corpus), what became of it, and whether the paper's whole look-alike group was held
    out too (`unseen`)."""

    paper: int
    fold: int
    decision: Decision | PartDecision
    verdict: Verdict
    unseen: bool

    @property
    def right(self) -> bool:
        return self.verdict.right


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
        part = parts_of(plan)
        made = [
            PartPaper.of(part, sample.pages, (structures or {}).get(sample.key))
            if part.fields
            else PartPaper((), (), {}, ())
            for sample in samples
        ]
        return Papers(plan, samples, corpus, made)

    @property
    def has_parts(self) -> bool:
        return bool(parts_of(self.plan).fields)


def rightly_found(decision: Decision, labels: Sequence[SampleLabel], field: FieldPlan) -> int:
    """How many of the values chosen are labelled ones in normal form, in any order."""
    left = [label.normal for label in labels]
    for choice in decision.chosen:
        match = next((value for value in left if same_value(value, choice.candidate.normal, field.data_type)), None)
        if match is not None:
            left.remove(match)
    return len(labels) - len(left)


def is_right(decision: Decision, labels: Sequence[SampleLabel], field: FieldPlan) -> bool:
    """Whether the values chosen are exactly the labelled ones in normal form, in any order; none on both sides counts."""
    return rightly_found(decision, labels, field) == len(decision.chosen) == len(labels)


def verdict_on(
    plan: Plan, decision: Decision | PartDecision, labels: Mapping[str, Sequence[SampleLabel]]
) -> Verdict | None:
    """What becomes of a decision; None where nobody has decided on its field."""
    one = plan.field(decision.field)
    if not judged(plan, one, labels):
        return None
    expected, its = expected_of(plan, one, labels), labels.get(one.key, ())
    if isinstance(decision, Decision):
        found = "; ".join(choice.candidate.normal for choice in decision.chosen)
        counts = Counts(rightly_found(decision, its, one), len(decision.chosen), len(its))
        return Verdict(is_right(decision, its, one), found, expected, counts)
    right = part_right(plan, decision, labels)
    if decision.kind is PartKind.TABLE:
        cells = cells_of(plan, decision, labels)
        return Verdict(right, decision.found, expected, Counts(cells.right, cells.found, cells.there), cells)
    count = sum(value is not None for value in decision.values[one.key])
    return Verdict(right, decision.found, expected, Counts(len(its) if right else 0, count, len(its)))


def held_out_decisions(
    papers: Papers, *, unseen: bool, seed: int = 0, progress: Callable[[float], None] = lambda share: None
) -> list[HeldOut]:
    """Decisions on every paper by models trained without it: five folds of papers, or, `unseen`, of whole look-alike
    groups. Empty when nothing would be left to learn from (one group only, fewer than two papers)."""
    corpus = papers.corpus
    folds = group_folds(corpus, seed) if unseen else paper_folds(corpus, seed)
    found: list[HeldOut] = []
    for number, fold in enumerate(folds):
        inside = set(fold)
        found += judge_fold(
            papers,
            fold,
            [paper for paper in range(len(corpus.samples)) if paper not in inside],
            number,
            unseen=unseen,
            seed=seed,
        )
        progress((number + 1) / len(folds))
    return found


def judge_fold(
    papers: Papers, fold: Sequence[int], rest: Sequence[int], number: int, *, unseen: bool, seed: int
) -> list[HeldOut]:
    """Decisions on the papers of a fold by models of the rest."""
    corpus = papers.corpus
    known = np.zeros(len(corpus.samples), dtype=bool)
    known[list(rest)] = True
    parts = (
        fit_parts(papers.plan, [papers.samples[n] for n in rest], [papers.parts[n] for n in rest])
        if papers.has_parts and rest
        else None
    )
    try:
        ranker = train_extractor(corpus, rest, seed=seed) if corpus.plan.fields else None
    except ValueError:
        ranker = None  # this fold leaves nothing right or nothing wrong to learn from
    tagger = corpus.tagger(rest) if ranker is not None else None
    found: list[HeldOut] = []
    for paper in fold:
        labels = papers.samples[paper].labels
        decided: list[PartDecision] = []
        values: list[Decision] = []
        if parts is not None:
            familiar = float(corpus.likeness(paper)[corpus.exemplar_mask(known)].max(initial=0.0))
            decided = parts.decide_on(papers.parts[paper], familiar)
        if ranker is not None:
            values = corpus.decisions(paper, known, ranker, inside_of(papers.plan, decided), tagger)
        every: list[Decision | PartDecision] = [*decided, *values]
        for decision in every:
            verdict = verdict_on(papers.plan, decision, labels)
            if verdict is not None:
                found.append(HeldOut(paper, number, decision, verdict, unseen))
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


__all__ = [
    "HeldOut", "Papers", "Verdict", "group_folds", "held_out_decisions", "is_right", "judge_fold", "paper_folds", "verdict_on",
]  # fmt: skip
