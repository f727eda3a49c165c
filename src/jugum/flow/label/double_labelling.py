"""Two labellers: papers given to two people blind to each other, how far they agree, and the disputes an analyst
settles."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from jugum.core.evaluation.agreement import Agreement, agreement
from jugum.core.states import LABEL_STATES, By, DocumentState, Purpose
from jugum.core.values import normal_or_text, same_value
from jugum.errors import Conflict, InputError
from jugum.flow.label.desk_parts import ValueView
from jugum.flow.label.rows import (
    CellInput,
    columns_of,
    field_row,
    labelled_now,
    write_table,
    write_values,
)
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.people import labellers
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import value_type_of
from jugum.flow.states import change_state
from jugum.store import Store
from jugum.store.models import Assignment, BlindLabel, Document, Field, Label, Person


def _given(session: Session, document_id: int) -> list[Assignment]:
    return list(
        session.scalars(select(Assignment).where(Assignment.document_id == document_id).order_by(Assignment.id))
    )


def is_blind(session: Session, document: Document, person_id: int) -> bool:
    """Whether this person labels the paper apart from another. Conflict for somebody else while the two are at it."""
    given = _given(session, document.id)
    if not given or all(assignment.done_at for assignment in given):
        return False
    if person_id not in {assignment.person_id for assignment in given}:
        people = session.scalars(
            select(Person.name).where(Person.id.in_([assignment.person_id for assignment in given]))
        ).all()
        raise Conflict(f"“{document.name}” was given to {' and '.join(people)}, who label it independently.")
    return True


def own_labels(session: Session, document: Document, person_id: int) -> dict[int, list[Label]]:
    """What one of the two has said so far, in the shape of labels (which they are not yet)."""
    found: dict[int, list[Label]] = {}
    rows = {row.id: row for row in document.placed_type.fields}
    for label in session.scalars(
        select(BlindLabel).where(BlindLabel.document_id == document.id, BlindLabel.person_id == person_id)
    ):
        row = rows[label.field_id]
        if row.kind == "table":
            keys = {column.key: column for column in columns_of(row)}
            for position, cells in enumerate(label.value):
                for key, cell in cells.items():
                    found.setdefault(keys[key].id, []).append(_as_label(label, keys[key], position, cell))
            if not label.value:
                found[row.id] = [_absent(label)]
        elif label.absent:
            found[row.id] = [_absent(label)]
        else:
            found[row.id] = [_as_label(label, row, position, value) for position, value in enumerate(label.value)]
    return found


def _as_label(one: BlindLabel, row: Field, position: int, value: dict[str, Any]) -> Label:
    text = str(value["text"])
    return Label(
        document_id=one.document_id,
        field_id=row.id,
        position=position,
        absent=False,
        text=text,
        normal=value.get("normal") or normal_or_text(text, value_type_of(row)),
        page=value.get("page"),
        box=value.get("box"),
        more_places=value.get("more_places", []),
        ocr_text=value.get("ocr_text", ""),
        method=one.method,
        person_id=one.person_id,
        created_at=one.created_at,
    )


def _absent(one: BlindLabel) -> Label:
    return Label(
        document_id=one.document_id,
        field_id=one.field_id,
        position=0,
        absent=True,
        text="",
        normal="",
        more_places=[],
        ocr_text="",
        method=one.method,
        person_id=one.person_id,
        created_at=one.created_at,
    )


def say(
    session: Session,
    document: Document,
    row: Field,
    person_id: int,
    values: Sequence[ValueView],
    *,
    absent: bool,
    method: str,
) -> None:
    """Keep what one of the two says of a field; nothing and not absent takes it back."""
    said = [
        {
            "text": v.text,
            "normal": v.normal,
            "page": v.page,
            "box": v.box,
            "more_places": [list(m) for m in v.more_places],
            "ocr_text": v.ocr_text,
        }
        for v in values
    ]
    _keep(session, document, row, person_id, said, absent=absent, method=method)


def say_rows(
    session: Session,
    document: Document,
    row: Field,
    person_id: int,
    rows: Sequence[dict[str, CellInput]],
    *,
    method: str,
) -> None:
    said = [
        {
            key: {"text": cell.text.strip(), "page": cell.page, "box": cell.box}
            for key, cell in line.items()
            if cell.text.strip()
        }
        for line in rows
    ]
    said = [line for line in said if line]
    _keep(session, document, row, person_id, said, absent=not said, method=method)


def _keep(
    session: Session, document: Document, row: Field, person_id: int, said: list[Any], *, absent: bool, method: str
) -> None:
    session.execute(
        delete(BlindLabel).where(
            BlindLabel.document_id == document.id, BlindLabel.field_id == row.id, BlindLabel.person_id == person_id
        )
    )
    if said or absent:
        session.add(
            BlindLabel(
                document_id=document.id,
                field_id=row.id,
                person_id=person_id,
                absent=absent,
                method=method,
                value=said,
                created_at=datetime.now(UTC),
            )
        )
    session.flush()


def finished(session: Session, actor: Actor, document: Document) -> None:
    """One of the two is done. When both are, what they agree on becomes labels; the paper is labelled if that is
    all."""
    given = _given(session, document.id)
    for assignment in given:
        if assignment.person_id == actor.id:
            assignment.done_at = datetime.now(UTC)
    record(session, actor, Action.FINISH_BLIND, "document", document.id)
    session.flush()
    if not all(each.done_at for each in given):
        change_state(document, DocumentState.IN_PROGRESS, By.PERSON)
        return
    rows = {row.id: row for row in document.placed_type.fields}
    for field_id, (first, second) in _pairs(session, [document.id]).items():
        row = rows[field_id[1]]
        if _same(row, first, second):
            _make_label(session, document, row, first)
    _close_if_settled(session, document)


def _close_if_settled(session: Session, document: Document) -> None:
    session.flush()
    disputed = disputed_fields(session, document)
    change_state(document, DocumentState.IN_PROGRESS if disputed else DocumentState.LABELLED, By.PERSON)


def _pairs(session: Session, ids: Sequence[int]) -> dict[tuple[int, int], tuple[BlindLabel, BlindLabel]]:
    """(document, field) → the two opinions, where both are there."""
    by_field: dict[tuple[int, int], list[BlindLabel]] = defaultdict(list)
    for label in session.scalars(
        select(BlindLabel).where(BlindLabel.document_id.in_(ids)).order_by(BlindLabel.person_id)
    ):
        by_field[label.document_id, label.field_id].append(label)
    return {key: (its[0], its[1]) for key, its in by_field.items() if len(its) == 2}


def _normals(row: Field, one: BlindLabel) -> list[str]:
    """What an opinion says, in normal form: values in order, a table row by row."""
    if row.kind == "table":
        kinds = {column.key: value_type_of(column) for column in columns_of(row)}
        return [
            "|".join(f"{key}={normal_or_text(cell['text'], kinds[key])}" for key, cell in sorted(line.items()))
            for line in one.value
        ]
    return [str(value["normal"] or value["text"]) for value in one.value]


def _same(row: Field, first: BlindLabel, second: BlindLabel) -> bool:
    mine, theirs = _normals(row, first), _normals(row, second)
    if len(mine) != len(theirs):
        return False
    kind = value_type_of(row)
    return all(same_value(a, b, kind) for a, b in zip(mine, theirs, strict=True))


def _make_label(session: Session, document: Document, row: Field, one: BlindLabel) -> None:
    if row.kind == "table":
        rows = [
            {key: CellInput(cell["text"], cell["page"], _sides(cell["box"])) for key, cell in line.items()}
            for line in one.value
        ]
        person = Actor(one.person_id, "", "analyst")
        write_table(session, person, document, row, rows, method=one.method)
        return
    values = [
        ValueView(
            v["text"],
            v["normal"],
            v["page"],
            v["box"],
            more_places=[(p, b) for p, b in v["more_places"]],
            ocr_text=v["ocr_text"],
        )
        for v in one.value
    ]
    write_values(session, one.person_id, document, row, values, absent=one.absent, method=one.method)


def _sides(box: Sequence[float] | None) -> tuple[float, float, float, float] | None:
    return (box[0], box[1], box[2], box[3]) if box else None


def disputed_fields(session: Session, document: Document) -> set[int]:
    """Fields the two have said different things of, and nobody has settled."""
    given = _given(session, document.id)
    if not given or not all(assignment.done_at for assignment in given):
        return set()
    rows = {row.id: row for row in document.placed_type.fields}
    said = set(session.scalars(select(Label.field_id).where(Label.document_id == document.id)))
    return {
        field_id
        for (_, field_id), (first, second) in _pairs(session, [document.id]).items()
        if not _same(rows[field_id], first, second)
        and not ({field_id, *(column.id for column in columns_of(rows[field_id]))} & said)
    }


# ---- Giving, settling, figures ---------------------------------------------------------------------------------------


def give(store: Store, actor: Actor, type_id: int, papers: int, people: Sequence[int]) -> list[int]:
    """Give samples nobody has begun to two people for double labelling. Returns the papers given, the first that came
    first."""
    actor.require(LABEL)
    if len(set(people)) != 2:
        raise InputError("Papers are given to two different people.")
    with store.session() as session:
        may = {person.id for person in labellers(session, type_row(session, type_id))}
        if not set(people) <= may:
            raise InputError(
                "Both people must be analysts of this workspace or administrators: reviewers don't label samples."
            )
        waiting = session.scalars(
            select(Document)
            .where(
                Document.type_id == type_id,
                Document.purpose == Purpose.SAMPLE,
                Document.state == DocumentState.TO_LABEL,
                ~select(Assignment.id).where(Assignment.document_id == Document.id).exists(),
            )
            .order_by(Document.id)
            .limit(papers)
        ).all()
        if not waiting or papers < 1:
            raise InputError("There is no sample that nobody has begun.")
        for document in waiting:
            for person in people:
                session.add(Assignment(document_id=document.id, person_id=person))
            record(session, actor, Action.ASSIGN_TWO, "document", document.id, people=list(people))
        return [document.id for document in waiting]


def settle(
    store: Store, actor: Actor, document_id: int, key: str, person_id: int, *, revision: int | None = None
) -> int:
    """Settle a dispute: the answer of one of the two becomes the label. Returns the paper's revision. (Another answer
    is marked on the desk, which settles it too.)"""
    actor.require(LABEL)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        row = field_row(document, key)
        pair = _pairs(session, [document_id]).get((document_id, row.id))
        one = next((assignment for assignment in pair or () if assignment.person_id == person_id), None)
        if one is None or row.id not in disputed_fields(session, document):
            raise Conflict(f"{row.name} of “{document.name}” has no different answers any more.")
        _make_label(session, document, row, one)
        before = [_normals(row, other) for other in pair or ()]
        record(
            session,
            actor,
            Action.SETTLE_DISPUTE,
            "document",
            document_id,
            field=key,
            before=before,
            after=_normals(row, one),
        )
        _close_if_settled(session, document)
        document.revision += 1
        return document.revision


@dataclass(frozen=True)
class Answer:
    """One labeller's answer in a dispute."""

    person_id: int
    person: str
    text: str
    page: int | None
    box: list[float] | None


