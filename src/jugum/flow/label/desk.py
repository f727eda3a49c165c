"""Label: the desk on which the right answers are shown on samples."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from jugum.core.states import By, DocumentState, Method, Purpose
from jugum.errors import Conflict, InputError
from jugum.flow.gather.documents import document_row
from jugum.flow.gather.explore import Explorer, windows
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label import double_labelling
from jugum.flow.label.control_suggestions import answered, planted
from jugum.flow.label.desk_parts import (
    FieldShape,
    Other,
    PageView,
    ValueInput,
    ValueView,
    grid_of,
    must_see_personal,
    open_desk,
    page_views,
    shape_of_field,
    shown_fields,
    table_value,
)
from jugum.flow.label.layouts import layout_name
from jugum.flow.label.next_paper import neighbours
from jugum.flow.label.rows import (
    CellInput,
    LabelledField,
    LabelMetadata,
    columns_of,
    field_row,
    labelled_now,
    labels,
    resolved_values,
    table_texts,
    value_of,
    write_table,
    write_values,
)
from jugum.flow.label.suggestions import AT_ONCE, Suggested, load_suggestion_input, suggestions
from jugum.flow.label.suspicious import failing_checks
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.plan.fields import value_type_of
from jugum.flow.states import change_state
from jugum.store import Store
from jugum.store.models import Document, Field, Label, Person
from jugum.store.queue import Task, enqueue, is_waiting


@dataclass(frozen=True)
class LabelField:
    """A field on the labelling desk: what a person said of it (`decided`), and what is suggested. `passes`: the
    suggestion's measured confidence reaches its threshold; `weight`, what speaks for it against one from other pages.
    `inside` is the clause it stands in; `dispute`, the two labellers' answers."""

    key: str
    name: str
    data_type: str
    required: bool
    many: bool
    decided: bool
    absent: bool
    method: str
    values: list[ValueView]
    suggestion: list[ValueView] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None
    shape: FieldShape | None = None
    rows: list[list[ValueView | None]] = field(default_factory=list)
    suggested_rows: list[list[ValueView | None]] = field(default_factory=list)
    passes: bool = False
    weight: float = 0.0
    inside: str = ""
    failing: str = ""
    disputed: bool = False


@dataclass(frozen=True)
class LabelDesk:
    """`windows` are the first and last pages of the parts for which suggestions are fetched once the desk is open."""

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
    next_why: str
    left: int
    windows: list[tuple[int, int]]
    blind: bool
    layout: str


def desk(
    store: Store, actor: Actor, document_id: int, versions: LoadedVersions, explorer: Explorer | None = None
) -> LabelDesk:
    """Everything the labelling desk shows of a sample; notes that the actor has it open."""
    actor.require(LABEL)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != Purpose.SAMPLE:
            raise Conflict(f"“{document.name}” is a live paper; make it a sample to label all of its fields.")
        must_see_personal(session, actor, document)
        blind = double_labelling.is_blind(session, document, actor.id)
        others = open_desk(session, actor, document)
        wanted = windows(document.page_count or 0) if document.state != DocumentState.LABELLED else []
        later = (document.page_count or 0) > AT_ONCE
        given = load_suggestion_input(session, document) if wanted and not later else None
    found = suggestions(store, given, versions, explorer) if given else {}
    with store.session() as session:
        document = document_row(session, document_id)
        found = planted(session, document, actor, found)
        near = neighbours(session, document, actor.id)
        return LabelDesk(
            document.id,
            document.name,
            document.placed_type.id,
            document.placed_type.name,
            document.state,
            document.revision,
            page_views(session, document_id),
            _fields(session, document, _said(session, document, actor), found),
            others,
            near.before,
            near.after,
            near.why,
            near.left,
            wanted if later else [],
            blind,
            layout_name(session, document),
        )


def late_suggestions(
    store: Store,
    actor: Actor,
    document_id: int,
    pages: tuple[int, int],
    versions: LoadedVersions,
    explorer: Explorer,
) -> list[LabelField]:
    """The fields of a paper with their suggestions from some of its pages (first and last), once its desk is open.
    Control suggestions are planted where these are all pages: else a better one from other pages would give them
    away."""
    actor.require(LABEL)
    with store.session() as session:
        document = document_row(session, document_id)
        must_see_personal(session, actor, document)
        given = load_suggestion_input(session, document, *pages)
    found = suggestions(store, given, versions, explorer)
    with store.session() as session:
        document = document_row(session, document_id)
        if pages in windows(document.page_count or 0)[:1] and pages[1] == document.page_count:
            found = planted(session, document, actor, found)
        return _fields(session, document, _said(session, document, actor), found)


