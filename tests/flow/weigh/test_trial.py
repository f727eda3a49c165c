"""Thresholds tried on live papers before they count."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests.flow.review.test_settle import settle
from tests.office import Office
from tests.papers import slips

from jugum.flow.gather import documents
from jugum.flow.weigh import policies
from jugum.flow.weigh.trial import trial

Run = Callable[[], None]
ALL_PASS = {"member": 0.0, "paid_on": 0.0, "amount": 0.0}
AMOUNT_WAITS = {**ALL_PASS, "amount": 1.0}


@pytest.fixture
def reviewed(trained: Office, run_jobs: Run) -> dict[str, int]:
    """Three live papers whose amounts wait: one corrected, one agreed to, one not looked at; and a paper of a layout
    that is not known, all of which waits for that."""
    policies.save_policy(trained.store, trained.analyst, trained.type_id, AMOUNT_WAITS, 0.6)
    corrected, agreed, open_, strange = slips(4, start=50)
    papers = {
        "corrected": trained.bring(corrected, "live"),
        "agreed": trained.bring(agreed, "live"),
        "open": trained.bring(open_, "live"),
        "strange": trained.bring(strange, "live", layout=2),
    }
    run_jobs()
    settle(trained, papers["corrected"], "amount", "1,25")
    settle(trained, papers["agreed"], "amount", agreed.amount)
    return papers


def test_what_would_change_sides_is_listed_first_what_people_corrected(
    trained: Office, reviewed: dict[str, int]
) -> None:
    found = trial(trained.store, trained.type_id, ALL_PASS, 0.6)
    assert (found.papers, found.fields) == (4, 12)
    assert (found.passing_now, found.passing_then) == (6, 9)
    assert (found.whole_now, found.whole_then) == (0, 3)
    assert (found.checked, found.wrong) == (2, 1)
    assert found.minutes_then < found.minutes_now
    first = found.changes[0]
    assert (first.document_id, first.key, first.would_pass, first.corrected) == (
        reviewed["corrected"],
        "amount",
        True,
        True,
    )
    assert first.corrected_to == "1,25"
    assert first.place is not None
    assert {one.document_id: one.corrected for one in found.changes[1:]} == {
        reviewed["agreed"]: False,
        reviewed["open"]: None,
    }


def test_stricter_thresholds_and_fields_that_are_always_held_take_back(
    trained: Office, reviewed: dict[str, int]
) -> None:
    found = trial(trained.store, trained.type_id, AMOUNT_WAITS, 0.6, ["member"])
    assert {(one.key, one.would_pass) for one in found.changes} == {("member", False)}
    assert found.passing_then == found.passing_now - 3
    assert (found.would_pass, found.would_wait) == (0, 3)
    assert trial(trained.store, trained.type_id, AMOUNT_WAITS, 0.6).changes == []
    stricter = trial(trained.store, trained.type_id, ALL_PASS, 1.0)
    assert stricter.passing_then == 0
    laxer = trial(trained.store, trained.type_id, ALL_PASS, 0.0)
    assert laxer.passing_then == 12


def test_a_trial_changes_nothing_and_takes_the_last_papers(trained: Office, reviewed: dict[str, int]) -> None:
    trial(trained.store, trained.type_id, ALL_PASS, 0.0)
    assert documents.document_view(trained.store, reviewed["open"]).state == "held"
    found = trial(trained.store, trained.type_id, ALL_PASS, 0.0, papers=1)
    assert found.papers == 1
    assert {one.document_id for one in found.changes} == {reviewed["strange"]}


def test_before_any_live_paper_there_is_nothing_to_try_it_on(trained: Office) -> None:
    found = trial(trained.store, trained.type_id, ALL_PASS, 0.0)
    assert (found.papers, found.fields, found.changes) == (0, 0, [])
