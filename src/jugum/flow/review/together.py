"""Live papers of a layout that nobody has labelled are read together, whenever they came: a paper asks for the others
when it is drafted, and those that came before it are drafted again once there are twice as many as they knew of, as is
a paper that others were drafted beside at the same time. What a person settles on one is told to the others at once."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from jugum.core.classification import Layout, layout_of
from jugum.core.extraction.values.together import Peer
from jugum.core.page import Page
from jugum.core.states import DRAFTABLE, Origin, Purpose
from jugum.flow.gather.explore import LoadedPaper, load_paper
from jugum.flow.gather.pages import pages_of
from jugum.flow.in_force import LoadedVersions, live_version
from jugum.flow.label.desk_parts import PRESENCE_SECONDS
from jugum.flow.worked_on import worked_on
from jugum.store import Store
from jugum.store.models import Document, Field, PageRow, Result
from jugum.store.queue import Task, document_job, enqueue, enqueue_all, waiting_documents

PAGES_MOST = 40  # of a paper that others are read with: reading one of 300 for each of them would take minutes
RECENT = 24  # of a type's papers of new layouts, the last ones, among which others of a layout are looked for
LOCK = 7_002  # the class of advisory locks on the papers of new layouts of a type
PRIORITY = 12  # after the papers that are not drafted at all yet
TELLING = 60  # before all of them: somebody is about to open the next one


@dataclass(frozen=True)
class _Recent:
    """A live paper of a new layout, and when its pages were last read."""

    document_id: int
    read_at: datetime | None


class Together:
    """The other papers of the layout of one that is drafted: asked for when that turns out to be new. `found` are
    their documents then, None when the layout was known."""

    def __init__(self, store: Store, versions: LoadedVersions, file_key: str, paper: LoadedPaper) -> None:
        self._store, self._versions, self._file_key = store, versions, file_key
        self.type_id = paper.document.placed_type.id
        self._mine = _Recent(paper.document.id, max((row.read_at for row in paper.rows if row.read_at), default=None))
        self.found: list[int] | None = None
        self._asked: frozenset[_Recent] = frozenset()

    def __call__(self, mine: Peer) -> list[Peer]:
        """What the others of its layout say, each read now, with no transaction open, unless this process knows it;
        what the paper itself says is kept for them."""
        self._versions.layouts.get(self._mine, lambda: mine.layout)
        self._versions.peers.get((self._file_key, self._mine), lambda: mine)
        with self._store.session() as session:
            recent = self._recent(session)
        self._asked = frozenset(recent)
        model = self._versions.loaded(self._store, self._file_key)[0]
        places = model.same_layout(mine.layout, [self._layout(other) for other in recent])
        peers = {recent[place].document_id: self._peer(recent[place]) for place in places}
        there = {document_id: peer for document_id, peer in peers.items() if peer is not None}
        self.found = list(there)
        with self._store.session() as session:
            said = _said(session, self.found)
        return [peer.settled(said.get(document_id, {})) for document_id, peer in there.items()]

    def alike(self, session: Session, pages: Sequence[Page]) -> list[int]:
        """The papers of the layout of this one, whose pages these are."""
        recent = self._recent(session)
        model = self._versions.loaded(self._store, self._file_key)[0]
        mine = self._versions.layouts.get(self._mine, lambda: layout_of(pages))
        return [recent[place].document_id for place in model.same_layout(mine, [self._layout(one) for one in recent])]

    def missed(self, session: Session) -> bool:
        """Whether papers of new layouts were drafted since the others were asked for."""
        return not self._asked.issuperset(self._recent(session))

    def _recent(self, session: Session) -> list[_Recent]:
        return _recent(session, self.type_id, self._mine.document_id)

    def _pages(self, other: _Recent) -> Sequence[Page]:
        with self._store.session() as session:
            return pages_of(session, other.document_id)

    def _layout(self, other: _Recent) -> Layout:
        return self._versions.layouts.get(other, lambda: layout_of(self._pages(other)))

    def _peer(self, other: _Recent) -> Peer | None:
        model = self._versions.loaded(self._store, self._file_key)[0]
        return self._versions.peers.get((self._file_key, other), lambda: model.peer(self._pages(other)))


def _recent(session: Session, type_id: int, document_id: int) -> list[_Recent]:
    newest = (
        select(Document.id)
        .where(Document.type_id == type_id, Document.read_with.is_not(None), Document.id != document_id)
        .where(Document.purpose == Purpose.LIVE, Document.page_count <= PAGES_MOST)
        .order_by(Document.id.desc())
        .limit(RECENT)
    )
    rows = session.execute(
        select(PageRow.document_id, func.max(PageRow.read_at))
        .where(PageRow.document_id.in_(newest), PageRow.read_at.is_not(None))
        .group_by(PageRow.document_id)
        .order_by(PageRow.document_id.desc())
    )
    return [_Recent(*row) for row in rows]


def _said(session: Session, documents: Sequence[int]) -> dict[int, dict[str, list[str]]]:
    """What people have said of the fields of papers: texts and their normal forms, by paper and key."""
    found: dict[int, dict[str, list[str]]] = {}
    rows = session.execute(
        select(Result.document_id, Field.key, Result.text, Result.normal)
        .join(Field, Result.field_id == Field.id)
        .where(Result.document_id.in_(documents), Result.origin == Origin.PERSON)
    )
    for document_id, key, text, normal in rows:
        found.setdefault(document_id, {}).setdefault(key, []).extend((text, normal) if normal else (text,))
    return found


def tell_soon(session: Session, document: Document) -> None:
    """Have what a person settled on a paper of a new layout told to the others of it."""
    if document.read_with:
        enqueue(session, Task.TELL_LAYOUT, priority=TELLING, document_id=document.id)


def tell(store: Store, versions: LoadedVersions, document_id: int) -> None:
    """Draft the papers anew that are of the layout of one that a person has settled, and that are in nobody's hands."""
    with store.session() as session:
        document = session.get(Document, document_id)
        version = None if document is None else live_version(session, document.placed_type.id)
        if document is None or document.read_with is None or version is None or version.file_key is None:
            return
        paper = load_paper(session, document)
        alike = Together(store, versions, version.file_key, paper).alike(session, paper.pages)
        since = datetime.now(UTC) - timedelta(seconds=PRESENCE_SECONDS)
        waiting = session.scalars(
            select(Document.id).where(
                Document.id.in_(alike),
                Document.state.in_(DRAFTABLE),
                func.coalesce(Document.opened_at < since, True),
                ~worked_on(Document.id),
            )
        )
        _draft_again(session, waiting.all())


def keep(session: Session, document: Document, together: Together) -> None:
    """Keep how many others a paper was read with; those that know of half as many at most are drafted again, unless a
    person has begun with them, and the paper itself is, when others were drafted since it asked."""
    found = together.found
    document.read_with = None if found is None else len(found)
    if found is None:
        return
    # One after the other: else of two papers that are drafted at once neither would see the other.
    session.execute(select(func.pg_advisory_xact_lock(LOCK, together.type_id)))
    behind = session.scalars(
        select(Document.id).where(
            Document.id.in_(found),
            Document.state.in_(DRAFTABLE),
            2 * Document.read_with <= len(found),
            ~worked_on(Document.id),
        )
    )
    again = [*behind, *([document.id] if together.missed(session) else [])]
    _draft_again(session, again)


def _draft_again(session: Session, documents: Sequence[int]) -> None:
    queued = waiting_documents(session, Task.DRAFT_DOCUMENT, documents)
    new = [document_id for document_id in documents if document_id not in queued]
    enqueue_all(session, [document_job(Task.DRAFT_DOCUMENT, document_id, PRIORITY) for document_id in new])


__all__ = ["Together", "keep", "tell", "tell_soon"]
