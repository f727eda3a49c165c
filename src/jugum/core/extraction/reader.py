"""A version's readers together: the extractor for values, and what was learned of clauses, tables and marks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jugum.core.classification import Layout, layout_of, layout_similarity
from jugum.core.extraction.assignment import Decision
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.examples import Sample
from jugum.core.extraction.model import Extractor, extractor_from
from jugum.core.extraction.parts import PartReader, Structures, fit_parts, inside_of, marks_of, parts_of
from jugum.core.extraction.untrained import needs_picture
from jugum.core.page import Page
from jugum.core.schema import Plan

AnyDecision = Decision | PartDecision


@dataclass(frozen=True)
class Reader:
    """Everything that reading a new paper needs, as plain data. `plan` is the whole plan it was trained for, with the printed names it learned;
    `layouts` are those of the papers that new ones are compared to."""

    plan: Plan
    extractor: Extractor | None
    parts: PartReader | None
    layouts: tuple[Layout, ...]

    @property
    def needs_picture(self) -> bool:
        """Whether reading needs the layers of a page's picture: for tick boxes and signatures."""
        return needs_picture(marks_of(self.plan))

    def decide(self, pages: Sequence[Page], structures: Structures | None = None) -> list[AnyDecision]:
        """One decision for each field that is read, in no particular order. `structures` are the pages' layers; without them fields that need a
        picture are left out, since they would seem absent."""
        layout = layout_of(pages)
        alike = np.array([layout_similarity(layout, other) for other in self.layouts], dtype=np.float32)
        familiar = float(alike.max(initial=0.0))
        decided: list[PartDecision] = self.parts.decide(pages, structures, familiar) if self.parts else []
        if structures is None and self.needs_picture:
            decided = [one for one in decided if one.kind is not PartKind.MARK]
        values = self.extractor.decide(pages, inside_of(self.plan, decided), alike) if self.extractor else []
        return [*values, *decided]


def fit_reader(plan: Plan, samples: Sequence[Sample], corpus: Corpus, *, seed: int = 0) -> Reader:
    """The readers that all samples make; `corpus` holds the plan's learned values. ValueError when there is nothing to learn from."""
    extractor = extractor_from(corpus, seed=seed) if corpus.plan.fields else None
    parts = fit_parts(plan, samples) if parts_of(plan).fields else None
    return Reader(plan, extractor, parts, tuple(corpus.layouts[int(number)] for number in corpus.exemplars))
