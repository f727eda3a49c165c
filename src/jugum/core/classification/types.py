"""Which type a paper is of, and whether it is of any: one-vs-rest on wording and appearance, with a "none of these".

What no type has taught can't be refused from the known types' scores alone: distances refuse new layouts, plain
probabilities accept half of all strangers. So types are told from papers of no type in particular, too, which come with
the program; and rejection is learned from strangers that are made (each known type is left out in turn, and its papers
are judged by a model that has never met it) against new layouts that are made (each layout is left out in turn).
"""

from __future__ import annotations

import gzip
import json
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import cache, cached_property
from importlib.resources import files
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.classification.wording import MANY, Bags, Wording, look_of, terms_of
from jugum.core.page import Page
from jugum.errors import NothingToLearn

Floats = npt.NDArray[np.float64]
OTHER = -1  # the label of papers that are of no type
LEFT_OUT = -2  # in figures: papers whose own type was left out of what the judge had learned
GENERAL = -3  # the label of the papers of no type in particular that come with the program
APPEARANCE_WEIGHT = 1.0  # of what a page looks like from afar, beside its words; judged by bench/bundles.py
FOLDS = 5  # of papers whose layouts the judge knows
STRANGE_FOLDS = 3  # of papers of no type
PAGES_USED = 3  # a type shows on its first pages; later ones are alike in all contracts
# Score, lead, likeness to the nearest paper, shares of its words and of its word pairs that the type knows.
REJECT_FEATURES = 5
SEEN_WEIGHT = 0.5  # of papers of layouts that the judge knew, beside new layouts and strangers at 1
SEEN_REFUSED = 2.0  # how much worse it is to refuse a paper of a known layout than one of a new one
LAYOUT_PAPERS = 6  # of a layout that is left out tell what becomes of it
TWINS = 0.5  # likeness in wording from which on two types are near twins


@dataclass(frozen=True)
class Placed:
    """Types by likelihood, the best first, as (type, probability 0–1), and whether the best is sure enough to be
    taken."""

    likely: tuple[tuple[int, float], ...]
    accepted: bool
    confidence: float


@dataclass(frozen=True)
class TypeSample:
    """A paper whose type is known (OTHER: of none). `group` is its layout group, to hold whole layouts out."""

    pages: tuple[Page, ...]
    type_id: int
    group: int = 0


Features = tuple[Counter[str], Floats]


def features_of(pages: Sequence[Page]) -> Features:
    """Terms of the first pages together, the appearance of the first."""
    counts: Counter[str] = Counter()
    for page in pages[:PAGES_USED]:
        counts.update(terms_of(page))
    return counts, look_of(pages[0])


@cache
def general_papers() -> tuple[Features, ...]:
    """The papers of no type in particular; see `prior/general.py`."""
    data = files("jugum.core.classification").joinpath("data/general.json.gz").read_bytes()
    return tuple((Counter(terms), np.array(look)) for terms, look in json.loads(gzip.decompress(data)))


