"""Labels in and out as files, and words in from ALTO XML."""

from __future__ import annotations

import json
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.formats.labels_file import (
    FieldData,
    PaperData,
    PlaceData,
    ValueData,
    annotation_page,
    write_lines,
)
from jugum.core.page import Page, pack_words
from jugum.core.states import LABEL_STATES, PAGES_FIXED, By, DocumentState, Method, Purpose, SetName
from jugum.errors import Conflict, InputError
from jugum.flow.gather.documents import plain_name
from jugum.flow.gather.read import unchanged_row
from jugum.flow.label.desk_parts import SpotInput, ValueInput
from jugum.flow.label.rows import WAYS, CellInput, LabelMetadata, columns_of, table_texts, write_labels, write_table
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, LABEL, Actor, record
from jugum.flow.office.personal import must_see_all
from jugum.flow.office.types import type_row
from jugum.flow.states import change_state
from jugum.store import Store
from jugum.store.models import SETS, Document, Field, Label, PageRow, Person, SourceFile

FORMATS = ("jsonl", "annotations")


def written(store: Store, type_id: int, kind: str) -> bytes:
    """All labels of a type's samples: "jsonl" or "annotations"."""
    if kind not in FORMATS:
        raise InputError(f"“{kind}” is not a format of labels. Choose one of: {', '.join(FORMATS)}.")
    with store.session() as session:
        papers = _papers(session, type_id)
    if kind == "jsonl":
        return write_lines(papers).encode()
    return json.dumps(annotation_page(papers), ensure_ascii=False, indent=1).encode()


def _papers(session: Session, type_id: int) -> list[PaperData]:
    row = type_row(session, type_id)
    must_see_all(row, "The labels file")
    names: dict[int, str] = dict(session.execute(select(Person.id, Person.name)).all())
    documents = session.execute(
        select(Document, SourceFile.sha256)
        .join(SourceFile, Document.source_file_id == SourceFile.id)
        .where(Document.type_id == type_id, Document.purpose == Purpose.SAMPLE, Document.state.in_(LABEL_STATES))
        .order_by(Document.id)
    ).all()
    found = []
    for document, sha256 in documents:
        labels: dict[int, list[Label]] = {}
        for label in session.scalars(
            select(Label).where(Label.document_id == document.id).order_by(Label.field_id, Label.position)
        ):
            labels.setdefault(label.field_id, []).append(label)
        fields = {
            field.key: said
            for field in row.fields
            if "." not in field.key and (said := _field_data(field, labels, names)) is not None
        }
        if fields:
            found.append(
                PaperData(file=document.name, sha256=sha256, set=document.set_name, state=document.state, labels=fields)
            )
    return found


def _field_data(field: Field, labels: dict[int, list[Label]], names: dict[int, str]) -> FieldData | None:
    own = labels.get(field.id, [])
    if field.kind == "table":
        columns = columns_of(field)
        cells = [(label.position, column.key, label) for column in columns for label in labels.get(column.id, [])]
        if not cells:
            return _said(own[0], names, absent=True) if own else None
        rows: list[dict[str, ValueData]] = [{} for _ in range(max(position for position, _, _ in cells) + 1)]
        for position, key, one in cells:
            rows[position][key] = _value(one)
        return _said(cells[0][2], names, rows=rows)
    if not own:
        return None
    if own[0].absent:
        return _said(own[0], names, absent=True)
    return _said(own[0], names, values=[_value(label) for label in own])


def _said(one: Label, names: dict[int, str], **more: Any) -> FieldData:
    return FieldData(
        method=one.method,
        person=names.get(one.person_id, ""),
        created_at=one.created_at.astimezone(UTC).isoformat(),
        **more,
    )


def _value(one: Label) -> ValueData:
    places = [PlaceData(page=one.page, box=tuple(one.box))] if one.page and one.box else []
    places += [PlaceData(page=page, box=tuple(box)) for page, box in one.more_places]
    return ValueData(text=one.text, normal=one.normal, places=places)


@dataclass(frozen=True)
class TakenIn:
    """How many papers and values of a labels file were taken, and what was not."""

    papers: int
    values: int
    unknown: list[str]


