"""Which type a paper is of, and whether it is of any: one-vs-rest on wording and appearance, with a "none of these".

How it is learned, and how refusing is, stands in `type_training`.
"""

from __future__ import annotations

import gzip
import json
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cache
from importlib.resources import files

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.classification.wording import Wording, look_of, terms_of
from jugum.core.page import Page

Floats = npt.NDArray[np.float64]
OTHER = -1  # the label of papers that are of no type
LEFT_OUT = -2  # in figures: papers whose own type was left out of what the judge had learned
GENERAL = -3  # the label of the papers of no type in particular that come with the program
APPEARANCE_WEIGHT = 1.0  # of what a page looks like from afar, beside its words; judged by bench/bundles.py
PAGES_USED = 3  # a type shows on its first pages; later ones are alike in all contracts
# Score, lead, likeness to the nearest paper, shares of its words and of its word pairs that the type knows.
REJECT_FEATURES = 5
CONFIDENCE_MAX = 0.995  # however clearly a paper is of a type: at most 199 in 200
TWINS = 0.5  # likeness in wording from which on two types are near twins


@dataclass(frozen=True)
class Placed:
    """Types by likelihood, the best first, as (type, probability 0–1), whether the best is sure enough to be taken, and
    how sure it is: the chance (0–1) that a paper like this, of all that come in, is of that type."""

    likely: tuple[tuple[int, float], ...]
    accepted: bool
    confidence: float


@dataclass(frozen=True)
class TypeSample:
    """A paper whose type is known (OTHER: of none). `group` is its layout group, to hold whole layouts out, `number`
    tells it from the others wherever it is named."""

    pages: tuple[Page, ...]
    type_id: int
    group: int = 0
    number: int = 0


class Acquaintance(StrEnum):
    """What a classifier knew of a paper that it judged without having seen it."""

    KNOWN = "known layout"
    NEW_LAYOUT = "new layout"
    LEFT_OUT = "type left out"  # of a type that the judge had never met
    NO_TYPE = "no type"  # that a person put to none of the types


@dataclass(frozen=True)
class PlacingEvidence:
    """What a classifier that had not seen a sample (its `number`) took it for, with which confidence (0–1), and what it
    is: `type_id`, OTHER for no type."""

    sample: int
    type_id: int
    taken_for: int
    confidence: float
    acquaintance: Acquaintance

    @property
    def right(self) -> bool:
        """Whether it may be placed as what it was taken for."""
        known = self.acquaintance in (Acquaintance.KNOWN, Acquaintance.NEW_LAYOUT)
        return known and self.taken_for == self.type_id


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
    `least` the confidence from which on it takes a type for which `thresholds` (by type) has none. `evidence` says what
    became of papers judged by classifiers that had not seen them.
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
    evidence: tuple[PlacingEvidence, ...] = ()
    thresholds: Mapping[int, float] = field(default_factory=dict)

    def threshold(self, type_id: int) -> float:
        """The confidence from which on a paper is taken for a type."""
        return self.thresholds.get(type_id, self.least)

    def figures(self) -> dict[tuple[int, int], int]:
        """What became of papers judged by classifiers that had not seen them, each once, by the thresholds of now:
        (type, placed as) → papers, OTHER for papers of no type and for those left unplaced; and once more, as LEFT_OUT,
        by classifiers that had never met their type."""
        counts: Counter[tuple[int, int]] = Counter()
        for row in self.evidence:
            if row.acquaintance is not Acquaintance.NEW_LAYOUT:
                is_of = LEFT_OUT if row.acquaintance is Acquaintance.LEFT_OUT else row.type_id
                counts[is_of, row.taken_for if row.confidence >= self.threshold(row.taken_for) else OTHER] += 1
        return dict(sorted(counts.items()))

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
        standing = self._standing(counts, vector, scores, int(order[0]))
        confidence = confidence_of(standing, self.reject)
        likely = tuple((int(self.types[n]), float(chances[n])) for n in order)
        return Placed(likely, bool(counts) and confidence >= self.threshold(likely[0][0]), confidence)

    def standing(self, features: Features) -> tuple[int, Floats]:
        """The best type of a paper, and how it stands to that (REJECT_FEATURES)."""
        counts, appearance = features
        vector = self.wording.vectors([counts])
        scores = self._scores(vector, appearance[None])[0]
        best = int(np.argmax(scores))
        return int(self.types[best]), self._standing(counts, vector, scores, best)

    def _standing(self, counts: Counter[str], vector: sparse.csr_matrix, scores: Floats, best: int) -> Floats:
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


def confidence_of(standing: Floats, reject: Floats) -> float:
    """How sure a best type is (0–1) by how a paper stands to it, with the weights and bias of an acceptance model."""
    return min(CONFIDENCE_MAX, float(1 / (1 + np.exp(-(standing @ reject[:-1] + reject[-1])))))
