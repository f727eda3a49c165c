"""Plan: workspaces, document types and their plans. Every change makes a whole new plan, is checked whole, and kept as a version."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from jugum.core.schema import (
    Check,
    FieldKind,
    FieldPlan,
    Plan,
    check_data,
    check_from,
    field_data,
    field_from,
    key_from,
    plan_data,
    plan_file,
    plan_from,
    read_plan_file,
)
from jugum.core.values import DataType, ValueType, normal_form, normal_or_text
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.actor import PLAN, Actor, record
from jugum.store import Store
from jugum.store.models import (
    Document,
    DocumentType,
    Field,
    Label,
    ModelVersion,
    NamedList,
    Person,
    PlanVersion,
    Reading,
    Workspace,
)

TYPE_NAME_MAX = 80
VERSIONS_SHOWN = 60


@dataclass(frozen=True)
class FieldInput:
    """What a person says of a field; `more` are the further keys of a field in a plan file (kind, inside, options, …)."""

    name: str
    data_type: str = "text"
    printed_names: tuple[str, ...] = ()
    required: bool = True
    many: bool = False
    more: dict[str, Any] = field(default_factory=dict)

    def data(self, key: str) -> dict[str, Any]:
        names = list(dict.fromkeys(name.strip() for name in self.printed_names if name.strip()))
        return {
            "key": key, "name": self.name, "data_type": self.data_type, "printed_names": names, "required": self.required,
            "many": self.many, **self.more,
        }  # fmt: skip


@dataclass(frozen=True)
class FieldView:
    """A field with how many papers have a label for it. `spec` is all that is said of it."""

    id: int
    key: str
    name: str
    kind: str
    data_type: str
    printed_names: tuple[str, ...]
    required: bool
    many: bool
    inside: str
    personal: bool
    labels: int
    spec: dict[str, Any]


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
    with store.session() as session:
        row = _new_type(session, workspace_id, name)
        record(session, actor, "add document type", "document_type", row.id, name=row.name)
        return row.id


def _new_type(session: Session, workspace_id: int, name: str) -> DocumentType:
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


# ---- The plan as a whole ------------------------------------------------------------------------------------------------------


def field_in(row: Field, month_first: bool = False) -> FieldPlan:
    """A field in core's words; dates whose order nobody said take the one learned from the type's papers."""
    plan = field_from(row.spec)
    return replace(plan, month_first=month_first) if plan.month_first is None else plan


def value_type_of(row: Field) -> ValueType:
    """A field's value type, the order of day and month learned from its type's papers filled in."""
    return field_in(row, bool(row.type.date_order.get("is_month_first"))).value_type


def plan_in(row: DocumentType) -> Plan:
    """A type's plan in core's words."""
    learned = bool(row.date_order.get("is_month_first"))
    return Plan(tuple(field_in(one, learned) for one in row.fields), tuple(check_from(one) for one in row.checks))


def _as_said(row: DocumentType) -> Plan:
    """The plan as a person said it, nothing learned filled in."""
    return Plan(tuple(field_from(one.spec) for one in row.fields), tuple(check_from(one) for one in row.checks))


def lists_in(session: Session, workspace_id: int) -> dict[str, list[str]]:
    rows = session.scalars(select(NamedList).where(NamedList.workspace_id == workspace_id).order_by(NamedList.name))
    return {row.name: list(row.entries) for row in rows}


def locked_type(session: Session, type_id: int, number: int | None) -> DocumentType:
    """The type, locked; Conflict when its plan was changed since the caller looked (number None: any state is fine)."""
    row = session.get(DocumentType, type_id, with_for_update=True)
    if row is None:
        raise NotFound(f"There is no document type {type_id}.")
    if number is not None and row.plan_number != number:
        last = session.execute(
            select(PlanVersion.said, Person.name)
            .join(Person, PlanVersion.created_by == Person.id)
            .where(PlanVersion.type_id == type_id, PlanVersion.number == row.plan_number)
        ).first()
        who = f" by {last[1]} ({last[0]})" if last else ""
        raise Conflict(
            f"The plan of “{row.name}” was changed meanwhile{who}. What you typed is kept: look at the change, then save again."
        )
    return row


def _save(session: Session, actor: Actor, row: DocumentType, plan: Plan, said: str) -> None:
    """Write a plan: fields by key, checks, a version and an audit row, all in one transaction."""
    before = {one.key: one for one in row.fields}
    for gone in set(before) - {one.key for one in plan.fields}:
        session.delete(before[gone])
    kept: list[Field] = []
    for position, one in enumerate(plan.fields):
        mine = before.get(one.key) or Field(type_id=row.id, key=one.key)
        _write(mine, one, position)
        session.add(mine)
        kept.append(mine)
    row.checks = [check_data(check) for check in plan.checks]
    row.plan_number += 1
    session.add(
        PlanVersion(type_id=row.id, number=row.plan_number, said=said, plan=plan_data(plan), created_by=actor.id)
    )
    session.flush()
    session.expire(row, ["fields"])
    record(session, actor, "change plan", "document_type", row.id, number=row.plan_number, said=said)


def _write(mine: Field, one: FieldPlan, position: int) -> None:
    mine.name, mine.kind, mine.data_type, mine.position = one.name, one.kind.value, one.data_type.value, position
    mine.printed_names, mine.required, mine.many = list(one.printed_names), one.required, one.many
    mine.inside, mine.personal, mine.spec = one.inside, one.personal, field_data(one)


def _edited(
    store: Store,
    actor: Actor,
    type_id: int,
    number: int | None,
    edit: Callable[[Session, DocumentType, Plan], tuple[Plan, str]],
) -> int:
    """Change a plan by a function of the old one; returns the new plan number."""
    actor.must(PLAN)
    with store.session() as session:
        row = locked_type(session, type_id, number)
        plan, said = edit(session, row, _as_said(row))
        _save(session, actor, row, plan, said)
        return row.plan_number


# ---- Fields -------------------------------------------------------------------------------------------------------------------


def fields(store: Store, type_id: int) -> list[FieldView]:
    with store.session() as session:
        row = type_row(session, type_id)
        counts = _label_counts(session, type_id)
        return [_field_view(one, counts.get(one.id, 0)) for one in row.fields]


@dataclass(frozen=True)
class WholePlan:
    """A plan as the page shows it: its number, for telling whether somebody else changed it meanwhile, and what is known of
    the order of day and month on the type's papers."""

    number: int
    fields: list[FieldView]
    checks: list[dict[str, Any]]
    date_order: dict[str, Any]


