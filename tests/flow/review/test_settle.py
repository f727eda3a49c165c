"""Settling: what a person typed is kept in any case, a failing check may stand so on the paper, an answer can be
undone."""

from __future__ import annotations

import csv
import io
import json
from collections.abc import Callable

import pytest
from tests.office import Office
from tests.papers import slips

from jugum.errors import Conflict, Forbidden, InputError
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.label import rows as label_rows
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.office import people
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue
from jugum.flow.review import reopen as reopening
from jugum.flow.review import settle as settling
from jugum.flow.review.desk import ReviewDesk, ReviewField
from jugum.flow.review.recheck import Settled
from jugum.flow.weigh import policies

Run = Callable[[], None]
SAID = "A fee is under 1"


def live(office: Office, run_jobs: Run, *, threshold: float = 1.0) -> int:
    """A live paper whose fields are held (or pass, under a threshold of 0)."""
    thresholds = dict.fromkeys(("member", "paid_on", "amount"), threshold)
    policies.save_policy(office.store, office.analyst, office.type_id, thresholds, 0.0)
    document = office.bring(slips(41)[40], "live")
    run_jobs()
    return document


def impossible_check(office: Office) -> str:
    """A blocking check that fails on every slip; its key."""
    given = {"expression": "amount < 1", "message": SAID}
    return plan_checks.put_check(office.store, office.analyst, office.type_id, given)


def goods_table(office: Office) -> None:
    """A required table of goods with their sums."""
    plan_fields.add_field(
        office.store,
        office.analyst,
        office.type_id,
        FieldInput(name="Goods", data_type="text", kind="table", required=True),
        columns=[FieldInput(name="Item"), FieldInput(name="Sum", data_type="money")],
    )


def settle(office: Office, document: int, key: str, text: str) -> Settled:
    return settling.settle(office.store, office.reviewer, document, key, [ValueInput(text)])


def settle_all(office: Office, document: int) -> Settled:
    for key, text in (("member", "Aldis Brenna"), ("paid_on", "01.02.2026")):
        settle(office, document, key, text)
    return settle(office, document, "amount", "12,50")


def desk(office: Office, document: int) -> ReviewDesk:
    return review_desk.desk(office.store, office.reviewer, document, look=True)


def field(office: Office, document: int, key: str) -> ReviewField:
    return next(each for each in desk(office, document).fields if each.key == key)


# ---- What was typed is kept ------------------------------------------------------------------------------------------


def test_a_blocking_check_that_fails_does_not_drop_what_was_typed(trained: Office, run_jobs: Run) -> None:
    check = impossible_check(trained)
    document = live(trained, run_jobs)
    settled = settle_all(trained, document)
    assert settled.state == "held"
    ((key, held),) = settled.holds.items()
    assert held.reason == "fails a check"
    assert SAID in held.detail
    assert held.blocking == [check]  # what the desk offers to let stand, without being loaded again
    assert [value.text for value in field(trained, document, key).values] == [
        {"member": "Aldis Brenna", "paid_on": "01.02.2026", "amount": "12,50"}[key]
    ]
    assert [value.text for value in field(trained, document, "amount").values] == ["12,50"]


def test_a_value_that_cannot_be_read_is_kept_as_typed_and_waits(trained: Office, run_jobs: Run) -> None:
    document = live(trained, run_jobs)
    settled = settle(trained, document, "amount", "twelve")
    assert settled.holds["amount"].detail == "“twelve” can't be read as money: correct it"
    assert [value.text for value in field(trained, document, "amount").values] == ["twelve"]
    labelled = {each.field for each in label_rows.labels(trained.store, document)}
    assert "amount" not in labelled  # it must not teach
    assert "amount" not in settle(trained, document, "amount", "12,00").holds


