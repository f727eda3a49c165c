"""After a change by a person: checks are looked at again with what stands then, and the paper's state follows."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime

from sqlalchemy import delete, insert
from sqlalchemy.orm import Session

from jugum.core.schema import CheckOutcome, HoldReason, Judgement, Plan, Severity, derive, judge
from jugum.core.states import By, DocumentState, Origin
from jugum.core.thresholds.routing import FieldHold, hold_for_check
from jugum.flow.office.actor import Actor
from jugum.flow.plan.fields import plan_of
from jugum.flow.review.draft import derived_rows, result_common
from jugum.flow.review.queue import neighbours
from jugum.flow.review.records import CHECK_HOLDS, HeldField, PaperRecords, context_of
from jugum.flow.review.together import tell_soon
from jugum.flow.states import change_state
from jugum.store.models import CheckWaiver, Field, Hold, Result


@dataclass(frozen=True)
class Settled:
    """`holds` are the fields still held, by key (a blocking check that fails holds a field again)."""

    revision: int
    state: str
    open: int
    next: int | None
    holds: dict[str, HeldField]


def finish(
    session: Session, records: PaperRecords, actor: Actor, settled: Hold | None = None, *, changed: bool = True
) -> Settled:
    """What follows from what a person said (see `recheck`), and where the paper stands then. Where nothing that stands
    on it was `changed`, it stays as it is."""
    document = records.document
    if changed:
        recheck(session, records, actor.id, settled)
        _set_state(session, records, actor.id)
    document.revision += 1
    return standing_now(session, records, actor)


def standing_now(session: Session, records: PaperRecords, actor: Actor) -> Settled:
    """Where a paper stands: its state, what is held, which paper is next."""
    document = records.document
    still = {row.key: held for row in records.fields if (held := records.held(row)) is not None}
    return Settled(document.revision, document.state, len(still), neighbours(session, actor, document).after, still)


def _set_state(session: Session, records: PaperRecords, person_id: int) -> None:
    """A paper nothing of which is held is settled, or corrected if it was delivered; one that a check holds again is
    held again."""
    document = records.document
    if not records.holds and document.state in (DocumentState.DELIVERED, DocumentState.CORRECTED):
        change_state(document, DocumentState.CORRECTED if records.is_corrected else DocumentState.DELIVERED, By.PERSON)
    elif not records.holds:
        change_state(document, DocumentState.SETTLED, By.PERSON)
        document.settled_at, document.settled_by = datetime.now(UTC), person_id
        document.opened_by = document.opened_at = None
        tell_soon(session, document)
    elif document.state != DocumentState.HELD:
        change_state(document, DocumentState.HELD, By.PERSON)
        document.settled_at = document.settled_by = None


def recheck(session: Session, records: PaperRecords, person_id: int, settled: Hold | None) -> None:
    """After a change by a person: advisory checks that the settled field was held for are accepted as they are;
    derived fields are worked out anew; holds of checks that hold now are closed; blocking checks that fail now hold
    the least sure of their fields again."""
    document = records.document
    plan = plan_of(document)
    context = context_of(session, document, plan)
    texts = records.texts()
    judged = judge(plan, texts, context)
    if settled is not None:
        _waive(session, records, settled, judged, person_id)
    _write_derived(session, records, derive(plan, texts, context)[1])
    failing = [each for each in judged if each.outcome is CheckOutcome.FAILS and each.check.key not in records.waivers]
    keys = {each.check.key for each in failing}
    for row in records.fields:
        hold = records.holds.get(row.id)
        if hold is None or hold.reason != HoldReason.FAILS_A_CHECK or not hold.checks or set(hold.checks) & keys:
            continue
        if records.is_readable(row):  # what can't be read waits on, whatever the checks say
            _let_pass(session, records, row, hold, person_id)
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


def _let_pass(session: Session, records: PaperRecords, row: Field, hold: Hold, person_id: int) -> None:
    """A field that only a check held passes with what stands, once the check holds."""
    del records.holds[row.id]
    hold.settled_at, hold.settled_by, hold.outcome = datetime.now(UTC), person_id, CHECK_HOLDS
    if not records.is_said(row):
        results_from_readings(session, records, row)


def results_from_readings(session: Session, records: PaperRecords, row: Field) -> None:
    """What was read of a field becomes its results, column by column, where there are none."""
    for column in records.columns(row):
        if records.results.get(column.id):
            continue
        for reading in records.readings.get(column.id, []):
            if not reading.absent:
                result = Result(
                    **result_common(records.document, column),
                    position=reading.position,
                    text=reading.text,
                    normal=reading.normal,
                    page=reading.page,
                    box=reading.box,
                    confidence=reading.confidence,
                    origin=Origin.MODEL if reading.engine == "model" else Origin.PLAN,
                )
                session.add(result)
                records.results.setdefault(column.id, []).append(result)


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
