"""Evidence from life: what people said of live papers, each value with the probability with which it was looked at.

What was held was looked at by a person for certain, what passed was checked with a known probability: weighted by these
the two tell the error at any threshold, not only at the one in force.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.schema import HoldReason
from jugum.core.states import Origin, Purpose
from jugum.core.thresholds import Evidence, EvidenceSource
from jugum.flow.weigh.checked import checked_values
from jugum.store.models import Document, Field, Hold, ModelVersion, Reading, Result

SETTLED_MOST = 10_000  # the newest
AGREED, ABSENT = "agreed", "absent"


@dataclass(frozen=True)
class Lived:
    """A live value whose truth is known: as evidence, and what was found and is right, in words."""

    evidence: Evidence
    found: str
    expected: str


def lived(session: Session, version: ModelVersion, keys: Collection[str]) -> list[Lived]:
    """Values of some fields that a version read on live papers and that a person looked at: because they were held for
    their confidence, or in a spot check."""
    now = datetime.now(UTC)
    checks = [
        Lived(value.evidence(now), value.found, value.found if value.right else value.said)
        for value in checked_values(session, version.type_id, version_id=version.id)
        if value.field in keys
    ]
    return [*_reviewed(session, version, keys, now), *checks]


@dataclass
class _Read:
    """What was read for a field of a paper (of a table: its columns)."""

    confidence: float
    layout_similarity: float
    texts: list[str]


def _reviewed(session: Session, version: ModelVersion, keys: Collection[str], now: datetime) -> list[Lived]:
    settled = session.execute(
        select(Hold.document_id, Field.key, Hold.outcome, Hold.settled_at)
        .join(Document, Hold.document_id == Document.id)
        .join(Field, Hold.field_id == Field.id)
        .where(
            Document.type_id == version.type_id,
            Document.purpose == Purpose.LIVE,
            Document.version_id == version.id,
            Hold.reason == HoldReason.LOW_CONFIDENCE.value,
            Hold.settled_at.is_not(None),
        )
        .order_by(Hold.settled_at.desc())
        .limit(SETTLED_MOST)
    ).all()
    papers = {document for document, *_ in settled}
    read, said = _read(session, papers), _said(session, papers)
    found = []
    for document, key, outcome, at in settled:
        one = read.get((document, key))
        if key not in keys or one is None or at is None:
            continue
        right = outcome == AGREED or (outcome == ABSENT and not one.texts)
        evidence = Evidence(
            key,
            one.confidence,
            right,
            one.layout_similarity,
            str(document),
            source=EvidenceSource.REVIEW,
            age_days=max(0.0, (now - at) / timedelta(days=1)),
        )
        text = "; ".join(one.texts)
        found.append(Lived(evidence, text, text if right else "; ".join(said.get((document, key), []))))
    return found


def _read(session: Session, papers: Collection[int]) -> dict[tuple[int, str], _Read]:
    """What a version measured for each field of some papers; a table has the confidence of its columns."""
    rows = session.execute(
        select(
            Reading.document_id, Field.key, Reading.confidence, Reading.layout_similarity, Reading.absent, Reading.text
        )
        .join(Field, Reading.field_id == Field.id)
        .where(Reading.document_id.in_(papers))
        .order_by(Reading.position)
    )
    found: dict[tuple[int, str], _Read] = {}
    for document, key, confidence, similarity, absent, text in rows:
        if confidence is None:
            continue
        place = document, key.split(".", 1)[0]
        one = found.setdefault(place, _Read(confidence, 1.0 if similarity is None else similarity, []))
        if not absent:
            one.texts.append(text)
    return found


def _said(session: Session, papers: Collection[int]) -> dict[tuple[int, str], list[str]]:
    """What a person said of each field of some papers."""
    rows = session.execute(
        select(Result.document_id, Field.key, Result.text)
        .join(Field, Result.field_id == Field.id)
        .where(Result.document_id.in_(papers), Result.origin == Origin.PERSON)
        .order_by(Result.position)
    )
    found: dict[tuple[int, str], list[str]] = defaultdict(list)
    for document, key, text in rows:
        found[document, key.split(".", 1)[0]].append(text)
    return found


__all__ = ["Lived", "lived"]
