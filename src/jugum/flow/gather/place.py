"""Sorting papers by type: learning from placed ones, placing new ones, and what waits for a person to say."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.classification import OTHER, BundleCutter, TypeSample, TypeSorter, fit_cutter, fit_sorter
from jugum.core.classification.phrases import Phrases, heard, placed_by
from jugum.core.evaluation.cutting import cut_figures
from jugum.core.formats.sorter_file import pack_sorter, unpack_sorter
from jugum.core.page import Page
from jugum.errors import Conflict, InputError, NothingToLearn
from jugum.flow.gather.read import document_row, go_on, learn_soon, pages_of
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Hold, Label, Reading, Result, Sorter
from jugum.store.queue import Task, document_job, enqueue, enqueue_all, is_waiting

PAPERS_A_TYPE = 60
NEEDED = 2
JUDGED_ANEW = 0.8  # share of the papers of now that the last judging of bundles must have had
READ_STATES = (
    "to label",
    "in hand",
    "labelled",
    "placed",
    "drafted",
    "held",
    "passed",
    "settled",
    "delivered",
    "unplaced",
)


@dataclass(frozen=True)
class LoadedSorter:
    number: int
    sorter: TypeSorter
    cutter: BundleCutter | None
    report: Mapping[str, Any]


class LoadedSorters:
    """The newest sorter of each workspace, kept by its number."""

    def __init__(self) -> None:
        self._loaded: dict[int, LoadedSorter] = {}

    def newest(self, store: Store, workspace_id: int) -> LoadedSorter | None:
        with store.session() as session:
            row = session.scalar(select(Sorter).where(Sorter.workspace_id == workspace_id).order_by(Sorter.number.desc()).limit(1))  # fmt: skip
        if row is None:
            return None
        known = self._loaded.get(workspace_id)
        if known is None or known.number != row.number:
            known = LoadedSorter(row.number, *unpack_sorter(store.files.get(row.file_key)), row.report)
        self._loaded[workspace_id] = known = replace(known, report=row.report)
        return known


def learn(store: Store, workspace_id: int) -> int | None:
    """Learn types and beginnings from the workspace's placed papers; None when there are too few. What is unplaced is then
    judged again. The same papers give the same sorter."""
    samples, papers = _taught(store, workspace_id)
    counts: dict[int, int] = defaultdict(int)
    for sample in samples:
        counts[sample.type_id] += 1
    if not any(count >= NEEDED for type_id, count in counts.items() if type_id != OTHER):
        return None
    sorter = fit_sorter(samples)
    no_cutter = ""
    cutter: BundleCutter | None = None
    try:
        cutter = fit_cutter(papers, sorter)
    except NothingToLearn as error:
        no_cutter = str(error)
    key = store.files.put(pack_sorter(sorter, cutter))
    with store.session() as session:
        number = (session.scalar(select(func.max(Sorter.number)).where(Sorter.workspace_id == workspace_id)) or 0) + 1
        report: dict[str, Any] = {
            "papers": {str(key): count for key, count in counts.items()},
            "cuts": cutter is not None,
            "no_cutter": no_cutter,
        }
        last = session.scalar(select(Sorter.report).where(Sorter.workspace_id == workspace_id).order_by(Sorter.number.desc()).limit(1))  # fmt: skip
        judged = (last or {}).get("cutting", {})
        if cutter is not None and judged.get("of", 0) >= JUDGED_ANEW * len(papers):
            report["cutting"] = judged
        elif cutter is not None and not is_waiting(session, Task.JUDGE_CUTTING, workspace_id=workspace_id):
            enqueue(session, Task.JUDGE_CUTTING, priority=1, lock=f"sorter-{workspace_id}", workspace_id=workspace_id)
        session.add(Sorter(workspace_id=workspace_id, number=number, file_key=key, report=report))
        waiting = session.scalars(
            select(Document.id).where(
                Document.workspace_id == workspace_id, Document.state == "unplaced", Document.placed_by != "other"
            )
        )
        enqueue_all(session, [document_job(Task.PLACE_DOCUMENT, document_id, 30) for document_id in waiting])
    return number


def judge_cutting(store: Store, workspace_id: int) -> None:
    """Say beside the newest sorter how well bundles of papers that a sorter had not seen are cut. Figures are carried on from sorter to sorter until
    there are a quarter more papers."""
    samples, papers = _taught(store, workspace_id)
    found: dict[str, Any] = {
        name: asdict(figures) for name, unseen in (("seen", False), ("unseen", True)) if (figures := cut_figures(samples, unseen=unseen))
    }  # fmt: skip
    with store.session() as session:
        row = session.scalar(select(Sorter).where(Sorter.workspace_id == workspace_id).order_by(Sorter.number.desc()).limit(1))  # fmt: skip
        if row is not None:
            row.report = {**row.report, "cutting": {**found, "of": len(papers)}}


def _taught(store: Store, workspace_id: int) -> tuple[list[TypeSample], list[tuple[Page, ...]]]:
    """Papers that a person placed, the newest of each type first, and all their pages."""
    with store.session() as session:
        rows = session.execute(
            select(Document.id, Document.type_id, Document.look_id, Document.placed_by)
            .where(Document.workspace_id == workspace_id, Document.state.in_(READ_STATES), Document.placed_by.in_(("person", "other")))
            .order_by(Document.id.desc())
        ).all()  # fmt: skip
        taken: dict[int, int] = defaultdict(int)
        samples, papers = [], []
        for document_id, type_id, look, placed_by in rows:
            label = OTHER if placed_by == "other" else type_id
            if label is None or taken[label] >= PAPERS_A_TYPE:
                continue
            taken[label] += 1
            pages = pages_of(session, document_id)
            if any(page.words for page in pages):
                samples.append(TypeSample(pages, label, look or 0))
                if label != OTHER:
                    papers.append(pages)
    return samples[::-1], papers[::-1]


def place_by_program(store: Store, document_id: int, sorters: LoadedSorters) -> None:
    """Judge a read paper without a type: place it, or leave it unplaced with its likely types."""
    with store.session() as session:
        document = document_row(session, document_id)
        if document.type_id is not None or document.state not in ("received", "unplaced"):
            return
        workspace_id, pages = document.workspace_id, pages_of(session, document_id)
    loaded = sorters.newest(store, workspace_id)
    placed = loaded.sorter.place(pages) if loaded is not None and pages else None
    if pages:
        with store.session() as session:
            placed = placed_by(placed, heard(pages, phrases_in(session, workspace_id)))
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        if document.type_id is not None or document.state not in ("received", "unplaced"):
            return
        if document.placed_by == "other":  # a person said so; only a person takes it back
            document.state = "unplaced"
            return
        document.likely = (
            [[type_id, round(chance * placed.sureness, 4)] for type_id, chance in placed.likely[:9]] if placed else []
        )
        if placed is not None and placed.accepted:
            document.type_id, document.placed_by = placed.likely[0][0], "program"
            record(
                session, None, Action.PLACE, "document", document_id, type=document.type_id, chance=placed.likely[0][1]
            )
            go_on(session, document)
        else:
            document.state = "unplaced"


def phrases_in(session: Session, workspace_id: int) -> dict[int, Phrases]:
    """What an analyst said speaks for and against each type of a workspace."""
    rows = session.execute(
        select(DocumentType.id, DocumentType.training).where(DocumentType.workspace_id == workspace_id)
    ).all()
    kept = {number: training.get("phrases", {}) for number, training in rows}
    return {
        number: Phrases(tuple(its.get("pro", ())), tuple(its.get("contra", ()))) for number, its in kept.items() if its
    }


def place(store: Store, actor: Actor, document_id: int, type_id: int | None) -> None:
    """A person says of what type a paper is, or (None) that it is of none of these. Both teach the sorter. A paper that was
    placed wrongly can be placed anew while nothing was labelled or settled on it."""
    actor.require(GATHER)
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        if document.state in ("received", "to cut", "unpacked", "set aside"):
            raise Conflict(f"“{document.name}” is {document.state} and can't be placed now.")
        worked = session.scalar(select(func.count(Label.id)).where(Label.document_id == document_id)) or 0
        worked += session.scalar(select(func.count(Result.id)).where(Result.document_id == document_id, Result.origin == "person")) or 0  # fmt: skip
        if worked or document.state in ("settled", "delivered"):
            raise Conflict(f"“{document.name}” has labels or settled fields of its type; clear them first.")
        record(session, actor, Action.PLACE, "document", document_id, before=document.type_id, type=type_id)
        if type_id is None:
            document.type_id, document.placed_by, document.state = None, "other", "unplaced"
        else:
            its_type = session.get(DocumentType, type_id)
            if its_type is None or its_type.workspace_id != document.workspace_id:
                raise InputError("There is no such type in this workspace.")
            drop_drafts(session, document_id)
            document.type_id, document.placed_by = type_id, "person"
            document.revision += 1
            go_on(session, document)
        learn_soon(session, document.workspace_id)


def drop_drafts(session: Session, document_id: int) -> None:
    """What was drafted for a paper that is now of another type, or cut, is of no use."""
    for table in (Hold, Result, Reading):
        session.execute(delete(table).where(table.document_id == document_id))


@dataclass(frozen=True)
class LikelyType:
    id: int
    name: str
    chance: float


@dataclass(frozen=True)
class Unplaced:
    """A paper that waits to be placed, with the types it may be of."""

    id: int
    name: str
    purpose: str
    page_count: int
    likely: list[LikelyType]
    none_of_these: bool


def unplaced(store: Store, workspace_id: int, limit: int = 100) -> list[Unplaced]:
    """Papers that fit no type well enough, the oldest first; those that a person put to none of the types come last."""
    with store.session() as session:
        names: dict[int, str] = {
            row.id: row.name
            for row in session.scalars(
                select(DocumentType).where(DocumentType.workspace_id == workspace_id).order_by(DocumentType.id)
            )
        }
        rows = session.scalars(
            select(Document)
            .where(Document.workspace_id == workspace_id, Document.state == "unplaced")
            .order_by((Document.placed_by == "other"), Document.id)
            .limit(limit)
        ).all()
        return [
            Unplaced(
                row.id, row.name, row.purpose, row.page_count or 0, _likely(row.likely, names), row.placed_by == "other"
            )
            for row in rows
        ]


def _likely(kept: list[Any], names: dict[int, str]) -> list[LikelyType]:
    chances = {int(type_id): float(chance) for type_id, chance in kept}
    order = sorted(names, key=lambda type_id: -chances.get(type_id, 0.0))
    return [LikelyType(type_id, names[type_id], chances.get(type_id, 0.0)) for type_id in order[:9]]
