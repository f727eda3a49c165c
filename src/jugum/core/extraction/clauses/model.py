"""Clauses that are learned: which of a paper's sections and paragraphs a clause is, by their words.

Each section, and each paragraph of it, is a bag of words, word pairs, word stems and pieces of its heading, weighed
by rarity; one logistic regression for each clause. What the plan's names say of a heading is one more sign, so that
a model of few papers knows at least what the plan alone knows.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.classification.wording import Wording
from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.samples import SampleLabel
from jugum.core.extraction.clauses.sections import Section, paragraphs_of, places_of, score_of, sections_of
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.found import EngineName, Found
from jugum.core.extraction.values.assignment import NO_RIVAL
from jugum.core.page import Box, Page, overlap_share, union
from jugum.core.schema import FieldKind, FieldPlan, Plan

Floats = npt.NDArray[np.float64]
LOGIT_MAX = 9.0  # beyond it a score says nothing more
SIGNS = 5  # of a unit beside its words: likeness to the names and shape
SIGN_WEIGHT = 1.5  # of the plan's score and the shape of a unit, against words of unit length
NONE_LOGIT = float(np.log(0.3 / 0.7))
UNTRAINED_EVEN, UNTRAINED_STEEP = (
    0.72,
    8.0,
)  # log-odds of a clause that nothing was learned for, from the score of its names
SAME, APART = (
    0.8,
    0.2,
)  # shares of common area from which on a unit is what was labelled, and below which it is something else
STEM = 5  # first letters of a word, so that inflected forms count as one


@dataclass(frozen=True)
class Unit:
    """A section or paragraph with its bag of terms and its signs that are no words (length SIGNS − 1)."""

    section: Section
    terms: Counter[str]
    shape: tuple[float, ...]
    boxes: tuple[tuple[int, Box], ...]


def units_of(pages: Sequence[Page]) -> list[Unit]:
    """What a clause may be: each section, and each paragraph where a section holds several."""
    sections = sections_of(pages)
    paragraphs = paragraphs_of(pages)
    known = {_place(section) for section in sections}  # a section of one paragraph would stand twice
    every = [(section, True) for section in sections] + [
        (paragraph, False) for paragraph in paragraphs if _place(paragraph) not in known
    ]
    last = max((page.number for page in pages), default=1)
    return [_unit(one, whole, last) for one, whole in every]


def _place(one: Section) -> tuple[tuple[int, int], ...]:
    """Where each line of a section begins, which tells sections apart without looking at all their words."""
    return tuple((line.page.number, line.words[0]) for line in one.lines)


def _unit(one: Section, whole: bool, pages: int) -> Unit:
    boxes = tuple(places_of(one.lines))
    terms = Counter(_terms(plain_text(one.text)))
    # Pieces of letters, since headings are short and misread: "Terminatlon" still shares most of them.
    terms.update(f"h~{gram}" for gram in _grams(plain_text(_bare(one.heading))))
    length = np.log1p(sum(len(line.words) for line in one.lines)) / 5  # about 0 to 1.2, as the other signs
    at = (boxes[0][0] - 1 + boxes[0][1].y0) / pages  # in the whole paper: clauses keep an order that pages break
    return Unit(one, terms, (float(whole), float(bool(one.heading)), float(length), float(at)), boxes)


def _bare(heading: str) -> str:
    return re.sub(r"^[\W\d]+", "", heading)


def _terms(text: str) -> list[str]:
    words = text.split()
    return [
        *words,
        *(f"{a} {b}" for a, b in pairwise(words)),
        *(f"s~{word[:STEM]}" for word in words if len(word) > STEM),
    ]


def _grams(text: str) -> list[str]:
    """Pieces of three to five letters, word ends marked."""
    found = []
    for word in text.split():
        marked = f"<{word}>"
        found += [marked[i : i + n] for n in (3, 4, 5) for i in range(len(marked) - n + 1)]
    return found


@dataclass
class ClauseModel:
    """`fit` on labelled papers, then `decide`. `weights_` has a row for each clause that could be learned."""

    plan: Plan
    wording_: Wording | None = None
    weights_: dict[str, Floats] = field(default_factory=dict)
    bias_: dict[str, float] = field(default_factory=dict)

    @property
    def clauses(self) -> list[FieldPlan]:
        """The plan's clauses, in its order."""
        return [planned for planned in self.plan.fields if planned.kind is FieldKind.CLAUSE]

    def fit(self, papers: Sequence[tuple[Sequence[Unit], Mapping[str, tuple[SampleLabel, ...]]]]) -> ClauseModel:
        """From papers as units with their labels. A clause that stands on fewer than two papers is left to the
        plan's own engine."""
        units = [unit for its, _ in papers for unit in its]
        if not units or not self.clauses:
            return self
        self.wording_ = Wording.learned([unit.terms for unit in units])
        words = self.wording_.vectors([unit.terms for unit in units])
        for clause in self.clauses:
            states = np.concatenate([_states(its, labels.get(clause.key)) for its, labels in papers])
            held = sum(bool(labels.get(clause.key)) for _, labels in papers)
            use = states >= 0
            # one paper alone would teach its own words
            if held >= 2 and (states == 1).any() and (states == 0).any():
                self._fit_one(
                    clause,
                    sparse.csr_matrix(words[use]),
                    [u for u, use_it in zip(units, use, strict=True) if use_it],
                    states[use],
                )
        return self

    def _fit_one(
        self, clause: FieldPlan, words: sparse.csr_matrix, units: Sequence[Unit], right: npt.NDArray[np.int8]
    ) -> None:
        from sklearn.linear_model import LogisticRegression  # here: it costs a second, and reading needs none of it

        rows = sparse.csr_matrix(sparse.hstack([words, sparse.csr_matrix(_signs(clause, units))]))
        model = LogisticRegression(C=10.0, class_weight="balanced", max_iter=500).fit(rows, right)
        self.weights_[clause.key] = model.coef_[0].astype(np.float64)
        self.bias_[clause.key] = float(model.intercept_[0])

    def decide(self, units: Sequence[Unit], layout_similarity: float) -> list[PartDecision]:
        """One decision a clause. Signs: log-odds, lead over the next other place, absent, likeness of the layout,
        whether it was learned."""
        if not units:
            return [_decision(absent, [], np.zeros(0), layout_similarity, False) for absent in self.clauses]
        words = self.wording_.vectors([unit.terms for unit in units]) if self.wording_ else None
        found = []
        for clause in self.clauses:
            signs = _signs(clause, units)
            learned = words is not None and clause.key in self.weights_
            if learned and words is not None:
                weights = self.weights_[clause.key]
                logits = (
                    np.asarray(words @ weights[:-SIGNS]).ravel() + signs @ weights[-SIGNS:] + self.bias_[clause.key]
                )
            else:
                logits = UNTRAINED_STEEP * (signs[:, 0] / SIGN_WEIGHT - UNTRAINED_EVEN)
            found.append(_decision(clause, units, logits, layout_similarity, learned))
        return found

    def to_data(self) -> dict[str, Any]:
        """JSON-able; empty when nothing was learned."""
        if self.wording_ is None:
            return {}
        return {
            "terms": list(self.wording_.terms),
            "idf": np.round(self.wording_.idf, 5).tolist(),
            "clauses": {
                key: {"weights": np.round(w, 5).tolist(), "bias": self.bias_[key]} for key, w in self.weights_.items()
            },
        }

    @staticmethod
    def from_data(plan: Plan, data: Mapping[str, Any]) -> ClauseModel:
        """The inverse of `to_data`."""
        if not data:
            return ClauseModel(plan)
        clauses = data["clauses"]
        return ClauseModel(
            plan,
            Wording(tuple(data["terms"]), np.array(data["idf"], dtype=np.float64)),
            {key: np.array(one["weights"], dtype=np.float64) for key, one in clauses.items()},
            {key: float(one["bias"]) for key, one in clauses.items()},
        )


