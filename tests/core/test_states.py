"""The table of states: one value one thing, every state reached and left, and the page that is drawn from it."""

from __future__ import annotations

from itertools import combinations
from pathlib import Path

import pytest

from jugum.core.formats.states_page import states_page
from jugum.core.states import (
    DOCUMENT_TRANSITIONS,
    FOUND_IN,
    VERSION_TRANSITIONS,
    BatchState,
    By,
    DeliveryState,
    DocumentState,
    Purpose,
    RecordState,
    VersionState,
    states_of,
)

KINDS = (Purpose, DocumentState, VersionState, BatchState, DeliveryState, RecordState)


@pytest.mark.parametrize(("one", "other"), list(combinations(KINDS, 2)))
def test_no_value_is_in_two_enums_of_states(one: type, other: type) -> None:
    assert not {state.value for state in one} & {state.value for state in other}


@pytest.mark.parametrize("purpose", Purpose)
def test_every_state_can_be_reached_from_receipt_and_is_left_again(purpose: Purpose) -> None:
    """Even a delivered paper may be corrected: nothing is an end."""
    arrows = {
        (transition.before, transition.after) for transition in DOCUMENT_TRANSITIONS if purpose in transition.purposes
    }
    reached = {DocumentState.RECEIVED}
    while more := {after for before, after in arrows if before in reached} - reached:
        reached |= more
    assert reached == set(states_of(purpose))
    ends = {state for state in reached if not any(before == state for before, _ in arrows)}
    assert ends == set()


def test_every_version_ends_retired_or_failed_or_can_be_published() -> None:
    befores = {one.before for one in VERSION_TRANSITIONS}
    assert set(VersionState) - befores == {VersionState.FAILED}


def test_every_state_belongs_to_some_purpose() -> None:
    assert set(states_of(Purpose.SAMPLE)) | set(states_of(Purpose.LIVE)) == set(DocumentState)


def test_the_page_of_states_is_drawn_from_the_code() -> None:
    kept = Path(__file__).parents[2] / "docs/states.md"
    assert kept.read_text() == states_page(), "run: .venv/bin/python -m jugum states > docs/states.md"


def test_every_state_has_its_place_and_a_person_can_take_a_paper_out_of_it() -> None:
    assert set(FOUND_IN) == set(DocumentState)
    ends = {DocumentState.DELIVERED}
    for state in set(DocumentState) - ends:
        assert any(row.before == state and row.by is By.PERSON for row in DOCUMENT_TRANSITIONS), state
