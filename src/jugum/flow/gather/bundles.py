"""Bundles: proposing where papers begin, and making papers of the pieces a person or the program settled on."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from pathlib import PurePosixPath
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session, undefer

from jugum.core.classification import Piece, cut_by_blanks, cut_by_count, cut_by_separators, is_blank, is_separator
from jugum.core.page import Page
from jugum.core.states import SETTLED_STATES, By, DocumentState, PlacedBy
from jugum.errors import Conflict, InputError
from jugum.flow.gather.classifiers import LoadedClassifiers, split_threshold_in
from jugum.flow.gather.pages import page_of, page_rows, pages_of, tell_order_of_dates
from jugum.flow.gather.place import drop_drafts
from jugum.flow.gather.read import document_row, go_on, learn_soon, unchanged_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.flow.states import can_change, change_state
from jugum.flow.worked_on import is_worked_on
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Label, PageRow
from jugum.store.queue import Task, document_job, enqueue_all

METHODS = ("none", "separators", "blanks", "learned")
_EVERY = re.compile(r"every:([1-9]\d{0,2})")


def check_method(cut: str) -> str:
    """The name of a way to cut: none, separators, blanks, learned, every:N. InputError for anything else."""
    if cut not in METHODS and not _EVERY.fullmatch(cut):
        raise InputError(
            f"“{cut}” is not a way to cut. Choose none, separators, blanks, learned or every:2 (any number)."
        )
    return cut


@dataclass(frozen=True)
class PieceView:
    """A piece of a bundle: page numbers (from 1), what becomes of it, and how sure the program was (0–1)."""

    pages: list[int]
    type_id: int | None = None
    aside: bool = False
    sure: float = 1.0
    type_sure: float = 0.0


@dataclass(frozen=True)
class BundlePage:
    number: int
    width_pt: float
    height_pt: float
    words: int
    blank: bool
    separator: bool
    read: bool


@dataclass(frozen=True)
class BundleView:
    """A bundle on the light table."""

    id: int
    name: str
    state: str
    cut: str
    purpose: str
    type_id: int | None
    workspace_id: int
    revision: int
    pages: list[BundlePage]
    pieces: list[PieceView]
    types: list[tuple[int, str]]
    papers: list[int]
    sure_least: float


def cut_by_program(store: Store, document_id: int, classifiers: LoadedClassifiers) -> None:
    """Propose pieces for a read bundle; where the program is sure of each, make papers of them at once. A layout that a
    person left on the light table stays as it is."""
    with store.session() as session:
        document = document_row(session, document_id)
        if document.state != DocumentState.RECEIVED:
            return
        method, workspace_id, type_id, kept = document.cut, document.workspace_id, document.type_id, document.pieces
        pages = pages_of(session, document_id)
    views = [PieceView(**piece) for piece in kept or []]
    least = 0.0
    if not views:
        if method == "learned":
            pieces, least = _learned(store, workspace_id, pages, classifiers)
        else:
            pieces = _by_rule(method, pages)
        views = _views(pieces, len(pages), type_id)
    papers = [view for view in views if not view.aside]
    confidence = min((view.sure for view in papers), default=0.0)
    sure = kept is None and bool(papers) and confidence >= least
    if method == "learned":
        sure = sure and all(view.type_id is not None for view in papers)
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        if document.state != DocumentState.RECEIVED:
            return
        if method == "learned" and kept is None:
            document.proposal = {
                "pieces": [view.pages for view in papers],
                "confidence": round(confidence, 4),
                "accepted": sure,
            }
        if sure:
            _apply(session, None, document, views)
        else:
            change_state(document, DocumentState.TO_CUT, By.PROGRAM)
            document.pieces = [asdict(view) for view in views]


def _by_rule(method: str, pages: Sequence[Page]) -> list[Piece]:
    every = _EVERY.fullmatch(method)
    if every:
        return cut_by_count(len(pages), int(every[1]))
    return cut_by_separators(pages) if method == "separators" else cut_by_blanks(pages)


def _learned(
    store: Store, workspace_id: int, pages: Sequence[Page], classifiers: LoadedClassifiers
) -> tuple[list[Piece], float]:
    """Pieces, and from which confidence on they are papers without a person."""
    loaded = classifiers.newest(store, workspace_id)
    if loaded is None:  # nothing learned yet: one paper, for a person to cut
        return [Piece(tuple(range(len(pages))), sure=0.5)], 1.0
    return loaded.cut(pages), loaded.split_threshold


def _views(pieces: Sequence[Piece], count: int, type_id: int | None) -> list[PieceView]:
    """Pieces by page numbers, and what lies in none of them set aside, all in the order of the pages."""
    views = [
        PieceView(
            [n + 1 for n in piece.pages],
            type_id if piece.type_id is None else piece.type_id,
            False,
            round(piece.sure, 3),
            round(piece.type_sure, 3),
        )
        for piece in pieces
    ]
    used = {number for view in views for number in view.pages}
    views += [PieceView([number], None, True) for number in range(1, count + 1) if number not in used]
    return sorted(views, key=lambda view: view.pages[0])


def bundle_view(store: Store, document_id: int) -> BundleView:
    """What the light table shows. Any paper can be laid on it that nobody has worked on."""
    with store.session() as session:
        document = document_row(session, document_id)
        rows = page_rows(session, document_id)
        if not rows:
            raise Conflict(f"“{document.name}” has no pages (yet).")
        pages = list(map(page_of, rows))
        kept = document.pieces or [{"pages": [row.number for row in rows], "type_id": document.type_id}]
        types = session.execute(
            select(DocumentType.id, DocumentType.name)
            .where(DocumentType.workspace_id == document.workspace_id)
            .order_by(DocumentType.name)
        ).all()
        children = session.scalars(
            select(Document.id).where(Document.parent_id == document_id).order_by(Document.id)
        ).all()
        return BundleView(
            document.id,
            document.name,
            document.state,
            document.cut,
            document.purpose,
            document.type_id,
            document.workspace_id,
            document.revision,
            [
                BundlePage(
                    row.number,
                    row.width_pt,
                    row.height_pt,
                    row.word_count,
                    is_blank(page),
                    is_separator(page),
                    row.read_at is not None,
                )
                for row, page in zip(rows, pages, strict=True)
            ],
            [PieceView(**piece) for piece in kept],
            [(type_id, name) for type_id, name in types],
            list(children),
            min(1.0, split_threshold_in(session, document.workspace_id)),  # nothing is surer than certain
        )


def save_pieces(store: Store, actor: Actor, document_id: int, pieces: Sequence[PieceView], revision: int) -> int:
    """Keep how the light table is laid out now. Conflict when somebody else changed it meanwhile. Returns the new
    revision."""
    actor.require(GATHER)
    with store.session() as session:
        document = _checked(session, document_id, pieces, revision)
        document.pieces = [asdict(piece) for piece in pieces]
        document.revision += 1
        return document.revision


def cut(store: Store, actor: Actor, document_id: int, pieces: Sequence[PieceView], revision: int) -> list[int]:
    """Make papers of the pieces; returns their ids. The bundle stays with its pages, and cutting can be undone."""
    actor.require(GATHER)
    with store.session() as session:
        document = _checked(session, document_id, pieces, revision)
        if all(piece.aside for piece in pieces):
            raise InputError("All pages are set aside; leave at least one paper, or set the whole file aside.")
        return _apply(session, actor, document, pieces)


def _checked(session: Session, document_id: int, pieces: Sequence[PieceView], revision: int) -> Document:
    """The bundle, locked, when nobody has worked on it or changed its cuts meanwhile and the pieces make sense."""
    document = document_row(session, document_id, lock=True)
    worked = session.scalar(select(func.count(Label.id)).where(Label.document_id == document.id)) or 0
    if (
        worked
        or not can_change(document, DocumentState.UNPACKED, By.PERSON)
        or document.state == DocumentState.UNPACKED
    ):
        raise Conflict(f"“{document.name}” is {document.state}; it cannot be cut now.")
    if document.revision != revision:
        raise Conflict("Somebody else changed the cuts in the meantime. Load the page again to see them.")
    numbers = [number for piece in pieces for number in piece.pages]
    if not pieces or any(not piece.pages for piece in pieces):
        raise InputError("Every paper needs at least one page.")
    if sorted(numbers) != list(range(1, (document.page_count or 0) + 1)):
        raise InputError(f"Each of the {document.page_count} pages must be in one paper, or be set aside, once.")
    known = set(session.scalars(select(DocumentType.id).where(DocumentType.workspace_id == document.workspace_id)))
    if {piece.type_id for piece in pieces} - known - {None}:
        raise InputError("A paper has a type that this workspace does not have.")
    return document


def _apply(session: Session, actor: Actor | None, bundle: Document, pieces: Sequence[PieceView]) -> list[int]:
    rows = {row.number: row for row in page_rows(session, bundle.id)}
    drop_drafts(session, bundle.id)
    made = [_paper(session, actor, bundle, piece, rows) for piece in pieces if not piece.aside]
    change_state(bundle, DocumentState.UNPACKED, By.PROGRAM if actor is None else By.PERSON)
    bundle.pieces = [asdict(piece) for piece in pieces]
    bundle.revision += 1
    record(session, actor, Action.CUT, "document", bundle.id, papers=len(made))
    if actor is not None:
        learn_soon(session, bundle.workspace_id)
    return made


_COPIED = (
    "source_index",
    "read_at",
    "problem",
    "note",
    "reading_options",
    "width_pt",
    "height_pt",
    "rotation",
    "skew",
    "source",
    "engine",
    "confidence",
    "word_count",
    "words",
    "peek",
    "view_key",
    "view_width",
    "view_height",
)


def _paper(session: Session, actor: Actor | None, bundle: Document, piece: PieceView, rows: dict[int, PageRow]) -> int:
    """A paper of a bundle's pages: it refers to them in the same file."""
    said = _said(piece.pages)
    name = PurePosixPath(bundle.name)
    child = Document(
        workspace_id=bundle.workspace_id,
        type_id=piece.type_id,
        source_file_id=bundle.source_file_id,
        source_id=bundle.source_id,
        batch_id=bundle.batch_id,
        parent_id=bundle.id,
        parent_part=f"pages {said}",
        reading_key=bundle.reading_key,
        engine=bundle.engine,
        language=bundle.language,
        name=f"{name.stem[:200]} p. {said}{name.suffix}"[-255:],
        purpose=bundle.purpose,
        received_by=bundle.received_by,
        page_count=len(piece.pages),
        pages_read=len(piece.pages),
        note=bundle.note,
        placed_by=PlacedBy.PERSON if actor else PlacedBy.PROGRAM,
    )
    session.add(child)
    session.flush()
    for number, page in enumerate(piece.pages, 1):
        session.add(
            PageRow(document_id=child.id, number=number, **{name: getattr(rows[page], name) for name in _COPIED})
        )
    session.flush()
    tell_order_of_dates(session, child)
    if piece.type_id is not None:
        go_on(session, child)
    else:
        enqueue_all(session, [document_job(Task.PLACE_DOCUMENT, child.id, 60)])
    return child.id


