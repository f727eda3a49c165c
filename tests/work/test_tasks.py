"""Whatever task fails says so: an error injected into each of them is told on the object that the task is about."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import pytest
from sqlalchemy import select, text
from tests.office import Office, run_queue
from tests.papers import slip_pdf, slips

from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.values import corpus
from jugum.core.page import Page, Word
from jugum.core.schema import Plan
from jugum.errors import ExternalError, InputError
from jugum.flow.gather import bundles, documents, place, read
from jugum.flow.gather.documents import Intake
from jugum.flow.gather.pages import pages_of
from jugum.flow.label import layouts, next_paper
from jugum.flow.office.failures import failures
from jugum.flow.review import draft, route_again, together
from jugum.flow.train import automatic, training, versions
from jugum.flow.weigh import notices
from jugum.store import Store
from jugum.store.models import Document
from jugum.store.queue import Task, enqueue
from jugum.work import guard

Run = Callable[[], None]
# What each task calls: (module, function).
INSIDE = {
    Task.OPEN_DOCUMENT: (read, "open_document"),
    Task.READ_PAGE: (read, "read_one_page"),
    Task.CUT_DOCUMENT: (bundles, "cut_by_program"),
    Task.PLACE_DOCUMENT: (place, "place_by_program"),
    Task.DRAFT_DOCUMENT: (draft, "draft"),
    Task.LEARN_TYPES: (place, "learn"),
    Task.GROUP_LAYOUTS: (layouts, "group_new"),
    Task.JUDGE_CUTTING: (place, "judge_cutting"),
    Task.TRAIN_VERSION: (training, "run"),
    Task.DRAW_CURVE: (training, "draw_curve"),
    Task.JUDGE_SAMPLE: (next_paper, "judge"),
    Task.TRAIN_IF_DUE: (automatic, "train_if_due"),
    Task.ROUTE_AGAIN: (route_again, "route_again"),
    Task.TELL_LAYOUT: (together, "tell"),
    Task.SEND_NOTICE: (notices, "send_notice"),
}


@pytest.fixture
def run_jobs(store: Store) -> Run:
    """Run everything on the queue with a real worker, learning curves too."""
    return lambda: run_queue(store, curves=True)


def broken(*given: object, **named: object) -> None:
    raise ZeroDivisionError("inside")


def receive(office: Office, *, purpose: str = "live", typed: bool = True, cut: str = "none") -> int:
    intake = Intake(1, None, None, None, "eng", cut)
    type_id = office.type_id if typed else None
    return documents.receive(
        office.store, office.analyst, type_id, "s.pdf", slip_pdf(slips(1, start=70)[0]), purpose=purpose, intake=intake
    ).document_id


def queued(office: Office, task: Task, **arguments: int) -> None:
    with office.store.session() as session:
        enqueue(session, task, **arguments)


def test_every_task_is_tried_here() -> None:
    assert set(INSIDE) == set(Task)


@pytest.mark.parametrize(
    "task", [Task.OPEN_DOCUMENT, Task.READ_PAGE, Task.CUT_DOCUMENT, Task.PLACE_DOCUMENT, Task.DRAFT_DOCUMENT]
)
def test_a_paper_whose_task_fails_is_set_aside_with_a_reference_and_can_be_tried_again(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch, task: Task
) -> None:
    document = receive(
        trained, typed=task is not Task.PLACE_DOCUMENT, cut="learned" if task is Task.CUT_DOCUMENT else "none"
    )
    with monkeypatch.context() as patch:
        patch.setattr(*INSIDE[task], broken)
        run_jobs()
    view = documents.document_view(trained.store, document)
    assert view.state == "set aside"
    assert "reference" in (view.reason or "")
    assert "inside" not in (view.reason or "")
    documents.return_document(trained.store, trained.analyst, document)
    run_jobs()
    assert documents.document_view(trained.store, document).state != "set aside"


def test_a_training_that_fails_says_so_and_the_next_one_can_begin(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    version = training.start(trained.store, trained.analyst, trained.type_id)
    with monkeypatch.context() as patch:
        patch.setattr(*INSIDE[Task.TRAIN_VERSION], broken)
        run_jobs()
    view = versions.version_view(trained.store, version)
    assert view.state == "failed"
    assert "reference" in (view.error or "")
    again = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    assert versions.version_view(trained.store, again).state == "on trial"


def test_a_training_that_the_labels_don_t_allow_says_why(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    version = training.start(trained.store, trained.analyst, trained.type_id)

    def refuses(*given: object, **named: object) -> None:
        raise InputError("Label more papers.")

    monkeypatch.setattr(*INSIDE[Task.TRAIN_VERSION], refuses)
    run_jobs()
    assert versions.version_view(trained.store, version).error == "Label more papers."


def test_a_training_that_fails_at_a_paper_names_it(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    with trained.store.session() as session:
        third = session.scalars(select(Document).order_by(Document.id).offset(2).limit(1)).one()
    words = pages_of_document(trained, third.id)

    def refuses(plan: Plan, pages: Sequence[Page]) -> object:
        if [page.words for page in pages] == words:
            raise ZeroDivisionError("inside")
        return candidates_with_rules(plan, pages)

    monkeypatch.setattr(corpus, "candidates_with_rules", refuses)
    version = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    error = versions.version_view(trained.store, version).error or ""
    assert "under reference" in error
    assert f"It failed at “{third.name}”: take that paper out" in error


def pages_of_document(office: Office, document: int) -> list[tuple[Word, ...]]:
    with office.store.session() as session:
        return [page.words for page in pages_of(session, document)]


def test_a_learning_curve_that_fails_is_told_in_the_report(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(*INSIDE[Task.DRAW_CURVE], broken)
    version = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    view = versions.version_view(trained.store, version)
    assert view.state == "on trial"
    assert "reference" in view.report.curve_problem


@pytest.mark.parametrize(
    ("task", "arguments"),
    [
        (Task.LEARN_TYPES, {"workspace_id": 1}),
        (Task.GROUP_LAYOUTS, {"type_id": 1}),
        (Task.JUDGE_CUTTING, {"workspace_id": 1}),
        (Task.TRAIN_IF_DUE, {"type_id": 1, "person_id": 2}),
        (Task.ROUTE_AGAIN, {"type_id": 1}),
        (Task.TELL_LAYOUT, {"document_id": 1}),
        (Task.SEND_NOTICE, {"breach_id": 1}),
    ],
)
def test_work_without_a_paper_or_version_of_its_own_is_told_on_the_overview_until_it_succeeds(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch, task: Task, arguments: dict[str, int]
) -> None:
    with monkeypatch.context() as patch:
        patch.setattr(*INSIDE[task], broken)
        for _ in range(2):
            queued(trained, task, **arguments)
            run_jobs()
    (failure,) = failures(trained.store, trained.analyst)
    assert failure.count == 2
    assert "reference" in failure.message
    queued(trained, task, **arguments)
    run_jobs()
    assert failures(trained.store, trained.analyst) == []


def test_work_that_failed_for_one_person_is_over_when_it_succeeds_for_another(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    with monkeypatch.context() as patch:
        patch.setattr(*INSIDE[Task.TRAIN_IF_DUE], broken)
        queued(trained, Task.TRAIN_IF_DUE, type_id=trained.type_id, person_id=trained.analyst.id)
        run_jobs()
    assert len(failures(trained.store, trained.analyst)) == 1
    queued(trained, Task.TRAIN_IF_DUE, type_id=trained.type_id, person_id=trained.reviewer.id)
    run_jobs()
    assert failures(trained.store, trained.analyst) == []


def test_a_sample_s_failed_judging_is_told_until_it_succeeds_or_the_sample_is_labelled(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    slip = slips(1, start=70)[0]
    document = trained.bring(slip)
    run_jobs()
    for over in (run_jobs, lambda: trained.label_whole(document, slip)):
        with monkeypatch.context() as patch:
            patch.setattr(*INSIDE[Task.JUDGE_SAMPLE], broken)
            queued(trained, Task.JUDGE_SAMPLE, document_id=document)
            run_jobs()
        assert len(failures(trained.store, trained.analyst)) == 1
        queued(trained, Task.JUDGE_SAMPLE, document_id=document)
        over()
        assert failures(trained.store, trained.analyst) == []


def test_what_may_pass_by_itself_is_tried_five_times_and_then_told(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Waits of 3, 9, 27 and 81 seconds are taken as over."""
    tries = []

    def away(*given: object, **named: object) -> None:
        tries.append(1)
        raise ExternalError("The file store does not answer.")

    document = receive(trained)
    monkeypatch.setattr(*INSIDE[Task.OPEN_DOCUMENT], away)
    for _ in range(guard.ATTEMPTS + 1):
        run_jobs()
        with trained.store.session() as session:
            session.execute(text("UPDATE procrastinate_jobs SET scheduled_at = now() WHERE status = 'todo'"))
    assert len(tries) == guard.ATTEMPTS == 5
    view = documents.document_view(trained.store, document)
    assert view.state == "set aside"
    assert "The file store does not answer. It was tried 5 times." in (view.reason or "")
    assert [guard.RETRY.exponential_wait ** (number + 1) for number in range(guard.ATTEMPTS - 1)] == [3, 9, 27, 81]