def _said(session: Session, document: Document, actor: Actor) -> dict[int, list[Label]]:
    """Labels by field, as a person may see them: their own alone where two label a paper blindly."""
    if double_labelling.is_blind(session, document, actor.id):
        return double_labelling.own_labels(session, document, actor.id)
    return _labels(session, document)


def _labels(session: Session, document: Document) -> dict[int, list[Label]]:
    found: dict[int, list[Label]] = {}
    query = select(Label).where(Label.document_id == document.id).order_by(Label.field_id, Label.position)
    for label in session.scalars(query):
        found.setdefault(label.field_id, []).append(label)
    return found


def _fields(
    session: Session, document: Document, said: dict[int, list[Label]], found: dict[str, Suggested]
) -> list[LabelField]:
    names = dict(session.execute(select(Person.id, Person.name)).all())
    failing = failing_checks(session, document)
    disputed = double_labelling.disputed_fields(session, document)
    return [
        replace(
            _label_field(document, row, said, names, found),
            inside=row.inside,
            failing=failing.get(row.key, ""),
            disputed=row.id in disputed,
        )
        for row in shown_fields(document, derived=False)
    ]


def _label_field(
    document: Document,
    row: Field,
    all_labels: dict[int, list[Label]],
    names: dict[int, str],
    suggested: dict[str, Suggested],
) -> LabelField:
    mine, ghost, kind = all_labels.get(row.id, []), suggested.get(row.key, Suggested()), value_type_of(row, document)
    if row.kind == "table":
        return _label_table(document, row, all_labels, names, suggested)
    return LabelField(
        row.key,
        row.name,
        row.data_type,
        row.required,
        row.many,
        bool(mine),
        any(label.absent for label in mine),
        mine[0].method if mine else "",
        [value_of(label, kind, names) for label in mine if not label.absent],
        [] if mine else [value for value in ghost.values if value],
        ghost.others,
        ghost.threshold,
        shape_of_field(row),
        passes=ghost.passes and not mine,
        weight=ghost.weight,
    )


def _label_table(
    document: Document,
    row: Field,
    all_labels: dict[int, list[Label]],
    names: dict[int, str],
    suggested: dict[str, Suggested],
) -> LabelField:
    """A table's cells by row; the table's own value says how many rows there are and where."""
    columns = columns_of(row)
    own = all_labels.get(row.id, [])
    said = {
        column.key: {
            label.position: value_of(label, value_type_of(column, document), names)
            for label in all_labels.get(column.id, [])
        }
        for column in columns
    }
    rows = grid_of([said[column.key] for column in columns])
    found = [dict(enumerate(suggested.get(column.key, Suggested()).values)) for column in columns]
    ghost = grid_of([{at: value for at, value in column.items() if value} for column in found])
    cells = [label for column in columns for label in all_labels.get(column.id, [])]
    decided = bool(own or cells)
    return LabelField(
        row.key,
        row.name,
        row.data_type,
        row.required,
        False,
        decided,
        any(label.absent for label in own),
        (own or cells)[0].method if decided else "",
        table_value(rows),
        [] if decided else table_value(ghost),
        shape=shape_of_field(row),
        rows=rows,
        suggested_rows=[] if decided else ghost,
        weight=max((suggested[column.key].weight for column in columns if column.key in suggested), default=0.0),
    )


# ---- Saying ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class LabelSaved:
    """What became of a label: the paper's new revision, and, when a planted suggestion was agreed to, what is right."""

    revision: int
    plant: str = ""


