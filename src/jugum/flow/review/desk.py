"""Review: the queue of held papers, the desk, and settling what was held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason, judge
from jugum.core.thresholds.effort import seconds_a_field
from jugum.core.values import normal_form, normal_or_text
from jugum.errors import Conflict, InputError
from jugum.flow.gather.documents import document_row
from jugum.flow.label.desk_parts import (
    PRESENCE_SECONDS,
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
from jugum.flow.label.rows import CellInput, checked_revision, field_row, write_labels, write_table
from jugum.flow.office.actor import REVIEW, Actor, record
from jugum.flow.plan.fields import plan_in, value_type_of
from jugum.flow.review.draft import context_of, let_stand, recheck, texts_now
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, LetStand, ModelVersion, Person, Policy, Reading, Result

OPEN_STATES = ("held", "settled", "passed")


@dataclass(frozen=True)
class QueueRow:
    """A held paper: how many fields, for which reasons, how long it has waited, who has it open."""

    id: int
    name: str
    received_at: datetime
    held: int
    reasons: dict[str, int]
    fields: list[str]
    opened_by: str | None


@dataclass(frozen=True)
class QueueView:
    rows: list[QueueRow]
    papers: int
    held: int
    oldest: datetime | None
    seconds_a_field: float | None
    settled_fields: int


def queue(store: Store, actor: Actor, type_id: int, *, reason: str | None = None, limit: int = 200) -> QueueView:
    """Held papers, the longest waiting first."""
    with store.session() as session:
        query = (
            select(Hold, Document, Field.name)
            .join(Document, Hold.document_id == Document.id)
            .join(Field, Hold.field_id == Field.id)
            .where(Document.type_id == type_id, Document.state == "held", Hold.settled_at.is_(None))
            .order_by(Document.received_at, Document.id, Field.position)
        )
        names = dict(session.execute(select(Person.id, Person.name)).all())
        grouped: dict[int, tuple[Document, list[Hold], list[str]]] = {}
        for hold, document, name in session.execute(query):
            _, holds, fields = grouped.setdefault(document.id, (document, [], []))
            holds.append(hold)
            fields.append(name)
        rows = [_queue_row(actor, names, *one) for one in grouped.values()]
        rows = [row for row in rows if reason is None or reason in row.reasons]
        pace, settled = _pace(session, type_id)
        return QueueView(
            rows[:limit], len(rows), sum(row.held for row in rows), rows[0].received_at if rows else None, pace, settled
        )


def _queue_row(
    actor: Actor, names: dict[int, str], document: Document, holds: list[Hold], fields: list[str]
) -> QueueRow:
    reasons: dict[str, int] = {}
    for hold in holds:
        reasons[hold.reason] = reasons.get(hold.reason, 0) + 1
    opened = document.opened_at and datetime.now(UTC) - document.opened_at < timedelta(seconds=PRESENCE_SECONDS)
    other = names.get(document.opened_by) if opened and document.opened_by not in (None, actor.id) else None
    return QueueRow(document.id, document.name, document.received_at, len(holds), reasons, fields, other)


def _pace(session: Session, type_id: int) -> tuple[float | None, int]:
    """Median seconds a reviewer takes a field, from the last 500 settled ones, and how many these are."""
    rows = session.execute(
        select(Hold.settled_by, Hold.settled_at)
        .join(Document)
        .where(Document.type_id == type_id, Hold.settled_at.is_not(None))
        .order_by(Hold.settled_at.desc())
        .limit(500)
    ).all()
    return seconds_a_field([(by, at.timestamp()) for by, at in rows if at is not None]), len(rows)


@dataclass(frozen=True)
class ReviewField:
    """A field on the reviewing desk. `hold` is the open reason, if any; `values` what stands now (drafted or settled);
    `others` the candidates next in line."""

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
    familiarity: float | None
    familiarity_least: float | None
    shape: FieldShape
    engine: str
    advisory: bool
    rows: list[list[ValueView | None]]


@dataclass(frozen=True)
class CheckView:
    """A check on the paper: its outcome, what is wrong, and who let it stand."""

    key: str
    said: str
    severity: str
    outcome: str
    let_stand_by: str


@dataclass(frozen=True)
class ReviewDesk:
    id: int
    name: str
    type_id: int
    type: str
    state: str
    revision: int
    version: int | None
    policy: int | None
    pages: list[PageView]
    fields: list[ReviewField]
    checks: list[CheckView]
    others: list[Other]
    previous: int | None
    next: int | None
    left: int


def desk(store: Store, actor: Actor, document_id: int, *, look: bool = False) -> ReviewDesk:
    """Everything the reviewing desk shows of a live paper. `look` is for provenance: it doesn't claim the paper."""
    actor.require(REVIEW)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != "live" or document.state in ("received", "placed", "set aside"):
            raise Conflict(f"“{document.name}” is {document.state}; there is nothing to review on it.")
        must_see_personal(actor, document)
        names = dict(session.execute(select(Person.id, Person.name)).all())
        policy = session.get(Policy, document.policy_id) if document.policy_id else None
        version = session.get(ModelVersion, document.version_id) if document.version_id else None
        holds = {
            h.field_id: h
            for h in session.scalars(select(Hold).where(Hold.document_id == document_id).order_by(Hold.id))
        }
        advisory = {
            key for key, severity in ((c["key"], c.get("severity")) for c in document.placed_type.checks) if severity
        }
        fields = [
            _review_field(session, document, row, holds.get(row.id), policy, names, advisory)
            for row in shown_fields(document, derived=True)
        ]
        before, after, left = _neighbours(session, actor, document)
        return ReviewDesk(
            document.id, document.name, document.placed_type.id, document.placed_type.name, document.state, document.revision,
            version.number if version else None, policy.number if policy else None, page_views(session, document_id),
            fields, _checks(session, document, names), [] if look else open_desk(session, actor, document), before, after, left,
        )  # fmt: skip


