"""Day and month as a paper's own dates tell them, at the desk, in answers and in records keyed in the past."""

from __future__ import annotations

from collections.abc import Callable

from tests.flow.label.test_labelling import said, words
from tests.office import Office, span_of
from tests.papers import words_pdf

from jugum.flow.gather import documents
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import desk as label_desk
from jugum.flow.label import past_records
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import labels
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.store.models import Document

Run = Callable[[], None]


def test_day_and_month_stand_as_a_paper_s_own_dates_tell_at_the_desk_and_in_answers(
    trained: Office, run_jobs: Run
) -> None:
    """The office's papers are day first; one of a strange house is not, and tells it by another date. What the desk
    offers is what it keeps."""

    def received(number: int, *lines: str) -> int:
        made = words_pdf(*lines, "Total 1,00", "Paid by Per Holm")
        name = f"{number}.pdf"
        got = documents.receive(trained.store, trained.analyst, trained.type_id, name, made, purpose="sample")
        return got.document_id

    ours = received(1, "Date 03/04/2026", "Printed 28/04/2026")
    theirs = received(2, "Date 03/04/2026", "Printed 04/28/2026")
    silent = received(3, "Date 03/04/2026")
    both = received(4, "Date 03/04/2026", "Printed 04/28/2026", "Copied 28/04/2026")
    run_jobs()
    day, month = "2026-04-03", "2026-03-04"
    versions = LoadedVersions()
    for document, normal in ((ours, day), (theirs, month), (silent, day), (both, day)):
        fields = label_desk.desk(trained.store, trained.analyst, document, versions).fields
        offered = next(field for field in fields if field.key == "paid_on").suggestion
        assert [(value.text, value.normal) for value in offered] == [("03/04/2026", normal)]
        place = ValueInput("03/04/2026", 1, span_of(words(trained, document), "03/04/2026"))
        label_desk.set_label(trained.store, trained.analyst, document, "paid_on", [place])
        assert normal_said(trained, document) == normal
    with trained.store.session() as session:
        kept = [session.get_one(Document, document).month_first for document in (ours, theirs, silent, both)]
    assert kept == [False, True, None, None]


def test_records_keyed_in_the_office_s_order_are_found_on_a_paper_of_another(office: Office, run_jobs: Run) -> None:
    """What an office keys as 03/04/2026 is the third of April, though the paper prints it as 04/03/2026."""
    theirs = words_pdf("Date 04/03/2026", "Printed 04/28/2026", "Total 1,00", "Paid by Per Holm")
    ours = words_pdf("Date 13/04/2026", "Total 1,00")
    strange, usual = (
        documents.receive(office.store, office.analyst, office.type_id, name, data, purpose="sample").document_id
        for name, data in (("us.pdf", theirs), ("ours.pdf", ours))
    )
    run_jobs()
    rows = ("us.pdf,,paid_on,03/04/2026", "ours.pdf,,paid_on,13/04/2026", "us.pdf,,member,Per Holm")
    data = "\n".join(("file,type,field,value", *rows)).encode()
    report = past_records.import_records(office.store, office.analyst, office.type_id, data)
    assert (report.placed, report.not_found) == (3, 0)
    assert said(office, strange, "paid_on") == "04/03/2026"  # as it is printed
    assert normal_said(office, strange) == "2026-04-03"
    assert normal_said(office, usual) == "2026-04-13"


def normal_said(office: Office, document: int) -> str:
    (mine,) = next(its for its in labels(office.store, document) if its.field == "paid_on").values
    return mine.normal or ""


def test_the_order_that_a_person_said_goes_before_what_a_paper_tells(office: Office, run_jobs: Run) -> None:
    made = words_pdf("Date 03/04/2026", "Printed 04/28/2026", "Total 1,00", "Paid by Per Holm")
    got = documents.receive(office.store, office.analyst, office.type_id, "us.pdf", made, purpose="sample")
    run_jobs()
    label_desk.set_label(office.store, office.analyst, got.document_id, "paid_on", [ValueInput("03/04/2026")])
    assert normal_said(office, got.document_id) == "2026-03-04"
    for order, normal in ((False, "2026-04-03"), (None, "2026-03-04")):
        asked = FieldInput(name="Date", data_type="date", month_first=order)
        plan_fields.change_field(office.store, office.analyst, office.type_id, "paid_on", asked)
        assert normal_said(office, got.document_id) == normal
