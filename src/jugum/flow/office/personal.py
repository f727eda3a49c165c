"""What of a type is hidden from who may not see personal values. A request's scope knows whether its actor may."""

from __future__ import annotations

from typing import Any

from sqlalchemy import CompoundSelect, select, union
from sqlalchemy.orm import Session, aliased, object_session

from jugum.errors import Forbidden
from jugum.store import Store
from jugum.store.masked import MASKED
from jugum.store.models import Document, DocumentType, Field, RemovedField
from jugum.store.scope import Scope, hidden_keys, is_masked, seeing


def _personal(column: str) -> CompoundSelect[Any]:
    """A column of the personal fields, and of those that were removed: papers and reports still know them."""
    there = aliased(Field)
    again = select(there.id).where(there.type_id == RemovedField.type_id, there.key == RemovedField.key).exists()
    removed = select(getattr(RemovedField, column)).where(RemovedField.personal, ~again)
    return union(select(getattr(Field, column)).where(Field.personal), removed)


def personal_keys(store: Store, scope: Scope) -> frozenset[str]:
    """Keys of the personal fields in a scope."""
    with seeing(scope), store.session() as session:
        return frozenset(session.scalars(_personal("key")))


def is_hidden(key: str) -> bool:
    """Whether values of a field are hidden here; a table's columns are with it."""
    hidden = hidden_keys()
    return key in hidden or key.split(".", 1)[0] in hidden


def shown(text: str, key: str) -> str:
    """A value of a field, or what stands for it where it is hidden."""
    return MASKED if text and is_hidden(key) else text


def private_note(note: str) -> str:
    """A text that came with a paper, such as a mail: nobody knows what is in it."""
    return MASKED if note and is_masked() else note


def has_personal(row: DocumentType) -> bool:
    """Whether papers of a type have personal values."""
    session = object_session(row)
    assert session is not None
    return row.id in set(session.scalars(_personal("type_id")))


def must_see_all(row: DocumentType, what: str) -> None:
    """Forbidden for who may not see personal values where a type has some: of what can't be masked."""
    if is_masked() and has_personal(row):
        raise Forbidden(f"{what} would hold personal values, which your sign-in may not see. Ask an administrator.")


def shows_personal(session: Session, document: Document) -> bool:
    """Whether a paper, or one that it came from or that came from it, is of a type with personal values; one without a
    type may be of any of its workspace."""
    personal = set(session.scalars(_personal("type_id")))
    if not personal:
        return False
    if document.type_id is None:
        its = select(DocumentType.id).where(DocumentType.workspace_id == document.workspace_id)
        return bool(personal & set(session.scalars(its)))
    return bool(
        personal & set(session.scalars(select(Document.type_id).where(Document.id.in_(_family(session, document)))))
    )


def _family(session: Session, document: Document) -> list[int]:
    """Ids of the paper's first container and of all that was taken out of it."""
    root = document
    while root.parent_id is not None and (above := session.get(Document, root.parent_id)) is not None:
        root = above
    inside = select(Document.id).where(Document.id == root.id).cte("inside", recursive=True)
    part = aliased(Document)
    inside = inside.union(select(part.id).join(inside, part.parent_id == inside.c.id))
    return list(session.scalars(select(inside.c.id)))
