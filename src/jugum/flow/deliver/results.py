"""Deliver: results as a table and as files."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import ColumnElement, Numeric, Select, case, cast, func, select
from sqlalchemy.orm import Session, joinedload

from jugum.core.formats.results import (
    LetStand,
    ResultColumns,
    ResultRow,
    ResultValue,
    results_csv,
    results_json,
    results_zip,
)
from jugum.core.states import DELIVERABLE, DONE_STATES, By, DocumentState
from jugum.core.values import NUMERIC, delivered
from jugum.errors import Forbidden, InputError, NotFound
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import DELIVER, Actor, record
from jugum.flow.office.personal import has_personal
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import plan_in
from jugum.flow.states import change_state
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.worked_on import waits_for_check
from jugum.store import Store
from jugum.store.masked import MASKED
from jugum.store.models import (
    CheckWaiver,
    DeliveredDocument,
    Delivery,
    Document,
    DocumentType,
    Field,
    ModelVersion,
    Person,
    Policy,
    Result,
)
from jugum.store.scope import is_masked

FORMATS = ("csv", "zip", "json")


@dataclass(frozen=True)
class DeliveryView:
    id: int
    format: str
    papers: int
    created_at: datetime
    created_by: str


@dataclass(frozen=True)
class ResultsView:
    """Results of passed and settled papers, the newest first. `columns` are the keys of values and of parts that
    repeat; `names` and `data_types` say what each is; `waiting` counts papers that are to be delivered, `corrections`
    those among them that were delivered before; `checks` those that are delivered only after their spot check."""

    columns: ResultColumns
    names: dict[str, str]
    data_types: dict[str, str]
    rows: list[ResultRow]
    total: int
    waiting: int
    corrections: int
    checks: int
    deliveries: list[DeliveryView]


def results(
    store: Store,
    type_id: int,
    *,
    actor: Actor | None = None,
    search: str = "",
    state: str | None = None,
    sort: str = "",
    upwards: bool = False,
    limit: int = 100,
    offset: int = 0,
) -> ResultsView:
    """A page of results, sorted by `paper-name`, `paper-state`, the key of a field of one value, or (without `sort`) by
    when papers came, the newest first. Papers without the value come last."""
    with store.session() as session:
        row = type_row(session, type_id)
        query = _done(type_id, search, state)
        order = _order(row, sort, upwards=upwards, show_personal=_sees_personal(actor))
        total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
        documents = session.scalars(query.order_by(*order).limit(limit).offset(offset)).all()
        waiting, corrections, checks = _waiting(session, row)
        rows = _rows(session, documents, row, show_personal=_sees_personal(actor))
        return ResultsView(
            ResultColumns.of(plan_in(row), rows),
            {field.key: field.name for field in row.fields},
            {field.key: field.data_type for field in row.fields},
            rows,
            total,
            waiting,
            corrections,
            checks,
            _deliveries(session, type_id),
        )


def _waiting(session: Session, row: DocumentType) -> tuple[int, int, int]:
    """Papers to be delivered, corrections among them, and papers that wait for their spot check."""
    corrected = Document.state == DocumentState.CORRECTED
    to_send, corrections = session.execute(
        select(func.count(), func.count().filter(corrected)).select_from(Document).where(_deliverable(row))
    ).one()
    done = session.scalar(
        select(func.count(Document.id)).where(Document.type_id == row.id, Document.state.in_(DELIVERABLE))
    )
    return to_send, corrections, (done or 0) - to_send


def _deliverable(row: DocumentType) -> ColumnElement[bool]:
    """Papers that are to be delivered: without those that wait for a spot check, where the type says so."""
    done = (Document.type_id == row.id) & Document.state.in_(DELIVERABLE)
    if not CheckSettings.of(row).deliver_after:
        return done
    return done & ~waits_for_check(Document.id)


def _order(row: DocumentType, sort: str, *, upwards: bool, show_personal: bool) -> tuple[ColumnElement[Any], ...]:
    # hyphens, since a field may have the key "name" or "state", but none has a hyphen in it
    columns: dict[str, Any] = {"paper-name": func.lower(Document.name), "paper-state": Document.state, "": Document.id}
    field = next((each for each in row.fields if each.key == sort and each.kind != "table"), None)
    if sort not in columns and field is None:
        raise InputError(f"Results can't be sorted by “{sort}”. Choose paper-name, paper-state or the key of a field.")
    if field is not None and field.personal and not show_personal:  # their order would tell what is masked
        raise Forbidden(f"Results can't be sorted by {field.name}: your sign-in may not see personal values.")
    column: ColumnElement[Any] = columns[sort] if field is None else _value_of(field)
    direction = column.asc() if upwards else column.desc()
    return direction.nulls_last(), Document.id.desc()


def _value_of(field: Field) -> ColumnElement[Any]:
    """A paper's first value of a field, as a number where it is one."""
    value = (
        select(Result.normal)
        .where(Result.document_id == Document.id, Result.field_id == field.id)
        .order_by(Result.position)
        .limit(1)
        .scalar_subquery()
    )
    if field.data_type not in NUMERIC:
        return func.lower(value)
    return case((value.regexp_match(r"^-?[0-9]+(\.[0-9]+)?$"), cast(value, Numeric)), else_=None)


