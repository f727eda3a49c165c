"""From scores to decisions: which candidate each field takes, or none, so that no words are used twice."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.page import overlap_share
from jugum.core.schema import FieldPlan, Plan

NONE_PROBABILITY = 0.28  # on layouts that are known
NONE_STRANGE = 0.03  # on altogether strange ones, where a value is worth showing though a person must look anyway
FAMILIAR = 0.6  # layout likeness from which on a layout is known
MANY_PROBABILITY = 0.5  # a field with many values takes all that are rather right than wrong
ALTERNATIVES_MAX = 8  # nine keys take candidates on the desk: the first is the value itself
NO_RIVAL = -9.0  # logit that stands for "no other candidate at all"


@dataclass(frozen=True)
class Choice:
    """A candidate and the ranker's logit that it is the field's value."""

    candidate: Candidate
    logit: float


@dataclass(frozen=True)
class Decision:
    """What the model says about a field on a paper, "it is not there" included.

    `chosen` are its values (at most one unless the field has many), `others` the candidates next in line with other
    values, best first. `logit` speaks for the decision's weakest value (or for the best candidate when nothing was
    chosen), `rival` for the best candidate of another value, `layout_similarity` is the layout's likeness (0–1) to
    the most alike labelled paper, `reading` the least reading confidence (0–1) in the words chosen, `misread`
    whether two readings of them differ, `by_hand` whether any was written by hand; `label_like` is how like (0–1) the
    words around its values are to their printed names on labelled papers (½ where nothing was chosen). `opinion` tells
    whether a second model gives the same answer (None: there is none), `why` what spoke for the answer, `scores` the
    numbers behind it, `layout` the group of layouts that the paper is of, `lacking` the log-odds that a paper of it
    lacks the field (0 where nothing is known), `most` the most confidence (0–1) that so many labelled papers of it can
    give.
    """

    field: str
    chosen: tuple[Choice, ...]
    others: tuple[Choice, ...]
    logit: float
    rival: float
    layout_similarity: float
    reading: float
    opinion: bool | None = None
    why: str = ""
    scores: Mapping[str, float] = kept(default_factory=dict)
    misread: bool = False
    by_hand: bool = False
    label_like: float = 0.5
    layout: int = NEW_LAYOUT
    lacking: float = 0.0
    most: float = 1.0

    @property
    def absent(self) -> bool:
        """Whether it says that the value is not on the paper."""
        return not self.chosen


def decide(
    plan: Plan,
    scored: Mapping[str, Sequence[Choice]],
    layout_similarity: float,
    *,
    least: float | None = None,
) -> list[Decision]:
    """One decision per field of the plan, of values whose log-odds are `least` or more (`absence_logit` when it is not
    given). Over all fields with one value, the surest pair of field and candidate is taken first; words once taken are
    gone for the others (Hungarian assignment would not know of overlaps)."""
    # what is still wrong here is put right by changes of two fields at once (decision 0013)
    floor = absence_logit(layout_similarity) if least is None else least
    taken: dict[str, list[Choice]] = {field.key: [] for field in plan.fields}
    used: list[Candidate] = []
    pairs = sorted(
        ((choice, field) for field in plan.fields for choice in scored[field.key][:40] if choice.logit >= floor),
        # place and key, so that the same paper always gives the same answer
        key=lambda pair: (-pair[0].logit, _place(pair[0]), pair[1].key),
    )
    for choice, field in pairs:
        wanted = field.many and choice.logit >= _logit(MANY_PROBABILITY)
        if (wanted or not taken[field.key]) and not any(shares_words(choice.candidate, other) for other in used):
            taken[field.key].append(choice)
            used.append(choice.candidate)
    return [_decision(field, taken[field.key], scored[field.key], layout_similarity) for field in plan.fields]


def absence_logit(layout_similarity: float) -> float:
    """The log-odds a value needs to be given at all: those of 28 % on known layouts, falling to 3 % on altogether
    strange ones."""
    # On strange layouts odds are low though right: what known layouts ask would leave most fields empty.
    strange = strangeness(layout_similarity)
    return (1 - strange) * _logit(NONE_PROBABILITY) + strange * _logit(NONE_STRANGE)


def strangeness(layout_similarity: float) -> float:
    """0 for layouts that are known, rising to 1 for altogether strange ones."""
    return 1 - min(1.0, max(0.0, layout_similarity / FAMILIAR))


def _decision(field: FieldPlan, chosen: list[Choice], scored: Sequence[Choice], layout_similarity: float) -> Decision:
    chosen = sorted(chosen, key=_place)
    values = {choice.candidate.normal for choice in chosen}
    others: list[Choice] = []
    for choice in scored:
        if choice.candidate.normal not in values and len(others) < ALTERNATIVES_MAX:
            values.add(choice.candidate.normal)
            others.append(choice)
    best = scored[0].logit if scored else NO_RIVAL
    return Decision(
        field=field.key,
        chosen=tuple(chosen),
        others=tuple(others),
        logit=min(choice.logit for choice in chosen) if chosen else best,  # several values are right only together
        rival=others[0].logit if others else NO_RIVAL,
        layout_similarity=layout_similarity,
        reading=min((choice.candidate.confidence for choice in chosen), default=1.0),
        misread=any(choice.candidate.differs for choice in chosen),
        by_hand=any(choice.candidate.by_hand for choice in chosen),
    )


def _place(choice: Choice) -> tuple[tuple[int, int, int], float]:
    """Where a choice stands in reading order; two parts of one word from left to right."""
    return choice.candidate.span, choice.candidate.box.x0


def shares_words(a: Candidate, b: Candidate) -> bool:
    """Whether two candidates hold a word in common. Two parts of one word, as of "01/02/2026-28/02/2026", do not."""
    if a.span == b.span and a.first == a.last and not overlap_share(a.box, b.box):
        return False
    return a.page == b.page and any(
        first <= other_last and other_first <= last for first, last in a.spans for other_first, other_last in b.spans
    )


def _logit(probability: float) -> float:
    return math.log(probability / (1 - probability))
