"""Files that no row names any more: left by work that was killed between a file and its row, or by papers removed."""

from __future__ import annotations

import time
from itertools import islice

import structlog
from sqlalchemy import select

from jugum.store import Store
from jugum.store.models import ClassifierVersion, Delivery, Document, ModelVersion, PageRow, SourceFile

OLD_SECONDS = 24 * 3600.0  # a file without a row may be one whose row is just being written
AT_ONCE = 500
log = structlog.get_logger()
NAMED_BY = (
    SourceFile.sha256,
    Document.reading_key,
    PageRow.view_key,
    ModelVersion.file_key,
    ClassifierVersion.file_key,
    Delivery.file_key,
)


def collect(store: Store, old_seconds: float = OLD_SECONDS) -> int:
    """Remove files older than a day that nothing names; returns how many."""
    removed = 0
    keys_before = store.files.keys_before(time.time() - old_seconds)
    while keys := list(islice(keys_before, AT_ONCE)):
        with store.session() as session:
            named = {key for column in NAMED_BY for key in session.scalars(select(column).where(column.in_(keys)))}
        for key in set(keys) - named:
            store.files.remove(key)
            removed += 1
    if removed:
        log.info("files that nothing names any more are removed", files=removed)
    return removed
