"""Why papers of a type can't be used: the reasons that the desk offers when one is set aside."""

from __future__ import annotations

from collections.abc import Sequence

from jugum.errors import InputError
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import DocumentType

# What is offered as long as a type has no reasons of its own.
USUAL_REASONS = ("A page is missing", "It can't be read", "It is another kind of paper", "It is here twice")
REASONS_MOST = 9  # each has a digit as its key
LETTERS_MOST = 80


def reasons_of(row: DocumentType) -> list[str]:
    """What is offered for a type."""
    return list(row.aside_reasons or USUAL_REASONS)


def set_aside_reasons(store: Store, actor: Actor, type_id: int, reasons: Sequence[str]) -> list[str]:
    """The reasons that are offered for a type, in their order; none brings back the usual ones. Returns what is offered
    then. InputError for more than nine, or one that is too long."""
    actor.require(WEIGH)
    given = list(dict.fromkeys(reason.strip() for reason in reasons if reason.strip()))
    if len(given) > REASONS_MOST:
        raise InputError(f"At most {REASONS_MOST} reasons can be offered: each has a key. There are {len(given)}.")
    if long := next((reason for reason in given if len(reason) > LETTERS_MOST), None):
        raise InputError(f"A reason has at most {LETTERS_MOST} letters: “{long[:40]}…” has {len(long)}.")
    with store.session() as session:
        row = type_row(session, type_id)
        before, after = row.aside_reasons, given
        record(session, actor, Action.SET_ASIDE_REASONS, "document_type", type_id, before=before, after=after)
        row.aside_reasons = given
        return reasons_of(row)


__all__ = ["USUAL_REASONS", "reasons_of", "set_aside_reasons"]
