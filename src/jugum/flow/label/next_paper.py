"""Which sample is labelled next: the one whose labels teach most, with the reason said, or the next in order."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

from sqlalchemy import exists, func, select
from sqlalchemy.orm import Session

from jugum.core.evaluation.teaching import Waiting, teaches_most
from jugum.core.states import LABEL_STATES, OPEN_SAMPLE_STATES, DocumentState, Purpose, SetName
from jugum.flow.gather.pages import pages_of
from jugum.flow.in_force import LoadedVersions, newest_version
from jugum.store import Store
from jugum.store.models import Assignment, Document, Field, Label, LayoutGroup

ORDERS = ("teaches most", "in order")


@dataclass(frozen=True)
class Near:
    """Papers around one on the desk: the sample before, the one to label after it and why, how many are left
    besides."""

    before: int | None
    after: int | None
    why: str
    left: int


def neighbours(session: Session, document: Document, person_id: int) -> Near:
    mine = (Document.type_id == document.type_id, Document.purpose == Purpose.SAMPLE)
    before = session.scalar(
        select(func.max(Document.id)).where(*mine, Document.id < document.id, Document.state.in_(LABEL_STATES))
    )
    after, why, left = next_of(session, document.type_id, person_id, besides=document.id)
    return Near(before, after, why, left)


def next_of(
    session: Session, type_id: int | None, person_id: int, *, besides: int | None = None
) -> tuple[int | None, str, int]:
    """The next sample for a person, why that one, and how many wait. Papers given to two labellers come only to
    them, before all others; those each has finished don't come again."""
    given = exists().where(Assignment.document_id == Document.id)
    to_me = exists().where(
        Assignment.document_id == Document.id, Assignment.person_id == person_id, Assignment.done_at.is_(None)
    )
    rows = session.execute(
        select(Document.id, Document.layout_group_id, Document.model_confidence, to_me.label("to_me"))
        .where(
            Document.type_id == type_id,
            Document.purpose == Purpose.SAMPLE,
            Document.state.in_(OPEN_SAMPLE_STATES),
            Document.id != (besides or 0),
            to_me | ~given,
        )
        .order_by(Document.id)
    ).all()
    if not rows:
        return None, "", 0
    for row in rows:
        if row.to_me:
            return row.id, "it was given to you and another person for double labelling", len(rows)
    row_type = session.scalar(select(Document).where(Document.id == rows[0].id))
    if row_type is not None and row_type.placed_type.labelling.get("order") == "in order":
        after = next((row.id for row in rows if besides is not None and row.id > besides), rows[0].id)
        return after, "it is the next in order", len(rows)
    chosen = teaches_most(
        [_waiting(row.id, row.layout_group_id, row.model_confidence) for row in rows], *_taught(session, type_id)
    )
    return chosen.paper, chosen.why, len(rows)


def _waiting(paper: int, group: int | None, model_confidence: dict[str, object]) -> Waiting:
    sure = model_confidence.get("sure")
    found = model_confidence.get("found")
    return Waiting(
        paper,
        group,
        float(sure) if isinstance(sure, int | float) else None,
        str(model_confidence.get("least", "")),
        tuple(map(str, found)) if isinstance(found, list) else (),
    )


def _taught(
    session: Session, type_id: int | None
) -> tuple[dict[int | None, int], dict[str, int], dict[int | None, str]]:
    """Labelled training papers by layout, labels with a value by field name, and the names of layouts."""
    labelled = (
        Document.type_id == type_id,
        Document.purpose == Purpose.SAMPLE,
        Document.state == DocumentState.LABELLED,
        Document.set_name == SetName.TRAIN,
    )
    by_layout: Counter[int | None] = Counter(session.scalars(select(Document.layout_group_id).where(*labelled)))
    fields: dict[str, int] = {
        name: count
        for name, count in session.execute(
            select(Field.name, func.count(func.distinct(Document.id)))
            .outerjoin(Label, (Label.field_id == Field.id) & Label.absent.is_(False))
            .outerjoin(Document, (Document.id == Label.document_id) & labelled[2] & labelled[3])
            .where(Field.type_id == type_id, ~Field.key.contains("."), Field.kind.in_(("value", "clause")))
            .group_by(Field.id, Field.name)
        )
    }
    names: dict[int | None, str] = {
        number: name
        for number, name in session.execute(
            select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == type_id)
        )
    }
    return dict(by_layout), fields, names


def judge(store: Store, document_id: int, versions: LoadedVersions) -> None:
    """Keep how sure the newest version is of a sample that waits to be labelled."""
    with store.session() as session:
        document = session.get(Document, document_id)
        if document is None or document.purpose != Purpose.SAMPLE or document.state not in OPEN_SAMPLE_STATES:
            return
        version = newest_version(session, document.type_id)
        if version is None or version.file_key is None:
            return
        names: dict[str, str] = dict(
            session.execute(select(Field.key, Field.name).where(Field.type_id == document.type_id)).all()
        )
        decided = [
            (one, sure)
            for one, sure in versions.decide(store, version.file_key, pages_of(session, document_id))
            if sure is not None
        ]
        if not decided:
            return
        least = min(decided, key=lambda one: one[1])
        document.model_confidence = {
            "version": version.number,
            "sure": round(sum(sure for _, sure in decided) / len(decided), 4),
            "least": names.get(least[0].field, least[0].field),
            "found": [names.get(one.field, one.field) for one, _ in decided if not one.absent],
        }


def first_to_label(store: Store, type_id: int, person_id: int) -> tuple[int | None, str]:
    """The sample to begin with, and why."""
    with store.session() as session:
        paper, why, _ = next_of(session, type_id, person_id)
        return paper, why
