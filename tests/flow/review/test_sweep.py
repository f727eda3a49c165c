"""The sweep: one field over many papers, taken by one person at a time."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests.flow.review.test_queue import change, hold_all
from tests.flow.review.test_spot_checks import ALL_BLIND, check_all, passed
from tests.office import Office
from tests.papers import slips

from jugum.core.states import DocumentState
from jugum.core.thresholds.alike import Alike
from jugum.errors import InputError, NotFound
from jugum.flow.gather import documents
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.review import queue, settle, sweep
from jugum.flow.review.sweep import SweepRow, SweepView
from jugum.flow.review.waiting import QueueWanted

Run = Callable[[], None]


@pytest.fixture
def held(trained: Office, run_jobs: Run) -> list[int]:
    """Six held papers: the first two are alike but for their number."""
    hold_all(trained)
    some = slips(5, 60)
    brought = [trained.bring(slip, "live", number % 2) for number, slip in enumerate([*some, some[0]])]
    run_jobs()
    return brought


def view_of(office: Office, **wanted: object) -> SweepView:
    return sweep.sweep(office.store, office.reviewer, office.type_id, QueueWanted(**wanted))  # type: ignore[arg-type]


def rows_of(office: Office, key: str, papers: list[int]) -> list[SweepRow]:
    return sweep.take(office.store, office.reviewer, office.type_id, key, papers)


def test_like_values_stand_together_and_each_paper_once(trained: Office, held: list[int]) -> None:
    view = view_of(trained, field="amount")
    assert {field.key: field.papers for field in view.fields} == {"member": 6, "paid_on": 6, "amount": 6}
    assert (view.key, view.name, view.papers) == ("amount", "Amount", 6)
    assert view.minutes == pytest.approx(6 * 4 / 60)  # as long as nothing is measured
    assert view.groups[0].alike == Alike.VALUE
    assert set(view.groups[0].papers) == {held[0], held[-1]}
    assert sorted(paper for group in view.groups for paper in group.papers) == sorted(held)
    rows = rows_of(trained, "amount", view.groups[0].papers)
    assert [row.document for row in rows] == view.groups[0].papers
    assert {row.field.values[0].normal for row in rows} == {view.groups[0].said}
    assert all(row.field.hold == "low confidence" and row.field.values[0].box for row in rows)


def test_a_row_is_settled_as_at_the_desk_and_goes_from_the_sweep(trained: Office, held: list[int]) -> None:
    for row in rows_of(trained, "amount", held):
        value = ValueInput(row.field.values[0].text)
        settle.settle(trained.store, trained.reviewer, row.document, "amount", [value], revision=row.revision)
    assert view_of(trained, field="amount").papers == 0
    assert view_of(trained).key in ("member", "paid_on")
    assert rows_of(trained, "amount", held) == []
    assert len(rows_of(trained, "member", held)) == 6


def test_papers_that_one_person_sweeps_are_handed_to_nobody_else(trained: Office, held: list[int]) -> None:
    mine = [row.document for row in rows_of(trained, "amount", held[:4])]
    assert mine == held[:4]
    others = sweep.take(trained.store, trained.analyst, trained.type_id, "amount", held)
    assert [row.document for row in others] == held[4:]
    assert sweep.sweep(trained.store, trained.analyst, trained.type_id, QueueWanted(field="amount")).papers == 2
    assert queue.claim_next(trained.store, trained.analyst, trained.type_id) in held[4:]
    assert sweep.keep(trained.store, trained.reviewer, trained.type_id, held) == 4
    assert sweep.keep(trained.store, trained.reviewer, trained.type_id, held[:3], release=True) == 3
    freed = sweep.take(trained.store, trained.analyst, trained.type_id, "amount", held)
    assert [row.document for row in freed] == [*held[:3], *held[4:]]


def test_a_sweep_is_narrowed_as_the_queue_is(trained: Office, held: list[int]) -> None:
    change(trained, held[2], name="a paper apart.pdf")
    change(trained, held[3], assigned_to=trained.analyst.id)
    assert view_of(trained, field="member", text="apart").groups[0].papers == [held[2]]
    assert view_of(trained, field="member", reason="low confidence").papers == 5
    assert view_of(trained, field="member", reason="missing").papers == 0
    assert view_of(trained, reason="missing").key == ""
    with pytest.raises(InputError, match="can't be swept"):
        view_of(trained, field="colour")
    with pytest.raises(NotFound, match="no field"):
        rows_of(trained, "colour", held)
    with pytest.raises(InputError, match="At most"):
        rows_of(trained, "amount", list(range(101)))


def test_what_is_checked_blind_is_swept_unseen(trained: Office, run_jobs: Run) -> None:
    check_all(trained, ALL_BLIND)
    [paper] = passed(trained, run_jobs, 60)
    keys = [field.key for field in view_of(trained).fields]
    assert keys
    group = view_of(trained, field=keys[0]).groups[0]
    assert (group.alike, group.said, group.papers) == (Alike.UNSEEN, "", [paper])
    [row] = rows_of(trained, keys[0], [paper])
    assert row.field.values == []
    assert row.field.others == []
    settle.settle(
        trained.store, trained.reviewer, paper, keys[0], [ValueInput("a slip of the hand")], revision=row.revision
    )
    [again] = rows_of(trained, keys[0], [paper])
    assert [value.text for value in again.field.values] == ["a slip of the hand"]
    assert again.field.others  # what had passed
    assert documents.document_view(trained.store, paper).state in (DocumentState.PASSED, DocumentState.DELIVERED)
