"""Label: the right answers on samples."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from jugum.core.extraction import Choice
from jugum.core.extraction.found import Found
from jugum.core.extraction.placing import Placing, place_value
from jugum.core.formats import keyed_values
from jugum.core.schema import FieldKind, Plan
from jugum.core.values import AnyType, normal_form, normal_or_text
from jugum.errors import Conflict, ExternalError, InputError, NotFound
from jugum.flow.actor import LABEL, Actor, record
from jugum.flow.desk import (
    FieldShape,
    Other,
    PageView,
    ValueInput,
    ValueView,
    grid_of,
    must_see_personal,
    open_desk,
    page_views,
    resolve,
    shape_of_field,
    shown_fields,
    table_value,
)
from jugum.flow.explore import Explorer
from jugum.flow.gather import document_row, pages_of
from jugum.flow.models import LoadedVersions
from jugum.flow.plan import plan_in, type_row, value_type_of
from jugum.flow.sample import findings
from jugum.flow.weigh import current_policy
from jugum.store import Store
from jugum.store.models import Document, Field, Label, ModelVersion, Person

LABEL_STATES = ("to label", "in hand", "labelled")


@dataclass(frozen=True)
class LabelField:
    """A field on the labelling desk: what a person said of it (`decided`), and what a version suggests."""

    key: str
    name: str
    data_type: str
    required: bool
    many: bool
    decided: bool
    absent: bool
    how: str
    values: list[ValueView]
    suggestion: list[ValueView] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None
    shape: FieldShape | None = None
    rows: list[list[ValueView | None]] = field(default_factory=list)
    suggested_rows: list[list[ValueView | None]] = field(default_factory=list)


@dataclass(frozen=True)
class LabelDesk:
    id: int
    name: str
    type_id: int
    type: str
    state: str
    revision: int
    pages: list[PageView]
    fields: list[LabelField]
    others: list[Other]
    previous: int | None
    next: int | None
    left: int


def value_of(label: Label, kind: AnyType, names: dict[int, str]) -> ValueView:
    readable = normal_form(label.text, kind) is not None
    return ValueView(
        label.text,
        label.normal if readable else "",
        label.page,
        label.box,
        None,
        label.how,
        names.get(label.person_id),
        label.at,
    )


def desk(
    store: Store, actor: Actor, document_id: int, versions: LoadedVersions, explorer: Explorer | None = None
) -> LabelDesk:
    """Everything the labelling desk shows of a sample; notes that the actor has it open."""
    actor.must(LABEL)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != "sample":
            raise Conflict(f"“{document.name}” is a live paper; make it a sample to label it whole.")
        must_see_personal(actor, document)
        pages = page_views(session, document_id)
        labels: dict[int, list[Label]] = {}
        for label in session.scalars(
            select(Label).where(Label.document_id == document_id).order_by(Label.field_id, Label.position)
        ):
            labels.setdefault(label.field_id, []).append(label)
        names = dict(session.execute(select(Person.id, Person.name)).all())
        suggested = {} if document.state == "labelled" else _suggestions(store, session, document, versions, explorer)
        before, after, left = neighbours(session, document)
        return LabelDesk(
            document.id, document.name, document.type_id, document.type.name, document.state, document.revision, pages,
            [_label_field(f, labels, names, suggested) for f in shown_fields(document, derived=False)],
            open_desk(session, actor, document), before, after, left,
        )  # fmt: skip


@dataclass(frozen=True)
class _Suggested:
    """What is found for a field: its values (None for a table's empty cells), the candidates next in line, and the threshold
    they stand against."""

    values: list[ValueView | None] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None


def _label_field(
    row: Field, all_labels: dict[int, list[Label]], names: dict[int, str], suggested: dict[str, _Suggested]
) -> LabelField:
    labels, ghost, kind = all_labels.get(row.id, []), suggested.get(row.key, _Suggested()), value_type_of(row)
    if row.kind == "table":
        return _label_table(row, all_labels, names, suggested)
    return LabelField(
        row.key, row.name, row.data_type, row.required, row.many, bool(labels), any(label.absent for label in labels),
        labels[0].how if labels else "", [value_of(label, kind, names) for label in labels if not label.absent],
        [] if labels else [one for one in ghost.values if one], ghost.others, ghost.threshold, shape_of_field(row),
    )  # fmt: skip


def _label_table(
    row: Field, all_labels: dict[int, list[Label]], names: dict[int, str], suggested: dict[str, _Suggested]
) -> LabelField:
    """A table's cells by row; the table's own value says how many rows there are and where."""
    columns = [one for one in row.type.fields if one.inside == row.key]
    own = all_labels.get(row.id, [])
    said = {
        one.key: {label.position: value_of(label, value_type_of(one), names) for label in all_labels.get(one.id, [])}
        for one in columns
    }
    rows = grid_of([said[one.key] for one in columns])
    found = [dict(enumerate(suggested.get(one.key, _Suggested()).values)) for one in columns]
    ghost = grid_of([{at: value for at, value in column.items() if value} for column in found])
    labels = [label for one in columns for label in all_labels.get(one.id, [])]
    decided = bool(own or labels)
    return LabelField(
        row.key, row.name, row.data_type, row.required, False, decided, any(label.absent for label in own),
        (own or labels)[0].how if decided else "", table_value(rows), [] if decided else table_value(ghost),
        shape=shape_of_field(row), rows=rows, suggested_rows=[] if decided else ghost,
    )  # fmt: skip


def _suggestions(
    store: Store, session: Session, document: Document, versions: LoadedVersions, explorer: Explorer | None
) -> dict[str, _Suggested]:
    """What the live version, or else the newest on trial, finds on the paper; and what the plan alone finds for the rest."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == document.type_id, ModelVersion.state.in_(("live", "on trial")))
        .order_by((ModelVersion.state == "live").desc(), ModelVersion.number.desc())
        .limit(1)
    )
    policy = current_policy(session, document.type_id)
    thresholds = policy.thresholds if policy else {}

    def view(choice: Choice, sure: float | None = None) -> ValueView:
        found = choice.candidate
        return ValueView(found.text, found.normal, found.page, [round(v, 5) for v in found.box], sure, "model")

    suggested = {
        decision.field: _Suggested(
            [view(choice, round(sure, 4)) for choice in decision.chosen],
            [view(choice) for choice in decision.others],
            thresholds.get(decision.field),
        )
        for decision, sure in (
            versions.decide(store, version.file_key, pages_of(session, document.id))
            if version and version.file_key
            else ()
        )
    }
    return _by_plan(store, session, document, explorer or Explorer(), set(suggested)) | suggested