def _sees_personal(actor: Actor | None) -> bool:
    """Closed by default: who is not named sees no personal value."""
    return actor is not None and actor.sees_personal


def _done(type_id: int, search: str, state: str | None) -> Select[Document]:
    query = select(Document).where(Document.type_id == type_id, Document.state.in_([state] if state else DONE_STATES))
    if state and state not in DONE_STATES:
        raise InputError(f"“{state}” is not a state of results. Choose one of: {', '.join(DONE_STATES)}.")
    if search.strip():
        like = f"%{search.strip().replace('%', '')}%"
        hits = select(Result.id).join(Field).where(Result.document_id == Document.id, Result.normal.ilike(like))
        hit = (hits.where(Field.personal.is_(False)) if is_masked() else hits).exists()
        query = query.where(Document.name.ilike(like) | hit)
    return query.options(joinedload(Document.file))


def _rows(
    session: Session, documents: Sequence[Document], row: DocumentType, *, show_personal: bool
) -> list[ResultRow]:
    """Results in the form they are delivered in; personal values are masked unless they may be shown."""
    ids = [document.id for document in documents]
    plan = {field.key: field for field in plan_in(row).fields}
    found: dict[int, dict[str, list[ResultValue]]] = {}
    query = (
        select(Result, Field.key, ModelVersion.number, Policy.number, Person.name)
        .join(Field, Result.field_id == Field.id)
        .outerjoin(ModelVersion, Result.version_id == ModelVersion.id)
        .outerjoin(Policy, Result.policy_id == Policy.id)
        .outerjoin(Person, Result.person_id == Person.id)
        .where(Result.document_id.in_(ids))
        .order_by(Result.position)
    )
    for result, key, version, policy, person in session.execute(query):
        field = plan[key]
        hidden = field.personal and not show_personal
        normal = MASKED if hidden else delivered(result.normal, field.data_type, field.output)
        value = ResultValue(
            MASKED if hidden else result.text,
            normal,
            result.page,
            tuple(result.box) if result.box else None,
            result.confidence,
            result.origin,
            version,
            policy,
            person,
            result.position,
        )
        found.setdefault(result.document_id, {}).setdefault(key, []).append(value)
    corrects = _corrects(session, [document.id for document in documents if document.state == DocumentState.CORRECTED])
    stood: dict[int, list[LetStand]] = {}
    hidden = not show_personal and has_personal(row)  # the words may name values
    for waiver, name in session.execute(
        select(CheckWaiver, Person.name)
        .join(Person, CheckWaiver.person_id == Person.id)
        .where(CheckWaiver.document_id.in_(ids))
        .order_by(CheckWaiver.id)
    ):
        message, reason = (MASKED if hidden and text else text for text in (waiver.message, waiver.reason))
        said = LetStand(waiver.check_key, message, reason, name)
        stood.setdefault(waiver.document_id, []).append(said)
    return [
        ResultRow(
            document.id,
            document.name,
            document.file.sha256,
            document.state,
            document.received_at.isoformat(),
            {key: tuple(values) for key, values in found.get(document.id, {}).items()},
            tuple(stood.get(document.id, ())),
            corrects.get(document.id),
        )
        for document in documents
    ]


