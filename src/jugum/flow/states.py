"""Changing states: every change of a document's, version's or batch's state goes through here, and is one that
`core.states` allows."""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum

from jugum.core.states import (
    BATCH_TRANSITIONS,
    DOCUMENT_TRANSITIONS,
    VERSION_TRANSITIONS,
    BatchState,
    By,
    DocumentState,
    Purpose,
    Transition,
    VersionState,
    allowed,
)
from jugum.errors import Conflict
from jugum.store.models import Batch, Document, ModelVersion


def change_state(document: Document, after: DocumentState, by: By) -> None:
    """Bring a document into another state; being in it already is no change. Conflict when that is not allowed. What
    belongs to the state that is left (the reason of one set aside) goes with it."""
    if document.state == after:
        return
    _check(DOCUMENT_TRANSITIONS, f"“{document.name}”", document.state, after, by, document.purpose)
    document.state = after
    if after is not DocumentState.SET_ASIDE:
        document.reason = document.set_aside_by = None


def set_aside(document: Document, reason: str, *, person_id: int | None = None) -> None:
    """Set a document aside with its reason; by the program when no person is named. Conflict when it can't be."""
    by = By.PROGRAM if person_id is None else By.PERSON
    if document.state != DocumentState.SET_ASIDE:
        _check(
            DOCUMENT_TRANSITIONS, f"“{document.name}”", document.state, DocumentState.SET_ASIDE, by, document.purpose
        )
    document.state, document.reason, document.set_aside_by = DocumentState.SET_ASIDE, reason, person_id


def can_change(document: Document, after: DocumentState, by: By) -> bool:
    """Whether a document may be brought into a state."""
    return document.state == after or allowed(
        DOCUMENT_TRANSITIONS, document.state, after, by, Purpose(document.purpose)
    )


def change_version_state(version: ModelVersion, after: VersionState, by: By) -> None:
    """The same for a version."""
    if version.state != after:
        _check(VERSION_TRANSITIONS, f"Version {version.number}", version.state, after, by, None)
        version.state = after


def change_batch_state(batch: Batch, after: BatchState, by: By) -> None:
    """The same for a batch."""
    if batch.state != after:
        _check(BATCH_TRANSITIONS, f"Batch “{batch.name}”", batch.state, after, by, None)
        batch.state = after


def _check(
    table: Iterable[Transition], what: str, before: StrEnum, after: StrEnum, by: By, purpose: str | None
) -> None:
    if not allowed(table, before, after, by, None if purpose is None else Purpose(purpose)):
        raise Conflict(f"{what} is {before} and cannot be {after} now.")