def test_one_unreadable_cell_leaves_the_others_saved(trained: Office, run_jobs: Run) -> None:
    goods_table(trained)
    document = live(trained, run_jobs, threshold=0.0)
    rows = [
        {"goods.item": CellInput("rope"), "goods.sum": CellInput("much")},
        {"goods.item": CellInput("nail"), "goods.sum": CellInput("2,00")},
    ]
    settled = settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows)
    assert {key: held.detail for key, held in settled.holds.items()} == {
        "goods": "“much” in row 1, Sum, can't be read as money: correct it"
    }
    shown = [[cell and (cell.text, cell.normal) for cell in row] for row in field(trained, document, "goods").rows]
    assert shown == [[("rope", "rope"), ("much", "")], [("nail", "nail"), ("2,00", "2.00")]]
    rows[0]["goods.sum"] = CellInput("1,00")
    assert settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows).state == "settled"


def test_a_number_with_its_unit_is_read_and_a_dash_is_an_empty_cell_and_no_answer(
    trained: Office, run_jobs: Run
) -> None:
    for planned in (
        FieldInput(name="Way", data_type="number", required=False),
        FieldInput(name="Trips", kind="table", required=False),
    ):
        columns = [
            FieldInput(name="Distance", data_type="number", units=["km"]),
            FieldInput(name="Fare", data_type="money"),
        ]
        plan_fields.add_field(
            trained.store, trained.analyst, trained.type_id, planned, columns=columns if planned.kind == "table" else ()
        )
    document = live(trained, run_jobs, threshold=0.0)
    settle(trained, document, "way", "–")
    assert field(trained, document, "way").values == []
    assert [
        (label.absent, label.values) for label in label_rows.labels(trained.store, document) if label.field == "way"
    ] == [(True, [])]
    rows = [
        {"trips.distance": CellInput("30 km"), "trips.fare": CellInput("–")},
        {"trips.distance": CellInput("n/a"), "trips.fare": CellInput("12,00")},
    ]
    settled = settling.settle(trained.store, trained.reviewer, document, "trips", [], rows=rows)
    assert settled.state == "settled"
    shown = [[cell and (cell.text, cell.normal) for cell in row] for row in field(trained, document, "trips").rows]
    assert shown == [[("30 km", "30"), ("–", "")], [("n/a", ""), ("12,00", "12.00")]]
    out = results.download(trained.store, trained.type_id, "csv")
    lines = [
        (line["trips.distance"], line["trips.fare"]) for line in csv.DictReader(io.StringIO(out.decode("utf-8-sig")))
    ]
    assert lines == [("30", ""), ("", "12.00")]
    held = settling.settle(
        trained.store, trained.reviewer, document, "trips", [], rows=[{"trips.distance": CellInput("30 kg")}]
    ).holds["trips"]
    assert "“30 kg” in row 1, Distance, can't be read as number" in held.detail  # not the unit of this column


# ---- It stands so on the paper ---------------------------------------------------------------------------------------


def test_a_failing_check_stands_so_on_the_paper_with_a_reason_that_goes_out(trained: Office, run_jobs: Run) -> None:
    check = impossible_check(trained)
    document = live(trained, run_jobs)
    settle_all(trained, document)
    done = reopening.let_stand(trained.store, trained.analyst, document, check, "  the sum is printed wrong ")
    assert (done.state, done.holds) == ("settled", {})
    (row,) = results.results(trained.store, trained.type_id, actor=trained.analyst).rows
    (stood,) = row.let_stand
    assert (stood.check, stood.said, stood.reason, stood.person) == (check, SAID, "the sum is printed wrong", "Ann")
    sent = {
        form: results.download(trained.store, trained.type_id, form, actor=trained.analyst) for form in ("csv", "json")
    }
    (line,) = csv.DictReader(io.StringIO(sent["csv"].decode("utf-8-sig")))
    assert (line["let_stand"], line["amount"]) == (check, "12.50")
    assert json.loads(sent["json"])[0]["let_stand"][0]["reason"] == "the sum is printed wrong"
    shown = next(each for each in desk(trained, document).checks if each.key == check)
    assert (shown.let_stand_by, shown.reason) == ("Ann", "the sum is printed wrong")


