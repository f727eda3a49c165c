"""Settling what was held: a person says what a field of a live paper is; checks are looked at again with what stands
then."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, insert
from sqlalchemy.orm import Session

from jugum.core.schema import CheckOutcome, HoldReason, Judgement, Plan, Severity, derive, judge
from jugum.core.states import By, DocumentState, Method, Origin, Purpose
from jugum.core.thresholds.routing import FieldHold, hold_for_check
from jugum.core.values import normal_form, normal_or_text
from jugum.errors import Conflict, InputError
from jugum.flow.label.desk_parts import ValueInput, ValueView, must_see_personal
from jugum.flow.label.rows import CellInput, checked_revision, field_row, resolved_values, write_table, write_values
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import REVIEW, Actor, record
from jugum.flow.plan.fields import plan_in, value_type_of
from jugum.flow.review.draft import derived_rows, result_common
from jugum.flow.review.queue import neighbours
from jugum.flow.review.records import PaperRecords, context_of, load_records
from jugum.flow.states import change_state
from jugum.store import Store
from jugum.store.models import CheckWaiver, Document, Field, Hold, Result

OPEN_STATES = (DocumentState.HELD, DocumentState.SETTLED, DocumentState.PASSED)
Rows = Sequence[dict[str, CellInput]]


@dataclass(frozen=True)
class Settled:
    """`holds` are the fields still held: key → reason and detail (a blocking check that fails holds a field again)."""

    revision: int
    state: str
    open: int
    next: int | None
    holds: dict[str, tuple[str, str]]


@dataclass(frozen=True)
class _Said:
    """What a person says of a field: results to keep in its place, and whether that is what was drafted."""

    results: list[dict[str, Any]]
    outcome: str


def settle(
    store: Store,
    actor: Actor,
    document_id: int,
    key: str,
    values: Sequence[ValueInput],
    *,
    absent: bool = False,
    rows: Rows | None = None,
    revision: int | None = None,
) -> Settled:
    """A person says what a field of a live paper is, agreeing or correcting (of a table: all its rows). It becomes
    the result and a label; advisory checks that the field was held for are accepted as they are. Settling the last
    held field settles the paper, unless a blocking check fails: then it holds a field again. A required field may be
    settled as absent: the person has looked."""
    actor.require(REVIEW)
    if not absent and not values and rows is None:
        raise InputError("Give the value, or mark it as not on this paper.")
    with store.session() as session, session.no_autoflush:
        document = checked_revision(session, document_id, revision)
        if document.purpose != Purpose.LIVE or document.state not in OPEN_STATES:
            raise Conflict(f"“{document.name}” is {document.state}; its fields can't be changed here.")
        must_see_personal(actor, document)
        row = field_row(document, key)
        records = load_records(session, document)
        said = (
            _table_said(session, actor, records, row, rows or [])
            if row.kind == "table"
            else _field_said(session, actor, records, row, values, absent=absent)
        )
        _replace_results(session, records, row, said.results)
        hold = _close_hold(records, row, actor.id, said.outcome)
        _recheck(session, records, actor.id, hold)
        _set_state(document, records, actor.id)
        document.revision += 1
        record(session, actor, Action.SETTLE, "document", document_id, field=key, outcome=said.outcome)
        still = {
            field.key: (records.holds[field.id].reason, records.holds[field.id].detail)
            for field in records.fields
            if field.id in records.holds
        }
        after = neighbours(session, actor, document).after
        return Settled(document.revision, document.state, len(still), after, still)


def _set_state(document: Document, records: PaperRecords, person_id: int) -> None:
    """A paper nothing of which is held is settled; one that a check holds again is held again."""
    if not records.holds:
        change_state(document, DocumentState.SETTLED, By.PERSON)
        document.settled_at, document.settled_by = datetime.now(UTC), person_id
        document.opened_by = document.opened_at = None
    elif document.state != DocumentState.HELD:
        change_state(document, DocumentState.HELD, By.PERSON)
        document.settled_at = document.settled_by = None


def _close_hold(records: PaperRecords, row: Field, person_id: int, outcome: str) -> Hold | None:
    """Settle a field's open hold, if it has one."""
    hold = records.holds.pop(row.id, None)
    if hold is not None:
        hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), person_id, outcome
        records.settled[row.id] = hold
    return hold


