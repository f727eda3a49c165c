"""The reviewing desk: a live paper's fields with what was read, why they are held, and what checks say."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.schema import Context, FieldKind, Plan, judge, mending, needed
from jugum.core.schema.checks import Texts
from jugum.core.states import DocumentState, Origin, Purpose
from jugum.core.values import normal_form
from jugum.errors import Conflict
from jugum.flow.gather.documents import document_row
from jugum.flow.in_force import thresholds_of
from jugum.flow.label.desk_parts import (
    FieldShape,
    Other,
    PageView,
    ValueView,
    grid_of,
    must_see_personal,
    open_desk,
    page_views,
    shape_of_field,
    shown_fields,
    table_value,
)
from jugum.flow.office.actor import LET_STAND, REVIEW, Actor
from jugum.flow.plan.fields import plan_of, value_type_of
from jugum.flow.review.aside import reasons_of
from jugum.flow.review.queue import neighbours
from jugum.flow.review.records import PaperRecords, context_of, load_records
from jugum.store import Store
from jugum.store.models import Document, Field, Label, ModelVersion, Person, Policy, Reading, Result


@dataclass(frozen=True)
class ReviewField:
    """A field on the reviewing desk. `hold` is the open reason, if any; `values` what stands now (drafted or settled);
    `others` the candidates next in line; `checks` those it is held for, of which
    `blocking` must hold."""

    key: str
    name: str
    data_type: str
    required: bool
    many: bool
    hold: str | None
    detail: str
    settled: bool
    values: list[ValueView]
    others: list[ValueView]
    confidence: float | None
    threshold: float | None
    layout_similarity: float | None
    layout_similarity_min: float | None
    shape: FieldShape
    engine: str
    advisory: bool
    blocking: list[str]
    checks: list[str]
    rows: list[list[ValueView | None]]


@dataclass(frozen=True)
class MendView:
    """What would make a failing check true: a candidate of a field (`other`, its place among them), or what the field
    would have to be (None)."""

    key: str
    name: str
    text: str
    other: int | None


@dataclass(frozen=True)
class CheckView:
    """A check on the paper: its outcome, what is wrong, who let it stand, and what would make it true."""

    key: str
    said: str
    severity: str
    outcome: str
    let_stand_by: str
    reason: str
    mends: list[MendView]


@dataclass(frozen=True)
class ReviewDesk:
    """A live paper at the desk. `read_with`: with how many others of its layout it was read, None where that is
    known. `check`: what a spot check that is not done asks for: "open", or "blind"; empty without one."""

    id: int
    name: str
    type_id: int
    type: str
    state: str
    revision: int
    version: int | None
    policy: int | None
    read_with: int | None
    check: str
    pages: list[PageView]
    fields: list[ReviewField]
    checks: list[CheckView]
    others: list[Other]
    previous: int | None
    next: int | None
    left: int
    may_let_stand: bool
    seen_by: str
    aside_reasons: list[str]


def desk(store: Store, actor: Actor, document_id: int, *, look: bool = False) -> ReviewDesk:
    """Everything the reviewing desk shows of a live paper, by a number of queries that does not grow with its
    fields. `look` is for provenance: it doesn't claim the paper, and hides nothing of what is to be checked blind."""
    actor.require(REVIEW)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != Purpose.LIVE or document.state in (
            DocumentState.RECEIVED,
            DocumentState.PLACED,
            DocumentState.SET_ASIDE,
        ):
            raise Conflict(f"“{document.name}” is {document.state}; there is nothing to review on it.")
        must_see_personal(session, actor, document)
        records = load_records(session, document)
        names = people_named(session, [records])
        version, policy = _in_force(session, document)
        said = {} if look else said_blind(session, records)
        fields = [
            review_field(records, row, policy, names, said, hidden=records.is_unseen(row) and not look)
            for row in shown_fields(document, derived=True)
        ]
        near = neighbours(session, actor, document)
        return ReviewDesk(
            document.id,
            document.name,
            document.placed_type.id,
            document.placed_type.name,
            document.state,
            document.revision,
            version,
            policy.number if policy else None,
            document.read_with,
            _check(records),
            page_views(session, document_id),
            fields,
            _checks(session, records, names),
            [] if look else open_desk(session, actor, document),
            near.before,
            near.after,
            near.left,
            actor.can(LET_STAND),
            names.get(document.seen_by, "") if document.seen_by else "",
            reasons_of(document.placed_type),
        )


def people_named(session: Session, papers: Iterable[PaperRecords]) -> dict[int, str]:
    """The names of the people who settled something on papers, accepted a check as it is, or saw a whole paper."""
    wanted: set[int | None] = set()
    for records in papers:
        wanted |= {result.person_id for its in records.results.values() for result in its}
        wanted |= {waiver.person_id for waiver in records.waivers.values()}
        wanted.add(records.document.seen_by)
    wanted.discard(None)
    if not wanted:
        return {}
    return {
        number: name for number, name in session.execute(select(Person.id, Person.name).where(Person.id.in_(wanted)))
    }


