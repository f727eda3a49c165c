"""Reading what was received: opening files, taking containers apart, reading pages one task each, and what follows."""

from __future__ import annotations

import hashlib
from collections import Counter
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import delete, func, select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session, joinedload

from jugum.core.ocr import (
    Engine,
    FileKind,
    How,
    Limits,
    Paper,
    ReadPage,
    engine_named,
    read_page,
    view_size,
)
from jugum.core.page import PageSource, pack_words
from jugum.core.states import WAITING_LIVE, BatchState, By, DocumentState, PlacedBy, Purpose
from jugum.errors import Conflict, InputError, LockedPaper, NotFound
from jugum.flow.gather.pages import tell_order_of_dates
from jugum.flow.gather.received_files import check_room, source_file, twin_of
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.flow.states import change_state, set_aside
from jugum.flow.worked_on import has_open_hold, is_worked_on
from jugum.store import Store
from jugum.store.models import Batch, Document, DocumentType, Hold, PageRow
from jugum.store.queue import QueuedJob, Task, document_job, enqueue, enqueue_all, is_waiting

PRIORITY = {Purpose.LIVE: 40, Purpose.SAMPLE: 50}
FAIR_PAGES = 8  # pages of one paper that are read before a long one waits for others
REDRAFTED = WAITING_LIVE


class OpenPapers:
    """What one worker process keeps warm: the paper it read last, and an engine for each setting."""

    def __init__(self) -> None:
        self._key: str | None = None
        self._paper: Paper | None = None
        self._engines: dict[tuple[str, str], Engine] = {}

    def paper(self, store: Store, key: str, name: str) -> Paper:
        if self._key != key or self._paper is None:
            self.close()
            self._paper = store.parsers.open_paper(lambda: store.files.get(key), name, limits(store))
            self._key = key
        return self._paper

    def engine(self, name: str, language: str) -> Engine:
        if (name, language) not in self._engines:
            self._engines[name, language] = engine_named(name, language)
        return self._engines[name, language]

    def close(self) -> None:
        if self._paper is not None:
            self._paper.close()
        self._paper, self._key = None, None


def limits(store: Store) -> Limits:
    s = store.settings
    return Limits(s.bytes_max, s.pages_max, s.pixels_max, s.files_max, s.unpacked_max, s.depth_max)


def document_row(session: Session, document_id: int, *, lock: bool = False) -> Document:
    row = session.get(Document, document_id, with_for_update=lock)
    if row is None:
        raise NotFound(f"There is no paper {document_id}.")
    return row


def unchanged_row(session: Session, document_id: int, revision: int | None) -> Document:
    """The paper with its type and fields, locked; Conflict when it was changed since the caller looked (revision None:
    any state is fine)."""
    document = session.scalar(
        select(Document)
        .where(Document.id == document_id)
        .options(joinedload(Document.type).selectinload(DocumentType.fields))
        .with_for_update(of=Document)
    )
    if document is None:
        raise NotFound(f"There is no paper {document_id}.")
    if revision is not None and document.revision != revision:
        raise Conflict(f"“{document.name}” was changed by somebody else in the meantime.")
    return document