def _by_plan(
    store: Store, session: Session, document: Document, explorer: Explorer, known: set[str]
) -> dict[str, _Suggested]:
    plan = plan_in(document.type)
    wanted = [one for one in plan.fields if one.key not in known and one.kind is not FieldKind.DERIVED]
    rest = Plan(tuple(one if one.is_column or one.inside not in known else replace(one, inside="") for one in wanted))
    if not rest.fields:
        return {}
    try:
        found = findings(store, session, explorer, document, rest)
    except (InputError, ExternalError):  # suggestions are a help: a desk opens without them
        return {}

    def view(one: Found) -> ValueView:
        return ValueView(one.text, one.normal, one.page, [round(v, 5) for v in one.box], None, one.engine.value)

    return {
        key: _Suggested([view(one) if one else None for one in finding.values], [view(one) for one in finding.others])
        for key, finding in found.items()
    }


def neighbours(session: Session, document: Document) -> tuple[int | None, int | None, int]:
    """The sample before this one, the next to label (after it, else the first), and how many are left besides."""
    mine = (Document.type_id == document.type_id, Document.purpose == "sample")
    before = session.scalar(
        select(func.max(Document.id)).where(*mine, Document.id < document.id, Document.state.in_(LABEL_STATES))
    )
    waiting = session.scalars(
        select(Document.id)
        .where(*mine, Document.state.in_(("to label", "in hand")), Document.id != document.id)
        .order_by(Document.id)
    ).all()
    after = next((number for number in waiting if number > document.id), waiting[0] if waiting else None)
    return before, after, len(waiting)


