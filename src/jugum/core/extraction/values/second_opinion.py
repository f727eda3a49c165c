"""A second opinion on values: a conditional random field over the words of a page (Lafferty, McCallum and Pereira,
2001), by the python-crfsuite package.

It reads the paper as one line of words with what stands left of and above each, and knows nothing of candidates,
printed names or the prior; so where it comes to the same value as the ranker, both are more likely right, on layouts
that are known.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.values.assignment import Decision
from jugum.core.page import Page, Segment, horizontal_overlap, laid_out, text_of
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import normal_form, same_value, value_shape

PAPERS_LEAST = 5  # fewer teach the tagger the papers by heart
PAPERS_MAX = 80  # the newest; its time grows with each (decision 0012)
ITERATIONS = 30  # of L-BFGS; it is an opinion, not the choice: a quarter of a second is enough (decision 0012)
WORDS_MAX = 1500  # of a page, the first so many
OUTSIDE = "O"


def word_features(page: Page) -> list[list[str]]:
    """For each word of a page in reading order what it is, what stands around it, and where it stands."""
    words = page.words[:WORDS_MAX]
    by_row: dict[int, list[Segment]] = {}
    for segment in laid_out(page)[1]:
        by_row.setdefault(segment.row, []).append(segment)
    home = {
        index: segment for its in by_row.values() for segment in its for index in range(segment.first, segment.last + 1)
    }
    plain = [plain_text(word.text) or word.text for word in words]
    found = []
    for index, word in enumerate(words):
        segment = home[index]
        row = by_row[segment.row]
        place = row.index(segment)
        left = plain_text(row[place - 1].text) if place else ""
        above = _above(by_row, segment)
        x, y = word.box.middle
        found.append(
            [
                f"w={plain[index]}",
                f"s={value_shape(word.text)[:12]}",
                f"-1={plain[index - 1] if index else '<'}",
                f"-2={plain[index - 2] if index > 1 else '<'}",
                f"+1={plain[index + 1] if index + 1 < len(words) else '>'}",
                f"left={left}",
                f"above={above}",
                f"at={index - segment.first}",
                f"x={int(x * 12)}",
                f"y={int(y * 20)}",
                f"xy={int(x * 12)},{int(y * 20)}",
                f"page={min(page.number, 4)}",
                *(f"l={part}" for part in left.split()[-3:]),
                *(f"a={part}" for part in above.split()[:3]),
            ]
        )
    return found


def _above(by_row: Mapping[int, Sequence[Segment]], segment: Segment) -> str:
    for number in range(segment.row - 1, max(-1, segment.row - 4), -1):
        over = [other for other in by_row.get(number, ()) if horizontal_overlap(other.box, segment.box) > 0.15]
        if over:
            return plain_text(max(over, key=lambda other: horizontal_overlap(other.box, segment.box)).text)
    return ""


@dataclass(frozen=True)
class WordTagger:
    """A fitted field, as the bytes of CRFsuite's own model file."""

    plan: Plan
    model: bytes

    def values(self, pages: Sequence[Page]) -> dict[str, list[str]]:
        """Field key → normal forms of what it takes for the field's values, in reading order; fields it finds
        nothing for are left out."""
        found: dict[str, list[str]] = {}
        for page, tags in zip(pages, tags_of(self.model, pages), strict=True):
            for key, first, last in _runs(tags):
                field = self.plan.field(key)
                kind = field.value_type.on_paper(page.month_first)
                normal = normal_form(text_of(page.words[first : last + 1]), kind)
                if normal:
                    found.setdefault(key, []).append(normal)
        return found


def tags_of(model: bytes, pages: Sequence[Page]) -> list[list[str]]:
    """The tag of each word (of the first 1,500) of each page, by a model's bytes."""
    import pycrfsuite

    tagger = pycrfsuite.Tagger()
    tagger.open_inmemory(model)
    return [list(tagger.tag(word_features(page))) for page in pages]


def check_model(model: bytes) -> None:
    """ValueError for bytes that are no model of the labeller; none at all are fine."""
    import pycrfsuite

    if model:
        pycrfsuite.Tagger().open_inmemory(model)


def _runs(tags: Sequence[str]) -> list[tuple[str, int, int]]:
    """Runs of words of one field: (key, first, last)."""
    found: list[tuple[str, int, int]] = []
    for index, tag in enumerate(tags):
        if tag == OUTSIDE:
            continue
        begins, key = tag[0] == "B", tag[2:]
        if not begins and found and found[-1][0] == key and found[-1][2] == index - 1:
            found[-1] = key, found[-1][1], index
        else:
            found.append((key, index, index))
    return found


@dataclass(frozen=True)
class TaggedPaper:
    """A paper's pages as features and tags, made once for all folds."""

    features: list[list[list[str]]]
    tags: list[list[str]]


def tagged(plan: Plan, sample: Sample) -> TaggedPaper:
    """A paper for the tagger. Words of which half lie in a label's box are its; what is labelled without a place is
    not told."""
    features = [word_features(page) for page in sample.pages]
    tags = [[OUTSIDE] * len(its) for its in features]
    for number, page in enumerate(sample.pages):
        for field in plan.fields:
            for label in sample.labels.get(field.key, ()):
                places = [(label.page, label.box), *label.more_places]
                inside = [
                    index
                    for index in range(len(tags[number]))
                    if any(
                        at == page.number and box is not None and box.contains(*page.words[index].box.middle)
                        for at, box in places
                    )
                ]
                for place, index in enumerate(inside):
                    tags[number][index] = f"{'B' if place == 0 else 'I'}-{field.key}"
    return TaggedPaper(features, tags)


def fit_tagger(plan: Plan, papers: Sequence[TaggedPaper]) -> WordTagger | None:
    """A tagger of at most 80 papers, by maximum likelihood with both penalties (30 steps of L-BFGS, so that the same
    papers give the same tagger); None for fewer than five. A quarter of a second for 50 pages."""
    return WordTagger(plan, fit_model(papers)) if len(papers) >= PAPERS_LEAST else None


def fit_model(papers: Sequence[TaggedPaper]) -> bytes:
    """CRFsuite's model of at most the last 80 papers, as bytes."""
    import pycrfsuite

    trainer = pycrfsuite.Trainer(algorithm="lbfgs", verbose=False)
    trainer.set_params({"max_iterations": ITERATIONS, "c1": 0.1, "c2": 0.01, "feature.minfreq": 2})
    for paper in papers[-PAPERS_MAX:]:
        for features, tags in zip(paper.features, paper.tags, strict=True):
            if features:
                trainer.append(features, tags)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder, "tagger.crfsuite")
        trainer.train(str(path))
        return path.read_bytes()


def with_opinion(plan: Plan, decisions: Sequence[Decision], said: Mapping[str, Sequence[str]]) -> list[Decision]:
    """Decisions that know whether the second opinion is the same."""
    return [replace(decision, opinion=agrees(decision, said, plan.field(decision.field))) for decision in decisions]


def agrees(decision: Decision, said: Mapping[str, Sequence[str]], field: FieldPlan) -> bool:
    """Whether a tagger says the same of a field: the same value among its own, or nothing where nothing was found."""
    mine = said.get(field.key, ())
    if decision.absent:
        return not mine
    return all(
        any(same_value(choice.candidate.normal, other, field.value_type) for other in mine)
        for choice in decision.chosen
    )


__all__ = ["TaggedPaper", "WordTagger", "agrees", "fit_tagger", "tagged", "with_opinion", "word_features"]
