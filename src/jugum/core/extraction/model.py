"""A version's readers together: the extractor for values, and what was learned of clauses, tables and marks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as kept
from functools import cached_property

import numpy as np

from jugum.core.classification import Layout, layout_of
from jugum.core.classification.layout_book import NEW_LAYOUT, SAME, AnyBook, group_by
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
from jugum.core.extraction.presence import Presence
from jugum.core.extraction.untrained.reading import needs_picture
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.extractor import Extractor, extractor_from
from jugum.core.extraction.values.together import PEERS_MAX, Peer, ReadAlone, Repeats, repeats_of
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.structure import Structures
from jugum.core.values import DataType

AnyDecision = Decision | PartDecision
Peers = Callable[[Peer], Sequence[Peer]]


@dataclass(frozen=True)
class TrainedModel:
    """Everything that reading a new paper needs, as plain data. `plan` is the whole plan it was trained for, with
    the printed names it learned; `book` holds the layouts of the papers that new ones are compared to, `presence` which
    fields papers of each layout carry."""

    plan: Plan
    extractor: Extractor | None
    parts: PartReader | None
    book: AnyBook
    presence: Presence = kept(default_factory=Presence)

    @property
    def needs_picture(self) -> bool:
        """Whether reading needs the layers of a page's picture: for tick boxes and signatures."""
        return needs_picture(marks_of(self.plan))

    def decide(
        self, pages: Sequence[Page], structures: Structures | None = None, peers: Peers | None = None
    ) -> list[AnyDecision]:
        """One decision for each field that is read, in no particular order. `structures` are the pages' layers;
        without them fields that need a picture are left out, since they would seem absent. Where the layout is new,
        `peers` is told what this paper says, and asked for others of its layout, which are read together with it."""
        read = self._read(pages, structures)
        values: list[Decision] = []
        if self.extractor and read.values:
            values = read.values.decisions
            if peers and read.group == NEW_LAYOUT:
                mine = read.values.peer(read.layout)
                values = self.extractor.decided_together(read.values, mine, peers(mine), self._repeats)
            values = self.extractor.finished(pages, values)
        values, decided = one_each(values, read.parts)
        return [
            _as_option(self.plan, decision)
            for decision in on_layout(self.plan, [*values, *decided], read.group, self.presence)
        ]

    def peer(self, pages: Sequence[Page]) -> Peer | None:
        """What a paper tells others of its layout; None of a model that reads no values."""
        read = self._read(pages, None)
        return read.values.peer(read.layout) if read.values else None

    def same_layout(self, layout: Layout, others: Sequence[Layout]) -> list[int]:
        """Places of those of `others`, papers that nobody has labelled, that are of a paper's layout; the most alike
        first, as many as a paper is read together with."""
        likeness = self.book.likeness_among(layout, others)
        nearest = np.argsort(-likeness, kind="stable")[:PEERS_MAX]
        return [int(place) for place in nearest if likeness[place] >= SAME]

    def _read(self, pages: Sequence[Page], structures: Structures | None) -> _Read:
        layout = layout_of(pages)
        alike = self.book.likeness(layout).astype(np.float32)
        familiar = float(alike.max(initial=0.0))
        group = group_by(alike, self.book.groups)
        decided: list[PartDecision] = self.parts.decide(pages, structures, familiar, group) if self.parts else []
        if self.extractor is None:
            return _Read(layout, group, decided, None)
        lacking = self.presence.lacking(group)
        return _Read(layout, group, decided, self.extractor.read(pages, alike, inside_of(self.plan, decided), lacking))

    @cached_property
    def _repeats(self) -> Repeats:
        """How often values come again on labelled papers of one layout."""
        return repeats_of(self.extractor.examples.every, self.book.groups) if self.extractor else {}


@dataclass(frozen=True)
class _Read:
    """What a paper says by itself: its layout and the group of it, the parts, and the values."""

    layout: Layout
    group: int
    parts: list[PartDecision]
    values: ReadAlone | None


def _as_option(plan: Plan, decision: AnyDecision) -> AnyDecision:
    """A choice by its option, whatever words say it on papers ("uke" for weekly): who knows the plan's options alone
    must be able to read it, as the option's label and its tick boxes can be."""
    if plan.field(decision.field).data_type is not DataType.CHOICE:
        return decision

    if isinstance(decision, PartDecision):
        values = {
            key: tuple(value and replace(value, text=value.normal) for value in given)
            for key, given in decision.values.items()
        }
        return replace(
            decision, values=values, others=tuple(replace(other, text=other.normal) for other in decision.others)
        )

    def said(choice: Choice) -> Choice:
        return replace(choice, candidate=replace(choice.candidate, text=choice.candidate.normal))

    return replace(decision, chosen=tuple(map(said, decision.chosen)), others=tuple(map(said, decision.others)))


def fit_trained_model(
    plan: Plan, samples: Sequence[Sample], corpus: Corpus, papers: Sequence[PartPaper] | None = None, *, seed: int = 0
) -> TrainedModel:
    """The readers that all samples make; `corpus` holds the plan's learned values, `papers` what their parts are
    read from, where that was made before. Raises NothingToLearn where the labels leave nothing to tell apart."""
    extractor = extractor_from(corpus, seed=seed) if corpus.plan.fields else None
    groups = corpus.groups.tolist()
    parts = fit_parts(plan, samples, papers, groups) if parts_of(plan).fields else None
    return TrainedModel(plan, extractor, parts, corpus.book, Presence.of(samples, groups))


def on_layout(plan: Plan, decisions: Sequence[AnyDecision], layout: int, presence: Presence) -> list[AnyDecision]:
    """Decisions with the layout group of their paper, and what is known of the fields on papers of it."""
    lacking = presence.lacking(layout)
    return [
        replace(
            decision,
            layout=layout,
            lacking=lacking.get(decision.field, 0.0),
            most=presence.most_sure(plan.field(decision.field), layout, absent=decision.absent),
        )
        for decision in decisions
    ]
