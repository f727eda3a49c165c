"""The grid: fields by papers, to look over a batch, find a value and correct it where it stands."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import ColumnElement, exists, func, select
from sqlalchemy.orm import Session

from jugum.core.schema import FieldKind
from jugum.core.states import CHECKED_STATES, REVIEW_STATES, DocumentState, Purpose
from jugum.errors import InputError
from jugum.flow.gather.lists import Asked
from jugum.flow.in_force import thresholds_of
from jugum.flow.label.desk_parts import must_see_type
from jugum.flow.office.actor import REVIEW, Actor
from jugum.flow.office.types import type_row
from jugum.flow.review.records import PaperRecords, records_of
from jugum.flow.review.waiting import TEXT_MAX, QueueChoice
from jugum.store import Store
from jugum.store.models import (
    Batch,
    CheckedValue,
    Document,
    DocumentType,
    Field,
    LayoutGroup,
    Policy,
    Reading,
    Result,
    Source,
    SpotCheck,
)

ROWS_A_PAGE = 25


@dataclass(frozen=True)
class GridWanted(Asked):
    """Which papers of a grid are wanted: what stands in its address. Empty values ask for nothing; `value` is a part of
    what the field `field` says, or any field; `after` is the last paper of the page before, of the newest first."""

    state: str = ""
    batch: int | None = None
    source: int | None = None
    layout: int | None = None
    text: str = ""
    field: str = ""
    value: str = ""
    after: int | None = None

    @property
    def narrows(self) -> bool:
        """Whether some papers are left out."""
        return bool(self.asked().keys() - {"after", "field"} or (self.field and self.value))

    def check(self) -> None:
        """InputError for what there is not."""
        if self.state and self.state not in set(CHECKED_STATES):
            raise InputError(f"“{self.state}” is not a state here. Choose one of: {', '.join(CHECKED_STATES)}.")


@dataclass(frozen=True)
class GridCell:
    """What a field says on a paper, with its first place; empty where it says nothing. `hold` is why it waits; an
    `unseen` one is to be checked before what passed is shown; `may` is whether it can be said here."""

    text: str
    normal: str
    page: int | None
    box: list[float] | None
    confidence: float | None
    threshold: float | None
    origin: str
    hold: str
    detail: str
    unseen: bool
    may: bool


@dataclass(frozen=True)
class GridRow:
    """A paper with its cells, in the order of the columns."""

    document: int
    name: str
    state: str
    revision: int
    layout: str
    cells: list[GridCell]


@dataclass(frozen=True)
class GridColumn:
    """A field: what is `single` can be said in its cell, others at the desk."""

    key: str
    name: str
    data_type: str
    single: bool


@dataclass(frozen=True)
class GridView:
    """A page of papers with what was read and said of them; `papers` in all, of which so many are `held`. `choices` are
    what they can be narrowed to; `next` is the `after` of the page that follows, None on the last."""

    wanted: GridWanted
    columns: list[GridColumn]
    rows: list[GridRow]
    papers: int
    held: int
    choices: dict[str, list[QueueChoice]]
    next: int | None


def grid(store: Store, actor: Actor, type_id: int, wanted: GridWanted, limit: int = ROWS_A_PAGE) -> GridView:
    """A page of the grid, the newest papers first. InputError for what can't be wanted."""
    actor.require(REVIEW)
    wanted.check()
    with store.session() as session:
        kind = type_row(session, type_id)
        must_see_type(actor, kind)
        if wanted.field and not any(row.key == wanted.field for row in kind.fields):
            raise InputError(f"“{kind.name}” has no field “{wanted.field}”.")
        conditions = list(_narrowed(kind, wanted))
        page = [] if wanted.after is None else [Document.id < wanted.after]
        query = select(Document).where(*conditions, *page).order_by(Document.id.desc()).limit(limit + 1)
        papers = session.scalars(query).all()
        total, held = session.execute(
            select(func.count(), func.count().filter(Document.state == DocumentState.HELD)).where(*conditions)
        ).one()
        shown = papers[:limit]
        rows = [row for row in kind.fields if "." not in row.key]
        return GridView(
            wanted,
            [GridColumn(row.key, row.name, row.data_type, _is_single(row)) for row in rows],
            _rows(session, kind, shown, rows),
            total,
            held,
            _choices(session, kind),
            shown[-1].id if len(papers) > limit else None,
        )


def _is_single(row: Field) -> bool:
    return row.kind == FieldKind.VALUE and not row.many