def test_letting_a_check_stand_is_a_right_of_its_own(trained: Office, run_jobs: Run) -> None:
    check = impossible_check(trained)
    document = live(trained, run_jobs)
    with pytest.raises(Forbidden, match="may not let checks stand"):
        reopening.let_stand(trained.store, trained.reviewer, document, check, "so")
    assert not desk(trained, document).may_let_stand
    people.set_lets_stand(trained.store, trained.actors["admin"], trained.reviewer.id, lets=True)
    trusted = people.actor_by_login(trained.store, "reviewer")
    assert check not in reopening.let_stand(trained.store, trusted, document, check, "so").holds
    people.set_lets_stand(trained.store, trained.actors["admin"], trained.reviewer.id, lets=False)
    assert not people.actor_by_login(trained.store, "reviewer").can("let checks stand")


def test_whoever_reviews_lets_all_advisory_checks_stand_with_one_reason(trained: Office, run_jobs: Run) -> None:
    for key, expression in (("amount", "amount > 1000000"), ("paid_on", "days(received, paid_on) > 9999")):
        given = {"expression": expression, "message": f"{key} is odd", "severity": "advisory"}
        plan_checks.put_check(trained.store, trained.analyst, trained.type_id, given)
    document = live(trained, run_jobs, threshold=0.0)
    assert {field.key for field in desk(trained, document).fields if field.advisory} == {"amount", "paid_on"}
    with pytest.raises(InputError, match="Give the reason"):
        reopening.let_all_stand(trained.store, trained.reviewer, document, " ")
    done = reopening.let_all_stand(trained.store, trained.reviewer, document, "an old form")
    assert (done.state, done.holds) == ("settled", {})
    stood = [check for check in desk(trained, document).checks if check.outcome == "fails"]
    assert [(check.reason, check.let_stand_by) for check in stood] == [("an old form", "Rik")] * 2
    with pytest.raises(Conflict, match="No check that may be accepted"):
        reopening.let_all_stand(trained.store, trained.reviewer, document, "again")


def test_a_check_stands_only_with_a_reason_and_while_it_fails(trained: Office, run_jobs: Run) -> None:
    check = impossible_check(trained)
    document = live(trained, run_jobs)
    for reason, said in ((" ", "Give the reason"), ("x" * 301, "at most 300")):
        with pytest.raises(InputError, match=said):
            reopening.let_stand(trained.store, trained.analyst, document, check, reason)
    settle(trained, document, "amount", "0,50")
    with pytest.raises(Conflict, match="does not fail"):
        reopening.let_stand(trained.store, trained.analyst, document, check, "so")


# ---- Undo ------------------------------------------------------------------------------------------------------------


def test_an_answer_that_is_undone_waits_again_for_its_first_reason(trained: Office, run_jobs: Run) -> None:
    document = live(trained, run_jobs)
    before = field(trained, document, "amount")
    settle(trained, document, "amount", "12,50")
    undone = reopening.reopen(trained.store, trained.reviewer, document, "amount")
    after = field(trained, document, "amount")
    assert (undone.holds["amount"].reason, undone.holds["amount"].detail) == (before.hold, before.detail)
    assert [value.text for value in after.values] == [value.text for value in before.values]
    assert label_rows.labels(trained.store, document) == []


def test_undoing_after_a_check_came_and_went_asks_the_first_question_again(trained: Office, run_jobs: Run) -> None:
    """The answer was held by a check again and let stand: undone, the field waits as on the first day, and does not
    pass with the doubtful value that was read."""
    check = impossible_check(trained)
    document = live(trained, run_jobs)
    first = {each.key: (each.hold, each.detail) for each in desk(trained, document).fields}
    (held,) = settle_all(trained, document).holds
    assert reopening.let_stand(trained.store, trained.analyst, document, check, "so").state == "settled"
    undone = reopening.reopen(trained.store, trained.reviewer, document, held)
    assert undone.state == "held"
    assert (undone.holds[held].reason, undone.holds[held].detail) == first[held]
    again = field(trained, document, held)
    assert (again.hold, again.settled) == (first[held][0], False)
    assert all(value.person is None for value in again.values)


