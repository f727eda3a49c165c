"""Plans as files, as they were before, copied to another type, and what a change would touch."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from jugum.core.schema import FieldKind, FieldPlan, Plan, plan_file, plan_from, read_plan_file
from jugum.core.states import DocumentState, VersionState
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.office.actor import PLAN, Actor
from jugum.flow.office.types import new_type, type_row
from jugum.flow.plan import removed
from jugum.flow.plan.checks import lists_in, write_list
from jugum.flow.plan.fields import (
    FieldInput,
    as_said,
    checked_field,
    edited,
    label_counts,
    locked_type,
    planned,
    save,
)
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Label, ModelVersion, Person, PlanVersion, Reading

VERSIONS_SHOWN = 60


def copy_type(store: Store, actor: Actor, type_id: int, name: str) -> int:
    """A new type with the same plan, and no papers."""
    actor.require(PLAN)
    with store.session() as session:
        source = type_row(session, type_id)
        row = new_type(session, source.workspace_id, name)
        save(session, actor, row, as_said(source), f"copied from “{source.name}”")
        return row.id


def export_plan(store: Store, type_id: int) -> tuple[str, bytes]:
    """File name and bytes of a type's plan, with the lists its checks look in."""
    with store.session() as session:
        row = type_row(session, type_id)
        plan = as_said(row)
        used = {
            name: entries
            for name, entries in lists_in(session, row.workspace_id).items()
            if any(f'"{name}"' in check.expression for check in plan.checks)
        }
        return f"{row.key}.plan.json", plan_file(row.name, plan, used)


def import_plan(
    store: Store, actor: Actor, workspace_id: int, data: bytes, *, type_id: int | None = None, number: int | None = None
) -> int:
    """A plan file as a new type, or as the new plan of a type: fields it lacks must have no labels. Returns the
    type's id."""
    actor.require(PLAN)
    name, plan, entries = read_plan_file(data)
    with store.session() as session:
        if type_id is None:
            if not name:
                raise InputError("The plan file names no document type. Choose the type it is for.")
            row = new_type(session, workspace_id, name)
        else:
            row = locked_type(session, type_id, number)
            counts = label_counts(session, type_id)
            kept = {its.key for its in plan.fields}
            lost = next((stored for stored in row.fields if stored.key not in kept and counts.get(stored.id)), None)
            if lost is not None:
                raise Conflict(
                    f"The file has no field “{lost.key}”, which is labelled on {counts[lost.id]} papers. Remove it "
                    "first."
                )
        for list_name, list_entries in entries.items():
            write_list(session, actor, row.workspace_id, list_name, list_entries)
        save(session, actor, row, plan, "imported from a file")
        return row.id


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
        return [PlanVersionView(row.number, row.summary, name, row.created_at) for row, name in rows]


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
        counts = label_counts(session, type_id)
        labelled = {field.key for field in row.fields if counts.get(field.id)}
        keys = {field.key for field in old.fields}
        later = [field for field in plan.fields if field.key not in keys]
        stay = [o for o in later if o.key in labelled or {inner.key for inner in plan.inside(o.key)} & labelled]
        return Plan((*old.fields, *stay), old.checks), f"went back to version {to}"

    return edited(store, actor, type_id, number, edit)


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
        plan = as_said(row)
        before = planned(plan, row, key)
        mine = [
            field
            for field in row.fields
            if key in (field.key, field.inside if before.kind is FieldKind.TABLE else field.key)
        ]
        ids = [field.id for field in mine]
        labels = (
            session.scalar(select(func.count(func.distinct(Label.document_id))).where(Label.field_id.in_(ids))) or 0
        )
        live = session.scalar(
            select(ModelVersion.number).where(
                ModelVersion.type_id == type_id, ModelVersion.state == VersionState.PUBLISHED
            )
        )
        papers = (
            session.scalar(
                select(func.count(func.distinct(Reading.document_id)))
                .join(Document, Reading.document_id == Document.id)
                .where(Reading.field_id.in_(ids), Document.state.in_((DocumentState.PLACED, DocumentState.HELD)))
            )
            or 0
        )
        after = checked_field({**given.data(key), "inside": before.inside}) if given else None
        waiting = 0 if given else len(removed.held_for(session, ids) - removed.held_for_others(session, ids))
        live_reads = live if before.learned else None
        return Effects(labels, live, papers, _words(before, after, labels, live_reads, papers, waiting))


def _words(
    before: FieldPlan, after: FieldPlan | None, labels: int, live: int | None, papers: int, waiting: int
) -> list[str]:
    """The effects in sentences; empty when the change touches nothing that is done already."""

    def many(count: int, one: str, more: str) -> str:
        return f"{count} {one if count == 1 else more}"

    said = []
    if after is None:
        if labels:
            said.append(
                f"Its labels on {many(labels, 'paper', 'papers')} are put away with it. They come back when the plan "
                "has the field again."
            )
        if live:
            said.append(f"Version {live}, which is live, reads it; results of new papers will lack it.")
        if waiting:
            wait = many(waiting, "paper in review waits", "papers in review wait")
            said.append(f"{wait} for it alone and will count as settled.")
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
