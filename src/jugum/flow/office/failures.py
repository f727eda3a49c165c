"""Background work that failed and has no paper, page or version to say so on: it is kept here and shown on the
overview until it succeeds."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.dialects.postgresql import insert

from jugum.flow.office.actor import SEE, Actor
from jugum.store import Store
from jugum.store.models import TaskFailure
from jugum.store.queue import Task

# Tasks whose failures are kept here, with what they were to do, as the overview says it.
RECORDED: Mapping[Task, str] = {
    Task.LEARN_TYPES: "Learning the document types",
    Task.GROUP_LAYOUTS: "Grouping papers by layout",
    Task.JUDGE_CUTTING: "Measuring how well bundles are split",
    Task.JUDGE_SAMPLE: "Judging a sample that waits to be labelled",
    Task.TRAIN_IF_DUE: "Starting a training automatically",
}


@dataclass(frozen=True)
class FailureView:
    """What failed, how often since it last succeeded, when last, and why."""

    what: str
    message: str
    count: int
    failed_at: datetime


def report(store: Store, task: Task, message: str, **arguments: Any) -> None:
    """Keep that a task failed; a failure of the same work before is replaced and counted."""
    row = insert(TaskFailure).values(task=task.value, arguments=arguments, message=message)
    changed = {"message": message, "count": TaskFailure.count + 1, "failed_at": func.now()}
    with store.session() as session:
        session.execute(row.on_conflict_do_update(index_elements=["task", "arguments"], set_=changed))


def clear(store: Store, task: Task, arguments: Mapping[str, Any]) -> None:
    """Forget the failures of work that has now succeeded."""
    with store.session() as session:
        session.execute(
            delete(TaskFailure).where(TaskFailure.task == task.value, TaskFailure.arguments == dict(arguments))
        )


def failures(store: Store, actor: Actor, *, limit: int = 5) -> list[FailureView]:
    """The last failures, the newest first, those of one kind of work put together."""
    actor.require(SEE)
    with store.session() as session:
        rows = session.scalars(select(TaskFailure).order_by(TaskFailure.failed_at.desc()).limit(100)).all()
    found: dict[str, FailureView] = {}
    for row in rows:
        what = RECORDED[Task(row.task)]
        before = found.get(what)
        found[what] = (
            FailureView(what, row.message, row.count, row.failed_at)
            if before is None
            else FailureView(what, before.message, before.count + row.count, before.failed_at)
        )
    return list(found.values())[:limit]
