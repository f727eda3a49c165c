"""Review: drafting live papers, holding what is not sure enough, and settling what was held."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.extraction import Decision
from jugum.core.schema import FieldPlan, HoldReason, Problem
from jugum.core.thresholds import Drafted, Rule, hold_for
from jugum.core.thresholds.effort import seconds_a_field
from jugum.core.values import DataType, normal_form
from jugum.errors import Conflict, InputError
from jugum.flow.actor import REVIEW, Actor, record
from jugum.flow.desk import PRESENCE_SECONDS, Other, PageView, ValueInput, ValueView, open_desk, page_views, resolve
from jugum.flow.gather import document_row, pages_of
from jugum.flow.label import checked_revision, field_row, normal_or_text, write_labels
from jugum.flow.models import LoadedVersions
from jugum.flow.plan import plan_in
from jugum.flow.train import live_version
from jugum.flow.weigh import current_policy
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, ModelVersion, Person, Policy, Reading, Result

OPEN_STATES = ("held", "settled", "passed")


def draft(store: Store, document_id: int, versions: LoadedVersions) -> None:
    """Draft a live paper with the live version and route its fields by the policy. Repeatable: a paper that a person has
    begun, or that is done, is left alone."""
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None or document.purpose != "live" or document.state not in ("placed", "drafted", "held"):
            return
        version = live_version(session, document.type_id)
        if version is None or version.file_key is None:
            return  # it waits as "placed"; publishing a version drafts it
        if session.scalar(
            select(func.count(Hold.id)).where(Hold.document_id == document_id, Hold.settled_at.is_not(None))
        ):
            return
        policy = current_policy(session, document.type_id)
        decisions = versions.decide(store, version.file_key, pages_of(session, document_id))
        for table in (Hold, Result, Reading):
            session.execute(delete(table).where(table.document_id == document_id))
        document.version_id, document.policy_id = version.id, policy.id if policy else None
        held = _route(session, document, decisions, policy)
        document.state = "held" if held else "passed"
        document.revision += 1
        record(session, None, "draft", "document", document_id, version=version.number, held=held)


def _route(session: Session, document: Document, decisions: list[tuple[Decision, float]], policy: Policy | None) -> int:
    """Keep readings; hold fields or write their results. Returns how many fields are held."""
    by_key = {decision.field: (decision, sure) for decision, sure in decisions}
    plan = plan_in(document.type)
    held = 0
    for row in document.type.fields:
        problem: Problem | None
        if row.key not in by_key:  # a field that came after the version was trained
            problem = Problem(row.key, HoldReason.MISSING, "the live version was trained before this field was planned")
            chosen: Sequence[Any] = ()
            sure = 0.0
        else:
            decision, sure = by_key[row.key]
            chosen = decision.chosen
            _keep_readings(session, document, row, decision, sure)
            problem = _problem(plan.field(row.key), decision, sure, policy)
        if problem is not None:
            session.add(
                Hold(document_id=document.id, field_id=row.id, reason=problem.reason.value, detail=problem.detail)
            )
            held += 1
            continue
        for position, choice in enumerate(chosen):
            found = choice.candidate
            session.add(
                Result(
                    document_id=document.id, field_id=row.id, position=position, text=found.text, normal=found.normal,
                    page=found.page, box=[round(v, 5) for v in found.box], confidence=sure, origin="model",
                    version_id=document.version_id, policy_id=document.policy_id,
                )
            )  # fmt: skip
    return held


def _problem(field: FieldPlan, decision: Decision, sure: float, policy: Policy | None) -> Problem | None:
    drafted = Drafted(tuple(choice.candidate.text for choice in decision.chosen), sure, decision.familiarity)
    if policy is None or field.key not in policy.thresholds:
        return hold_for(field, drafted, Rule(2.0, 0.0)) and Problem(
            field.key, HoldReason.LOW_CONFIDENCE, "no policy says yet how sure is sure enough: set it in Weigh"
        )
    return hold_for(field, drafted, Rule(float(policy.thresholds[field.key]), policy.familiarity_least))


def _keep_readings(session: Session, document: Document, row: Field, decision: Decision, sure: float) -> None:
    others = [
        {"text": c.candidate.text, "normal": c.candidate.normal, "page": c.candidate.page,
         "box": [round(v, 5) for v in c.candidate.box]}
        for c in decision.others
    ]  # fmt: skip
    common = {
        "document_id": document.id, "field_id": row.id, "version_id": document.version_id, "confidence": sure,
        "familiarity": decision.familiarity, "others": others,
    }  # fmt: skip
    if decision.absent:
        session.add(Reading(absent=True, text="", normal="", **common))
    for position, choice in enumerate(decision.chosen):
        found = choice.candidate
        session.add(
            Reading(position=position, text=found.text, normal=found.normal, page=found.page,
                    box=[round(v, 5) for v in found.box], **common)
        )  # fmt: skip


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
    others: list[Other]
    previous: int | None
    next: int | None
    left: int


def desk(store: Store, actor: Actor, document_id: int, *, look: bool = False) -> ReviewDesk:
    """Everything the reviewing desk shows of a live paper. `look` is for provenance: it doesn't claim the paper."""
    actor.must(REVIEW)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose != "live" or document.state in ("received", "placed", "set aside"):
            raise Conflict(f"“{document.name}” is {document.state}; there is nothing to review on it.")
        names = dict(session.execute(select(Person.id, Person.name)).all())
        policy = session.get(Policy, document.policy_id) if document.policy_id else None
        version = session.get(ModelVersion, document.version_id) if document.version_id else None
        holds = {
            h.field_id: h
            for h in session.scalars(select(Hold).where(Hold.document_id == document_id).order_by(Hold.id))
        }
        fields = [
            _review_field(session, document, row, holds.get(row.id), policy, names) for row in document.type.fields
        ]
        before, after, left = _neighbours(session, actor, document)
        return ReviewDesk(
            document.id, document.name, document.type_id, document.type.name, document.state, document.revision,
            version.number if version else None, policy.number if policy else None, page_views(session, document_id),
            fields, [] if look else open_desk(session, actor, document), before, after, left,
        )  # fmt: skip


