"""The programs of an installation, each run by processes of its own: the web, workers, and what stands in for services
outside."""

from __future__ import annotations

import os
import socket
from typing import Any

from jugum import beats, logs
from jugum.processes import end_with_parent
from jugum.settings import Settings

SERVING: dict[str, Any] = {
    "log_config": None,
    "access_log": False,
    "timeout_graceful_shutdown": 3,
    # Longer than clients keep a connection they don't use (5 s and more is usual): else a request may meet a connection
    # that is just being closed.
    "timeout_keep_alive": 75,
}
# Readers yield to the web: people wait for pages, nobody for the one paper that is read. Trainings yield to both: one
# has a quarter of a processor that it shares with a busy reader.
READER_NICENESS, TRAINER_NICENESS = 10, 15


def load_web() -> None:
    """What the web needs before it answers."""
    import uvicorn  # noqa: F401

    import jugum.web.app  # noqa: F401


def load_rest() -> None:
    """What is needed later: by workers, and by suggestions on the labelling desk."""
    import lightgbm  # noqa: F401

    import jugum.work.worker  # noqa: F401


def run_forked(name: str, starter: int, *fds: int) -> None:
    """One process that the start command, whose number is `starter`, keeps running; the web is given the socket on
    which to answer."""
    end_with_parent(starter)
    logs.configure()
    if name == "web":
        run_web_on(socket.socket(fileno=fds[0]), Settings())
    else:
        PROGRAMS[name]()


def run_web_on(listening: socket.socket, settings: Settings) -> None:
    """Answer on a socket that others answer on, too, with a sign of life while the event loop turns."""
    import uvicorn

    from jugum.web.app import create_app

    beat = beats.Beat(settings.home, "web")
    config = uvicorn.Config(
        create_app(settings), timeout_notify=beats.BEAT_SECONDS, callback_notify=beat.tell, **SERVING
    )
    uvicorn.Server(config).run(sockets=[listening])


def run_web() -> None:
    """Answer on the address of the settings, with several processes: one that is busy or dies leaves the others."""
    import uvicorn

    settings = Settings()
    uvicorn.run(
        "jugum.web.app:app_from_settings",
        factory=True,
        workers=settings.web_processes,
        host=settings.host,
        port=settings.port,
        **SERVING,
    )


def run_worker() -> None:
    """Take tasks of all queues."""
    from jugum.work import worker

    os.nice(READER_NICENESS)
    worker.run_worker(Settings())


def run_reader() -> None:
    """Take what is to be done with papers."""
    from jugum.store.queue import Queue
    from jugum.work import worker

    os.nice(READER_NICENESS)
    worker.run_worker(Settings(), [Queue.PAPERS])


def run_trainer() -> None:
    """Take trainings, which last minutes: beside the reading of papers."""
    from jugum.store.queue import Queue
    from jugum.work import worker

    os.nice(TRAINER_NICENESS)
    worker.run_worker(Settings(), [Queue.TRAININGS])


def run_mail() -> None:
    """Receive papers as a mail box would."""
    from jugum.standins import mail

    mail.run_mail(Settings())


def run_suggestions() -> None:
    """Answer as a suggestion service would."""
    from jugum.standins import suggestions

    suggestions.run_suggestions(Settings().suggestion_port)


def run_demo_fill() -> None:
    """Fill the demo workspace; workers must be running."""
    from jugum.demo.fill import fill, is_filled
    from jugum.store import Store

    store = Store(Settings())
    if not is_filled(store):
        fill(store, lambda line: print(line, flush=True))


PROGRAMS = {
    "worker": run_reader,
    "trainer": run_trainer,
    "mail": run_mail,
    "suggestions": run_suggestions,
    "demo-fill": run_demo_fill,
}