def set_label(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    values: Sequence[ValueInput],
    *,
    absent: bool = False,
    method: str | LabelMetadata = "marked",
    revision: int | None = None,
) -> LabelSaved:
    """Say what a field's values on a sample are, or that it is absent, or (neither) that nothing is said any more.
    Of a paper that was given to two labellers, each says it apart from the other."""
    actor.require(LABEL)
    way = method if isinstance(method, LabelMetadata) else LabelMetadata(method)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        row = field_row(document, key)
        found, absent = resolved_values(session, document, row, values, absent=absent)
        if caught := answered(session, document, row, actor, [value.normal or value.text for value in found]):
            return LabelSaved(document.revision, caught)
        if double_labelling.is_blind(session, document, actor.id):
            double_labelling.say(session, document, row, actor.id, found, absent=absent, method=way.method)
        else:
            before = write_values(session, actor.id, document, row, found, absent=absent, method=way)
            after = [value.text for value in found]
            record(
                session,
                actor,
                Action.LABEL,
                "document",
                document_id,
                field=key,
                before=before,
                after=after,
                absent=absent,
                method=way.method,
            )
        return LabelSaved(_touched(document))


def set_table(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    rows: Sequence[dict[str, CellInput]],
    *,
    method: str | LabelMetadata = "marked",
    revision: int | None = None,
) -> LabelSaved:
    """A table's labels, row by row: column key → cell."""
    actor.require(LABEL)
    way = method if isinstance(method, LabelMetadata) else LabelMetadata(method)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        row = field_row(document, key)
        if double_labelling.is_blind(session, document, actor.id):
            double_labelling.say_rows(session, document, row, actor.id, rows, method=way.method)
        else:
            before = table_texts(session, document, row)
            write_table(session, actor, document, row, rows, method=way)
            record(
                session,
                actor,
                Action.LABEL,
                "document",
                document_id,
                field=key,
                before=before,
                after=table_texts(session, document, row),
                method=way.method,
            )
        return LabelSaved(_touched(document))


def _touched(document: Document) -> int:
    if document.state == DocumentState.TO_LABEL:
        change_state(document, DocumentState.IN_PROGRESS, By.PERSON)
    document.revision += 1
    return document.revision


def done(store: Store, actor: Actor, document_id: int, *, revision: int | None = None) -> int | None:
    """The sample is labelled. Fields nothing was said of are taken as not on this paper, unless they are required:
    then InputError names them. Returns the next sample to label."""
    actor.require(LABEL)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        blind = double_labelling.is_blind(session, document, actor.id)
        said = set(double_labelling.own_labels(session, document, actor.id) if blind else _labels(session, document))
        columns = {row.inside for row in document.placed_type.fields if "." in row.key and row.id in said}
        open_fields = [
            row for row in shown_fields(document, derived=False) if row.id not in said and row.key not in columns
        ]
        missing = [row.name for row in open_fields if row.required]
        if missing:
            raise InputError(f"Still to mark, or to mark as “not on this paper”: {', '.join(missing)}.")
        for row in open_fields:
            if blind:
                double_labelling.say(session, document, row, actor.id, [], absent=True, method=Method.MARKED)
            else:
                write_values(session, actor.id, document, row, [], absent=True, method=Method.MARKED)
        if blind:
            double_labelling.finished(session, actor, document)
        else:
            change_state(document, DocumentState.LABELLED, By.PERSON)
            record(session, actor, Action.FINISH_LABELLING, "document", document_id)
            session.flush()
            _train_soon_if_due(session, actor, document)
        document.revision += 1
        document.opened_by = document.opened_at = None
        return neighbours(session, document, actor.id).after


def _train_soon_if_due(session: Session, actor: Actor, document: Document) -> None:
    """Where the type trains automatically, have it looked at in the background whether a training is due."""
    asked = {"type_id": document.type_id, "person_id": actor.id}
    if document.placed_type.training.get("when") and not is_waiting(session, Task.TRAIN_IF_DUE, **asked):
        enqueue(session, Task.TRAIN_IF_DUE, priority=40, lock=f"due-{document.type_id}", **asked)


def release(store: Store, actor: Actor, document_id: int) -> None:
    """The actor left the desk."""
    with store.session() as session:
        session.execute(
            update(Document)
            .where(Document.id == document_id, Document.opened_by == actor.id)
            .values(opened_by=None, opened_at=None)
        )


__all__ = [
    "CellInput",
    "LabelDesk",
    "LabelMetadata",
    "LabelledField",
    "desk",
    "done",
    "labels",
    "set_label",
    "set_table",
]
