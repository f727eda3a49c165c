"""Sorting papers by type: learning from placed ones, placing new ones, and what waits for a person to say."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import asdict, dataclass, replace
from typing import Any

from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from jugum.core.classification import (
    OTHER,
    BundleCutter,
    Placed,
    TypeSample,
    fit_cutter,
    fit_type_classifier,
)
from jugum.core.classification.phrases import Phrases, heard, placed_by
from jugum.core.evaluation.cutting import cut_figures
from jugum.core.formats.classifier_file import pack_classifier
from jugum.core.page import Page
from jugum.core.states import SETTLED_STATES, By, DocumentState, PlacedBy
from jugum.core.thresholds.outcome import NEVER
from jugum.errors import Conflict, InputError, NothingToLearn
from jugum.flow.gather.classifiers import LoadedClassifiers, type_thresholds
from jugum.flow.gather.pages import pages_of
from jugum.flow.gather.read import document_row, go_on, learn_soon, unchanged_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import GATHER, Actor, record
from jugum.flow.states import change_state
from jugum.flow.worked_on import is_worked_on
from jugum.store import Store
from jugum.store.models import ClassifierVersion, Document, DocumentType, Hold, Reading, Result
from jugum.store.queue import Task, document_job, enqueue, enqueue_all, is_waiting

PAPERS_A_TYPE = 60
NEEDED = 2
JUDGED_ANEW = 0.8  # share of the papers of now that the last judging of bundles must have had
READ_STATES = (
    DocumentState.TO_LABEL,
    DocumentState.IN_PROGRESS,
    DocumentState.LABELLED,
    DocumentState.PLACED,
    DocumentState.DRAFTED,
    DocumentState.HELD,
    DocumentState.PASSED,
    DocumentState.SETTLED,
    DocumentState.DELIVERED,
    DocumentState.CORRECTED,
    DocumentState.UNPLACED,
)


def learn(store: Store, workspace_id: int) -> int | None:
    """Learn types and beginnings from the workspace's placed papers; None when there are too few. What is unplaced
    is then judged again. The same papers give the same classifier."""
    samples, papers = _taught(store, workspace_id)
    counts: dict[int, int] = defaultdict(int)
    for sample in samples:
        counts[sample.type_id] += 1
    if not any(count >= NEEDED for type_id, count in counts.items() if type_id != OTHER):
        return None
    classifier = fit_type_classifier(samples)
    no_cutter = ""
    cutter: BundleCutter | None = None
    try:
        cutter = fit_cutter(papers, classifier)
    except NothingToLearn as error:
        no_cutter = str(error)
    key = store.files.put(pack_classifier(classifier, cutter))
    with store.session() as session:
        number = (
            session.scalar(
                select(func.max(ClassifierVersion.number)).where(ClassifierVersion.workspace_id == workspace_id)
            )
            or 0
        ) + 1
        report: dict[str, Any] = {
            "papers": {str(key): count for key, count in counts.items()},
            "cuts": cutter is not None,
            "no_cutter": no_cutter,
        }
        last = session.scalar(
            select(ClassifierVersion.report)
            .where(ClassifierVersion.workspace_id == workspace_id)
            .order_by(ClassifierVersion.number.desc())
            .limit(1)
        )
        judged = (last or {}).get("cutting", {})
        # Those of an earlier program have no bundles to weigh splitting on.
        whole = all("evidence" in judged[which] for which in ("seen", "unseen") if judged.get(which))
        if cutter is not None and whole and judged.get("of", 0) >= JUDGED_ANEW * len(papers):
            report["cutting"] = judged
        elif cutter is not None and not is_waiting(session, Task.JUDGE_CUTTING, workspace_id=workspace_id):
            enqueue(
                session, Task.JUDGE_CUTTING, priority=1, lock=f"classifier-{workspace_id}", workspace_id=workspace_id
            )
        session.add(ClassifierVersion(workspace_id=workspace_id, number=number, file_key=key, report=report))
        judge_unplaced_again(session, workspace_id)
    return number


def judge_unplaced_again(session: Session, workspace_id: int) -> None:
    """Papers that wait for a type, unless a person put them to none, may be placed by what is in force now."""
    waiting = session.scalars(
        select(Document.id).where(
            Document.workspace_id == workspace_id,
            Document.state == DocumentState.UNPLACED,
            Document.placed_by != PlacedBy.NONE_OF_THESE,
        )
    )
    enqueue_all(session, [document_job(Task.PLACE_DOCUMENT, document_id, 30) for document_id in waiting])


def judge_cutting(store: Store, workspace_id: int) -> None:
    """Say beside the newest classifier how well bundles of papers that a classifier had not seen are cut, and how sure
    such cuts are. Figures are carried on from classifier to classifier until there are a quarter more papers."""
    samples, papers = _taught(store, workspace_id)
    loaded = LoadedClassifiers().newest(store, workspace_id)
    if loaded is None:
        return
    reject = loaded.classifier.reject
    seen, unseen = (cut_figures(samples, unseen=unseen, reject=reject) for unseen in (False, True))
    found: dict[str, Any] = {
        name: asdict(figures) for name, figures in (("seen", seen), ("unseen", unseen)) if figures is not None
    }
    with store.session() as session:
        row = session.scalar(
            select(ClassifierVersion)
            .where(ClassifierVersion.workspace_id == workspace_id)
            .order_by(ClassifierVersion.number.desc())
            .limit(1)
        )
        if row is not None:
            row.report = {**row.report, "cutting": {**found, "of": len(papers)}}


def _taught(store: Store, workspace_id: int) -> tuple[list[TypeSample], list[tuple[Page, ...]]]:
    """Papers that a person placed, the newest of each type first, and all their pages."""
    with store.session() as session:
        by_person = Document.placed_by.in_((PlacedBy.PERSON, PlacedBy.NONE_OF_THESE))
        rows = session.execute(
            select(Document.id, Document.type_id, Document.layout_group_id, Document.placed_by)
            .where(Document.workspace_id == workspace_id, Document.state.in_(READ_STATES), by_person)
            .order_by(Document.id.desc())
        ).all()
        taken: dict[int, int] = defaultdict(int)
        samples, papers = [], []
        for document_id, type_id, layout, placed_by in rows:
            label = OTHER if placed_by == PlacedBy.NONE_OF_THESE else type_id
            if label is None or taken[label] >= PAPERS_A_TYPE:
                continue
            taken[label] += 1
            pages = pages_of(session, document_id)
            if any(page.words for page in pages):
                samples.append(TypeSample(pages, label, layout or 0, document_id))
                if label != OTHER:
                    papers.append(pages)
    return samples[::-1], papers[::-1]


def place_by_program(store: Store, document_id: int, classifiers: LoadedClassifiers) -> None:
    """Judge a read paper without a type: place it, or leave it unplaced with its likely types."""
    with store.session() as session:
        document = document_row(session, document_id)
        if document.type_id is not None or document.state not in (DocumentState.RECEIVED, DocumentState.UNPLACED):
            return
        workspace_id, pages = document.workspace_id, pages_of(session, document_id)
    loaded = classifiers.newest(store, workspace_id)
    placed = loaded.classifier.place(pages) if loaded is not None and pages else None
    if pages:
        with store.session() as session:
            placed = placed_by(placed, heard(pages, phrases_in(session, workspace_id)))
            if placed is not None and type_thresholds(session, workspace_id).get(placed.likely[0][0]) == NEVER:
                placed = replace(placed, accepted=False)  # whatever phrases say: only a person gives this type
    with store.session() as session:
        document = document_row(session, document_id, lock=True)
        if document.type_id is not None or document.state not in (DocumentState.RECEIVED, DocumentState.UNPLACED):
            return
        if document.placed_by == PlacedBy.NONE_OF_THESE:  # a person said so; only a person takes it back
            change_state(document, DocumentState.UNPLACED, By.PROGRAM)
            return
        document.type_candidates = (
            [[type_id, round(chance * placed.confidence, 4)] for type_id, chance in placed.likely[:9]] if placed else []
        )
        document.proposal = proposal_of(placed)
        if placed is not None and placed.accepted:
            document.type_id, document.placed_by = placed.likely[0][0], PlacedBy.PROGRAM
            record(
                session, None, Action.PLACE, "document", document_id, type=document.type_id, chance=placed.likely[0][1]
            )
            go_on(session, document)
        else:
            change_state(document, DocumentState.UNPLACED, By.PROGRAM)


def proposal_of(placed: Placed | None) -> dict[str, Any] | None:
    """What the program made of a paper, as it is kept with it."""
    if placed is None:
        return None
    return {
        "type": placed.likely[0][0],
        "confidence": round(placed.confidence, 4),
        "accepted": placed.accepted,
    }


def phrases_in(session: Session, workspace_id: int) -> dict[int, Phrases]:
    """What an analyst said speaks for and against each type of a workspace."""
    rows = session.execute(
        select(DocumentType.id, DocumentType.training).where(DocumentType.workspace_id == workspace_id)
    ).all()
    kept = {number: training.get("phrases", {}) for number, training in rows}
    return {
        number: Phrases(tuple(its.get("pro", ())), tuple(its.get("contra", ()))) for number, its in kept.items() if its
    }


def place(store: Store, actor: Actor, document_id: int, type_id: int | None, *, revision: int | None = None) -> None:
    """A person says of what type a paper is, or (None) that it is of none of these. Both teach the classifier. A paper
    that was placed wrongly can be placed anew while nothing was labelled or settled on it."""
    actor.require(GATHER)
    with store.session() as session:
        document = unchanged_row(session, document_id, revision)
        if document.state in (
            DocumentState.RECEIVED,
            DocumentState.TO_CUT,
            DocumentState.UNPACKED,
            DocumentState.SET_ASIDE,
        ):
            raise Conflict(f"“{document.name}” is {document.state} and its type cannot be changed now.")
        if is_worked_on(session, document) or document.state in SETTLED_STATES:
            raise Conflict(f"“{document.name}” has labels or settled fields. Clear them before you change its type.")
        record(session, actor, Action.PLACE, "document", document_id, before=document.type_id, type=type_id)
        document.revision += 1
        document.read_with = None  # that was among papers of the type before
        if type_id is None:
            change_state(document, DocumentState.UNPLACED, By.PERSON)
            document.type_id, document.placed_by = None, PlacedBy.NONE_OF_THESE
        else:
            its_type = session.get(DocumentType, type_id)
            if its_type is None or its_type.workspace_id != document.workspace_id:
                raise InputError("There is no such type in this workspace.")
            drop_drafts(session, document_id)
            document.type_id, document.placed_by = type_id, PlacedBy.PERSON
            go_on(session, document, By.PERSON)
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
    revision: int


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
            .where(Document.workspace_id == workspace_id, Document.state == DocumentState.UNPLACED)
            .order_by((Document.placed_by == PlacedBy.NONE_OF_THESE), Document.id)
            .limit(limit)
        ).all()
        return [
            Unplaced(
                row.id,
                row.name,
                row.purpose,
                row.page_count or 0,
                _likely(row.type_candidates, names),
                row.placed_by == PlacedBy.NONE_OF_THESE,
                row.revision,
            )
            for row in rows
        ]


def _likely(kept: list[Any], names: dict[int, str]) -> list[LikelyType]:
    chances = {int(type_id): float(chance) for type_id, chance in kept}
    order = sorted(names, key=lambda type_id: -chances.get(type_id, 0.0))
    return [LikelyType(type_id, names[type_id], chances.get(type_id, 0.0)) for type_id in order[:9]]