def _signs(clause: FieldPlan, units: Sequence[Unit]) -> Floats:
    """Units × SIGNS: what the plan's names say of each, and its shape."""
    rows = [(score_of(clause, unit.section), *unit.shape) for unit in units]
    return SIGN_WEIGHT * np.array(rows, dtype=np.float64).reshape(-1, SIGNS)


def _states(units: Sequence[Unit], labels: tuple[SampleLabel, ...] | None) -> npt.NDArray[np.int8]:
    """For each unit of a paper: 1 what was labelled, 0 something else, −1 can't be said. All −1 where nobody has
    decided."""
    if labels is None or any(labelled.box is None for labelled in labels):
        return np.full(len(units), -1, dtype=np.int8)
    shares = [
        max((common_share(unit.boxes, places_of_label(label)) for label in labels), default=0.0) for unit in units
    ]
    states = np.array([0 if share < APART else -1 for share in shares], dtype=np.int8)
    for label in labels:
        own = [common_share(unit.boxes, places_of_label(label)) for unit in units]
        best = int(np.argmax(own)) if own else -1
        if best >= 0 and own[best] >= SAME:
            states[best] = 1
    return states


def places_of_label(label: SampleLabel) -> tuple[tuple[int, Box], ...]:
    """Where a label stands, one box around all its lines for each page, as units have them."""
    if label.page is None or label.box is None:
        return ()
    by_page: dict[int, list[Box]] = {}
    for page, box in ((label.page, label.box), *label.more_places):
        by_page.setdefault(page, []).append(box)
    return tuple((page, union(boxes)) for page, boxes in by_page.items())