def test_a_check_that_holds_again_does_not_let_an_unreadable_cell_pass(trained: Office, run_jobs: Run) -> None:
    goods_table(trained)
    check = {"expression": "goods.sum < amount", "message": SAID}
    plan_checks.put_check(trained.store, trained.analyst, trained.type_id, check)
    document = live(trained, run_jobs, threshold=0.0)
    settle(trained, document, "amount", "5,00")
    rows = [{"goods.sum": CellInput("much")}, {"goods.sum": CellInput("9,00")}]
    settled = settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows)
    assert SAID in settled.holds["goods"].detail
    assert "can't be read" in settled.holds["goods"].detail
    assert settle(trained, document, "amount", "50,00").holds["goods"]  # the check holds; the cell can't be read yet


def test_a_check_that_holds_again_lets_a_dash_for_none_pass(trained: Office, run_jobs: Run) -> None:
    goods_table(trained)
    check = {"expression": "goods.sum < amount", "message": SAID}
    plan_checks.put_check(trained.store, trained.analyst, trained.type_id, check)
    document = live(trained, run_jobs, threshold=0.0)
    settle(trained, document, "amount", "5,00")
    rows = [{"goods.item": CellInput("rope"), "goods.sum": CellInput("–")}, {"goods.sum": CellInput("9,00")}]
    settled = settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows)
    assert SAID in settled.holds["goods"].detail
    assert settle(trained, document, "amount", "50,00").state == "settled"


def test_undoing_on_a_settled_paper_brings_it_back_to_the_queue(trained: Office, run_jobs: Run) -> None:
    document = live(trained, run_jobs)
    assert settle_all(trained, document).state == "settled"
    assert reopening.reopen(trained.store, trained.reviewer, document, "member").state == "held"
    (row,) = queue.queue(trained.store, trained.reviewer, trained.type_id).rows
    assert (row.id, row.fields) == (document, ["Member"])


def test_a_passed_value_that_was_corrected_comes_back_as_it_was_read(trained: Office, run_jobs: Run) -> None:
    document = live(trained, run_jobs, threshold=0.0)
    before = field(trained, document, "amount").values
    settle(trained, document, "amount", "12,50")
    reopening.reopen(trained.store, trained.reviewer, document, "amount")
    after = field(trained, document, "amount").values
    assert [(value.text, value.confidence) for value in after] == [(value.text, value.confidence) for value in before]
    assert after[0].person is None


def test_undoing_takes_back_what_was_accepted_with_the_answer(trained: Office, run_jobs: Run) -> None:
    advisory = {"expression": "amount < 1", "message": SAID, "severity": "advisory"}
    plan_checks.put_check(trained.store, trained.analyst, trained.type_id, advisory)
    document = live(trained, run_jobs, threshold=0.0)
    (held,) = [each.key for each in desk(trained, document).fields if each.hold]
    texts = [ValueInput(value.text) for value in field(trained, document, held).values]
    assert settling.settle(trained.store, trained.reviewer, document, held, texts).state == "settled"
    undone = reopening.reopen(trained.store, trained.reviewer, document, held)
    assert SAID in undone.holds[held].detail
    assert not [each.let_stand_by for each in desk(trained, document).checks if each.let_stand_by]


def test_nothing_is_undone_where_nobody_said_anything(trained: Office, run_jobs: Run) -> None:
    document = live(trained, run_jobs)
    with pytest.raises(Conflict, match="Nobody has answered Amount"):
        reopening.reopen(trained.store, trained.reviewer, document, "amount")
    assert documents.document_view(trained.store, document).holds == 3