def _narrowed(kind: DocumentType, wanted: GridWanted) -> Iterator[ColumnElement[bool]]:
    yield Document.type_id == kind.id
    yield Document.purpose == Purpose.LIVE
    yield Document.state == wanted.state if wanted.state else Document.state.in_(CHECKED_STATES)
    for column, number in (
        (Document.batch_id, wanted.batch),
        (Document.source_id, wanted.source),
        (Document.drafted_layout_id, wanted.layout),
    ):
        if number is not None:
            yield column == number
    if text := wanted.text.strip()[:TEXT_MAX]:
        yield Document.name.icontains(text, autoescape=True)
    if value := wanted.value.strip()[:TEXT_MAX]:
        yield _says(kind, wanted.field, value)


def _says(kind: DocumentType, key: str, value: str) -> ColumnElement[bool]:
    """Papers on which a field, or any, says something with this in it: what people said, or was read. What is to be
    said unseen tells nothing."""

    ids = select(Field.id).where(Field.type_id == kind.id, *([Field.key == key] if key else []))

    def says(table: type[Result] | type[Reading], *more: ColumnElement[bool]) -> ColumnElement[bool]:
        texts = table.text.icontains(value, autoescape=True) | table.normal.icontains(value, autoescape=True)
        unseen = exists().where(
            CheckedValue.document_id == Document.id,
            CheckedValue.field_id == table.field_id,
            CheckedValue.answered_at.is_(None),
            CheckedValue.spot_check_id == SpotCheck.id,
            SpotCheck.blind,
        )
        shown = ~unseen.correlate(Document, table)
        return exists().where(table.document_id == Document.id, table.field_id.in_(ids), texts, shown, *more)

    answered = exists().where(Result.document_id == Document.id, Result.field_id == Reading.field_id)
    return says(Result) | says(Reading, ~Reading.absent, ~answered.correlate(Document, Reading))


def _choices(session: Session, kind: DocumentType) -> dict[str, list[QueueChoice]]:
    """What the live papers of a type can be narrowed to, with counts of papers: states, batches, sources, layouts."""
    its = (Document.type_id == kind.id) & (Document.purpose == Purpose.LIVE) & Document.state.in_(CHECKED_STATES)
    states = select(Document.state, Document.state, func.count()).where(its).group_by(Document.state)
    found: dict[str, Sequence[Any]] = {"state": session.execute(states).all()}
    for name, column, table in (
        ("batch", Document.batch_id, Batch),
        ("source", Document.source_id, Source),
        ("layout", Document.drafted_layout_id, LayoutGroup),
    ):
        query = select(table.id, table.name, func.count()).join(Document, column == table.id).where(its)
        found[name] = session.execute(query.group_by(table.id, table.name).order_by(table.name)).all()
    return {
        name: [QueueChoice(str(value), said, papers) for value, said, papers in rows] for name, rows in found.items()
    }


def _rows(session: Session, kind: DocumentType, papers: Sequence[Document], rows: Sequence[Field]) -> list[GridRow]:
    records = records_of(session, papers)
    layouts = dict(
        session.execute(select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == kind.id)).all()
    )
    policies = session.scalars(select(Policy).where(Policy.id.in_({paper.policy_id for paper in papers})))
    thresholds = {policy.id: thresholds_of(policy).by_field for policy in policies}
    return [
        GridRow(
            paper.id,
            paper.name,
            paper.state,
            paper.revision,
            layouts.get(paper.drafted_layout_id or 0, ""),
            [_cell(records[paper.id], row, thresholds.get(paper.policy_id or 0, {})) for row in rows],
        )
        for paper in papers
    ]


def _cell(records: PaperRecords, row: Field, thresholds: Mapping[str, float]) -> GridCell:
    held, unseen = records.held(row), records.is_unseen(row)
    hold, detail = (held.reason, held.detail) if held else ("", "")
    may = records.document.state in REVIEW_STATES or row.id in records.checked
    if row.kind == FieldKind.TABLE:
        count = len({value.position for column in records.columns(row) for value in records.standing(column)})
        said = "" if unseen else f"{count} row{'' if count == 1 else 's'}"
        return GridCell(said, "", None, None, None, None, "", hold, detail, unseen, may)
    values = [] if unseen else records.standing(row)
    first = values[0] if values else None
    return GridCell(
        "; ".join(value.text for value in values),
        first.normal if first else "",
        first.page if first else None,
        first.box if first else None,
        first.confidence if first else None,
        thresholds.get(row.key),
        first.origin if isinstance(first, Result) else first.engine if first else "",
        hold,
        detail,
        unseen,
        may,
    )


__all__ = ["ROWS_A_PAGE", "GridCell", "GridColumn", "GridRow", "GridView", "GridWanted", "grid"]
