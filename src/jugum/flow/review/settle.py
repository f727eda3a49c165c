"""Settling what was held: a person says what a field of a live paper is. What they typed is kept in any case."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, insert
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason, Problem
from jugum.core.states import REVIEW_STATES, Method
from jugum.core.values import normal_form, normal_or_text
from jugum.errors import Conflict, InputError
from jugum.flow.label.desk_parts import ValueInput, ValueView
from jugum.flow.label.rows import CellInput, field_row, resolved_values, write_table, write_values
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import REVIEW, Actor, record
from jugum.flow.plan.fields import value_type_of
from jugum.flow.review.checking import answer
from jugum.flow.review.draft import result_common
from jugum.flow.review.recheck import Settled, finish, results_from_readings
from jugum.flow.review.records import PaperRecords, open_records
from jugum.store import Store
from jugum.store.models import Document, Field, Hold, Result

Rows = Sequence[dict[str, CellInput]]


@dataclass(frozen=True)
class _Said:
    """What a person says of a field: results to keep in its place, and whether that is what was drafted (`right`, also
    of nothing where nothing was). `unreadable` is what its data type can't read of it: it is kept as it was typed, and
    the field waits on."""

    results: list[dict[str, Any]]
    outcome: str
    right: bool
    unreadable: Problem | None = None


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
    settled as absent: the person has looked. What passed and is drawn to be checked is left as it stands where it is
    right."""
    actor.require(REVIEW)
    if not absent and not values and rows is None:
        raise InputError("Give the value, or mark it as not on this paper.")
    with store.session() as session, session.no_autoflush:
        records = open_records(session, actor, document_id, revision)
        row = field_row(records.document, key)
        may_be_said(records, row)
        # What was drawn by chance teaches as what was seen with the whole paper does; what was held is harder.
        method = Method.SEEN if row.id in records.checked and row.id not in records.holds else Method.REVIEW
        said = (
            _table_said(session, actor, records, row, rows or [], method)
            if row.kind == "table"
            else _field_said(session, actor, records, row, values, method, absent=absent)
        )
        before, drafted = records.said(row), "; ".join(records.said(row, drafted=True))
        if method is Method.SEEN:
            if said.unreadable is not None:
                raise InputError(f"{row.name}: {said.unreadable.detail}.")
            return _checked(session, records, actor, row, said, before, drafted)
        if said.unreadable is None and row.id in records.checked:  # it had passed, and a check held it since
            answer(session, records, row, actor.id, right=said.right, found=drafted, said=_text(said))
        replace_results(session, records, row, said.results)
        hold = None
        if said.unreadable is None:
            hold = _close_hold(records, row, actor.id, said.outcome)
        else:
            _keep_held(session, records, row, said.unreadable)
        record(
            session,
            actor,
            Action.SETTLE,
            "document",
            document_id,
            field=key,
            outcome=said.outcome,
            before=before,
            after=records.said(row),
        )
        return finish(session, records, actor, hold)


def may_be_said(records: PaperRecords, row: Field) -> None:
    """Of a delivered paper only what a spot check asks for may be said."""
    document = records.document
    if document.state not in REVIEW_STATES and row.id not in records.checked:
        raise Conflict(f"“{document.name}” is {document.state}, and {row.name} is not among what is checked on it.")


def _text(said: _Said) -> str:
    return "; ".join(result["text"] for result in said.results)


def _checked(
    session: Session,
    records: PaperRecords,
    actor: Actor,
    row: Field,
    said: _Said,
    before: list[str],
    drafted: str,
) -> Settled:
    """What follows from a person's answer to a spot check. A wrong value is mended; one that is right stays as it
    passed."""
    was_wrong = records.checked[row.id].is_right is False
    settles = answer(session, records, row, actor.id, right=said.right, found=drafted, said=_text(said))
    if settles:
        if not said.right:
            replace_results(session, records, row, said.results)
        elif was_wrong:
            replace_results(session, records, row, [])
            results_from_readings(session, records, row)
        outcome = "agreed" if said.right else said.outcome
        record(
            session,
            actor,
            Action.CHECK,
            "document",
            records.document.id,
            field=row.key,
            outcome=outcome,
            before=before,
            after=records.said(row),
        )
    return finish(session, records, actor, changed=settles and (was_wrong or not said.right))


