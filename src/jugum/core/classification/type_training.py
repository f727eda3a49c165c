"""Learning to tell types: one-vs-rest on wording and appearance, and when to refuse.

What no type has taught can't be refused from the known types' scores alone: distances refuse new layouts, plain
probabilities accept half of all strangers. So types are told from papers of no type in particular, too, which come with
the program; and rejection is learned from strangers that are made (each known type is left out in turn, and its papers
are judged by a model that has never met it) against new layouts that are made (each layout is left out in turn).

How sure a placing is, is then a matter of what comes in: the same papers tell it, weighed as known layouts, new ones
and strangers come (`stream_weights`), by a line through the log-odds of acceptance (Platt, 1999).
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.classification.platt import fit_platt
from jugum.core.classification.types import (
    APPEARANCE_WEIGHT,
    GENERAL,
    OTHER,
    REJECT_FEATURES,
    Acquaintance,
    Features,
    Floats,
    PlacingEvidence,
    TypeClassifier,
    TypeSample,
    confidence_of,
    features_of,
    general_papers,
)
from jugum.core.classification.wording import MANY, Bags
from jugum.errors import NothingToLearn

FOLDS = 5  # of papers whose layouts the judge knows
STRANGE_FOLDS = 3  # of papers of no type
SEEN_WEIGHT = 0.5  # of papers of layouts that the judge knew, beside new layouts and strangers at 1
SEEN_REFUSED = 2.0  # how much worse it is to refuse a paper of a known layout than one of a new one
LAYOUT_PAPERS = 6  # of a layout that is left out tell what becomes of it
# Of what comes in, shares that are assumed: layouts nobody labelled, and papers of no type. The second is told from
# what people placed as soon as they placed more papers than those the assumption weighs.
NEW_LAYOUT_SHARE, STRANGE_SHARE, STRANGE_WEIGHT = 0.1, 0.05, 20.0
# Without a stranger (one type) likeness alone decides: general papers are too strange to learn from.
BY_LIKENESS = (0.0, 0.0, 6.0, 6.0, 3.0, -4.0)


def fit_type_classifier(samples: Sequence[TypeSample]) -> TypeClassifier:
    """Learn from typed papers; at least one type with two papers (NothingToLearn else). The same samples give the
    same classifier."""
    typed = [sample for sample in samples if sample.type_id != OTHER]
    counted = Counter(sample.type_id for sample in typed)
    if not any(count >= 2 for count in counted.values()):
        raise NothingToLearn("two papers of a type are needed to learn the type")
    papers = _Papers.of(samples)
    records = _judged_unseen(papers)
    reject, least = _rejection([judged for judged in records if judged.right or not judged.belongs])
    reject, least = _calibrated(records, reject, least)
    evidence = tuple(judged.evidence(reject) for judged in records)
    return replace(_fitted(papers, papers.every, reject, least), evidence=evidence)


def fit_types(samples: Sequence[TypeSample], reject: Floats | None = None) -> TypeClassifier:
    """A classifier that tells types apart and refuses nothing, at a fraction of the cost, or that is as sure as the
    acceptance model of another says; NothingToLearn when no type has a paper."""
    if all(sample.type_id == OTHER for sample in samples):
        raise NothingToLearn("a paper of some type is needed to learn the types")
    papers = _Papers.of(samples)
    return _fitted(papers, papers.every, np.zeros(REJECT_FEATURES + 1) if reject is None else reject, 0.0)


@dataclass(frozen=True)
class StreamShares:
    """Of the papers that come in, the shares (0–1) that are of layouts nobody labelled and of no type."""

    new_layout: float
    strange: float


def stream_shares(acquaintances: Sequence[Acquaintance]) -> StreamShares:
    """As they are assumed; strangers also by how many of the papers that people placed are of no type."""
    count = Counter(acquaintances)
    placed = count[Acquaintance.KNOWN] + count[Acquaintance.NO_TYPE]
    strange = (count[Acquaintance.NO_TYPE] + STRANGE_SHARE * STRANGE_WEIGHT) / (placed + STRANGE_WEIGHT)
    return StreamShares((1 - strange) * NEW_LAYOUT_SHARE, strange)


def stream_weights(acquaintances: Sequence[Acquaintance]) -> Floats:
    """What each judged paper counts (N; their sum is N), so that known layouts, new ones and strangers weigh as they
    are assumed to come in, however many of each there are."""
    count, stream = Counter(acquaintances), stream_shares(acquaintances)
    strangers = count[Acquaintance.LEFT_OUT] + count[Acquaintance.NO_TYPE]
    new_layout = stream.new_layout if count[Acquaintance.NEW_LAYOUT] else 0.0
    shares = {
        Acquaintance.KNOWN: (1 - stream.strange - new_layout, count[Acquaintance.KNOWN]),
        Acquaintance.NEW_LAYOUT: (new_layout, count[Acquaintance.NEW_LAYOUT]),
        Acquaintance.LEFT_OUT: (stream.strange, strangers),
        Acquaintance.NO_TYPE: (stream.strange, strangers),
    }
    weights = np.array([shares[of][0] / shares[of][1] for of in acquaintances], dtype=np.float64)
    return weights * len(weights) / weights.sum() if len(weights) else weights


@dataclass(frozen=True)
class _Papers:
    """What is learned from: the samples, and after them the general papers. `labels` (N): the type of each, OTHER or
    GENERAL; `groups` and `numbers`, the layout group and the number of each sample."""

    features: list[Features]
    labels: npt.NDArray[np.int64]
    groups: list[int]
    numbers: list[int]

    @staticmethod
    def of(samples: Sequence[TypeSample]) -> _Papers:
        general = general_papers()
        labels = [sample.type_id for sample in samples] + [GENERAL] * len(general)
        features = [*(features_of(sample.pages) for sample in samples), *general]
        return _Papers(
            features,
            np.array(labels),
            [sample.group for sample in samples],
            [sample.number for sample in samples],
        )

    @property
    def every(self) -> list[int]:
        return list(range(len(self.features)))

    @cached_property
    def bags(self) -> Bags:
        return Bags.of([counts for counts, _ in self.features])

    def labelled(self, label: int) -> list[int]:
        return [int(number) for number in np.flatnonzero(self.labels == label)]

    def without(self, numbers: Sequence[int]) -> list[int]:
        left_out = set(numbers)
        return [number for number in self.every if number not in left_out]


@dataclass(frozen=True)
class _Judged:
    """A sample judged by a classifier that had not seen it: how it stood to its best type, what it is, what it was
    taken for, and what the judge knew of it."""

    standing: Floats
    sample: int
    type_id: int
    taken_for: int
    acquaintance: Acquaintance

    @property
    def belongs(self) -> bool:
        """Whether the judge had met its type."""
        return self.acquaintance in (Acquaintance.KNOWN, Acquaintance.NEW_LAYOUT)

    @property
    def right(self) -> bool:
        return self.belongs and self.taken_for == self.type_id

    def evidence(self, reject: Floats) -> PlacingEvidence:
        confidence = confidence_of(self.standing, reject)
        return PlacingEvidence(self.sample, self.type_id, self.taken_for, confidence, self.acquaintance)


def _fitted(papers: _Papers, chosen: Sequence[int], reject: Floats, least: float) -> TypeClassifier:
    """A classifier of the chosen papers."""
    from sklearn.linear_model import LogisticRegression

    appearances = np.array([papers.features[n][1] for n in chosen])
    its = papers.labels[chosen]
    # Of few papers a term on one alone may be print.
    wording, vectors = papers.bags.telling(chosen, 1 if int((its != GENERAL).sum()) < MANY else 2)
    types = np.unique(its[its >= 0])
    joined = sparse.csr_matrix(sparse.hstack([vectors, sparse.csr_matrix(APPEARANCE_WEIGHT * appearances)]))
    weights, bias = np.zeros((len(types), joined.shape[1])), np.zeros(len(types))
    for row, type_id in enumerate(types):
        model = LogisticRegression(C=20.0, class_weight="balanced", max_iter=300).fit(joined, its == type_id)
        weights[row], bias[row] = model.coef_[0], model.intercept_[0]
    known = np.array([np.asarray(vectors[its == type_id].sum(axis=0)).ravel() > 0 for type_id in types])
    typed = its >= 0
    return TypeClassifier(wording, types, weights, bias, known, vectors[typed], its[typed], reject, least)


def _judged_unseen(papers: _Papers) -> list[_Judged]:
    """Papers judged by classifiers that have not seen them: folds of papers and of whole layouts for what belongs; each
    type left out and papers known to be of no type for what does not."""
    neutral = np.zeros(REJECT_FEATURES + 1)
    found: list[_Judged] = []
    labels = papers.labels
    typed = [n for n in papers.every if labels[n] >= 0]

    def judge(test: Sequence[int], left_out: Sequence[int], acquaintance: Acquaintance) -> None:
        train = papers.without(left_out)
        if not (labels[train] >= 0).any():
            return
        classifier = _fitted(papers, train, neutral, 0.0)
        for number in test:
            taken_for, standing = classifier.standing(papers.features[number])
            found.append(_Judged(standing, papers.numbers[number], int(labels[number]), taken_for, acquaintance))

    for fold in range(FOLDS):
        test = [n for n in typed if n % FOLDS == fold]
        judge(test, test, Acquaintance.KNOWN)
    for type_id, group in sorted({(int(labels[n]), papers.groups[n]) for n in typed}):
        test = [n for n in papers.labelled(type_id) if papers.groups[n] == group]
        if len(test) < len(papers.labelled(type_id)):
            judge(test[:LAYOUT_PAPERS], test, Acquaintance.NEW_LAYOUT)
    for type_id in np.unique(labels[typed]):
        its = papers.labelled(int(type_id))
        judge(its, [*its, *papers.labelled(OTHER)], Acquaintance.LEFT_OUT)
    others = papers.labelled(OTHER)
    for fold in range(min(STRANGE_FOLDS, len(others))):
        test = others[fold::STRANGE_FOLDS]
        judge(test, test, Acquaintance.NO_TYPE)
    return found


def _rejection(records: Sequence[_Judged]) -> tuple[Floats, float]:
    """Weights of the acceptance model and its threshold: where as many papers of new layouts are refused as strangers
    are accepted. Known layouts, new ones and strangers weigh as much whatever their number."""
    from sklearn.linear_model import LogisticRegression

    belongs = np.array([judged.belongs for judged in records], dtype=bool)
    if belongs.all() or not belongs.any():
        return np.array(BY_LIKENESS), 0.5
    values = np.array([judged.standing for judged in records])
    unseen = np.array([judged.acquaintance is Acquaintance.NEW_LAYOUT for judged in records])
    kinds = [(belongs & ~unseen, SEEN_WEIGHT), (belongs & unseen, 1.0), (~belongs, 1.0)]
    weights_of = np.zeros(len(records))
    for its, weight in kinds:
        weights_of[its] = weight * len(records) / max(1, int(its.sum()))
    mean, spread = values.mean(axis=0), np.maximum(values.std(axis=0), 1e-6)
    model = LogisticRegression(C=1.0).fit((values - mean) / spread, belongs, sample_weight=weights_of)
    weights = model.coef_[0] / spread
    bias = float(model.intercept_[0] - (model.coef_[0] * mean / spread).sum())
    chances = 1 / (1 + np.exp(-(values @ weights + bias)))

    def worst(least: float) -> float:
        refused = [float((chances[its] < least).mean()) if its.any() else 0.0 for its, _ in kinds[:2]]
        return max(SEEN_REFUSED * refused[0], refused[1], float((chances[~belongs] >= least).mean()))

    cuts = sorted({0.0, *chances.tolist(), 1.0})
    cost = {(low + high) / 2: worst((low + high) / 2) for low, high in pairwise(cuts)}
    best = [least for least, its in cost.items() if its <= min(cost.values()) + 1e-9]
    return np.append(weights, bias), (best[0] + best[-1]) / 2  # in the middle where several do as well


def _calibrated(records: Sequence[_Judged], reject: Floats, least: float) -> tuple[Floats, float]:
    """The acceptance model and its threshold on a scale of chances: of all that comes in and stands so to its best
    type, the share that is of it."""
    if all(judged.belongs for judged in records):
        return reject, least
    standing = np.array([judged.standing for judged in records])
    scores = standing @ reject[:-1] + reject[-1]
    right = np.array([judged.right for judged in records])
    slope, offset = fit_platt(scores, right, stream_weights([judged.acquaintance for judged in records]))
    at = float(np.log(np.clip(least, 1e-9, 1.0) / np.clip(1 - least, 1e-9, 1.0)))
    shifted = slope * reject
    shifted[-1] += offset
    return shifted, float(1 / (1 + np.exp(-(slope * at + offset))))


__all__ = ["StreamShares", "fit_type_classifier", "fit_types", "stream_shares", "stream_weights"]
