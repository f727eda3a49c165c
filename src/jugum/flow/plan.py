"""Plan: workspaces, document types and their fields."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.schema import FieldPlan, Plan, key_from
from jugum.core.values import DataType
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.actor import PLAN, Actor, record
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Label, Workspace

TYPE_NAME_MAX = 80


@dataclass(frozen=True)
class FieldInput:
    """What a person says of a field."""

    name: str
    data_type: str = "text"
    printed_names: tuple[str, ...] = ()
    required: bool = True
    many: bool = False


@dataclass(frozen=True)
class FieldView:
    """A field with how many papers have a label for it."""

    id: int
    key: str
    name: str
    data_type: str
    printed_names: tuple[str, ...]
    required: bool
    many: bool
    labels: int


@dataclass(frozen=True)
class TypeView:
    id: int
    workspace_id: int
    workspace: str
    key: str
    name: str


def workspaces(store: Store) -> list[Workspace]:
    with store.session() as session:
        return list(session.scalars(select(Workspace).order_by(Workspace.name)))


def add_workspace(store: Store, actor: Actor, name: str) -> int:
    actor.must(PLAN)
    name = name.strip()
    if not name or len(name) > TYPE_NAME_MAX:
        raise InputError(f"A workspace needs a name of 1 to {TYPE_NAME_MAX} characters.")
    with store.session() as session:
        if session.scalar(select(Workspace.id).where(Workspace.name == name)):
            raise Conflict(f"There is a workspace “{name}” already.")
        workspace = Workspace(name=name)
        session.add(workspace)
        session.flush()
        record(session, actor, "add workspace", "workspace", workspace.id, name=name)
        return workspace.id


def types(store: Store, workspace_id: int | None = None) -> list[TypeView]:
    with store.session() as session:
        query = select(DocumentType).order_by(DocumentType.workspace_id, DocumentType.name)
        if workspace_id is not None:
            query = query.where(DocumentType.workspace_id == workspace_id)
        return [_type_view(row) for row in session.scalars(query)]


def _type_view(row: DocumentType) -> TypeView:
    return TypeView(row.id, row.workspace_id, row.workspace.name, row.key, row.name)


def type_view(store: Store, type_id: int) -> TypeView:
    with store.session() as session:
        return _type_view(type_row(session, type_id))


def type_row(session: Session, type_id: int) -> DocumentType:
    row = session.get(DocumentType, type_id)
    if row is None:
        raise NotFound(f"There is no document type {type_id}.")
    return row


def add_type(store: Store, actor: Actor, workspace_id: int, name: str) -> int:
    actor.must(PLAN)
    name = name.strip()
    if not name or len(name) > TYPE_NAME_MAX:
        raise InputError(f"A document type needs a name of 1 to {TYPE_NAME_MAX} characters.")
    with store.session() as session:
        if session.get(Workspace, workspace_id) is None:
            raise NotFound(f"There is no workspace {workspace_id}.")
        others = session.scalars(select(DocumentType).where(DocumentType.workspace_id == workspace_id)).all()
        if name.casefold() in {row.name.casefold() for row in others}:
            raise Conflict(f"There is a document type “{name}” already.")
        row = DocumentType(workspace_id=workspace_id, key=key_from(name, {other.key for other in others}), name=name)
        session.add(row)
        session.flush()
        record(session, actor, "add document type", "document_type", row.id, name=name)
        return row.id


def plan_in(row: DocumentType) -> Plan:
    """A type's plan in core's words."""
    return Plan(
        tuple(
            FieldPlan(f.key, f.name, DataType(f.data_type), tuple(f.printed_names), f.required, f.many)
            for f in row.fields
        )
    )


def fields(store: Store, type_id: int) -> list[FieldView]:
    with store.session() as session:
        row = type_row(session, type_id)
        counted = (
            select(Label.field_id, func.count(func.distinct(Label.document_id)))
            .join(Field)
            .where(Field.type_id == type_id)
            .group_by(Label.field_id)
        )
        counts = {field_id: count for field_id, count in session.execute(counted)}
        return [
            FieldView(f.id, f.key, f.name, f.data_type, tuple(f.printed_names), f.required, f.many, counts.get(f.id, 0))
            for f in row.fields
        ]


def _checked(given: FieldInput, key: str) -> FieldPlan:
    try:
        data_type = DataType(given.data_type)
    except ValueError as error:
        allowed = ", ".join(kind.value for kind in DataType)
        raise InputError(f"“{given.data_type}” is no data type; there are {allowed}.") from error
    names = tuple(dict.fromkeys(name.strip() for name in given.printed_names if name.strip()))
    return FieldPlan(key, given.name.strip(), data_type, names, given.required, given.many)


def add_field(store: Store, actor: Actor, type_id: int, given: FieldInput) -> FieldView:
    actor.must(PLAN)
    with store.session() as session:
        row = type_row(session, type_id)
        checked = _checked(given, key_from(given.name, {field.key for field in row.fields}))
        _no_twin(row.fields, checked.name)
        field = Field(type_id=type_id, key=checked.key, position=len(row.fields))
        _write(field, checked)
        session.add(field)
        session.flush()
        record(session, actor, "add field", "field", field.id, name=checked.name, data_type=checked.data_type.value)
        return FieldView(
            field.id, field.key, field.name, field.data_type, checked.printed_names, field.required, field.many, 0
        )


def _no_twin(fields: Sequence[Field], name: str, but: int | None = None) -> None:
    if any(field.name.casefold() == name.casefold() and field.id != but for field in fields):
        raise Conflict(f"There is a field “{name}” already.")


def _write(field: Field, checked: FieldPlan) -> None:
    field.name, field.data_type = checked.name, checked.data_type.value
    field.printed_names, field.required, field.many = list(checked.printed_names), checked.required, checked.many


def _field(row: DocumentType, key: str) -> Field:
    for field in row.fields:
        if field.key == key:
            return field
    raise NotFound(f"“{row.name}” has no field “{key}”.")


def change_field(store: Store, actor: Actor, type_id: int, key: str, given: FieldInput) -> None:
    """Change everything but the key. Labels stay; when the data type changes, their normal forms are made anew."""
    actor.must(PLAN)
    with store.session() as session:
        row = type_row(session, type_id)
        field = _field(row, key)
        checked = _checked(given, key)
        _no_twin(row.fields, checked.name, but=field.id)
        before = {"name": field.name, "data_type": field.data_type, "printed_names": field.printed_names}
        changed_type = field.data_type != checked.data_type.value
        _write(field, checked)
        if changed_type:
            from jugum.flow.label import normal_or_text

            for label in session.scalars(select(Label).where(Label.field_id == field.id, Label.absent.is_(False))):
                label.normal = normal_or_text(label.text, checked.data_type)
        record(session, actor, "change field", "field", field.id, before=before, after=checked.name)


def move_field(store: Store, actor: Actor, type_id: int, key: str, position: int) -> None:
    """Put a field at a position (from 0) among the fields of its type."""
    actor.must(PLAN)
    with store.session() as session:
        row = type_row(session, type_id)
        field = _field(row, key)
        order = [other for other in row.fields if other is not field]
        order.insert(max(0, min(position, len(order))), field)
        for place, other in enumerate(order):
            other.position = place
        record(session, actor, "move field", "field", field.id, position=position)


def remove_field(store: Store, actor: Actor, type_id: int, key: str, *, labels_known: int) -> None:
    """Remove a field and its labels. The caller says how many papers' labels it knows will be lost; Conflict when more
    would be."""
    actor.must(PLAN)
    with store.session() as session:
        row = type_row(session, type_id)
        field = _field(row, key)
        lost = (
            session.scalar(select(func.count(func.distinct(Label.document_id))).where(Label.field_id == field.id)) or 0
        )
        if lost > labels_known:
            raise Conflict(f"“{field.name}” is labelled on {lost} papers; these labels would be lost.")
        record(session, actor, "remove field", "field", field.id, name=field.name, key=key, labels_lost=lost)
        session.delete(field)
        session.flush()
        for place, other in enumerate([other for other in row.fields if other is not field]):
            other.position = place


def sample_count(session: Session, type_id: int) -> int:
    counted = select(func.count(Document.id)).where(Document.type_id == type_id, Document.purpose == "sample")
    return session.scalar(counted) or 0