@dataclass(frozen=True)
class TypeClassifier:
    """The learned classifier. Build it with `fit_type_classifier`; `place` judges a paper.

    `types` (T,), `weights` (T, terms + appearance), `bias` (T,), `known` (T, terms): 1 where the type's papers hold the
    term, `centres` rows of all training papers with their type, `reject` weights and bias of the acceptance model,
    `least` its threshold. `figures` says what became of papers judged by classifiers that had not seen them, each once:
    (type, placed as, papers), OTHER for papers of no type and for those left unplaced; and once more, as LEFT_OUT, by
    classifiers that had never met their type.
    """

    wording: Wording
    types: npt.NDArray[np.int64]
    weights: Floats
    bias: Floats
    known: npt.NDArray[np.bool_]
    centres: sparse.csr_matrix
    centre_types: npt.NDArray[np.int64]
    reject: Floats
    least: float
    figures: tuple[tuple[int, int, int], ...] = ()

    def place(self, pages: Sequence[Page]) -> Placed:
        """Judge a paper by its first three pages. A paper without words is accepted by no type."""
        counts, appearance = features_of(pages)
        return self._judged(counts, appearance)

    def twins(self) -> list[tuple[int, int, float]]:
        """Pairs of types whose papers are so alike in wording (0–1, cosine of their mean vectors, 0.5 at least) that
        they are easily taken for each other."""
        means = np.stack(
            [
                np.asarray(self.centres[np.flatnonzero(self.centre_types == kind)].mean(axis=0)).ravel()
                for kind in self.types
            ]
        )
        # a type of papers without words has no direction
        means /= np.maximum(np.linalg.norm(means, axis=1, keepdims=True), 1e-9)
        alike = means @ means.T
        return [
            (int(self.types[a]), int(self.types[b]), round(float(alike[a, b]), 3))
            for a in range(len(self.types))
            for b in range(a)
            if alike[a, b] >= TWINS
        ]

    def page_types(self, pages: Sequence[Page]) -> Floats:
        """Probabilities of each type for each page by itself, shape (pages, T), rows sum to 1."""
        counts = [terms_of(page) for page in pages]
        return _softmaxed(self._scores(self.wording.vectors(counts), np.array([look_of(page) for page in pages])))

    def _scores(self, vectors: sparse.csr_matrix, appearances: Floats) -> Floats:
        terms = len(self.wording.terms)
        return np.asarray(
            vectors @ self.weights[:, :terms].T
            + APPEARANCE_WEIGHT * appearances @ self.weights[:, terms:].T
            + self.bias
        )

    def _judged(self, counts: Counter[str], appearance: Floats) -> Placed:
        vector = self.wording.vectors([counts])
        scores = self._scores(vector, appearance[None])[0]
        chances = _softmaxed(scores[None])[0]
        order = np.argsort(-chances)
        features = self._reject_features(counts, vector, scores, int(order[0]))
        confidence = float(1 / (1 + np.exp(-(features @ self.reject[:-1] + self.reject[-1]))))
        likely = tuple((int(self.types[n]), float(chances[n])) for n in order)
        return Placed(likely, bool(counts) and confidence >= self.least, confidence)

    def _reject_features(self, counts: Counter[str], vector: sparse.csr_matrix, scores: Floats, best: int) -> Floats:
        """How a paper stands to its best type: the type's own score and its lead, likeness to its nearest paper, the
        share of the paper's words (by weight, unknown ones weighing most) that the type's papers hold, and of its
        pairs."""
        places = self.wording.places
        unknown = float(np.log(len(self.centre_types) + 1) + 1)
        own = self.known[best]
        shares = []
        for pairs in (False, True):
            total = hit = 0.0
            for term in counts:
                if (" " in term) is not pairs or term[0] == "0":
                    continue
                column = places.get(term)
                weight = unknown if column is None else float(self.wording.idf[column])
                total += weight
                hit += weight if column is not None and own[column] else 0.0
            shares.append(hit / total if total else 0.0)
        near = self.centres[np.flatnonzero(self.centre_types == self.types[best])] @ vector.T
        nearest = float(near.max()) if near.shape[0] and near.nnz else 0.0
        ordered = np.sort(scores)[::-1]
        lead = float(ordered[0] - ordered[1]) if len(ordered) > 1 else 1.0
        return np.array([float(scores[best]), lead, nearest, shares[0], shares[1]])


def _softmaxed(scores: Floats) -> Floats:
    """One-vs-rest scores as shares: logistic of each, brought to sum 1."""
    chances = 1 / (1 + np.exp(-scores))
    return np.asarray(chances / np.maximum(chances.sum(axis=1, keepdims=True), 1e-12))


def fit_type_classifier(samples: Sequence[TypeSample]) -> TypeClassifier:
    """Learn from typed papers; at least one type with two papers (NothingToLearn else). The same samples give the
    same classifier."""
    typed = [sample for sample in samples if sample.type_id != OTHER]
    counted = Counter(sample.type_id for sample in typed)
    if not any(count >= 2 for count in counted.values()):
        raise NothingToLearn("two papers of a type are needed to learn the type")
    papers = _Papers.of(samples)
    records = _rejection_records(papers)
    reject, least = _rejection([record for record in records if record.right or not record.belongs])
    return replace(_fitted(papers, papers.every, reject, least), figures=_figures(records, reject, least))


def fit_types(samples: Sequence[TypeSample]) -> TypeClassifier:
    """A classifier that tells types apart and refuses nothing, at a fraction of the cost; NothingToLearn when no type
    has a paper."""
    if all(sample.type_id == OTHER for sample in samples):
        raise NothingToLearn("a paper of some type is needed to learn the types")
    papers = _Papers.of(samples)
    return _fitted(papers, papers.every, np.zeros(REJECT_FEATURES + 1), 0.0)


