"""Values keyed in the past become labels: each is looked for on its paper; what may stand in several places waits
for one key."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.values.placing import Placement, place_value, placed_examples
from jugum.core.extraction.values.similarities import Example
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.states import LABEL_STATES, By, DocumentState, Method, Purpose, RecordState
from jugum.core.values import DataType, date_order, normal_form
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.documents import plain_name
from jugum.flow.gather.pages import pages_of
from jugum.flow.gather.read import unchanged_row
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.layouts import group_new
from jugum.flow.label.rows import field_row, write_labels
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.personal import shown
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import as_said, plan_of
from jugum.flow.states import change_state
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Label, PastRecord

PLACES_KEPT = 9
EXAMPLES_PER_LAYOUT = 6


@dataclass(frozen=True)
class PastRecordsReport:
    """What became of values from past records: placed on the page, to be chosen among several places, kept without a
    place; and lines of the file that could not be used."""

    placed: int
    ambiguous: int
    not_found: int
    unknown: list[str]


def import_records(
    store: Store,
    actor: Actor,
    type_id: int,
    data: bytes,
    *,
    complete: bool = False,
    told: Callable[[int, int], None] = lambda done, of: None,
) -> PastRecordsReport:
    """Labels from a CSV of values keyed in the past, `file,type,field,value`; each value's place is found by matching.

    What is placed clearly on one paper shows where to look on the next of the same layout. A value that is not found
    on its page, or stands in several places, is kept without a place; the latter wait to be chosen. `complete` says
    that the CSV has every value of the papers it names: their other fields become "not on this paper" and the papers
    labelled. Rows that name unknown files, types or fields are told in `unknown` and change nothing. `told` is called
    with how many papers of how many are done, each twice: looked at, saved.
    """
    actor.require(LABEL)
    rows = store.parsers.past_records_of(data)
    group_new(store, type_id)
    with store.session() as session:
        row_type = type_row(session, type_id)
        by_file, unknown = _sorted(row_type, rows)
        found: list[tuple[Document, dict[str, list[str]]]] = []
        for name, given in by_file.items():
            document = _sample_named(session, type_id, name)
            if document is None:
                unknown.append(f"file “{name}”: no sample of this name has been read")
            elif any(document is other for other, _ in found):
                unknown.append(f"file “{name}”: “{document.name}” is another file of these records")
            else:
                found.append((document, given))
        counts = _place_all(session, actor, row_type, found, complete, told)
    return PastRecordsReport(
        counts[RecordState.FOUND], counts[RecordState.AMBIGUOUS], counts[RecordState.NOT_FOUND], unknown
    )


def _sorted(
    row_type: DocumentType, rows: Sequence[Mapping[str, str]]
) -> tuple[dict[str, dict[str, list[str]]], list[str]]:
    """Values by file and field key, and what could not be used. Columns are known by their keys only: a table may
    well have a column of the same name as a field."""
    fields = {f.name.casefold(): f for f in row_type.fields if "." not in f.key} | {f.key: f for f in row_type.fields}
    by_file: dict[str, dict[str, list[str]]] = {}
    unknown = []
    for number, row in enumerate(rows, start=2):
        field = fields.get(row["field"].casefold())
        if row["type"].casefold() not in (row_type.key, row_type.name.casefold(), ""):
            unknown.append(f"line {number}: type “{row['type']}”")
        elif field is None:
            unknown.append(f"line {number}: field “{row['field']}”")
        elif field.kind in ("table", "derived") or "." in field.key:
            unknown.append(
                f"line {number}: “{row['field']}” is not a field that past records can fill; label tables on the desk"
            )
        else:
            by_file.setdefault(row["file"], {}).setdefault(field.key, []).extend([row["value"]] if row["value"] else [])
    return by_file, unknown


def _sample_named(session: Session, type_id: int, name: str) -> Document | None:
    return session.scalar(
        select(Document)
        .where(
            Document.type_id == type_id,
            Document.name.in_((name, plain_name(name))),  # keyed with its folder, maybe
            Document.purpose == Purpose.SAMPLE,
            Document.state.in_(LABEL_STATES),
        )
        .order_by((Document.name == name).desc(), Document.id.desc())
    )


@dataclass
class _Paper:
    """A paper with its values from past records: field key → its texts, and a placement for each of them. `plan` is
    that of the fields looked for, dates in the paper's own order."""

    document: Document
    plan: Plan
    given: dict[str, list[str]]
    pages: tuple[Page, ...]
    placed: dict[str, list[Placement]]