def _said(pages: Sequence[int]) -> str:
    """[3, 4, 5, 9] → "3–5, 9"."""
    runs: list[list[int]] = []
    for page in pages:
        if runs and page == runs[-1][-1] + 1:
            runs[-1].append(page)
        else:
            runs.append([page])
    return ", ".join(str(run[0]) if len(run) == 1 else f"{run[0]}–{run[-1]}" for run in runs)[:160]


def join_again(store: Store, actor: Actor, document_id: int, *, revision: int | None = None) -> None:
    """Undo a cut: its papers go, as far as nobody has labelled or settled anything on one, and the bundle lies on
    the light table again as it was cut."""
    actor.require(GATHER)
    with store.session() as session:
        bundle = unchanged_row(session, document_id, revision)
        children = session.scalars(select(Document).where(Document.parent_id == document_id)).all()
        if bundle.state != DocumentState.UNPACKED or not bundle.page_count:
            raise Conflict(f"“{bundle.name}” is not cut.")
        for child in children:
            _must_be_untouched(session, child)
        session.execute(delete(Document).where(Document.parent_id == document_id))
        change_state(bundle, DocumentState.TO_CUT, By.PERSON)
        bundle.revision += 1
        record(session, actor, Action.JOIN, "document", document_id, papers=len(children))


def _must_be_untouched(session: Session, child: Document) -> None:
    if is_worked_on(session, child) or child.state in SETTLED_STATES:
        raise Conflict(f"“{child.name}” is in progress already ({child.state}); the bundle stays cut.")


def open_bundles(store: Store, workspace_id: int) -> list[dict[str, Any]]:
    """Bundles that wait for a look at their cuts."""
    with store.session() as session:
        rows = session.scalars(
            select(Document)
            .where(Document.workspace_id == workspace_id, Document.state == DocumentState.TO_CUT)
            .order_by(Document.id)
            .options(undefer(Document.pieces))
        )
        return [
            {
                "id": row.id,
                "name": row.name,
                "pages": row.page_count or 0,
                "papers": sum(1 for piece in row.pieces or [] if not piece.get("aside")),
            }
            for row in rows
        ]