# ---- What was said ---------------------------------------------------------------------------------------------------


def _field_said(
    session: Session, actor: Actor, records: PaperRecords, row: Field, values: Sequence[ValueInput], *, absent: bool
) -> _Said:
    if row.kind == "derived":
        raise InputError(f"{row.name} is calculated from other fields. Correct those fields.")
    kind, document = value_type_of(row), records.document
    resolved = resolved_values(session, document.id, row, values, absent=absent)
    for value in resolved:
        if not value.normal:
            raise InputError(
                f"“{value.text}” can't be read as {kind.data_type}. Correct it, or mark it as not on this paper."
            )
    drafted = [reading for reading in records.readings.get(row.id, []) if not reading.absent]
    agreed = [reading.normal for reading in drafted] == [normal_or_text(value.text, kind) for value in resolved]
    confidence = drafted[0].confidence if drafted and agreed else None
    write_values(session, actor.id, document, row, resolved, absent=absent, method=Method.REVIEW)
    results = [_result(document, row, actor, place, one, confidence) for place, one in enumerate(resolved)]
    return _Said(results, "absent" if absent else "agreed" if agreed else "mended")


def _table_said(session: Session, actor: Actor, records: PaperRecords, row: Field, rows: Rows) -> _Said:
    document = records.document
    columns = {column.key: column for column in records.columns(row)}
    filled = [given for given in rows if any(cell.text.strip() for cell in given.values())]
    results: list[dict[str, Any]] = []
    after: dict[str, dict[int, str]] = {key: {} for key in columns}
    for position, given in enumerate(filled):
        for key, cell in given.items():
            text = cell.text.strip()
            if key not in columns or not text:
                continue
            kind = value_type_of(columns[key])
            normal = normal_form(text, kind)
            if normal is None:
                raise InputError(
                    f"“{cell.text}” in row {position + 1} can't be read as {kind.data_type}. Correct it, or leave "
                    "the cell empty."
                )
            placed = cell.page is not None and cell.box is not None
            value = ValueView(
                text, normal, cell.page if placed else None, list(cell.box) if placed and cell.box else None
            )
            results.append(_result(document, columns[key], actor, position, value, None))
            after[key][position] = text
    before = {
        key: {reading.position: reading.text for reading in records.readings.get(column.id, []) if not reading.absent}
        for key, column in columns.items()
    }
    write_table(session, actor, document, row, filled, method=Method.REVIEW)
    return _Said(results, "absent" if not filled else "agreed" if before == after else "mended")


def _result(
    document: Document, row: Field, actor: Actor, position: int, value: ValueView, confidence: float | None
) -> dict[str, Any]:
    return {
        **result_common(document, row),
        "position": position,
        "text": value.text,
        "normal": value.normal,
        "page": value.page,
        "box": value.box,
        "confidence": confidence,
        "origin": "person",
        "person_id": actor.id,
    }


def _replace_results(session: Session, records: PaperRecords, row: Field, results: list[dict[str, Any]]) -> None:
    """Exchange the results of a field (of a table: of its columns), in the database and in the records."""
    ids = [column.id for column in records.columns(row)]
    if any(records.results.get(column_id) for column_id in ids):
        session.execute(delete(Result).where(Result.document_id == records.document.id, Result.field_id.in_(ids)))
    for column_id in ids:
        records.results[column_id] = []
    made = session.scalars(insert(Result).returning(Result), results).all() if results else []
    for result in made:
        records.results[result.field_id].append(result)


# ---- Checks, after a change ------------------------------------------------------------------------------------------


