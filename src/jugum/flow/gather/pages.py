"""The pages of a paper as they were read, and the order of day and month that its own dates tell."""

from __future__ import annotations

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.page import Page, PageSource, unpack_words
from jugum.core.values import date_order
from jugum.store.models import Document, PageRow

ORDER_PAGES = 40  # of a paper, whose dates tell the order of day and month


def page_of(row: PageRow, month_first: bool | None = None) -> Page:
    """A page row in core's words; one that is not read yet has none. `month_first`: how the paper's dates in digits
    are read."""
    words = unpack_words(row.words) if row.words else ()
    source = PageSource(row.source) if row.source else PageSource.OCR
    return Page(row.number, row.width_pt, row.height_pt, words, source, row.rotation, row.skew, month_first)


def page_rows(session: Session, document_id: int, numbers: range | None = None) -> Sequence[PageRow]:
    """The page rows of a paper (those with these numbers) in order, with their words."""
    query = select(PageRow).where(PageRow.document_id == document_id).order_by(PageRow.number)
    if numbers is not None:
        query = query.where(PageRow.number.in_(numbers))
    return session.scalars(query.options(undefer(PageRow.words))).all()


def pages_of(session: Session, document_id: int) -> tuple[Page, ...]:
    """The pages of a paper in core's words."""
    month_first = session.get_one(Document, document_id).reads_month_first
    return tuple(page_of(row, month_first) for row in page_rows(session, document_id))


def tell_order_of_dates(session: Session, document: Document) -> None:
    """Keep what the dates on a paper's first pages tell of the order of day and month."""
    pages = map(page_of, page_rows(session, document.id, range(1, ORDER_PAGES + 1)))
    told = date_order(word.text for page in pages for word in page.words)
    document.month_first = told.of_paper
