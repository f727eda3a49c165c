"""Whose an object is: the one place that knows. Every request goes through it before anything is done."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from sqlalchemy import literal, select

from jugum.errors import NotFound
from jugum.flow.office.actor import Actor
from jugum.store import Store
from jugum.store.models import (
    Batch,
    Delivery,
    Document,
    DocumentType,
    LayoutGroup,
    ModelVersion,
    PastRecord,
    Source,
    Workspace,
)
from jugum.store.scope import EVERYTHING, seeing


def _of_type(table: Any, column: Any, its_id: int) -> Any:
    of = select(DocumentType.workspace_id, DocumentType.id).join(table, column == DocumentType.id)
    return of.where(table.id == its_id)


def _of_workspace(table: Any, its_id: int) -> Any:
    return select(table.workspace_id, literal(None)).where(table.id == its_id)


def _of_record(its_id: int) -> Any:
    of = select(Document.workspace_id, Document.type_id).join(PastRecord, PastRecord.document_id == Document.id)
    return of.where(PastRecord.id == its_id)


# What an address may name → in words, and the query for its workspace and its type.
PLACES: dict[str, tuple[str, Any]] = {
    "workspace_id": ("workspace", lambda its_id: select(Workspace.id, literal(None)).where(Workspace.id == its_id)),
    "type_id": (
        "document type",
        lambda its_id: select(DocumentType.workspace_id, DocumentType.id).where(DocumentType.id == its_id),
    ),
    "document_id": (
        "paper",
        lambda its_id: select(Document.workspace_id, Document.type_id).where(Document.id == its_id),
    ),
    "version_id": ("version with id", lambda its_id: _of_type(ModelVersion, ModelVersion.type_id, its_id)),
    "layout_group_id": ("layout", lambda its_id: _of_type(LayoutGroup, LayoutGroup.type_id, its_id)),
    "delivery_id": ("delivery", lambda its_id: _of_type(Delivery, Delivery.type_id, its_id)),
    "batch_id": ("batch", lambda its_id: _of_workspace(Batch, its_id)),
    "source_id": ("source", lambda its_id: _of_workspace(Source, its_id)),
    "record_id": ("past record", _of_record),
}


def within(store: Store, actor: Actor, named: Mapping[str, int]) -> Actor:
    """The actor as a member of the workspace that all the named objects (parameter of an address → id) stand in.
    NotFound, in the words for what is not there, for what stands in a workspace that is closed to them, and for
    objects of different workspaces."""
    workspace_id: int | None = None
    inside = actor
    with seeing(EVERYTHING), store.session() as session:
        for parameter, its_id in named.items():
            words, query = PLACES[parameter]
            found = session.execute(query(its_id)).one_or_none()
            member = actor.within(found[0], found[1]) if found is not None else None
            if found is None or member is None or workspace_id not in (None, found[0]):
                raise NotFound(f"There is no {words} {its_id}.")
            workspace_id, inside = found[0], member
    return inside
