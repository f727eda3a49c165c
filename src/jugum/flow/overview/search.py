"""What the palette finds: types, papers, fields, values and people by a part of their name or text."""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.states import DONE_STATES, LABEL_STATES, DocumentState, Purpose
from jugum.flow.office.actor import ADMINISTER, Actor
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Person, Result

FEW = 5  # of what there is little of, or much that looks alike
LEAST = 2  # letters that are looked for


@dataclass(frozen=True)
class SearchHit:
    """Something the palette can go to: what it is called, what it is, and its address."""

    kind: str
    label: str
    detail: str
    address: str


def search(store: Store, actor: Actor, words: str, *, limit: int = 12) -> list[SearchHit]:
    """Types and fields by name, papers by name (the newest first), values of done papers by their text or normal form,
    and people for who may see them. Values of personal fields are found only by who may see these."""
    words = words.strip()[:120]
    if len(words) < LEAST:
        return []
    with store.session() as session:
        return [
            *_types(session, words),
            *_papers(session, words, limit),
            *_fields(session, words),
            *_values(session, actor, words),
            *(_people(session, words) if actor.can(ADMINISTER) else []),
        ]


def _types(session: Session, words: str) -> list[SearchHit]:
    rows = session.scalars(select(DocumentType).where(DocumentType.name.icontains(words, autoescape=True)).limit(FEW))
    return [SearchHit("type", row.name, f"type of {row.workspace.name}", f"/types/{row.id}/gather") for row in rows]


def _papers(session: Session, words: str, limit: int) -> list[SearchHit]:
    rows = session.scalars(
        select(Document)
        .where(Document.name.icontains(words, autoescape=True))
        .order_by(Document.id.desc())
        .limit(limit)
    )
    return [SearchHit("paper", row.name, f"{row.purpose}, {row.state}", _address(row)) for row in rows]


def _address(document: Document) -> str:
    """Where a paper is looked at: on its desk where it has one, else its pages as they were read."""
    if document.purpose == Purpose.SAMPLE and document.state in LABEL_STATES:
        return f"/label/{document.id}"
    if document.state in (DocumentState.HELD, *DONE_STATES):
        return f"/look/{document.id}"
    return f"/documents/{document.id}/explore"


def _fields(session: Session, words: str) -> list[SearchHit]:
    rows = session.execute(
        select(Field.name, DocumentType.id, DocumentType.name)
        .join(DocumentType, Field.type_id == DocumentType.id)
        .where(Field.name.icontains(words, autoescape=True))
        .order_by(Field.type_id, Field.position)
        .limit(FEW)
    )
    return [SearchHit("field", name, f"field of {type_}", f"/types/{type_id}/plan") for name, type_id, type_ in rows]


def _values(session: Session, actor: Actor, words: str) -> list[SearchHit]:
    has = Result.text.icontains(words, autoescape=True) | Result.normal.icontains(words, autoescape=True)
    query = (
        select(Result.text, Field.key, Field.name, Document.id, Document.name)
        .join(Field, Result.field_id == Field.id)
        .join(Document, Result.document_id == Document.id)
        .where(has, Document.state.in_(DONE_STATES))
        .order_by(Result.id.desc())
        .limit(FEW)
    )
    if not actor.sees_personal:
        query = query.where(Field.personal.is_(False))
    return [
        SearchHit("value", text, f"{field} of {paper}", f"/look/{document}?field={key.split('.')[0]}")
        for text, key, field, document, paper in session.execute(query)
    ]


def _people(session: Session, words: str) -> list[SearchHit]:
    has = Person.name.icontains(words, autoescape=True) | Person.login.icontains(words, autoescape=True)
    rows = session.scalars(select(Person).where(has).order_by(Person.name).limit(FEW))
    return [SearchHit("person", row.name, row.role, "/people") for row in rows]
