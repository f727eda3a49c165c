"""Gather: bring papers in, keep them, have them read."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from sqlalchemy import delete, func, select, text
from sqlalchemy.orm import Session, joinedload, undefer

from jugum.core.ocr import Engine, Limits, ReadPage, open_paper, read_page
from jugum.core.page import Page, PageSource, pack_words, unpack_words
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.actor import GATHER, Actor, record
from jugum.flow.plan import type_row
from jugum.store import Store
from jugum.store.models import Document, Hold, Label, PageRow, Reading, Result, SourceFile
from jugum.store.queue import enqueue

READ_TASK = "read_document"
DRAFT_TASK = "draft_document"
PURPOSES = ("sample", "live")
NAME_MAX = 255
READ_PRIORITY = {"live": 10, "sample": 20}


@dataclass(frozen=True)
class Received:
    """What became of a file: its document, and the one that had the same bytes already, if any."""

    document_id: int
    name: str
    twin: bool


@dataclass(frozen=True)
class DocumentView:
    """A paper as a row of a list. `readable` counts pages read of `page_count` (None until the file is opened)."""

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
    type_id: int


def receive(
    store: Store, actor: Actor, type_id: int, name: str, data: bytes, *, purpose: str, again: bool = False
) -> Received:
    """Keep a file and queue its reading; done when bytes and row are safe. The same bytes as an earlier file of the
    workspace give back the paper that is there (`twin`), unless `again` asks for a second one.

    Empty and too large files are refused here; everything else is kept, and what can't be read says so in its row.
    """
    actor.must(GATHER)
    name = (name.replace("\\", "/").rsplit("/", 1)[-1].strip() or "unnamed")[-NAME_MAX:].replace("\x00", "")
    if purpose not in PURPOSES:
        raise InputError(f"“{purpose}” is no purpose; a paper is a sample or live.")
    if not data:
        raise InputError(f"“{name}” is empty (0 bytes). Send it again from where it was made.")
    if len(data) > store.settings.bytes_max:
        limit = store.settings.bytes_max / 1e6
        raise InputError(f"“{name}” has {len(data) / 1e6:.0f} MB; at most {limit:.0f} MB are taken. Split it first.")
    key = store.files.put(data)
    with store.session() as session:
        row = type_row(session, type_id)
        # Two uploads of the same bytes at once must not both find nobody: the second waits here.
        session.execute(text("SELECT pg_advisory_xact_lock(hashtext(:key))"), {"key": f"{row.workspace_id}:{key}"})
        file = session.scalar(
            select(SourceFile).where(SourceFile.workspace_id == row.workspace_id, SourceFile.sha256 == key)
        )
        if file is not None and not again:
            twin = session.scalar(select(Document).where(Document.source_file_id == file.id).order_by(Document.id))
            if twin is not None:
                return Received(twin.id, twin.name, True)
        if file is None:
            file = SourceFile(workspace_id=row.workspace_id, sha256=key, name=name, bytes=len(data))
            session.add(file)
            session.flush()
        document = Document(
            workspace_id=row.workspace_id, type_id=type_id, source_file_id=file.id, name=name, purpose=purpose, received_by=actor.id
        )  # fmt: skip
        session.add(document)
        session.flush()
        enqueue(
            session, READ_TASK, priority=READ_PRIORITY[purpose], lock=f"document-{document.id}", document_id=document.id
        )
        record(session, actor, "receive", "document", document.id, name=name, sha256=key, purpose=purpose)
        return Received(document.id, name, False)


def read_document(store: Store, document_id: int, engine: Engine) -> None:
    """Read a received paper page by page; pages already read (by a worker that was killed) are kept.

    A paper that can't be read is set aside with the reason; only faults of our own side are raised, to be tried again.
    """
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state != "received":
            return
        name, key = document.name, document.file.sha256
        done = set(session.scalars(select(PageRow.number).where(PageRow.document_id == document_id)))
    data = store.files.get(key)
    try:
        paper = open_paper(data, name, _limits(store))
        try:
            _set_page_count(store, document_id, paper.page_count)
            for index in range(paper.page_count):
                if index + 1 not in done and not _keep_page(store, document_id, read_page(paper, index, engine)):
                    return
        finally:
            paper.close()
    except InputError as error:
        _set_aside_by_program(store, document_id, str(error))
        return
    _finish_reading(store, document_id)


def _limits(store: Store) -> Limits:
    return Limits(store.settings.bytes_max, store.settings.pages_max, store.settings.pixels_max)


def _set_page_count(store: Store, document_id: int, count: int) -> None:
    with store.session() as session:
        document_row(session, document_id).page_count = count


def _keep_page(store: Store, document_id: int, read: ReadPage) -> bool:
    """Keep a page; False when the paper was set aside or removed meanwhile and reading can stop."""
    view_key = store.files.put(read.view)
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None or document.state != "received":
            return False
        session.add(
            PageRow(
                document_id=document_id,
                number=read.page.number,
                width_pt=read.page.width_pt,
                height_pt=read.page.height_pt,
                rotation=read.page.rotation,
                skew=read.page.skew,
                source=read.page.source.value,
                confidence=read.page.mean_confidence,
                word_count=len(read.page.words),
                words=pack_words(read.page.words),
                view_key=view_key,
                view_width=read.view_size[0],
                view_height=read.view_size[1],
            )
        )
        session.flush()
        counted = select(func.count(PageRow.id)).where(PageRow.document_id == document_id)
        document.pages_read = session.scalar(counted) or 0
        return True


def _set_aside_by_program(store: Store, document_id: int, reason: str) -> None:
    with store.session() as session:
        document = document_row(session, document_id)
        document.state, document.reason, document.set_aside_by = "set aside", reason, None
        record(session, None, "set aside", "document", document_id, reason=reason)


def _finish_reading(store: Store, document_id: int) -> None:
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state != "received":
            return
        document.state = "to label" if document.purpose == "sample" else "placed"
        record(session, None, "read", "document", document_id, pages=document.page_count)
        if document.purpose == "live":
            enqueue(session, DRAFT_TASK, priority=15, lock=f"document-{document_id}", document_id=document_id)


def document_row(session: Session, document_id: int) -> Document:
    row = session.get(Document, document_id)
    if row is None:
        raise NotFound(f"There is no paper {document_id}.")
    return row


def pages_of(session: Session, document_id: int) -> tuple[Page, ...]:
    """The pages of a paper in core's words."""
    rows = session.scalars(
        select(PageRow)
        .where(PageRow.document_id == document_id)
        .order_by(PageRow.number)
        .options(undefer(PageRow.words))
    )
    return tuple(
        Page(
            row.number,
            row.width_pt,
            row.height_pt,
            unpack_words(row.words),
            PageSource(row.source),
            row.rotation,
            row.skew,
        )
        for row in rows
    )


