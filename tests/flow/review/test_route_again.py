"""A policy that is published holds and passes what waits by what was kept of it: no model runs."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from sqlalchemy import select
from tests.flow.review.test_settle import desk
from tests.office import Office
from tests.papers import slips

from jugum.core.extraction.found import EngineName, Found
from jugum.core.page import Box
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.thresholds import DraftedField
from jugum.core.values import DataType
from jugum.errors import InputError
from jugum.flow.gather import documents
from jugum.flow.in_force import LoadedVersions
from jugum.flow.review import draft, route_again
from jugum.flow.review.draft import reading_rows
from jugum.flow.train import versions
from jugum.flow.weigh import policies
from jugum.flow.weigh.straight_through import straight_through_rate
from jugum.store.models import Document, Field, Hold, Reading, Result

Run = Callable[[], None]
FIELDS = ("member", "paid_on", "amount")


def publish(office: Office, thresholds: Mapping[str, float], gate: float = 0.0, held: tuple[str, ...] = ()) -> None:
    every = {**dict.fromkeys(FIELDS, 1.0), **thresholds}
    policies.save_policy(office.store, office.analyst, office.type_id, every, gate, always_held=held)


def routed(office: Office, document: int) -> tuple[Any, ...]:
    """What became of a paper: its state, its holds in words, what passes."""
    with office.store.session() as session:
        holds = session.execute(
            select(Field.key, Hold.reason, Hold.detail).join(Field).where(Hold.document_id == document)
        )
        results = session.execute(
            select(Field.key, Result.text, Result.confidence, Result.origin)
            .join(Field)
            .where(Result.document_id == document)
        )
        state = session.get_one(Document, document).state
        return state, sorted(map(tuple, holds)), sorted(map(tuple, results))


@pytest.mark.parametrize(
    ("thresholds", "gate", "held"),
    [
        ({"member": 0.2, "paid_on": 0.2}, 0.0, ()),
        (dict.fromkeys(FIELDS, 0.2), 0.99, ()),
        (dict.fromkeys(FIELDS, 0.2), 0.0, ("amount",)),
        (dict.fromkeys(FIELDS, 0.2), 0.0, ()),
    ],
)
def test_papers_that_wait_are_routed_as_if_they_were_drafted_anew(
    trained: Office,
    run_jobs: Run,
    monkeypatch: pytest.MonkeyPatch,
    thresholds: dict[str, float],
    gate: float,
    held: tuple[str, ...],
) -> None:
    publish(trained, {})
    document = trained.bring(slips(1, start=61)[0], "live")
    run_jobs()
    assert documents.document_view(trained.store, document).holds == 3
    with monkeypatch.context() as patch:
        patch.setattr(LoadedVersions, "decide", lambda *_: pytest.fail("a model ran"))
        publish(trained, thresholds, gate, held)
        run_jobs()
    found = routed(trained, document)
    with trained.store.session() as session:
        # what passed is not drafted again by itself
        session.get_one(Document, document).state = "drafted"  # type: ignore[assignment]
    draft.draft(trained.store, document, LoadedVersions())
    assert routed(trained, document) == found
    assert (found[0] == "passed") is (len(found[1]) == 0)


def test_a_field_that_is_always_held_waits_whatever_its_confidence(trained: Office, run_jobs: Run) -> None:
    publish(trained, dict.fromkeys(FIELDS, 0.0), held=("amount",))
    document = trained.bring(slips(1, start=62)[0], "live")
    run_jobs()
    state, holds, _ = routed(trained, document)
    assert state == "held"
    assert holds == [("amount", "low confidence", "the policy sends this field to a person whatever its confidence")]
    assert policies.policies(trained.store, trained.type_id)[0].outcome["passing"] == 20
    (shown,) = [field for field in desk(trained, document).fields if field.key == "amount"]
    assert shown.threshold is None
    version = versions.versions(trained.store, trained.type_id)[0].id
    rate = straight_through_rate(trained.store, version)
    assert rate is not None
    assert rate[1].through == 0  # no paper passes whole
    with pytest.raises(InputError, match="nobody"):
        publish(trained, {}, held=("nobody",))


def test_a_paper_that_a_person_has_begun_stays_as_it_is(trained: Office, run_jobs: Run) -> None:
    publish(trained, {})
    document = trained.bring(slips(1, start=63)[0], "live")
    run_jobs()
    with trained.store.session() as session:
        hold = session.scalars(select(Hold).where(Hold.document_id == document)).first()
        assert hold is not None
        hold.settled_at, hold.outcome = hold.opened_at, "agreed"
    publish(trained, dict.fromkeys(FIELDS, 0.0))
    run_jobs()
    assert documents.document_view(trained.store, document).state == "held"
    assert route_again.route_again(trained.store, trained.type_id) == 0


# ---- What was kept is what was drafted -------------------------------------------------------------------------------

TEXTS = st.text("abc 1", min_size=1, max_size=6)
FOUND = st.builds(
    Found,
    TEXTS,
    TEXTS,
    st.integers(1, 3),
    st.just(Box(0.1, 0.2, 0.3, 0.4)),
    st.just(0.0),
    st.sampled_from([EngineName.MODEL, EngineName.RULE]),
    st.just("why"),
    by_hand=st.booleans(),
)
SURE = st.floats(0, 1)
TABLE = Plan(
    (
        FieldPlan("goods", "goods", DataType.TEXT, kind=FieldKind.TABLE),
        FieldPlan("goods.name", "name", DataType.TEXT, inside="goods"),
        FieldPlan("goods.price", "price", DataType.TEXT, inside="goods"),
        FieldPlan("member", "member", DataType.TEXT),
    )
)


@given(
    st.lists(st.one_of(st.none(), FOUND), min_size=1, max_size=4),
    st.lists(st.one_of(st.none(), FOUND), min_size=4, max_size=4),
    st.lists(FOUND, max_size=2),
    SURE,
    SURE,
)
def test_fields_come_back_from_their_readings(
    names: list[Found | None], prices: list[Found | None], member: list[Found], sure: float, similarity: float
) -> None:
    """A table with its empty cells, also those at its end, and a value that may be absent."""
    names = [*names, *[None] * (4 - len(names))]
    drafted = {
        "goods": DraftedField((), (), sure, similarity),
        "goods.name": DraftedField(tuple(names), (), sure, similarity),
        "goods.price": DraftedField(tuple(prices), (), sure, similarity),
        "member": DraftedField(tuple(member), (), sure, similarity, scores={"margin": 0.5}),
    }
    document = Document(id=1, version_id=2)
    readings = {
        key: [
            Reading(**row)
            for row in reading_rows(document, Field(id=3, key=key, kind="value" if key == "member" else "column"), one)
        ]
        for key, one in drafted.items()
        if key != "goods"
    }
    found = route_again.drafted_from(TABLE, readings)
    rows = max(_filled(names), _filled(prices))
    assert found["goods.name"].values == tuple(names)[:rows]
    assert found["goods.price"].values == tuple(prices)[:rows]
    assert found["goods"] == drafted["goods"]
    assert found["member"] == drafted["member"]


def _filled(values: list[Found | None]) -> int:
    """Up to the last cell with a value."""
    return max((place + 1 for place, value in enumerate(values) if value), default=0)
