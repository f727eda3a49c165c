"""Background work that failed and has no paper, page or version to say so on: it is kept here and shown on the
overview until it succeeds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, or_, select
from sqlalchemy.dialects.postgresql import insert

from jugum.core.states import OPEN_SAMPLE_STATES, Purpose
from jugum.flow.office.actor import SEE, Actor
from jugum.store import Store
from jugum.store.models import Document, TaskFailure
from jugum.store.queue import Task

# Tasks whose failures are kept here: what they were to do, as the overview says it, and the argument that tells what
# it was to be done for (another person's attempt at the same is the same work).
RECORDED: Mapping[Task, tuple[str, str]] = {
    Task.LEARN_TYPES: ("Learning the document types", "workspace_id"),
    Task.GROUP_LAYOUTS: ("Grouping papers by layout", "type_id"),
    Task.JUDGE_CUTTING: ("Measuring how well bundles are split", "workspace_id"),
    Task.JUDGE_SAMPLE: ("Judging a sample that waits to be labelled", "document_id"),
    Task.TRAIN_IF_DUE: ("Starting a training automatically", "type_id"),
    Task.SEND_NOTICE: ("Telling of a broken promise by mail", "breach_id"),
    Task.TELL_LAYOUT: ("Telling papers of a new layout what was settled on one of it", "document_id"),
    Task.ROUTE_AGAIN: ("Applying a policy to papers that wait", "type_id"),
}


def _subject(task: Task, arguments: Mapping[str, Any]) -> dict[str, Any]:
    name = RECORDED[task][1]
    return {name: arguments[name]}


@dataclass(frozen=True)
class FailureView:
    """What failed, how often since it last succeeded, when last, and why."""

    what: str
    message: str
    count: int
    failed_at: datetime


def report(store: Store, task: Task, message: str, **arguments: Any) -> None:
    """Keep that a task failed; a failure of the same work before is replaced and counted."""
    row = insert(TaskFailure).values(task=task.value, arguments=_subject(task, arguments), message=message)
    changed = {"message": message, "count": TaskFailure.count + 1, "failed_at": func.now()}
    with store.session() as session:
        session.execute(row.on_conflict_do_update(index_elements=["task", "arguments"], set_=changed))


def clear(store: Store, task: Task, arguments: Mapping[str, Any]) -> None:
    """Forget the failures of work that has now succeeded."""
    with store.session() as session:
        session.execute(
            delete(TaskFailure).where(
                TaskFailure.task == task.value, TaskFailure.arguments == _subject(task, arguments)
            )
        )


def failures(store: Store, actor: Actor, *, limit: int = 5) -> list[FailureView]:
    """The last failures, the newest first, those of one kind of work put together. A sample that is labelled or gone
    meanwhile is not to be judged any more: its failure is over."""
    actor.require(SEE)
    to_judge = select(Document.id).where(Document.purpose == Purpose.SAMPLE, Document.state.in_(OPEN_SAMPLE_STATES))
    matters = or_(
        TaskFailure.task != Task.JUDGE_SAMPLE.value, TaskFailure.arguments["document_id"].as_integer().in_(to_judge)
    )
    with store.session() as session:
        rows = session.scalars(
            select(TaskFailure).where(matters).order_by(TaskFailure.failed_at.desc()).limit(100)
        ).all()
    found: dict[str, FailureView] = {}
    for row in rows:
        what = RECORDED[Task(row.task)][0]
        before = found.get(what)
        found[what] = (
            FailureView(what, row.message, row.count, row.failed_at)
            if before is None
            else FailureView(what, before.message, before.count + row.count, before.failed_at)
        )
    return list(found.values())[:limit]