def documents(
    store: Store,
    type_id: int,
    *,
    purpose: str | None = None,
    state: str | None = None,
    limit: int = 200,
    before: int | None = None,
) -> list[DocumentView]:
    """Papers of a type, the newest first."""
    with store.session() as session:
        query = select(Document).where(Document.type_id == type_id).options(joinedload(Document.file))
        if purpose:
            query = query.where(Document.purpose == purpose)
        if state:
            query = query.where(Document.state == state)
        if before:
            query = query.where(Document.id < before)
        return _views(session, session.scalars(query.order_by(Document.id.desc()).limit(limit)).all())


def document_view(store: Store, document_id: int) -> DocumentView:
    with store.session() as session:
        return _views(session, [document_row(session, document_id)])[0]


def _views(session: Session, rows: Sequence[Document]) -> list[DocumentView]:
    ids = [row.id for row in rows]
    read = {
        document: (source, confidence)
        for document, source, confidence in session.execute(
            select(PageRow.document_id, func.min(PageRow.source), func.avg(PageRow.confidence))
            .where(PageRow.document_id.in_(ids))
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
            row.id, row.name, row.purpose, row.state, row.reason, row.page_count, row.pages_read, row.received_at,
            row.file.bytes, row.file.sha256, *read.get(row.id, (None, None)), held.get(row.id, 0), row.type_id,
        )
        for row in rows
    ]  # fmt: skip