def _recheck(session: Session, records: PaperRecords, person_id: int, settled: Hold | None) -> None:
    """After a change by a person: advisory checks that the settled field was held for are accepted as they are;
    derived fields are worked out anew; holds of checks that hold now are closed; blocking checks that fail now hold
    the least sure of their fields again."""
    document = records.document
    plan = plan_in(document.placed_type)
    context = context_of(session, document, plan)
    texts = records.texts()
    judged = judge(plan, texts, context)
    if settled is not None:
        _waive(session, records, settled, judged, person_id)
    _write_derived(session, records, derive(plan, texts, context)[1])
    failing = [each for each in judged if each.outcome is CheckOutcome.FAILS and each.check.key not in records.waivers]
    keys = {each.check.key for each in failing}
    for hold in list(records.holds.values()):
        if hold.reason == HoldReason.FAILS_A_CHECK.value and hold.checks and not set(hold.checks) & keys:
            _let_pass(session, records, hold, person_id)
    for judgement in failing:
        _hold(session, records, plan, judgement)


def _waive(session: Session, records: PaperRecords, settled: Hold, judged: Sequence[Judgement], person_id: int) -> None:
    """The advisory checks that a settled hold names and that still fail are accepted as they are: by whom and when
    is kept."""
    for judgement in judged:
        advisory = judgement.check.severity is Severity.ADVISORY and judgement.outcome is CheckOutcome.FAILS
        if advisory and judgement.check.key in settled.checks and judgement.check.key not in records.waivers:
            waiver = CheckWaiver(
                document_id=records.document.id,
                check_key=judgement.check.key,
                message=judgement.said,
                person_id=person_id,
            )
            session.add(waiver)
            records.waivers[judgement.check.key] = waiver


def _write_derived(session: Session, records: PaperRecords, derived: dict[str, tuple[str, ...]]) -> None:
    """Results of derived fields, where they are others than before; all with one statement each way."""
    by_key = {row.key: row for row in records.fields}
    changed = [
        by_key[key]
        for key, values in derived.items()
        if [result.normal for result in records.results.get(by_key[key].id, [])] != list(values)
    ]
    if not changed:
        return
    ids = [row.id for row in changed]
    session.execute(delete(Result).where(Result.document_id == records.document.id, Result.field_id.in_(ids)))
    rows = [result for row in changed for result in derived_rows(records.document, row, derived[row.key])]
    if rows:
        session.execute(insert(Result), rows)


def _let_pass(session: Session, records: PaperRecords, hold: Hold, person_id: int) -> None:
    """A field that only a check held passes with what was read, once the check holds."""
    row = next(field for field in records.fields if field.id == hold.field_id)
    del records.holds[row.id]
    hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), person_id, "check holds"
    for column in records.columns(row):
        if records.results.get(column.id):
            continue
        for reading in records.readings.get(column.id, []):
            if not reading.absent:
                session.add(
                    Result(
                        **result_common(records.document, column),
                        position=reading.position,
                        text=reading.text,
                        normal=reading.normal,
                        page=reading.page,
                        box=reading.box,
                        confidence=reading.confidence,
                        origin=Origin.MODEL if reading.engine == "model" else Origin.PLAN,
                    )
                )


def _hold(session: Session, records: PaperRecords, plan: Plan, failing: Judgement) -> None:
    """A failing check holds one of its fields (again), and names itself on it."""
    by_key = {row.key: row for row in records.fields}
    holds = {
        row.key: FieldHold.of(row.key, HoldReason(hold.reason), hold.detail, hold.checks)
        for row in records.fields
        if (hold := records.holds.get(row.id)) is not None
    }
    key = hold_for_check(plan, failing, holds, records.confidences())
    if key is None:
        return
    wanted, row = holds[key], by_key[key]
    hold = records.holds.get(row.id)
    if hold is not None:
        hold.detail, hold.checks = wanted.problem.detail, list(wanted.checks)
        return
    read_ids = [
        column.id
        for column in records.columns(row)
        if any(r.origin != Origin.PERSON for r in records.results.get(column.id, []))
    ]
    if read_ids:
        session.execute(
            delete(Result).where(
                Result.document_id == records.document.id, Result.field_id.in_(read_ids), Result.origin != Origin.PERSON
            )
        )
    hold = Hold(
        document_id=records.document.id,
        field_id=row.id,
        reason=wanted.problem.reason.value,
        detail=wanted.problem.detail,
        checks=list(wanted.checks),
    )
    session.add(hold)
    records.holds[row.id] = hold