@dataclass(frozen=True)
class Dispute:
    document: int
    revision: int
    name: str
    field: str
    field_name: str
    answers: list[Answer]


@dataclass(frozen=True)
class FieldAgreement:
    key: str
    name: str
    figures: Agreement


@dataclass(frozen=True)
class Given:
    """Papers given to two: how many, how many both have finished, and how many wait for each person."""

    papers: int
    finished: int
    waiting: dict[str, int]


@dataclass(frozen=True)
class DoubleLabellingView:
    given: Given
    fields: list[FieldAgreement]
    disputes: list[Dispute]
    people: list[tuple[int, str]]


def overview(store: Store, type_id: int) -> DoubleLabellingView:
    """How far the two labellers of a type's papers agree, and what they dispute."""
    with store.session() as session:
        row = type_row(session, type_id)
        names: dict[int, str] = dict(session.execute(select(Person.id, Person.name)).all())
        given: dict[int, list[Assignment]] = defaultdict(list)
        for assignment in session.scalars(
            select(Assignment).join(Document).where(Document.type_id == type_id).order_by(Assignment.id)
        ):
            given[assignment.document_id].append(assignment)
        both = [number for number, its in given.items() if all(each.done_at for each in its)]
        waiting: dict[str, int] = defaultdict(int)
        for its in given.values():
            for each in its:
                if not each.done_at:
                    waiting[names[each.person_id]] += 1
        pairs = _pairs(session, both)
        documents = {
            document.id: document
            for document in session.scalars(
                select(Document).where(Document.id.in_(both), Document.state.in_(LABEL_STATES))
            )
        }
        disputed = {number: disputed_fields(session, document) for number, document in documents.items()}
        shown = [field for field in row.fields if "." not in field.key and field.kind != "derived"]
        fields = [FieldAgreement(field.key, field.name, agreement(_said_by_two(field, pairs))) for field in shown]
        disputes = [
            _dispute(documents[number], field, pairs[number, field.id], names)
            for number in documents
            for field in shown
            if field.id in disputed[number]
        ]
        return DoubleLabellingView(
            Given(len(given), len(both), dict(waiting)),
            fields,
            disputes,
            [(person.id, person.name) for person in labellers(session, row)],
        )


def _said_by_two(field: Field, pairs: dict[tuple[int, int], tuple[BlindLabel, BlindLabel]]) -> list[tuple[str, str]]:
    found = []
    for (_, field_id), (first, second) in sorted(pairs.items()):
        if field_id == field.id:
            mine = "; ".join(_normals(field, first))
            theirs = mine if _same(field, first, second) else "; ".join(_normals(field, second))
            found.append((mine, theirs))
    return found


def _dispute(document: Document, field: Field, pair: tuple[BlindLabel, BlindLabel], names: dict[int, str]) -> Dispute:
    answers = []
    for assignment in pair:
        first = next((value for value in assignment.value if isinstance(value, dict) and value.get("box")), {})
        text = (
            "; ".join(_normals(field, assignment))
            if field.kind == "table"
            else "; ".join(v["text"] for v in assignment.value)
        )
        answers.append(
            Answer(
                assignment.person_id,
                names[assignment.person_id],
                text or "not on this paper",
                first.get("page"),
                first.get("box"),
            )
        )
    return Dispute(document.id, document.revision, document.name, field.key, field.name, answers)
