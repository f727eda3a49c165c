"""Looking closely at pages: pictures at any scale, the layers of a page, reading a region again, and everything to
take away."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import PurePosixPath
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.formats.pages import alto, hocr, page_json, page_text, structure_data, tables_csv, tables_xlsx
from jugum.core.ocr import (
    How,
    Paper,
    check_engine,
    check_language,
    in_cells_as,
    page_view,
    picture_bytes,
    read_region,
    reading_picture,
    region_picture,
)
from jugum.core.page import Box, Page, Word, pack_words, reading_order
from jugum.core.states import SETTLED_STATES
from jugum.core.structure import Structure, structure_of
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.pages import page_of, page_rows
from jugum.flow.gather.read import OpenPapers, document_row, limits
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.store import Store
from jugum.store.models import Document, PageRow

PICTURE_DPI_MAX = 600
STRUCTURES_KEPT = 96
WHOLE = 12  # pages up to which a paper is worked on as a whole while somebody waits
WINDOW = 4  # pages of a longer one that are worked on together: up to a second a page
FORMATS = {
    "json": ("application/json", ".json"),
    "hocr": ("text/html", ".hocr.html"),
    "alto": ("application/xml", ".alto.xml"),
    "text": ("text/plain", ".txt"),
    "csv": ("text/csv", ".tables.csv"),
    "pdf": ("application/pdf", ".searchable.pdf"),
    "xlsx": ("application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", ".tables.xlsx"),
}


class Explorer:
    """Papers opened by this process for looking at, and layers of pages already worked out; one thread works at a
    time."""

    def __init__(self) -> None:
        self.papers = OpenPapers()
        self.lock = threading.RLock()
        self._structures: OrderedDict[tuple[int, datetime], Structure] = OrderedDict()

    def structure(self, store: Store, document: Document, row: PageRow) -> Structure:
        """The layers of a page, worked out at the first look and after each new reading."""
        if row.read_at is None:
            raise Conflict(f"Page {row.number} of “{document.name}” is not read yet.")
        key = (row.id, row.read_at)
        with self.lock:
            if key not in self._structures:
                page = page_of(row)
                grey = reading_picture(self.paper(store, document), row.source_index, page)
                self._structures[key] = structure_of(page, grey)
                while len(self._structures) > STRUCTURES_KEPT:
                    self._structures.popitem(last=False)
            self._structures.move_to_end(key)
            return self._structures[key]

    def paper(self, store: Store, document: Document) -> Paper:
        return self.papers.paper(store, document.reading_key or document.file.sha256, document.name)


@dataclass(frozen=True)
class LoadedPaper:
    """A paper taken out of the database with the words of its read pages, so that what is worked out from it needs
    no open transaction."""

    document: Document
    rows: tuple[PageRow, ...]
    month_first: bool | None = None

    @property
    def pages(self) -> tuple[Page, ...]:
        return tuple(page_of(row, self.month_first) for row in self.rows)

    def layers(self, store: Store, explorer: Explorer) -> list[Structure]:
        """The layers of its pages, each worked out once and then kept."""
        return [explorer.structure(store, self.document, row) for row in self.rows]


def load_paper(session: Session, document: Document, numbers: range | None = None) -> LoadedPaper:
    """The read pages of a paper (those with these numbers) with their words."""
    rows = tuple(row for row in page_rows(session, document.id, numbers) if row.read_at)
    _ = document.file  # loaded while the session is open
    return LoadedPaper(document, rows, document.reads_month_first)


def windows(pages: int) -> list[tuple[int, int]]:
    """First and last page of each part of a paper that is looked at by itself while somebody waits; pages count from
    1."""
    if pages <= WHOLE:
        return [(1, pages)] if pages else []
    return [(first, min(first + WINDOW - 1, pages)) for first in range(1, pages + 1, WINDOW)]


def _page_row(session: Session, document_id: int, number: int) -> tuple[Document, PageRow]:
    document = document_row(session, document_id)
    row = session.scalar(
        select(PageRow)
        .where(PageRow.document_id == document_id, PageRow.number == number)
        .options(undefer(PageRow.words), undefer(PageRow.peek))
    )
    if row is None:
        raise NotFound(f"Paper {document_id} has no page {number} (yet).")
    _ = document.file  # loaded while the session is open
    return document, row


# ---- Pictures --------------------------------------------------------------------------------------------------------


def page_picture(store: Store, explorer: Explorer, document_id: int, number: int) -> bytes:
    """JPEG bytes of a page as it fits the screen, upright and straight; drawn at the first look and kept."""
    with store.session() as session:
        document, row = _page_row(session, document_id, number)
    if row.view_key:
        return store.files.get(row.view_key)
    with explorer.lock:
        view, size = page_view(explorer.paper(store, document), row.source_index, page_of(row))
    key = store.files.put(view)
    with store.session() as session:
        kept = session.get(PageRow, row.id)
        if kept is not None and kept.read_at == row.read_at:
            kept.view_key, (kept.view_width, kept.view_height) = key, size
    return view


def peek(store: Store, explorer: Explorer, document_id: int, number: int) -> bytes:
    """A small picture of a page, made when it was read."""
    with store.session() as session:
        _, row = _page_row(session, document_id, number)
    return row.peek or page_picture(store, explorer, document_id, number)


def region(store: Store, explorer: Explorer, document_id: int, number: int, box: Box, dpi: int, *, grey: bool) -> bytes:
    """JPEG bytes of a part of a page at up to 600 dpi, in colour or true grey."""
    if not 20 <= dpi <= PICTURE_DPI_MAX:
        raise InputError(f"{dpi} dpi can't be drawn; 20 to {PICTURE_DPI_MAX} can.")
    _check_box(box)
    with store.session() as session:
        document, row = _page_row(session, document_id, number)
    with explorer.lock:
        pixels = region_picture(explorer.paper(store, document), row.source_index, page_of(row), box, dpi, grey=grey)
    return picture_bytes(pixels, 88)


def _check_box(box: Box) -> None:
    if not (0 <= box.x0 < box.x1 <= 1 and 0 <= box.y0 < box.y1 <= 1):
        raise InputError("A region is four numbers from 0 to 1: left, top, right, bottom.")


# ---- Layers ----------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class PageLayers:
    """A page with all its layers, as plain data (see `core.formats.pages`)."""

    number: int
    width: int
    height: int
    width_pt: float
    height_pt: float
    source: str
    engine: str
    rotation: int
    skew: float
    confidence: float
    note: str
    problem: str
    read: bool
    words: list[list[Any]]
    text: str
    layers: dict[str, Any]


def _shown(word: Word) -> list[Any]:
    """A word for the screen: text, x0, y0, x1, y1, confidence, kind."""
    return [word.text, *(round(side, 5) for side in word.box), round(word.confidence, 3), word.kind.value]


def layers(store: Store, explorer: Explorer, document_id: int, number: int) -> PageLayers:
    with store.session() as session:
        document, row = _page_row(session, document_id, number)
    page = page_of(row)
    empty = row.read_at is None or bool(row.problem)
    found = {} if empty else structure_data(explorer.structure(store, document, row))
    return PageLayers(
        number,
        row.view_width,
        row.view_height,
        row.width_pt,
        row.height_pt,
        row.source,
        row.engine,
        row.rotation,
        row.skew,
        round(row.confidence, 4),
        row.note,
        row.problem,
        row.read_at is not None,
        list(map(_shown, page.words)),
        "" if empty else page_text([page]),
        found,
    )


def structure_on(store: Store, session: Session, explorer: Explorer, document: Document, number: int) -> Structure:
    """The layers of one page of a paper."""
    row = next((entry for entry in page_rows(session, document.id) if entry.number == number), None)
    if row is None:
        raise NotFound(f"“{document.name}” has no page {number}.")
    return explorer.structure(store, document, row)


def read_here(store: Store, explorer: Explorer, document_id: int, number: int, asked: RegionAsked) -> list[list[Any]]:
    """Words of a region read in another way; nothing is changed."""
    return list(map(_shown, _read(store, explorer, document_id, number, asked)))


# ---- By hand ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class RegionAsked:
    """A region to be read again: engine, language, resolution (None: twice the usual), light evened out first or
    not."""

    box: tuple[float, float, float, float]
    engine: str = "careful"
    language: str = "eng"
    dpi: int | None = None
    contrast: bool = False


def try_region(
    store: Store, explorer: Explorer, actor: Actor, document_id: int, number: int, asked: RegionAsked
) -> list[list[Any]]:
    """Words of a region read in another way, to be looked at; nothing is changed."""
    actor.require(GATHER)
    return read_here(store, explorer, document_id, number, asked)


def _read(store: Store, explorer: Explorer, document_id: int, number: int, asked: RegionAsked) -> tuple[Word, ...]:
    box = Box(*asked.box)
    _check_box(box)
    check_engine(asked.engine)
    check_language(asked.language)
    if asked.dpi is not None and not 72 <= asked.dpi <= PICTURE_DPI_MAX:
        raise InputError(f"{asked.dpi} dpi is not possible; choose 72 to {PICTURE_DPI_MAX}.")
    with store.session() as session:
        document, row = _page_row(session, document_id, number)
    with explorer.lock:
        engine = explorer.papers.engine(asked.engine, asked.language)
        how = How(dpi=asked.dpi, contrast=asked.contrast)
        return read_region(explorer.paper(store, document), row.source_index, page_of(row), box, engine, how)


def take_region(
    store: Store, explorer: Explorer, actor: Actor, document_id: int, number: int, asked: RegionAsked
) -> int:
    """Read a region in another way and put its words in place of those that lie in it. Returns how many there are
    now."""
    actor.require(GATHER)
    found = _read(store, explorer, document_id, number, asked)
    box = Box(*asked.box)
    with store.session() as session:
        document, row = _page_row(session, document_id, number)
        if document.state in SETTLED_STATES:
            raise Conflict(f"“{document.name}” is {document.state}; its words can't be changed.")
        page = page_of(row)
        kept = [word for word in page.words if not box.contains(*word.box.middle)]
        words = reading_order([*kept, *in_cells_as(found, page.words)])
        row.words, row.word_count = pack_words(words), len(words)
        row.confidence = Page(1, 1, 1, words).mean_confidence
        row.read_at = datetime.now(UTC)
        document.revision += 1
        record(
            session,
            actor,
            Action.READ_REGION,
            "document",
            document_id,
            page=number,
            box=list(asked.box),
            engine=asked.engine,
            words=len(found),
        )
        return len(words)


# ---- To take away ----------------------------------------------------------------------------------------------------


def taken_away(store: Store, explorer: Explorer, document_id: int, kind: str) -> tuple[str, str, bytes]:
    """A paper in an open format: (file name, media type, bytes). InputError for a format that is none of FORMATS."""
    if kind not in FORMATS:
        raise InputError(f"“{kind}” is not a format. Choose one of: {', '.join(FORMATS)}.")
    with store.session() as session:
        document = document_row(session, document_id)
        rows = page_rows(session, document_id)
        _ = document.file
    if not rows or any(row.read_at is None for row in rows):
        raise Conflict(f"“{document.name}” is still being read.")
    pages = [page_of(row) for row in rows]
    media, ending = FORMATS[kind]
    name = f"{PurePosixPath(document.name).stem}{ending}"
    return name, media, _written(store, explorer, kind, document, rows, pages)


def _written(
    store: Store, explorer: Explorer, kind: str, document: Document, rows: Sequence[PageRow], pages: Sequence[Page]
) -> bytes:
    if kind == "text":
        return page_text(pages).encode()
    if kind == "hocr":
        return hocr(pages, document.name).encode()
    if kind == "alto":
        return alto(pages, document.name).encode()
    if kind == "pdf":
        data = store.files.get(document.reading_key or document.file.sha256)
        numbered = [(row.source_index, page) for row, page in zip(rows, pages, strict=True)]
        return store.parsers.searchable_pdf(data, document.name, limits(store), numbered)
    structures = [explorer.structure(store, document, row) for row in rows]
    if kind == "json":
        return page_json(pages, structures).encode()
    tables = [(page.number, table) for page, layer in zip(pages, structures, strict=True) for table in layer.tables]
    return tables_xlsx(tables) if kind == "xlsx" else tables_csv(tables).encode("utf-8-sig")