def priority_of(document: Document, index: int = 0) -> int:
    """Live papers wait less than samples of the same batch priority; after eight pages a long paper steps back
    behind others."""
    batch = document.batch.priority if document.batch else 0
    return PRIORITY[Purpose(document.purpose)] + 20 * batch - (10 if index >= FAIR_PAGES else 0) - min(9, index // 40)


def queue_opening(session: Session, document: Document, *, sooner: int = 0) -> None:
    """A task that opens a received paper; `sooner` is added to its priority."""
    priority = priority_of(document) + sooner
    enqueue_all(session, [document_job(Task.OPEN_DOCUMENT, document.id, priority)])


# ---- Opening ---------------------------------------------------------------------------------------------------------


def open_document(store: Store, document_id: int, papers: OpenPapers) -> None:
    """Find out what a received file is: take a container apart, convert what needs it, and queue a task for each page.

    Can be repeated: pages and parts that are there already are not made again. What can't be opened is set aside
    with the reason; only faults of our own side are raised, to be tried again.
    """
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state != DocumentState.RECEIVED or _is_paused(session, document):
            return
        name, key, derived = document.name, document.file.sha256, document.reading_key
    try:
        if derived is None:
            data = store.files.get(key)
            kind = store.parsers.kind_of(data, name)
            if kind in (FileKind.MAIL, FileKind.ARCHIVE):
                _unpack(store, document_id, name, data, kind)
                return
            if kind is FileKind.OFFICE:
                derived = store.files.put(store.parsers.office_to_pdf(data, name))
        paper = papers.paper(store, derived or key, name)
    except LockedPaper as error:
        _set_aside_by_program(store, document_id, str(error), locked=True)
        return
    except InputError as error:
        _set_aside_by_program(store, document_id, str(error))
        return
    _queue_pages(store, document_id, paper.page_count, derived)


def _queue_pages(store: Store, document_id: int, count: int, derived: str | None) -> None:
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        document.page_count, document.reading_key = count, derived
        rows = [
            {"document_id": document_id, "number": number + 1, "source_index": number} | _EMPTY
            for number in range(count)
        ]
        if not session.scalar(select(func.count(PageRow.id)).where(PageRow.document_id == document_id)):
            session.execute(insert(PageRow), rows)
        queue_unread(session, document)


_EMPTY: dict[str, Any] = {
    "problem": "",
    "note": "",
    "how": {},
    "width_pt": 595.0,
    "height_pt": 842.0,
    "rotation": 0,
    "skew": 0.0,
    "source": "",
    "engine": "",
    "confidence": 0.0,
    "word_count": 0,
    "words": b"",
    "peek": b"",
    "view_width": 0,
    "view_height": 0,
}


def queue_unread(session: Session, document: Document) -> int:
    """A task for each page that is not read yet; returns how many."""
    unread = session.execute(
        select(PageRow.id, PageRow.number)
        .where(PageRow.document_id == document.id, PageRow.read_at.is_(None))
        .order_by(PageRow.number)
    ).all()
    enqueue_all(
        session,
        [
            QueuedJob(Task.READ_PAGE, {"page_id": page_id}, priority_of(document, number - 1))
            for page_id, number in unread
        ],
    )
    return len(unread)


def _is_paused(session: Session, document: Document) -> bool:
    return document.batch_id is not None and bool(
        session.scalar(select(Batch.id).where(Batch.id == document.batch_id, Batch.state == BatchState.PAUSED))
    )


def _unpack(store: Store, document_id: int, name: str, data: bytes, kind: FileKind) -> None:
    """A document for each part of a mail or archive, the container then being `unpacked`; parts that are there are
    left."""
    note = store.parsers.mail_note(data, name) if kind is FileKind.MAIL else ""
    taken, problems = 0, list[str]()
    names: dict[str, str] = {}  # of bytes that are kept: the name they came under
    twins: Counter[str] = Counter()
    for number, part in enumerate(store.parsers.unpack(data, name, limits(store))):
        if part.problem:
            problems.append(part.problem)
            continue
        if not part.data:
            problems.append(f"“{part.name}” is empty (0 bytes).")
            continue
        key = hashlib.sha256(part.data).hexdigest()
        if key not in names:
            twin = _keep_part(store, document_id, f"{number}:{part.path}"[:500], part.name, part.data, note)
            names[key] = twin or part.name
            taken += twin is None
            twins[names[key]] += twin is not None
        else:
            twins[names[key]] += 1
    problems += [
        f"{count} {'file has' if count == 1 else 'files have'} the same bytes as “{first}”, which is here already."
        for first, count in twins.items()
        if count
    ]
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        document.note = note
        if not taken:
            said = " ".join(problems) or "It holds no file."
            set_aside(document, f"Nothing could be taken out of “{name}”. {said}"[:2000])
        else:
            change_state(document, DocumentState.UNPACKED, By.PROGRAM)
            left = f"; left out: {' '.join(problems)}" if problems else ""
            document.note = (note + f"\n\n{taken} {'paper' if taken == 1 else 'papers'} taken out{left}").strip()[:6000]
        record(session, None, Action.UNPACK, "document", document_id, taken=taken, problems=problems)


def _keep_part(store: Store, parent_id: int, part: str, name: str, data: bytes, note: str) -> str | None:
    """A document for a part of a container. Returns the name of another paper of the workspace with these bytes,
    which then is kept alone."""
    key = store.files.put(data)
    with store.session() as session:
        parent = document_row(session, parent_id)
        there = select(Document.id).where(Document.parent_id == parent_id, Document.parent_part == part)
        if session.scalar(there) is not None:
            return None
        twin = twin_of(session, parent.workspace_id, key)
        if twin is not None:
            return twin.name
        check_room(store, session, parent.workspace_id, len(data))
        file = source_file(session, parent.workspace_id, key, name, len(data))
        child = Document(
            workspace_id=parent.workspace_id,
            type_id=parent.type_id,
            source_file_id=file.id,
            source_id=parent.source_id,
            batch_id=parent.batch_id,
            parent_id=parent_id,
            parent_part=part,
            engine=parent.engine,
            language=parent.language,
            cut=parent.cut,
            note=note,
            name=name,
            purpose=parent.purpose,
            received_by=parent.received_by,
        )
        session.add(child)
        session.flush()
        queue_opening(session, child)
        return None


def unlock(store: Store, actor: Actor, document_id: int, password: str, *, revision: int | None = None) -> None:
    """Open a locked paper with its password. The password is not kept, in no log and no row; the unlocked pages are."""
    actor.require(GATHER)
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if not document.locked:
            raise Conflict(f"“{document.name}” is not locked.")
        name, key = document.name, document.file.sha256
    opened = store.parsers.unlocked(store.files.get(key), name, password)
    derived = store.files.put(opened)
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        document.reading_key, document.locked = derived, False
        document.revision += 1
        change_state(document, DocumentState.RECEIVED, By.PERSON)
        record(session, actor, Action.UNLOCK, "document", document_id)
        queue_opening(session, document, sooner=10)


# ---- Pages -----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class _Job:
    """What reading one page needs."""

    page_id: int
    document_id: int
    key: str
    name: str
    index: int
    engine: str
    language: str
    how: dict[str, Any]


def read_one_page(store: Store, page_id: int, papers: OpenPapers) -> None:
    """Read a page that waits, keep it, and when it was the paper's last, go on with the paper."""
    with store.session() as session:
        row = session.get(PageRow, page_id)
        document = session.get(Document, row.document_id) if row is not None else None
        if row is None or document is None or row.read_at is not None or document.state == DocumentState.SET_ASIDE:
            return
        if document.state == DocumentState.RECEIVED and _is_paused(session, document):
            return  # it goes on with its batch; what a person asks for of a read paper is done all the same
        job = _Job(
            page_id,
            document.id,
            document.reading_key or document.file.sha256,
            document.name,
            row.source_index,
            row.reading_options.get("engine", document.engine),
            row.reading_options.get("language", document.language),
            row.reading_options,
        )
    try:
        paper = papers.paper(store, job.key, job.name)
        engine = papers.engine(job.engine, job.language)
        read = read_page(paper, job.index, engine, how_from(job.how))
    except InputError as error:
        _keep_problem(store, job, str(error))
        return
    _keep_page(store, job, read, engine.name)


def how_from(asked: dict[str, Any]) -> How:
    return How(
        text_layer=asked.get("text_layer", True),
        turn=asked.get("turn"),
        dpi=asked.get("dpi"),
        contrast=asked.get("contrast", False),
    )


def _keep_page(store: Store, job: _Job, read: ReadPage, engine: str) -> None:
    width, height = view_size(read.page)
    page = read.page
    values: dict[str, Any] = {
        "width_pt": page.width_pt,
        "height_pt": page.height_pt,
        "rotation": page.rotation,
        "skew": page.skew,
        "source": page.source.value,
        "engine": "" if page.source is PageSource.TEXT_LAYER else engine,
        "confidence": page.mean_confidence,
        "word_count": len(page.words),
        "words": pack_words(page.words),
        "peek": read.peek,
        "view_key": None,
        "view_width": width,
        "view_height": height,
        "problem": "",
        "note": read.note,
    }
    _keep(store, job.page_id, job.document_id, values)


def _keep_problem(store: Store, job: _Job, problem: str) -> None:
    _keep(store, job.page_id, job.document_id, {"problem": problem})


def page_failed(store: Store, page_id: int, message: str) -> None:
    """A page that could not be read is kept with the reason, so that its paper goes on; it can be tried again."""
    with store.session() as session:
        row = session.get(PageRow, page_id)
        if row is None:
            return
        document_id, problem = row.document_id, f"Page {row.number} could not be read. {message}"
    _keep(store, page_id, document_id, {"problem": problem})


def set_aside_failed(store: Store, document_id: int, message: str) -> None:
    """A paper that could not be opened, split or placed is set aside with the reason; it can be tried again."""
    with store.session() as session:
        name = document_row(session, document_id).name
    _set_aside_by_program(store, document_id, f"“{name}” could not be read to its end. {message}")


def _keep(store: Store, page_id: int, document_id: int, values: dict[str, Any]) -> None:
    with store.session() as session:
        document = session.get(Document, document_id, with_for_update=True)
        if document is None:
            return
        kept = session.execute(
            update(PageRow)
            .where(PageRow.id == page_id, PageRow.read_at.is_(None))
            .values(read_at=datetime.now(UTC), **values)
        )
        if not kept.rowcount:  # type: ignore[attr-defined]  # another worker was first
            return
        counted = select(func.count(PageRow.id)).where(PageRow.document_id == document_id, PageRow.read_at.is_not(None))
        document.pages_read = session.scalar(counted) or 0
        whole = document.pages_read == document.page_count
        if whole:
            tell_order_of_dates(session, document)
        if whole and document.state == DocumentState.RECEIVED:
            finish_reading(session, document)
        elif whole:
            _draft_again(session, document)


def finish_reading(session: Session, document: Document, *, without_bad: bool = False) -> None:
    """All pages are there: a bundle is cut, a paper without a type is placed, the others go on. A paper some of
    whose pages can't be read is set aside, unless a person says to go on without them."""
    bad = session.execute(
        select(PageRow.number, PageRow.problem)
        .where(PageRow.document_id == document.id, PageRow.problem != "")
        .order_by(PageRow.number)
    ).all()
    if bad and (not without_bad or len(bad) == document.page_count):
        reason = bad[0].problem
        if len(bad) < (document.page_count or 0):
            reason = f"{len(bad)} of {document.page_count} pages can't be read: {reason} Try again to go on without."
        set_aside(document, reason)
        record(session, None, Action.SET_ASIDE, "document", document.id, reason=reason)
        return
    record(session, None, Action.READ, "document", document.id, pages=document.page_count)
    if document.cut != "none":
        enqueue_all(session, [document_job(Task.CUT_DOCUMENT, document.id, 60)])
    elif document.type_id is None:
        enqueue_all(session, [document_job(Task.PLACE_DOCUMENT, document.id, 60)])
    else:
        go_on(session, document)


def go_on(session: Session, document: Document, by: By = By.PROGRAM) -> None:
    """What follows for a paper that is read and has its type, which a person gave it or the program. A live paper on
    which a person has worked goes back to where it stood: drafting would take the work away."""
    if document.purpose == Purpose.LIVE and is_worked_on(session, document):
        after = DocumentState.HELD if has_open_hold(session, document) else DocumentState.SETTLED
        change_state(document, after, by)
        return
    change_state(document, DocumentState.TO_LABEL if document.purpose == Purpose.SAMPLE else DocumentState.PLACED, by)
    if document.purpose == Purpose.LIVE:
        enqueue_all(session, [document_job(Task.DRAFT_DOCUMENT, document.id, 45)])
    elif document.placed_by == PlacedBy.PERSON:
        learn_soon(session, document.workspace_id)


def learn_soon(session: Session, workspace_id: int) -> None:
    """The classifier of a workspace is to be learned anew, once, when nothing more urgent waits."""
    if not is_waiting(session, Task.LEARN_TYPES, workspace_id=workspace_id):
        enqueue(session, Task.LEARN_TYPES, priority=2, lock=f"classifier-{workspace_id}", workspace_id=workspace_id)


def _draft_again(session: Session, document: Document) -> None:
    """Pages of a live paper were read again: its fields are drafted anew, unless a person has worked on it."""
    if document.purpose == Purpose.LIVE and document.state in REDRAFTED and not is_worked_on(session, document):
        session.execute(delete(Hold).where(Hold.document_id == document.id, Hold.settled_at.is_(None)))
        go_on(session, document)


def _set_aside_by_program(store: Store, document_id: int, reason: str, *, locked: bool = False) -> None:
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        set_aside(document, reason)
        document.locked = locked
        record(session, None, Action.SET_ASIDE, "document", document_id, reason=reason)
