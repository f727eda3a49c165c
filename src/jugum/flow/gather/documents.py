"""Gather: receive papers, keep them, show where they stand; set aside, return, make samples."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import BinaryIO

from sqlalchemy import and_, delete, func, or_, select, update
from sqlalchemy.orm import Session, joinedload

from jugum.core.ocr import check_engine, check_language, plain_name
from jugum.core.states import By, DocumentState, PlacedBy, Purpose
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.bundles import check_method
from jugum.flow.gather.read import (
    document_row,
    finish_reading,
    go_on,
    queue_opening,
    queue_unread,
    unchanged_row,
)
from jugum.flow.gather.received_files import check_room, source_file, twin_of
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.flow.office.personal import private_note
from jugum.flow.office.types import type_row
from jugum.flow.states import change_state
from jugum.flow.states import set_aside as set_aside_state
from jugum.flow.worked_on import is_worked_on
from jugum.store import Store
from jugum.store.files import size_of
from jugum.store.models import Batch, Document, Hold, Label, PageRow, Reading, Result, Workspace

__all__ = ["Intake", "Received", "document_row", "plain_name", "receive"]

PURPOSES = tuple(Purpose)


@dataclass(frozen=True)
class Intake:
    """How what comes in is to be read and cut, and what it came with. None for `engine`: the setting's.
    `workspace_id` is needed only where no type tells it and there are several."""

    workspace_id: int | None = None
    source_id: int | None = None
    batch_id: int | None = None
    engine: str | None = None
    language: str = "eng"
    cut: str = "none"


@dataclass(frozen=True)
class Received:
    """What became of a file: its document, and the one that had the same bytes already, if any."""

    document_id: int
    name: str
    twin: bool


@dataclass(frozen=True)
class DocumentView:
    """A paper as a row of a list. `pages_read` counts of `page_count` (None until the file is opened)."""

    id: int
    name: str
    purpose: str
    state: str
    reason: str | None
    page_count: int | None
    pages_read: int
    received_at: datetime
    bytes: int
    sha256: str
    source: str | None
    confidence: float | None
    holds: int
    type_id: int | None
    locked: bool
    note: str
    parent_id: int | None
    batch_id: int | None
    engine: str
    language: str
    cut: str
    workspace_id: int
    revision: int


def receive(
    store: Store,
    actor: Actor | None,
    type_id: int | None,
    name: str,
    data: bytes | BinaryIO,
    *,
    purpose: str,
    again: bool = False,
    intake: Intake | None = None,
) -> Received:
    """Keep a file and queue its reading; done when bytes and row are safe. Without a type the program finds it out. The
    same bytes as an earlier file of the workspace give back the paper that is there (`twin`), unless `again` asks for a
    second.

    Empty and too large files are refused here; everything else is kept, and what can't be read says so in its row.
    `actor` is None for what a source of the workspace brings.
    """
    if actor is not None:
        actor.require(GATHER)
    intake = intake or Intake()
    name = plain_name(name)
    engine = intake.engine or store.settings.engine
    if purpose not in PURPOSES:
        raise InputError(f"“{purpose}” is not a purpose. Choose sample or live.")
    check_engine(engine)
    check_method(intake.cut)
    check_language(intake.language)
    size = size_of(data)
    _check_size(store, name, size)
    key = store.files.put(data)
    with store.session() as session:
        workspace_id = _workspace(session, type_id, intake)
        _check_batch(session, intake.batch_id, workspace_id)
        twin = twin_of(session, workspace_id, key)
        if not again and twin is not None:
            return Received(twin.id, twin.name, True)
        if twin is None:
            check_room(store, session, workspace_id, size)
        file = source_file(session, workspace_id, key, name, size)
        document = Document(
            workspace_id=workspace_id,
            type_id=type_id,
            source_file_id=file.id,
            name=name,
            purpose=purpose,
            received_by=actor.id if actor else None,
            source_id=intake.source_id,
            batch_id=intake.batch_id,
            engine=engine,
            language=intake.language,
            cut=intake.cut,
            placed_by=PlacedBy.PERSON if actor else PlacedBy.PROGRAM,
        )
        session.add(document)
        session.flush()
        queue_opening(session, document, sooner=5)
        record(session, actor, Action.RECEIVE, "document", document.id, name=name, sha256=key, purpose=purpose)
        return Received(document.id, name, False)


def _check_size(store: Store, name: str, size: int) -> None:
    if not size:
        raise InputError(f"“{name}” is empty (0 bytes). Send it again from where it was made.")
    if size > store.settings.bytes_max:
        limit = store.settings.bytes_max / 1e6
        raise InputError(f"“{name}” has {size / 1e6:.0f} MB; at most {limit:.0f} MB are taken. Split it first.")


def _workspace(session: Session, type_id: int | None, intake: Intake) -> int:
    if type_id is not None:
        return type_row(session, type_id).workspace_id
    if intake.workspace_id is not None:
        if session.get(Workspace, intake.workspace_id) is None:
            raise NotFound(f"There is no workspace {intake.workspace_id}.")
        return intake.workspace_id
    known = list(session.scalars(select(Workspace.id)))
    if len(known) != 1:
        raise InputError("Choose the workspace of the paper, or its type.")
    return known[0]


def _check_batch(session: Session, batch_id: int | None, workspace_id: int) -> None:
    batch = session.get(Batch, batch_id) if batch_id is not None else None
    if batch_id is not None and (batch is None or batch.workspace_id != workspace_id):
        raise NotFound(f"There is no batch {batch_id} in this workspace.")


def documents(
    store: Store,
    type_id: int,
    *,
    purpose: str | None = None,
    state: str | None = None,
    batch_id: int | None = None,
    limit: int = 200,
    before: int | None = None,
) -> list[DocumentView]:
    """Papers of a type, the newest first."""
    with store.session() as session:
        workspace_id = type_row(session, type_id).workspace_id
        # Bundles and containers have no type of their own; they are shown with every type of their workspace.
        its = or_(
            Document.type_id == type_id,
            and_(
                Document.type_id.is_(None),
                Document.workspace_id == workspace_id,
                Document.state != DocumentState.UNPLACED,
            ),
        )
        query = select(Document).where(its).options(joinedload(Document.file))
        if batch_id:
            query = query.where(Document.batch_id == batch_id)
        if purpose:
            query = query.where(Document.purpose == purpose)
        if state:
            query = query.where(Document.state == state)
        if before:
            query = query.where(Document.id < before)
        return views(session, session.scalars(query.order_by(Document.id.desc()).limit(limit)).all())


def document_view(store: Store, document_id: int) -> DocumentView:
    with store.session() as session:
        return views(session, [document_row(session, document_id)])[0]


def views(session: Session, rows: Sequence[Document]) -> list[DocumentView]:
    """Papers as rows of a list, by two queries more however many there are."""
    ids = [row.id for row in rows]
    read = {
        document: (source, confidence)
        for document, source, confidence in session.execute(
            select(PageRow.document_id, func.min(PageRow.source), func.avg(PageRow.confidence))
            .where(PageRow.document_id.in_(ids), PageRow.read_at.is_not(None))
            .group_by(PageRow.document_id)
        )
    }
    held: dict[int, int] = {
        document: count
        for document, count in session.execute(
            select(Hold.document_id, func.count(Hold.id))
            .where(Hold.document_id.in_(ids), Hold.settled_at.is_(None))
            .group_by(Hold.document_id)
        )
    }
    return [
        DocumentView(
            row.id,
            row.name,
            row.purpose,
            row.state,
            row.reason,
            row.page_count,
            row.pages_read,
            row.received_at,
            row.file.bytes,
            row.file.sha256,
            *read.get(row.id, (None, None)),
            held.get(row.id, 0),
            row.type_id,
            row.locked,
            private_note(row.note),
            row.parent_id,
            row.batch_id,
            row.engine,
            row.language,
            row.cut,
            row.workspace_id,
            row.revision,
        )
        for row in rows
    ]


def set_aside(store: Store, actor: Actor, document_id: int, reason: str, *, revision: int | None = None) -> None:
    """A person says that a paper can't be used, and why."""
    if not (actor.can(GATHER) or actor.can("review")):
        actor.require(GATHER)
    reason = reason.strip()
    if not reason:
        raise InputError("Give the reason why the paper is set aside.")
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if document.state in (DocumentState.DELIVERED, DocumentState.CORRECTED):
            raise Conflict(f"“{document.name}” is delivered already and can't be set aside.")
        if document.state == DocumentState.UNPACKED:
            raise Conflict(f"“{document.name}” was divided into papers. Set these papers aside, or join them again.")
        record(session, actor, Action.SET_ASIDE, "document", document_id, before=document.state, reason=reason)
        set_aside_state(document, reason, person_id=actor.id)
        document.revision += 1


