"""Plan: workspaces, document types and their plans. Every change makes a whole new plan, is checked whole, and kept
as a version."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

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
    require_usable_rules,
)
from jugum.core.schema.plan_file import FieldAttributes, FieldFile
from jugum.core.values import DataType, ValueType, normal_form, normal_or_text
from jugum.errors import Conflict, Forbidden, InputError, NotFound
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.plan import removed
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Label, Person, PlanVersion

FIELDS_KEPT = 4000  # in memory, made ready: those of some hundred types
# Attributes of a field that queries ask for: columns of its row beside `spec`, which has them all.
QUERIED = ("name", "kind", "data_type", "printed_names", "required", "many", "inside", "personal")


class FieldInput(FieldAttributes):
    """What a person says of a field. `data_type` is as it was typed, and checked with words for a person; `inside` is
    the key of the table or clause it stands in (None: where it stood)."""

    data_type: str = "text"
    inside: str | None = None

    def data(self, key: str) -> dict[str, Any]:
        """The field as a plan file has it."""
        names = list(dict.fromkeys(name.strip() for name in self.printed_names if name.strip()))
        given = self.model_dump(mode="json", exclude_none=True, include=set(FieldFile.model_fields))
        return {**given, "key": key, "printed_names": names}


@dataclass(frozen=True)
class FieldView:
    """A field with how many papers have a label for it. `spec` is all that is said of it."""

    id: int
    key: str
    name: str
    kind: str
    data_type: str
    printed_names: list[str]
    required: bool
    many: bool
    inside: str
    personal: bool
    labels: int
    spec: dict[str, Any]


# ---- The plan as a whole ---------------------------------------------------------------------------------------------


def field_in(row: Field, month_first: bool = False) -> FieldPlan:
    """A field in core's words; dates whose order nobody said take the one given."""
    return _field(json.dumps(row.spec), month_first)


@lru_cache(maxsize=FIELDS_KEPT)
def _field(spec: str, month_first: bool) -> FieldPlan:
    """A field as it is kept, made once: each page and each answer asks for all fields of a type."""
    plan = field_from(json.loads(spec))
    return replace(plan, month_first=month_first) if plan.month_first is None else plan


def value_type_of(row: Field, document: Document | None = None) -> ValueType:
    """A field's value type on a paper; where nobody said the order of day and month, it is the paper's, or, without
    one, that of the type's papers."""
    return field_in(row, (row.type if document is None else document).reads_month_first).value_type


def plan_in(row: DocumentType) -> Plan:
    """A type's plan in core's words; where nobody said the order of day and month, it is that of the type's papers."""
    return _plan(row, row.reads_month_first)


def plan_of(document: Document) -> Plan:
    """The plan that a paper is read by; where nobody said the order of day and month, it is the paper's own."""
    return _plan(document.placed_type, document.reads_month_first)


def _plan(row: DocumentType, month_first: bool) -> Plan:
    return Plan(
        tuple(field_in(field, month_first) for field in row.fields), tuple(check_from(check) for check in row.checks)
    )


def as_said(row: DocumentType) -> Plan:
    """The plan as a person said it, nothing learned filled in."""
    return Plan(tuple(field_from(field.spec) for field in row.fields), tuple(check_from(check) for check in row.checks))


def locked_type(session: Session, type_id: int, number: int | None) -> DocumentType:
    """The type, locked; Conflict when its plan was changed since the caller looked (number None: any state is fine)."""
    row = session.get(DocumentType, type_id, with_for_update=True)
    if row is None:
        raise NotFound(f"There is no document type {type_id}.")
    if number is not None and row.plan_number != number:
        last = session.execute(
            select(PlanVersion.summary, Person.name)
            .join(Person, PlanVersion.created_by == Person.id)
            .where(PlanVersion.type_id == type_id, PlanVersion.number == row.plan_number)
        ).first()
        who = f" by {last[1]} ({last[0]})" if last else ""
        raise Conflict(
            f"The plan of “{row.name}” was changed in the meantime{who}. What you typed is kept: check the change, "
            "then save again."
        )
    return row


def _check_personal(actor: Actor, row: DocumentType, plan: Plan) -> None:
    """Who may not see personal values can't make them others, or take their fields away, either."""
    now = {field.key: field.personal for field in plan.fields}
    freed = [field.name for field in row.fields if field.personal and not now.get(field.key, False)]
    if freed and not actor.sees_personal:
        raise Forbidden(f"“{freed[0]}” is personal, which your sign-in may not see and so can't change.")


