"""What a type is weighed on: the decisions of a version whose truth is known."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.states import VersionState
from jugum.core.thresholds import Evidence, EvidenceTable
from jugum.errors import InputError
from jugum.flow.plan.fields import plan_in
from jugum.store.models import DocumentType, Field, ModelVersion


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
