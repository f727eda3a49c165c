"""What the desk shows of a paper: pages with words, fields with labels, readings, holds and results."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.page import Box, Word, lines_of, overlap_share, part_of, text_of, union, unpack_words
from jugum.core.values import DataType, normal_form, text_that_says
from jugum.errors import Conflict, Forbidden, InputError
from jugum.flow.gather.pages import page_of, page_rows
from jugum.flow.gather.read import document_row
from jugum.flow.office.actor import Actor
from jugum.flow.office.personal import has_personal, shows_personal
from jugum.flow.plan.fields import value_type_of
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, PageRow, Person

PRESENCE_SECONDS = 45
WORDS_PAGES_MAX = 12  # papers with more pages fetch the words of a page when it comes into sight
WORDS_PAGES_FIRST = 4
VIEW_SCALE = 200 / 72  # pixels a point of a page's picture before it is drawn


@dataclass(frozen=True)
class PageView:
    """A page for the screen. `words` are [text, x0, y0, x1, y1, confidence], boxes in page fractions; None where
    they are fetched when the page comes into sight."""

    number: int
    width: int
    height: int
    source: str
    rotation: int
    confidence: float
    words: list[list[Any]] | None
    width_pt: float = 595.0


@dataclass(frozen=True)
class ValueView:
    """A value with its place. `normal` is empty when the data type can't read the text; `more_places` are further
    places of a value over several lines or pages; `ocr_text` is what the reading saw there."""

    text: str
    normal: str
    page: int | None
    box: list[float] | None
    confidence: float | None = None
    origin: str = ""
    person: str | None = None
    created_at: datetime | None = None
    version: int | None = None
    more_places: list[tuple[int, list[float]]] = field(default_factory=list)
    ocr_text: str = ""
    why: str = ""


@dataclass(frozen=True)
class Other:
    """Somebody else who has the paper open, since when."""

    name: str
    since: datetime


Sides = tuple[float, float, float, float]


@dataclass(frozen=True)
class SpotInput:
    """A place on a page: words by their indices, or a box."""

    page: int
    words: tuple[int, ...] = ()
    box: Sides | None = None


@dataclass(frozen=True)
class ValueInput:
    """A value as a person gives it: the words it stands on (page and indices), or a text typed, or both: a text put
    right where the words were misread, or a part of what they say. `more_places` are its further lines and pages;
    `normal` is what it means, where its words don't say so ("uke" for the choice "weekly")."""

    text: str | None = None
    page: int | None = None
    words: tuple[int, ...] = ()
    box: Sides | None = None
    more_places: tuple[SpotInput, ...] = ()
    normal: str = ""


@dataclass(frozen=True)
class FieldShape:
    """What kind of field it is, for the desk: its columns (key, name, data type), for a table; its options, for a
    choice."""

    kind: str
    data_type: str
    columns: list[tuple[str, str, str]]
    options: list[str]
    note: str
    question: str


def shape_of_field(row: Field) -> FieldShape:
    columns = [
        (planned.key, planned.name, planned.data_type)
        for planned in row.type.fields
        if planned.inside == row.key and "." in planned.key
    ]
    options = [option["key"] for option in row.spec.get("options", [])]
    if row.data_type in ("tick box", "signature"):
        options = ["yes", "no"]
    return FieldShape(row.kind, row.data_type, columns, options, row.spec.get("note", ""), row.spec.get("question", ""))


def shown_fields(document: Document, *, derived: bool) -> list[Field]:
    """The fields a desk shows: columns stand in their table."""
    return [row for row in document.placed_type.fields if "." not in row.key and (derived or row.kind != "derived")]


def grid_of(columns: Sequence[Mapping[int, ValueView]]) -> list[list[ValueView | None]]:
    """Cells by row, from each column's cells by position."""
    rows = max((position + 1 for column in columns for position in column), default=0)
    return [[column.get(position) for column in columns] for position in range(rows)]


def table_value(rows: Sequence[Sequence[ValueView | None]]) -> list[ValueView]:
    """A table as one value for its note: how many rows, and the place of those on the first page it stands on."""
    placed = [cell for row in rows for cell in row if cell and cell.box]
    if not rows:
        return []
    said = f"{len(rows)} {'row' if len(rows) == 1 else 'rows'}"
    page = min((cell.page for cell in placed if cell.page), default=None)
    box = union(Box(*cell.box) for cell in placed if cell.page == page and cell.box) if placed else None
    return [ValueView(said, said, page, list(box) if box else None, None, placed[0].origin if placed else "")]


def must_see_personal(session: Session, actor: Actor, document: Document) -> None:
    """Pages can't be masked: who may not see personal values can't open a paper that may show some."""
    if not actor.sees_personal and shows_personal(session, document):
        raise Forbidden(
            f"“{document.name}” shows personal values, which your sign-in may not see. Ask an administrator."
        )


def must_see_type(actor: Actor, kind: DocumentType) -> None:
    """The same of places that show values of many papers of a type beside their pictures."""
    if not actor.sees_personal and has_personal(kind):
        raise Forbidden(
            f"Papers of “{kind.name}” show personal values, which your sign-in may not see. Ask an administrator."
        )


def may_open(store: Store, actor: Actor, document_id: int) -> None:
    """Forbidden when a paper shows personal values that the actor may not see."""
    with store.session() as session:
        must_see_personal(session, actor, document_row(session, document_id))


