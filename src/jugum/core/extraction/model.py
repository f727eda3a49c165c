"""A version's readers together: the extractor for values, and what was learned of clauses, tables and marks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from jugum.core.classification import layout_of
from jugum.core.classification.layout_book import AnyBook, group_by
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.parts import (
    PartPaper,
    PartReader,
    fit_parts,
    inside_of,
    marks_of,
    one_each,
    parts_of,
)
from jugum.core.extraction.untrained.reading import needs_picture
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.extractor import Extractor, extractor_from
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.structure import Structures

AnyDecision = Decision | PartDecision


@dataclass(frozen=True)
class TrainedModel:
    """Everything that reading a new paper needs, as plain data. `plan` is the whole plan it was trained for, with
    the printed names it learned; `book` holds the layouts of the papers that new ones are compared to."""

    plan: Plan
    extractor: Extractor | None
    parts: PartReader | None
    book: AnyBook

    @property
    def needs_picture(self) -> bool:
        """Whether reading needs the layers of a page's picture: for tick boxes and signatures."""
        return needs_picture(marks_of(self.plan))

    def decide(self, pages: Sequence[Page], structures: Structures | None = None) -> list[AnyDecision]:
        """One decision for each field that is read, in no particular order. `structures` are the pages' layers;
        without them fields that need a picture are left out, since they would seem absent."""
        alike = self.book.likeness(layout_of(pages)).astype(np.float32)
        familiar = float(alike.max(initial=0.0))
        decided: list[PartDecision] = self.parts.decide(pages, structures, familiar) if self.parts else []
        values = self.extractor.decide(pages, alike, inside_of(self.plan, decided)) if self.extractor else []
        values, decided = one_each(values, decided)
        group = group_by(alike, self.book.groups)
        every: list[AnyDecision] = [*values, *decided]
        return [replace(decision, layout=group) for decision in every]


def fit_trained_model(
    plan: Plan, samples: Sequence[Sample], corpus: Corpus, papers: Sequence[PartPaper] | None = None, *, seed: int = 0
) -> TrainedModel:
    """The readers that all samples make; `corpus` holds the plan's learned values, `papers` what their parts are
    read from, where that was made before. Raises NothingToLearn where the labels leave nothing to tell apart."""
    extractor = extractor_from(corpus, seed=seed) if corpus.plan.fields else None
    parts = fit_parts(plan, samples, papers) if parts_of(plan).fields else None
    return TrainedModel(plan, extractor, parts, corpus.book)
