"""Pages read again, as a person asks: with another engine, turned, from the picture."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from jugum.core.ocr import (
    check_engine,
    check_language,
)
from jugum.core.states import PAGES_FIXED
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.read import queue_unread, unchanged_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.store import Store
from jugum.store.models import PageRow


@dataclass(frozen=True)
class ReadAgain:
    """How pages are to be read again. `turn` is added to how they stand now (degrees clockwise); None leaves them."""

    engine: str | None = None
    language: str | None = None
    turn: int | None = None
    text_layer: bool = True
    contrast: bool = False
    dpi: int | None = None


@dataclass(frozen=True)
class QueuedPages:
    """How many pages are to be read, and the paper's new revision."""

    queued: int
    revision: int


def read_again(
    store: Store,
    actor: Actor,
    document_id: int,
    pages: Sequence[int] | None,
    asked: ReadAgain,
    *,
    revision: int | None = None,
) -> QueuedPages:
    """Queue pages (all: None) to be read again in another way; what is there is shown until they are."""
    actor.require(GATHER)
    if asked.turn is not None and asked.turn % 90:
        raise InputError(f"{asked.turn} is not a quarter turn. Choose 90, 180 or 270.")
    if asked.engine is not None:
        check_engine(asked.engine)
    if asked.language is not None:
        check_language(asked.language)
    if asked.dpi is not None and not 72 <= asked.dpi <= 600:
        raise InputError(f"{asked.dpi} dpi is not possible; choose 72 to 600.")
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if document.state in PAGES_FIXED:
            raise Conflict(f"“{document.name}” is {document.state}; its pages can't be read again.")
        query = select(PageRow).where(PageRow.document_id == document_id)
        rows = session.scalars(query.where(PageRow.number.in_(pages)) if pages else query).all()
        for row in rows:
            how: dict[str, Any] = {"text_layer": asked.text_layer, "contrast": asked.contrast, "dpi": asked.dpi}
            how |= {"engine": asked.engine or document.engine, "language": asked.language or document.language}
            if asked.turn is not None:
                how["turn"] = (row.rotation + asked.turn) % 360
            row.reading_options, row.read_at = how, None
        if not rows:
            raise NotFound(f"“{document.name}” has no such page.")
        document.revision += 1
        document.pages_read = (document.page_count or 0) - len(rows)
        record(
            session,
            actor,
            Action.READ_AGAIN,
            "document",
            document_id,
            pages=[row.number for row in rows],
            **rows[0].reading_options,
        )
        session.flush()
        return QueuedPages(queue_unread(session, document), document.revision)