def take_in(store: Store, actor: Actor, type_id: int, data: bytes, kind: str) -> TakenIn:
    """Labels from a file become labels here, on the samples of the same bytes (or else of the same file name).
    Fields the plan does not have, and papers that are not here, are told and change nothing."""
    actor.require(LABEL)
    if kind not in FORMATS:
        raise InputError(f"“{kind}” is not a format of labels. Choose one of: {', '.join(FORMATS)}.")
    papers = store.parsers.labels_of(data, kind)
    unknown: list[str] = []
    taken = values = 0
    with store.session() as session:
        row = type_row(session, type_id)
        fields = {field.key: field for field in row.fields if "." not in field.key}
        for paper in papers:
            document = _document_of(session, type_id, paper)
            if document is None:
                unknown.append(f"“{paper.file}”: no sample with these bytes or this name is here")
                continue
            taken += 1
            before, after = dict[str, list[str]](), dict[str, list[str]]()
            for key, said in paper.labels.items():
                field = fields.get(key)
                if field is None or field.kind == "derived":
                    unknown.append(f"“{paper.file}”: the plan has no field “{key}” to label")
                    continue
                before[key] = _said_now(session, document, field)
                values += _take(session, actor, document, field, said)
                after[key] = _said_now(session, document, field)
            document.set_name = SetName(paper.set) if paper.set in SETS else document.set_name
            is_done = paper.state == DocumentState.LABELLED and kind == "jsonl"
            change_state(document, DocumentState.LABELLED if is_done else DocumentState.IN_PROGRESS, By.PERSON)
            document.revision += 1
            record(
                session,
                actor,
                Action.LABEL_FROM_FILE,
                "document",
                document.id,
                fields=len(paper.labels),
                format=kind,
                before=before,
                after=after,
            )
    return TakenIn(taken, values, unknown)


def _said_now(session: Session, document: Document, field: Field) -> list[str]:
    """What a field's labels say, for a trace."""
    if field.kind == "table":
        return table_texts(session, document, field)
    session.flush()
    its = select(Label.text).where(Label.document_id == document.id, Label.field_id == field.id)
    return list(session.scalars(its.order_by(Label.position)))


def _document_of(session: Session, type_id: int, paper: PaperData) -> Document | None:
    mine = select(Document).where(
        Document.type_id == type_id, Document.purpose == Purpose.SAMPLE, Document.state.in_(LABEL_STATES)
    )
    found = None
    if paper.sha256:
        found = session.scalar(
            mine.join(SourceFile, Document.source_file_id == SourceFile.id)
            .where(SourceFile.sha256 == paper.sha256)
            .order_by((Document.name == paper.file).desc(), Document.id)
            .limit(1)
        )
    named = mine.where(Document.name.in_((paper.file, plain_name(paper.file))))
    return found or session.scalar(named.order_by((Document.name == paper.file).desc(), Document.id).limit(1))


def _take(session: Session, actor: Actor, document: Document, field: Field, said: FieldData) -> int:
    method = LabelMetadata(said.method if said.method in WAYS else Method.MARKED)
    if field.kind == "table":
        rows = [
            {
                key: CellInput(value.text, value.places[0].page, value.places[0].box, value.normal)
                if value.places
                else CellInput(value.text, normal=value.normal)
                for key, value in line.items()
            }
            for line in said.rows or []
        ]
        write_table(session, actor, document, field, rows, method=method)
        return sum(map(len, rows))
    given = [
        ValueInput(
            value.text,
            value.places[0].page if value.places else None,
            (),
            value.places[0].box if value.places else None,
            tuple(SpotInput(place.page, (), place.box) for place in value.places[1:]),
            value.normal,
        )
        for value in (said.values if field.many else said.values[:1])
    ]
    write_labels(session, actor, document, field, given, absent=said.absent and not given, method=method)
    return len(given)


def take_words(store: Store, actor: Actor, document_id: int, data: bytes, *, revision: int | None = None) -> int:
    """Put the words of an ALTO file in place of what was read, page by page. Returns how many words there are now.
    Conflict when the pages don't match, or the paper is settled."""
    actor.require(GATHER)
    pages = store.parsers.words_from_alto(data)
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if document.state in PAGES_FIXED:
            raise Conflict(f"“{document.name}” is {document.state}; its words can't be changed.")
        rows = session.scalars(select(PageRow).where(PageRow.document_id == document_id).order_by(PageRow.number)).all()
        if len(rows) != len(pages):
            raise Conflict(f"The ALTO file has {len(pages)} pages, “{document.name}” has {len(rows)}.")
        for row, words in zip(rows, pages, strict=True):
            row.words, row.word_count, row.read_at = pack_words(words), len(words), datetime.now(UTC)
            row.confidence, row.engine, row.source = Page(1, 1, 1, words).mean_confidence, "alto", "ocr"
        document.revision += 1
        total = sum(map(len, pages))
        record(session, actor, Action.IMPORT_WORDS, "document", document_id, words=total)
        return total
