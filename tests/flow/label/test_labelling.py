"""The labelling desk's rules on a real database: places, double labelling, layouts, sets, past records, suspects."""

from __future__ import annotations

import json
from collections.abc import Callable

import pytest
from sqlalchemy import select
from tests.office import Office, span_of
from tests.papers import Slip, many_pages, slips, words_pdf

from jugum.core.evaluation.splits import Shares
from jugum.core.schema.plan_file import OptionFile
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow import in_force
from jugum.flow.gather import documents
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import (
    control_suggestions,
    double_labelling,
    layouts,
    marking_helps,
    next_paper,
    past_records,
    samples,
    sets,
    suspicious,
)
from jugum.flow.label import desk as label_desk
from jugum.flow.label import files as label_files
from jugum.flow.label import pace as label_pace
from jugum.flow.label.desk_parts import SpotInput, ValueInput, find_word, page_views
from jugum.flow.label.rows import CellInput, LabelMetadata, history, labels
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.train import training
from jugum.store.models import ControlSuggestion, Document, Label

Run = Callable[[], None]


def words(office: Office, document: int, number: int = 1) -> list[list[object]]:
    with office.store.session() as session:
        return page_views(session, document)[number - 1].words or []


def said(office: Office, document: int, key: str) -> str:
    found = next((label for label in labels(office.store, document) if label.field == key), None)
    return "nothing" if found is None else "absent" if found.absent else "; ".join(v.text for v in found.values)


def brought(office: Office, run_jobs: Run, count: int, *, looks_: int = 1, start: int = 0) -> list[tuple[int, Slip]]:
    its = [(office.bring(slip, layout=n % looks_), slip) for n, slip in enumerate(slips(count, start))]
    run_jobs()
    return its


# ---- Places ----------------------------------------------------------------------------------------------------------


def test_a_value_may_go_over_lines_and_pages_and_keeps_all_its_places(office: Office, run_jobs: Run) -> None:
    document = documents.receive(
        office.store, office.analyst, office.type_id, "two.pdf", many_pages(2), purpose="sample"
    ).document_id
    run_jobs()
    value = ValueInput(None, 1, (0, 1), None, (SpotInput(2, (0, 1, 2)),))
    label_desk.set_label(office.store, office.analyst, document, "member", [value])
    (found,) = labels(office.store, document)
    assert found.values[0].text == "Sheet number Sheet number 2"
    assert [page for page, _ in found.values[0].more_places] == [2]


def test_a_part_of_what_a_word_says_gets_a_part_of_its_box(office: Office, run_jobs: Run) -> None:
    document = documents.receive(
        office.store,
        office.analyst,
        office.type_id,
        "part.pdf",
        words_pdf("Card No.4711 of the club"),
        purpose="sample",
    ).document_id
    run_jobs()
    whole = words(office, document)[1]
    label_desk.set_label(office.store, office.analyst, document, "member", [ValueInput("4711", 1, (1,))])
    value = labels(office.store, document)[0].values[0]
    assert value.text == "4711"
    assert value.ocr_text == "No.4711"
    assert value.box is not None
    assert float(whole[1]) < value.box[0] < float(whole[3])  # type: ignore[arg-type]


def test_a_choice_in_other_words_is_what_the_file_or_the_program_says(office: Office, run_jobs: Run) -> None:
    interval = FieldInput(
        name="Interval", data_type="choice", options=[OptionFile(key="weekly"), OptionFile(key="monthly")]
    )
    plan_fields.add_field(office.store, office.analyst, office.type_id, interval)
    pdf = words_pdf("Paid per uke")
    document = documents.receive(
        office.store, office.analyst, office.type_id, "uke.pdf", pdf, purpose="sample"
    ).document_id
    run_jobs()

    def said() -> tuple[str, str, str, bool]:
        ((one, *_),) = [its.values for its in labels(office.store, document) if its.field == "interval"]
        return one.text, one.normal, one.ocr_text, one.box is not None

    label_desk.set_label(office.store, office.analyst, document, "interval", [ValueInput("uke", 1, (2,))])
    assert said() == ("uke", "", "uke", True)  # kept, and told as what can't be read
    label_desk.set_label(
        office.store, office.analyst, document, "interval", [ValueInput("uke", 1, (2,), normal="weekly")]
    )
    assert said() == ("weekly", "weekly", "uke", True)
    place = {"page": 1, "box": [0.1, 0.1, 0.2, 0.2]}
    value = {"text": "uke", "normal": "monthly", "places": [place]}
    line = json.dumps({"file": "uke.pdf", "labels": {"interval": {"values": [value]}}})
    label_files.take_in(office.store, office.analyst, office.type_id, line.encode(), "jsonl")
    assert said()[:2] == ("monthly", "monthly")
    data = label_files.written(office.store, office.type_id, "jsonl")
    label_files.take_in(office.store, office.analyst, office.type_id, data, "jsonl")
    assert said()[:2] == ("monthly", "monthly")


