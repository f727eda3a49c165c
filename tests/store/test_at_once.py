"""Two at once: deliveries, a draft and a settling, trainings. Whoever comes second finds what the first one did."""

from __future__ import annotations

import threading
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import func, select
from tests.office import Office
from tests.papers import slips

from jugum.errors import Conflict, InputError
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.review import draft
from jugum.flow.review import settle as settling
from jugum.flow.train import training
from jugum.flow.weigh import policies
from jugum.store.models import DeliveredDocument, Delivery, Hold, ModelVersion, Result

Run = Callable[[], None]


def both(first: Callable[[], object], second: Callable[[], object]) -> list[object]:
    """Run two at the same moment; what each returned, or the conflict or refusal it was given."""
    start = threading.Barrier(2)

    def go(act: Callable[[], object]) -> object:
        start.wait()
        try:
            return act()
        except (Conflict, InputError) as error:
            return error

    with ThreadPoolExecutor(2) as threads:
        return [one.result() for one in (threads.submit(go, first), threads.submit(go, second))]


def passed(office: Office, run_jobs: Run, count: int) -> list[int]:
    everything = {"member": 0.0, "paid_on": 0.0, "amount": 0.0}
    policies.save_policy(office.store, office.analyst, office.type_id, everything, 0.0, "all pass")
    found = [office.bring(slip, "live") for slip in slips(40 + count)[40:]]
    run_jobs()
    return found


def test_two_deliveries_at_once_send_each_paper_once(trained: Office, run_jobs: Run) -> None:
    papers = passed(trained, run_jobs, 4)

    def deliver() -> object:
        return results.deliver(trained.store, trained.analyst, trained.type_id, "json")

    outcomes = both(deliver, deliver)
    assert sum(isinstance(outcome, InputError) for outcome in outcomes) == 1
    with trained.store.session() as session:
        assert session.scalar(select(func.count()).select_from(Delivery)) == 1
        assert set(session.scalars(select(DeliveredDocument.document_id))) == set(papers)


@pytest.mark.parametrize("attempt", range(3))
def test_a_draft_and_a_settling_at_once_leave_what_the_person_said(
    trained: Office, run_jobs: Run, attempt: int
) -> None:
    document = trained.bring(slips(41 + attempt)[40 + attempt], "live")
    run_jobs()
    versions = LoadedVersions()
    both(
        lambda: draft.draft(trained.store, document, versions),
        lambda: settling.settle(trained.store, trained.reviewer, document, "member", [ValueInput("Aldis Brenna")]),
    )
    run_jobs()
    view = documents.document_view(trained.store, document)
    assert view.state == "held"
    with trained.store.session() as session:
        said = session.scalars(select(Result.text).where(Result.document_id == document, Result.origin == "person"))
        assert list(said) == ["Aldis Brenna"]
        settled = select(func.count(Hold.id)).where(Hold.document_id == document, Hold.settled_at.is_not(None))
        assert session.scalar(settled) == 1


def test_two_trainings_started_at_once_queue_one(trained: Office) -> None:
    def start() -> object:
        return training.start(trained.store, trained.analyst, trained.type_id)

    outcomes = both(start, start)
    assert sum(isinstance(outcome, Conflict) for outcome in outcomes) == 1
    with trained.store.session() as session:
        numbers = list(session.scalars(select(ModelVersion.number).order_by(ModelVersion.number)))
        assert numbers == [1, 2]


def test_a_training_that_is_run_twice_at_once_makes_one_version(trained: Office) -> None:
    """A worker that was taken for dead goes on while another has its task."""
    version = training.start(trained.store, trained.analyst, trained.type_id)
    both(lambda: training.run(trained.store, version), lambda: training.run(trained.store, version))
    with trained.store.session() as session:
        row = session.get_one(ModelVersion, version)
        assert row.state == "on trial"
        assert row.papers == 10
