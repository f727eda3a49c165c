"""Suspicious labels: where the data type, a check, the reading or the model speaks against what a person said."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session, undefer

from jugum.core.schema import CheckOutcome, Context, judge, text_problem
from jugum.core.states import DocumentState, Method, Purpose
from jugum.core.values import normal_form, same_value
from jugum.errors import NotFound
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import LabelMetadata, field_row, labelled_now, value_of, write_labels
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import LABEL, Actor, record
from jugum.flow.office.personal import is_hidden, shown
from jugum.flow.office.types import type_row
from jugum.flow.plan.checks import lists_in
from jugum.flow.plan.fields import plan_of, value_type_of
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, KeptLabel, Label, ModelVersion

CONFIDENT = 0.8  # of a model, out of fold, to speak against a label
SHOWN_MAX = 200
REASONS = ("the model disagrees", "can't be read as its data type", "a check fails", "box and value differ")


@dataclass(frozen=True)
class Suspect:
    """A label that something speaks against: `instead` is what that something says, when it says a value. `page` and
    `box` are where the label stands."""

    document: int
    revision: int
    name: str
    field: str
    field_name: str
    reason: str
    detail: str
    text: str
    instead: str
    page: int | None
    box: list[float] | None
    who: str


def suspects(store: Store, type_id: int) -> list[Suspect]:
    """Suspicious labels of labelled samples that nobody has looked at and kept, those the model is surest about
    first."""
    with store.session() as session:
        row = type_row(session, type_id)
        documents = {
            paper.id: paper
            for paper in session.scalars(
                select(Document).where(
                    Document.type_id == type_id,
                    Document.purpose == Purpose.SAMPLE,
                    Document.state == DocumentState.LABELLED,
                )
            )
        }
        labels = _labels(session, list(documents))
        against = _model_against(session, type_id)
        kept = {
            (label.document_id, label.field_id, label.reason): label.text
            for label in session.scalars(select(KeptLabel).join(Document).where(Document.type_id == type_id))
        }
        found = []
        for number, document in documents.items():
            for suspect in _of_document(session, row, document, labels.get(number, {}), against):
                field = next(planned for planned in row.fields if planned.key == suspect.field)
                if kept.get((number, field.id, suspect.reason)) != suspect.text:
                    found.append(suspect)
        found.sort(key=lambda one: (REASONS.index(one.reason), one.document))
        return [_shown(suspect) for suspect in found[:SHOWN_MAX]]


def _shown(one: Suspect) -> Suspect:
    """Without its values, for who may not see them."""
    if not is_hidden(one.field):
        return one
    return replace(one, text=shown(one.text, one.field), instead=shown(one.instead, one.field), detail="")


def _labels(session: Session, ids: Sequence[int]) -> dict[int, dict[int, list[Label]]]:
    """document → field → labels."""
    found: dict[int, dict[int, list[Label]]] = defaultdict(lambda: defaultdict(list))
    for label in session.scalars(
        select(Label).where(Label.document_id.in_(ids)).order_by(Label.document_id, Label.position)
    ):
        found[label.document_id][label.field_id].append(label)
    return found


def _model_against(session: Session, type_id: int) -> dict[tuple[int, str], dict[str, Any]]:
    """(document, field) → what the newest trained version found out of fold, surely and otherwise than labelled."""
    version = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None))
        .order_by(ModelVersion.number.desc())
        .limit(1)
        .options(undefer(ModelVersion.evidence))
    )
    rows = version.evidence if version else []
    return {
        (int(row["sample"]), row["field"]): row
        for row in rows
        if not row["right"] and not row["unseen"] and row["confidence"] >= CONFIDENT
    }


def _of_document(
    session: Session,
    row: DocumentType,
    document: Document,
    labels: Mapping[int, list[Label]],
    against: Mapping[tuple[int, str], dict[str, Any]],
) -> list[Suspect]:
    plan = plan_of(document)
    by_key = {field.key: field for field in row.fields}
    names: dict[int, str] = {}
    found: list[Suspect] = []

    def suspect(field: Field, label: Label, reason: str, detail: str, instead: str = "") -> None:
        if not any(suspect.field == field.key and suspect.reason == reason for suspect in found):
            found.append(
                Suspect(
                    document.id,
                    document.revision,
                    document.name,
                    field.key,
                    field.name,
                    reason,
                    detail,
                    label.text or "not on this paper",
                    instead,
                    label.page,
                    label.box,
                    names.get(label.person_id, ""),
                )
            )

    for key, field in by_key.items():
        kind = value_type_of(field, document)
        for label in labels.get(field.id, []):
            if label.absent:
                continue
            problem = text_problem(plan.field(key), label.text) if field.kind == "value" else None
            if problem is not None:
                suspect(field, label, "can't be read as its data type", problem.detail)
            read = normal_form(label.ocr_text, kind) if label.ocr_text else None
            if read is not None and field.kind == "value" and not same_value(read, label.normal, kind):
                suspect(field, label, "box and value differ", f"“{label.ocr_text}” was read there", label.ocr_text)
        said = against.get((document.id, key))
        mine = labels.get(field.id, [])
        if said is not None and mine and said["expected"] == "; ".join(mark.normal for mark in mine if not mark.absent):
            detail = (
                f"{100 * said['confidence']:.0f} % sure of “{said['found'] or 'not on this paper'}”, trained without "
                "this paper"
            )
            suspect(field, mine[0], "the model disagrees", detail, said["found"])
    for key, detail in _failing(session, row, document, labels).items():
        mine = labels.get(by_key[key].id, [])
        if mine:
            suspect(by_key[key], mine[0], "a check fails", detail)
    return found


def _failing(
    session: Session, row: DocumentType, document: Document, labels: Mapping[int, list[Label]]
) -> dict[str, str]:
    """Field key → what its failing checks say; a check is told on the first labelled field it names."""
    plan = plan_of(document)
    if not plan.checks:
        return {}
    texts: dict[str, list[str | None]] = {}
    for field in row.fields:
        values: list[str | None] = []
        for label in labels.get(field.id, []):
            if not label.absent:
                values.extend([None] * (label.position - len(values)))
                values.append(label.text)
        texts[field.key] = values
    context = Context(document.received_at.date(), lists_in(session, row.workspace_id))
    found: dict[str, str] = {}
    for judgement in judge(plan, texts, context):
        if judgement.outcome is CheckOutcome.FAILS:
            keys = [key.split(".", 1)[0] for key in judgement.fields]
            first = next((key for key in keys if texts.get(key)), keys[0] if keys else "")
            if first:
                found[first] = f"{found[first]}; {judgement.said}" if first in found else judgement.said
    return found


def failing_checks(session: Session, document: Document) -> dict[str, str]:
    """What the plan's checks say of a paper's labels as they are now: field key → what fails."""
    return _failing(session, document.placed_type, document, _labels(session, [document.id]).get(document.id, {}))


def keep(store: Store, actor: Actor, document_id: int, key: str, reason: str, *, revision: int | None = None) -> int:
    """A person looked at a suspicious label and keeps it: it is not asked about for this reason again while it says
    the same. Returns the paper's revision."""
    actor.require(LABEL)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        field = field_row(document, key)
        label = session.scalar(
            select(Label).where(Label.document_id == document_id, Label.field_id == field.id).order_by(Label.position)
        )
        if label is None:
            raise NotFound(f"{field.name} of “{document.name}” has no label any more.")
        session.execute(
            delete(KeptLabel).where(
                KeptLabel.document_id == document_id, KeptLabel.field_id == field.id, KeptLabel.reason == reason
            )
        )
        text = label.text or "not on this paper"
        session.add(KeptLabel(document_id=document_id, field_id=field.id, reason=reason, text=text, person_id=actor.id))
        record(
            session,
            actor,
            Action.KEEP_LABEL,
            "document",
            document_id,
            field=key,
            after=[text],
            method=f"kept though {reason}",
        )
        return document.revision