def save(session: Session, actor: Actor, row: DocumentType, plan: Plan, said: str) -> None:
    """Write a plan: fields by key, checks, a version and an audit row, all in one transaction."""
    _check_personal(actor, row, plan)
    before = {field.key: field for field in row.fields}
    gone = [field for key, field in before.items() if key not in {field.key for field in plan.fields}]
    held = removed.held_for(session, [field.id for field in gone])
    for field in gone:
        removed.keep(session, actor, field)
        session.delete(field)
    session.flush()
    removed.settle_what_waits_for_nothing(session, actor, held)
    back: list[str] = []
    for position, one in enumerate(plan.fields):
        mine = before.get(one.key) or removed.bring_back(session, row.id, one)
        if mine is None:
            mine = Field(type_id=row.id, key=one.key)
        elif field_from(mine.spec).value_type != one.value_type:
            _normal_forms_anew(session, mine, one)
        if mine.id is not None and one.key not in before:
            back.append(f"“{one.name}”")
        _write(mine, one, position)
        session.add(mine)
    if back:
        said += f"; {', '.join(back)} came back with labels and values"
    row.checks = [check_data(check) for check in plan.checks]
    row.plan_number += 1
    session.add(
        PlanVersion(type_id=row.id, number=row.plan_number, summary=said, plan=plan_data(plan), created_by=actor.id)
    )
    session.flush()
    session.expire(row, ["fields"])
    record(session, actor, Action.CHANGE_PLAN, "document_type", row.id, number=row.plan_number, said=said)


def _write(mine: Field, one: FieldPlan, position: int) -> None:
    data = field_data(one, whole=True)
    for name in QUERIED:
        setattr(mine, name, data[name])
    mine.position, mine.spec = position, field_data(one)


def edited(
    store: Store,
    actor: Actor,
    type_id: int,
    number: int | None,
    edit: Callable[[Session, DocumentType, Plan], tuple[Plan, str]],
) -> int:
    """Change a plan by a function of the old one; returns the new plan number."""
    actor.require(PLAN)
    with store.session() as session:
        row = locked_type(session, type_id, number)
        plan, said = edit(session, row, as_said(row))
        save(session, actor, row, plan, said)
        return row.plan_number


# ---- Fields ----------------------------------------------------------------------------------------------------------


def fields(store: Store, type_id: int) -> list[FieldView]:
    with store.session() as session:
        row = type_row(session, type_id)
        counts = label_counts(session, type_id)
        return [_field_view(field, counts.get(field.id, 0)) for field in row.fields]


@dataclass(frozen=True)
class WholePlan:
    """A plan as the page shows it: its number, for telling whether somebody else changed it meanwhile, and what is
    known of the order of day and month on the type's papers."""

    number: int
    fields: list[FieldView]
    checks: list[dict[str, Any]]
    date_order: dict[str, Any]


def whole(store: Store, type_id: int) -> WholePlan:
    with store.session() as session:
        row = type_row(session, type_id)
        counts = label_counts(session, type_id)
        shown = [_field_view(field, counts.get(field.id, 0)) for field in row.fields]
        return WholePlan(row.plan_number, shown, list(row.checks), dict(row.date_order))


def _field_view(one: Field, labels: int) -> FieldView:
    queried = {name: getattr(one, name) for name in QUERIED}
    return FieldView(id=one.id, key=one.key, labels=labels, spec=one.spec, **queried)


def label_counts(session: Session, type_id: int) -> dict[int, int]:
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
        raise InputError(f"“{data.get('data_type')}” is not a data type. Choose one of: {allowed}.")
    field = field_from(data)
    require_usable_rules(field)
    return field


def _key_for(plan: Plan, name: str, inside: str) -> str:
    parent = next((field for field in plan.fields if field.key == inside), None)
    if parent is not None and parent.kind is FieldKind.TABLE:
        own = {column.key.split(".", 1)[1] for column in plan.inside(inside)}
        return f"{inside}.{key_from(name, own)}"
    return key_from(name, {field.key for field in plan.fields})