def _checks(session: Session, document: Document, names: dict[int, str]) -> list[CheckView]:
    stood = {
        row.check_key: names.get(row.person_id, "")
        for row in session.scalars(select(LetStand).where(LetStand.document_id == document.id))
    }
    judged = judge(plan_in(document.placed_type), texts_now(session, document), context_of(session, document))
    return [
        CheckView(one.check.key, one.said, one.check.severity.value, one.outcome.value, stood.get(one.check.key, ""))
        for one in judged
    ]


def _review_field(
    session: Session,
    document: Document,
    row: Field,
    hold: Hold | None,
    policy: Policy | None,
    names: dict[int, str],
    advisory: set[str],
) -> ReviewField:
    is_open = hold is not None and hold.settled_at is None
    readings, rows = _readings(session, document, row), []
    if row.kind == "table":
        columns = [one for one in document.placed_type.fields if one.inside == row.key]
        cells = [
            {v.position: _value(v, one, names) for v in _standing(session, document, one, is_open)} for one in columns
        ]
        rows = grid_of(cells)
        values = table_value(rows)
        readings = readings or [reading for one in columns for reading in _readings(session, document, one)]
    else:
        values = [_value(one, row, names) for one in _standing(session, document, row, is_open)]
    first = readings[0] if readings else None
    measured = first is not None and (first.engine == "model" or first.confidence > 0)
    others = [
        ValueView(o["text"], o["normal"], o["page"], o["box"], None, "model") for o in (first.others if first else [])
    ]
    return ReviewField(
        row.key, row.name, row.data_type, row.required, row.many,
        hold.reason if hold and is_open else None, hold.detail if hold and is_open else "",
        hold is not None and not is_open, values, [] if row.kind == "table" else others,
        round(first.confidence, 4) if first and measured else None,
        float(policy.thresholds[row.key]) if policy and row.key in policy.thresholds else None,
        round(first.familiarity, 4) if first and measured else None, policy.familiarity_least if policy else None,
        shape_of_field(row), first.engine if first else "",
        bool(hold and is_open and hold.checks and set(hold.checks) <= advisory and hold.reason == HoldReason.FAILS_A_CHECK), rows,
    )  # fmt: skip


