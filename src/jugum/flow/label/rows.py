"""Labels as rows: what a person says of a field on a paper, written in one place and read back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from jugum.core.states import LABEL_STATES, Method, Purpose
from jugum.core.values import AnyType, normal_form, normal_or_text, says_none, text_that_says
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.read import document_row, unchanged_row
from jugum.flow.label.desk_parts import Sides, ValueInput, ValueView, resolve
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import Actor
from jugum.flow.plan.fields import value_type_of
from jugum.store import Store
from jugum.store.models import Audit, Document, Field, Label, Person

# Audited actions that say what a field is.
SAYING = (
    *(Action.LABEL, Action.SETTLE, Action.CHECK, Action.SETTLE_DISPUTE, Action.KEEP_LABEL),
    Action.LABEL_FROM_RECORDS,
)
WAYS = (Method.MARKED, Method.TYPED, Method.AGREED, Method.PAST_RECORD)


@dataclass(frozen=True)
class CellInput:
    """A cell of a table as a person gives it; an empty text is an empty cell. `normal` is what it means, where its
    words don't say so."""

    text: str = ""
    page: int | None = None
    box: Sides | None = None
    normal: str = ""


@dataclass(frozen=True)
class LabelMetadata:
    """How something was said: the way, how many seconds it took, whether a suggestion stood there and was not taken,
    and where the value's printed name stands ({"text", "page", "box"}), when that was marked."""

    method: str = "marked"
    seconds: float | None = None
    corrected: bool = False
    printed: dict[str, Any] | None = None

    def __post_init__(self) -> None:
        if self.method not in WAYS:
            raise InputError(f"“{self.method}” is not a labelling method. Choose one of: {', '.join(WAYS)}.")


def labelled_now(session: Session, document_id: int, revision: int | None = None) -> Document:
    """A sample that can be labelled, locked."""
    document = unchanged_row(session, document_id, revision)
    if document.purpose != Purpose.SAMPLE or document.state not in LABEL_STATES:
        raise Conflict(f"“{document.name}” is {document.state} and cannot be labelled.")
    return document


def field_row(document: Document, key: str) -> Field:
    for row in document.placed_type.fields:
        if row.key == key:
            return row
    raise NotFound(f"“{document.placed_type.name}” has no field “{key}”.")


def columns_of(row: Field) -> list[Field]:
    return [field for field in row.type.fields if field.inside == row.key and "." in field.key]


def value_of(label: Label, kind: AnyType, names: dict[int, str]) -> ValueView:
    readable = normal_form(label.text, kind) is not None
    return ValueView(
        label.text,
        label.normal if readable else "",
        label.page,
        label.box,
        None,
        label.method,
        names.get(label.person_id),
        label.created_at,
        more_places=[(page, box) for page, box in label.more_places],
        ocr_text=label.ocr_text,
    )


def resolved_values(
    session: Session, document: Document, row: Field, values: Sequence[ValueInput], *, absent: bool
) -> tuple[list[ValueView], bool]:
    """A person's values worked out, and whether the field is absent: a sign that says so ("–" for a number) is no
    value. InputError for a field that has none of its own, or values of a field that is absent."""
    if row.kind in ("table", "derived") and values:
        raise InputError(
            f"{row.name} is {'a table: give its rows' if row.kind == 'table' else 'calculated, not labelled'}."
        )
    if absent and values:
        raise InputError(f"{row.name} cannot both have a value and be missing on the paper.")
    if len(values) > 1 and not row.many:
        raise InputError(
            f"{row.name} has one value on a paper; {len(values)} were given. To allow several, change the field "
            "in Plan."
        )
    kind = value_type_of(row, document)
    resolved = [resolve(session, document, row, given) for given in values]
    there = [value for value in resolved if not says_none(value.text, kind)]
    return there, absent or (bool(resolved) and not there)


def drop_labels(session: Session, document: Document, row: Field) -> list[str]:
    """Take a field's labels away, its columns' too; returns the texts there were."""
    ids = [row.id, *(column.id for column in columns_of(row))]
    gone = session.execute(
        delete(Label)
        .where(Label.document_id == document.id, Label.field_id.in_(ids))
        .returning(Label.field_id, Label.position, Label.text)
        .execution_options(synchronize_session=False)
    )
    own = [(label.position, label.text) for label in gone if label.field_id == row.id]
    return [text for _, text in sorted(own)]


def write_labels(
    session: Session,
    actor: Actor,
    document: Document,
    row: Field,
    values: Sequence[ValueInput],
    *,
    absent: bool,
    method: str | LabelMetadata,
) -> list[str]:
    """Replace a field's labels on a paper; returns the texts before. `method` may also be "review"."""
    found, absent = resolved_values(session, document, row, values, absent=absent)
    return write_values(session, actor.id, document, row, found, absent=absent, method=method)


