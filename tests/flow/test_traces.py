"""What leaves a trace, with what was before and after; and files that nothing names any more."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import select
from tests.office import Office
from tests.papers import slips

from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.label import files
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.office import orphans
from jugum.flow.office.actions import Action
from jugum.flow.review import settle
from jugum.store.models import Audit, Document


def traces(office: Office, action: str) -> list[Audit]:
    with office.store.session() as session:
        return list(session.scalars(select(Audit).where(Audit.action == action).order_by(Audit.id)))


def test_every_action_has_a_phrase_of_its_own_for_the_screen() -> None:
    phrases = [action.phrase for action in Action]
    assert all(phrases)
    assert len(set(phrases)) == len(phrases)


def test_settling_keeps_what_was_before_and_after(trained: Office, run_jobs: Callable[[], None]) -> None:
    document = trained.bring(slips(12)[11], "live")
    run_jobs()
    settle.settle(trained.store, trained.reviewer, document, "amount", [ValueInput("12.00")])
    settle.settle(trained.store, trained.reviewer, document, "amount", [ValueInput("13.00")])
    first, second = traces(trained, "settle")
    assert (second.detail["before"], second.detail["after"]) == (["12.00"], ["13.00"])
    assert first.detail["before"] == [slips(12)[11].truth["amount"]]


def test_labels_from_a_file_keep_what_was_before_and_after(trained: Office) -> None:
    lines = files.written(trained.store, trained.type_id, "jsonl").decode()
    changed = lines.replace(slips(1)[0].truth["amount"], "77.00")
    files.take_in(trained.store, trained.analyst, trained.type_id, changed.encode(), "jsonl")
    said = traces(trained, "label from file")
    before, after = said[0].detail["before"], said[0].detail["after"]
    assert before["amount"] != after["amount"] == ["77.00"]
    assert before["member"] == after["member"]


def test_originals_and_deliveries_that_are_taken_leave_a_line(trained: Office) -> None:
    document = trained.bring(slips(12)[11], "live")
    documents.original(trained.store, trained.analyst, document)
    with trained.store.session() as session:
        session.get_one(Document, document).state = "passed"  # type: ignore[assignment]
    delivery = results.deliver(trained.store, trained.analyst, trained.type_id, "csv")
    results.delivered_file(trained.store, trained.analyst, delivery.id)
    (one,), (other,) = traces(trained, "take original"), traces(trained, "take delivery")
    assert (one.person_id, one.object_id) == (trained.analyst.id, document)
    assert (other.person_id, other.object_id) == (trained.analyst.id, delivery.id)


def test_files_that_nothing_names_are_removed_when_they_are_old(trained: Office) -> None:
    store = trained.store
    left = store.files.put(b"written by work that was killed before its row")
    kept = set(store.files.keys_before(9e9)) - {left}
    assert kept
    assert orphans.collect(store) == 0  # young: its row may be on its way
    assert orphans.collect(store, old_seconds=-60) == 1
    assert set(store.files.keys_before(9e9)) == kept