def test_what_a_person_types_is_kept_apart_from_what_was_read(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    span = span_of(words(office, document), slip.amount)
    label_desk.set_label(office.store, office.analyst, document, "amount", [ValueInput("7,00", 1, span)])
    value = labels(office.store, document)[0].values[0]
    assert (value.text, value.ocr_text) == ("7,00", slip.amount)


def test_the_words_of_long_papers_are_fetched_page_by_page_and_found_over_all(office: Office, run_jobs: Run) -> None:
    document = documents.receive(
        office.store, office.analyst, office.type_id, "long.pdf", many_pages(20), purpose="sample"
    ).document_id
    run_jobs()
    with office.store.session() as session:
        views = page_views(session, document)
    assert [view.words is not None for view in views] == [True] * 4 + [False] * 16
    assert find_word(office.store, document, "17", (0, -1)) == (17, 2)
    assert find_word(office.store, document, "sheet", (20, 0)) == (1, 0)
    assert find_word(office.store, document, "nowhere", (0, -1)) is None
    desk = label_desk.desk(office.store, office.analyst, document, LoadedVersions())
    assert desk.windows == [(1, 4), (5, 8), (9, 12), (13, 16), (17, 20)]


def test_history_tells_who_said_what_instead_of_what(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    label_desk.set_label(office.store, office.analyst, document, "amount", [ValueInput("1,00")])
    label_desk.set_label(office.store, office.actors["analyst2"], document, "amount", [ValueInput("2,00")])
    label_desk.set_label(office.store, office.analyst, document, "amount", [], absent=True)
    told = history(office.store, document, "amount")
    assert [(one.who, one.before, one.after) for one in told] == [
        ("Ann", "2,00", "not on this paper"),
        ("Bo", "1,00", "2,00"),
        ("Ann", "", "1,00"),
    ]
    assert slip.amount != "1,00"


def test_paragraphs_marks_and_close_reading_help_marking(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    explorer = Explorer()
    assert any(slip.member in paragraph.text for paragraph in marking_helps.paragraphs(office.store, document))
    assert marking_helps.page_marks(office.store, explorer, document, 1) == []
    spot = words(office, document)[span_of(words(office, document), slip.amount)[0]]
    box = (float(spot[1]) - 0.01, float(spot[2]) - 0.01, 0.99, float(spot[4]) + 0.01)  # type: ignore[arg-type]
    offered = marking_helps.read_region_for(office.store, explorer, office.analyst, document, "amount", 1, box)
    assert offered[0].normal
    assert offered[0].text.replace(" ", "") == slip.amount.replace(" ", "")


def test_rails_are_proposed_for_a_swept_table_only(office: Office, run_jobs: Run) -> None:
    plan_fields.add_field(
        office.store, office.analyst, office.type_id, FieldInput(name="Lines", data_type="text", kind="table")
    )
    for name, data_type, printed in (("Who", "name", "Name"), ("Sum", "money", "Total")):
        plan_fields.add_field(
            office.store,
            office.analyst,
            office.type_id,
            FieldInput(name=name, data_type=data_type, printed_names=[printed], inside="lines"),
        )
    document = office.bring(slips(1)[0], layout=2)
    run_jobs()
    grid = marking_helps.propose_rails(
        office.store, Explorer(), office.analyst, document, "lines", 1, (0, 0.1, 1, 0.22)
    )
    assert [key for key in grid.columns if key] == ["lines.who", "lines.sum"]
    with pytest.raises(InputError, match="There are no words"):
        marking_helps.propose_rails(office.store, Explorer(), office.analyst, document, "lines", 1, (0, 0.8, 1, 0.9))
    with pytest.raises(InputError, match="is not a table"):
        marking_helps.propose_rails(office.store, Explorer(), office.analyst, document, "amount", 1, (0, 0, 1, 1))
    rows = [{"lines.who": CellInput("Oddny", 1, (0.1, 0.1, 0.2, 0.2)), "lines.sum": CellInput("5,00")}, {}]
    label_desk.set_table(office.store, office.analyst, document, "lines", rows, method=LabelMetadata("marked", 4.0))
    (cell, _) = (label for label in labels(office.store, document))
    assert cell.values[0].text == "Oddny"


# ---- Suggestions -----------------------------------------------------------------------------------------------------


def test_one_labelled_paper_helps_its_same_layout_before_any_training(office: Office, run_jobs: Run) -> None:
    plan_fields.add_field(
        office.store,
        office.analyst,
        office.type_id,
        FieldInput(name="Where", data_type="text", printed_names=["nothing like it"], required=False),
    )
    its = brought(office, run_jobs, 3)
    layouts.group_new(office.store, office.type_id)
    layouts.layout_groups(office.store, office.type_id)
    first, slip = its[0]
    span = span_of(words(office, first), "B 14")
    label_desk.set_label(office.store, office.analyst, first, "where", [ValueInput(None, 1, span)])
    office.label_whole(first, slip)
    desk = label_desk.desk(office.store, office.analyst, its[1][0], LoadedVersions())
    where = next(field for field in desk.fields if field.key == "where")
    assert [value.text for value in where.suggestion] == ["B 14"]
    assert where.suggestion[0].origin == "same layout"
    assert not where.passes


def test_a_planted_suggestion_agreed_to_is_told_and_not_kept(trained: Office, run_jobs: Run) -> None:
    control_suggestions.set_labelling(trained.store, trained.analyst, trained.type_id, plant=10)
    its = brought(trained, run_jobs, 6, start=40)
    shown = {
        document: label_desk.desk(trained.store, trained.analyst, document, LoadedVersions()) for document, _ in its
    }
    with trained.store.session() as session:
        rows = session.execute(
            select(ControlSuggestion.document_id, ControlSuggestion.field_id, ControlSuggestion.text)
        ).all()
        keys = {row.field_id: session.get_one(plan_fields.Field, row.field_id).key for row in rows}
    assert rows  # the same ones on every run: which are planted is settled by paper, field and person
    document, key, text = rows[0].document_id, keys[rows[0].field_id], rows[0].text
    field = next(planned for planned in shown[document].fields if planned.key == key)
    planted = field.suggestion[0]
    given = ValueInput(planted.text, planted.page, (), tuple(planted.box or ()))  # type: ignore[arg-type]
    told = label_desk.set_label(trained.store, trained.analyst, document, key, [given], method="agreed")
    assert text in told.plant
    assert said(trained, document, key) == "nothing"
    right = next(slip.truth for number, slip in its if number == document)
    assert not label_desk.set_label(trained.store, trained.analyst, document, key, [ValueInput(right[key])]).plant
    counted = control_suggestions.figures(trained.store, trained.type_id)
    assert (counted.answered, counted.caught) == (1, 0)
    with pytest.raises(InputError, match="per hundred"):
        control_suggestions.set_labelling(trained.store, trained.analyst, trained.type_id, plant=50)


# ---- Next paper, layouts, sets ---------------------------------------------------------------------------------------


def test_the_next_paper_is_of_the_layout_nobody_labelled_and_the_reason_is_said(office: Office, run_jobs: Run) -> None:
    its = brought(office, run_jobs, 6, looks_=2)
    layouts.group_new(office.store, office.type_id)
    found = layouts.layout_groups(office.store, office.type_id)
    assert [(one.papers, one.labelled) for one in found] == [(3, 0), (3, 0)]
    office.label_whole(*its[0])
    office.label_whole(*its[2])
    layouts.rename(office.store, office.analyst, found[1].id, "fee note")
    paper, why = next_paper.first_to_label(office.store, office.type_id, office.analyst.id)
    assert paper == its[1][0]
    assert why == "no paper of fee note is labelled; 2 more wait"
    control_suggestions.set_labelling(office.store, office.analyst, office.type_id, order="in order")
    assert label_desk.desk(office.store, office.analyst, its[3][0], LoadedVersions()).next == its[4][0]
    with pytest.raises(InputError, match="not an order"):
        control_suggestions.set_labelling(office.store, office.analyst, office.type_id, order="by name")


def test_layouts_are_named_merged_and_split(office: Office, run_jobs: Run) -> None:
    its = brought(office, run_jobs, 4, looks_=2)
    layouts.group_new(office.store, office.type_id)
    first, second = layouts.layout_groups(office.store, office.type_id)
    with pytest.raises(Conflict, match="merge the two"):
        layouts.rename(office.store, office.analyst, first.id, second.name)
    with pytest.raises(InputError, match="two layouts"):
        layouts.merge(office.store, office.analyst, [first.id])
    layouts.merge(office.store, office.analyst, [first.id, second.id])
    layouts.group_new(office.store, office.type_id)
    (only,) = layouts.layout_groups(office.store, office.type_id)
    assert only.papers == 4
    made = layouts.split(office.store, office.analyst, [its[3][0]], "odd one")
    assert [paper.id for paper in layouts.papers_of(office.store, made)] == [its[3][0]]
    with pytest.raises(NotFound):
        layouts.rename(office.store, office.analyst, 9_999, "x")


def test_papers_kept_for_testing_never_come_into_training(office: Office, run_jobs: Run) -> None:
    its = brought(office, run_jobs, 8, looks_=2)
    for document, slip in its:
        office.label_whole(document, slip)
    sets.split(office.store, office.analyst, office.type_id, Shares(0.25, 0.25), apart=False, seed=5)
    by_name = {one.name: one for one in sets.sets(office.store, office.type_id)}
    assert [by_name[name].papers for name in ("train", "test", "spare")] == [4, 2, 2]
    with office.store.session() as session:
        mine = {document.id: document.set_name for document in session.scalars(select(Document))}
        used = {int(sample.key) for sample in samples.training_samples(session, office.type_id)}
        tested = {int(sample.key) for sample in samples.training_samples(session, office.type_id, "test")}
    assert used == {number for number, name in mine.items() if name == "train"}
    assert tested == {number for number, name in mine.items() if name == "test"}
    version = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    with office.store.session() as session:
        row = in_force.version_row(session, version)
        assert {int(key) for key in row.snapshot["papers"]} == used
        assert {int(one["sample"]) for one in row.evidence} <= used


def test_whole_layouts_are_kept_apart_when_asked(office: Office, run_jobs: Run) -> None:
    its = brought(office, run_jobs, 6, looks_=2)
    dealt = sets.split(office.store, office.analyst, office.type_id, Shares(0.5), apart=True, seed=1)
    assert [(one.papers, one.own_layouts) for one in dealt[:2]] == [(3, 1), (3, 1)]
    sets.put(office.store, office.analyst, [its[0][0]], "spare")
    assert sets.sets(office.store, office.type_id)[2].papers == 1
    with pytest.raises(InputError, match="is not a set"):
        sets.put(office.store, office.analyst, [its[0][0]], "other")


# ---- Two labellers ---------------------------------------------------------------------------------------------------


def test_two_label_apart_what_they_agree_on_becomes_labels_and_the_rest_is_settled(
    office: Office, run_jobs: Run
) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    ann, bo = office.analyst, office.actors["analyst2"]
    assert double_labelling.give(office.store, ann, office.type_id, 5, (ann.id, bo.id)) == [document]
    with pytest.raises(Conflict, match="given to"):
        label_desk.set_label(office.store, office.actors["admin"], document, "amount", [ValueInput("1")])
    for actor, amount in ((ann, slip.amount), (bo, "9,99")):
        for key, text in {**slip.truth, "amount": amount}.items():
            label_desk.set_label(office.store, actor, document, key, [ValueInput(text)])
        desk = label_desk.desk(office.store, actor, document, LoadedVersions())
        assert desk.blind
        assert next(f for f in desk.fields if f.key == "amount").values[0].text == amount
        assert said(office, document, "amount") == "nothing"
        label_desk.done(office.store, actor, document)
    assert said(office, document, "member") == slip.member
    view = double_labelling.overview(office.store, office.type_id)
    (dispute,) = view.disputes
    assert {answer.text for answer in dispute.answers} == {slip.amount, "9,99"}
    figures = {field.key: field.figures for field in view.fields}
    assert (figures["member"].same, figures["amount"].same) == (1, 0)
    double_labelling.settle(office.store, office.actors["admin"], document, "amount", ann.id)
    assert documents.document_view(office.store, document).state == "labelled"
    assert said(office, document, "amount") == slip.amount
    with pytest.raises(Conflict, match="no different answers"):
        double_labelling.settle(office.store, ann, document, "amount", bo.id)


def test_papers_are_given_to_two_different_people_who_label(office: Office, run_jobs: Run) -> None:
    brought(office, run_jobs, 1)
    ann, rik = office.analyst, office.reviewer
    for people, why in (((ann.id, ann.id), "two different"), ((ann.id, rik.id), "reviewers don't label")):
        with pytest.raises(InputError, match=why):
            double_labelling.give(office.store, ann, office.type_id, 1, people)


# ---- Past records ----------------------------------------------------------------------------------------------------


def test_a_keyed_value_in_two_places_waits_for_one_key(office: Office, run_jobs: Run) -> None:
    plan_fields.add_field(
        office.store,
        office.analyst,
        office.type_id,
        FieldInput(name="Charge", data_type="money", printed_names=["no such words"], required=False),
    )
    pdf = words_pdf("Mooring 9,00", "Upkeep 9,00", "Paid by Tor Vik")
    document = documents.receive(
        office.store, office.analyst, office.type_id, "nine.pdf", pdf, purpose="sample"
    ).document_id
    run_jobs()
    data = b'file,type,field,value\nnine.pdf,,charge,"9,00"\nnine.pdf,,member,Tor Vik\n'
    report = past_records.import_records(office.store, office.analyst, office.type_id, data)
    assert (report.placed, report.ambiguous, report.not_found) == (1, 1, 0)
    view = past_records.overview(office.store, office.type_id)
    (waiting,) = view.to_choose
    assert len(waiting.places) == 2
    assert labels(office.store, document)[-1].values[0].box is None
    past_records.choose(office.store, office.analyst, waiting.id, 1)
    assert labels(office.store, document)[-1].values[0].box == waiting.places[1].box
    assert past_records.overview(office.store, office.type_id).counts == {"found": 1, "chosen": 1}
    with pytest.raises(InputError, match="places to choose"):
        past_records.choose(office.store, office.analyst, waiting.id, 7)


def test_a_past_record_of_a_dash_says_that_there_is_no_amount(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    name = f"slip-{slip.member}-0.pdf".replace(" ", "-")
    data = f"file,type,field,value\n{name},,amount,n/a\n".encode()
    past_records.import_records(office.store, office.analyst, office.type_id, data)
    assert said(office, document, "amount") == "absent"


def test_records_name_their_papers_with_folders_too_but_each_once(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    name = f"slip-{slip.member}-0.pdf".replace(" ", "-")
    data = f"file,type,field,value\nmarch\\{name},,member,{slip.member}\napril/{name},,member,Tor Vik\n".encode()
    report = past_records.import_records(office.store, office.analyst, office.type_id, data)
    assert report.unknown == [f"file “april/{name}”: “{name}” is another file of these records"]
    assert said(office, document, "member") == slip.member


# ---- Suspects, figures, files ----------------------------------------------------------------------------------------


def test_suspicious_labels_are_listed_until_kept_or_mended(trained: Office) -> None:
    with trained.store.session() as session:
        document, other = session.scalars(select(Document.id).order_by(Document.id).limit(2)).all()
        right = session.scalar(
            select(Label.text)
            .join(plan_fields.Field)
            .where(Label.document_id == document, plan_fields.Field.key == "amount")
        )
    span = span_of(words(trained, document), str(right))
    label_desk.set_label(trained.store, trained.analyst, document, "amount", [ValueInput("1,11", 1, span)])
    label_desk.set_label(trained.store, trained.analyst, other, "paid_on", [ValueInput("some day")])
    found = {
        (suspect.document, suspect.field): suspect for suspect in suspicious.suspects(trained.store, trained.type_id)
    }
    assert found[document, "amount"].reason == "box and value differ"
    assert found[other, "paid_on"].reason == "can't be read as its data type"
    suspicious.keep(trained.store, trained.analyst, other, "paid_on", "can't be read as its data type")
    suspicious.mend(trained.store, trained.analyst, document, "amount", found[document, "amount"].instead)
    assert suspicious.suspects(trained.store, trained.type_id) == []
    assert said(trained, document, "amount") == right


def test_a_label_the_model_is_surely_against_is_suspicious(trained: Office, run_jobs: Run) -> None:
    with trained.store.session() as session:
        document = session.scalars(select(Document.id).order_by(Document.id)).first()
    assert document is not None
    at = next(n for n, word in enumerate(words(trained, document)) if word[0] == "50,00")  # the deposit
    label_desk.set_label(trained.store, trained.analyst, document, "amount", [ValueInput(None, 1, (at,))])
    training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    against = [
        suspect
        for suspect in suspicious.suspects(trained.store, trained.type_id)
        if suspect.reason == "the model disagrees"
    ]
    assert [(one.document, one.field) for one in against] == [(document, "amount")]


def test_figures_count_ways_and_seconds(office: Office, run_jobs: Run) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    for key, method, seconds in (("member", "marked", 4.0), ("paid_on", "agreed", 1.0), ("amount", "typed", 6.0)):
        way = LabelMetadata(method, seconds, corrected=method == "typed")
        label_desk.set_label(office.store, office.analyst, document, key, [ValueInput(slip.truth[key])], method=way)
    found = label_pace.figures(office.store, office.type_id)
    assert (found.hand_seconds, found.agreed_seconds) == (5.0, 1.0)
    assert (found.agreed, found.suggested) == (1, 2)
    assert found.ways == {"marked": 1, "agreed": 1, "typed": 1}


@pytest.mark.parametrize("kind", ["jsonl", "annotations"])
def test_labels_go_out_and_come_back(office: Office, run_jobs: Run, kind: str) -> None:
    ((document, slip),) = brought(office, run_jobs, 1)
    office.label_whole(document, slip)
    before = labels(office.store, document)
    data = label_files.written(office.store, office.type_id, kind)
    for label in before:
        label_desk.set_label(office.store, office.analyst, document, label.field, [])
    taken = label_files.take_in(office.store, office.analyst, office.type_id, data, kind)
    assert (taken.papers, taken.values, taken.unknown) == (1, 3, [])
    after = labels(office.store, document)
    assert [(one.field, one.values[0].text) for one in after] == [(one.field, one.values[0].text) for one in before]
    assert after[0].values[0].box == pytest.approx(before[0].values[0].box, abs=2e-5)
    with pytest.raises(InputError, match="not a format"):
        label_files.written(office.store, office.type_id, "xml")


def test_a_labels_file_for_papers_that_are_not_here_changes_nothing(office: Office) -> None:
    line = json.dumps({"file": "gone.pdf", "labels": {}})
    taken = label_files.take_in(office.store, office.analyst, office.type_id, line.encode(), "jsonl")
    assert taken.papers == 0
    assert "no sample with these bytes" in taken.unknown[0]


def test_words_of_another_reader_come_in_as_alto(office: Office, run_jobs: Run) -> None:
    ((document, _),) = brought(office, run_jobs, 1)
    alto = (
        '<alto><Page WIDTH="100" HEIGHT="100">'
        '<String CONTENT="Other" HPOS="10" VPOS="10" WIDTH="20" HEIGHT="5"/></Page></alto>'
    )
    assert label_files.take_words(office.store, office.analyst, document, alto.encode()) == 1
    assert words(office, document)[0][0] == "Other"
    two = b'<alto><Page WIDTH="9" HEIGHT="9"/><Page WIDTH="9" HEIGHT="9"/></alto>'
    with pytest.raises(Conflict, match="2 pages"):
        label_files.take_words(office.store, office.analyst, document, two)