def _corrects(session: Session, ids: Sequence[int]) -> dict[int, int]:
    """The last delivery that each of some papers was in."""
    if not ids:
        return {}
    query = (
        select(DeliveredDocument.document_id, func.max(DeliveredDocument.delivery_id))
        .where(DeliveredDocument.document_id.in_(ids))
        .group_by(DeliveredDocument.document_id)
    )
    return {document: delivery for document, delivery in session.execute(query)}


def download(
    store: Store, type_id: int, format: str, *, actor: Actor | None = None, search: str = "", state: str | None = None
) -> bytes:
    """All matching results as the bytes of a file; nothing changes by it."""
    with store.session() as session:
        row = type_row(session, type_id)
        documents = session.scalars(_done(type_id, search, state).order_by(Document.id)).all()
        return _file(format, _rows(session, documents, row, show_personal=_sees_personal(actor)), row)


def _file(format: str, rows: Sequence[ResultRow], type_: DocumentType) -> bytes:
    columns = ResultColumns.of(plan_in(type_), rows)
    if format == "csv":
        return results_csv(rows, columns).encode("utf-8-sig")
    if format == "zip":
        return results_zip(rows, columns)
    if format == "json":
        return results_json(rows).encode()
    raise InputError(f"“{format}” is not a format. Choose one of: {', '.join(FORMATS)}.")


def deliver(store: Store, actor: Actor, type_id: int, format: str) -> DeliveryView:
    """Put all papers that are in no delivery yet into one file, kept as sent, and mark them delivered; with them those
    that were corrected since they were delivered, which say what they correct. The rows are locked, so that no paper
    gets into two deliveries at once."""
    actor.require(DELIVER)
    with store.session() as session:
        row = type_row(session, type_id)
        documents = session.scalars(
            select(Document).where(_deliverable(row)).order_by(Document.id).with_for_update(of=Document)
        ).all()
        if not documents:
            raise InputError("There is nothing to deliver: every passed and settled paper is in a delivery.")
        data = _file(format, _rows(session, documents, row, show_personal=True), row)
        delivery = Delivery(
            type_id=type_id, format=format, file_key=store.files.put(data), papers=len(documents), created_by=actor.id
        )
        session.add(delivery)
        session.flush()
        session.add_all([DeliveredDocument(document_id=d.id, delivery_id=delivery.id) for d in documents])
        for document in documents:
            change_state(document, DocumentState.DELIVERED, By.PERSON)
        record(session, actor, Action.DELIVER, "delivery", delivery.id, papers=len(documents), format=format)
        session.refresh(delivery)
        return DeliveryView(delivery.id, format, len(documents), delivery.created_at, actor.name)


def _deliveries(session: Session, type_id: int) -> list[DeliveryView]:
    query = (
        select(Delivery, Person.name)
        .join(Person, Delivery.created_by == Person.id)
        .where(Delivery.type_id == type_id)
        .order_by(Delivery.id.desc())
        .limit(50)
    )
    return [DeliveryView(d.id, d.format, d.papers, d.created_at, name) for d, name in session.execute(query)]


def delivered_file(store: Store, actor: Actor, delivery_id: int) -> tuple[str, bytes]:
    """Name and bytes of a delivery as it was sent."""
    with store.session() as session:
        row = session.get(Delivery, delivery_id)
        if row is None:
            raise NotFound(f"There is no delivery {delivery_id}.")
        if not actor.sees_personal and has_personal(type_row(session, row.type_id)):
            raise Forbidden(
                "This delivery holds personal values, which your sign-in may not see. Ask an administrator."
            )
        name, key = f"delivery-{row.id}.{row.format}", row.file_key
        record(session, actor, Action.TAKE_DELIVERY, "delivery", delivery_id)
    return name, store.files.get(key)
