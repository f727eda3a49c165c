"""Which papers of the queue are wanted, in which order, a page at a time: papers that are held, or whose spot check is
not done.

Pages follow each other by the place of their last row (keyset), not by its number: a queue changes while people work on
it, and counting from its beginning would show papers twice or never, and cost more the further one reads.
"""

from __future__ import annotations

import base64
import json
import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import ColumnElement, Select, exists, func, literal, select, tuple_, union_all
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason
from jugum.core.states import CHECKED_STATES, DocumentState, Purpose
from jugum.errors import InputError
from jugum.flow.gather.lists import Asked
from jugum.flow.office.actor import Actor
from jugum.store.models import Batch, CheckedValue, Document, DocumentType, Field, Hold, LayoutGroup, Person, Source

ROWS_A_PAGE = 50
TEXT_MAX = 120  # letters of a name that are looked for
MINE, NOBODY = "me", "nobody"
# By what a queue can be sorted, and of which kinds the place of a row then is (see `in_order`).
SORTS: Mapping[str, tuple[type, ...]] = {
    "due": (int, datetime, int),
    "newest": (datetime, int),
    "name": (str, int),
    "fields": (int, datetime, int),
}
DOWNWARDS = ("newest",)
NUMBER_MOST = 999_999_999  # of what has a number in an address
DAYS_MOST = 36_500


@dataclass(frozen=True)
class QueueWanted(Asked):
    """Which papers of a queue are wanted, in which order: what stands in the address of its page. Empty values ask for
    nothing. `field` is the key of one that waits; `days` how long a paper has waited at least; `person` is "me",
    "nobody" or the id of whom a paper was given to; `late` asks for what is past its time; `after` is the place of the
    last row of the page before."""

    reason: str = ""
    field: str = ""
    batch: int | None = None
    source: int | None = None
    layout: int | None = None
    days: int | None = None
    person: str = ""
    late: bool = False
    text: str = ""
    sort: str = "due"
    after: str = ""

    @property
    def narrows(self) -> bool:
        """Whether some papers of the queue are left out."""
        return bool(self.asked().keys() - {"sort", "after"})

    def check(self) -> None:
        """InputError for what there is not."""
        if self.sort not in SORTS:
            raise InputError(f"The queue can't be sorted by “{self.sort}”. Choose one of: {', '.join(SORTS)}.")
        if self.reason and self.reason not in set(HoldReason):
            raise InputError(f"“{self.reason}” is not a reason. Choose one of: {', '.join(HoldReason)}.")
        if self.person and self.person not in (MINE, NOBODY) and not re.fullmatch("[0-9]{1,9}", self.person):
            raise InputError(f"“{self.person}” is nobody. Choose me, nobody, or a person's number.")
        if self.days is not None and not 0 <= self.days <= DAYS_MOST:
            raise InputError(f"Papers can be asked for that wait between 0 and {DAYS_MOST:,} days.")


@dataclass(frozen=True)
class QueueChoice:
    """A value that a queue can be narrowed to, and how many of its papers have it."""

    value: str
    name: str
    papers: int


def waits(type_id: int | None, *, only_checked: bool | None = None) -> ColumnElement[bool]:
    """Papers of a type that are held, or have values that are still to be checked: the held ones, or those that are
    `only_checked`, or (None) both. Indexes know the held ones."""
    which = {None: _is_held() | _is_checked(), False: _is_held(), True: ~_is_held() & _is_checked()}[only_checked]
    return _of_type(type_id) & which


def _of_type(type_id: int | None) -> ColumnElement[bool]:
    return (Document.type_id == type_id) & (Document.purpose == Purpose.LIVE)


def _is_held() -> ColumnElement[bool]:
    return Document.state == DocumentState.HELD


def _is_checked() -> ColumnElement[bool]:
    open_checks = select(CheckedValue.document_id).where(CheckedValue.is_right.is_(None)).correlate(None)
    return Document.state.in_(CHECKED_STATES) & Document.id.in_(open_checks)


def due_after(row: DocumentType) -> timedelta | None:
    """How long after it came in a paper of a type is late; None where no time is set."""
    return None if row.review_hours is None else timedelta(hours=row.review_hours)


