"""What sorting is weighed on: papers and made bundles that a classifier had not seen, with the thresholds in force; and
how much of it a person does, in which time."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from statistics import median

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.classification import Acquaintance, PlacingEvidence
from jugum.core.states import SortingSubject
from jugum.core.thresholds import EvidenceTable
from jugum.core.thresholds.effort import PAUSE_SECONDS, Effort, visits_of
from jugum.core.thresholds.sorting import BUNDLES, placing_table, splitting_table
from jugum.errors import InputError, NotFound
from jugum.flow.gather.classifiers import (
    LoadedClassifier,
    LoadedClassifiers,
    split_evidence_of,
)
from jugum.flow.office.actions import Action
from jugum.flow.weigh.evidence import EvidencePlace, Point
from jugum.flow.weigh.life import came_a_week_in
from jugum.store import Store
from jugum.store.models import Audit, Document, DocumentType, Workspace

# Seconds of a person before any are measured: to place a paper, to split a bundle. Assumptions.
USUAL_SECONDS = {SortingSubject.TYPES: 10.0, SortingSubject.BUNDLES: 40.0}
ACTIONS = {SortingSubject.TYPES: Action.PLACE, SortingSubject.BUNDLES: Action.CUT}
ACTS_MOST, ACTS_LEAST = 3000, 10  # the newest that seconds are measured on; fewer are not
TOP = (0.0, 0.0, 1.0, 0.4)  # of a page: what shows its type


@dataclass(frozen=True)
class SortingEvidence:
    """The evidence of a subject as columns, the names of its keys, its marks by key, and the thresholds in force."""

    table: EvidenceTable
    names: dict[str, str]
    points: dict[str, list[Point]]
    in_force: dict[str, float]


def loaded_classifier(store: Store, classifiers: LoadedClassifiers, workspace_id: int) -> LoadedClassifier:
    """The newest classifier of a workspace. NotFound without that, InputError where nothing was learned yet."""
    with store.session() as session:
        if session.get(Workspace, workspace_id) is None:
            raise NotFound(f"There is no workspace with id {workspace_id}.")
    loaded = classifiers.newest(store, workspace_id)
    if loaded is None:
        raise InputError(
            "No types have been learned yet: there is nothing to weigh. Give a type to two papers of each in Gather."
        )
    return loaded


def came_a_week(session: Session, workspace_id: int, subject: SortingSubject) -> float:
    """Live papers, or bundles, of a workspace that came in a week."""
    kind = Document.cut != "none" if subject is SortingSubject.BUNDLES else Document.cut == "none"
    return came_a_week_in(session, Document.workspace_id == workspace_id, kind)


def sorting_effort(session: Session, workspace_id: int, subject: SortingSubject) -> Effort:
    """Seconds that a person takes to place a paper, or to split a bundle: the median of what was done at one go, where
    there is enough of it."""
    rows = session.execute(
        select(Audit.person_id, Audit.object_id, Audit.created_at)
        .where(
            Audit.workspace_id == workspace_id,
            Audit.action == ACTIONS[subject].value,
            Audit.person_id.is_not(None),
        )
        .order_by(Audit.id.desc())
        .limit(ACTS_MOST)
    ).all()
    acts = [(person, document, at.timestamp()) for person, document, at in rows]
    seconds = [spent for _, spent in visits_of(acts) if spent <= PAUSE_SECONDS]
    if len(seconds) < ACTS_LEAST:
        return Effort(0.0, USUAL_SECONDS[subject])
    return Effort(0.0, median(seconds), len(seconds))


def sorting_evidence(
    session: Session, loaded: LoadedClassifier, workspace_id: int, subject: SortingSubject
) -> SortingEvidence:
    """What a workspace's sorting is weighed on. InputError where nothing was measured yet."""
    if subject is SortingSubject.BUNDLES:
        return _of_bundles(loaded)
    names = dict(
        session.execute(
            select(DocumentType.id, DocumentType.name)
            .where(DocumentType.workspace_id == workspace_id)
            .order_by(DocumentType.name)
        ).all()
    )
    types = [type_id for type_id in names if type_id in loaded.classifier.types]
    evidence = [row for row in loaded.classifier.evidence if row.taken_for in types]
    if not evidence:
        raise InputError("No paper could be judged yet: there is nothing to weigh. Give more papers a type in Gather.")
    points: dict[str, list[Point]] = {str(type_id): [] for type_id in types}
    for row in evidence:
        points[str(row.taken_for)].append(_placing_point(row, names))
    return SortingEvidence(
        placing_table(evidence, types),
        {str(type_id): names[type_id] for type_id in types},
        points,
        {str(type_id): loaded.classifier.threshold(type_id) for type_id in types},
    )


def _placing_point(row: PlacingEvidence, names: Mapping[int, str]) -> Point:
    is_of = names.get(row.type_id, "another type")
    expected = {
        Acquaintance.KNOWN: is_of,
        Acquaintance.NEW_LAYOUT: f"{is_of}, of a layout that was left out",
        Acquaintance.LEFT_OUT: f"no type: {is_of} was left out",
        Acquaintance.NO_TYPE: "no type",
    }[row.acquaintance]
    return Point(row.sample, row.confidence, 1.0, row.right, False, names[row.taken_for], expected)


def _of_bundles(loaded: LoadedClassifier) -> SortingEvidence:
    known, new = split_evidence_of(loaded.report, "seen"), split_evidence_of(loaded.report, "unseen")
    if not known and not new:
        raise InputError(
            loaded.report.get("no_cutter")
            or "How well bundles are split was not measured yet. It takes twelve papers with a type, some of several "
            "pages, and a few minutes."
        )
    points = [
        Point(
            bundle.samples[0],
            bundle.sure,
            1.0,
            bundle.right,
            False,
            "a bundle split as its papers were" if bundle.right else "another split",
            f"{len(bundle.samples)} papers{' of layouts that were left out' if number >= len(known) else ''}",
        )
        for number, bundle in enumerate([*known, *new])
    ]
    table = splitting_table(known, new)
    return SortingEvidence(table, {BUNDLES: "Bundles"}, {BUNDLES: points}, {BUNDLES: loaded.split_threshold})


def sorting_place(store: Store, workspace_id: int, document_id: int) -> EvidencePlace:
    """Where a mark stands: the top of its paper, of a bundle's first one. NotFound without such a paper."""
    with store.session() as session:
        document = session.get(Document, document_id)
        if document is None or document.workspace_id != workspace_id:
            raise NotFound("This paper is no longer here, or of another office.")
        return EvidencePlace(document_id, document.name, document.state, 1, list(TOP))


__all__ = [
    "SortingEvidence",
    "came_a_week",
    "loaded_classifier",
    "sorting_effort",
    "sorting_evidence",
    "sorting_place",
]
