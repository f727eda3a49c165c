"""The checks of a plan, and the lists that they look in."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.schema import Plan, check_from, key_from
from jugum.errors import InputError, NotFound
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, Actor, record
from jugum.flow.office.types import TYPE_NAME_MAX
from jugum.flow.plan.fields import edited
from jugum.store import Store
from jugum.store.models import DocumentType, NamedList, Workspace


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
        checks = [check if other.key == key else other for other in plan.checks] if key else [*plan.checks, check]
        return replace(plan, checks=tuple(checks)), f"{'changed' if key else 'added'} the check “{check.said}”"

    edited(store, actor, type_id, number, edit)
    return made[0]


def remove_check(store: Store, actor: Actor, type_id: int, key: str, *, number: int | None = None) -> int:
    def edit(session: Session, row: DocumentType, plan: Plan) -> tuple[Plan, str]:
        gone = next((check for check in plan.checks if check.key == key), None)
        if gone is None:
            raise NotFound(f"“{row.name}” has no check “{key}”.")
        left = tuple(check for check in plan.checks if check.key != key)
        return replace(plan, checks=left), f"removed the check “{gone.said}”"

    return edited(store, actor, type_id, number, edit)


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
    actor.require(PLAN)
    name = name.strip()
    kept = list(dict.fromkeys(entry.strip() for entry in entries if entry.strip()))
    if not name or len(name) > TYPE_NAME_MAX or not kept:
        raise InputError("A list needs a name and at least one entry: one line each, or the first column of a CSV.")
    with store.session() as session:
        if session.get(Workspace, workspace_id) is None:
            raise NotFound(f"There is no workspace {workspace_id}.")
        row = write_list(session, actor, workspace_id, name, kept)
        session.flush()
        session.refresh(row)
        return ListView(row.name, list(row.entries), row.changed_at)


def write_list(session: Session, actor: Actor, workspace_id: int, name: str, entries: Sequence[str]) -> NamedList:
    row = session.scalar(select(NamedList).where(NamedList.workspace_id == workspace_id, NamedList.name == name))
    if row is None:
        row = NamedList(workspace_id=workspace_id, name=name, entries=[], changed_by=actor.id)
        session.add(row)
    row.entries, row.changed_by, row.changed_at = list(entries), actor.id, func.now()
    session.flush()
    record(session, actor, Action.CHANGE_LIST, "named_list", row.id, name=name, entries=len(entries))
    return row


def lists_in(session: Session, workspace_id: int) -> dict[str, list[str]]:
    rows = session.scalars(select(NamedList).where(NamedList.workspace_id == workspace_id).order_by(NamedList.name))
    return {row.name: list(row.entries) for row in rows}