def _readings(session: Session, document: Document, row: Field) -> list[Reading]:
    query = (
        select(Reading).where(Reading.document_id == document.id, Reading.field_id == row.id).order_by(Reading.position)
    )
    return list(session.scalars(query))


def _standing(session: Session, document: Document, row: Field, is_open: bool) -> list[Reading] | list[Result]:
    """What stands for a field now: its readings while it is held, else its results."""
    if is_open:
        return [one for one in _readings(session, document, row) if not one.absent]
    query = select(Result).where(Result.document_id == document.id, Result.field_id == row.id).order_by(Result.position)
    return list(session.scalars(query))


def _value(one: Reading | Result, row: Field, names: dict[int, str]) -> ValueView:
    normal = one.normal if row.kind == "derived" else normal_form(one.text, value_type_of(row)) or ""
    sure = one.confidence if one.confidence else None
    if isinstance(one, Reading):
        return ValueView(one.text, normal, one.page, one.box, sure if one.engine == "model" else None, one.engine)
    return ValueView(
        one.text,
        normal,
        one.page,
        one.box,
        sure,
        one.origin,
        names.get(one.person_id) if one.person_id else None,
        one.at,
    )


def _neighbours(session: Session, actor: Actor, document: Document) -> tuple[int | None, int | None, int]:
    """The paper this actor settled last, the next held paper that nobody else has open, and how many are held besides."""
    before = session.scalar(
        select(Document.id)
        .where(
            Document.type_id == document.type_id,
            Document.settled_by == actor.id,
            Document.state == "settled",
            Document.id != document.id,
        )
        .order_by(Document.settled_at.desc())
        .limit(1)
    )
    recent = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
    taken = (Document.opened_at > recent) & (Document.opened_by != actor.id)
    waiting = session.execute(
        select(Document.id, func.coalesce(taken, False))
        .where(
            Document.type_id == document.type_id,
            Document.purpose == "live",
            Document.state == "held",
            Document.id != document.id,
        )
        .order_by(Document.received_at, Document.id)
    ).all()
    free = [number for number, is_taken in waiting if not is_taken]
    after = next((number for number in free if number > document.id), free[0] if free else None)
    return before, after, len(waiting)


def first_held(store: Store, actor: Actor, type_id: int) -> int | None:
    with store.session() as session:
        recent = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
        taken = func.coalesce((Document.opened_at > recent) & (Document.opened_by != actor.id), False)
        return session.scalar(
            select(Document.id)
            .where(Document.type_id == type_id, Document.purpose == "live", Document.state == "held", ~taken)
            .order_by(Document.received_at, Document.id)
            .limit(1)
        )


@dataclass(frozen=True)
class Settled:
    """`holds` are the fields still held: key → reason and detail (a blocking check that fails holds a field again)."""

    revision: int
    state: str
    open: int
    next: int | None
    holds: dict[str, tuple[str, str]]


def settle(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    values: Sequence[ValueInput],
    *,
    absent: bool = False,
    rows: Sequence[dict[str, CellInput]] | None = None,
    revision: int | None = None,
) -> Settled:
    """A person says what a field of a live paper is, agreeing or mending (of a table: all its rows). It becomes the result and a
    label; advisory checks that the field was held for are let stand. Settling the last held field settles the paper, unless a
    blocking check fails: then it holds a field again. A required field may be settled as absent: the person has looked."""
    actor.require(REVIEW)
    if not absent and not values and rows is None:
        raise InputError("Say the value, or that it is not on this paper.")
    with store.session() as session:
        document = checked_revision(session, document_id, revision)
        if document.purpose != "live" or document.state not in OPEN_STATES:
            raise Conflict(f"“{document.name}” is {document.state}; its fields can't be changed here.")
        must_see_personal(actor, document)
        row = field_row(document, key)
        if row.kind == "table":
            outcome = _settle_table(session, actor, document, row, rows or [])
        else:
            outcome = _settle_field(session, actor, document, row, values, absent=absent)
        hold = session.scalar(
            select(Hold).where(Hold.document_id == document.id, Hold.field_id == row.id, Hold.settled_at.is_(None))
        )
        if hold is not None:
            hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), actor.id, outcome
            session.flush()
            let_stand(session, document, hold, actor.id)
        recheck(session, document, actor.id)
        open_now = _open_holds(session, document_id)
        if not open_now:
            document.state, document.settled_at, document.settled_by = "settled", datetime.now(UTC), actor.id
            document.opened_by = document.opened_at = None
        elif document.state != "held":
            document.state, document.settled_at, document.settled_by = "held", None, None
        document.revision += 1
        record(session, actor, "settle", "document", document_id, field=key, outcome=outcome)
        after = _neighbours(session, actor, document)[1]
        return Settled(document.revision, document.state, len(open_now), after, open_now)


