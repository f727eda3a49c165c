"""What the desk shows of a paper: pages with words, fields with labels, readings, holds and results."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.page import Box, text_of, union, unpack_words
from jugum.core.values import normal_form
from jugum.errors import Conflict, Forbidden, InputError
from jugum.flow.actor import Actor
from jugum.flow.plan import value_type_of
from jugum.flow.read import document_row, page_of, page_rows
from jugum.store import Store
from jugum.store.models import Document, Field, PageRow, Person

PRESENCE_SECONDS = 45


@dataclass(frozen=True)
class PageView:
    """A page for the screen. `words` are [text, x0, y0, x1, y1, confidence], boxes in page fractions."""

    number: int
    width: int
    height: int
    source: str
    rotation: int
    confidence: float
    words: list[list[Any]]


@dataclass(frozen=True)
class ValueView:
    """A value with its place. `normal` is empty when the data type can't read the text."""

    text: str
    normal: str
    page: int | None
    box: list[float] | None
    confidence: float | None = None
    origin: str = ""
    person: str | None = None
    at: datetime | None = None
    version: int | None = None


@dataclass(frozen=True)
class Other:
    """Somebody else who has the paper open, since when."""

    name: str
    since: datetime


@dataclass(frozen=True)
class ValueInput:
    """A value as a person gives it: the words it stands on (page and indices), or a text typed, or both: a text put right
    where the words were misread."""

    text: str | None = None
    page: int | None = None
    words: tuple[int, ...] = ()
    box: tuple[float, float, float, float] | None = None


@dataclass(frozen=True)
class FieldShape:
    """What kind of field it is, for the desk: its columns (key, name, data type), for a table; its options, for a choice."""

    kind: str
    data_type: str
    columns: list[tuple[str, str, str]]
    options: list[str]
    note: str
    question: str


def shape_of_field(row: Field) -> FieldShape:
    columns = [
        (one.key, one.name, one.data_type) for one in row.type.fields if one.inside == row.key and "." in one.key
    ]
    options = [option["key"] for option in row.spec.get("options", [])]
    if row.data_type in ("tick box", "signature"):
        options = ["yes", "no"]
    return FieldShape(row.kind, row.data_type, columns, options, row.spec.get("note", ""), row.spec.get("question", ""))


def shown_fields(document: Document, *, derived: bool) -> list[Field]:
    """The fields a desk shows: columns stand in their table."""
    return [row for row in document.type.fields if "." not in row.key and (derived or row.kind != "derived")]


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


def must_see_personal(actor: Actor, document: Document) -> None:
    """Pages can't be masked: who may not see personal values can't open a paper of a type that has some."""
    if not actor.sees_personal and document.type and any(row.personal for row in document.type.fields):
        raise Forbidden(
            f"“{document.name}” shows personal values, which your sign-in may not see. Ask an administrator."
        )


def may_open(store: Store, actor: Actor, document_id: int) -> None:
    """Forbidden when a paper shows personal values that the actor may not see."""
    with store.session() as session:
        must_see_personal(actor, document_row(session, document_id))


def page_views(session: Session, document_id: int) -> list[PageView]:
    rows = page_rows(session, document_id)
    return [
        PageView(
            row.number, row.view_width, row.view_height, row.source, row.rotation, round(row.confidence, 3),
            [[w.text, *(round(v, 4) for v in w.box), round(w.confidence, 2)] for w in page_of(row).words],
        )
        for row in rows
    ]  # fmt: skip


def resolve(session: Session, document_id: int, field: Field, given: ValueInput) -> ValueView:
    """A person's value with its text, normal form and box worked out. InputError when it is empty or its words are not
    on the page."""
    box = Box(*given.box) if given.box else None
    text = given.text.strip() if given.text is not None else ""
    if given.words:
        row = session.scalar(
            select(PageRow)
            .where(PageRow.document_id == document_id, PageRow.number == given.page)
            .options(undefer(PageRow.words))
        )
        words = unpack_words(row.words) if row else ()
        if not words or max(given.words) >= len(words) or min(given.words) < 0:
            raise InputError(f"Page {given.page} has {len(words)} words; the ones asked for are not among them.")
        chosen = [words[index] for index in sorted(set(given.words))]
        box = union(word.box for word in chosen)
        text = text or text_of(chosen)
    if not text:
        raise InputError(f"No value was given for {field.name}.")
    if box is not None and given.page is None:
        raise InputError("A box needs the page it is on.")
    normal = normal_form(text, value_type_of(field)) or ""
    return ValueView(text, normal, given.page if box else None, [round(v, 5) for v in box] if box else None)


def open_desk(session: Session, actor: Actor, document: Document) -> list[Other]:
    """Note that the actor has the paper open; returns who else has. Conflict for a paper that has no type yet."""
    if document.type_id is None:
        raise Conflict(f"“{document.name}” has no type yet. Place it in Gather first.")
    now = datetime.now(UTC)
    others = []
    stale = document.opened_at is None or now - document.opened_at > timedelta(seconds=PRESENCE_SECONDS)
    if not stale and document.opened_by not in (None, actor.id):
        person = session.get(Person, document.opened_by)
        others = [Other(person.name, document.opened_at)] if person and document.opened_at else []
    else:
        document.opened_by, document.opened_at = actor.id, now
    return others


@dataclass(frozen=True)
class Presence:
    revision: int
    state: str
    others: list[Other]


def presence(store: Store, actor: Actor, document_id: int) -> Presence:
    """Called by an open desk every few seconds: says it is still open, tells of others and of changes."""
    with store.session() as session:
        document = document_row(session, document_id)
        return Presence(document.revision, document.state, open_desk(session, actor, document))