def narrowed(wanted: QueueWanted, actor: Actor, row: DocumentType, now: datetime) -> Iterator[ColumnElement[bool]]:
    """The conditions of what is wanted."""
    if wanted.reason == HoldReason.SPOT_CHECK:
        yield _is_checked()
    elif wanted.reason:
        yield _open_hold(Hold.reason == wanted.reason)
    if wanted.field:
        keys = select(Field.id).where(Field.type_id == row.id, Field.key == wanted.field)
        check = exists().where(
            CheckedValue.document_id == Document.id, CheckedValue.is_right.is_(None), CheckedValue.field_id.in_(keys)
        )
        yield _open_hold(Hold.field_id.in_(keys)) | check.correlate(Document)
    if wanted.batch is not None:
        yield Document.batch_id == wanted.batch
    if wanted.source is not None:
        yield Document.source_id == wanted.source
    if wanted.layout is not None:
        yield Document.drafted_layout_id == wanted.layout
    if wanted.days is not None:
        yield Document.received_at <= now - timedelta(days=wanted.days)
    if wanted.person == NOBODY:
        yield Document.assigned_to.is_(None)
    elif wanted.person:
        yield Document.assigned_to == (actor.id if wanted.person == MINE else int(wanted.person))
    if wanted.late:
        time = due_after(row)
        yield _is_held() & (Document.received_at <= now - time) if time is not None else literal(False)
    if text := wanted.text.strip()[:TEXT_MAX]:
        yield Document.name.icontains(text, autoescape=True)


def _open_hold(condition: ColumnElement[bool]) -> ColumnElement[bool]:
    # by the state, too: what is set aside keeps its holds
    found = exists().where(Hold.document_id == Document.id, Hold.settled_at.is_(None), condition)
    return _is_held() & found.correlate(Document)


def in_order(sort: str) -> tuple[Any, ...]:
    """What a queue is sorted by, held papers and those that are only checked each among themselves: what was put first,
    then the longest waiting; or the newest, downwards. The paper's number decides between equals, so that no row is on
    two pages. Each order but that of fields is the order of an index on the held papers of a type."""
    open_holds = select(func.count()).where(Hold.document_id == Document.id, Hold.settled_at.is_(None))
    return {
        "due": (-Document.priority, Document.received_at, Document.id),
        "newest": (Document.received_at, Document.id),
        "name": (func.lower(Document.name), Document.id),
        "fields": (open_holds.scalar_subquery(), Document.received_at, Document.id),
    }[sort]


@dataclass(frozen=True)
class Place:
    """Where a row stands in the order of a queue: whether it is `only_checked`, and what it is sorted by."""

    only_checked: bool
    values: tuple[Any, ...]

    def written(self) -> str:
        """As it stands in an address."""
        said = [value.isoformat() if isinstance(value, datetime) else value for value in self.values]
        return base64.urlsafe_b64encode(json.dumps([self.only_checked, *said]).encode()).decode().rstrip("=")

    @staticmethod
    def read(after: str, sort: str) -> Place:
        """The same back. InputError for what is no place: an address can be written by anybody."""
        try:
            only_checked, *said = json.loads(base64.urlsafe_b64decode(after + "=" * (-len(after) % 4)))
            kinds = SORTS[sort]
            if not isinstance(only_checked, bool) or len(said) != len(kinds):
                raise ValueError("another order")
            return Place(only_checked, tuple(_of_kind(value, kind) for value, kind in zip(said, kinds, strict=True)))
        except (ValueError, TypeError) as error:
            raise InputError("This page of the queue can't be found. Begin at its first page.") from error


def _of_kind(value: Any, kind: type) -> Any:
    if kind is datetime:
        moment = datetime.fromisoformat(value)
        fits, value = moment.tzinfo is not None and 1900 <= moment.year <= 2900, moment
    elif kind is str:
        fits = isinstance(value, str) and "\0" not in value
    else:
        fits = isinstance(value, int) and not isinstance(value, bool) and abs(value) <= NUMBER_MOST
    if not fits:
        raise ValueError(f"{value!r} is no {kind.__name__}")
    return value