def _open_holds(session: Session, document_id: int) -> dict[str, tuple[str, str]]:
    """Fields that are held: key → reason and detail."""
    found = session.execute(
        select(Field.key, Hold.reason, Hold.detail)
        .join(Field, Hold.field_id == Field.id)
        .where(Hold.document_id == document_id, Hold.settled_at.is_(None))
    )
    return {key: (reason, detail) for key, reason, detail in found}


def _settle_field(
    session: Session, actor: Actor, document: Document, row: Field, values: Sequence[ValueInput], *, absent: bool
) -> str:
    if row.kind == "derived":
        raise InputError(f"{row.name} is worked out from other fields. Mend those.")
    kind = value_type_of(row)
    resolved = [resolve(session, document.id, row, given) for given in values]
    for value in resolved:
        if not value.normal:
            raise InputError(
                f"“{value.text}” can't be read as {kind.data_type}. Mend it, or say that it is not on this paper."
            )
    drafted = [one for one in _readings(session, document, row) if not one.absent]
    agreed = [one.normal for one in drafted] == [normal_or_text(value.text, kind) for value in resolved]
    sure = drafted[0].confidence if drafted and agreed else None
    session.execute(delete(Result).where(Result.document_id == document.id, Result.field_id == row.id))
    for position, value in enumerate(resolved):
        session.add(_result(document, row, actor, position, value.text, value.normal, value.page, value.box, sure))
    write_labels(session, actor, document, row, values, absent=absent, how="review")
    return "absent" if absent else "agreed" if agreed else "mended"


def _result(
    document: Document, row: Field, actor: Actor, position: int, text: str, normal: str, page: int | None,
    box: list[float] | None, sure: float | None = None,
) -> Result:  # fmt: skip
    return Result(
        document_id=document.id, field_id=row.id, position=position, text=text, normal=normal, page=page, box=box,
        confidence=sure or None, origin="person", version_id=document.version_id, policy_id=document.policy_id, person_id=actor.id,
    )  # fmt: skip


def _settle_table(
    session: Session, actor: Actor, document: Document, row: Field, rows: Sequence[dict[str, CellInput]]
) -> str:
    columns = {one.key: one for one in document.placed_type.fields if one.inside == row.key}
    before = {
        key: {o.position: o.text for o in _readings(session, document, one) if not o.absent}
        for key, one in columns.items()
    }
    filled = [given for given in rows if any(cell.text.strip() for cell in given.values())]
    for number, given in enumerate(filled, 1):
        for key, cell in given.items():
            if key in columns and cell.text.strip() and normal_form(cell.text, value_type_of(columns[key])) is None:
                raise InputError(
                    f"“{cell.text}” in row {number} can't be read as {columns[key].data_type}. Mend it, or leave the cell empty."
                )
    write_table(session, actor, document, row, filled, how="review")
    session.execute(
        delete(Result).where(
            Result.document_id == document.id, Result.field_id.in_([one.id for one in columns.values()])
        )
    )
    after: dict[str, dict[int, str]] = {key: {} for key in columns}
    for position, given in enumerate(filled):
        for key, cell in given.items():
            if cell.text.strip():
                text, kind = cell.text.strip(), value_type_of(columns[key])
                box = list(cell.box) if cell.box and cell.page else None
                page = cell.page if box else None
                session.add(
                    _result(document, columns[key], actor, position, text, normal_form(text, kind) or "", page, box)
                )
                after[key][position] = text
    return "absent" if not filled else "agreed" if before == after else "mended"
