"""A version file is tried on a paper before anybody may rely on it: in a process of its own, which a damaged one
ends."""

from __future__ import annotations

from dataclasses import dataclass

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.evaluation.report_model import Report
from jugum.core.page import Box, Page, Word
from jugum.core.schema import Plan, field_from
from jugum.core.training.confidence import EvidenceRow
from jugum.errors import InputError
from jugum.flow.gather.pages import pages_of
from jugum.store import Store
from jugum.store.models import Document, PageRow

PAGES_MOST = 3  # of the paper it is tried on
EVIDENCE = TypeAdapter(list[EvidenceRow])


@dataclass(frozen=True)
class TriedVersion:
    """What a version file that has read a paper says of itself."""

    plan: Plan
    labels_sha256: str
    report: Report | None
    evidence: list[EvidenceRow]


def try_version(store: Store, type_id: int, name: str, data: bytes, *, judged: bool = False) -> TriedVersion:
    """Let a version read a paper of its type, or a made-up page where none is read yet. With `judged`, its report and
    evidence are wanted, too. InputError for one that is damaged."""
    with store.session() as session:
        pages = _paper_to_try(session, type_id)
    said = store.parsers.tried_version(data, name, pages, judged=judged)
    try:
        plan = Plan(tuple(field_from(field) for field in said["plan"]))
        evidence = EVIDENCE.validate_python(said["evidence"])
        return TriedVersion(plan, str(said["labels_sha256"]), Report.from_data(said["report"]), evidence)
    except (KeyError, TypeError, ValueError) as error:
        raise InputError(f"“{name}” is damaged: its parts don't fit together. Export it again.") from error


def _paper_to_try(session: Session, type_id: int) -> list[Page]:
    read = (
        select(Document.id)
        .join(PageRow, PageRow.document_id == Document.id)
        .where(Document.type_id == type_id, PageRow.word_count > 0)
        .order_by(Document.id.desc())
        .limit(1)
    )
    document_id = session.scalar(read)
    if document_id is not None:
        return list(pages_of(session, document_id)[:PAGES_MOST])
    words = ["Date:", "01.02.2026", "Total", "1,250.00", "Name", "Ada", "Berg"]
    return [Page(1, 595, 842, tuple(_word(text, number) for number, text in enumerate(words)))]


def _word(text: str, number: int) -> Word:
    return Word(text, Box(0.1 + 0.12 * number, 0.2, 0.2 + 0.12 * number, 0.22))


__all__ = ["TriedVersion", "try_version"]
