"""The queue of background work, in the same PostgreSQL: all SQL on its tables is here.

Work is put on the queue in the transaction of the rows it is about, by the queue library's own way of using the
caller's connection, so that neither is lost without the other (docs/decisions/0001).
"""

from __future__ import annotations

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any

import procrastinate
from procrastinate.jobs import Job
from sqlalchemy import text
from sqlalchemy.orm import Session

# Never opened: it only puts a job into the library's own words and sends it over the connection it is given.
_APP = procrastinate.App(connector=procrastinate.SyncPsycopgConnector())


class Task(StrEnum):
    """Every kind of background work, by the name it has on the queue."""

    OPEN_DOCUMENT = "open_document"
    READ_PAGE = "read_page"
    CUT_DOCUMENT = "cut_document"
    PLACE_DOCUMENT = "place_document"
    DRAFT_DOCUMENT = "draft_document"
    LEARN_TYPES = "learn_types"
    GROUP_LAYOUTS = "group_layouts"
    JUDGE_CUTTING = "judge_cutting"
    TRAIN_VERSION = "train_version"
    DRAW_CURVE = "draw_curve"
    JUDGE_SAMPLE = "judge_sample"
    TRAIN_IF_DUE = "train_if_due"
    ROUTE_AGAIN = "route_again"
    SEND_NOTICE = "send_notice"
    TELL_LAYOUT = "tell_layout"


class Queue(StrEnum):
    """Work that waits apart, so that what takes minutes keeps nothing else waiting."""

    PAPERS = "default"
    TRAININGS = "trainings"


IN_TRAININGS = frozenset({Task.TRAIN_VERSION, Task.DRAW_CURVE})


def queue_of(task: Task) -> Queue:
    """Where a task waits."""
    return Queue.TRAININGS if task in IN_TRAININGS else Queue.PAPERS


@dataclass(frozen=True)
class QueuedJob:
    """A job to be put on the queue: its task, what it is about (ids), its priority (higher goes first) and its lock
    (jobs of one lock never overlap)."""

    task: Task
    arguments: Mapping[str, Any] = field(default_factory=dict)
    priority: int = 0
    lock: str | None = None


def document_job(task: Task, document_id: int, priority: int, **arguments: Any) -> QueuedJob:
    """A job about a document: jobs of one document never overlap."""
    return QueuedJob(task, {"document_id": document_id, **arguments}, priority, f"document-{document_id}")


def enqueue(session: Session, task: Task, *, priority: int = 0, lock: str | None = None, **arguments: Any) -> None:
    """Queue one task in the session's transaction; arguments are ids."""
    enqueue_all(session, [QueuedJob(task, arguments, priority, lock)])


def enqueue_all(session: Session, jobs: Sequence[QueuedJob]) -> None:
    """Queue many tasks in the session's transaction with one statement: 300 pages cost one call."""
    if not jobs:
        return
    connection = session.connection().connection.driver_connection
    _APP.job_manager.batch_defer_jobs(
        [
            Job(
                queue=queue_of(job.task),
                task_name=job.task.value,
                priority=job.priority,
                lock=job.lock,
                queueing_lock=None,
                task_kwargs=dict(job.arguments),
            )
            for job in jobs
        ],
        connection=connection,
    )


def waiting_jobs(session: Session, *, without: Collection[Task] = ()) -> int:
    """How many jobs are queued or running, some tasks left out."""
    asked = text(
        "SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing') AND task_name != ALL(:without)"
    )
    return int(session.execute(asked, {"without": [task.value for task in without]}).scalar_one())


def is_waiting(session: Session, task: Task, **arguments: Any) -> bool:
    """Whether such a job waits already (one that runs does not count: it may have missed what is new)."""
    asked = text(
        "SELECT 1 FROM procrastinate_jobs WHERE status = 'todo' AND task_name = :task AND args = CAST(:args AS "
        "jsonb) LIMIT 1"
    )
    return session.execute(asked, {"task": task.value, "args": json.dumps(arguments)}).scalar() is not None


def waiting_documents(session: Session, task: Task, among: Sequence[int] | None = None) -> frozenset[int]:
    """The documents (of all, or of those `among` which are asked for) for which a job of a task waits that is told
    nothing but the document. Until the transaction ends, none of these jobs is begun: what it changes is there when
    they are."""
    held = text(
        "SELECT (args->>'document_id')::bigint FROM procrastinate_jobs WHERE status = 'todo' AND task_name = :task AND "
        "args - 'document_id' = '{}' AND (:every OR (args->>'document_id')::bigint = ANY(:among)) ORDER BY id "
        "FOR UPDATE"
    )
    asked = {"task": task.value, "every": among is None, "among": list(among or ())}
    return frozenset(session.execute(held, asked).scalars())


def count_waiting(session: Session, task: Task) -> int:
    """How many jobs of a task wait."""
    counted = text("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo' AND task_name = :task")
    return int(session.execute(counted, {"task": task.value}).scalar_one())


def change_page_priority(session: Session, batch_id: int, change: int) -> None:
    """Add to the priority of the pages of a batch that wait to be read."""
    changed = text(
        "UPDATE procrastinate_jobs SET priority = priority + :change WHERE status = 'todo' AND task_name = :task AND "
        "(args->>'page_id')::bigint IN "
        "(SELECT page.id FROM page JOIN document ON document.id = page.document_id WHERE batch_id = :batch)"
    )
    session.execute(changed, {"change": change, "batch": batch_id, "task": Task.READ_PAGE.value})


__all__ = [
    "Queue",
    "QueuedJob",
    "Task",
    "change_page_priority",
    "count_waiting",
    "document_job",
    "enqueue",
    "enqueue_all",
    "is_waiting",
    "queue_of",
    "waiting_documents",
    "waiting_jobs",
]
