"""The worker process: takes tasks from the queues in PostgreSQL, one at a time.

Tasks are idempotent. A worker that dies in the middle leaves its task "doing"; any worker finds it after some seconds
without heartbeat and puts it back, unless it was the task that ended its workers (`deaths`).
"""

from __future__ import annotations

import asyncio
import contextlib
import os
from collections.abc import Collection
from datetime import UTC, datetime
from pathlib import Path

import procrastinate
import structlog

from jugum import beats
from jugum.flow.gather import sources
from jugum.flow.office import orphans
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.queue import Queue
from jugum.work import deaths
from jugum.work.tasks import Tasks, make_app

log = structlog.get_logger()
HEARTBEAT_SECONDS = 2.0
COLLECT_SECONDS = 6 * 3600.0


async def rescue(app: procrastinate.App, tasks: Tasks, stale_seconds: float) -> int:
    """Put back the tasks of workers that stopped sending heartbeats, and give up those over which workers ended again
    and again; returns how many."""
    home = tasks.store.settings.home
    deaths.note_lost(home)
    stalled = list(await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=stale_seconds))
    for job in stalled:
        assert job.id is not None
        if deaths.ends_of(home, job.id).is_enough:
            log.error("workers ended over a task; it is given up", task=job.task_name, args=job.task_kwargs)
            await asyncio.to_thread(tasks.give_up, job)
            await app.job_manager.finish_job(job, procrastinate.jobs.Status.FAILED, delete_job=False)
            deaths.forget(home, job.id)
        else:
            log.warning("a worker died; its task is put back", task=job.task_name, args=job.task_kwargs)
            await app.job_manager.retry_job(job, retry_at=datetime.now(UTC))
    return len(stalled)


async def _work(settings: Settings, queues: Collection[Queue]) -> None:
    store = Store(settings)
    store.files.sweep()
    in_hand = deaths.InHand(settings.home)
    tasks = Tasks(store, in_hand)
    app = make_app(store, tasks)
    async with app.open_async():
        ended = asyncio.Event()
        work = asyncio.create_task(
            app.run_worker_async(
                queues=list(queues),
                concurrency=1,
                fetch_job_polling_interval=1.0,
                update_heartbeat_interval=HEARTBEAT_SECONDS,
                stalled_worker_timeout=settings.stale_seconds,
                delete_jobs="successful",
                shutdown_graceful_timeout=5,
            )
        )
        beside = [
            asyncio.create_task(_rescue_stalled(app, tasks, settings.stale_seconds)),
            asyncio.create_task(_beat(in_hand, settings)),
            asyncio.create_task(_recycle(settings, ended)),
        ]
        if Queue.PAPERS in queues:
            beside += [asyncio.create_task(_watch_sources(store)), asyncio.create_task(_collect_orphans(store))]
        try:
            await asyncio.wait({work, asyncio.create_task(ended.wait())}, return_when=asyncio.FIRST_COMPLETED)
            if not work.done():
                work.cancel()  # procrastinate finishes the task at hand first
            with contextlib.suppress(asyncio.CancelledError):
                await work
        finally:
            for worker in beside:
                worker.cancel()
            store.close()
            in_hand.close()


async def _beat(in_hand: deaths.InHand, settings: Settings) -> None:
    """Say that this process is alive, and end it when its task takes longer than any may: whatever hangs in it can't
    be ended otherwise."""
    while True:
        in_hand.beat()
        if in_hand.seconds > settings.task_seconds_max:
            log.error("a task takes too long; its worker is replaced", seconds=round(in_hand.seconds))
            deaths.note_end(settings.home, os.getpid(), took=True)
            os._exit(deaths.OVER_TIME)
        await asyncio.sleep(beats.BEAT_SECONDS)


async def _rescue_stalled(app: procrastinate.App, tasks: Tasks, stale_seconds: float) -> None:
    while True:
        try:
            await rescue(app, tasks, stale_seconds)
        except procrastinate.exceptions.ConnectorException:
            log.warning("the database does not answer")
        await asyncio.sleep(min(5.0, stale_seconds / 2))


async def _watch_sources(store: Store) -> None:
    """Watched folders and mail boxes, looked at from a thread; of several workers one does it at a time."""
    watcher = sources.Watcher(store)
    while True:
        await asyncio.sleep(store.settings.look_seconds)
        try:
            await asyncio.to_thread(watcher.look)
        except Exception as error:  # one broken mail must not end the watch
            log.error("a look at the sources failed", exc_info=error)


async def _collect_orphans(store: Store) -> None:
    """Once in a while, files that nothing names any more are let go."""
    while True:
        await asyncio.sleep(COLLECT_SECONDS)
        try:
            await asyncio.to_thread(orphans.collect, store)
        except Exception as error:
            log.error("files without a row could not be collected", exc_info=error)


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


def run_worker(settings: Settings, queues: Collection[Queue] = tuple(Queue)) -> None:
    """Take tasks of these queues until asked to stop."""
    asyncio.run(_work(settings, queues))
