"""Putting background work on the queue in the same transaction as the rows it is about: neither is lost without the other."""

from __future__ import annotations

import json
from typing import Any

from sqlalchemy import text
from sqlalchemy.orm import Session

_DEFER = text(
    "SELECT procrastinate_defer_jobs_v1(ARRAY[ROW(CAST(:queue AS varchar), CAST(:task AS varchar), :priority, "
    "CAST(:lock AS text), NULL, CAST(:args AS jsonb), NULL)]::procrastinate_job_to_defer_v1[])"
)


def enqueue(session: Session, task: str, *, priority: int = 0, lock: str | None = None, **args: Any) -> None:
    """Queue a task by its name in `work`; arguments are ids. Higher priority goes first; tasks of one lock never overlap."""
    session.execute(
        _DEFER, {"queue": "default", "task": task, "priority": priority, "lock": lock, "args": json.dumps(args)}
    )


def waiting_jobs(session: Session) -> int:
    """How many tasks are queued or running."""
    return int(
        session.execute(text("SELECT count(*) FROM procrastinate_jobs WHERE status IN ('todo', 'doing')")).scalar_one()
    )


def is_waiting(session: Session, task: str, **args: Any) -> bool:
    """Whether such a task waits already (one that runs does not count: it may have missed what is new)."""
    asked = text(
        "SELECT 1 FROM procrastinate_jobs WHERE status = 'todo' AND task_name = :task AND args = CAST(:args AS jsonb) LIMIT 1"
    )
    return session.execute(asked, {"task": task, "args": json.dumps(args)}).scalar() is not None


def waiting_pages(session: Session, task: str) -> int:
    """How many tasks of a name wait."""
    counted = text("SELECT count(*) FROM procrastinate_jobs WHERE status = 'todo' AND task_name = :task")
    return int(session.execute(counted, {"task": task}).scalar_one())
