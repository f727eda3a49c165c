"""Which of the candidates next in line a person is offered: those that could be the value."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import replace

from jugum.core.extraction.candidates.around import CHANNELS, plain_text
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.synonyms import known_names
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.schema import Plan
from jugum.core.values.kinds import ONE_FORM, WITH_NONE_SIGNS

PLAUSIBLE_WITHIN = 5.0  # log-odds: what is so much less likely than the next in line is not offered
NAMED_ABOVE = (CHANNELS.index("above"), CHANNELS.index("column_head"))
NAMED_LEFT = CHANNELS.index("left")
WORDS_LEAST = 2  # of a part of a value that may be meant instead of the whole


def with_plausible_others(plan: Plan, decisions: Sequence[Decision]) -> list[Decision]:
    """Decisions without the candidates next in line that can't be meant: printed names and parts of them (of the plan,
    of the shipped lists, or standing left of what was chosen, or above a chosen figure, as its name does), some of the
    words that another field took, odd words of what the field itself took, and what is far less likely than the first
    in line. The joint choice needs them all, so this comes last."""
    names = known_names() | {plain_text(name) for field in plan.fields for name in field.names_on_paper}
    chosen = [(decision.field, choice.candidate) for decision in decisions for choice in decision.chosen]
    figures = [candidate for _, candidate in chosen if candidate.data_type in WITH_NONE_SIGNS]
    here = {candidate.contexts[NAMED_LEFT] for _, candidate in chosen}
    here |= {candidate.contexts[channel] for candidate in figures for channel in NAMED_ABOVE}
    found = []
    for decision in decisions:
        taken = [candidate for field, candidate in chosen if field != decision.field]
        others = [
            choice
            for choice in decision.others
            if choice.candidate.plain not in names
            and not _names(choice.candidate, here, names)
            and not any(_is_piece(choice.candidate, other) for other in taken)
            and not any(_is_odd_piece(choice.candidate, other.candidate) for other in decision.chosen)
        ]
        found.append(replace(decision, others=_likely(others)))
    return found


def _is_piece(candidate: Candidate, other: Candidate) -> bool:
    """Whether it is some of the words of another candidate, not all of them."""
    within = other.first <= candidate.first <= candidate.last <= other.last
    return within and candidate.page == other.page and candidate.span != other.span


def _names(candidate: Candidate, here: Collection[str], known: Collection[str]) -> bool:
    """Whether a text is what stands before values of this paper, or some words of it: a printed name, where it has no
    name above itself. What names another value is none, as in a column of names."""
    above = {candidate.contexts[channel] for channel in NAMED_ABOVE}
    if candidate.data_type in ONE_FORM or any(name in known and name not in here for name in above):
        return False
    wanted = f" {candidate.plain} "
    return candidate.text.endswith(":") or any(wanted in f" {name} " for name in here)


def _is_odd_piece(candidate: Candidate, chosen: Candidate) -> bool:
    """Whether it is some words of the value that was chosen, but not that value with a word less at one end: that one
    may be what is meant."""
    if candidate.data_type in ONE_FORM or not _is_piece(candidate, chosen):
        return False
    words, whole = (one.last - one.first + 1 for one in (candidate, chosen))
    return words < WORDS_LEAST or whole - words > 1


def _likely(others: Sequence[Choice]) -> tuple[Choice, ...]:
    return tuple(choice for choice in others if choice.logit >= others[0].logit - PLAUSIBLE_WITHIN)