def checked_revision(session: Session, document_id: int, revision: int | None) -> Document:
    """The document, locked; Conflict when it was changed since the caller looked (revision None: any state is fine)."""
    document = session.get(Document, document_id, with_for_update=True)
    if document is None:
        raise NotFound(f"There is no paper {document_id}.")
    if revision is not None and document.revision != revision:
        raise Conflict(f"“{document.name}” was changed by someone else meanwhile.")
    return document


def field_row(document: Document, key: str) -> Field:
    for row in document.type.fields:
        if row.key == key:
            return row
    raise NotFound(f"“{document.type.name}” has no field “{key}”.")


def set_label(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    values: Sequence[ValueInput],
    *,
    absent: bool = False,
    how: str = "marked",
    revision: int | None = None,
) -> int:
    """Say what a field's values on a sample are, or that it is absent, or (neither) that nothing is said any more.
    Returns the document's new revision."""
    actor.must(LABEL)
    if how not in ("marked", "typed", "agreed", "keyed"):
        raise InputError(f"“{how}” is no way of labelling; ways are marked, typed, agreed, keyed.")
    with store.session() as session:
        document = checked_revision(session, document_id, revision)
        if document.purpose != "sample" or document.state not in LABEL_STATES:
            raise Conflict(f"“{document.name}” is {document.state} and can't be labelled.")
        row = field_row(document, key)
        before = write_labels(session, actor, document, row, values, absent=absent, how=how)
        if document.state == "to label":
            document.state = "in hand"
        document.revision += 1
        record(session, actor, "label", "document", document_id, field=key, before=before, absent=absent, how=how)
        return document.revision


def write_labels(
    session: Session,
    actor: Actor,
    document: Document,
    row: Field,
    values: Sequence[ValueInput],
    *,
    absent: bool,
    how: str,
) -> list[str]:
    """Replace a field's labels on a paper; returns the texts before."""
    if row.kind in ("table", "derived") and values:
        raise InputError(
            f"{row.name} is {'a table: give its rows' if row.kind == 'table' else 'worked out, not labelled'}."
        )
    if absent and values:
        raise InputError(f"{row.name} can't both have a value and not be on the paper.")
    if len(values) > 1 and not row.many:
        raise InputError(
            f"{row.name} has one value on a paper; {len(values)} were given. Plan says whether it may have many."
        )
    before = list(session.scalars(select(Label.text).where(Label.document_id == document.id, Label.field_id == row.id)))
    ids = [row.id, *(one.id for one in document.type.fields if one.inside == row.key and "." in one.key)]
    session.execute(delete(Label).where(Label.document_id == document.id, Label.field_id.in_(ids)))
    made: list[dict[str, Any]] = (
        [{"absent": True, "text": "", "normal": "", "page": None, "box": None}] if absent else []
    )
    for given in values:
        value = resolve(session, document.id, row, given)
        normal = normal_or_text(value.text, value_type_of(row))
        made.append({"absent": False, "text": value.text, "normal": normal, "page": value.page, "box": value.box})
    for position, one in enumerate(made):
        session.add(
            Label(document_id=document.id, field_id=row.id, position=position, how=how, person_id=actor.id, **one)
        )
    return before


@dataclass(frozen=True)
class CellInput:
    """A cell of a table as a person gives it; an empty text is an empty cell."""

    text: str = ""
    page: int | None = None
    box: tuple[float, float, float, float] | None = None


def set_table(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    rows: Sequence[dict[str, CellInput]],
    *,
    how: str = "marked",
    revision: int | None = None,
) -> int:
    """A table's labels, row by row: column key → cell. Returns the document's new revision."""
    actor.must(LABEL)
    with store.session() as session:
        document = checked_revision(session, document_id, revision)
        if document.purpose != "sample" or document.state not in LABEL_STATES:
            raise Conflict(f"“{document.name}” is {document.state} and can't be labelled.")
        row = field_row(document, key)
        write_table(session, actor, document, row, rows, how=how)
        if document.state == "to label":
            document.state = "in hand"
        document.revision += 1
        record(session, actor, "label", "document", document_id, field=key, rows=len(rows), how=how)
        return document.revision


