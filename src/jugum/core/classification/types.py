"""Which type a paper is of, and whether it is of any: one-vs-rest on wording and appearance, with a "none of these".

What no type has taught can't be refused from the known types' scores alone: distances refuse new layouts, plain
probabilities accept half of all strangers. So rejection is learned from strangers that are made: each known type is
left out in turn, and its papers are judged by a model that has never met it. What tells them apart is how well a
paper's words are known to the type.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.classification.wording import Wording, look_of, terms_of
from jugum.core.page import Page
from jugum.errors import NothingToLearn

Floats = npt.NDArray[np.float64]
OTHER = -1  # the label of papers that are of no type
LEFT_OUT = -2  # in figures: papers whose own type was left out of what the judge had learned
# Of what a page looks like from afar, beside its words of unit length; set by hand, judged by bench/bundles.py.
APPEARANCE_WEIGHT = 0.35
PAGES_USED = 3  # a type shows on its first pages; later ones are alike in all contracts
# Score, lead, likeness to the nearest paper, shares of its words and of its word pairs that the type knows.
REJECT_FEATURES = 5
ACCEPT_KNOWN = (
    0.90,
    0.935,
)  # shares of held-out papers of known types that are placed; whole layouts held out among them
REFUSE_STRANGE = 0.96  # share of the types left out that the threshold refuses, as far as ACCEPT_KNOWN lets it
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


def _features(pages: Sequence[Page]) -> tuple[Counter[str], Floats]:
    """Terms of the first pages together, the appearance of the first."""
    counts: Counter[str] = Counter()
    for page in pages[:PAGES_USED]:
        counts.update(terms_of(page))
    return counts, look_of(pages[0])


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
        counts, appearance = _features(pages)
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
    features = [_features(sample.pages) for sample in samples]
    labels = np.array([sample.type_id for sample in samples])
    everything = list(range(len(samples)))
    records = _rejection_records(features, labels, [sample.group for sample in samples])
    reject, least = _rejection([record for record in records if record.right or not record.belongs])
    return replace(_fitted(features, labels, everything, reject, least), figures=_figures(records, reject, least))


def fit_types(samples: Sequence[TypeSample]) -> TypeClassifier:
    """A classifier that tells types apart and refuses nothing, at a fraction of the cost; NothingToLearn when no type
    has a paper."""
    labels = np.array([sample.type_id for sample in samples])
    if not (labels != OTHER).any():
        raise NothingToLearn("a paper of some type is needed to learn the types")
    features = [_features(sample.pages) for sample in samples]
    return _fitted(features, labels, list(range(len(samples))), np.zeros(REJECT_FEATURES + 1), 0.0)


@dataclass(frozen=True)
class _Judged:
    """A paper judged by a classifier that had not seen it: how it stood to its best type, whether its type was known to
    the judge, what it is, what it was taken for, and the row of the figures that it counts in. Papers that are judged
    once more, with their whole layout held out, count in none."""

    features: Floats
    belongs: bool
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


def _fitted(
    features: list[tuple[Counter[str], Floats]],
    labels: npt.NDArray[np.int64],
    chosen: list[int],
    reject: Floats,
    least: float,
) -> TypeClassifier:
    """A classifier of the chosen papers."""
    from sklearn.linear_model import LogisticRegression

    counts, appearances = [features[n][0] for n in chosen], np.array([features[n][1] for n in chosen])
    its = labels[chosen]
    wording = Wording.learned(counts)
    vectors = wording.vectors(counts)
    types = np.unique(its[its != OTHER])
    joined = sparse.csr_matrix(sparse.hstack([vectors, sparse.csr_matrix(APPEARANCE_WEIGHT * appearances)]))
    weights, bias = np.zeros((len(types), joined.shape[1])), np.zeros(len(types))
    for row, type_id in enumerate(types):
        target = its == type_id
        if target.all():
            bias[row] = 2.0
            continue
        model = LogisticRegression(C=20.0, class_weight="balanced", max_iter=300).fit(joined, target)
        weights[row], bias[row] = model.coef_[0], model.intercept_[0]
    known = np.array([np.asarray(vectors[its == type_id].sum(axis=0)).ravel() > 0 for type_id in types])
    keep = its != OTHER
    return TypeClassifier(wording, types, weights, bias, known, vectors[keep], its[keep], reject, least)


def _rejection_records(
    features: list[tuple[Counter[str], Floats]], labels: npt.NDArray[np.int64], groups: list[int]
) -> list[_Judged]:
    """Papers judged by classifiers that have not seen them: folds of papers and of whole looks for what
    belongs, each type left out for what does not, and papers known to be of no type."""
    neutral = np.zeros(REJECT_FEATURES + 1)
    records: list[_Judged] = []

    def judge(train: list[int], test: list[int], belongs: bool, counts_as: Callable[[int], int | None]) -> None:
        if len({labels[n] for n in train} - {OTHER}) == 0:
            return
        classifier = _fitted(features, labels, train, neutral, 0.0)
        for number in test:
            counts, appearance = features[number]
            vector = classifier.wording.vectors([counts])
            scores = classifier._scores(vector, appearance[None])[0]
            best = int(np.argmax(scores))
            stands = classifier._reject_features(counts, vector, scores, best)
            type_id = int(labels[number])
            records.append(_Judged(stands, belongs, type_id, int(classifier.types[best]), counts_as(type_id)))

    everything = list(range(len(features)))
    for fold in range(5):
        test = [n for n in everything if n % 5 == fold and labels[n] != OTHER]
        judge([n for n in everything if n % 5 != fold], test, True, lambda type_id: type_id)
    for type_id, group in sorted({(int(labels[n]), groups[n]) for n in everything if labels[n] != OTHER}):
        test = [n for n in everything if labels[n] == type_id and groups[n] == group]
        rest = [n for n in everything if n not in set(test)]
        if any(labels[n] == type_id for n in rest):
            judge(rest, test[:6], True, lambda _: None)  # a few of a layout tell what becomes of it
    for type_id in np.unique(labels[labels != OTHER]):
        judge(
            [n for n in everything if labels[n] not in (type_id, OTHER)],
            [n for n in everything if labels[n] == type_id],
            False,
            lambda _: LEFT_OUT,
        )
    others = [n for n in everything if labels[n] == OTHER]
    for fold in range(min(3, len(others))):
        judge([n for n in everything if n not in others[fold::3]], others[fold::3], False, lambda _: OTHER)
    return records


def _rejection(records: Sequence[_Judged]) -> tuple[Floats, float]:
    """Weights of the acceptance model and its threshold: where 96 % of the made strangers are refused, as long as 90
    to 93.5 % of what belongs (whole layouts held out among it) is accepted. Without any stranger to learn from (one
    type), likeness alone decides."""
    from sklearn.linear_model import LogisticRegression

    belongs = np.array([record.belongs for record in records])
    if not len(records) or belongs.all() or not belongs.any():
        return np.array([0.0, 0.0, 6.0, 6.0, 3.0, -4.0]), 0.5
    values = np.array([record.features for record in records])
    mean, spread = values.mean(axis=0), np.maximum(values.std(axis=0), 1e-6)
    # Trained on types left out as strangers: see decision 0007.
    model = LogisticRegression(C=1.0, class_weight="balanced").fit((values - mean) / spread, belongs)
    weights = model.coef_[0] / spread
    bias = float(model.intercept_[0] - (model.coef_[0] * mean / spread).sum())
    chances = 1 / (1 + np.exp(-(values @ weights + bias)))
    low, high = np.quantile(chances[belongs], (1 - ACCEPT_KNOWN[1], 1 - ACCEPT_KNOWN[0]))
    # What belongs goes first: a paper refused costs a person's time, many refused cost their trust.
    least = float(np.clip(np.quantile(chances[~belongs], REFUSE_STRANGE), low, high))
    return np.append(weights, bias), least
