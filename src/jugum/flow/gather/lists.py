"""Lists of papers: filtered, sorted, a page at a time. Every paper is in exactly one place where a person finds it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, fields, replace
from datetime import date, datetime, time, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import InstrumentedAttribute, Session, joinedload

from jugum.core.states import DocumentState, Purpose
from jugum.errors import InputError
from jugum.flow.gather.documents import DocumentView, views
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import Batch, Document, LayoutGroup, PageRow, Source, SourceFile

ROWS_A_PAGE = 50
TEXT_MAX = 120  # letters of a name that are looked for


class Asked:
    """What is wanted of a list, as a dataclass whose usual values ask for nothing."""

    def asked(self) -> dict[str, Any]:
        """What differs from asking for nothing, by name: the address of the list."""
        kinds = fields(self)  # type: ignore[arg-type]
        return {field.name: value for field in kinds if (value := getattr(self, field.name)) != field.default}


@dataclass(frozen=True)
class Wanted(Asked):
    """Which papers of a list are wanted, in which order: what stands in the address of its page. Empty values ask for
    nothing; `untyped` asks for the workspace's papers without a type instead of the type's own. `since` and `until` are
    days, both included; `page` counts from 1."""

    purpose: str = ""
    state: str = ""
    source: int | None = None
    batch: int | None = None
    layout: int | None = None
    since: date | None = None
    until: date | None = None
    text: str = ""
    untyped: bool = False
    sort: str = "received"
    upwards: bool = False
    page: int = 1

    @property
    def narrows(self) -> bool:
        """Whether some papers of the list are left out."""
        return bool(self.asked().keys() - {"sort", "upwards", "page"})

    def sorted_by(self, sort: str) -> Wanted:
        """The same papers sorted by a column; by the one they are sorted by, the other way round."""
        return replace(self, sort=sort, upwards=not self.upwards if sort == self.sort else sort in NAMES, page=1)


@dataclass(frozen=True)
class Choice:
    """A value that a list can be narrowed to, and how many of its papers (samples, live ones or all) have it."""

    value: Any
    name: str
    papers: int


@dataclass(frozen=True)
class PaperList:
    """A page of a list: its rows, how many papers there are in all, and what it can be narrowed to."""

    wanted: Wanted
    rows: list[DocumentView]
    total: int
    pages: int
    states: list[Choice]
    sources: list[Choice]
    batches: list[Choice]
    layouts: list[Choice]
    untyped: int


def _of_pages(figure: ColumnElement[Any]) -> ColumnElement[Any]:
    """A figure over the pages of a paper that are read."""
    read = (PageRow.document_id == Document.id) & PageRow.read_at.is_not(None)
    return select(figure).where(read).scalar_subquery()


# What each column is sorted by; the paper's number decides between equals, so that no row is on two pages.
SORTS: dict[str, Any] = {
    "name": func.lower(Document.name),
    "purpose": Document.purpose,
    "state": Document.state,
    "pages": func.coalesce(Document.page_count, 0),
    "text": func.coalesce(_of_pages(func.min(PageRow.source)), ""),
    "confidence": func.coalesce(_of_pages(func.avg(PageRow.confidence)), 0),
    "size": SourceFile.bytes,
    "received": Document.received_at,
}
NAMES = ("name", "purpose", "state", "text")  # read from A first; figures and days from the largest


def paper_list(store: Store, type_id: int, wanted: Wanted) -> PaperList:
    """A page of a type's papers (or of the workspace's without a type). InputError for a column or state that there is
    none of."""
    if wanted.sort not in SORTS:
        raise InputError(f"A list can't be sorted by “{wanted.sort}”. Choose one of: {', '.join(SORTS)}.")
    if wanted.state and wanted.state not in set(DocumentState):
        raise InputError(f"“{wanted.state}” is not a state of papers. Choose one of: {', '.join(DocumentState)}.")
    if wanted.purpose and wanted.purpose not in set(Purpose):
        raise InputError(f"“{wanted.purpose}” is not a purpose. Choose sample or live.")
    with store.session() as session:
        workspace_id = type_row(session, type_id).workspace_id
        without_type = (Document.workspace_id == workspace_id) & Document.type_id.is_(None)
        base = without_type if wanted.untyped else Document.type_id == type_id
        if wanted.purpose:
            base &= Document.purpose == wanted.purpose
        found = select(Document).join(SourceFile).where(base, *_conditions(wanted))
        total = session.scalar(select(func.count()).select_from(found.subquery())) or 0
        pages = max(1, -(-total // ROWS_A_PAGE))
        wanted = replace(wanted, page=min(max(1, wanted.page), pages))
        rows = session.scalars(_ordered(found, wanted).options(joinedload(Document.file))).all()
        return PaperList(
            wanted,
            views(session, rows),
            total,
            pages,
            _states(session, base),
            _choices(session, base, Document.source_id, Source),
            _choices(session, base, Document.batch_id, Batch),
            _choices(session, base, Document.layout_group_id, LayoutGroup),
            session.scalar(select(func.count(Document.id)).where(without_type)) or 0,
        )


def _conditions(wanted: Wanted) -> Iterator[ColumnElement[bool]]:
    if wanted.state:
        yield Document.state == wanted.state
    if wanted.source is not None:
        yield Document.source_id == wanted.source
    if wanted.batch is not None:
        yield Document.batch_id == wanted.batch
    if wanted.layout is not None:
        yield Document.layout_group_id == wanted.layout
    if wanted.since is not None:
        yield Document.received_at >= _begin(wanted.since)
    if wanted.until is not None:
        yield Document.received_at < _begin(wanted.until + timedelta(days=1))
    if text := wanted.text.strip()[:TEXT_MAX]:
        yield Document.name.icontains(text, autoescape=True)


def _begin(day: date) -> datetime:
    return datetime.combine(day, time()).astimezone()


def _ordered(found: Select[Document], wanted: Wanted) -> Select[Document]:
    column = SORTS[wanted.sort]
    order = (column.asc(), Document.id.asc()) if wanted.upwards else (column.desc(), Document.id.desc())
    return found.order_by(*order).limit(ROWS_A_PAGE).offset((wanted.page - 1) * ROWS_A_PAGE)


def _states(session: Session, base: ColumnElement[bool]) -> list[Choice]:
    """The states that papers are in, in their order."""
    counted = select(Document.state, func.count()).where(base).group_by(Document.state)
    counts = {state: count for state, count in session.execute(counted)}
    return [Choice(state.value, state.value, counts[state]) for state in DocumentState if state in counts]


def _choices(
    session: Session,
    base: ColumnElement[bool],
    column: InstrumentedAttribute[Any],
    table: type[Source] | type[Batch] | type[LayoutGroup],
) -> list[Choice]:
    rows = session.execute(
        select(table.id, table.name, func.count(Document.id))
        .join(Document, column == table.id)
        .where(base)
        .group_by(table.id, table.name)
        .order_by(table.id.desc())
        .limit(100)
    )
    return [Choice(number, name, count) for number, name, count in rows]