def write_values(
    session: Session,
    person_id: int,
    document: Document,
    row: Field,
    values: Sequence[ValueView],
    *,
    absent: bool,
    method: str | LabelMetadata,
) -> list[str]:
    """Replace a field's labels by values already worked out; returns the texts before."""
    before = drop_labels(session, document, row)
    way = method if isinstance(method, LabelMetadata) else None
    common: dict[str, Any] = {
        "document_id": document.id,
        "field_id": row.id,
        "person_id": person_id,
        "method": way.method if way else method,
        "corrected": bool(way and way.corrected),
        "printed": way.printed if way else None,
    }
    seconds = way.seconds if way and way.seconds is not None else None
    if absent:
        session.add(Label(absent=True, text="", normal="", page=None, box=None, seconds=seconds, **common))
    for position, value in enumerate(values):
        session.add(
            Label(
                position=position,
                text=value.text,
                normal=value.normal or normal_or_text(value.text, value_type_of(row, document)),
                page=value.page,
                box=value.box,
                more_places=[[page, box] for page, box in value.more_places],
                ocr_text=value.ocr_text,
                seconds=seconds / len(values) if seconds is not None else None,
                **common,
            )
        )
    return before


def table_texts(session: Session, document: Document, row: Field) -> list[str]:
    """The rows of a labelled table, for a trace: the texts of each, joined by " | "."""
    columns = columns_of(row)
    ids = [column.id for column in columns]
    rows: dict[int, dict[int, str]] = {}
    session.flush()
    its = select(Label).where(Label.document_id == document.id, Label.field_id.in_(ids), Label.absent.is_(False))
    for label in session.scalars(its.order_by(Label.position)):
        rows.setdefault(label.position, {})[label.field_id] = label.text
    return [" | ".join(cells.get(column_id, "") for column_id in ids) for _, cells in sorted(rows.items())]


def write_table(
    session: Session,
    actor: Actor,
    document: Document,
    row: Field,
    rows: Sequence[dict[str, CellInput]],
    *,
    method: str | LabelMetadata,
) -> None:
    """Replace a table's labels: one per filled cell, its row as position. A column is known by its key, with that of
    its table or without."""
    columns = {column.key: column for column in columns_of(row)}
    if row.kind != "table":
        raise InputError(f"{row.name} is not a table.")
    rows = [{key if "." in key else f"{row.key}.{key}": cell for key, cell in given.items()} for given in rows]
    unknown = next((key for given in rows for key in given if key not in columns), None)
    if unknown is not None:
        raise InputError(f"{row.name} has no column “{unknown}”; it has {', '.join(columns)}.")
    drop_labels(session, document, row)
    way = method if isinstance(method, LabelMetadata) else None
    common: dict[str, Any] = {
        "document_id": document.id,
        "person_id": actor.id,
        "method": way.method if way else method,
        "corrected": bool(way and way.corrected),
    }
    filled = [given for given in rows if any(cell.text.strip() for cell in given.values())]
    cells = [(n, key, cell) for n, given in enumerate(filled) for key, cell in given.items() if cell.text.strip()]
    for position, key, cell in cells:
        text = text_that_says(cell.text.strip(), cell.normal, value_type_of(columns[key], document))
        placed = cell.page is not None and cell.box is not None
        session.add(
            Label(
                field_id=columns[key].id,
                position=position,
                text=text,
                normal=normal_or_text(text, value_type_of(columns[key], document)),
                page=cell.page if placed else None,
                box=list(cell.box) if placed and cell.box else None,
                seconds=way.seconds / len(cells) if way and way.seconds is not None else None,
                **common,
            )
        )
    if not filled:
        session.add(
            Label(field_id=row.id, absent=True, text="", normal="", seconds=way.seconds if way else None, **common)
        )


# ---- Read back -------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class LabelledField:
    """A field's labels as the API gives them."""

    field: str
    absent: bool
    method: str
    values: list[ValueView]


def labels(store: Store, document_id: int) -> list[LabelledField]:
    with store.session() as session:
        document = document_row(session, document_id)
        names = dict(session.execute(select(Person.id, Person.name)).all())
        found = []
        for row in document.placed_type.fields:
            mine = session.scalars(
                select(Label).where(Label.document_id == document_id, Label.field_id == row.id).order_by(Label.position)
            ).all()
            if mine:
                kind = value_type_of(row, document)
                values = [value_of(label, kind, names) for label in mine if not label.absent]
                found.append(LabelledField(row.key, mine[0].absent, mine[0].method, values))
        return found


@dataclass(frozen=True)
class Saying:
    """One change of a field's labels: who said what instead of what, when and how."""

    created_at: datetime
    who: str
    method: str
    before: str
    after: str


def history(store: Store, document_id: int, key: str) -> list[Saying]:
    """All that was said of a field on a paper, the newest first."""
    with store.session() as session:
        field_row(document_row(session, document_id), key)
        rows = session.execute(
            select(Audit, Person.name)
            .outerjoin(Person, Audit.person_id == Person.id)
            .where(
                Audit.object_kind == "document",
                Audit.object_id == document_id,
                Audit.action.in_(SAYING),
            )
            .order_by(Audit.id.desc())
        ).all()
        return [
            Saying(
                row.created_at,
                name or "",
                str(row.detail.get("method", row.action)),
                _words(row.detail.get("before")),
                "not on this paper" if row.detail.get("absent") else _words(row.detail.get("after")),
            )
            for row, name in rows
            if row.detail.get("field") == key
        ]


def _words(said: Any) -> str:
    return "; ".join(map(str, said)) if isinstance(said, list) else str(said or "")
