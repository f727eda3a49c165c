"""A field that is removed takes what was said of it with it, and brings it back."""

from __future__ import annotations

from collections.abc import Callable

from sqlalchemy import delete, func, select
from tests.flow.review.test_settle import live, settle
from tests.flow.review.test_whole import half_held
from tests.office import Office
from tests.papers import slips

from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.label import desk as label_desk
from jugum.flow.label import rows as label_rows
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.office.personal import personal_keys
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import history as plan_history
from jugum.flow.plan import removed
from jugum.flow.plan.fields import FieldInput
from jugum.store.models import Base, Document, Field, RemovedField, RemovedRow
from jugum.store.scope import EVERYTHING

Run = Callable[[], None]


def remove(office: Office, key: str) -> int:
    """Remove a field, whatever its labels; the number of the plan that had it."""
    number = plan_fields.whole(office.store, office.type_id).number
    plan_fields.remove_field(office.store, office.analyst, office.type_id, key, labels_known=99)
    return number


def go_back(office: Office, number: int) -> str:
    """Back to a plan; what its last version says of it."""
    plan_history.go_back(office.store, office.analyst, office.type_id, number)
    return plan_history.plan_versions(office.store, office.type_id)[0].said


def kept_rows(office: Office) -> int:
    with office.store.session() as session:
        return session.scalar(select(func.count(RemovedRow.id))) or 0


def state_of(office: Office, document: int) -> str:
    return documents.document_view(office.store, document).state


def test_every_table_that_names_a_field_is_kept() -> None:
    naming = {table.name for table in Base.metadata.tables.values() if "field_id" in table.columns}
    assert {table.__tablename__ for table in removed.TABLES} == naming


def test_labels_come_back_with_their_field(office: Office, run_jobs: Run) -> None:
    columns = [FieldInput(name="Item"), FieldInput(name="Sum", data_type="money")]
    goods = FieldInput(name="Goods", kind="table")
    plan_fields.add_field(office.store, office.analyst, office.type_id, goods, columns=columns)
    papers = [office.bring(slip) for slip in slips(3)]
    run_jobs()
    for paper, slip in zip(papers, slips(3), strict=True):
        label_desk.set_label(office.store, office.analyst, paper, "amount", [ValueInput(slip.amount)])
    label_desk.set_label(office.store, office.analyst, papers[0], "member", [], absent=True)
    row = {"goods.item": CellInput("Rope"), "goods.sum": CellInput("12,00")}
    label_desk.set_table(office.store, office.analyst, papers[0], "goods", [row])
    before = [label_rows.labels(office.store, paper) for paper in papers]
    plan = plan_fields.whole(office.store, office.type_id)
    for key in ("amount", "member", "goods"):
        remove(office, key)
    assert all(not label_rows.labels(office.store, paper) for paper in papers)
    assert "came back" in go_back(office, plan.number)
    assert [label_rows.labels(office.store, paper) for paper in papers] == before
    assert plan_fields.whole(office.store, office.type_id).fields == plan.fields  # with the same ids and counts
    assert kept_rows(office) == 0


def test_a_field_that_is_added_again_has_its_labels_read_as_it_is_now(office: Office, run_jobs: Run) -> None:
    paper = office.bring(slips(1)[0])
    run_jobs()
    label_desk.set_label(office.store, office.analyst, paper, "member", [ValueInput("03.04.2026")])
    remove(office, "member")
    again = FieldInput(name="Member", data_type="date")
    assert plan_fields.add_field(office.store, office.analyst, office.type_id, again).labels == 1
    assert label_rows.labels(office.store, paper)[0].values[0].normal == "2026-04-03"
    remove(office, "member")
    other = FieldInput(name="Member", kind="clause")
    assert plan_fields.add_field(office.store, office.analyst, office.type_id, other).labels == 0
    assert kept_rows(office) == 1