def _no_twin(plan: Plan, name: str, inside: str, but: str = "") -> None:
    if any(
        field.name.casefold() == name.strip().casefold() and field.inside == inside and field.key != but
        for field in plan.fields
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
        inside = given.inside or ""
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

    edited(store, actor, type_id, number, edit)
    return next(view for view in fields(store, type_id) if view.key == made[0])


def change_field(
    store: Store, actor: Actor, type_id: int, key: str, given: FieldInput, *, number: int | None = None
) -> int:
    """Change everything but the key. Labels stay; when what can be read changes, their normal forms are made anew."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        before = planned(plan, row, key)
        inside = before.inside if given.inside is None else given.inside
        _no_twin(plan, given.name, inside, but=key)
        one = checked_field({**given.data(key), "inside": inside})
        if before.is_column != one.is_column or (before.kind is FieldKind.TABLE) != (one.kind is FieldKind.TABLE):
            raise InputError(f"“{before.name}” cannot become another kind of field. Remove it and add it again.")
        changed = replace(plan, fields=tuple(one if other.key == key else other for other in plan.fields))
        return changed, f"changed “{one.name}”"

    return edited(store, actor, type_id, number, edit)


def _normal_forms_anew(session: Session, mine: Field, one: FieldPlan) -> None:
    of_field = select(Label, Document).join(Document).where(Label.field_id == mine.id, Label.absent.is_(False))
    for label, document in session.execute(of_field):
        label.normal = normal_or_text(label.text, one.value_type.on_paper(document.reads_month_first))


def planned(plan: Plan, row: DocumentType, key: str) -> FieldPlan:
    for field in plan.fields:
        if field.key == key:
            return field
    raise NotFound(f"“{row.name}” has no field “{key}”.")


def _with_inner(plan: Plan, key: str) -> list[FieldPlan]:
    return [field for field in plan.fields if key in (field.key, field.inside)]


def move_field(store: Store, actor: Actor, type_id: int, key: str, position: int, *, number: int | None = None) -> int:
    """Put a field, with what stands in it, at a position (from 0) among those it stands beside."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = planned(plan, row, key)
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

    return edited(store, actor, type_id, number, edit)


def copy_field(store: Store, actor: Actor, type_id: int, key: str, *, number: int | None = None) -> FieldView:
    """A field once more, with what stands in it, under another name, right behind it."""
    made: list[str] = []

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = planned(plan, row, key)
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

    edited(store, actor, type_id, number, edit)
    return next(view for view in fields(store, type_id) if view.key == made[0])


def remove_field(
    store: Store, actor: Actor, type_id: int, key: str, *, labels_known: int, number: int | None = None
) -> int:
    """Remove a field with what stands in it. What was said of them is put away and comes back with them. The caller
    says how many papers' labels it knows of; Conflict when there are more, and when a check or a derived field names
    it."""

    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        one = planned(plan, row, key)
        gone = {inner.key for inner in _with_inner(plan, key)} if one.kind is not FieldKind.CLAUSE else {key}
        labelled = session.scalar(
            select(func.count(func.distinct(Label.document_id)))
            .join(Field, Label.field_id == Field.id)
            .where(Field.type_id == type_id, Field.key.in_(gone))
        )
        if (labelled or 0) > labels_known:
            raise Conflict(f"“{one.name}” is labelled on {labelled} papers; these labels would go with it.")
        _not_named(plan, one, gone)
        left = [replace(o, inside="") if o.inside in gone else o for o in plan.fields if o.key not in gone]
        return replace(plan, fields=tuple(left)), f"removed “{one.name}”" + (
            f" with labels on {labelled} papers" if labelled else ""
        )

    return edited(store, actor, type_id, number, edit)


def _not_named(plan: Plan, one: FieldPlan, gone: set[str]) -> None:
    for check in plan.checks:
        if gone & set(check.names):
            raise Conflict(f"The check “{check.said}” names “{one.name}”. Change or remove the check first.")
    for derived in plan.derivation:
        if derived.key not in gone and gone & set(Check("names", derived.expression).names):
            raise Conflict(f"“{derived.name}” is calculated from “{one.name}”. Change or remove it first.")


def normal_of(store: Store, type_id: int, key: str, text: str) -> str | None:
    """A text as a field of a type reads it; None when it can't."""
    with store.session() as session:
        row = type_row(session, type_id)
        planned(as_said(row), row, key)
        mine = next(field for field in row.fields if field.key == key)
        return normal_form(text, value_type_of(mine))
