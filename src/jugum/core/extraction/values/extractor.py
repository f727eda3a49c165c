"""The extractor: a trained ranker with the examples it compares new papers to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.candidates.synonyms import Groups
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.corpus import Corpus
from jugum.core.extraction.values.deciding import Inside, decided_on, scored_on
from jugum.core.extraction.values.features import FEATURES, PaperFeatures
from jugum.core.extraction.values.offered import with_plausible_others
from jugum.core.extraction.values.own_shapes import OwnShapes
from jugum.core.extraction.values.prior import share_of_prior
from jugum.core.extraction.values.ranker import Ranker
from jugum.core.extraction.values.relations import Relations
from jugum.core.extraction.values.second_opinion import WordTagger, with_opinion
from jugum.core.extraction.values.similarities import Example, Examples
from jugum.core.extraction.values.together import Peer, ReadAlone, Repeats, decided_together
from jugum.core.page import Box, Page
from jugum.core.schema import Plan
from jugum.errors import InputError

Floats = npt.NDArray[np.float32]
PAPERS_MIN = 3  # fewer give no held-out decision (decision 0004)


@dataclass(frozen=True)
class Extractor:
    """Everything that reading a new paper needs, as plain data. `texts` are those of the papers that the examples
    stem from."""

    plan: Plan
    ranker: Ranker
    examples: Examples
    texts: tuple[frozenset[str], ...]
    synonyms: Groups | None = None
    relations: Relations | None = None
    tagger: WordTagger | None = None
    own_shapes: OwnShapes = kept(default_factory=OwnShapes)

    def read(
        self,
        pages: Sequence[Page],
        alike: Floats,
        within: Mapping[str, Inside] | None = None,
        lacking: Mapping[str, float] | None = None,
    ) -> ReadAlone:
        """What a paper says by itself. `alike`: likeness (0–1) of its layout to that of each paper the examples stem
        from; `lacking`: the log-odds that papers of its layout lack a field."""
        found, by_rule = candidates_with_rules(self.plan, pages)
        view = PaperFeatures(self.plan, found, self.examples, alike, self.texts, by_rule, self.synonyms)
        every = np.ones(len(alike), dtype=bool)
        scored = scored_on(self.plan, view, every, self.ranker, within, self.own_shapes)
        similarity = view.layout_similarity(every)
        decided = decided_on(self.plan, scored, similarity, self.relations, self.own_shapes, lacking)
        return ReadAlone(found, scored, similarity, decided)

    def decided_together(
        self, alone: ReadAlone, mine: Peer, others: Sequence[Peer], repeats: Repeats
    ) -> list[Decision]:
        """One decision per field of the plan for a paper that is read together with others of its layout, which nobody
        has labelled either. `repeats`: how often values of a field come again on papers of one layout."""
        return decided_together(self.plan, alone, mine, others, repeats, self.relations, self.own_shapes)

    def finished(self, pages: Sequence[Page], decided: Sequence[Decision]) -> list[Decision]:
        """Decisions with what a second model says, and with those candidates next in line that a person is offered."""
        if self.tagger:
            decided = with_opinion(self.plan, decided, self.tagger.values(pages))
        return with_plausible_others(self.plan, decided)

    def to_data(self) -> tuple[dict[str, Any], str]:
        """JSON-able data, and the trees as text."""
        line, trees = self.ranker.to_data()
        # Papers of a type share most of their texts: each is written once, papers by number.
        common = sorted(set().union(*self.texts)) if self.texts else []
        number = {text: place for place, text in enumerate(common)}
        return {
            "features": list(FEATURES),
            "fields": [field.key for field in self.plan.fields],
            "ranker": line,
            "common_texts": common,
            "texts": [sorted(number[text] for text in texts) for texts in self.texts],
            "synonyms": None if self.synonyms is None else [sorted(group) for group in self.synonyms],
            "relations": self.relations.to_data() if self.relations else None,
            "own_shapes": self.own_shapes.to_data(),
            "examples": [
                [
                    e.paper,
                    e.field,
                    list(e.contexts),
                    e.text,
                    e.shape,
                    e.page,
                    [round(v, 5) for v in e.box],
                    e.label,
                    e.around,
                    list(e.ranks),
                    e.lines,
                ]
                for e in self.examples.every
            ],
        }, trees

    @staticmethod
    def from_data(plan: Plan, data: dict[str, Any], trees: str, tagger: bytes = b"") -> Extractor:
        """The inverse of `to_data`; `plan` is the whole plan of the version. InputError when another release of the
        program wrote it with other features."""
        # the same numbers under other names would give other answers without a word
        if data["features"] != list(FEATURES):
            raise InputError("This version was trained by another release of the program. Train a new one.")
        plan = plan.only(data["fields"]) if "fields" in data else plan.learned  # from before choices were learned
        common = data["common_texts"]
        synonyms = data["synonyms"]
        return Extractor(
            plan,
            Ranker.from_data(data["ranker"], trees),
            Examples.of(
                [
                    Example(
                        paper, field, tuple(contexts), text, shape, page, Box(*box), label, around, tuple(ranks), lines
                    )
                    for paper, field, contexts, text, shape, page, box, label, around, ranks, lines in data["examples"]
                ]
            ),
            tuple(frozenset(common[place] for place in places) for places in data["texts"]),
            None if synonyms is None else tuple(frozenset(group) for group in synonyms),
            Relations.from_data(data["relations"]) if data["relations"] else None,
            WordTagger(plan, tagger) if tagger else None,
            OwnShapes.from_data(data.get("own_shapes", [])),
        )


def train_extractor(corpus: Corpus, papers: Sequence[int], *, seed: int = 0) -> Ranker:
    """A ranker fitted on some papers of a corpus, the others unknown to it."""
    known = np.zeros(len(corpus.samples), dtype=bool)
    known[list(papers)] = True
    rows = corpus.rows(papers, known, seed)
    share = share_of_prior(len(papers))
    return Ranker(seed=seed).fit(rows.features, rows.right, rows.weights, rows.decisions, prior_share=share)


def extractor_from(corpus: Corpus, *, seed: int = 0) -> Extractor:
    """The extractor that all of a corpus's papers make."""
    ranker = train_extractor(corpus, range(len(corpus.samples)), seed=seed)
    every = np.ones(len(corpus.samples), dtype=bool)
    told = corpus.relations(every), corpus.own_shapes(every)
    tagger = corpus.tagger(range(len(corpus.samples)))
    texts = tuple(corpus.texts)
    return Extractor(corpus.plan, ranker, corpus.examples, texts, corpus.synonyms, told[0], tagger, told[1])