def return_document(store: Store, actor: Actor, document_id: int, *, revision: int | None = None) -> None:
    """Undo setting aside: the paper goes back to where its reading, labels and holds say it was; one that was not
    read to its end is read again."""
    actor.require(GATHER)
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if document.state != DocumentState.SET_ASIDE:
            raise Conflict(f"“{document.name}” is not set aside.")
        if document.locked:
            raise Conflict(f"“{document.name}” is locked: give its password instead.")
        was_read = bool(document.page_count) and document.pages_read == document.page_count
        document.revision += 1
        record(session, actor, Action.RETURN, "document", document_id)
        labelled = session.scalar(select(func.count(Label.id)).where(Label.document_id == document_id))
        if was_read and labelled and document.purpose == Purpose.SAMPLE:
            change_state(document, DocumentState.IN_PROGRESS, By.PERSON)
            return
        if was_read and document.purpose == Purpose.LIVE and is_worked_on(session, document):
            go_on(session, document, By.PERSON)
            return
        change_state(document, DocumentState.RECEIVED, By.PERSON)
        if not document.page_count:
            queue_opening(session, document, sooner=5)
        elif not was_read:
            queue_unread(session, document)
        elif not session.scalar(
            select(PageRow.id).where(PageRow.document_id == document_id, PageRow.problem == "").limit(1)
        ):
            session.execute(update(PageRow).where(PageRow.document_id == document_id).values(read_at=None, problem=""))
            document.pages_read = 0
            queue_unread(session, document)
        else:
            session.execute(delete(Hold).where(Hold.document_id == document_id, Hold.settled_at.is_(None)))
            finish_reading(session, document, without_bad=True)