def _in_force(session: Session, document: Document) -> tuple[int | None, Policy | None]:
    """The number of the version that the paper was drafted with, and the policy it was routed by."""
    found = session.execute(
        select(ModelVersion.number, Policy)
        .select_from(Document)
        .outerjoin(ModelVersion, Document.version_id == ModelVersion.id)
        .outerjoin(Policy, Document.policy_id == Policy.id)
        .where(Document.id == document.id)
    ).one()
    return found[0], found[1]


def _checks(session: Session, records: PaperRecords, names: Mapping[int, str]) -> list[CheckView]:
    plan = plan_of(records.document)
    texts, context = records.texts(), context_of(session, records.document, plan)
    judged = judge(plan, texts, context)
    mends = _mends(records, plan, texts, context)
    return [
        CheckView(
            judgement.check.key,
            judgement.said,
            judgement.check.severity.value,
            judgement.outcome.value,
            names.get(waiver.person_id, "") if (waiver := records.waivers.get(judgement.check.key)) else "",
            waiver.reason if waiver else "",
            mends.get(judgement.check.key, []) if waiver is None else [],
        )
        for judgement in judged
    ]


def _mends(records: PaperRecords, plan: Plan, texts: Texts, context: Context) -> dict[str, list[MendView]]:
    """What would make each failing check true, by its key: candidates, or else what a field would have to be."""
    unseen = {row.key for row in records.fields if records.is_unseen(row)}
    others = {
        row.key: [other["text"] for other in readings[0].others]
        for row in records.fields
        if row.kind == FieldKind.VALUE and row.key not in unseen and (readings := records.readings.get(row.id))
    }
    names = {row.key: row.name for row in records.fields}
    found = {}
    for key, choices in mending(plan, texts, others, context).items():
        check = next(check for check in plan.checks if check.key == key)
        found[key] = [
            MendView(choice.field, names[choice.field], others[choice.field][choice.other], choice.other)
            for choice in choices
        ] or [MendView(field, names[field], text, None) for field, text in needed(plan, texts, check, context).items()]
    return found


def _check(records: PaperRecords) -> str:
    if records.check is None or records.check.done_at is not None:
        return ""
    return "blind" if records.check.blind else "open"


def said_blind(session: Session, records: PaperRecords) -> dict[int, list[ValueView]]:
    """What a person said of values (field id → its values) before they saw what had passed, of those that differ."""
    asked = [
        row.id
        for row in records.fields
        if records.is_blind and records.waits_for_check(row) and not records.is_unseen(row)
    ]
    if not asked:
        return {}
    labels = session.scalars(
        select(Label)
        .where(Label.document_id == records.document.id, Label.field_id.in_(asked), ~Label.absent)
        .order_by(Label.position)
    )
    said: dict[int, list[ValueView]] = {field_id: [] for field_id in asked}
    for label in labels:
        value = ValueView(label.text, label.normal, label.page, label.box, None, Origin.PERSON)
        said[label.field_id].append(value)
    return said


def review_field(
    records: PaperRecords,
    row: Field,
    policy: Policy | None,
    names: Mapping[int, str],
    said_blind: Mapping[int, list[ValueView]],
    *,
    hidden: bool,
) -> ReviewField:
    """`hidden`: its value is to be said before what passed is seen."""
    held = records.held(row)
    readings = [reading for column in records.columns(row) for reading in records.readings.get(column.id, [])]
    rows: list[list[ValueView | None]] = []
    if row.kind == "table":
        columns = records.columns(row)
        said = [
            {v.position: _value(v, column, records.document, names) for v in records.standing(column)}
            for column in columns
        ]
        rows = grid_of(said)
        values = table_value(rows)
    else:
        values = [_value(value, row, records.document, names) for value in records.standing(row)]
    first = readings[0] if readings else None
    others = [
        ValueView(o["text"], o["normal"], o["page"], o["box"], None, "model") for o in (first.others if first else [])
    ]
    if row.id in said_blind and row.kind != "table":
        values, others = said_blind[row.id], values
    if hidden:
        values, others, rows = [], [], []
    return ReviewField(
        row.key,
        row.name,
        row.data_type,
        row.required,
        row.many,
        held.reason if held else None,
        held.detail if held else "",
        held is None and (row.id in records.settled or row.id in records.checked),
        values,
        [] if row.kind == "table" else others,
        _rounded(first.confidence if first and not hidden else None),
        thresholds_of(policy).by_field.get(row.key) if policy else None,
        _rounded(first.layout_similarity if first else None),
        policy.layout_similarity_min if policy else None,
        shape_of_field(row),
        first.engine if first else "",
        held.advisory if held else False,
        held.blocking if held else [],
        held.checks if held else [],
        rows,
    )


def _rounded(share: float | None) -> float | None:
    return None if share is None else round(share, 4)


def _value(one: Reading | Result, row: Field, document: Document, names: Mapping[int, str]) -> ValueView:
    normal = one.normal if row.kind == "derived" else normal_form(one.text, value_type_of(row, document)) or ""
    if isinstance(one, Reading):
        return ValueView(one.text, normal, one.page, one.box, one.confidence, one.engine)
    person = names.get(one.person_id) if one.person_id else None
    return ValueView(one.text, normal, one.page, one.box, one.confidence, one.origin, person, one.created_at)