def _review_field(
    session: Session, document: Document, row: Field, hold: Hold | None, policy: Policy | None, names: dict[int, str]
) -> ReviewField:
    readings = session.scalars(
        select(Reading).where(Reading.document_id == document.id, Reading.field_id == row.id).order_by(Reading.position)
    ).all()
    results = session.scalars(
        select(Result).where(Result.document_id == document.id, Result.field_id == row.id).order_by(Result.position)
    ).all()
    data_type = DataType(row.data_type)
    is_open = hold is not None and hold.settled_at is None
    if is_open:
        values = [
            ValueView(r.text, normal_form(r.text, data_type) or "", r.page, r.box, r.confidence, "model")
            for r in readings
            if not r.absent
        ]
    else:
        values = [
            ValueView(
                r.text, normal_form(r.text, data_type) or "", r.page, r.box, r.confidence, r.origin,
                names.get(r.person_id) if r.person_id else None, r.at,
            )
            for r in results
        ]  # fmt: skip
    first = readings[0] if readings else None
    others = [
        ValueView(o["text"], o["normal"], o["page"], o["box"], None, "model") for o in (first.others if first else [])
    ]
    return ReviewField(
        row.key, row.name, row.data_type, row.required, row.many,
        hold.reason if hold and is_open else None, hold.detail if hold and is_open else "",
        hold is not None and not is_open, values, others,
        round(first.confidence, 4) if first else None,
        float(policy.thresholds[row.key]) if policy and row.key in policy.thresholds else None,
        round(first.familiarity, 4) if first else None, policy.familiarity_least if policy else None,
    )  # fmt: skip


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
    revision: int
    state: str
    open: int
    next: int | None


def settle(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    values: Sequence[ValueInput],
    *,
    absent: bool = False,
    revision: int | None = None,
) -> Settled:
    """A person says what a field of a live paper is, agreeing or mending. It becomes the result and a label. Settling the
    last held field settles the paper. A required field may be settled as absent: the person has looked."""
    actor.must(REVIEW)
    if not absent and not values:
        raise InputError("Say the value, or that it is not on this paper.")
    with store.session() as session:
        document = checked_revision(session, document_id, revision)
        if document.purpose != "live" or document.state not in OPEN_STATES:
            raise Conflict(f"“{document.name}” is {document.state}; its fields can't be changed here.")
        row = field_row(document, key)
        outcome = _settle_field(session, actor, document, row, values, absent=absent)
        session.flush()
        open_now = session.scalar(
            select(func.count(Hold.id)).where(Hold.document_id == document_id, Hold.settled_at.is_(None))
        )
        if not open_now:
            document.state, document.settled_at, document.settled_by = "settled", datetime.now(UTC), actor.id
            document.opened_by = document.opened_at = None
        document.revision += 1
        record(session, actor, "settle", "document", document_id, field=key, outcome=outcome)
        after = _neighbours(session, actor, document)[1]
        return Settled(document.revision, document.state, open_now or 0, after)


def _settle_field(
    session: Session, actor: Actor, document: Document, row: Field, values: Sequence[ValueInput], *, absent: bool
) -> str:
    data_type = DataType(row.data_type)
    resolved = [resolve(session, document.id, row, given) for given in values]
    for value in resolved:
        if not value.normal:
            raise InputError(
                f"“{value.text}” can't be read as {data_type.value}. Mend it, or say that it is not on this paper."
            )
    drafted = session.scalars(
        select(Reading)
        .where(Reading.document_id == document.id, Reading.field_id == row.id, Reading.absent.is_(False))
        .order_by(Reading.position)
    ).all()
    agreed = [reading.normal for reading in drafted] == [normal_or_text(value.text, data_type) for value in resolved]
    outcome = "absent" if absent else "agreed" if agreed else "mended"
    sure = drafted[0].confidence if drafted and agreed else None
    session.execute(delete(Result).where(Result.document_id == document.id, Result.field_id == row.id))
    for position, value in enumerate(resolved):
        session.add(
            Result(
                document_id=document.id, field_id=row.id, position=position, text=value.text, normal=value.normal,
                page=value.page, box=value.box, confidence=sure, origin="person", version_id=document.version_id,
                policy_id=document.policy_id, person_id=actor.id,
            )
        )  # fmt: skip
    write_labels(session, actor, document, row, values, absent=absent, how="review")
    hold = session.scalar(
        select(Hold).where(Hold.document_id == document.id, Hold.field_id == row.id, Hold.settled_at.is_(None))
    )
    if hold is not None:
        hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), actor.id, outcome
    return outcome
