"""The worker process: takes tasks from the queue in PostgreSQL, one at a time.

Tasks are idempotent. A worker that dies in the middle leaves its task "doing"; any worker finds it after some seconds
without heartbeat and puts it back.
"""

from __future__ import annotations

import asyncio
import contextlib
import logging
import os
import secrets
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

import procrastinate
import structlog
from sqlalchemy.exc import OperationalError

from jugum.core.ocr import engine_named
from jugum.errors import ExternalError, NotFound
from jugum.flow import cut, draft, looks, next_paper, place, read, sources, train
from jugum.flow.explore import Explorer
from jugum.flow.models import LoadedVersions
from jugum.flow.place import LoadedSorters
from jugum.flow.read import OpenPapers
from jugum.flow.sample import learn_date_order
from jugum.flow.types import types
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.database import plain_url

log = structlog.get_logger()
HEARTBEAT_SECONDS = 2.0
# Waits 3, 9, 27, 81 seconds, then the task is failed and its paper says so.
ATTEMPTS = 4
RETRY = procrastinate.RetryStrategy(
    max_attempts=ATTEMPTS, exponential_wait=3, retry_exceptions=[ExternalError, OSError]
)


def make_app(store: Store) -> procrastinate.App:
    """The task app with its tasks, bound to a store; each calls one flow function."""
    settings = store.settings
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=plain_url(settings.database_url), min_size=1, max_size=4)
    )
    if settings.engine != "quick" and engine_named(settings.engine).name == "quick":
        log.warning("the careful engine can't run here; pages are read with the quick one")
    papers, versions, sorters, explorer = OpenPapers(), LoadedVersions(), LoadedSorters(), Explorer()

    @app.task(name=read.OPEN_TASK, retry=RETRY, pass_context=True)
    def open_document(context: procrastinate.JobContext, document_id: int) -> None:
        with _told(context, lambda fault: read.document_broke(store, document_id, fault)):
            read.open_document(store, document_id, papers)

    @app.task(name=read.PAGE_TASK, retry=RETRY, pass_context=True)
    def read_page(context: procrastinate.JobContext, page_id: int) -> None:
        with _told(context, lambda fault: read.page_broke(store, page_id, fault)):
            read.read_one_page(store, page_id, papers)

    @app.task(name=read.CUT_TASK, retry=RETRY, pass_context=True)
    def cut_document(context: procrastinate.JobContext, document_id: int) -> None:
        with _told(context, lambda fault: read.document_broke(store, document_id, fault)):
            cut.cut_by_program(store, document_id, sorters)

    @app.task(name=read.PLACE_TASK, retry=RETRY, pass_context=True)
    def place_document(context: procrastinate.JobContext, document_id: int) -> None:
        with _told(context, lambda fault: read.document_broke(store, document_id, fault)):
            place.place_by_program(store, document_id, sorters)

    @app.task(name=read.LEARN_TASK, retry=RETRY)
    def learn_sorter(workspace_id: int) -> None:
        place.learn(store, workspace_id)
        for one in types(store, workspace_id):
            learn_date_order(store, one.id)
            looks.assign_all(store, one.id)

    @app.task(name=place.CUTTING_TASK, retry=RETRY)
    def judge_cutting(workspace_id: int) -> None:
        place.judge_cutting(store, workspace_id)

    @app.task(name=read.DRAFT_TASK, retry=RETRY)
    def draft_document(document_id: int, version_id: int | None = None) -> None:
        with contextlib.suppress(NotFound):  # removed meanwhile
            draft.draft(store, document_id, versions, explorer, version_id=version_id)

    @app.task(name=train.TRAIN_TASK, retry=RETRY)
    def train_version(version_id: int) -> None:
        train.run(store, version_id, explorer)

    @app.task(name=train.CURVE_TASK, retry=RETRY)
    def draw_curve(version_id: int) -> None:
        train.draw_curve(store, version_id, explorer)

    @app.task(name=train.GAUGE_TASK, retry=RETRY)
    def gauge_sample(document_id: int) -> None:
        next_paper.gauge(store, document_id, versions)

    return app


@contextlib.contextmanager
def _told(context: procrastinate.JobContext, tell: Callable[[str], None]) -> Iterator[None]:
    """A fault of our own side must not leave a paper waiting for ever: what can't be tried again, or was often enough, is
    told on the paper, under the reference that the log has."""
    try:
        yield
    except NotFound:
        log.info("what was to be read is gone meanwhile", args=context.job.task_kwargs)
    except OperationalError:
        raise
    except (ExternalError, OSError) as error:
        if context.job.attempts + 1 < ATTEMPTS:
            raise
        tell(str(error))
    except Exception as error:
        reference = secrets.token_hex(4)
        log.error("reading failed unexpectedly", reference=reference, args=context.job.task_kwargs, exc_info=error)
        tell(f"Something went wrong on our side while it was read; it is logged under reference {reference}.")


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
        ended = asyncio.Event()
        work = asyncio.create_task(
            app.run_worker_async(
                concurrency=1,
                fetch_job_polling_interval=1.0,
                update_heartbeat_interval=HEARTBEAT_SECONDS,
                stalled_worker_timeout=settings.stale_seconds,
                delete_jobs="successful",
                shutdown_graceful_timeout=5,
            )
        )
        beside = [
            asyncio.create_task(_watch(app, settings.stale_seconds)),
            asyncio.create_task(_look(store)),
            asyncio.create_task(_recycle(settings, ended)),
        ]
        try:
            await asyncio.wait({work, asyncio.create_task(ended.wait())}, return_when=asyncio.FIRST_COMPLETED)
            if not work.done():
                work.cancel()  # procrastinate finishes the task at hand first
            with contextlib.suppress(asyncio.CancelledError):
                await work
        finally:
            for one in beside:
                one.cancel()
            store.close()


async def _watch(app: procrastinate.App, stale_seconds: float) -> None:
    while True:
        try:
            await rescue(app, stale_seconds)
        except procrastinate.exceptions.ConnectorException:
            log.warning("the database does not answer")
        await asyncio.sleep(min(5.0, stale_seconds / 2))


async def _look(store: Store) -> None:
    """Watched folders and mail boxes, looked at from a thread; of several workers one does it at a time."""
    watcher = sources.Watcher(store)
    while True:
        await asyncio.sleep(store.settings.look_seconds)
        try:
            await asyncio.to_thread(watcher.look)
        except Exception as error:  # one broken mail must not end the watch
            log.error("a look at the sources failed", exc_info=error)


async def _recycle(settings: Settings, ended: asyncio.Event) -> None:
    """End this process once it holds too much memory; the start command puts a new one in its place."""
    while True:
        await asyncio.sleep(5)
        if holds_too_much(settings):
            log.info("a worker is replaced: it holds much memory", megabytes=round(resident_mb()))
            ended.set()
            return


def holds_too_much(settings: Settings) -> bool:
    """Whether this process is to be replaced by a new one."""
    return resident_mb() > settings.worker_mb_max


def resident_mb() -> float:
    """Memory this process holds now, in megabytes."""
    pages = int(Path("/proc/self/statm").read_text().split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 1e6


def run_worker(settings: Settings) -> None:
    logging.basicConfig(level=logging.WARNING)
    asyncio.run(_work(settings))
