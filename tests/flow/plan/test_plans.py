"""Plans through flow: versions, two analysts, effects, files, lists, checks on live papers, personal values."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from sqlalchemy import select
from tests.office import Office
from tests.papers import slips, words_pdf

from jugum.core.page import Box
from jugum.errors import Conflict, Forbidden, InputError, NotFound
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import desk as label_desk
from jugum.flow.label import past_records
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.office import people
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import history as plan_history
from jugum.flow.plan import sample as plan_sample
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import desk as review_desk
from jugum.flow.review import settle as settling
from jugum.flow.train import versions
from jugum.flow.weigh import policies
from jugum.store.models import Audit, CheckWaiver

Run = Callable[[], None]


def keys(office: Office) -> list[str]:
    return [field.key for field in plan_fields.fields(office.store, office.type_id)]


def add(office: Office, name: str, data_type: str = "text", **more: object) -> str:
    return plan_fields.add_field(
        office.store, office.analyst, office.type_id, FieldInput(name=name, data_type=data_type, **dict(more))
    ).key


def check(office: Office, expression: str, **more: object) -> str:
    return plan_checks.put_check(office.store, office.analyst, office.type_id, {"expression": expression, **more})


# ---- Editing ---------------------------------------------------------------------------------------------------------


def test_tables_take_their_columns_along_when_they_move_are_copied_and_go(office: Office) -> None:
    table = FieldInput(name="Lines", kind="table", required=False)
    plan_fields.add_field(
        office.store,
        office.analyst,
        office.type_id,
        table,
        columns=[FieldInput(name="What"), FieldInput(name="Sum", data_type="money")],
    )
    assert keys(office)[-3:] == ["lines", "lines.what", "lines.sum"]
    plan_fields.move_field(office.store, office.analyst, office.type_id, "lines", 0)
    assert keys(office)[:3] == ["lines", "lines.what", "lines.sum"]
    plan_fields.move_field(office.store, office.analyst, office.type_id, "lines.sum", 0)
    assert keys(office)[:3] == ["lines", "lines.sum", "lines.what"]
    copied = plan_fields.copy_field(office.store, office.analyst, office.type_id, "lines")
    assert (copied.key, copied.name) == ("lines_2", "Lines 2")
    assert {"lines_2.sum", "lines_2.what"} <= set(keys(office))
    plan_fields.remove_field(office.store, office.analyst, office.type_id, "lines", labels_known=0)
    assert not [key for key in keys(office) if key.startswith("lines.")]
    assert add(office, "Weight", "number", inside="lines_2") == "lines_2.weight"


def test_a_column_goes_into_its_table_and_a_name_is_free_again_in_another(office: Office) -> None:
    for name in ("First", "Second"):
        plan_fields.add_field(
            office.store,
            office.analyst,
            office.type_id,
            FieldInput(name=name, kind="table"),
            columns=[FieldInput(name="Sum", data_type="money")],
        )
    assert add(office, "Count", "number", inside="first") == "first.count"
    assert keys(office).index("first.count") < keys(office).index("second")
    with pytest.raises(Conflict, match="already"):
        add(office, "sum", inside="second")


def test_every_change_is_a_version_and_the_plan_goes_back_to_any(office: Office) -> None:
    before = plan_fields.whole(office.store, office.type_id)
    add(office, "Berth")
    check(office, "amount > 0", message="Nothing was paid")
    said = [version.said for version in plan_history.plan_versions(office.store, office.type_id)]
    assert said[:2] == ["added the check “Nothing was paid”", "added “Berth”"]
    plan_history.go_back(office.store, office.analyst, office.type_id, before.number)
    after = plan_fields.whole(office.store, office.type_id)
    assert [field.key for field in after.fields] == [field.key for field in before.fields]
    assert after.checks == []
    assert after.number == before.number + 3
    with pytest.raises(NotFound, match="no version 99"):
        plan_history.go_back(office.store, office.analyst, office.type_id, 99)


def test_two_analysts_who_edit_one_plan_are_told(office: Office) -> None:
    number = plan_fields.whole(office.store, office.type_id).number
    plan_fields.add_field(
        office.store, office.actors["analyst2"], office.type_id, FieldInput(name="Berth"), number=number
    )
    with pytest.raises(Conflict, match=r"changed in the meantime by Bo .added “Berth”.*What you typed is kept"):
        plan_fields.add_field(office.store, office.analyst, office.type_id, FieldInput(name="Keel"), number=number)
    assert "keel" not in keys(office)


def test_what_others_name_can_t_go(office: Office) -> None:
    check(office, "amount > 0", message="Nothing was paid")
    with pytest.raises(Conflict, match="The check “Nothing was paid” names “Amount”"):
        plan_fields.remove_field(office.store, office.analyst, office.type_id, "amount", labels_known=0)
    plan_checks.put_check(
        office.store, office.analyst, office.type_id, {"key": "nothing_was_paid", "expression": "present(member)"}
    )
    add(office, "Double", "money", kind="derived", expression="amount * 2")
    with pytest.raises(Conflict, match="“Double” is calculated from “Amount”"):
        plan_fields.remove_field(office.store, office.analyst, office.type_id, "amount", labels_known=0)
    with pytest.raises(InputError, match="circle"):
        add(office, "Round", "money", kind="derived", expression="round")
    with pytest.raises(NotFound):
        plan_checks.remove_check(office.store, office.analyst, office.type_id, "none")


def test_effects_are_said_before_a_change_is_made(trained: Office) -> None:
    to_number = FieldInput(name="Amount", data_type="number", printed_names=["Total"])
    effects = plan_history.effects(trained.store, trained.type_id, "amount", to_number)
    assert effects.labels == 10
    assert effects.words[0] == "Labels on 10 papers stay as they were printed; their values are read anew."
    assert (
        plan_history.effects(
            trained.store, trained.type_id, "amount", FieldInput(name="Sum", data_type="money", printed_names=["Total"])
        ).words
        == []
    )
    assert (
        plan_history.effects(trained.store, trained.type_id, "amount", None).words[0]
        == "Its labels on 10 papers are put away with it. They come back when the plan has the field again."
    )


def test_copies_and_files_carry_the_whole_plan(office: Office) -> None:
    plan_checks.put_list(office.store, office.analyst, 1, "members", ["Oddny Strand", "", "Oddny Strand", "Per Holm"])
    check(office, 'listed(member, "members")', severity="advisory")
    add(office, "Double", "money", kind="derived", expression="amount * 2")
    name, data = plan_history.export_plan(office.store, office.type_id)
    assert name == "mooring_slip.plan.json"
    assert json.loads(data)["lists"] == {"members": ["Oddny Strand", "Per Holm"]}
    copy = plan_history.copy_type(office.store, office.analyst, office.type_id, "Copied slip")
    again = json.loads(data) | {"name": "Imported slip"}
    imported = plan_history.import_plan(office.store, office.analyst, 1, json.dumps(again).encode())
    assert plan_history.export_plan(office.store, copy)[1].replace(b"Copied", b"Mooring") == data
    assert plan_fields.whole(office.store, imported).checks == plan_fields.whole(office.store, office.type_id).checks
    with pytest.raises(Conflict, match="already"):
        plan_history.import_plan(office.store, office.analyst, 1, data)


def test_an_import_that_would_lose_labels_is_refused(trained: Office) -> None:
    data = json.loads(plan_history.export_plan(trained.store, trained.type_id)[1])
    data["fields"] = [field for field in data["fields"] if field["key"] != "amount"]
    with pytest.raises(Conflict, match="no field “amount”, which is labelled on 10 papers"):
        plan_history.import_plan(trained.store, trained.analyst, 1, json.dumps(data).encode(), type_id=trained.type_id)


def test_a_reviewer_may_not_change_plans(office: Office) -> None:
    with pytest.raises(Forbidden):
        plan_checks.put_check(office.store, office.reviewer, office.type_id, {"expression": "amount > 0"})
    with pytest.raises(Forbidden):
        plan_checks.put_list(office.store, office.reviewer, 1, "members", ["a"])


# ---- The living sample -----------------------------------------------------------------------------------------------


def test_the_sample_shows_what_a_field_would_find_while_it_is_typed(office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    slip, explorer = slips(1)[0], Explorer()
    seen = plan_sample.preview(office.store, explorer, office.type_id, document)
    found = {field.key: [value.text for value in field.values if value] for field in seen.fields}
    assert found["amount"] == [slip.truth["amount"]]
    drafted = FieldInput(name="How much", data_type="money", printed_names=["Total"])
    typed = plan_sample.preview(office.store, explorer, office.type_id, document, drafted, "amount")
    assert next(field for field in typed.fields if field.key == "amount").values[0].why  # type: ignore[union-attr]
    broken = plan_sample.preview(
        office.store, explorer, office.type_id, document, FieldInput(name="X", rules=[{"pattern": "("}])
    )
    assert "is not valid" in broken.problem
    assert len(broken.fields) == len(seen.fields)
    new = plan_sample.preview(
        office.store,
        explorer,
        office.type_id,
        document,
        FieldInput(name="Day", data_type="date", printed_names=["Date"]),
    )
    assert new.fields[-1].key == "new_field"


def test_of_a_long_sample_the_pages_about_the_one_in_view_are_looked_at(office: Office, run_jobs: Run) -> None:
    slip = slips(1)[0]
    document = office.bring_long(slip)
    run_jobs()

    def amount(page: int) -> tuple[tuple[int, int], list[str]]:
        seen = plan_sample.preview(office.store, Explorer(), office.type_id, document, page=page)
        values = next(field.values for field in seen.fields if field.key == "amount")
        return seen.pages, [value.text for value in values if value]

    assert amount(1) == ((1, 4), [])
    assert amount(13) == ((13, 16), [slip.amount])
    assert amount(20) == ((17, 20), [])
    proposed = plan_sample.propose(office.store, Explorer(), office.type_id, document, page=13)
    assert {one.page for one in proposed} <= set(range(13, 17))


def test_a_check_on_no_field_is_told_though_no_sample_is_labelled(office: Office) -> None:
    with pytest.raises(InputError, match="no field “sum”"):
        plan_sample.try_check(office.store, office.type_id, {"expression": "sum > 0"})
    tried = plan_sample.try_check(office.store, office.type_id, {"expression": "amount > 0"})
    assert (tried.holds, tried.fails, tried.open) == (0, 0, 0)


def test_checks_are_tried_on_all_labelled_samples(trained: Office) -> None:
    tried = plan_sample.try_check(trained.store, trained.type_id, {"expression": "amount > 0"})
    assert (tried.holds, tried.fails, tried.open) == (10, 0, 0)
    tried = plan_sample.try_check(trained.store, trained.type_id, {"expression": "amount < 0", "message": "It is not"})
    assert (tried.holds, tried.fails) == (0, 10)
    assert tried.failed[0].said == "It is not"
    with pytest.raises(InputError, match="no field “sum”"):
        plan_sample.try_check(trained.store, trained.type_id, {"expression": "sum > 0"})


def test_a_sample_proposes_what_the_plan_has_not(office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    names = {one.field["name"] for one in plan_sample.propose(office.store, Explorer(), office.type_id, document)}
    assert not names & {"Total", "Date", "Paid by"}
    with pytest.raises(InputError, match="There are no columns here"):
        plan_sample.propose_table(office.store, document, 1, Box(0.9, 0.9, 1.0, 1.0))


def test_the_order_of_day_and_month_is_learned_from_the_papers(office: Office, run_jobs: Run) -> None:
    for number, text in enumerate(("Date 04/13/2026", "Date 03/04/2026")):
        documents.receive(
            office.store,
            office.analyst,
            office.type_id,
            f"us-{number}.pdf",
            words_pdf(text, "Total 1,00", "Paid by Per Holm"),
            purpose="sample",
        )
    run_jobs()
    order = plan_sample.learn_date_order(office.store, office.type_id)
    assert (order["month_first"], order["is_month_first"], order["ambiguous"]) == (1, True, False)
    assert plan_fields.normal_of(office.store, office.type_id, "paid_on", "03/04/2026") == "2026-03-04"


# ---- Checks on live papers -------------------------------------------------------------------------------------------


def live(office: Office, run_jobs: Run, number: int = 40) -> int:
    policies.save_policy(
        office.store, office.analyst, office.type_id, {"member": 0.0, "paid_on": 0.0, "amount": 0.0}, 0.0, "all pass"
    )
    document = office.bring(slips(number + 1)[number], "live")
    run_jobs()
    return document


def test_a_blocking_check_holds_a_paper_until_it_holds(trained: Office, run_jobs: Run) -> None:
    check(trained, "amount > 1000000", message="Too little")
    document = live(trained, run_jobs)
    desk = review_desk.desk(trained.store, trained.reviewer, document)
    (held,) = [field for field in desk.fields if field.hold]
    assert (held.key, held.hold, held.detail) == (
        "amount",
        "fails a check",
        "Too little (correct it, or say that it stands so on the paper)",
    )
    assert [(other.outcome, other.severity) for other in desk.checks] == [("fails", "blocking")]
    same = [ValueInput(held.values[0].text)]
    settled = settling.settle(trained.store, trained.reviewer, document, "amount", same)
    assert (settled.state, settled.open) == ("held", 1)
    settled = settling.settle(trained.store, trained.reviewer, document, "amount", [ValueInput("2 000 000,00")])
    assert (settled.state, settled.open) == ("settled", 0)


def test_an_advisory_check_is_let_stand_by_somebody_at_some_time(trained: Office, run_jobs: Run) -> None:
    check(trained, "amount > 1000000", message="Too little", severity="advisory")
    document = live(trained, run_jobs)
    (held,) = [field for field in review_desk.desk(trained.store, trained.reviewer, document).fields if field.hold]
    assert held.advisory
    settled = settling.settle(trained.store, trained.reviewer, document, "amount", [ValueInput(held.values[0].text)])
    assert settled.state == "settled"
    with trained.store.session() as session:
        (stood,) = session.scalars(select(CheckWaiver)).all()
        assert (stood.message, stood.person_id) == ("Too little", trained.reviewer.id)
    assert review_desk.desk(trained.store, trained.reviewer, document).checks[0].let_stand_by == "Rik"


def test_mending_one_field_lets_the_other_go_that_only_the_check_held(trained: Office, run_jobs: Run) -> None:
    check(trained, "paid_on < received and amount > 0", message="Odd")
    document = live(trained, run_jobs)
    assert review_desk.desk(trained.store, trained.reviewer, document).state == "passed"
    settled = settling.settle(trained.store, trained.reviewer, document, "paid_on", [ValueInput("01.01.2090")])
    assert set(settled.holds) == {"paid_on"} or set(settled.holds) == {"amount"}
    settled = settling.settle(trained.store, trained.reviewer, document, "paid_on", [ValueInput("01.01.2020")])
    assert (settled.state, settled.holds) == ("settled", {})


def test_derived_fields_follow_what_a_person_mends_and_are_delivered(trained: Office, run_jobs: Run) -> None:
    add(trained, "Double", "money", kind="derived", expression="amount * 2", required=False, output={"decimals": 0})
    document = live(trained, run_jobs)
    settling.settle(trained.store, trained.reviewer, document, "amount", [ValueInput("21,50")])
    (row,) = [row for row in results.results(trained.store, trained.type_id).rows if row.document == document]
    assert [value.normal for value in row.values["double"]] == ["43"]
    assert row.values["double"][0].origin == "plan"
    with pytest.raises(InputError, match="calculated from other fields"):
        settling.settle(trained.store, trained.reviewer, document, "double", [ValueInput("1")])


def test_fields_that_nothing_has_measured_wait_for_a_person_and_say_why(trained: Office, run_jobs: Run) -> None:
    add(trained, "Signed", "signature", printed_names=["Total"], required=False)
    document = live(trained, run_jobs)
    held = {
        field.key: field.detail
        for field in review_desk.desk(trained.store, trained.reviewer, document).fields
        if field.hold
    }
    assert held == {"signed": "read by mark; how often that is right is not measured yet"}
    assert settling.settle(trained.store, trained.reviewer, document, "signed", [ValueInput("no")]).state == "settled"


def test_papers_in_review_are_read_again_when_asked(trained: Office, run_jobs: Run) -> None:
    check(trained, "amount > 1000000", message="Too little")
    document = live(trained, run_jobs)
    plan_checks.remove_check(trained.store, trained.analyst, trained.type_id, "too_little")
    assert versions.redraft_all(trained.store, trained.analyst, trained.type_id) == 1
    run_jobs()
    assert documents.document_view(trained.store, document).state == "passed"


# ---- Tables of live papers and samples -------------------------------------------------------------------------------

LOADED = LoadedVersions()


def test_tables_are_labelled_row_by_row_and_come_back_so(office: Office, run_jobs: Run) -> None:
    table = FieldInput(name="Goods", kind="table", required=False)
    columns = [FieldInput(name="Item"), FieldInput(name="Sum", data_type="money", printed_names=["Sum"])]
    plan_fields.add_field(office.store, office.analyst, office.type_id, table, columns=columns)
    document = office.bring(slips(1)[0])
    run_jobs()
    rows = [
        {"goods.item": CellInput("oak plank"), "goods.sum": CellInput("120,00", 1, (0.1, 0.1, 0.2, 0.2))},
        {},
        {"goods.item": CellInput("nail")},
    ]
    label_desk.set_table(office.store, office.analyst, document, "goods", rows)
    desk = label_desk.desk(office.store, office.analyst, document, LOADED, Explorer())
    (goods,) = [field for field in desk.fields if field.key == "goods"]
    assert [[cell.text if cell else None for cell in row] for row in goods.rows] == [
        ["oak plank", "120,00"],
        ["nail", None],
    ]
    assert goods.values[0].text == "2 rows"
    with pytest.raises(InputError, match=r"no column “goods\.price”"):
        label_desk.set_table(office.store, office.analyst, document, "goods", [{"goods.price": CellInput("1")}])
    with pytest.raises(InputError, match="a table: give its rows"):
        label_desk.set_label(office.store, office.analyst, document, "goods", [ValueInput("x")])
    label_desk.set_table(office.store, office.analyst, document, "goods", [])
    (goods,) = [
        f
        for f in label_desk.desk(office.store, office.analyst, document, LOADED, Explorer()).fields
        if f.key == "goods"
    ]
    assert (goods.decided, goods.absent, goods.rows) == (True, True, [])


def test_a_keyed_value_goes_to_the_field_and_not_to_a_column_of_the_same_name(office: Office, run_jobs: Run) -> None:
    columns = [FieldInput(name="Amount", data_type="money")]
    plan_fields.add_field(
        office.store, office.analyst, office.type_id, FieldInput(name="Goods", kind="table"), columns=columns
    )
    document = office.bring(slips(1)[0])
    run_jobs()
    text = slips(1)[0].truth["amount"]
    name = documents.document_view(office.store, document).name
    report = past_records.import_records(
        office.store, office.analyst, office.type_id, f'file,type,field,value\n{name},,Amount,"{text}"\n'.encode()
    )
    assert (report.placed, report.unknown) == (1, [])
    assert [(label.field, label.values[0].text) for label in label_desk.labels(office.store, document)] == [
        ("amount", text)
    ]
    (told,) = past_records.import_records(
        office.store, office.analyst, office.type_id, f"file,type,field,value\n{name},,goods.amount,1\n".encode()
    ).unknown
    assert told == "line 2: “goods.amount” is not a field that past records can fill; label tables on the desk"


def test_labelling_begins_with_what_the_plan_alone_finds(office: Office, run_jobs: Run) -> None:
    slip = slips(1)[0]
    document = office.bring(slip)
    run_jobs()
    desk = label_desk.desk(office.store, office.analyst, document, LOADED, Explorer())
    suggested = {field.key: [value.text for value in field.suggestion] for field in desk.fields}
    assert suggested["amount"] == [slip.truth["amount"]]
    assert next(field for field in desk.fields if field.key == "amount").suggestion[0].origin == "printed names"


def test_a_live_paper_s_table_is_settled_by_its_rows_and_delivered_as_rows(trained: Office, run_jobs: Run) -> None:
    table = FieldInput(name="Goods", kind="table", required=True)
    plan_fields.add_field(
        trained.store,
        trained.analyst,
        trained.type_id,
        table,
        columns=[FieldInput(name="Item"), FieldInput(name="Sum", data_type="money")],
    )
    document = live(trained, run_jobs)
    desk = review_desk.desk(trained.store, trained.reviewer, document)
    assert [(field.key, field.hold) for field in desk.fields if field.hold] == [("goods", "missing")]
    rows = [{"goods.item": CellInput("plank"), "goods.sum": CellInput("1 200,5")}, {"goods.item": CellInput("nail")}]
    assert settling.settle(trained.store, trained.reviewer, document, "goods", [], rows=rows).state == "settled"
    sent = json.loads(results.download(trained.store, trained.type_id, "json"))
    (mine,) = [one for one in sent if one["document"] == document]
    assert [{key: cell["normal"] for key, cell in row.items()} for row in mine["tables"]["goods"]] == [
        {"item": "plank", "sum": "1200.50"},
        {"item": "nail"},
    ]


# ---- Personal values -------------------------------------------------------------------------------------------------


def test_personal_values_are_masked_for_who_may_not_see_them(trained: Office, run_jobs: Run) -> None:
    plan_fields.change_field(
        trained.store,
        trained.analyst,
        trained.type_id,
        "member",
        FieldInput(name="Member", data_type="text", printed_names=["Paid by"], personal=True),
    )
    document = live(trained, run_jobs)
    people.set_sees_personal(trained.store, trained.actors["admin"], trained.reviewer.id, sees=False)
    masked = people.actor_by_login(trained.store, "reviewer")
    for seen_by in (masked, None):  # who is not named sees nothing personal either
        (row,) = results.results(trained.store, trained.type_id, actor=seen_by).rows
        assert {value.normal for value in row.values["member"]} == {"•••"}
        assert "•••" in results.download(trained.store, trained.type_id, "csv", actor=seen_by).decode()
    assert row.values["amount"][0].normal != "•••"
    with pytest.raises(Forbidden, match="shows personal values"):
        review_desk.desk(trained.store, masked, document, look=True)
    sent = results.deliver(trained.store, trained.analyst, trained.type_id, "csv")
    with pytest.raises(Forbidden, match="holds personal values"):
        results.delivered_file(trained.store, masked, sent.id)
    with trained.store.session() as session:
        assert session.scalar(select(Audit.id).where(Audit.action == "mask personal values"))