def change_purpose(store: Store, actor: Actor, document_id: int, purpose: str, *, revision: int | None = None) -> None:
    """Make a live paper a sample, so that it can be labelled whole. What was drafted for it is dropped."""
    actor.require(GATHER)
    if purpose != Purpose.SAMPLE:
        raise InputError("A paper can only be changed into a sample. To have it as a live paper, send it again.")
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        labelled = session.scalar(select(func.count(Label.id)).where(Label.document_id == document_id))
        if document.purpose == Purpose.SAMPLE:
            raise Conflict(f"“{document.name}” is a sample already.")
        for table in (Hold, Result, Reading):
            session.execute(delete(table).where(table.document_id == document_id))
        document.purpose = Purpose.SAMPLE
        document.revision += 1
        change_state(document, DocumentState.IN_PROGRESS if labelled else DocumentState.TO_LABEL, By.PERSON)
        record(session, actor, Action.MAKE_SAMPLE, "document", document_id)


def original(store: Store, actor: Actor, document_id: int) -> tuple[str, bytes]:
    """Name and bytes of the file as it was received. That somebody took it leaves a trace."""
    with store.session() as session:
        document = document_row(session, document_id)
        name, key = document.name, document.file.sha256
        record(session, actor, Action.TAKE_ORIGINAL, "document", document_id)
    return name, store.files.get(key)


def progress(store: Store, type_id: int, known: Sequence[int]) -> list[DocumentView]:
    """The rows of the papers a page shows as not done yet."""
    with store.session() as session:
        rows = session.scalars(
            select(Document)
            .where(Document.id.in_(list(known)[:500]), or_(Document.type_id == type_id, Document.type_id.is_(None)))
            .options(joinedload(Document.file))
        ).all()
        return views(session, rows)
