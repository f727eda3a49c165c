"""The rest of the demo's Label: layouts with names, a test set, papers for double labelling."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import select

from jugum.core.evaluation.splits import Shares
from jugum.core.extraction.found import Finding
from jugum.core.schema import FieldKind, Plan
from jugum.core.states import DocumentState, Method, Purpose
from jugum.demo.parts import Rows
from jugum.demo.stubs import EMPLOYERS
from jugum.flow.gather import documents
from jugum.flow.gather.explore import Explorer, load_paper
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import desk as label_desk
from jugum.flow.label import double_labelling, layouts, sets
from jugum.flow.label.desk_parts import Sides, ValueInput, ValueView
from jugum.flow.label.rows import CellInput
from jugum.flow.office.actor import Actor
from jugum.flow.plan.fields import plan_in
from jugum.flow.plan.sample import findings
from jugum.store import Store
from jugum.store.models import Document

TESTED = 0.15
GIVEN = 3
SLIPS = 2


def prepare(store: Store, actor: Actor, type_id: int, employers: dict[str, int]) -> None:
    """Name the looks after their employers (`employers`: file name → which), and keep some samples for testing."""
    layouts.group_new(store, type_id)
    for layout in layouts.layout_groups(store, type_id):
        known = [employers[paper.name] for paper in layouts.papers_of(store, layout.id) if paper.name in employers]
        if known:
            layouts.rename(store, actor, layout.id, EMPLOYERS[max(set(known), key=known.count)])
    sets.split(store, actor, type_id, Shares(TESTED), apart=False, seed=7)


def label_apart(store: Store, type_id: int, people: tuple[Actor, Actor]) -> None:
    """Two people label a few samples apart from suggestions; the second reads one value of each paper otherwise."""
    versions = LoadedVersions()
    for document in double_labelling.give(store, people[0], type_id, GIVEN, (people[0].id, people[1].id)):
        for person in people:
            _label(store, person, document, versions, slip=person is people[1])


def slips(store: Store, actor: Actor, type_id: int) -> None:
    """Slips of the hand that labelling knows: two digits changed over in a value that was read rightly."""
    done = [
        paper.id
        for paper in documents.documents(
            store, type_id, purpose=Purpose.SAMPLE, state=DocumentState.LABELLED, limit=SLIPS
        )
    ]
    for document, key in zip(done, ("net_pay", "gross_pay"), strict=False):
        (field,) = (label for label in label_desk.labels(store, document) if label.field == key)
        value = field.values[0]
        text = value.text[:-2] + value.text[:-3:-1]
        given = ValueInput(text, value.page, (), _sides(value))
        label_desk.set_label(store, actor, document, key, [given], method=Method.MARKED)


def _label(store: Store, person: Actor, document: int, versions: LoadedVersions, *, slip: bool) -> None:
    desk = label_desk.desk(store, person, document, versions)
    odd = next((field.key for field in desk.fields if field.others and field.suggestion), "") if slip else ""
    for field in desk.fields:
        if field.shape is not None and field.shape.kind == "table":
            keys = [key for key, _, _ in field.shape.columns]
            rows = [
                {key: _suggested_cell(cell) for key, cell in zip(keys, row, strict=True) if cell}
                for row in field.suggested_rows
            ]
            label_desk.set_table(store, person, document, field.key, rows, method=Method.AGREED)
            continue
        said = field.others[:1] if field.key == odd else field.suggestion
        values = [ValueInput(value.text, value.page, (), _sides(value)) for value in said]
        label_desk.set_label(store, person, document, field.key, values, absent=not values, method=Method.AGREED)
    label_desk.done(store, person, document)


def _sides(one: ValueView) -> Sides | None:
    return (one.box[0], one.box[1], one.box[2], one.box[3]) if one.box else None


def _suggested_cell(one: ValueView) -> CellInput:
    return CellInput(one.text, one.page, _sides(one))


def label_tables(store: Store, analyst: Actor, type_id: int, truths: Mapping[str, Mapping[str, Rows]]) -> None:
    """Tables of labelled papers by what is true of them, each cell where the plan's own engine read it if it read it
    rightly there."""
    explorer = Explorer()
    with store.session() as session:
        rows = session.scalars(
            select(Document).where(Document.type_id == type_id, Document.name.in_(list(truths)))
        ).all()
        tables = (
            [field for field in plan_in(rows[0].placed_type).fields if field.kind is FieldKind.TABLE or field.is_column]
            if rows
            else []
        )
        loaded = [(row, load_paper(session, row)) for row in rows]
    found = {row.id: (row.name, findings(store, explorer, paper, Plan(tuple(tables)))) for row, paper in loaded}
    for document, (name, read) in found.items():
        for table in (field for field in tables if field.kind is FieldKind.TABLE):
            its = truths[name].get(table.key, [])
            said = [
                {f"{table.key}.{key}": _cell(text, read.get(f"{table.key}.{key}"), number) for key, text in row.items()}
                for number, row in enumerate(its)
            ]
            label_desk.set_table(store, analyst, document, table.key, said)


def _cell(text: str, column: Finding | None, row: int) -> CellInput:
    read = column.values[row] if column is not None and row < len(column.values) else None
    if read is None or read.text != text:
        return CellInput(text)
    return CellInput(text, read.page, (read.box.x0, read.box.y0, read.box.x1, read.box.y1))
