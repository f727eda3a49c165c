"""A version's readers together: the extractor for values, and what was learned of clauses and tables."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any

from jugum.core.classification import layout_of, layout_similarity
from jugum.core.extraction.assignment import Decision
from jugum.core.extraction.clauses import ClauseModel, units_of
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.examples import Sample
from jugum.core.extraction.model import Extractor, extractor_from
from jugum.core.extraction.table_names import with_learned_heads
from jugum.core.extraction.tables import table_decision
from jugum.core.page import Page
from jugum.core.schema import FieldKind, Plan


@dataclass
class Reader:
    plan: Plan
    extractor: Extractor
    clauses: ClauseModel
    tables: Plan

    def decide(self, pages: Sequence[Page]) -> list[Decision]:
        return self.extractor.decide(pages)

    def decide_parts(self, pages: Sequence[Page], structures: Any) -> list[PartDecision]:
        layout = layout_of(pages)
        familiar = max((layout_similarity(layout, other) for other in self.extractor.layouts), default=0.0)
        found = self.clauses.decide(units_of(pages), familiar) if self.clauses.clauses else []
        for table in self.tables.fields:
            if table.kind is FieldKind.TABLE:
                found.append(table_decision(self.tables, table, pages, familiar))
        return found


def fit_reader(plan: Plan, samples: Sequence[Sample]) -> Reader:
    learned = plan.learned
    keys = {one.key for one in learned.fields}
    values = [replace(s, labels={k: v for k, v in s.labels.items() if k in keys}) for s in samples]
    corpus = Corpus(learned, values)
    clauses = ClauseModel(plan).fit([(units_of(s.pages), s.labels) for s in samples])
    return Reader(plan, extractor_from(corpus), clauses, with_learned_heads(plan, samples))