def mend(store: Store, actor: Actor, document_id: int, key: str, text: str, *, revision: int | None = None) -> int:
    """Put what speaks against a suspicious label in its place: at the label's own place when that says so, else
    without one. Returns the paper's revision."""
    actor.require(LABEL)
    with store.session() as session:
        document = labelled_now(session, document_id, revision)
        row = field_row(document, key)
        before = session.scalars(
            select(Label).where(Label.document_id == document_id, Label.field_id == row.id).order_by(Label.position)
        ).all()
        kind = value_type_of(row, document)
        said = [value_of(label, kind, {}) for label in before if not label.absent]
        first = said[0] if said else None
        there = (
            first is not None and bool(first.ocr_text) and normal_form(first.ocr_text, kind) == normal_form(text, kind)
        )
        box = tuple(first.box) if there and first is not None and first.box else None
        given = [ValueInput(text, first.page if box and first else None, (), box)] if text else []  # type: ignore[arg-type]
        write_labels(
            session,
            actor,
            document,
            row,
            given,
            absent=not text,
            method=LabelMetadata(Method.MARKED if box else Method.TYPED),
        )
        document.revision += 1
        record(
            session,
            actor,
            Action.LABEL,
            "document",
            document_id,
            field=key,
            before=[label.text for label in before],
            after=[text],
            absent=not text,
            method="mended",
        )
        return document.revision