def whole(store: Store, type_id: int) -> WholePlan:
    with store.session() as session:
        row = type_row(session, type_id)
        counts = _label_counts(session, type_id)
        shown = [_field_view(one, counts.get(one.id, 0)) for one in row.fields]
        return WholePlan(row.plan_number, shown, list(row.checks), dict(row.date_order))


def _field_view(one: Field, labels: int) -> FieldView:
    return FieldView(
        one.id, one.key, one.name, one.kind, one.data_type, tuple(one.printed_names), one.required, one.many, one.inside,
        one.personal, labels, one.spec,
    )  # fmt: skip


def _label_counts(session: Session, type_id: int) -> dict[int, int]:
    counted = (
        select(Label.field_id, func.count(func.distinct(Label.document_id)))
        .join(Field)
        .where(Field.type_id == type_id)
        .group_by(Label.field_id)
    )
    return {field_id: count for field_id, count in session.execute(counted)}


def checked_field(data: dict[str, Any]) -> FieldPlan:
    """A field as data made a field; InputError in a person's words."""
    if data.get("data_type", "text") not in set(DataType):
        allowed = ", ".join(kind.value for kind in DataType)
        raise InputError(f"“{data.get('data_type')}” is no data type; there are {allowed}.")
    return field_from(data)


def _key_for(plan: Plan, name: str, inside: str) -> str:
    parent = next((one for one in plan.fields if one.key == inside), None)
    if parent is not None and parent.kind is FieldKind.TABLE:
        own = {one.key.split(".", 1)[1] for one in plan.inside(inside)}
        return f"{inside}.{key_from(name, own)}"
    return key_from(name, {one.key for one in plan.fields})


def _no_twin(plan: Plan, name: str, inside: str, but: str = "") -> None:
    if any(
        one.name.casefold() == name.strip().casefold() and one.inside == inside and one.key != but
        for one in plan.fields
    ):
        raise Conflict(f"There is a field “{name}” already.")


