"""Label: the right answers on samples."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.orm import Session

from jugum.core.extraction import Choice
from jugum.core.extraction.placing import Placing, place_value
from jugum.core.formats import keyed_values
from jugum.core.values import DataType, normal_form
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.actor import LABEL, Actor, record
from jugum.flow.desk import Other, PageView, ValueInput, ValueView, open_desk, page_views, resolve
from jugum.flow.gather import document_row, pages_of
from jugum.flow.models import LoadedVersions
from jugum.flow.plan import plan_in, type_row
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


def normal_or_text(text: str, data_type: DataType) -> str:
    """The normal form, or the text itself where the data type can't read it: nothing that was entered is lost."""
    return normal_form(text, data_type) or text.strip()


def value_of(label: Label, data_type: str, names: dict[int, str]) -> ValueView:
    readable = normal_form(label.text, DataType(data_type)) is not None
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


def desk(store: Store, actor: Actor, document_id: int, versions: LoadedVersions) -> LabelDesk:
    """Everything the labelling desk shows of a sample; notes that the actor has it open."""
    actor.must(LABEL)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != "sample":
            raise Conflict(f"“{document.name}” is a live paper; make it a sample to label it whole.")
        pages = page_views(session, document_id)
        labels: dict[int, list[Label]] = {}
        for label in session.scalars(
            select(Label).where(Label.document_id == document_id).order_by(Label.field_id, Label.position)
        ):
            labels.setdefault(label.field_id, []).append(label)
        names = dict(session.execute(select(Person.id, Person.name)).all())
        suggested = {} if document.state == "labelled" else _suggestions(store, session, document, versions)
        before, after, left = neighbours(session, document)
        return LabelDesk(
            document.id, document.name, document.type_id, document.type.name, document.state, document.revision, pages,
            [_label_field(f, labels.get(f.id, []), names, suggested) for f in document.type.fields],
            open_desk(session, actor, document), before, after, left,
        )  # fmt: skip


@dataclass(frozen=True)
class _Suggested:
    """What a version finds for a field: its values, the candidates next in line, and the threshold they stand against."""

    values: list[ValueView] = field(default_factory=list)
    others: list[ValueView] = field(default_factory=list)
    threshold: float | None = None


def _label_field(
    row: Field, labels: Sequence[Label], names: dict[int, str], suggested: dict[str, _Suggested]
) -> LabelField:
    ghost = suggested.get(row.key, _Suggested())
    return LabelField(
        row.key, row.name, row.data_type, row.required, row.many, bool(labels), any(label.absent for label in labels),
        labels[0].how if labels else "", [value_of(label, row.data_type, names) for label in labels if not label.absent],
        [] if labels else ghost.values, ghost.others, ghost.threshold,
    )  # fmt: skip


def _suggestions(store: Store, session: Session, document: Document, versions: LoadedVersions) -> dict[str, _Suggested]:
    """What the live version, or else the newest on trial, finds on the paper."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == document.type_id, ModelVersion.state.in_(("live", "on trial")))
        .order_by((ModelVersion.state == "live").desc(), ModelVersion.number.desc())
        .limit(1)
    )
    if version is None or version.file_key is None:
        return {}
    policy = current_policy(session, document.type_id)
    thresholds = policy.thresholds if policy else {}

    def view(choice: Choice, sure: float | None = None) -> ValueView:
        found = choice.candidate
        return ValueView(found.text, found.normal, found.page, [round(v, 5) for v in found.box], sure, "model")

    return {
        decision.field: _Suggested(
            [view(choice, round(sure, 4)) for choice in decision.chosen],
            [view(choice) for choice in decision.others],
            thresholds.get(decision.field),
        )
        for decision, sure in versions.decide(store, version.file_key, pages_of(session, document.id))
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
    if absent and values:
        raise InputError(f"{row.name} can't both have a value and not be on the paper.")
    if len(values) > 1 and not row.many:
        raise InputError(
            f"{row.name} has one value on a paper; {len(values)} were given. Plan says whether it may have many."
        )
    before = list(session.scalars(select(Label.text).where(Label.document_id == document.id, Label.field_id == row.id)))
    session.execute(delete(Label).where(Label.document_id == document.id, Label.field_id == row.id))
    made: list[dict[str, Any]] = (
        [{"absent": True, "text": "", "normal": "", "page": None, "box": None}] if absent else []
    )
    for given in values:
        value = resolve(session, document.id, row, given)
        normal = normal_or_text(value.text, DataType(row.data_type))
        made.append({"absent": False, "text": value.text, "normal": normal, "page": value.page, "box": value.box})
    for position, one in enumerate(made):
        session.add(
            Label(document_id=document.id, field_id=row.id, position=position, how=how, person_id=actor.id, **one)
        )
    return before


def done(store: Store, actor: Actor, document_id: int) -> int | None:
    """The sample is labelled. Fields nothing was said of are taken as not on this paper, unless they are required:
    then InputError names them. Returns the next sample to label."""
    actor.must(LABEL)
    with store.session() as session:
        document = checked_revision(session, document_id, None)
        if document.purpose != "sample" or document.state not in LABEL_STATES:
            raise Conflict(f"“{document.name}” is {document.state} and can't be labelled.")
        said = set(session.scalars(select(Label.field_id).where(Label.document_id == document_id)))
        open_fields = [row for row in document.type.fields if row.id not in said]
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
        fields = {name.casefold(): f for f in row_type.fields for name in (f.key, f.name)}
        for number, row in enumerate(rows, start=2):
            if row["type"].casefold() not in (row_type.key, row_type.name.casefold(), ""):
                unknown.append(f"line {number}: type “{row['type']}”")
            elif row["field"].casefold() not in fields:
                unknown.append(f"line {number}: field “{row['field']}”")
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
    plan, pages = plan_in(document.type), pages_of(session, document.id)
    for row in document.type.fields:
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
                values = [value_of(label, row.data_type, names) for label in mine if not label.absent]
                found.append(LabelledField(row.key, mine[0].absent, mine[0].how, values))
        return found
