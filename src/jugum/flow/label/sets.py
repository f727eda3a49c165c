"""Sets: which samples a model learns from, which it is tested on, and which are kept spare."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import ColumnElement, func, select
from sqlalchemy.orm import Session

from jugum.core.evaluation.splits import Shares, split_papers
from jugum.core.states import LABEL_STATES, DocumentState, Purpose, SetName
from jugum.errors import InputError
from jugum.flow.label.layouts import group_new
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import SETS, Document


@dataclass(frozen=True)
class SetView:
    """A set with its papers: how many, how many of these labelled, in how many layouts; and how many layouts
    stand in no other set."""

    name: str
    papers: int
    labelled: int
    layouts: int
    own_layouts: int


def sets(store: Store, type_id: int) -> list[SetView]:
    with store.session() as session:
        rows = session.execute(
            select(Document.set_name, Document.state, Document.layout_group_id).where(*_samples(type_id))
        ).all()
        layouts = {name: {row.layout_group_id for row in rows if row.set_name == name} for name in SETS}
        return [
            SetView(
                name,
                sum(row.set_name == name for row in rows),
                sum(row.set_name == name and row.state == DocumentState.LABELLED for row in rows),
                len(layouts[name]),
                len(layouts[name] - set().union(*(layouts[other] for other in SETS if other != name))),
            )
            for name in SETS
        ]


def _samples(type_id: int) -> tuple[ColumnElement[bool], ...]:
    return Document.type_id == type_id, Document.purpose == Purpose.SAMPLE, Document.state.in_(LABEL_STATES)


def split(store: Store, actor: Actor, type_id: int, shares: Shares, *, apart: bool, seed: int) -> list[SetView]:
    """Deal all samples of a type to the sets anew, by shares: each layout in proportion, or (`apart`) whole layouts, so
    that what is tested has never been seen. The same seed deals the same way."""
    actor.require(LABEL)
    group_new(store, type_id)
    with store.session() as session:
        type_row(session, type_id)
        documents = session.scalars(select(Document).where(*_samples(type_id)).order_by(Document.id)).all()
        if not documents:
            raise InputError("There are no samples yet.")
        dealt = split_papers([document.layout_group_id or 0 for document in documents], shares, apart=apart, seed=seed)
        for document, name in zip(documents, dealt, strict=True):
            document.set_name = SetName(name)
        counts = Counter(dealt)
        record(session, actor, Action.DEAL_SETS, "document_type", type_id, apart=apart, seed=seed, **counts)
    return sets(store, type_id)


def put(store: Store, actor: Actor, document_ids: Sequence[int], name: str) -> None:
    """Put single samples into a set."""
    actor.require(LABEL)
    if name not in SETS:
        raise InputError(f"“{name}” is not a set. Choose one of: {', '.join(SETS)}.")
    with store.session() as session:
        for document in session.scalars(select(Document).where(Document.id.in_(document_ids))):
            if document.purpose != Purpose.SAMPLE:
                raise InputError(f"“{document.name}” is a live paper; only samples are in sets.")
            record(session, actor, Action.PUT_INTO_SET, "document", document.id, before=document.set_name, after=name)
            document.set_name = SetName(name)


def test_papers(session: Session, type_id: int) -> int:
    """How many labelled papers the test set has."""
    query = select(func.count(Document.id)).where(
        Document.type_id == type_id,
        Document.purpose == Purpose.SAMPLE,
        Document.state == DocumentState.LABELLED,
        Document.set_name == SetName.TEST,
    )
    return session.scalar(query) or 0