def add_field(
    store: Store,
    actor: Actor,
    type_id: int,
    given: FieldInput,
    *,
    columns: Sequence[FieldInput] = (),
    number: int | None = None,
) -> FieldView:
    """Add a field (with its columns, for a table) at the end, or at the end of what it stands in."""
    made: list[str] = []

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        inside = str(given.more.get("inside", ""))
        _no_twin(plan, given.name, inside)
        one = checked_field(given.data(_key_for(plan, given.name, inside)))
        made.append(one.key)
        place = (
            max((n for n, other in enumerate(plan.fields) if inside in (other.key, other.inside)), default=-1)
            if inside
            else -1
        )
        place = len(plan.fields) if place < 0 else place + 1
        added = [one]
        for column in columns:
            own = key_from(column.name, {other.key.split(".", 1)[1] for other in added[1:]})
            added.append(checked_field({**column.data(f"{one.key}.{own}"), "inside": one.key}))
        changed = (*plan.fields[:place], *added, *plan.fields[place:])
        return replace(plan, fields=changed), f"added “{one.name}”"

    _edited(store, actor, type_id, number, edit)
    return next(view for view in fields(store, type_id) if view.key == made[0])


def change_field(
    store: Store, actor: Actor, type_id: int, key: str, given: FieldInput, *, number: int | None = None
) -> int:
    """Change everything but the key. Labels stay; when what can be read changes, their normal forms are made anew."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        before = _planned(plan, row, key)
        inside = str(given.more.get("inside", before.inside))
        _no_twin(plan, given.name, inside, but=key)
        one = checked_field({**given.data(key), "inside": inside})
        if before.is_column != one.is_column or (before.kind is FieldKind.TABLE) != (one.kind is FieldKind.TABLE):
            raise InputError(f"“{before.name}” can't become another kind of field. Remove it and add it anew.")
        changed = replace(plan, fields=tuple(one if other.key == key else other for other in plan.fields))
        if one.value_type != before.value_type:
            _normal_forms_anew(session, row, one)
        return changed, f"changed “{one.name}”"

    return _edited(store, actor, type_id, number, edit)


def _normal_forms_anew(session: Session, row: DocumentType, one: FieldPlan) -> None:
    mine = next(other for other in row.fields if other.key == one.key)
    for label in session.scalars(select(Label).where(Label.field_id == mine.id, Label.absent.is_(False))):
        label.normal = normal_or_text(label.text, one.value_type)


def _planned(plan: Plan, row: DocumentType, key: str) -> FieldPlan:
    for one in plan.fields:
        if one.key == key:
            return one
    raise NotFound(f"“{row.name}” has no field “{key}”.")


def _with_inner(plan: Plan, key: str) -> list[FieldPlan]:
    return [one for one in plan.fields if key in (one.key, one.inside)]


def move_field(store: Store, actor: Actor, type_id: int, key: str, position: int, *, number: int | None = None) -> int:
    """Put a field, with what stands in it, at a position (from 0) among those it stands beside."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = _planned(plan, row, key)
        parents = {other.key for other in plan.fields if other.kind in (FieldKind.TABLE, FieldKind.CLAUSE)}
        level = one.inside if one.inside in parents else ""
        beside = [other for other in plan.fields if other.inside == level and other.key != key]
        beside.insert(max(0, min(position, len(beside))), one)
        if level:
            rest = [other for other in plan.fields if other.inside != level]
            place = next(n for n, other in enumerate(rest) if other.key == level) + 1
            order = [*rest[:place], *beside, *rest[place:]]
        else:
            order = [inner for other in beside for inner in _with_inner(plan, other.key)]
        return replace(plan, fields=tuple(order)), f"moved “{one.name}”"

    return _edited(store, actor, type_id, number, edit)


