"""A live paper is never lost on the way: whatever people do with it in whatever order, it waits for a person or is done
when the program has finished, and nothing that a person said is taken away."""

from __future__ import annotations

import random
from collections.abc import Callable

import pytest
from sqlalchemy import update
from tests.office import Office
from tests.papers import slips

from jugum.core.states import DONE_STATES, DocumentState
from jugum.errors import Conflict
from jugum.flow.gather import documents
from jugum.flow.gather.read_again import ReadAgain, read_again
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.review import changes, draft, queue
from jugum.flow.review import settle as settling
from jugum.flow.review.records import load_records
from jugum.flow.train import versions
from jugum.flow.weigh import policies
from jugum.store.models import Document

Run = Callable[[], None]
ALL_PASS = {"member": 0.0, "paid_on": 0.0, "amount": 0.0}
WAITS_OR_DONE = {DocumentState.HELD, DocumentState.SET_ASIDE, *DONE_STATES}


def held(office: Office, run_jobs: Run) -> int:
    document = office.bring(slips(41)[40], "live")
    run_jobs()
    return document


def state(office: Office, document: int) -> str:
    return documents.document_view(office.store, document).state


def settle(office: Office, document: int, key: str, text: str) -> None:
    settling.settle(office.store, office.reviewer, document, key, [ValueInput(text)])


def aside_and_back(office: Office, document: int, run_jobs: Run) -> None:
    documents.set_aside(office.store, office.analyst, document, "upside down")
    documents.return_document(office.store, office.analyst, document)
    run_jobs()


def standing(office: Office, document: int, key: str) -> list[str]:
    """What stands for a field now."""
    with office.store.session() as session:
        return [text or "" for text in load_records(session, session.get_one(Document, document)).texts()[key]]


def test_a_half_settled_paper_comes_back_to_the_queue(trained: Office, run_jobs: Run) -> None:
    document = held(trained, run_jobs)
    settle(trained, document, "member", "Aldis Brenna")
    aside_and_back(trained, document, run_jobs)
    assert state(trained, document) == "held"
    (row,) = queue.queue(trained.store, trained.reviewer, trained.type_id).rows
    assert (row.id, row.held) == (document, 2)


def test_a_settled_paper_comes_back_with_what_was_settled(trained: Office, run_jobs: Run) -> None:
    document = held(trained, run_jobs)
    for key, text in (("member", "Aldis Brenna"), ("paid_on", "01.02.2026"), ("amount", "12,50")):
        settle(trained, document, key, text)
    aside_and_back(trained, document, run_jobs)
    assert state(trained, document) == "settled"
    assert standing(trained, document, "amount") == ["12,50"]


def test_a_corrected_value_of_a_passed_paper_survives_being_set_aside(trained: Office, run_jobs: Run) -> None:
    policies.save_policy(trained.store, trained.analyst, trained.type_id, ALL_PASS, 0.0)
    document = held(trained, run_jobs)
    assert state(trained, document) == "passed"
    settle(trained, document, "amount", "77,70")
    aside_and_back(trained, document, run_jobs)
    assert standing(trained, document, "amount") == ["77,70"]


def test_reading_pages_again_leaves_what_a_person_settled_and_what_waits(trained: Office, run_jobs: Run) -> None:
    document = held(trained, run_jobs)
    settle(trained, document, "member", "Aldis Brenna")
    read_again(trained.store, trained.analyst, document, None, ReadAgain(engine="quick"))
    run_jobs()
    assert state(trained, document) == "held"
    assert documents.document_view(trained.store, document).holds == 2


def test_a_paper_set_aside_while_it_is_read_again_comes_back_to_the_queue(trained: Office, run_jobs: Run) -> None:
    document = held(trained, run_jobs)
    settle(trained, document, "member", "Aldis Brenna")
    read_again(trained.store, trained.analyst, document, None, ReadAgain(engine="quick"))
    aside_and_back(trained, document, run_jobs)
    assert state(trained, document) == "held"


def test_a_paper_left_to_be_drafted_again_is_drafted_by_the_next_version(trained: Office, run_jobs: Run) -> None:
    document = held(trained, run_jobs)
    with trained.store.session() as session:
        session.execute(update(Document).where(Document.id == document).values(state=DocumentState.DRAFTED))
    versions.redraft_all(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    assert state(trained, document) == "held"


@pytest.mark.parametrize("seed", range(4))
def test_whatever_people_do_a_paper_waits_for_a_person_or_is_done(trained: Office, run_jobs: Run, seed: int) -> None:
    rng = random.Random(seed)
    document = held(trained, run_jobs)
    live = next(each.id for each in versions.versions(trained.store, trained.type_id) if each.state == "published")
    truth: dict[str, str] = {}

    def settle_one() -> None:
        key, text = rng.choice([("member", "Aldis Brenna"), ("paid_on", "01.02.2026"), ("amount", "12,50")])
        settle(trained, document, key, text)
        truth[key] = text

    acts: list[Callable[[], object]] = [
        settle_one,
        lambda: documents.set_aside(trained.store, trained.reviewer, document, "why"),
        lambda: documents.return_document(trained.store, trained.analyst, document),
        lambda: read_again(trained.store, trained.analyst, document, None, ReadAgain(engine="quick")),
        lambda: changes.read_again(trained.store, trained.analyst, live, [document]),
        lambda: versions.redraft_all(trained.store, trained.analyst, trained.type_id),
        lambda: draft.failed(trained.store, document, "The model is not there."),
        lambda: draft.draft(trained.store, document, LoadedVersions()),
        lambda: policies.save_policy(trained.store, trained.analyst, trained.type_id, ALL_PASS, 0.0),
    ]
    for _ in range(14):
        try:
            rng.choice(acts)()
        except Conflict:
            continue
        if rng.random() < 0.6:
            run_jobs()
            assert state(trained, document) in WAITS_OR_DONE
    run_jobs()
    assert state(trained, document) in WAITS_OR_DONE
    if state(trained, document) == "set aside":
        documents.return_document(trained.store, trained.analyst, document)
        run_jobs()
    assert {key: standing(trained, document, key) for key in truth} == {key: [text] for key, text in truth.items()}
