"""The worker process: takes tasks from the queue in PostgreSQL, one at a time.

Tasks are idempotent. A worker that dies in the middle leaves its task "doing"; any worker finds it after some seconds
without heartbeat and puts it back.
"""

from __future__ import annotations

import asyncio
import logging
from datetime import UTC, datetime

import procrastinate
import structlog

from jugum.core.ocr import Engine, QuickEngine, best_engine
from jugum.errors import ExternalError
from jugum.flow import gather, review, train
from jugum.flow.models import LoadedVersions
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.database import plain_url

log = structlog.get_logger()
HEARTBEAT_SECONDS = 2.0
# Waits 3, 9, 27, 81 seconds, then the task is failed and its paper says so.
RETRY = procrastinate.RetryStrategy(max_attempts=4, exponential_wait=3, retry_exceptions=[ExternalError, OSError])


def make_app(store: Store) -> procrastinate.App:
    """The task app with its three tasks, bound to a store."""
    settings = store.settings
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=plain_url(settings.database_url), min_size=1, max_size=4)
    )
    tools = _Tools(store)

    @app.task(name=gather.READ_TASK, retry=RETRY)
    def read_document(document_id: int) -> None:
        gather.read_document(tools.store, document_id, tools.engine)

    @app.task(name=gather.DRAFT_TASK, retry=RETRY)
    def draft_document(document_id: int) -> None:
        review.draft(tools.store, document_id, tools.versions)

    @app.task(name=train.TRAIN_TASK, retry=RETRY)
    def train_version(version_id: int) -> None:
        train.run(tools.store, version_id)

    return app


class _Tools:
    """What tasks share in one process; the engine loads its models at the first page."""

    def __init__(self, store: Store) -> None:
        self.store = store
        settings = store.settings
        self.versions = LoadedVersions()
        self.engine: Engine = QuickEngine() if settings.engine == "quick" else best_engine()
        if settings.engine != "quick" and self.engine.name == "quick":
            log.warning("the careful engine can't run here; pages are read with the quick one")


async def rescue(app: procrastinate.App, stale_seconds: float) -> int:
    """Put back the tasks of workers that stopped sending heartbeats; returns how many."""
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=stale_seconds))
    for job in stalled:
        log.warning("a worker died; its task is put back", task=job.task_name, args=job.task_kwargs)
        await app.job_manager.retry_job(job, retry_at=datetime.now(UTC))
    return len(stalled)


async def _work(settings: Settings) -> None:
    store = Store(settings)
    app = make_app(store)
    async with app.open_async():
        watcher = asyncio.create_task(_watch(app, settings.stale_seconds))
        try:
            await app.run_worker_async(
                concurrency=1,
                fetch_job_polling_interval=1.0,
                update_heartbeat_interval=HEARTBEAT_SECONDS,
                stalled_worker_timeout=settings.stale_seconds,
                delete_jobs="successful",
                shutdown_graceful_timeout=5,
            )
        finally:
            watcher.cancel()
            store.close()


async def _watch(app: procrastinate.App, stale_seconds: float) -> None:
    while True:
        try:
            await rescue(app, stale_seconds)
        except procrastinate.exceptions.ConnectorException:
            log.warning("the database does not answer")
        await asyncio.sleep(min(5.0, stale_seconds / 2))


def run_worker(settings: Settings) -> None:
    logging.basicConfig(level=logging.WARNING)
    asyncio.run(_work(settings))