def copy_field(store: Store, actor: Actor, type_id: int, key: str, *, number: int | None = None) -> FieldView:
    """A field once more, with what stands in it, under another name, right behind it."""
    made: list[str] = []

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = _planned(plan, row, key)
        name = next(
            f"{one.name} {n}"
            for n in range(2, 500)
            if not any(other.name == f"{one.name} {n}" for other in plan.fields)
        )
        new = _key_for(plan, name, one.inside)
        made.append(new)
        copies = []
        for inner in _with_inner(plan, key):
            if inner.key == key:
                copies.append(replace(inner, key=new, name=name))
            elif inner.is_column:
                copies.append(replace(inner, key=f"{new}.{inner.key.split('.', 1)[1]}", inside=new))
        place = max(n for n, other in enumerate(plan.fields) if key in (other.key, other.inside)) + 1
        return replace(plan, fields=(*plan.fields[:place], *copies, *plan.fields[place:])), f"copied “{one.name}”"

    _edited(store, actor, type_id, number, edit)
    return next(view for view in fields(store, type_id) if view.key == made[0])


def remove_field(
    store: Store, actor: Actor, type_id: int, key: str, *, labels_known: int, number: int | None = None
) -> int:
    """Remove a field with what stands in it, and their labels. The caller says how many papers' labels it knows will be lost;
    Conflict when more would be, and when a check or a derived field names it."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = _planned(plan, row, key)
        gone = {inner.key for inner in _with_inner(plan, key)} if one.kind is not FieldKind.CLAUSE else {key}
        lost = session.scalar(
            select(func.count(func.distinct(Label.document_id)))
            .join(Field, Label.field_id == Field.id)
            .where(Field.type_id == type_id, Field.key.in_(gone))
        )
        if (lost or 0) > labels_known:
            raise Conflict(f"“{one.name}” is labelled on {lost} papers; these labels would be lost.")
        _not_named(plan, one, gone)
        left = [replace(o, inside="") if o.inside in gone else o for o in plan.fields if o.key not in gone]
        return replace(plan, fields=tuple(left)), f"removed “{one.name}”" + (
            f" with labels on {lost} papers" if lost else ""
        )

    return _edited(store, actor, type_id, number, edit)


def _not_named(plan: Plan, one: FieldPlan, gone: set[str]) -> None:
    for check in plan.checks:
        if gone & set(check.names):
            raise Conflict(f"The check “{check.said}” names “{one.name}”. Change or remove the check first.")
    for derived in plan.derivation:
        if derived.key not in gone and gone & set(Check("names", derived.expression).names):
            raise Conflict(f"“{derived.name}” is worked out from “{one.name}”. Change or remove it first.")


def normal_of(store: Store, type_id: int, key: str, text: str) -> str | None:
    """A text as a field of a type reads it; None when it can't."""
    with store.session() as session:
        row = type_row(session, type_id)
        _planned(_as_said(row), row, key)
        mine = next(one for one in row.fields if one.key == key)
        return normal_form(text, value_type_of(mine))


# ---- Checks and lists -----------------------------------------------------------------------------------------------------------


def put_check(store: Store, actor: Actor, type_id: int, data: dict[str, Any], *, number: int | None = None) -> str:
    """Add a check, or change the one whose key is given. Returns its key."""
    made: list[str] = []

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        key = data.get("key") or ""
        known = {check.key for check in plan.checks}
        if key and key not in known:
            raise NotFound(f"“{row.name}” has no check “{key}”.")
        said = str(data.get("message") or data.get("expression") or "check")
        check = check_from({**data, "key": key or key_from(said[:40], known)})
        made.append(check.key)
        checks = [check if one.key == key else one for one in plan.checks] if key else [*plan.checks, check]
        return replace(plan, checks=tuple(checks)), f"{'changed' if key else 'added'} the check “{check.said}”"

    _edited(store, actor, type_id, number, edit)
    return made[0]


def remove_check(store: Store, actor: Actor, type_id: int, key: str, *, number: int | None = None) -> int:
    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        gone = next((check for check in plan.checks if check.key == key), None)
        if gone is None:
            raise NotFound(f"“{row.name}” has no check “{key}”.")
        left = tuple(check for check in plan.checks if check.key != key)
        return replace(plan, checks=left), f"removed the check “{gone.said}”"

    return _edited(store, actor, type_id, number, edit)


@dataclass(frozen=True)
class ListView:
    name: str
    entries: list[str]
    changed_at: datetime


def lists(store: Store, workspace_id: int) -> list[ListView]:
    with store.session() as session:
        rows = session.scalars(select(NamedList).where(NamedList.workspace_id == workspace_id).order_by(NamedList.name))
        return [ListView(row.name, list(row.entries), row.changed_at) for row in rows]


