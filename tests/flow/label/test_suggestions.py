"""Suggestions of long papers, part by part, and of tables under the heads that labels have shown."""

from __future__ import annotations

import io
from collections.abc import Callable

import pytest
from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas
from tests.office import Office
from tests.papers import slips

from jugum.errors import InputError
from jugum.flow.gather import documents
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import desk as label_desk
from jugum.flow.label import layouts
from jugum.flow.label.desk_parts import page_views
from jugum.flow.label.rows import CellInput
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput

Run = Callable[[], None]


def test_suggestions_of_a_long_paper_come_part_by_part(office: Office, run_jobs: Run) -> None:
    slip = slips(1)[0]
    document = office.bring_long(slip)
    run_jobs()

    def found(first: int, last: int) -> list[tuple[int | None, str]]:
        fields = label_desk.late_suggestions(
            office.store, office.analyst, document, (first, last), LoadedVersions(), Explorer()
        )
        return [(one.page, one.text) for field in fields if field.key == "amount" for one in field.suggestion]

    assert (13, 16) in label_desk.desk(office.store, office.analyst, document, LoadedVersions()).windows
    assert found(13, 16) == [(15, slip.amount)]
    assert found(1, 4) == found(17, 20) == []
    assert found(11, 14) == []  # it begins behind: the next part's
    with pytest.raises(InputError, match="1 to 12 pages at a time"):
        found(1, 20)


def stores_list(*rows: tuple[str, str]) -> bytes:
    """A list under heads that no plan names."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    lines = [("Harbour stores", ""), ("", ""), ("Ware", "Kroner"), *rows]
    for number, (left, right) in enumerate(lines):
        canvas.drawString(40, 540 - 20 * number, left)
        canvas.drawString(260, 540 - 20 * number, right)
    canvas.save()
    return buffer.getvalue()


def test_a_table_labelled_once_is_found_under_its_heads_on_the_next_paper(office: Office, run_jobs: Run) -> None:
    for given in (
        FieldInput(name="Goods", kind="table"),
        FieldInput(name="What", inside="goods"),
        FieldInput(name="Price", data_type="money", inside="goods"),
    ):
        plan_fields.add_field(office.store, office.analyst, office.type_id, given)
    papers = (stores_list(("rope", "12,00"), ("tar", "7,50")), stores_list(("nails", "3,00"), ("pitch", "9,00")))
    first, second = (
        documents.receive(
            office.store, office.analyst, office.type_id, f"list-{n}.pdf", data, purpose="sample"
        ).document_id
        for n, data in enumerate(papers)
    )
    run_jobs()
    layouts.group_new(office.store, office.type_id)

    def suggested() -> list[list[str]]:
        desk = label_desk.desk(office.store, office.analyst, second, LoadedVersions())
        rows = next(field.suggested_rows for field in desk.fields if field.key == "goods")
        return [[cell.text if cell else "" for cell in row] for row in rows]

    assert suggested() == []
    with office.store.session() as session:
        first_page = page_views(session, first)[0].words or []
    at = {str(word[0]): tuple(word[1:5]) for word in first_page}
    rows = [
        {"goods.what": CellInput(what, 1, at[what]), "goods.price": CellInput(price, 1, at[price])}  # type: ignore[arg-type]
        for what, price in (("rope", "12,00"), ("tar", "7,50"))
    ]
    label_desk.set_table(office.store, office.analyst, first, "goods", rows)
    for key in ("member", "paid_on", "amount"):
        label_desk.set_label(office.store, office.analyst, first, key, [], absent=True)
    label_desk.done(office.store, office.analyst, first)
    assert suggested() == [["nails", "3,00"], ["pitch", "9,00"]]