def test_a_paper_that_waits_for_the_removed_field_alone_is_settled_and_waits_again(
    trained: Office, run_jobs: Run
) -> None:
    both = live(trained, run_jobs)
    settle(trained, both, "member", "Oddny Strand")  # begun: another policy leaves it as it is
    alone = half_held(trained, run_jobs, 42)
    effects = plan_history.effects(trained.store, trained.type_id, "amount", None)
    assert effects.words[-1] == "1 paper in review waits for it alone and will count as settled."
    number = remove(trained, "amount")
    assert [state_of(trained, paper) for paper in (alone, both)] == ["settled", "held"]
    go_back(trained, number)
    assert [state_of(trained, paper) for paper in (alone, both)] == ["held", "held"]
    assert settle(trained, alone, "amount", "12,00").state == "settled"


def test_results_of_delivered_papers_come_back(trained: Office, run_jobs: Run) -> None:
    paper = half_held(trained, run_jobs)
    settle(trained, paper, "amount", "12,00")
    results.deliver(trained.store, trained.analyst, trained.type_id, "json")
    number = remove(trained, "amount")

    def found() -> set[str]:
        return set(results.results(trained.store, trained.type_id, actor=trained.analyst).rows[0].values)

    assert found() == {"member", "paid_on"}
    go_back(trained, number)
    assert found() == {"member", "paid_on", "amount"}
    assert state_of(trained, paper) == "delivered"


def test_what_a_paper_said_goes_with_the_paper(office: Office, run_jobs: Run) -> None:
    gone, left = (office.bring(slip) for slip in slips(2))
    run_jobs()
    for paper in (gone, left):
        label_desk.set_label(office.store, office.analyst, paper, "amount", [ValueInput("1,00")])
    number = remove(office, "amount")
    assert kept_rows(office) == 2
    with office.store.session() as session:
        session.execute(delete(Document).where(Document.id == gone))
    go_back(office, number)
    assert [bool(label_rows.labels(office.store, paper)) for paper in (left,)] == [True]
    assert kept_rows(office) == 0


def test_a_paper_that_is_of_another_type_by_then_keeps_its_rows_put_away(office: Office, run_jobs: Run) -> None:
    paper = office.bring(slips(1)[0])
    run_jobs()
    label_desk.set_label(office.store, office.analyst, paper, "amount", [ValueInput("1,00")])
    number = remove(office, "amount")
    other = plan_history.copy_type(office.store, office.analyst, office.type_id, "Other slip")
    with office.store.session() as session:
        session.get_one(Document, paper).type_id = other
    go_back(office, number)
    assert label_rows.labels(office.store, paper) == []
    assert kept_rows(office) == 1


def test_a_removed_personal_field_stays_hidden_until_it_is_there_again(office: Office) -> None:
    given = FieldInput(name="Member", personal=True)
    plan_fields.change_field(office.store, office.analyst, office.type_id, "member", given)
    number = remove(office, "member")
    assert personal_keys(office.store, EVERYTHING) == {"member"}
    go_back(office, number)
    given = FieldInput(name="Member", personal=False)
    plan_fields.change_field(office.store, office.analyst, office.type_id, "member", given)
    assert personal_keys(office.store, EVERYTHING) == frozenset()


def test_rows_put_away_before_a_table_got_a_column_come_back(office: Office, run_jobs: Run) -> None:
    paper = office.bring(slips(1)[0])
    run_jobs()
    label_desk.set_label(office.store, office.analyst, paper, "amount", [ValueInput("1,00")])
    number = remove(office, "amount")
    with office.store.session() as session:
        row = session.scalars(select(RemovedRow)).one()
        row.data = {name: value for name, value in row.data.items() if name != "created_at"} | {"gone_column": 1}
        field = session.scalars(select(RemovedField)).one()
        assert session.scalar(select(Field.id).where(Field.id == field.data["id"])) is None
    go_back(office, number)
    assert label_rows.labels(office.store, paper)[0].values[0].text == "1,00"