def put_list(store: Store, actor: Actor, workspace_id: int, name: str, entries: Sequence[str]) -> ListView:
    """Make or replace a list that checks look in."""
    actor.must(PLAN)
    name = name.strip()
    kept = list(dict.fromkeys(entry.strip() for entry in entries if entry.strip()))
    if not name or len(name) > TYPE_NAME_MAX or not kept:
        raise InputError("A list needs a name and at least one entry: one line each, or the first column of a CSV.")
    with store.session() as session:
        if session.get(Workspace, workspace_id) is None:
            raise NotFound(f"There is no workspace {workspace_id}.")
        row = _write_list(session, actor, workspace_id, name, kept)
        session.flush()
        session.refresh(row)
        return ListView(row.name, list(row.entries), row.changed_at)


def _write_list(session: Session, actor: Actor, workspace_id: int, name: str, entries: Sequence[str]) -> NamedList:
    row = session.scalar(select(NamedList).where(NamedList.workspace_id == workspace_id, NamedList.name == name))
    if row is None:
        row = NamedList(workspace_id=workspace_id, name=name, entries=[], changed_by=actor.id)
        session.add(row)
    row.entries, row.changed_by, row.changed_at = list(entries), actor.id, func.now()
    session.flush()
    record(session, actor, "change list", "named_list", row.id, name=name, entries=len(entries))
    return row


# ---- Whole types and files ---------------------------------------------------------------------------------------------------------


def copy_type(store: Store, actor: Actor, type_id: int, name: str) -> int:
    """A new type with the same plan, and no papers."""
    actor.must(PLAN)
    with store.session() as session:
        source = type_row(session, type_id)
        row = _new_type(session, source.workspace_id, name)
        _save(session, actor, row, _as_said(source), f"copied from “{source.name}”")
        return row.id


def export_plan(store: Store, type_id: int) -> tuple[str, bytes]:
    """File name and bytes of a type's plan, with the lists its checks look in."""
    with store.session() as session:
        row = type_row(session, type_id)
        plan = _as_said(row)
        used = {name: entries for name, entries in lists_in(session, row.workspace_id).items()
                if any(f'"{name}"' in check.expression for check in plan.checks)}  # fmt: skip
        return f"{row.key}.plan.json", plan_file(row.name, plan, used)


def import_plan(
    store: Store, actor: Actor, workspace_id: int, data: bytes, *, type_id: int | None = None, number: int | None = None
) -> int:
    """A plan file as a new type, or as the new plan of a type: fields it lacks must have no labels. Returns the type's id."""
    actor.must(PLAN)
    name, plan, entries = read_plan_file(data)
    with store.session() as session:
        if type_id is None:
            if not name:
                raise InputError("The plan file names no document type; say which type it is for.")
            row = _new_type(session, workspace_id, name)
        else:
            row = locked_type(session, type_id, number)
            counts = _label_counts(session, type_id)
            kept = {one.key for one in plan.fields}
            lost = next((one for one in row.fields if one.key not in kept and counts.get(one.id)), None)
            if lost is not None:
                raise Conflict(
                    f"The file has no field “{lost.key}”, which is labelled on {counts[lost.id]} papers. Remove it first."
                )
        for list_name, list_entries in entries.items():
            _write_list(session, actor, row.workspace_id, list_name, list_entries)
        before = {one.key: one.spec for one in row.fields}
        _save(session, actor, row, plan, "imported from a file")
        for one in plan.fields:
            if one.key in before and field_from(before[one.key]).value_type != one.value_type:
                _normal_forms_anew(session, row, one)
        return row.id


# ---- Versions and effects ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class PlanVersionView:
    number: int
    said: str
    by: str
    at: datetime


def plan_versions(store: Store, type_id: int) -> list[PlanVersionView]:
    """The last changes of a plan, the newest first."""
    with store.session() as session:
        type_row(session, type_id)
        rows = session.execute(
            select(PlanVersion, Person.name)
            .join(Person, PlanVersion.created_by == Person.id)
            .where(PlanVersion.type_id == type_id)
            .order_by(PlanVersion.number.desc())
            .limit(VERSIONS_SHOWN)
        )
        return [PlanVersionView(row.number, row.said, name, row.created_at) for row, name in rows]


