"""The tasks of the worker: each runs one flow function under the guard, and says what becomes of its object when it
fails."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterator
from functools import partial
from typing import Any

import procrastinate
import structlog

from jugum.core.ocr import engine_named
from jugum.flow.gather import bundles, place, read
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.gather.explore import Explorer
from jugum.flow.gather.read import OpenPapers
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import layouts, next_paper
from jugum.flow.office import failures
from jugum.flow.office.types import types
from jugum.flow.plan.sample import learn_date_order
from jugum.flow.review import draft, route_again, together
from jugum.flow.train import automatic, training
from jugum.flow.weigh import notices
from jugum.store import Store
from jugum.store.database import plain_url
from jugum.store.queue import Task
from jugum.work.deaths import InHand, forget
from jugum.work.guard import RETRY, guarded

log = structlog.get_logger()
Work = Callable[..., None]
GIVEN_UP = (
    "The program that worked on it ended again and again, so it is not tried once more by itself. If it is a file, "
    "print it to PDF again where it was made."
)


class Tasks:
    """What a worker process does, and what it keeps between tasks: opened papers, unpacked versions and classifiers,
    page layers."""

    def __init__(self, store: Store, in_hand: InHand | None = None) -> None:
        self.store, self._in_hand = store, in_hand
        self._papers, self._versions, self._classifiers = OpenPapers(), LoadedVersions(), LoadedClassifiers()
        self._explorer = Explorer()

    def register(self, app: procrastinate.App) -> None:
        """Give the app every task of `Task`, each with its work and what becomes of its object when that fails."""
        for task, (work, failed) in self.table().items():
            self._register(app, task, work, failed)

    def table(self) -> dict[Task, tuple[Work, Work]]:
        """Task → (work, what is done with the words on a failure); both are given the task's arguments."""
        store = self.store
        aside = partial(read.set_aside_failed, store)
        return {
            Task.OPEN_DOCUMENT: (self._open, aside),
            Task.READ_PAGE: (self._read_page, partial(read.page_failed, store)),
            Task.CUT_DOCUMENT: (self._cut, aside),
            Task.PLACE_DOCUMENT: (self._place, aside),
            Task.DRAFT_DOCUMENT: (self._draft, partial(draft.failed, store)),
            Task.LEARN_TYPES: (self._learn, partial(failures.report, store, Task.LEARN_TYPES)),
            Task.GROUP_LAYOUTS: (self._group, partial(failures.report, store, Task.GROUP_LAYOUTS)),
            Task.JUDGE_CUTTING: (self._judge_cutting, partial(failures.report, store, Task.JUDGE_CUTTING)),
            Task.TRAIN_VERSION: (self._train, partial(training.failed, store)),
            Task.DRAW_CURVE: (self._curve, partial(training.curve_failed, store)),
            Task.JUDGE_SAMPLE: (self._judge_sample, partial(failures.report, store, Task.JUDGE_SAMPLE)),
            Task.TRAIN_IF_DUE: (self._train_if_due, partial(failures.report, store, Task.TRAIN_IF_DUE)),
            Task.SEND_NOTICE: (self._send_notice, partial(failures.report, store, Task.SEND_NOTICE)),
            Task.TELL_LAYOUT: (self._tell_layout, partial(failures.report, store, Task.TELL_LAYOUT)),
            Task.ROUTE_AGAIN: (self._route_again, partial(failures.report, store, Task.ROUTE_AGAIN)),
        }

    def _register(self, app: procrastinate.App, task: Task, work: Work, failed: Work) -> None:
        def run(context: procrastinate.JobContext, /, **arguments: Any) -> None:
            with (
                self._noted(context.job.id),
                guarded(context, lambda message: failed(message=message, **arguments)),
            ):
                work(**arguments)
                if task in failures.RECORDED:
                    failures.clear(self.store, task, arguments)

        app.task(name=task.value, retry=RETRY, pass_context=True)(run)

    @contextlib.contextmanager
    def _noted(self, job: int | None) -> Iterator[None]:
        """The task in hand is noted while it is worked on, for the case that this process ends over it."""
        if self._in_hand is not None:
            self._in_hand.note(job)
        yield
        if self._in_hand is not None and job is not None:
            self._in_hand.note(None)
            forget(self.store.settings.home, job)

    def give_up(self, job: procrastinate.jobs.Job) -> None:
        """Tell the object of a task over which workers ended that it is not tried again."""
        failed = self.table()[Task(job.task_name)][1]
        failed(message=GIVEN_UP, **job.task_kwargs)

    def _open(self, document_id: int) -> None:
        read.open_document(self.store, document_id, self._papers)

    def _read_page(self, page_id: int) -> None:
        read.read_one_page(self.store, page_id, self._papers)

    def _cut(self, document_id: int) -> None:
        bundles.cut_by_program(self.store, document_id, self._classifiers)

    def _place(self, document_id: int) -> None:
        place.place_by_program(self.store, document_id, self._classifiers)

    def _draft(self, document_id: int, version_id: int | None = None) -> None:
        draft.draft(self.store, document_id, self._versions, self._explorer, version_id=version_id)

    def _learn(self, workspace_id: int) -> None:
        place.learn(self.store, workspace_id)
        for kind in types(self.store, workspace_id):
            learn_date_order(self.store, kind.id)
            layouts.group_new(self.store, kind.id)

    def _group(self, type_id: int) -> None:
        layouts.group_new(self.store, type_id)

    def _judge_cutting(self, workspace_id: int) -> None:
        place.judge_cutting(self.store, workspace_id)

    def _train(self, version_id: int) -> None:
        training.run(self.store, version_id, self._explorer)

    def _curve(self, version_id: int) -> None:
        training.draw_curve(self.store, version_id, self._explorer)

    def _judge_sample(self, document_id: int) -> None:
        next_paper.judge(self.store, document_id, self._versions)

    def _tell_layout(self, document_id: int) -> None:
        together.tell(self.store, self._versions, document_id)

    def _send_notice(self, breach_id: int) -> None:
        notices.send_notice(self.store, breach_id)

    def _route_again(self, type_id: int) -> None:
        route_again.route_again(self.store, type_id)

    def _train_if_due(self, type_id: int, person_id: int) -> None:
        automatic.train_if_due(self.store, type_id, person_id)


def make_app(store: Store, tasks: Tasks | None = None) -> procrastinate.App:
    """The task app, bound to a store."""
    settings = store.settings
    app = procrastinate.App(
        connector=procrastinate.PsycopgConnector(conninfo=plain_url(settings.database_url), min_size=1, max_size=4)
    )
    if settings.engine != "quick" and engine_named(settings.engine).name == "quick":
        log.warning("the careful engine can't run here; pages are read with the quick one")
    (tasks or Tasks(store)).register(app)
    return app
