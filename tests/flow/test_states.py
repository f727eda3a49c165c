"""Changes of state on real rows: what the table allows is done, anything else is a conflict, and the database agrees
with each."""

from __future__ import annotations

import random

import pytest
from sqlalchemy import select, update
from sqlalchemy.exc import IntegrityError
from tests.office import Office
from tests.papers import slips

from jugum.core.states import (
    DOCUMENT_TRANSITIONS,
    VERSION_TRANSITIONS,
    WITHOUT_TYPE,
    By,
    DocumentState,
    Purpose,
    VersionState,
    allowed,
    states_of,
)
from jugum.errors import Conflict
from jugum.flow.states import change_state, change_version_state, set_aside
from jugum.store.models import Document, ModelVersion


@pytest.mark.parametrize("purpose", Purpose)
@pytest.mark.parametrize("seed", range(6))
def test_random_walks_keep_to_the_table_and_to_the_database(office: Office, purpose: Purpose, seed: int) -> None:
    rng = random.Random(seed)
    document_id = office.bring(slips(1)[0], purpose.value)
    seen: set[DocumentState] = set()
    with office.store.session() as session:
        document = session.get_one(Document, document_id)
        for _ in range(120):
            before, by = document.state, rng.choice(list(By))
            likely = [transition.after for transition in DOCUMENT_TRANSITIONS if transition.before == before]
            after = rng.choice(likely if likely and rng.random() < 0.5 else list(DocumentState))
            may = before == after or allowed(DOCUMENT_TRANSITIONS, before, after, by, purpose)
            try:
                if after is DocumentState.SET_ASIDE:
                    set_aside(document, "why", person_id=office.analyst.id if by is By.PERSON else None)
                else:
                    change_state(document, after, by)
                session.flush()
            except Conflict:
                assert not may
                assert document.state == before
                continue
            assert may
            assert (document.reason is not None) == (document.state == DocumentState.SET_ASIDE)
            seen.add(document.state)
    assert seen <= set(states_of(purpose))
    assert len(seen) > 3


def test_random_walks_of_versions_keep_to_the_table(office: Office) -> None:
    rng = random.Random(4)
    with office.store.session() as session:
        version = ModelVersion(
            type_id=office.type_id, number=1, created_by=office.analyst.id, state=VersionState.QUEUED
        )
        session.add(version)
        session.flush()
        for _ in range(200):
            before, after, by = version.state, rng.choice(list(VersionState)), rng.choice(list(By))
            may = before == after or allowed(VERSION_TRANSITIONS, before, after, by, None)
            try:
                change_version_state(version, after, by)
                session.flush()
            except Conflict:
                assert not may
            else:
                assert may
        assert session.scalar(select(ModelVersion.state)) == version.state


@pytest.mark.parametrize("state", sorted(set(DocumentState) - set(states_of(Purpose.SAMPLE))))
def test_the_database_refuses_a_state_that_a_sample_can_t_have(office: Office, state: DocumentState) -> None:
    document_id = office.bring(slips(1)[0], "sample")
    with pytest.raises(IntegrityError, match="known_state"), office.store.session() as session:
        session.get_one(Document, document_id).state = state


def test_only_states_that_may_be_without_a_type_are(office: Office) -> None:
    document_id = office.bring(slips(1)[0], "live")
    for state in states_of(Purpose.LIVE):
        if state in (*WITHOUT_TYPE, DocumentState.SET_ASIDE):
            continue
        with pytest.raises(IntegrityError, match="unplaced_has_no_type"), office.store.session() as session:
            session.execute(
                update(Document).where(Document.id == document_id).values(type_id=None, state=state, reason=None)
            )
