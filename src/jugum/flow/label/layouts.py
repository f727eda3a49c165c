"""Layouts: papers of a type grouped by how they look; named, merged and split by people."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from sqlalchemy import Select, func, select, update
from sqlalchemy.orm import Session

from jugum.core.classification import Layout, LayoutBook, layout_of
from jugum.core.page import Page
from jugum.core.states import LABEL_STATES, SETTLED_STATES, DocumentState, Purpose
from jugum.errors import Conflict, InputError, NotFound
from jugum.flow.gather.pages import pages_of
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import Document, LayoutGroup
from jugum.store.queue import Task, enqueue, is_waiting

GROUPED = (*LABEL_STATES, *SETTLED_STATES)
MEMBERS_COMPARED = 4
AT_ONCE_MAX = 120  # papers that are grouped together; more than these in turn
STRIP = 12
TRIES = 3
LOCK = 7_001  # the class of advisory locks on the layouts of a type


@dataclass(frozen=True)
class _Ungrouped:
    """Papers of a type without a layout group, and a few members of each group, with their layouts; `groups` are the
    ids of all groups there were."""

    waiting: dict[int, Layout]
    known: dict[int, list[Layout]]
    groups: set[int]


def group_new(store: Store, type_id: int) -> int:
    """Put papers without a layout group to the group they are most like, or to a new one. Returns how many were put
    somewhere.

    Layouts are compared with no transaction open; what was found is kept under a lock of the type, and worked out
    again when somebody else made groups meanwhile.
    """
    for _ in range(TRIES):
        given = _ungrouped(store, type_id)
        if not given.waiting:
            return 0
        if _keep_groups(store, type_id, given, _grouped(given)):
            return len(given.waiting)
    raise Conflict("The layout groups of this type are being changed by others. Try again in a moment.")


def _ungrouped(store: Store, type_id: int) -> _Ungrouped:
    with store.session() as session:
        waiting = session.scalars(_waiting_for_group(type_id).order_by(Document.id)).all()
        pages = {number: pages_of(session, number) for number in waiting}
        members = _members(session, type_id) if waiting else {}
        groups = _group_ids(session, type_id)
    layouts = {number: layout_of(its) for number, its in pages.items()}
    return _Ungrouped(layouts, {group: [layout_of(member) for member in its] for group, its in members.items()}, groups)


def _waiting_for_group(type_id: int) -> Select[int]:
    return select(Document.id).where(
        Document.type_id == type_id,
        Document.state.in_(GROUPED),
        Document.layout_group_id.is_(None),
        Document.pages_read > 0,
    )


def _group_ids(session: Session, type_id: int) -> set[int]:
    return set(session.scalars(select(LayoutGroup.id).where(LayoutGroup.type_id == type_id)))


def _members(session: Session, type_id: int) -> dict[int, list[tuple[Page, ...]]]:
    """The pages of a few papers of each group."""
    ids: dict[int, list[int]] = defaultdict(list)
    rows = session.execute(
        select(Document.layout_group_id, Document.id)
        .where(Document.type_id == type_id, Document.layout_group_id.is_not(None))
        .order_by(Document.id)
    )
    for group, number in rows:
        if group is not None:
            ids[group].append(number)
    return {
        group: [pages_of(session, document_id) for document_id in its[-MEMBERS_COMPARED:]] for group, its in ids.items()
    }


def _grouped(given: _Ungrouped) -> dict[int, int]:
    """Paper → its group: the id of one that is there, or a number below nought for a new one."""
    found: dict[int, int] = {}
    known = {group: list(members) for group, members in given.known.items()}
    waiting = list(given.waiting)
    for start in range(0, len(waiting), AT_ONCE_MAX):
        numbers = waiting[start : start + AT_ONCE_MAX]
        members = [(group, layout) for group, its in known.items() for layout in its[-MEMBERS_COMPARED:]]
        book = LayoutBook([*(layout for _, layout in members), *(given.waiting[number] for number in numbers)])
        joined = book.joined([*(group for group, _ in members), *(None for _ in numbers)])
        below = min([0, *known]) - 1
        for place, number in enumerate(numbers, len(members)):
            group = joined[place]
            found[number] = group if group is not None else below - book.groups[place]
            known.setdefault(found[number], []).append(given.waiting[number])
    return found


def _keep_groups(store: Store, type_id: int, given: _Ungrouped, groups: Mapping[int, int]) -> bool:
    """Write the groups down; False when groups were made or merged since they were worked out. Papers grouped meanwhile
    stay where they are."""
    with store.session() as session:
        session.execute(select(func.pg_advisory_xact_lock(LOCK, type_id)))
        if _group_ids(session, type_id) != given.groups:
            return False
        made: dict[int, int] = {}
        for number, group in groups.items():
            if group < 0 and group not in made:
                made[group] = _new_group(session, type_id).id
            session.execute(
                update(Document)
                .where(Document.id == number, Document.layout_group_id.is_(None))
                .values(layout_group_id=made.get(group, group))
            )
    return True


def _new_group(session: Session, type_id: int) -> LayoutGroup:
    taken = set(session.scalars(select(LayoutGroup.name).where(LayoutGroup.type_id == type_id)))
    number = next(n for n in range(1, len(taken) + 2) if f"layout {n}" not in taken)
    group = LayoutGroup(type_id=type_id, name=f"layout {number}")
    session.add(group)
    session.flush()
    return group


@dataclass(frozen=True)
class LayoutView:
    """A layout with a strip of its papers and what they are for."""

    id: int
    name: str
    papers: int
    labelled: int
    live: int
    sets: dict[str, int]
    strip: list[int]


def layout_groups(store: Store, type_id: int) -> list[LayoutView]:
    """The layout groups of a type, the commonest first. Papers that have none yet are grouped in the background."""
    with store.session() as session:
        type_row(session, type_id)
        if session.scalar(_waiting_for_group(type_id).limit(1)) and not is_waiting(
            session, Task.GROUP_LAYOUTS, type_id=type_id
        ):
            enqueue(session, Task.GROUP_LAYOUTS, priority=20, lock=f"layouts-{type_id}", type_id=type_id)
        rows = session.execute(
            select(Document.layout_group_id, Document.id, Document.purpose, Document.state, Document.set_name)
            .where(Document.type_id == type_id, Document.layout_group_id.is_not(None))
            .order_by(Document.id)
        ).all()
        by_layout = defaultdict(list)
        for row in rows:
            by_layout[row.layout_group_id].append(row)
        found = []
        for group in session.scalars(
            select(LayoutGroup).where(LayoutGroup.type_id == type_id).order_by(LayoutGroup.id)
        ):
            its = by_layout.get(group.id, [])
            samples = [row for row in its if row.purpose == Purpose.SAMPLE]
            sets = {name: sum(row.set_name == name for row in samples) for name in ("train", "test", "spare")}
            labelled = sum(row.state == DocumentState.LABELLED for row in samples)
            strip = [row.id for row in samples[:STRIP]]
            found.append(LayoutView(group.id, group.name, len(samples), labelled, len(its) - len(samples), sets, strip))
        return sorted(found, key=lambda one: (-one.papers, one.id))


def ungrouped(store: Store, type_id: int) -> int:
    """How many papers wait to be grouped."""
    with store.session() as session:
        return session.scalar(select(func.count()).select_from(_waiting_for_group(type_id).subquery())) or 0


def layout_name(session: Session, document: Document) -> str:
    """The name of a paper's layout, "" when it has none yet."""
    group = session.get(LayoutGroup, document.layout_group_id) if document.layout_group_id else None
    return group.name if group else ""


