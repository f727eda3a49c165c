"""Training by itself: after so many newly labelled papers."""

from __future__ import annotations

from sqlalchemy import select

from jugum.core.states import IN_TRAINING
from jugum.errors import InputError
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import TRAIN, Actor, record
from jugum.flow.office.people import actor_by_id
from jugum.flow.office.types import type_row
from jugum.flow.train.training import start_in
from jugum.flow.train.versions import labelled_since_training
from jugum.store import Store
from jugum.store.models import ModelVersion

WHEN_RANGE = (1, 10_000)


def set_training(store: Store, actor: Actor, type_id: int, when: int | None) -> None:
    """Train by itself when so many papers were labelled since the last training (1 to 10,000); None: only when told."""
    actor.require(TRAIN)
    if when is not None and not WHEN_RANGE[0] <= when <= WHEN_RANGE[1]:
        raise InputError(
            f"Automatic training after {when} papers is not possible; choose {WHEN_RANGE[0]} to {WHEN_RANGE[1]:,}, "
            "or off."
        )
    with store.session() as session:
        row = type_row(session, type_id)
        before = row.training.get("when")
        row.training = {**row.training, "when": when}
        record(session, actor, Action.SET_TRAINING, "document_type", type_id, before=before, after=when)


def train_if_due(store: Store, type_id: int, person_id: int) -> int | None:
    """Queue a training, in the name of who labelled last, when as many papers were labelled since the last one as
    the type asks for; returns the version's id."""
    actor = actor_by_id(store, person_id)
    if actor is None:
        return None
    with store.session() as session:
        row = type_row(session, type_id)
        wanted = row.training.get("when")
        if not wanted or not row.fields:
            return None
        busy = session.scalar(
            select(ModelVersion.id).where(ModelVersion.type_id == type_id, ModelVersion.state.in_(IN_TRAINING)).limit(1)
        )
        if busy is not None or (session.scalar(select(labelled_since_training(type_id))) or 0) < int(wanted):
            return None
        return start_in(session, actor, type_id)