def go_back(store: Store, actor: Actor, type_id: int, to: int, *, number: int | None = None) -> int:
    """The plan as it was at a version, as a new version. Fields that came later and have labels stay."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        version = session.scalar(
            select(PlanVersion)
            .where(PlanVersion.type_id == type_id, PlanVersion.number == to)
            .options(undefer(PlanVersion.plan))
        )
        if version is None:
            raise NotFound(f"The plan of “{row.name}” has no version {to}.")
        old = plan_from(version.plan)
        counts = _label_counts(session, type_id)
        labelled = {one.key for one in row.fields if counts.get(one.id)}
        keys = {one.key for one in old.fields}
        later = [one for one in plan.fields if one.key not in keys]
        stay = [o for o in later if o.key in labelled or {inner.key for inner in plan.inside(o.key)} & labelled]
        return Plan((*old.fields, *stay), old.checks), f"went back to version {to}"

    return _edited(store, actor, type_id, number, edit)


@dataclass(frozen=True)
class Effects:
    """What a change of a field would touch: papers with labels for it, the live version that reads it, live papers that
    hold a reading of it and could be read again."""

    labels: int
    live_version: int | None
    papers: int
    words: list[str]


def effects(store: Store, type_id: int, key: str, given: FieldInput | None) -> Effects:
    """Of changing a field to `given`, or of removing it (None). Nothing is changed."""
    with store.session() as session:
        row = type_row(session, type_id)
        plan = _as_said(row)
        before = _planned(plan, row, key)
        mine = [
            one for one in row.fields if key in (one.key, one.inside if before.kind is FieldKind.TABLE else one.key)
        ]
        ids = [one.id for one in mine]
        labels = (
            session.scalar(select(func.count(func.distinct(Label.document_id))).where(Label.field_id.in_(ids))) or 0
        )
        live = session.scalar(
            select(ModelVersion.number).where(ModelVersion.type_id == type_id, ModelVersion.state == "live")
        )
        papers = (
            session.scalar(
                select(func.count(func.distinct(Reading.document_id)))
                .join(Document, Reading.document_id == Document.id)
                .where(Reading.field_id.in_(ids), Document.state.in_(("placed", "held")))
            )
            or 0
        )
        after = checked_field({**given.data(key), "inside": before.inside}) if given else None
        return Effects(labels, live, papers, _words(before, after, labels, live if before.learned else None, papers))


def _words(before: FieldPlan, after: FieldPlan | None, labels: int, live: int | None, papers: int) -> list[str]:
    """The effects in sentences; empty when the change touches nothing that is done already."""

    def many(count: int, one: str, more: str) -> str:
        return f"{count} {one if count == 1 else more}"

    said = []
    if after is None:
        if labels:
            said.append(f"Its labels on {many(labels, 'paper', 'papers')} are lost.")
        if live:
            said.append(f"Version {live}, which is live, reads it; results of new papers will lack it.")
        return said
    meaning = after.value_type != before.value_type or after.kind is not before.kind
    if meaning and labels:
        said.append(
            f"Labels on {many(labels, 'paper', 'papers')} stay as they were printed; their values are read anew."
        )
    if before.many and not after.many and labels:
        said.append("Labels with several values fit no longer; the labelling desk will show them.")
    if live and (meaning or after.many != before.many or after.printed_names != before.printed_names):
        said.append(f"Version {live}, which is live, was trained with the old plan. Train a new one to make it count.")
    if papers and (meaning or after.required != before.required or after.rules != before.rules):
        said.append(f"{many(papers, 'live paper', 'live papers')} in review can be read again with the new plan.")
    return said


def sample_count(session: Session, type_id: int) -> int:
    counted = select(func.count(Document.id)).where(Document.type_id == type_id, Document.purpose == "sample")
    return session.scalar(counted) or 0


def labelling_of(store: Store, type_id: int) -> dict[str, Any]:
    """How samples of a type are labelled: `plant`, planted suggestions per hundred, and `order` of papers."""
    with store.session() as session:
        return {"plant": 0, "order": "teaches most", **type_row(session, type_id).labelling}