def _group(session: Session, layout_group_id: int) -> LayoutGroup:
    group = session.get(LayoutGroup, layout_group_id)
    if group is None:
        raise NotFound(f"There is no layout {layout_group_id}.")
    return group


def rename(store: Store, actor: Actor, layout_group_id: int, name: str) -> None:
    actor.require(LABEL)
    name = name.strip()
    if not name or len(name) > 80:
        raise InputError("A layout needs a name of at most 80 letters.")
    with store.session() as session:
        group = _group(session, layout_group_id)
        if session.scalar(
            select(LayoutGroup.id).where(
                LayoutGroup.type_id == group.type_id, LayoutGroup.name == name, LayoutGroup.id != layout_group_id
            )
        ):
            raise Conflict(f"There is a layout “{name}” already; merge the two instead.")
        record(session, actor, Action.RENAME_LAYOUT, "layout", layout_group_id, before=group.name, after=name)
        group.name = name


def merge(store: Store, actor: Actor, layout_group_ids: Sequence[int]) -> int:
    """Make one layout of several; the first one's name stays. Returns its id."""
    actor.require(LABEL)
    if len(set(layout_group_ids)) < 2:
        raise InputError("Choose two layouts or more to merge.")
    with store.session() as session:
        first, *rest = (_group(session, group_id) for group_id in dict.fromkeys(layout_group_ids))
        if any(group.type_id != first.type_id for group in rest):
            raise InputError("Only layouts of one document type can be merged.")
        for other in rest:
            session.execute(
                update(Document).where(Document.layout_group_id == other.id).values(layout_group_id=first.id)
            )
            record(session, actor, Action.MERGE_LAYOUTS, "layout", first.id, merged=other.name)
            session.delete(other)
        return first.id


def split(store: Store, actor: Actor, document_ids: Sequence[int], name: str = "") -> int:
    """Take papers out of their look into one of their own. Returns its id."""
    actor.require(LABEL)
    if not document_ids:
        raise InputError("Choose the papers of the new layout.")
    with store.session() as session:
        documents = session.scalars(select(Document).where(Document.id.in_(document_ids))).all()
        types = {document.type_id for document in documents}
        if len(types) != 1 or None in types or len(documents) != len(set(document_ids)):
            raise InputError("The papers of a layout are of one document type.")
        group = _new_group(session, next(iter(types)) or 0)
        if name.strip():
            group.name = name.strip()[:80]
        for document in documents:
            document.layout_group_id = group.id
        record(session, actor, Action.SPLIT_LAYOUT, "layout", group.id, papers=list(document_ids))
        return group.id


@dataclass(frozen=True)
class LayoutPaper:
    id: int
    name: str
    state: str
    set_name: str


def papers_of(store: Store, layout_group_id: int) -> list[LayoutPaper]:
    with store.session() as session:
        _group(session, layout_group_id)
        rows = session.scalars(
            select(Document)
            .where(Document.layout_group_id == layout_group_id, Document.purpose == Purpose.SAMPLE)
            .order_by(Document.id)
        ).all()
        return [LayoutPaper(row.id, row.name, row.state, row.set_name) for row in rows]
