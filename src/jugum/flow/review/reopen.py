"""Taking an answer back, and letting a failing check stand: the two things a reviewer does besides settling."""

from __future__ import annotations

from sqlalchemy import delete
from sqlalchemy.orm import Session

from jugum.core.schema import CheckOutcome, Judgement, Severity, judge
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.label.rows import drop_labels, field_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LET_STAND, REVIEW, Actor, record
from jugum.flow.plan.fields import plan_of
from jugum.flow.review.checking import take_back
from jugum.flow.review.recheck import Settled, finish, results_from_readings
from jugum.flow.review.records import CHECK_HOLDS, PaperRecords, context_of, open_records
from jugum.flow.review.settle import may_be_said, replace_results
from jugum.store import Store
from jugum.store.models import CheckWaiver, Field, Hold

REASON_MAX = 300  # letters


def reopen(store: Store, actor: Actor, document_id: int, key: str, *, revision: int | None = None) -> Settled:
    """Undo what a person said of a field: it is as it was drafted. What was held waits again, for its first reason;
    what had passed has the value that was read. Checks that were accepted with the answer fail again."""
    actor.require(REVIEW)
    with store.session() as session, session.no_autoflush:
        records = open_records(session, actor, document_id, revision)
        row = field_row(records.document, key)
        may_be_said(records, row)
        checked = records.checked.get(row.id)
        if checked is not None and checked.answered_at is not None and row.id not in records.holds:
            return _check_again(session, records, actor, row)
        if not records.is_said(row):
            raise Conflict(f"Nobody has answered {row.name} on “{records.document.name}” yet.")
        replace_results(session, records, row, [])
        drop_labels(session, records.document, row)
        _hold_again(session, records, row)
        record(session, actor, Action.REOPEN, "document", document_id, field=key)
        return finish(session, records, actor)


def _check_again(session: Session, records: PaperRecords, actor: Actor, row: Field) -> Settled:
    """What was said of a value in a spot check is taken back: it is as it had passed, and waits to be checked."""
    was_wrong = records.checked[row.id].is_right is False
    if was_wrong:
        replace_results(session, records, row, [])
        results_from_readings(session, records, row)
    drop_labels(session, records.document, row)
    take_back(records, row)
    record(session, actor, Action.REOPEN, "document", records.document.id, field=row.key)
    return finish(session, records, actor, changed=was_wrong)


def _hold_again(session: Session, records: PaperRecords, row: Field) -> None:
    """Open the hold that a person's first answer closed; what checks held and let go after it went with the answer. A
    field that no person was asked about has what was read."""
    first = records.settled.pop(row.id, None)
    records.holds.pop(row.id, None)
    answered = first is not None and first.outcome != CHECK_HOLDS
    later = Hold.id > first.id if answered and first else Hold.settled_at.is_(None)
    session.execute(delete(Hold).where(Hold.document_id == records.document.id, Hold.field_id == row.id, later))
    if first is None or not answered:
        results_from_readings(session, records, row)
        return
    for check in first.checks:
        if (waiver := records.waivers.pop(check, None)) is not None:
            session.delete(waiver)
    first.settled_at = first.settled_by = first.outcome = None
    records.holds[row.id] = first


def let_stand(
    store: Store, actor: Actor, document_id: int, check: str, reason: str, *, revision: int | None = None
) -> Settled:
    """A person says of a check that fails: it stands so on the paper. The reason is kept and goes out with the results;
    fields that only this check held are free. Of a check that must hold only those say so who may."""
    actor.require(REVIEW)
    reason = _reason(reason)
    with store.session() as session, session.no_autoflush:
        records = open_records(session, actor, document_id, revision)
        failing = _failing(session, records, check)
        if failing.check.severity is not Severity.ADVISORY:
            actor.require(LET_STAND)
        _waive(session, records, actor, failing, reason)
        return finish(session, records, actor)


def let_all_stand(store: Store, actor: Actor, document_id: int, reason: str, *, revision: int | None = None) -> Settled:
    """The same of all advisory checks that fail on a paper, with one reason. Conflict where none does."""
    actor.require(REVIEW)
    reason = _reason(reason)
    with store.session() as session, session.no_autoflush:
        records = open_records(session, actor, document_id, revision)
        failing = [
            judgement
            for judgement in _judged(session, records)
            if judgement.outcome is CheckOutcome.FAILS
            and judgement.check.severity is Severity.ADVISORY
            and judgement.check.key not in records.waivers
        ]
        if not failing:
            raise Conflict(f"No check that may be accepted as it is fails on “{records.document.name}” now.")
        for judgement in failing:
            _waive(session, records, actor, judgement, reason)
        return finish(session, records, actor)


def _reason(given: str) -> str:
    reason = given.strip()
    if not reason:
        raise InputError("Give the reason: what on the paper shows that it stands so?")
    if len(reason) > REASON_MAX:
        raise InputError(f"The reason has {len(reason)} letters; at most {REASON_MAX} are kept.")
    return reason


def _waive(session: Session, records: PaperRecords, actor: Actor, failing: Judgement, reason: str) -> None:
    key, document_id = failing.check.key, records.document.id
    if key not in records.waivers:
        records.waivers[key] = CheckWaiver(
            document_id=document_id, check_key=key, message=failing.said, reason=reason, person_id=actor.id
        )
        session.add(records.waivers[key])
    record(session, actor, Action.LET_STAND, "document", document_id, check=key, reason=reason)


def _judged(session: Session, records: PaperRecords) -> list[Judgement]:
    plan = plan_of(records.document)
    return judge(plan, records.texts(), context_of(session, records.document, plan))


def _failing(session: Session, records: PaperRecords, key: str) -> Judgement:
    found = next((judgement for judgement in _judged(session, records) if judgement.check.key == key), None)
    if found is None:
        raise NotFound(f"“{records.document.placed_type.name}” has no check “{key}”.")
    if found.outcome is not CheckOutcome.FAILS:
        raise Conflict(f"“{found.check.said}” does not fail on “{records.document.name}” now.")
    return found
