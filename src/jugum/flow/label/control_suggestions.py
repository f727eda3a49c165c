"""Planted suggestions: now and then a wrong one is shown on purpose, to see whether suggestions are looked at before
they are agreed to.

Off unless an analyst asks for it; what is agreed to blindly is not kept, and said at once.
"""

from __future__ import annotations

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.states import DocumentState
from jugum.errors import InputError
from jugum.flow.label.next_paper import ORDERS
from jugum.flow.label.suggestions import Suggested
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import ControlSuggestion, Document, Field

PER_HUNDRED_MAX = 10


def _chance(document_id: int, field_id: int, person_id: int) -> float:
    """A number 0–100 that is the same whenever this person sees this field of this paper."""
    digest = hashlib.sha256(f"{document_id}/{field_id}/{person_id}".encode()).digest()
    return int.from_bytes(digest[:4], "big") / 2**32 * 100


def planted(
    session: Session, document: Document, actor: Actor, suggested: dict[str, Suggested]
) -> dict[str, Suggested]:
    """Suggestions with some of them exchanged for the next candidate, as often as the type asks for; each is noted."""
    per_hundred = float(document.placed_type.labelling.get("plant", 0) or 0)
    if not per_hundred or document.state == DocumentState.LABELLED:
        return suggested
    known = {
        row.field_id: row
        for row in session.scalars(
            select(ControlSuggestion).where(
                ControlSuggestion.document_id == document.id, ControlSuggestion.person_id == actor.id
            )
        )
    }
    rows = {row.key: row for row in document.placed_type.fields}
    shown = dict(suggested)
    for key, one in suggested.items():
        row = rows[key]
        if row.many or "." in key or not one.others or len(one.values) != 1 or one.values[0] is None:
            continue
        before = known.get(row.id)
        if before is not None and before.outcome:
            continue
        if before is None and _chance(document.id, row.id, actor.id) >= per_hundred:
            continue
        wrong = replace(one.others[0], confidence=one.values[0].confidence)
        shown[key] = replace(one, values=[wrong], others=[one.values[0], *one.others[1:]])
        if before is None:
            text = wrong.normal or wrong.text
            session.add(ControlSuggestion(document_id=document.id, field_id=row.id, person_id=actor.id, text=text))
    return shown


def answered(session: Session, document: Document, row: Field, actor: Actor, said: Sequence[str]) -> str:
    """Note what a person answered to a planted suggestion. Returns words for who agreed to it (their label is not
    kept)."""
    plant = session.scalar(
        select(ControlSuggestion).where(
            ControlSuggestion.document_id == document.id,
            ControlSuggestion.field_id == row.id,
            ControlSuggestion.person_id == actor.id,
            ControlSuggestion.outcome == "",
        )
    )
    if plant is None or not said:
        return ""
    plant.outcome = "agreed" if list(said) == [plant.text] else "caught"
    if plant.outcome == "caught":
        return ""
    return (
        f"“{plant.text}” for {row.name} was a control suggestion, wrong on purpose. It was not saved: check the field "
        "again."
    )


@dataclass(frozen=True)
class ControlFigures:
    """How many control suggestions were answered, and how many of these were caught."""

    per_hundred: float
    answered: int
    caught: int


def figures(store: Store, type_id: int) -> ControlFigures:
    with store.session() as session:
        row = type_row(session, type_id)
        counts: dict[str, int] = {
            outcome: count
            for outcome, count in session.execute(
                select(ControlSuggestion.outcome, func.count(ControlSuggestion.id))
                .join(Field, ControlSuggestion.field_id == Field.id)
                .where(Field.type_id == type_id)
                .group_by(ControlSuggestion.outcome)
            )
        }
        caught = counts.get("caught", 0)
        return ControlFigures(float(row.labelling.get("plant", 0) or 0), caught + counts.get("agreed", 0), caught)


def set_labelling(
    store: Store, actor: Actor, type_id: int, *, plant: float | None = None, order: str | None = None
) -> None:
    """How samples of a type are labelled: planted suggestions per hundred (0 to 10), and the order of papers."""
    actor.require(LABEL)
    if plant is not None and not 0 <= plant <= PER_HUNDRED_MAX:
        raise InputError(f"{plant:g} control suggestions per hundred is not possible; choose 0 to {PER_HUNDRED_MAX}.")
    if order is not None and order not in ORDERS:
        raise InputError(f"“{order}” is not an order of papers. Choose “teaches most” or “in order”.")
    with store.session() as session:
        row = type_row(session, type_id)
        changed = {key: value for key, value in (("plant", plant), ("order", order)) if value is not None}
        row.labelling = {**row.labelling, **changed}
        record(session, actor, Action.SET_LABELLING, "document_type", type_id, **changed)
