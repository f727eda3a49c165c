"""What a type is weighed on: the decisions of a version whose truth is known."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session, undefer

from jugum.core.states import VersionState
from jugum.core.thresholds import Evidence, EvidenceSource, EvidenceTable
from jugum.errors import InputError, NotFound
from jugum.flow.office.personal import is_hidden
from jugum.flow.plan.fields import plan_in
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.weigh.lived import Lived, lived
from jugum.store import Store
from jugum.store.masked import MASKED
from jugum.store.models import Document, DocumentType, Field, Label, ModelVersion
from jugum.store.scope import hidden_keys

LIFE_DRAWN = 200  # marks of life a field


@dataclass(frozen=True)
class Point:
    """A decision on the confidence axis, and how its truth became known; `counted` is false of a held-out value that
    was looked at only because it was held (see `EvidenceRow`)."""

    document: int
    confidence: float
    layout_similarity: float
    right: bool
    unseen: bool
    found: str
    expected: str
    counted: bool = True
    source: EvidenceSource = EvidenceSource.HELD_OUT


def weighable_version(session: Session, type_id: int) -> ModelVersion:
    """The live version, else the newest trained one, with its evidence. InputError when there is none."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None))
        .order_by((ModelVersion.state == VersionState.PUBLISHED).desc(), ModelVersion.number.desc())
        .limit(1)
        .options(undefer(ModelVersion.evidence), undefer(ModelVersion.test_evidence))
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


@dataclass(frozen=True)
class Weighed:
    """The evidence of some fields: as columns, and of how many papers of the test set and live ones a part of it is."""

    table: EvidenceTable
    test_papers: int
    live_papers: int
    lived: list[Lived]


def held_out(version: ModelVersion) -> list[Evidence]:
    """Held-out decisions of a version on known layouts that were not chosen for being hard."""
    return [
        Evidence(row["field"], row["confidence"], row["right"], row["layout_similarity"], row["sample"])
        for row in version.evidence
        if not row["unseen"] and is_counted(row)
    ]


def tested(version: ModelVersion) -> list[Evidence]:
    """Decisions of a version on papers of known layouts that were kept for testing."""
    return [
        Evidence(
            row["field"],
            row["confidence"],
            row["right"],
            row["layout_similarity"],
            row["sample"],
            source=EvidenceSource.TEST_SET,
        )
        for row in version.test_evidence
        if not row["unseen"]
    ]


def weighed(session: Session, version: ModelVersion, keys: Sequence[str], layout_similarity_min: float) -> Weighed:
    """The evidence that outcomes are counted from: held-out values of known layouts that were not chosen for being
    hard, those of the test set, and what people said of live papers of known layouts, less the older it is. What is
    below the minimum of layout similarity passes at no threshold."""
    from_life = [
        value for value in lived(session, version, keys) if value.evidence.layout_similarity >= layout_similarity_min
    ]
    settings = CheckSettings.of(session.get_one(DocumentType, version.type_id))
    tests = [row for row in tested(version) if row.field in keys]
    table = EvidenceTable.of(
        [*held_out(version), *tests, *(value.evidence for value in from_life)],
        keys,
        half_life_days=settings.half_life_days,
    )
    test_papers, live_papers = {row.paper for row in tests}, {value.evidence.paper for value in from_life}
    return Weighed(table.gated(layout_similarity_min), len(test_papers), len(live_papers), from_life)


def points_of(version: ModelVersion, key: str, from_life: Sequence[Lived]) -> list[Point]:
    """The marks of a field: all held-out ones, those of the test set, and the newest of life."""
    its = [value for value in from_life if value.evidence.field == key]
    newest = sorted(its, key=lambda value: value.evidence.age_days)[:LIFE_DRAWN]
    hidden = is_hidden(key)
    return [
        *_points(version.evidence, key),
        *_points(version.test_evidence, key, EvidenceSource.TEST_SET),
        *(_lived_point(value, hidden=hidden) for value in newest),
    ]


def _lived_point(one: Lived, *, hidden: bool) -> Point:
    its = one.evidence
    return Point(
        int(its.paper),
        its.confidence,
        its.layout_similarity,
        its.right,
        False,
        MASKED if hidden and one.found else one.found,
        MASKED if hidden and one.expected else one.expected,
        source=its.source,
    )


def _points(
    rows: Iterable[Mapping[str, Any]], key: str, source: EvidenceSource = EvidenceSource.HELD_OUT
) -> list[Point]:
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
            source,
        )
        for row in rows
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
        rows = [*version.evidence, *version.test_evidence]
        row = next((entry for entry in rows if (entry["field"], entry["sample"]) == (key, str(document_id))), None)
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