def _place_all(
    session: Session,
    actor: Actor,
    row_type: DocumentType,
    found: Sequence[tuple[Document, dict[str, list[str]]]],
    complete: bool,
    told: Callable[[int, int], None],
) -> dict[RecordState, int]:
    """Two rounds: what was placed clearly in the first shows where the rest stands on papers of the same layout."""
    papers = [
        _Paper(document, plan_of(document).learned, given, pages_of(session, document.id), {})
        for document, given in _with_iso_dates(row_type, found)
    ]
    for number, paper in enumerate(papers):
        paper.placed = _placed(paper, ())
        told(number + 1, 2 * len(papers))
    examples: dict[int | None, list[Example]] = defaultdict(list)
    taught: dict[int | None, int] = defaultdict(int)
    for number, paper in enumerate(papers):
        layout = paper.document.layout_group_id
        if layout is not None and taught[layout] < EXAMPLES_PER_LAYOUT:
            taught[layout] += 1
            clear = {key: places[0] for key, places in paper.placed.items() if len(places) == 1}
            examples[layout] += placed_examples(paper.plan, number, clear)
    counts = dict.fromkeys(RecordState, 0)
    for number, paper in enumerate(papers):
        its = [example for example in examples[paper.document.layout_group_id] if example.paper != number]
        if its and any(place.state is RecordState.AMBIGUOUS for some in paper.placed.values() for place in some):
            paper.placed = _placed(paper, its)
        _write(session, actor, paper, counts, complete=complete)
        told(len(papers) + number + 1, 2 * len(papers))
    return counts


def _with_iso_dates(
    row_type: DocumentType, found: Sequence[tuple[Document, dict[str, list[str]]]]
) -> list[tuple[Document, dict[str, list[str]]]]:
    """The values with their dates in ISO 8601: whoever keyed them wrote the office's order of day and month, whatever
    the papers have. It is the one that the records' own dates tell, else that of the type's papers."""
    kinds = {field.key: field.value_type for field in as_said(row_type).fields if field.data_type is DataType.DATE}
    told = date_order(text for _, given in found for key in kinds.keys() & given.keys() for text in given[key]).of_paper
    order = row_type.reads_month_first if told is None else told
    said = {key: kind.on_paper(order) for key, kind in kinds.items()}
    return [
        (
            document,
            {
                key: [normal_form(text, said[key]) or text for text in texts] if key in said else texts
                for key, texts in given.items()
            },
        )
        for document, given in found
    ]


def _placed(paper: _Paper, examples: Sequence[Example]) -> dict[str, list[Placement]]:
    plan = paper.plan
    learned = {field.key for field in plan.fields}
    single = {key: texts[0] for key, texts in paper.given.items() if key in learned and len(texts) == 1}
    placed = {key: [one] for key, one in place_value(plan, paper.pages, single, examples).items()}
    for key, texts in paper.given.items():
        if key in learned and len(texts) > 1:
            placed[key] = [place_value(plan, paper.pages, {key: text}, examples)[key] for text in texts]
    return placed


def _write(session: Session, actor: Actor, paper: _Paper, counts: dict[RecordState, int], *, complete: bool) -> None:
    document = paper.document
    dates = {field.key for field in paper.plan.fields if field.data_type is DataType.DATE}
    session.execute(delete(PastRecord).where(PastRecord.document_id == document.id))
    learned = {field.key for field in paper.plan.fields}
    for row in document.placed_type.fields:
        if row.kind in ("table", "derived") or "." in row.key or (row.key not in paper.given and not complete):
            continue
        texts = paper.given.get(row.key, [])[: None if row.many else 1]
        if row.key not in learned:
            if row.key in paper.given:
                values = [ValueInput(text) for text in texts]
                write_labels(session, actor, document, row, values, absent=not texts, method=Method.PAST_RECORD)
            continue
        values = []
        for position, (text, one) in enumerate(zip(texts, paper.placed.get(row.key, []), strict=False)):
            counts[one.state] += 1
            spot = one.candidate if one.state is RecordState.FOUND else None
            printed = spot.text if spot and row.key in dates else text
            values.append(ValueInput(printed, spot.page if spot else None, (), spot.box if spot else None))
            session.add(
                PastRecord(
                    document_id=document.id,
                    field_id=row.id,
                    position=position,
                    text=text,
                    state=one.state.value,
                    match=one.match.value,
                    places=[_place(place) for place in one.places[:PLACES_KEPT]],
                    person_id=actor.id,
                )
            )
        write_labels(session, actor, document, row, values, absent=not values, method=Method.PAST_RECORD)
    change_state(document, DocumentState.LABELLED if complete else DocumentState.IN_PROGRESS, By.PERSON)
    document.revision += 1
    record(session, actor, Action.LABEL_FROM_RECORDS, "document", document.id, fields=len(paper.given))


