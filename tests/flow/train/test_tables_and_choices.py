"""Tables and choices that labels teach, from the labelling desk to the reviewing desk."""

from __future__ import annotations

from collections.abc import Callable

from tests.office import Office, span_of
from tests.papers import Slip, slips, words_pdf

from jugum.core.schema.plan_file import OptionFile
from jugum.flow.gather import documents
from jugum.flow.label import desk as label_desk
from jugum.flow.label import samples
from jugum.flow.label.desk_parts import ValueInput, page_views
from jugum.flow.label.rows import CellInput
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import desk as review_desk
from jugum.flow.review.settle import settle
from jugum.flow.train import training, versions
from jugum.flow.weigh import weighing

Run = Callable[[], None]


def test_a_choice_in_other_words_is_read_as_its_option_and_agreed_to(office: Office, run_jobs: Run) -> None:
    """“uke” says weekly, which the plan does not know and labels tell."""
    options = [OptionFile(key="weekly"), OptionFile(key="monthly")]
    interval = FieldInput(name="Interval", data_type="choice", printed_names=["Paid per"], options=options)
    plan_fields.add_field(office.store, office.analyst, office.type_id, interval)
    words = ("uke", "mnd")

    def bring(number: int, slip: Slip, purpose: str) -> int:
        lines = f"Paid by {slip.member}", f"Paid per {words[number % 2]}", f"Date {slip.day}", f"Total {slip.amount}"
        return documents.receive(
            office.store, office.analyst, office.type_id, f"{number}.pdf", words_pdf(*lines), purpose=purpose
        ).document_id

    brought = [(bring(number, slip, "sample"), slip) for number, slip in enumerate(slips(8))]
    run_jobs()
    for number, (document, slip) in enumerate(brought):
        with office.store.session() as session:
            page = page_views(session, document)[0].words
        said = [(key, ValueInput(None, 1, span_of(page, text))) for key, text in slip.truth.items()]
        meant = ValueInput(None, 1, span_of(page, words[number % 2]), normal=options[number % 2].key)
        for key, value in [*said, ("interval", meant)]:
            label_desk.set_label(office.store, office.analyst, document, key, [value])
        label_desk.done(office.store, office.analyst, document)
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    versions.publish(office.store, office.analyst, version)
    live = bring(8, slips(1, start=40)[0], "live")
    run_jobs()
    (field,) = [one for one in review_desk.desk(office.store, office.reviewer, live).fields if one.key == "interval"]
    assert field.hold
    (value,) = field.values
    assert (value.text, value.normal) == ("weekly", "weekly")
    settle(office.store, office.reviewer, live, "interval", [ValueInput(value.text, value.page, (), value.box)])
    (field,) = [one for one in review_desk.desk(office.store, office.reviewer, live).fields if one.key == "interval"]
    assert field.settled


def test_a_labelled_table_is_measured_and_passes_by_its_threshold(office: Office, run_jobs: Run) -> None:
    """Slips have lines of member, date and total side by side: their labels as a table of two columns."""
    table = plan_fields.FieldInput(name="Goods", kind="table", required=False)
    columns = [
        plan_fields.FieldInput(name="Item"),
        plan_fields.FieldInput(name="Sum", data_type="money", printed_names=["Sum"]),
    ]
    plan_fields.add_field(office.store, office.analyst, office.type_id, table, columns=columns)
    for number, slip in enumerate(slips(6)):
        document = office.bring(slip, layout=number % 2)
        run_jobs()
        with office.store.session() as session:
            words = page_views(session, document)[0].words
        for key, text in slip.truth.items():
            label_desk.set_label(
                office.store, office.analyst, document, key, [ValueInput(None, 1, span_of(words, text))]
            )
        label_desk.set_table(
            office.store,
            office.analyst,
            document,
            "goods",
            [{"goods.item": CellInput("rope"), "sum": CellInput("12,00")}, {"goods.item": CellInput("oar")}],
        )
        label_desk.done(office.store, office.analyst, document)
    with office.store.session() as session:
        sample = samples.training_samples(session, office.type_id)[0]
    assert [label.text for label in sample.labels["goods.sum"]] == ["12,00", ""]  # an empty cell keeps its row
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    report = versions.version_view(office.store, version).report
    (goods,) = [field for field in report.fields if field.field == "goods"]
    # No such table stands on a slip.
    assert (goods.kind, goods.labels, goods.seen_right, goods.seen_total) == ("table", 6, 0, 6)
    assert goods.cells.seen.cells.there == 18
    coverage = {one.key: (one.values, one.absent) for one in versions.overview(office.store, office.type_id).coverage}
    assert coverage["goods"] == (6, 0)
    versions.publish(office.store, office.analyst, version)
    assert "goods" in {field.key for field in weighing.weigh(office.store, office.type_id).fields}
