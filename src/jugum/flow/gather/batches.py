"""Batches: papers imported together, with a name, a note and a priority; pausing, resuming and deleting them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.states import DONE_STATES, SETTLED_STATES, BatchState, By, DocumentState
from jugum.errors import InputError, NotFound
from jugum.flow.gather.read import queue_opening, queue_unread
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.flow.states import change_batch_state
from jugum.flow.worked_on import worked_on
from jugum.store import Store
from jugum.store.models import Batch, Document
from jugum.store.queue import change_page_priority

GOES_ON = timedelta(hours=12)  # a working day: the batch of a name that is younger goes on
PRIORITIES = {-1: "low", 0: "usual", 1: "high"}
# The steps a batch's progress is told by, and the states of papers that are at them.
STEPS: dict[str, tuple[DocumentState, ...]] = {
    "being read": (DocumentState.RECEIVED,),
    "to cut": (DocumentState.TO_CUT,),
    "unplaced": (DocumentState.UNPLACED,),
    "read": (DocumentState.TO_LABEL, DocumentState.IN_PROGRESS, DocumentState.PLACED, DocumentState.DRAFTED),
    "held": (DocumentState.HELD,),
    "done": (DocumentState.LABELLED, *DONE_STATES),
    "set aside": (DocumentState.SET_ASIDE,),
}


@dataclass(frozen=True)
class BatchView:
    """A batch with how many of its papers are at which step (unpacked containers and cut bundles don't count), and
    its pages."""

    id: int
    name: str
    note: str
    priority: int
    paused: bool
    created_at: datetime
    papers: int
    steps: dict[str, int]
    pages: int
    pages_read: int


def add(store: Store, actor: Actor, workspace_id: int, name: str, note: str = "", priority: int = 0) -> int:
    """A batch of a name. One of the last twelve hours with the same name, note and priority goes on: files that are
    sent one after another belong together."""
    actor.require(GATHER)
    name = name.strip()[:120]
    if not name:
        raise InputError("Give the batch a name, such as “Letters of 12 May”.")
    if priority not in PRIORITIES:
        raise InputError(f"{priority} is not a priority. Choose −1 (low), 0 (usual) or 1 (high).")
    with store.session() as session:
        same = (
            select(Batch.id)
            .where(Batch.workspace_id == workspace_id, Batch.name == name, Batch.note == note.strip()[:2000])
            .where(Batch.priority == priority, Batch.created_at > datetime.now(UTC) - GOES_ON)
        )
        if (there := session.scalar(same.order_by(Batch.id.desc()).limit(1))) is not None:
            return there
        row = Batch(
            workspace_id=workspace_id, name=name, note=note.strip()[:2000], priority=priority, created_by=actor.id
        )
        session.add(row)
        session.flush()
        record(session, actor, Action.ADD_BATCH, "batch", row.id, name=name)
        return row.id


def batches(store: Store, workspace_id: int, limit: int = 20) -> list[BatchView]:
    """The newest first."""
    with store.session() as session:
        rows = session.scalars(
            select(Batch).where(Batch.workspace_id == workspace_id).order_by(Batch.id.desc()).limit(limit)
        ).all()
        return [_view(session, row) for row in rows]


def batch_view(store: Store, batch_id: int) -> BatchView:
    with store.session() as session:
        return _view(session, _row(session, batch_id))


def _row(session: Session, batch_id: int) -> Batch:
    row = session.get(Batch, batch_id)
    if row is None:
        raise NotFound(f"There is no batch {batch_id}.")
    return row


def _view(session: Session, row: Batch) -> BatchView:
    counted = session.execute(
        select(
            Document.state, func.count(), func.sum(func.coalesce(Document.page_count, 0)), func.sum(Document.pages_read)
        )
        .where(Document.batch_id == row.id, Document.state != DocumentState.UNPACKED)
        .group_by(Document.state)
    ).all()
    states = {state: count for state, count, _, _ in counted}
    steps = {step: sum(states.get(state, 0) for state in its) for step, its in STEPS.items()}
    pages, read = (sum(int(entry[place] or 0) for entry in counted) for place in (2, 3))
    return BatchView(
        row.id,
        row.name,
        row.note,
        row.priority,
        row.state == BatchState.PAUSED,
        row.created_at,
        sum(states.values()),
        steps,
        pages,
        read,
    )


def pause(store: Store, actor: Actor, batch_id: int) -> None:
    """What of a batch is not read yet waits."""
    _set_state(store, actor, batch_id, BatchState.PAUSED)


def resume(store: Store, actor: Actor, batch_id: int) -> None:
    """Reading of a batch goes on."""
    _set_state(store, actor, batch_id, BatchState.RUNNING)


def _set_state(store: Store, actor: Actor, batch_id: int, after: BatchState) -> None:
    actor.require(GATHER)
    with store.session() as session:
        row = _row(session, batch_id)
        if row.state == after:
            return
        change_batch_state(row, after, By.PERSON)
        paused = after is BatchState.PAUSED
        record(session, actor, Action.PAUSE_BATCH if paused else Action.RESUME_BATCH, "batch", batch_id)
        if paused:
            return
        session.flush()
        for document in session.scalars(
            select(Document).where(Document.batch_id == batch_id, Document.state == DocumentState.RECEIVED)
        ):
            if document.page_count is None:
                queue_opening(session, document)
            else:
                queue_unread(session, document)


def set_priority(store: Store, actor: Actor, batch_id: int, priority: int) -> None:
    """Also for what waits on the queue already."""
    actor.require(GATHER)
    if priority not in PRIORITIES:
        raise InputError(f"{priority} is not a priority. Choose −1 (low), 0 (usual) or 1 (high).")
    with store.session() as session:
        row = _row(session, batch_id)
        change = 20 * (priority - row.priority)
        row.priority = priority
        record(session, actor, Action.PRIORITISE_BATCH, "batch", batch_id, priority=priority)
        change_page_priority(session, batch_id, change)


def remove(store: Store, actor: Actor, batch_id: int) -> tuple[int, int]:
    """Remove the batch and its papers that nobody worked on; those with labels, settled fields or deliveries stay,
    without a batch. Files as received are kept in any case. Returns (removed, kept)."""
    actor.require(GATHER)
    with store.session() as session:
        row = _row(session, batch_id)
        its = select(Document.id).where(Document.batch_id == batch_id)
        going = list(session.scalars(its.where(~worked_on(Document.id), Document.state.not_in(SETTLED_STATES))))
        total = len(list(session.scalars(its)))
        record(
            session,
            actor,
            Action.DELETE_BATCH,
            "batch",
            batch_id,
            name=row.name,
            papers=len(going),
            kept=total - len(going),
        )
        session.execute(delete(Document).where(Document.id.in_(going)))
        session.delete(row)
        return len(going), total - len(going)
