"""Which of the candidates next in line a person is offered: those that could be the value."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from jugum.core.extraction.candidates.around import CHANNELS, plain_text
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.synonyms import known_names
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.schema import Plan
from jugum.core.values.kinds import WITH_NONE_SIGNS

PLAUSIBLE_WITHIN = 5.0  # log-odds: what is so much less likely than the next in line is not offered
NAMED_ABOVE = (CHANNELS.index("above"), CHANNELS.index("column_head"))


def with_plausible_others(plan: Plan, decisions: Sequence[Decision]) -> list[Decision]:
    """Decisions without the candidates next in line that can't be meant: printed names (of the plan, of the shipped
    lists, or standing above a chosen figure, as its name does), some of the words that another field took, and what is
    far less likely than the first in line. The joint choice needs them all, so this comes last."""
    names = known_names() | {plain_text(name) for field in plan.fields for name in field.names_on_paper}
    chosen = [(decision.field, choice.candidate) for decision in decisions for choice in decision.chosen]
    figures = [candidate for _, candidate in chosen if candidate.data_type in WITH_NONE_SIGNS]
    names |= {candidate.contexts[channel] for candidate in figures for channel in NAMED_ABOVE}
    found = []
    for decision in decisions:
        taken = [candidate for field, candidate in chosen if field != decision.field]
        others = [
            choice
            for choice in decision.others
            if choice.candidate.plain not in names and not any(_is_piece(choice.candidate, other) for other in taken)
        ]
        found.append(replace(decision, others=_likely(others)))
    return found


def _is_piece(candidate: Candidate, other: Candidate) -> bool:
    """Whether it is some of the words of another candidate, not all of them."""
    within = other.first <= candidate.first <= candidate.last <= other.last
    return within and candidate.page == other.page and candidate.span != other.span


def _likely(others: Sequence[Choice]) -> tuple[Choice, ...]:
    return tuple(choice for choice in others if choice.logit >= others[0].logit - PLAUSIBLE_WITHIN)