def _place(candidate: Candidate) -> dict[str, Any]:
    return {"text": candidate.text, "page": candidate.page, "box": [round(side, 5) for side in candidate.box]}


# ---- What waits to be chosen -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class RecordPlace:
    text: str
    page: int
    box: list[float]


@dataclass(frozen=True)
class ToChoose:
    """A value from past records that may stand in several places."""

    id: int
    document: int
    name: str
    field: str
    field_name: str
    text: str
    places: list[RecordPlace]
    revision: int


@dataclass(frozen=True)
class PastRecordsView:
    """Past records of a type by what became of them and how they matched, those to choose, and those not found."""

    counts: dict[str, int]
    matches: dict[str, int]
    to_choose: list[ToChoose]
    not_found: list[ToChoose]


def overview(store: Store, type_id: int, limit: int = 100) -> PastRecordsView:
    with store.session() as session:
        type_row(session, type_id)
        its = select(PastRecord).join(Field, PastRecord.field_id == Field.id).where(Field.type_id == type_id)
        counts = _counted(session, type_id, PastRecord.state)
        matches = _counted(session, type_id, PastRecord.match)
        waiting = session.scalars(
            its.where(PastRecord.state == RecordState.AMBIGUOUS).order_by(PastRecord.id).limit(limit)
        ).all()
        missing = session.scalars(
            its.where(PastRecord.state == RecordState.NOT_FOUND).order_by(PastRecord.id).limit(limit)
        ).all()
        return PastRecordsView(counts, matches, _to_choose(session, waiting), _to_choose(session, missing))


def _counted(session: Session, type_id: int, column: Any) -> dict[str, int]:
    rows = session.execute(
        select(column, func.count(PastRecord.id))
        .join(Field, PastRecord.field_id == Field.id)
        .where(Field.type_id == type_id)
        .group_by(column)
    )
    return {name: count for name, count in rows}


def _to_choose(session: Session, rows: Sequence[PastRecord]) -> list[ToChoose]:
    found = []
    for row in rows:
        document, field = session.get_one(Document, row.document_id), session.get_one(Field, row.field_id)
        key = field.key
        places = [RecordPlace(shown(place["text"], key), place["page"], place["box"]) for place in row.places]
        text = shown(row.text, key)
        found.append(ToChoose(row.id, document.id, document.name, key, field.name, text, places, document.revision))
    return found


def choose(store: Store, actor: Actor, record_id: int, place: int | None, *, revision: int | None = None) -> int:
    """Say where a value from past records stands: one of its places (from 0), or (None) at none of them; it is kept.
    Returns the paper's revision."""
    actor.require(LABEL)
    with store.session() as session:
        row = session.get(PastRecord, record_id, with_for_update=True)
        if row is None:
            raise NotFound(f"There is no past record {record_id}.")
        if place is not None and not 0 <= place < len(row.places):
            raise InputError(f"There are {len(row.places)} places to choose from.")
        document = unchanged_row(session, row.document_id, revision)
        field = field_row(document, session.get_one(Field, row.field_id).key)
        labels = session.scalars(
            select(Label).where(Label.document_id == document.id, Label.field_id == field.id).order_by(Label.position)
        ).all()
        mine = next((label for label in labels if label.position == row.position and label.text == row.text), None)
        if mine is None:
            raise Conflict(f"{field.name} of “{document.name}” was labelled differently in the meantime.")
        if place is not None:
            spot = row.places[place]
            mine.page, mine.box, mine.ocr_text = spot["page"], spot["box"], spot["text"]
        row.state = RecordState.CHOSEN if place is not None else RecordState.NOT_FOUND
        document.revision += 1
        record(
            session,
            actor,
            Action.LABEL,
            "document",
            document.id,
            field=field.key,
            before=[row.text],
            after=[row.text],
            method=Method.PAST_RECORD,
            place=place,
        )
        return document.revision
