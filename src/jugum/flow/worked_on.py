"""Whether a person has worked on a paper: such a paper is never drafted, placed or thrown away without being asked."""

from __future__ import annotations

from sqlalchemy import ColumnElement, exists, select
from sqlalchemy.orm import InstrumentedAttribute, Session

from jugum.core.states import Origin
from jugum.store.models import CheckedValue, Document, Hold, Label, Result


def worked_on(document: int | InstrumentedAttribute[int]) -> ColumnElement[bool]:
    """Whether a person labelled, settled, corrected or checked anything on a paper, as a condition in SQL; `document`
    is its id, or a column of ids. A field settled as absent leaves no result, and one agreed to while labelling no
    hold, so all are asked."""
    return (
        exists().where(Label.document_id == document)
        | exists().where(Result.document_id == document, Result.origin == Origin.PERSON)
        | exists().where(Hold.document_id == document, Hold.settled_at.is_not(None))
        | exists().where(CheckedValue.document_id == document, CheckedValue.answered_at.is_not(None))
    )


def is_worked_on(session: Session, document: Document) -> bool:
    """The same of one paper, asked now."""
    return bool(session.scalar(select(worked_on(document.id))))


def has_open_hold(session: Session, document: Document) -> bool:
    """Whether a field of a paper still waits for a person."""
    return bool(session.scalar(select(exists().where(Hold.document_id == document.id, Hold.settled_at.is_(None)))))


def waits_for_check(document: InstrumentedAttribute[int]) -> ColumnElement[bool]:
    """Whether a value of a paper that passed is still to be checked, as a condition in SQL on a column of ids."""
    return exists().where(CheckedValue.document_id == document, CheckedValue.is_right.is_(None))
