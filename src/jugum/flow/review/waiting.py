"""Which papers of the queue are wanted, in which order, a page at a time: papers that are held, or whose spot check is
not done.

Pages follow each other by the place of their last row (keyset), not by its number: a queue changes while people work on
it, and counting from its beginning would show papers twice or never, and cost more the further one reads.
"""

from __future__ import annotations

import base64
import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from sqlalchemy import (
    ColumnElement,
    Double,
    Integer,
    Select,
    String,
    cast,
    exists,
    extract,
    func,
    literal,
    select,
    tuple_,
    union_all,
)
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
    "due": (bool, int, float, int),
    "newest": (float, int),
    "name": (str, int),
    "fields": (bool, int, float, int),
}
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


def waits(type_id: int | None) -> ColumnElement[bool]:
    """Papers of a type that are held, or have values that are still to be checked."""
    return (Document.type_id == type_id) & (Document.purpose == Purpose.LIVE) & (_is_held() | _is_checked())


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
    """What a queue is sorted by, all of it upwards: held papers before those that are only checked, and of these what
    comes first, then the longest waiting. The paper's number decides between equals, so that no row is on two pages."""
    # a number, for rows are compared with one another, and a database compares these in one direction
    waited = cast(extract("epoch", Document.received_at), Double)
    only_checked = Document.state != DocumentState.HELD
    open_holds = select(func.count()).where(Hold.document_id == Document.id, Hold.settled_at.is_(None))
    return {
        "due": (only_checked, -Document.priority, waited, Document.id),
        "newest": (-waited, -Document.id),
        "name": (func.lower(Document.name), Document.id),
        "fields": (only_checked, open_holds.scalar_subquery(), waited, Document.id),
    }[sort]


def page_of(query: Select[Any], wanted: QueueWanted, limit: int) -> Select[Any]:
    """A page of a query of papers, with their places (see `place`) as the last columns."""
    order = in_order(wanted.sort)
    if wanted.after:
        query = query.where(tuple_(*order) > tuple_(*map(literal, _placed(wanted.after, SORTS[wanted.sort]))))
    places = (column.label(f"place_{number}") for number, column in enumerate(order))
    return query.add_columns(*places).order_by(*order).limit(limit)


def place(values: tuple[Any, ...]) -> str:
    """The place of a row, as it stands in an address."""
    return base64.urlsafe_b64encode(json.dumps(values).encode()).decode().rstrip("=")


def _placed(after: str, kinds: Sequence[type]) -> list[Any]:
    try:
        values = json.loads(base64.urlsafe_b64decode(after + "=" * (-len(after) % 4)))
    except ValueError:
        values = None
    if not isinstance(values, list) or len(values) != len(kinds) or not all(map(_is_of, values, kinds)):
        raise InputError("This page of the queue can't be found. Begin at its first page.")
    return values


def _is_of(value: Any, kind: type) -> bool:
    """Whether a value may be a part of a row's place: an address can be written by anybody."""
    if kind is str:
        return isinstance(value, str) and "\0" not in value
    if isinstance(value, bool) or kind is bool:
        return isinstance(value, kind)
    number = isinstance(value, int) or (kind is float and isinstance(value, float))
    return number and abs(value) <= (1e12 if kind is float else NUMBER_MOST)  # seconds; not one that is no number


def choices(session: Session, row: DocumentType) -> dict[str, list[QueueChoice]]:
    """What a type's queue can be narrowed to, with counts of papers: reasons, fields, batches, sources, layouts,
    people. One statement."""
    held = (Document.type_id == row.id) & (Document.purpose == Purpose.LIVE) & _is_held() & Hold.settled_at.is_(None)
    papers = func.count(func.distinct(Document.id))

    def counted(kind: str, value: Any, name: Any, count: Any, order: Any) -> Select[Any]:
        columns: list[Any] = [literal(kind), cast(value, String), cast(name, String), count, cast(order, Integer)]
        return select(*(column.label(f"column_{number}") for number, column in enumerate(columns)))

    by_reason = counted("reason", Hold.reason, Hold.reason, papers, 0)
    by_field = counted("field", Field.key, Field.name, papers, Field.position)
    check = HoldReason.SPOT_CHECK.value
    checked = counted("reason", check, check, func.count(), 1)
    parts = [
        by_reason.join(Document, Hold.document_id == Document.id).where(held).group_by(Hold.reason),
        by_field.join(Hold, Hold.field_id == Field.id)
        .join(Document, Hold.document_id == Document.id)
        .where(held)
        .group_by(Field.id),
        checked.where(Document.type_id == row.id, Document.purpose == Purpose.LIVE, _is_checked()),
    ]
    for kind, column, table in (
        ("batch", Document.batch_id, Batch),
        ("source", Document.source_id, Source),
        ("layout", Document.drafted_layout_id, LayoutGroup),
        ("person", Document.assigned_to, Person),
    ):
        of_table = counted(kind, table.id, table.name, func.count(Document.id), 0)
        parts.append(of_table.join(Document, column == table.id).where(waits(row.id)).group_by(table.id, table.name))
    together = union_all(*parts).subquery()
    of, value, name, count, order = together.c
    found: dict[str, list[QueueChoice]] = {
        part: [] for part in ("reason", "field", "batch", "source", "layout", "person")
    }
    rows = session.execute(select(of, value, name, count).order_by(of, order, name, value))
    for its_kind, its_value, its_name, its_papers in rows:
        if its_papers:
            found[its_kind].append(QueueChoice(its_value, its_name, its_papers))
    return found


__all__ = [
    "MINE",
    "NOBODY",
    "ROWS_A_PAGE",
    "SORTS",
    "QueueChoice",
    "QueueWanted",
    "choices",
    "due_after",
    "in_order",
    "narrowed",
    "page_of",
    "place",
    "waits",
]