def write_table(
    session: Session, actor: Actor, document: Document, row: Field, rows: Sequence[dict[str, CellInput]], *, how: str
) -> None:
    """Replace a table's labels: one per filled cell, its row as position."""
    columns = {one.key: one for one in document.type.fields if one.inside == row.key and "." in one.key}
    if row.kind != "table":
        raise InputError(f"{row.name} is no table.")
    unknown = next((key for given in rows for key in given if key not in columns), None)
    if unknown is not None:
        raise InputError(f"{row.name} has no column “{unknown}”; it has {', '.join(columns)}.")
    ids = [row.id, *(one.id for one in columns.values())]
    session.execute(delete(Label).where(Label.document_id == document.id, Label.field_id.in_(ids)))
    filled = [given for given in rows if any(cell.text.strip() for cell in given.values())]
    for position, given in enumerate(filled):
        for key, cell in given.items():
            if not cell.text.strip():
                continue
            text = cell.text.strip()
            place = cell.page is not None and cell.box is not None
            session.add(
                Label(
                    document_id=document.id, field_id=columns[key].id, position=position, text=text, how=how,
                    normal=normal_or_text(text, value_type_of(columns[key])), page=cell.page if place else None,
                    box=list(cell.box) if place and cell.box else None, person_id=actor.id,
                )
            )  # fmt: skip
    if not filled:
        session.add(
            Label(
                document_id=document.id, field_id=row.id, absent=True, text="", normal="", how=how, person_id=actor.id
            )
        )


def done(store: Store, actor: Actor, document_id: int) -> int | None:
    """The sample is labelled. Fields nothing was said of are taken as not on this paper, unless they are required:
    then InputError names them. Returns the next sample to label."""
    actor.must(LABEL)
    with store.session() as session:
        document = checked_revision(session, document_id, None)
        if document.purpose != "sample" or document.state not in LABEL_STATES:
            raise Conflict(f"“{document.name}” is {document.state} and can't be labelled.")
        said = set(session.scalars(select(Label.field_id).where(Label.document_id == document_id)))
        columns = {row.inside for row in document.type.fields if "." in row.key and row.id in said}
        shown = shown_fields(document, derived=False)
        open_fields = [row for row in shown if row.id not in said and row.key not in columns]
        missing = [row.name for row in open_fields if row.required]
        if missing:
            raise InputError(f"Still to mark or to say “not on this paper”: {', '.join(missing)}.")
        for row in open_fields:
            write_labels(session, actor, document, row, [], absent=True, how="marked")
        document.state = "labelled"
        document.revision += 1
        document.opened_by = document.opened_at = None
        record(session, actor, "labelled", "document", document_id)
        return neighbours(session, document)[1]


def first_to_label(store: Store, type_id: int) -> int | None:
    with store.session() as session:
        return session.scalar(
            select(func.min(Document.id)).where(
                Document.type_id == type_id, Document.purpose == "sample", Document.state.in_(("to label", "in hand"))
            )
        )


@dataclass(frozen=True)
class KeyedReport:
    """What became of keyed values: placed on the page, placed though several places were alike, kept without a place."""

    placed: int
    ambiguous: int
    not_found: int
    unknown: list[str]


