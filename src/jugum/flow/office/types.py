"""Workspaces and their document types."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload

from jugum.core.schema import key_from
from jugum.core.states import Purpose
from jugum.core.values.date_styles import DateStyle
from jugum.errors import Conflict, Forbidden, InputError, NotFound
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import ADMINISTER, PLAN, Actor, record
from jugum.flow.office.people import let_maker_in
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Workspace
from jugum.store.scope import EVERYTHING, seeing

TYPE_NAME_MAX = 80


@dataclass(frozen=True)
class TypeView:
    id: int
    workspace_id: int
    workspace: str
    key: str
    name: str
    date_style: DateStyle


def workspaces(store: Store) -> list[Workspace]:
    with store.session() as session:
        return list(session.scalars(select(Workspace).order_by(Workspace.name)))


def add_workspace(store: Store, actor: Actor, name: str) -> int:
    actor.require(PLAN)
    if actor.permitted is not None:
        raise Forbidden("An API key is for one workspace, so it can't add others. Add them on the overview page.")
    name = name.strip()
    if not name or len(name) > TYPE_NAME_MAX:
        raise InputError(f"A workspace needs a name of 1 to {TYPE_NAME_MAX} characters.")
    with seeing(EVERYTHING), store.session() as session:  # nobody is a member of a new workspace yet
        if session.scalar(select(Workspace.id).where(Workspace.name == name)):
            raise Conflict(f"There is a workspace “{name}” already.")
        workspace = Workspace(name=name)
        session.add(workspace)
        session.flush()
        let_maker_in(session, actor, workspace.id)
        record(session, actor, Action.ADD_WORKSPACE, "workspace", workspace.id, name=name)
        return workspace.id


def set_date_style(store: Store, actor: Actor, workspace_id: int, style: DateStyle) -> None:
    """How a workspace writes dates on its screens. NotFound for no workspace."""
    actor.require(ADMINISTER)
    with store.session() as session:
        workspace = session.get(Workspace, workspace_id)
        if workspace is None:
            raise NotFound(f"There is no workspace {workspace_id}.")
        workspace.date_style = style.value
        record(session, actor, Action.SET_DATE_STYLE, "workspace", workspace_id, style=style.value)


def types(
    store: Store,
    workspace_id: int | None = None,
    *,
    by: Sequence[Any] = (DocumentType.workspace_id, DocumentType.name),
    most: int | None = None,
) -> list[TypeView]:
    """Types in the order of `by`, at most so many."""
    query = select(DocumentType).options(joinedload(DocumentType.workspace)).order_by(*by).limit(most)
    if workspace_id is not None:
        query = query.where(DocumentType.workspace_id == workspace_id)
    with store.session() as session:
        return [_type_view(row) for row in session.scalars(query)]


def _type_view(row: DocumentType) -> TypeView:
    workspace = row.workspace
    return TypeView(row.id, workspace.id, workspace.name, row.key, row.name, DateStyle(workspace.date_style))


def type_view(store: Store, type_id: int | None) -> TypeView:
    with store.session() as session:
        return _type_view(type_row(session, type_id))


def type_row(session: Session, type_id: int | None) -> DocumentType:
    row = session.get(DocumentType, type_id) if type_id is not None else None
    if row is None:
        raise NotFound(
            "This paper has no document type yet." if type_id is None else f"There is no document type {type_id}."
        )
    return row


def add_type(store: Store, actor: Actor, workspace_id: int, name: str) -> int:
    actor.require(PLAN)
    with store.session() as session:
        row = new_type(session, workspace_id, name)
        record(session, actor, Action.ADD_TYPE, "document_type", row.id, name=row.name)
        return row.id


def new_type(session: Session, workspace_id: int, name: str) -> DocumentType:
    name = name.strip()
    if not name or len(name) > TYPE_NAME_MAX:
        raise InputError(f"A document type needs a name of 1 to {TYPE_NAME_MAX} characters.")
    if session.get(Workspace, workspace_id) is None:
        raise NotFound(f"There is no workspace {workspace_id}.")
    others = session.scalars(select(DocumentType).where(DocumentType.workspace_id == workspace_id)).all()
    if name.casefold() in {row.name.casefold() for row in others}:
        raise Conflict(f"There is a document type “{name}” already.")
    row = DocumentType(workspace_id=workspace_id, key=key_from(name, {other.key for other in others}), name=name)
    session.add(row)
    session.flush()
    return row


def sample_count(session: Session, type_id: int) -> int:
    counted = select(func.count(Document.id)).where(Document.type_id == type_id, Document.purpose == Purpose.SAMPLE)
    return session.scalar(counted) or 0


def labelling_of(store: Store, type_id: int) -> dict[str, Any]:
    """How samples of a type are labelled: `plant`, planted suggestions per hundred, and `order` of papers."""
    with store.session() as session:
        return {"plant": 0, "order": "teaches most", **type_row(session, type_id).labelling}