def common_share(mine: Sequence[tuple[int, Box]], theirs: Sequence[tuple[int, Box]]) -> float:
    """Common area of two sets of boxes on pages, over the area of both together (0–1); boxes of a set don't overlap."""
    shared = sum(
        overlap_share(a, b) * min(a.area, b.area)
        for page, a in mine
        for other, b in theirs
        if page == other and overlap_share(a, b) > 0
    )
    both = sum(box.area for _, box in mine) + sum(box.area for _, box in theirs) - shared
    return shared / both if both > 0 else 0.0


def _decision(
    clause: FieldPlan, units: Sequence[Unit], logits: Floats, layout_similarity: float, learned: bool
) -> PartDecision:
    order = [int(n) for n in np.argsort(-logits, kind="stable")]
    best = order[0] if order else None
    absent = best is None or logits[best] < NONE_LOGIT
    apart = [
        # A paragraph of the section found is no rival to it.
        n
        for n in order
        if best is not None and n != best and common_share(units[n].boxes, units[best].boxes) < APART
    ]
    top = float(logits[best]) if best is not None else NO_RIVAL
    rival = float(logits[apart[0]]) if apart else NO_RIVAL
    values = () if absent or best is None else (_found(units[best].section, top, learned),)
    others = tuple(
        _found(units[n].section, float(logits[n]), learned)
        for n in (([best] if absent and best is not None else []) + apart)[:4]
    )
    logit = -top if absent else top  # how sure "it is not there" is
    features = {
        "logit": max(-LOGIT_MAX, min(LOGIT_MAX, logit)),
        "lead": 0.0 if absent else min(LOGIT_MAX, top - rival),
        "absent": float(absent),
        "layout_similarity": layout_similarity,
        "learned": float(learned),
    }
    why = {"score": round(top, 3), "next": round(rival, 3)}
    reading = values[0].reading if values else 1.0
    return PartDecision(
        clause.key, PartKind.CLAUSE, {clause.key: values}, others, features, layout_similarity, reading, why
    )


def _found(section: Section, logit: float, learned: bool) -> Found:
    boxes = places_of(section.lines)
    sure = min(line.page.words[index].confidence for line in section.lines for index in line.words)
    heading = f"the section “{section.heading}”" if section.heading else "a paragraph"
    why = f"{heading}, by its words" if learned else f"{heading}, by the names in the plan"
    score = round(float(1 / (1 + np.exp(-logit))), 3)
    engine = EngineName.MODEL if learned else EngineName.SECTION
    return Found(section.text, section.text, boxes[0][0], boxes[0][1], score, engine, why, sure, tuple(boxes[1:]))


def clause_right(decision: PartDecision, labels: Sequence[SampleLabel]) -> bool:
    """Whether the paragraph found is the labelled one: four fifths of the area of both in common, or, for what was
    only keyed, nine in ten words."""
    found = [value for value in decision.values[decision.field] if value]
    if len(found) != len(labels):
        return False
    for one, label in zip(found, labels, strict=True):
        places = places_of_label(label)
        if places and common_share(((one.page, one.box), *one.more_places), places) < SAME:
            return False
        if not places and not _same_words(one.text, label.text):
            return False
    return True


def _same_words(a: str, b: str) -> bool:
    mine, theirs = set(plain_text(a).split()), set(plain_text(b).split())
    return len(mine & theirs) >= 0.9 * max(len(mine), len(theirs))
