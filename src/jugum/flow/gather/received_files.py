"""Files as they were received: known by their bytes, kept once in a workspace, and counted against its room."""

from __future__ import annotations

from sqlalchemy import func, select, text
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from jugum.errors import StorageFull
from jugum.store import Store
from jugum.store.models import Document, SourceFile, Workspace


def twin_of(session: Session, workspace_id: int, key: str) -> Document | None:
    """The first paper of a workspace with the bytes of a key. Two at once must not both find nobody: from here to the
    end of its transaction, the second waits."""
    session.execute(text("SELECT pg_advisory_xact_lock(hashtext(:key))"), {"key": f"{workspace_id}:{key}"})
    there = select(Document).join(SourceFile, Document.source_file_id == SourceFile.id)
    its = there.where(SourceFile.workspace_id == workspace_id, SourceFile.sha256 == key)
    return session.scalar(its.order_by(Document.id).limit(1))


def check_room(store: Store, session: Session, workspace_id: int, size: int) -> None:
    """StorageFull when a file of `size` bytes is more than a workspace may still hold."""
    most = store.settings.workspace_bytes_max
    if not most:
        return
    held = session.scalar(select(func.sum(SourceFile.bytes)).where(SourceFile.workspace_id == workspace_id)) or 0
    if held + size > most:
        name = session.scalar(select(Workspace.name).where(Workspace.id == workspace_id))
        raise StorageFull(
            f"“{name}” holds {held / 1e9:.1f} GB of files, and may hold {most / 1e9:.1f} GB. Remove papers that are "
            "not needed any more, or ask an administrator for more room."
        )


def source_file(session: Session, workspace_id: int, key: str, name: str, size: int) -> SourceFile:
    """The row of a file, made when the workspace has none of these bytes."""
    made = insert(SourceFile).values(workspace_id=workspace_id, sha256=key, name=name, bytes=size)
    session.execute(made.on_conflict_do_nothing(index_elements=["workspace_id", "sha256"]))
    file = session.scalar(select(SourceFile).where(SourceFile.workspace_id == workspace_id, SourceFile.sha256 == key))
    assert file is not None
    return file
