"""What a type is weighed on: the decisions of a version whose truth is known."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.states import VersionState
from jugum.core.thresholds import Evidence, EvidenceTable
from jugum.errors import InputError, NotFound
from jugum.flow.plan.fields import plan_in
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Label, ModelVersion
from jugum.store.scope import hidden_keys


@dataclass(frozen=True)
class Point:
    """A held-out decision on the confidence axis; `counted` is false of a value that was looked at only because it was
    held (see `EvidenceRow`)."""

    document: int
    confidence: float
    layout_similarity: float
    right: bool
    unseen: bool
    found: str
    expected: str
    counted: bool = True


def weighable_version(session: Session, type_id: int) -> ModelVersion:
    """The live version, else the newest trained one, with its evidence. InputError when there is none."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None))
        .order_by((ModelVersion.state == VersionState.PUBLISHED).desc(), ModelVersion.number.desc())
        .limit(1)
        .options(undefer(ModelVersion.evidence))
    )
    if version is None:
        raise InputError("No version has been trained yet: there is nothing to weigh. Train a version in Train.")
    return version


def weighed_fields(row: DocumentType, version: ModelVersion) -> list[Field]:
    """The fields whose confidence a version has measured: of all that is read from papers (a table as a whole) what
    was labelled."""
    measured = {str(entry["field"]) for entry in version.evidence}
    keys = {field.key for field in plan_in(row).fields if field.weighed} & measured
    return [field for field in row.fields if field.key in keys]


def is_counted(row: Mapping[str, Any]) -> bool:
    """Whether a row of evidence is counted; those of versions trained before rows said so are."""
    return bool(row.get("counted", True))


def evidence_of(version: ModelVersion, keys: Sequence[str], layout_similarity_min: float) -> EvidenceTable:
    """The evidence of some fields that outcomes are counted from: known layouts, values that were not chosen for being
    hard. What is below the minimum of layout similarity passes at no threshold."""
    rows = [
        Evidence(row["field"], row["confidence"], row["right"], row["layout_similarity"], row["sample"])
        for row in version.evidence
        if not row["unseen"] and is_counted(row)
    ]
    return EvidenceTable.of(rows, keys).gated(layout_similarity_min)


def points_of(version: ModelVersion, key: str) -> list[Point]:
    """All marks of a field."""
    return [
        Point(
            int(row["sample"]),
            row["confidence"],
            row["layout_similarity"],
            row["right"],
            row["unseen"],
            row["found"],
            row["expected"],
            is_counted(row),
        )
        for row in version.evidence
        if row["field"] == key
    ]


@dataclass(frozen=True)
class EvidencePlace:
    """Where a decision stands: the paper's name and state, and a place on it (page from 1, box as page fractions); no
    place where there is none, or where the value may not be seen."""

    document_id: int
    paper: str
    state: str
    page: int | None
    box: list[float] | None


def evidence_place(store: Store, type_id: int, key: str, document_id: int) -> EvidencePlace:
    """Where a decision of the weighed version about a field of a paper stands: what was found where it was wrong, else
    what is labelled. NotFound without such a paper."""
    with store.session() as session:
        version = weighable_version(session, type_id)
        row = next(
            (entry for entry in version.evidence if (entry["field"], entry["sample"]) == (key, str(document_id))), None
        )
        document = session.get(Document, document_id)
        if row is None or document is None or document.type_id != type_id:
            raise NotFound("This value is on a paper that is no longer here, or of another office.")
        page, box = _place(session, row, key, document_id) if key not in hidden_keys() else (None, None)
        return EvidencePlace(document_id, document.name, document.state, page, box)


def _place(
    session: Session, row: Mapping[str, Any], key: str, document_id: int
) -> tuple[int, list[float]] | tuple[None, None]:
    detail = row.get("detail") or {}
    for place in (detail.get("found"), detail.get("expected")):
        if place:
            return place[0], place[1]
    label = session.scalar(
        select(Label)
        .join(Field, Label.field_id == Field.id)
        .where(Label.document_id == document_id, Field.key == key, Label.box.is_not(None))
        .order_by(Label.position)
        .limit(1)
    )
    return (label.page, label.box) if label and label.page and label.box else (None, None)
