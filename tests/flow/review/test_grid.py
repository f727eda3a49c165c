"""The grid: what fields say over papers, found by value, page by page."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from tests.flow.review.test_queue import change, hold_all, settle_one
from tests.flow.review.test_spot_checks import ALL_BLIND, check_all, passed
from tests.office import Office
from tests.papers import slips

from jugum.core.states import DocumentState
from jugum.errors import Forbidden, InputError
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.office import people
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import grid, settle, sweep
from jugum.flow.review.grid import GridCell, GridView, GridWanted
from jugum.flow.review.waiting import QueueWanted

Run = Callable[[], None]


@pytest.fixture
def held(trained: Office, run_jobs: Run) -> list[int]:
    hold_all(trained)
    brought = [trained.bring(slip, "live", number % 2) for number, slip in enumerate(slips(4, 60))]
    run_jobs()
    return brought


def view_of(office: Office, limit: int = 25, **wanted: object) -> GridView:
    return grid.grid(office.store, office.reviewer, office.type_id, GridWanted(**wanted), limit)  # type: ignore[arg-type]


def papers(view: GridView) -> list[int]:
    return [row.document for row in view.rows]


def cell(view: GridView, paper: int, key: str) -> GridCell:
    column = [column.key for column in view.columns].index(key)
    return next(row for row in view.rows if row.document == paper).cells[column]


def test_each_paper_is_a_row_with_what_its_fields_say(trained: Office, held: list[int]) -> None:
    view = view_of(trained)
    assert papers(view) == held[::-1]
    assert (view.papers, view.held, view.next) == (4, 4, None)
    slip = slips(4, 60)[1]
    amount = cell(view, held[1], "amount")
    assert (amount.text, amount.hold, amount.may) == (slip.amount, "low confidence", True)
    assert amount.page == 1
    assert amount.box
    assert amount.threshold == 1.0
    settle_one(trained, held[1])
    settled = cell(view_of(trained), held[1], "amount")
    assert (settled.text, settled.hold, settled.origin) == (slip.amount, "", "person")


def test_papers_are_found_by_what_a_field_says_read_or_said(trained: Office, held: list[int]) -> None:
    slip = slips(4, 60)[2]
    assert papers(view_of(trained, field="member", value=slip.member[:6].upper())) == [held[2]]
    assert papers(view_of(trained, value=slip.member)) == [held[2]]
    assert papers(view_of(trained, field="amount", value=slip.member)) == []
    said = [ValueInput("Somebody Else")]
    settle.settle(trained.store, trained.reviewer, held[2], "member", said)
    assert papers(view_of(trained, field="member", value=slip.member)) == []  # it does not say so any more
    assert papers(view_of(trained, field="member", value="somebody")) == [held[2]]
    assert papers(view_of(trained, field="member", value="100%_")) == []  # signs that mean nothing here


def test_pages_follow_each_other_and_are_narrowed(trained: Office, held: list[int]) -> None:
    first = view_of(trained, 3)
    assert papers(first) == held[:0:-1]
    assert papers(view_of(trained, 3, after=first.next)) == held[:1]
    assert view_of(trained, 3, after=first.next).papers == 4
    change(trained, held[0], name="apart.pdf", state=DocumentState.SETTLED)
    assert papers(view_of(trained, text="apart")) == held[:1]
    assert papers(view_of(trained, state="settled")) == held[:1]
    assert [(choice.value, choice.papers) for choice in view_of(trained).choices["state"]] == [
        ("held", 3),
        ("settled", 1),
    ]
    with pytest.raises(InputError, match="is not a state here"):
        view_of(trained, state="received")
    with pytest.raises(InputError, match="no field"):
        view_of(trained, field="colour")


def test_what_is_checked_blind_stays_unseen(trained: Office, run_jobs: Run) -> None:
    check_all(trained, ALL_BLIND)
    [paper] = passed(trained, run_jobs, 60)
    cells = view_of(trained).rows[0].cells
    unseen = [cell for cell in cells if cell.unseen]
    assert papers(view_of(trained)) == [paper]
    assert unseen
    assert all((cell.text, cell.box, cell.confidence) == ("", None, None) for cell in unseen)
    slip = slips(61)[60]
    said = {"member": slip.member, "amount": slip.amount, "paid_on": slip.day}
    for column, cell_ in zip(view_of(trained).columns, cells, strict=True):
        assert (papers(view_of(trained, field=column.key, value=said[column.key])) == []) is cell_.unseen


def test_who_may_not_see_personal_values_sees_no_grid(trained: Office, held: list[int]) -> None:
    named = FieldInput(name="Member", data_type="text", printed_names=["Paid by"], personal=True)
    plan_fields.change_field(trained.store, trained.analyst, trained.type_id, "member", named)
    people.set_sees_personal(trained.store, trained.actors["admin"], trained.reviewer.id, sees=False)
    masked = people.actor_by_login(trained.store, "reviewer")
    for value in ("", "nobody is called so"):
        with pytest.raises(Forbidden, match="personal values"):
            grid.grid(trained.store, masked, trained.type_id, GridWanted(value=value))
    with pytest.raises(Forbidden, match="personal values"):
        sweep.sweep(trained.store, masked, trained.type_id, QueueWanted())
    with pytest.raises(Forbidden, match="personal values"):
        sweep.take(trained.store, masked, trained.type_id, "amount", held)
