"""Live papers of a new layout are read with the others of it, and again when more have come."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import select
from tests.office import Office
from tests.papers import slips

from jugum.core.extraction.model import TrainedModel
from jugum.core.extraction.values import together as core
from jugum.flow.gather import place
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.review import desk, together
from jugum.flow.review import settle as settling
from jugum.flow.weigh import policies
from jugum.store.models import Document

Run = Callable[[], None]
NEW = 2  # the layout of slips that `trained` has no sample of


def read_with(office: Office) -> dict[int, int | None]:
    with office.store.session() as session:
        rows = session.execute(select(Document.id, Document.read_with).where(Document.purpose == "live"))
        return {document: others for document, others in rows}


def test_papers_of_a_new_layout_learn_of_one_another_in_whatever_order_they_come(
    trained: Office, run_jobs: Run
) -> None:
    fresh = slips(48)
    known = trained.bring(fresh[40], "live", layout=1)
    first = trained.bring(fresh[41], "live", layout=NEW)
    run_jobs()
    assert read_with(trained) == {known: None, first: 0}
    later = [trained.bring(slip, "live", layout=NEW) for slip in fresh[42:45]]
    run_jobs()
    found = read_with(trained)
    assert found.pop(known) is None
    # once there are twice as many, each is drafted again: none knows of half of the three others only
    assert set(found) == {first, *later}
    assert {others for others in found.values() if others is not None and others >= 2} == set(found.values())


def test_a_paper_that_a_person_has_begun_with_is_not_drafted_again(trained: Office, run_jobs: Run) -> None:
    fresh = slips(44)
    first = trained.bring(fresh[41], "live", layout=NEW)
    run_jobs()
    settling.settle(trained.store, trained.reviewer, first, "amount", [], absent=True)
    later = [trained.bring(slip, "live", layout=NEW) for slip in fresh[42:44]]
    run_jobs()
    assert read_with(trained) == {first: 0} | dict.fromkeys(later, 2)  # it tells the others all the same


def test_papers_that_came_first_are_drafted_again_once_for_each_doubling(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    drafted: list[int | None] = []
    real = together.keep
    monkeypatch.setattr(
        "jugum.flow.review.draft.keep",
        lambda session, document, its: (drafted.append(document.id), real(session, document, its)),
    )
    fresh, papers = slips(60), []
    for slip in fresh[41:50]:
        papers.append(trained.bring(slip, "live", layout=NEW))
        run_jobs()
    assert drafted.count(papers[0]) == 5  # alone, with 1, 2, 4 and 8 others
    assert len(drafted) <= 4 * len(papers)
    assert read_with(trained)[papers[-1]] == core.PEERS_MAX


def test_two_papers_that_are_drafted_at_once_find_each_other(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    fresh, begun = slips(44), []
    real = LoadedVersions.decide

    def decide(self: LoadedVersions, *given: Any, **named: Any) -> Any:
        answer = real(self, *given, **named)
        if not begun:  # while the first is read, after it has asked for others
            begun.append(trained.bring(fresh[42], "live", layout=NEW))
            run_jobs()
        return answer

    first = trained.bring(fresh[41], "live", layout=NEW)
    monkeypatch.setattr(LoadedVersions, "decide", decide)
    run_jobs()
    run_jobs()
    assert read_with(trained) == {first: 1, begun[0]: 1}


def test_a_paper_that_is_placed_elsewhere_is_no_longer_read_with_those_of_its_type_before(
    trained: Office, run_jobs: Run
) -> None:
    fresh = slips(44)
    wrong = trained.bring(fresh[41], "live", layout=NEW)
    run_jobs()
    place.place(trained.store, trained.analyst, wrong, None)
    later = trained.bring(fresh[42], "live", layout=NEW)
    run_jobs()
    assert read_with(trained) == {wrong: None, later: 0}


def test_what_a_paper_said_when_it_was_drafted_is_not_worked_out_again_for_others(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[object] = []
    monkeypatch.setattr(TrainedModel, "peer", lambda self, pages: asked.append(pages))
    papers = [trained.bring(slip, "live", layout=NEW) for slip in slips(44)[41:44]]
    run_jobs()
    assert set(read_with(trained)) == set(papers)
    assert max(others or 0 for others in read_with(trained).values()) == 2
    assert not asked


def test_papers_of_very_many_pages_are_not_read_for_others(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(together, "PAGES_MOST", 0)
    papers = [trained.bring(slip, "live", layout=NEW) for slip in slips(43)[41:43]]
    run_jobs()
    assert read_with(trained) == dict.fromkeys(papers, 0)


def test_what_is_settled_on_one_paper_is_told_to_the_others_that_nobody_has_in_hand(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    strict = dict.fromkeys(("member", "paid_on", "amount"), 1.0)
    policies.save_policy(trained.store, trained.analyst, trained.type_id, strict, 0.0)
    fresh = slips(46)[41:45]
    papers = [trained.bring(slip, "live", layout=NEW) for slip in fresh]
    run_jobs()
    first, opened, begun, waiting = papers
    desk.desk(trained.store, trained.analyst, opened)
    settling.settle(trained.store, trained.analyst, begun, "member", [ValueInput(fresh[2].member)])
    drafted: list[tuple[int, list[frozenset[str]]]] = []
    real = core.Peer.settled

    def settled(self: core.Peer, said: dict[str, list[str]]) -> core.Peer:
        peer = real(self, said)
        told.append(peer.said)
        return peer

    told: list[frozenset[str]] = []
    monkeypatch.setattr(core.Peer, "settled", settled)
    monkeypatch.setattr(
        "jugum.flow.review.draft.keep", lambda session, document, its: drafted.append((document.id, list(told)))
    )
    for key, text in (("member", fresh[0].member), ("paid_on", fresh[0].day), ("amount", fresh[0].amount)):
        assert not drafted
        settling.settle(trained.store, trained.reviewer, first, key, [ValueInput(text)])
        run_jobs()
    ((paper, known),) = drafted
    assert paper == waiting
    assert {frozenset({"member", "paid_on", "amount"}), frozenset({"member"}), frozenset()} == set(known)