def keyed(store: Store, actor: Actor, type_id: int, data: bytes, *, complete: bool = False) -> KeyedReport:
    """Labels from a CSV of values keyed in the past, `file,type,field,value`; each value's place is found by matching.

    A value that is not found on its page is kept without a place. `complete` says that the CSV has every value of the
    papers it names: their other fields become "not on this paper" and the papers labelled. Rows that name unknown files,
    types or fields are told in `unknown` and change nothing.
    """
    actor.must(LABEL)
    rows = keyed_values(data)
    counts = dict.fromkeys(Placing, 0)
    unknown: list[str] = []
    with store.session() as session:
        row_type = type_row(session, type_id)
        by_file: dict[str, dict[str, list[str]]] = {}
        # Columns are known by their keys only: a table may well have a column of the same name as a field.
        fields = {f.name.casefold(): f for f in row_type.fields if "." not in f.key}
        fields |= {f.key: f for f in row_type.fields}
        for number, row in enumerate(rows, start=2):
            if row["type"].casefold() not in (row_type.key, row_type.name.casefold(), ""):
                unknown.append(f"line {number}: type “{row['type']}”")
            elif row["field"].casefold() not in fields:
                unknown.append(f"line {number}: field “{row['field']}”")
            elif (found := fields[row["field"].casefold()]).kind in ("table", "derived") or "." in found.key:
                unknown.append(
                    f"line {number}: “{row['field']}” is no field that can be keyed; fill tables in on the desk"
                )
            else:
                values = by_file.setdefault(row["file"], {}).setdefault(fields[row["field"].casefold()].key, [])
                values.extend([row["value"]] if row["value"] else [])
        for name, given in by_file.items():
            document = session.scalar(
                select(Document)
                .where(
                    Document.type_id == type_id,
                    Document.name == name,
                    Document.purpose == "sample",
                    Document.state.in_(LABEL_STATES),
                )
                .order_by(Document.id.desc())
            )
            if document is None:
                unknown.append(f"file “{name}”: no sample of this name has been read")
                continue
            _place_keyed(session, actor, document, given, counts, complete=complete)
    return KeyedReport(counts[Placing.PLACED], counts[Placing.AMBIGUOUS], counts[Placing.NOT_FOUND], unknown)


def _place_keyed(
    session: Session,
    actor: Actor,
    document: Document,
    given: dict[str, list[str]],
    counts: dict[Placing, int],
    *,
    complete: bool,
) -> None:
    plan, pages = plan_in(document.type).learned, pages_of(session, document.id)
    learned = {field.key for field in plan.fields}
    for row in document.type.fields:
        if row.kind in ("table", "derived") or "." in row.key:
            continue
        if row.key not in learned:
            if row.key in given:
                write_labels(
                    session, actor, document, row, [ValueInput(text) for text in given[row.key]],
                    absent=not given[row.key], how="keyed",
                )  # fmt: skip
            continue
        texts = given.get(row.key)
        if texts is None and not complete:
            continue
        values = []
        for text in (texts or [])[: None if row.many else 1]:
            placed = place_value(plan, pages, {row.key: text})[row.key]
            counts[placed.how] += 1
            spot = placed.candidate
            values.append(ValueInput(text, spot.page if spot else None, (), spot.box if spot else None))
        write_labels(session, actor, document, row, values, absent=not values, how="keyed")
    document.state = "labelled" if complete else "in hand"
    document.revision += 1
    record(session, actor, "label from CSV", "document", document.id, fields=len(given))


def release(store: Store, actor: Actor, document_id: int) -> None:
    """The actor left the desk."""
    with store.session() as session:
        session.execute(
            update(Document)
            .where(Document.id == document_id, Document.opened_by == actor.id)
            .values(opened_by=None, opened_at=None)
        )


@dataclass(frozen=True)
class LabelledField:
    """A field's labels as the API gives them."""

    field: str
    absent: bool
    how: str
    values: list[ValueView]


def labels(store: Store, document_id: int) -> list[LabelledField]:
    with store.session() as session:
        document = document_row(session, document_id)
        names = dict(session.execute(select(Person.id, Person.name)).all())
        found = []
        for row in document.type.fields:
            mine = session.scalars(
                select(Label).where(Label.document_id == document_id, Label.field_id == row.id).order_by(Label.position)
            ).all()
            if mine:
                kind = value_type_of(row)
                values = [value_of(label, kind, names) for label in mine if not label.absent]
                found.append(LabelledField(row.key, mine[0].absent, mine[0].how, values))
        return found
