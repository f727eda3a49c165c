"""What another version would read otherwise on live papers, and reading papers again with it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.extraction.found import Found
from jugum.core.schema import FieldKind
from jugum.core.states import WAITING_LIVE, By, DocumentState, Purpose
from jugum.core.thresholds import DraftedField
from jugum.core.values import ValueType, same_value
from jugum.errors import Conflict, InputError
from jugum.flow.gather.explore import Explorer, load_paper
from jugum.flow.gather.read import document_row
from jugum.flow.in_force import LoadedVersions, version_row
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, Actor, record
from jugum.flow.plan.fields import plan_in, plan_of
from jugum.flow.review.draft import DraftInput, drafted_fields
from jugum.flow.review.records import context_of
from jugum.flow.states import change_state
from jugum.flow.worked_on import is_worked_on
from jugum.store import Store
from jugum.store.masked import MASKED
from jugum.store.models import Document, Field, Reading
from jugum.store.queue import Task, enqueue

AGAIN_MAX = 500  # papers read again at once


@dataclass(frozen=True)
class Change:
    """A value that another version reads otherwise: what was read, what would be, with its confidence; "" stands for
    nothing."""

    field: str
    name: str
    before: str
    after: str
    confidence: float | None


@dataclass(frozen=True)
class Changes:
    """A paper under another version. `begun` papers are in a person's hands or done, so they are not read again."""

    document: int
    name: str
    state: str
    begun: bool
    values: int
    changed: list[Change]


def papers_to_try(store: Store, type_id: int, count: int = 20) -> list[int]:
    """The newest live papers of a type that a version has read."""
    with store.session() as session:
        found = session.scalars(
            select(Document.id)
            .where(Document.type_id == type_id, Document.purpose == Purpose.LIVE, Document.version_id.is_not(None))
            .order_by(Document.id.desc())
            .limit(count)
        )
        return list(found)


def changes(store: Store, versions: LoadedVersions, explorer: Explorer, version_id: int, document_id: int) -> Changes:
    """What a version reads otherwise on a live paper than what was read of it; nothing is saved."""
    with store.session() as session:
        version = version_row(session, version_id)
        document = document_row(session, document_id)
        if version.file_key is None or document.type_id != version.type_id:
            raise InputError(
                f"Version {version.number} can't read “{document.name}”: it has another type, or the version is "
                "not trained."
            )
        plan = plan_of(document)
        context = context_of(session, document, plan)
        given = DraftInput(load_paper(session, document), plan, context, version, version.file_key, None)
        before: dict[int, list[Reading]] = {}
        for reading in session.scalars(
            select(Reading)
            .where(Reading.document_id == document_id, Reading.version_id == document.version_id)
            .order_by(Reading.position)
        ):
            before.setdefault(reading.field_id, []).append(reading)
        begun = _begun(session, document)
    now = drafted_fields(store, explorer, given, versions, given.together(store, versions))
    found, judged = [], 0
    for field in document.placed_type.fields:
        is_read = field.id in before or field.key in now
        if field.kind in (FieldKind.TABLE.value, FieldKind.DERIVED.value) or not is_read:
            continue
        judged += 1
        kind = plan.field(field.key).value_type
        change = _change(field, kind, before.get(field.id, []), now.get(field.key))
        if change is not None:
            found.append(change)
    return Changes(document_id, document.name, document.state, begun, judged, found)


def _change(field: Field, kind: ValueType, before: Sequence[Reading], now: DraftedField | None) -> Change | None:
    """What is read otherwise of a field; None where it is the same."""
    old = [value.normal for value in before if not value.absent]
    new = [value.normal for value in _values(now) if value]
    if len(old) == len(new) and all(same_value(a, b, kind) for a, b in zip(old, new, strict=True)):
        return None
    confidence = now.confidence if now else None
    return Change(field.key, field.name, "; ".join(old)[:200], "; ".join(new)[:200], confidence)


def masked(store: Store, found: Changes) -> Changes:
    """The same without personal values, for who may not see them."""
    with store.session() as session:
        fields = {field.key: field for field in plan_in(document_row(session, found.document).placed_type).fields}
    hidden = [
        replace(change, before=change.before and MASKED, after=change.after and MASKED)
        if fields[change.field].personal
        else change
        for change in found.changed
    ]
    return replace(found, changed=hidden)


def _values(one: DraftedField | None) -> Sequence[Found | None]:
    return one.values if one else ()


def _begun(session: Session, document: Document) -> bool:
    return document.state not in WAITING_LIVE or is_worked_on(session, document)


def read_again(store: Store, actor: Actor, version_id: int, documents: Sequence[int]) -> int:
    """Queue reading of live papers with a version, whichever is live; returns how many. Papers that a person has
    begun are left alone."""
    actor.require(PLAN)
    if len(documents) > AGAIN_MAX:
        raise InputError(f"{len(documents)} papers are too many to read again at once; choose at most {AGAIN_MAX}.")
    with store.session() as session:
        version = version_row(session, version_id)
        if version.file_key is None:
            raise Conflict(f"Version {version.number} is {version.state}; it can't read papers.")
        count = 0
        for number in dict.fromkeys(documents):
            document = document_row(session, number)
            if document.type_id != version.type_id or document.purpose != Purpose.LIVE:
                raise InputError(f"“{document.name}” is not a live paper of this type.")
            if not _begun(session, document):
                if document.state == DocumentState.PASSED:
                    change_state(document, DocumentState.DRAFTED, By.PERSON)
                enqueue(
                    session,
                    Task.DRAFT_DOCUMENT,
                    priority=15,
                    lock=f"document-{number}",
                    document_id=number,
                    version_id=version_id,
                )
                count += 1
        record(session, actor, Action.READ_AGAIN, "model_version", version_id, papers=count)
        return count