def set_aside(store: Store, actor: Actor, document_id: int, reason: str) -> None:
    """A person says that a paper can't be used, and why."""
    if not (actor.may(GATHER) or actor.may("review")):
        actor.must(GATHER)
    reason = reason.strip()
    if not reason:
        raise InputError("Say why the paper is set aside.")
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state == "delivered":
            raise Conflict(f"“{document.name}” is delivered already and can't be set aside.")
        record(session, actor, "set aside", "document", document_id, before=document.state, reason=reason)
        document.state, document.reason, document.set_aside_by = "set aside", reason, actor.id


def take_back(store: Store, actor: Actor, document_id: int) -> None:
    """Undo setting aside: the paper goes back to where its reading, labels and holds say it was; one that was not read to
    its end is read again."""
    actor.must(GATHER)
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state != "set aside":
            raise Conflict(f"“{document.name}” is not set aside.")
        document.reason = document.set_aside_by = None
        document.state = "received"
        record(session, actor, "take back", "document", document_id)
        if document.page_count is None or document.pages_read < document.page_count:
            enqueue(session, READ_TASK, priority=30, lock=f"document-{document_id}", document_id=document_id)
        elif document.purpose == "sample":
            labelled = session.scalar(select(func.count(Label.id)).where(Label.document_id == document_id))
            document.state = "in hand" if labelled else "to label"
        else:
            document.state = "placed"
            session.execute(delete(Hold).where(Hold.document_id == document_id, Hold.settled_at.is_(None)))
            enqueue(session, DRAFT_TASK, priority=15, lock=f"document-{document_id}", document_id=document_id)


def change_purpose(store: Store, actor: Actor, document_id: int, purpose: str) -> None:
    """Make a live paper a sample, so that it can be labelled whole. What was drafted for it is dropped."""
    actor.must(GATHER)
    if purpose != "sample":
        raise InputError("A paper can only be made a sample; send it again to have it live.")
    with store.session() as session:
        document = document_row(session, document_id)
        if document.purpose == "sample" or document.state in ("delivered", "received", "set aside"):
            raise Conflict(f"“{document.name}” is {document.state} and can't be made a sample.")
        for table in (Hold, Result, Reading):
            session.execute(delete(table).where(table.document_id == document_id))
        labelled = session.scalar(select(func.count(Label.id)).where(Label.document_id == document_id))
        document.purpose, document.state = "sample", "in hand" if labelled else "to label"
        record(session, actor, "make sample", "document", document_id)


def page_picture(store: Store, document_id: int, number: int) -> bytes:
    """JPEG bytes of a page, upright."""
    with store.session() as session:
        key = session.scalar(
            select(PageRow.view_key).where(PageRow.document_id == document_id, PageRow.number == number)
        )
    if key is None:
        raise NotFound(f"Paper {document_id} has no page {number} (yet).")
    return store.files.get(key)


def original(store: Store, document_id: int) -> tuple[str, bytes]:
    """Name and bytes of the file as it was received."""
    with store.session() as session:
        document = document_row(session, document_id)
        name, key = document.name, document.file.sha256
    return name, store.files.get(key)


def progress(store: Store, type_id: int, known: Sequence[int]) -> list[DocumentView]:
    """The rows of the papers a page shows as not done yet."""
    with store.session() as session:
        rows = session.scalars(
            select(Document)
            .where(Document.id.in_(list(known)[:500]), Document.type_id == type_id)
            .options(joinedload(Document.file))
        ).all()
        return _views(session, rows)
