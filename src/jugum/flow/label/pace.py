"""Figures of labelling: labels by field and by how they came, papers an hour, seconds a value, suggestions agreed."""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass

from sqlalchemy import func, select

from jugum.core.evaluation.pace import Pace, median_of, papers_an_hour
from jugum.core.states import Method, Purpose
from jugum.flow.office.actions import Action
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import Audit, Document, Field, Label

ACTIONS = (Action.LABEL, Action.FINISH_LABELLING, Action.FINISH_BLIND)


@dataclass(frozen=True)
class FieldLabels:
    """Papers whose label has a value for a field, and papers it is not on; by how the values came."""

    key: str
    name: str
    values: int
    absent: int
    ways: dict[str, int]


@dataclass(frozen=True)
class LabellingFigures:
    """`hand_seconds` and `agreed_seconds` are medians of a value by hand and by agreement (None: none was timed), of
    so many."""

    fields: list[FieldLabels]
    ways: dict[str, int]
    hand_seconds: float | None
    hand_timed: int
    agreed_seconds: float | None
    agreed_timed: int
    agreed: int
    suggested: int
    pace: Pace


def figures(store: Store, type_id: int) -> LabellingFigures:
    with store.session() as session:
        row = type_row(session, type_id)
        of_type = (Label.field_id == Field.id, Field.type_id == type_id, Document.purpose == Purpose.SAMPLE)
        counted = session.execute(
            select(Field.id, Label.absent, Label.method, func.count(func.distinct(Label.document_id)))
            .select_from(Label)
            .join(Field, Label.field_id == Field.id)
            .join(Document, Label.document_id == Document.id)
            .where(*of_type)
            .group_by(Field.id, Label.absent, Label.method)
        ).all()
        values: dict[int, int] = defaultdict(int)
        absent: dict[int, int] = defaultdict(int)
        ways: dict[int, dict[str, int]] = defaultdict(lambda: defaultdict(int))
        for field_id, is_absent, how, count in counted:
            (absent if is_absent else values)[field_id] += count
            ways[field_id][how] += count
        timed = session.execute(
            select(Label.method, Label.seconds)
            .select_from(Label)
            .join(Field, Label.field_id == Field.id)
            .where(Field.type_id == type_id, Label.seconds.is_not(None))
        ).all()
        by_hand = [seconds for how, seconds in timed if seconds is not None and how in (Method.MARKED, Method.TYPED)]
        by_agreement = [seconds for how, seconds in timed if seconds is not None and how == Method.AGREED]
        corrected = session.scalar(
            select(func.count(Label.id)).join(Field).where(Field.type_id == type_id, Label.corrected.is_(True))
        )
        totals: dict[str, int] = defaultdict(int)
        for its in ways.values():
            for method, count in its.items():
                totals[method] += count
        acts = session.execute(
            select(Audit.person_id, Audit.created_at, Audit.action)
            .join(Document, Audit.object_id == Document.id)
            .where(
                Audit.object_kind == "document",
                Audit.action.in_(ACTIONS),
                Document.type_id == type_id,
                Audit.person_id.is_not(None),
            )
        ).all()
        pace = papers_an_hour([(person or 0, at.timestamp(), action != "label") for person, at, action in acts])
        shown = [field for field in row.fields if "." not in field.key and field.kind in ("value", "clause")]
        agreed = totals.get("agreed", 0)
        return LabellingFigures(
            [FieldLabels(f.key, f.name, values[f.id], absent[f.id], dict(ways[f.id])) for f in shown],
            dict(totals),
            median_of(by_hand),
            len(by_hand),
            median_of(by_agreement),
            len(by_agreement),
            agreed,
            agreed + (corrected or 0),
            pace,
        )