def _close_hold(records: PaperRecords, row: Field, person_id: int, outcome: str) -> Hold | None:
    """Settle a field's open hold, if it has one."""
    hold = records.holds.pop(row.id, None)
    if hold is not None:
        hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), person_id, outcome
        records.settled[row.id] = hold
    return hold


def _keep_held(session: Session, records: PaperRecords, row: Field, problem: Problem) -> None:
    """A field stays held, or is held again, for what can't be read of it."""
    hold = records.holds.get(row.id)
    if hold is None:
        hold = Hold(document_id=records.document.id, field_id=row.id, checks=[])
        session.add(hold)
        records.holds[row.id] = hold
    # Checks are looked at when it can be read: until then no check that holds may let it go.
    hold.reason, hold.detail, hold.checks = problem.reason.value, problem.detail, []


# ---- What was said ---------------------------------------------------------------------------------------------------


def _field_said(
    session: Session,
    actor: Actor,
    records: PaperRecords,
    row: Field,
    values: Sequence[ValueInput],
    method: Method,
    *,
    absent: bool,
) -> _Said:
    if row.kind == "derived":
        raise InputError(f"{row.name} is calculated from other fields. Correct those fields.")
    document = records.document
    kind = value_type_of(row, document)
    resolved, absent = resolved_values(session, document, row, values, absent=absent)
    unreadable = next((_unreadable(row, value.text) for value in resolved if not value.normal), None)
    drafted = [reading for reading in records.readings.get(row.id, []) if not reading.absent]
    agreed = [reading.normal for reading in drafted] == [normal_or_text(value.text, kind) for value in resolved]
    confidence = drafted[0].confidence if drafted and agreed else None
    if unreadable is None:  # what can't be read teaches nothing
        write_values(session, actor.id, document, row, resolved, absent=absent, method=method)
    results = [_result(document, row, actor, place, value, confidence) for place, value in enumerate(resolved)]
    return _Said(results, "absent" if absent else "agreed" if agreed else "mended", agreed, unreadable)


def _unreadable(row: Field, text: str, place: str = "") -> Problem:
    return Problem(row.key, HoldReason.FAILS_A_CHECK, f"“{text}”{place} can't be read as {row.data_type}: correct it")


def _table_said(session: Session, actor: Actor, records: PaperRecords, row: Field, rows: Rows, method: Method) -> _Said:
    document = records.document
    columns = {column.key: column for column in records.columns(row)}
    filled = [given for given in rows if any(cell.text.strip() for cell in given.values())]
    results: list[dict[str, Any]] = []
    after: dict[str, dict[int, str]] = {key: {} for key in columns}
    unreadable: Problem | None = None
    for position, given in enumerate(filled):
        for key, cell in given.items():
            text = cell.text.strip()
            if key not in columns or not text:
                continue
            kind = value_type_of(columns[key], document)
            normal = normal_form(text, kind)
            if normal is None and unreadable is None:
                unreadable = _unreadable(columns[key], text, f" in row {position + 1}, {columns[key].name},")
            placed = cell.page is not None and cell.box is not None
            value = ValueView(
                text, normal or "", cell.page if placed else None, list(cell.box) if placed and cell.box else None
            )
            results.append(_result(document, columns[key], actor, position, value, None))
            after[key][position] = text
    before = {
        key: {reading.position: reading.text for reading in records.readings.get(column.id, []) if not reading.absent}
        for key, column in columns.items()
    }
    if unreadable is None:
        write_table(session, actor, document, row, filled, method=method)
    agreed = before == after
    return _Said(results, "absent" if not filled else "agreed" if agreed else "mended", agreed, unreadable)


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


def replace_results(session: Session, records: PaperRecords, row: Field, results: list[dict[str, Any]]) -> None:
    """Exchange the results of a field (of a table: of its columns), in the database and in the records."""
    ids = [column.id for column in records.columns(row)]
    if any(records.results.get(column_id) for column_id in ids):
        session.execute(delete(Result).where(Result.document_id == records.document.id, Result.field_id.in_(ids)))
    for column_id in ids:
        records.results[column_id] = []
    made = session.scalars(insert(Result).returning(Result), results).all() if results else []
    for result in made:
        records.results[result.field_id].append(result)
