"""Answering a spot check: a person says of what passed whether it is right."""

from __future__ import annotations

from datetime import UTC, datetime

from sqlalchemy.orm import Session

from jugum.core.states import By, DocumentState
from jugum.flow.review.records import PaperRecords
from jugum.flow.states import change_state
from jugum.flow.weigh.breaches import notice
from jugum.store.models import Field


def answer(
    session: Session, records: PaperRecords, row: Field, person_id: int, *, right: bool, found: str, said: str
) -> bool:
    """Keep what a person says of a value that is drawn: whether it is right, what had passed and what they say. Returns
    whether that settles it: of one that is asked blind and differs it does only when it is said again, what had passed
    being known."""
    checked = records.checked[row.id]
    first_blind = records.is_unseen(row)
    checked.found, checked.said = found, said
    checked.answered_at, checked.answered_by = datetime.now(UTC), person_id
    if first_blind and not right:
        return False
    checked.is_right = right
    _finish(session, records, person_id)
    return True


def take_back(records: PaperRecords, row: Field) -> None:
    """A value waits to be checked again. A paper that was to be delivered again only for it stays delivered as it
    was."""
    checked, check, document = records.checked[row.id], records.check, records.document
    checked.is_right = checked.answered_at = checked.answered_by = None
    checked.said = ""
    if check is not None:
        check.done_at = check.done_by = None
    if document.state == DocumentState.CORRECTED and not records.is_corrected:
        change_state(document, DocumentState.DELIVERED, By.PERSON)


def all_right(session: Session, records: PaperRecords, person_id: int) -> None:
    """Somebody has looked at the whole paper: what was drawn of it is right as it stands, unless it is asked blind."""
    if records.is_blind:
        return
    waiting = [row for row in records.fields if records.waits_for_check(row)]
    for row in waiting:
        checked = records.checked[row.id]
        checked.is_right, checked.found = True, "; ".join(records.said(row))
        checked.said = checked.found
        checked.answered_at, checked.answered_by = datetime.now(UTC), person_id
    if waiting:
        _finish(session, records, person_id)


def _finish(session: Session, records: PaperRecords, person_id: int) -> None:
    """A check none of whose values waits is done, and what it says of the promise follows at once; also when an answer
    is another one afterwards."""
    check, document = records.check, records.document
    if check is None or any(value.is_right is None for value in records.checked.values()):
        return
    if check.done_at is None:
        check.done_at, check.done_by = datetime.now(UTC), person_id
        document.opened_by = document.opened_at = None
    notice(session, check)


__all__ = ["all_right", "answer", "take_back"]