def page_views(session: Session, document_id: int) -> list[PageView]:
    """The pages of a paper; of a long one only the first few with their words."""
    rows = session.scalars(select(PageRow).where(PageRow.document_id == document_id).order_by(PageRow.number)).all()
    near = {row.id for row in (rows if len(rows) <= WORDS_PAGES_MAX else rows[:WORDS_PAGES_FIRST])}
    blobs = dict(session.execute(select(PageRow.id, PageRow.words).where(PageRow.id.in_(near))).all())
    return [
        PageView(
            row.number,
            row.view_width or round(row.width_pt * VIEW_SCALE),
            row.view_height or round(row.height_pt * VIEW_SCALE),
            row.source,
            row.rotation,
            round(row.confidence, 3),
            _word_rows(unpack_words(blobs[row.id]) if blobs[row.id] else ()) if row.id in near else None,
            row.width_pt,
        )
        for row in rows
    ]


def _word_rows(words: Sequence[Word]) -> list[list[Any]]:
    return [[word.text, *(round(side, 4) for side in word.box), round(word.confidence, 2)] for word in words]


def page_words(store: Store, document_id: int, number: int) -> list[list[Any]]:
    """The words of one page, as in PageView."""
    with store.session() as session:
        return _word_rows(words_on(session, document_id, number))


def words_on(session: Session, document_id: int, number: int | None) -> tuple[Word, ...]:
    row = session.scalar(
        select(PageRow)
        .where(PageRow.document_id == document_id, PageRow.number == number)
        .options(undefer(PageRow.words))
    )
    return unpack_words(row.words) if row and row.words else ()


def find_word(store: Store, document_id: int, start: str, after: tuple[int, int]) -> tuple[int, int] | None:
    """Page and index of the next word that begins with some letters, after a place and then from the beginning."""
    wanted = start.casefold()
    with store.session() as session:
        hits = [
            (row.number, index)
            for row in page_rows(session, document_id)
            for index, word in enumerate(page_of(row).words)
            if word.text.casefold().startswith(wanted)
        ]
    return next((hit for hit in hits if hit > after), hits[0] if hits else None)


@dataclass(frozen=True)
class _Spot:
    """A place with the words that stand there."""

    page: int
    box: Box
    words: list[Word]


def resolve(session: Session, document: Document, field: Field, given: ValueInput) -> ValueView:
    """A person's value with its text, normal form and places worked out. InputError when it is empty or its words
    are not on the page. A text that is part of what its words say gets the part of their box."""
    if given.box is not None and given.page is None:
        raise InputError("A box needs its page.")
    first = (
        SpotInput(given.page, given.words, given.box) if given.page is not None and (given.words or given.box) else None
    )
    spots = [_spot(session, document.id, place) for place in ([first] if first else []) + list(given.more_places)]
    seen = _said(field, spots)
    text = (given.text or "").strip() or seen
    if field.data_type == DataType.ADDRESS.value and text.replace(",", " ").split() == seen.replace(",", " ").split():
        text = seen  # its lines stay told apart
    if not text:
        raise InputError(f"No value was given for {field.name}.")
    if len(spots) == 1 and spots[0].words and (part := part_of(spots[0].words, text)) is not None:
        spots[0] = replace(spots[0], box=part)
    places = [(spot.page, [round(side, 5) for side in spot.box]) for spot in spots]
    text = text_that_says(text, given.normal, value_type_of(field, document))
    normal = normal_form(text, value_type_of(field, document)) or ""
    page, box = places[0] if places else (None, None)
    return ValueView(text, normal, page, box, more_places=places[1:], ocr_text=seen)


def _spot(session: Session, document_id: int, given: SpotInput) -> _Spot:
    words = words_on(session, document_id, given.page)
    if given.words:
        if not words or max(given.words) >= len(words) or min(given.words) < 0:
            raise InputError(f"Page {given.page} has {len(words)} words; the chosen words are not among them.")
        chosen = [words[index] for index in sorted(set(given.words))]
        return _Spot(given.page, union(word.box for word in chosen), chosen)
    if given.box is None:
        raise InputError("A place is words or a box on a page.")
    box = Box(*given.box)
    if not (0 <= box.x0 < box.x1 <= 1 and 0 <= box.y0 < box.y1 <= 1):
        raise InputError("A box is four numbers from 0 to 1: left, top, right, bottom.")
    return _Spot(given.page, box, [word for word in words if overlap_share(word.box, box) > 0.5])


def _said(field: Field, spots: Sequence[_Spot]) -> str:
    """What stands at some places; the lines of an address are parted by commas."""
    if field.data_type != DataType.ADDRESS.value:
        return " ".join(text_of(spot.words) for spot in spots if spot.words)
    return ", ".join(text_of(line).strip(" ,") for spot in spots for line in lines_of(spot.words))


def open_desk(session: Session, actor: Actor, document: Document) -> list[Other]:
    """Note that the actor has the paper open; returns who else has. Conflict for a paper that has no type yet."""
    if document.type_id is None:
        raise Conflict(f"“{document.name}” has no type yet. Choose its type in Gather first.")
    others = _others(session, actor, document)
    if not others:
        document.opened_by, document.opened_at = actor.id, datetime.now(UTC)
    return others


def _others(session: Session, actor: Actor, document: Document) -> list[Other]:
    """Who else has a paper open now."""
    if document.opened_at is None or document.opened_by in (None, actor.id):
        return []
    if datetime.now(UTC) - document.opened_at > timedelta(seconds=PRESENCE_SECONDS):
        return []
    person = session.get(Person, document.opened_by)
    return [Other(person.name, document.opened_at)] if person else []


@dataclass(frozen=True)
class Presence:
    revision: int
    state: str
    others: list[Other]


def presence(store: Store, actor: Actor, document_id: int, *, idle: bool = False) -> Presence:
    """Called by an open desk every few seconds: says it is still open, tells of others and of changes. A desk at which
    nothing was done for a while is `idle`: its paper is soon free for others."""
    with store.session() as session:
        document = document_row(session, document_id)
        others = _others(session, actor, document) if idle else open_desk(session, actor, document)
        return Presence(document.revision, document.state, others)