@dataclass(frozen=True)
class _Papers:
    """What is learned from: the samples, and after them the general papers. `labels` (N): the type of each, OTHER or
    GENERAL; `groups`, the layout group of each sample."""

    features: list[Features]
    labels: npt.NDArray[np.int64]
    groups: list[int]

    @staticmethod
    def of(samples: Sequence[TypeSample]) -> _Papers:
        general = general_papers()
        labels = [sample.type_id for sample in samples] + [GENERAL] * len(general)
        features = [*(features_of(sample.pages) for sample in samples), *general]
        return _Papers(features, np.array(labels), [sample.group for sample in samples])

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
    """A paper judged by a classifier that had not seen it: how it stood to its best type, whether its type was known to
    the judge, and its layout, what it is, what it was taken for, and the row of the figures that it counts in. Papers
    that are judged once more, with their whole layout held out, count in none."""

    features: Floats
    belongs: bool
    new_layout: bool
    type_id: int
    best: int
    row: int | None

    @property
    def right(self) -> bool:
        return self.belongs and self.best == self.type_id


def _figures(records: Sequence[_Judged], reject: Floats, least: float) -> tuple[tuple[int, int, int], ...]:
    counts: Counter[tuple[int, int]] = Counter()
    for record in records:
        sure = float(1 / (1 + np.exp(-(record.features @ reject[:-1] + reject[-1]))))
        if record.row is not None:
            counts[record.row, record.best if sure >= least else OTHER] += 1
    return tuple((type_id, placed, count) for (type_id, placed), count in sorted(counts.items()))


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


def _rejection_records(papers: _Papers) -> list[_Judged]:
    """Papers judged by classifiers that have not seen them: folds of papers and of whole layouts for what belongs; each
    type left out and papers known to be of no type for what does not."""
    neutral = np.zeros(REJECT_FEATURES + 1)
    records: list[_Judged] = []
    labels = papers.labels
    typed = [n for n in papers.every if labels[n] >= 0]

    def judge(
        test: Sequence[int],
        left_out: Sequence[int],
        *,
        belongs: bool,
        new_layout: bool = False,
        counts_as: Callable[[int], int | None] = lambda _: None,
    ) -> None:
        train = papers.without(left_out)
        if not (labels[train] >= 0).any():
            return
        classifier = _fitted(papers, train, neutral, 0.0)
        for number in test:
            counts, appearance = papers.features[number]
            vector = classifier.wording.vectors([counts])
            scores = classifier._scores(vector, appearance[None])[0]
            best = int(np.argmax(scores))
            stands = classifier._reject_features(counts, vector, scores, best)
            type_id = int(labels[number])
            took = int(classifier.types[best])
            records.append(_Judged(stands, belongs, new_layout, type_id, took, counts_as(type_id)))

    for fold in range(FOLDS):
        test = [n for n in typed if n % FOLDS == fold]
        judge(test, test, belongs=True, counts_as=lambda type_id: type_id)
    for type_id, group in sorted({(int(labels[n]), papers.groups[n]) for n in typed}):
        test = [n for n in papers.labelled(type_id) if papers.groups[n] == group]
        if len(test) < len(papers.labelled(type_id)):
            judge(test[:LAYOUT_PAPERS], test, belongs=True, new_layout=True)
    for type_id in np.unique(labels[typed]):
        its = papers.labelled(int(type_id))
        judge(its, [*its, *papers.labelled(OTHER)], belongs=False, counts_as=lambda _: LEFT_OUT)
    others = papers.labelled(OTHER)
    for fold in range(min(STRANGE_FOLDS, len(others))):
        test = others[fold::STRANGE_FOLDS]
        judge(test, test, belongs=False, counts_as=lambda _: OTHER)
    return records


def _rejection(records: Sequence[_Judged]) -> tuple[Floats, float]:
    """Weights of the acceptance model and its threshold: where as many papers of new layouts are refused as strangers
    are accepted. Known layouts, new ones and strangers weigh as much whatever their number."""
    from sklearn.linear_model import LogisticRegression

    belongs = np.array([record.belongs for record in records], dtype=bool)
    # Without a stranger (one type) likeness alone decides: general papers are too strange to learn from.
    if belongs.all() or not belongs.any():
        return np.array([0.0, 0.0, 6.0, 6.0, 3.0, -4.0]), 0.5
    values = np.array([record.features for record in records])
    unseen = np.array([record.new_layout for record in records])
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
