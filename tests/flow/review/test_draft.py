"""Drafting: loaded, read and kept apart; what was changed meanwhile is drafted again; checks hold the least sure
field."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import func, select, text
from tests.office import Office
from tests.papers import slips

from jugum.flow.gather import documents
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.plan import checks as plan_checks
from jugum.flow.review import desk as review_desk
from jugum.flow.review import draft, records
from jugum.flow.review import settle as settling
from jugum.flow.weigh import policies
from jugum.store.models import Document, Hold, Reading, Result

Run = Callable[[], None]
ALL_PASS = {"member": 0.0, "paid_on": 0.0, "amount": 0.0}


def placed(office: Office, run_jobs: Run) -> int:
    document = office.bring(slips(41)[40], "live")
    run_jobs()
    return document


def while_reading(monkeypatch: pytest.MonkeyPatch, act: Callable[[], object]) -> None:
    """Do something once, in the middle of a version's work."""
    real, done = LoadedVersions.decide, []

    def decide(self: LoadedVersions, *given: Any, **named: Any) -> Any:
        if not done:
            done.append(act())
        return real(self, *given, **named)

    monkeypatch.setattr(LoadedVersions, "decide", decide)


def test_a_paper_is_not_locked_while_a_version_reads_it(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = placed(trained, run_jobs)

    def lock_it() -> None:
        with trained.store.session() as session:
            session.execute(text("SET LOCAL lock_timeout = '1s'"))
            session.execute(select(Document.id).where(Document.id == document).with_for_update()).one()

    while_reading(monkeypatch, lock_it)
    draft.draft(trained.store, document, LoadedVersions())
    assert documents.document_view(trained.store, document).state == "held"


def test_no_transaction_is_open_while_a_version_reads_a_paper(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = placed(trained, run_jobs)
    seen: list[int] = []

    def count_open() -> None:
        with trained.store.session() as session:
            others = text(
                "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() "
                "AND state = 'idle in transaction'"
            )
            seen.append(int(session.execute(others).scalar_one()))

    while_reading(monkeypatch, count_open)
    draft.draft(trained.store, document, LoadedVersions())
    assert seen == [0]


def test_a_policy_saved_while_a_paper_is_read_is_the_one_it_is_routed_by(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = placed(trained, run_jobs)
    with monkeypatch.context() as patch:
        while_reading(
            patch,
            lambda: policies.save_policy(trained.store, trained.analyst, trained.type_id, ALL_PASS, 0.0, "all pass"),
        )
        draft.draft(trained.store, document, LoadedVersions())
    run_jobs()
    assert documents.document_view(trained.store, document).state == "passed"


def test_a_field_settled_while_a_paper_is_read_again_keeps_what_was_said(
    trained: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = placed(trained, run_jobs)
    said = [ValueInput("Aldis Brenna")]
    while_reading(monkeypatch, lambda: settling.settle(trained.store, trained.reviewer, document, "member", said))
    draft.draft(trained.store, document, LoadedVersions())
    with trained.store.session() as session:
        kept = session.scalars(select(Result.text).where(Result.document_id == document, Result.origin == "person"))
        assert list(kept) == ["Aldis Brenna"]


def test_a_check_that_fails_after_settling_holds_the_least_sure_of_its_fields(trained: Office, run_jobs: Run) -> None:
    """The check names the surer field first; what the reviewer settled is surer than anything read."""
    policies.save_policy(trained.store, trained.analyst, trained.type_id, ALL_PASS, 0.0, "all pass")
    document = placed(trained, run_jobs)
    odd = 'member != "X" or amount < 0 or paid_on < date("1900-01-01")'
    check = {"key": "", "expression": odd, "message": "Odd"}
    plan_checks.put_check(trained.store, trained.analyst, trained.type_id, check)
    with trained.store.session() as session:
        by_key = {row.key: row.id for row in session.get_one(Document, document).placed_type.fields}
        for key, confidence in (("amount", 0.9), ("paid_on", 0.6)):
            for reading in session.scalars(select(Reading).where(Reading.document_id == document)):
                if reading.field_id == by_key[key]:
                    reading.confidence = confidence
    settling.settle(trained.store, trained.reviewer, document, "member", [ValueInput("X")])
    held = [field.key for field in review_desk.desk(trained.store, trained.reviewer, document).fields if field.hold]
    assert held == ["paid_on"]


def test_what_nothing_measured_has_no_confidence(trained: Office, run_jobs: Run) -> None:
    from jugum.flow.plan import fields as plan_fields

    given = plan_fields.FieldInput(name="Signed", data_type="signature", printed_names=["Total"], required=False)
    plan_fields.add_field(trained.store, trained.analyst, trained.type_id, given)
    document = placed(trained, run_jobs)
    desk = {field.key: field for field in review_desk.desk(trained.store, trained.reviewer, document).fields}
    assert desk["signed"].confidence is None
    assert desk["signed"].layout_similarity is None
    assert desk["amount"].confidence is not None


def test_texts_of_a_paper_are_those_read_while_held_and_those_settled_after(trained: Office, run_jobs: Run) -> None:
    document = placed(trained, run_jobs)
    settling.settle(trained.store, trained.reviewer, document, "member", [ValueInput("Aldis Brenna")])
    with trained.store.session() as session:
        loaded = records.load_records(session, session.get_one(Document, document))
        assert loaded.texts()["member"] == ["Aldis Brenna"]
        assert loaded.texts()["amount"] == [slips(41)[40].truth["amount"]]
        held = session.scalar(
            select(func.count(Hold.id)).where(Hold.document_id == document, Hold.settled_at.is_(None))
        )
        assert len(loaded.holds) == held == 2