def page_of(
    session: Session, conditions: Sequence[ColumnElement[bool]], type_id: int, wanted: QueueWanted, limit: int
) -> tuple[list[Document], str]:
    """A page of the papers of a type's queue for which conditions hold: the held ones first, then those that are only
    checked; and where the next one begins, empty on the last."""
    order, downwards = in_order(wanted.sort), wanted.sort in DOWNWARDS
    after = Place.read(wanted.after, wanted.sort) if wanted.after else None
    found: list[tuple[Document, Place]] = []
    for only_checked in (False, True):
        if len(found) > limit or (after and after.only_checked and not only_checked):
            continue
        places = (column.label(f"place_{number}") for number, column in enumerate(order))
        query = select(Document, *places).where(waits(type_id, only_checked=only_checked), *conditions)
        if after and after.only_checked == only_checked:
            place, values = tuple_(*order), tuple_(*map(literal, after.values))
            query = query.where(place < values if downwards else place > values)
        query = query.order_by(*(column.desc() if downwards else column for column in order))
        rows = session.execute(query.limit(limit + 1 - len(found))).all()
        found += [(row[0], Place(only_checked, tuple(row[1:]))) for row in rows]
    return [document for document, _ in found[:limit]], found[limit - 1][1].written() if len(found) > limit else ""


def choices(session: Session, row: DocumentType) -> dict[str, list[QueueChoice]]:
    """What a type's queue can be narrowed to, with counts of papers: reasons, fields, batches, sources, layouts,
    people. Few statements, each of which looks at the papers once."""
    held = waits(row.id, only_checked=False)
    open_holds = Document.__table__.join(Hold.__table__, (Hold.document_id == Document.id) & Hold.settled_at.is_(None))
    by_field = select(Hold.field_id, func.count()).select_from(open_holds).where(held).group_by(Hold.field_id)
    fields = dict(session.execute(by_field).all())
    return {
        "reason": _reasons(session, row, select().select_from(open_holds).where(held)),
        "field": [QueueChoice(field.key, field.name, fields[field.id]) for field in row.fields if fields.get(field.id)],
        **_papers(session, row),
    }


def _reasons(session: Session, row: DocumentType, holds: Select[Any]) -> list[QueueChoice]:
    """How many papers wait for each reason."""
    has = {reason: func.bool_or(Hold.reason == reason).label(reason.name.lower()) for reason in HoldReason}
    papers = holds.add_columns(Document.id, *has.values()).group_by(Document.id).subquery()
    counted = [func.count().filter(papers.c[column.name]) for column in has.values()]
    checked = select(func.count()).select_from(Document).where(_of_type(row.id), _is_checked()).scalar_subquery()
    *counts, checks = session.execute(select(*counted, checked).select_from(papers)).one()
    found = {**dict(zip(has, counts, strict=True)), HoldReason.SPOT_CHECK: checks}
    return [QueueChoice(reason, reason, papers) for reason, papers in sorted(found.items()) if papers]


def _papers(session: Session, row: DocumentType) -> dict[str, list[QueueChoice]]:
    """How many papers of each batch, source, layout and person wait."""
    columns = (Document.batch_id, Document.source_id, Document.drafted_layout_id, Document.assigned_to)
    tables: dict[str, Any] = {"batch": Batch, "source": Source, "layout": LayoutGroup, "person": Person}
    counts: dict[str, Counter[int]] = {kind: Counter() for kind in tables}
    waiting = union_all(
        *(
            select(*columns, func.count()).where(waits(row.id, only_checked=only_checked)).group_by(*columns)
            for only_checked in (False, True)
        )
    )
    for *ids, papers in session.execute(waiting):
        for kind, number in zip(tables, ids, strict=True):
            if number is not None:
                counts[kind][number] += papers
    found: dict[str, list[QueueChoice]] = {kind: [] for kind in tables}
    named = [
        select(literal(kind).label("kind"), table.id, table.name).where(table.id.in_(counts[kind]))
        for kind, table in tables.items()
        if counts[kind]
    ]
    for kind, number, name in session.execute(union_all(*named).order_by("name", "id")) if named else ():
        found[kind].append(QueueChoice(str(number), name, counts[kind][number]))
    return found


__all__ = [
    "MINE",
    "NOBODY",
    "ROWS_A_PAGE",
    "SORTS",
    "Place",
    "QueueChoice",
    "QueueWanted",
    "choices",
    "due_after",
    "in_order",
    "narrowed",
    "page_of",
    "waits",
]
