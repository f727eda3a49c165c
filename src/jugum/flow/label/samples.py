"""What a version is trained from: labelled papers in core's words, their layers where the plan has marks, and what
an office says of names."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from sqlalchemy import ColumnElement, select
from sqlalchemy.orm import Session

from jugum.core.extraction.candidates.samples import LookedAt, Sample, SampleLabel
from jugum.core.extraction.candidates.synonyms import Groups, groups_from, shipped_groups
from jugum.core.extraction.parts import marks_of
from jugum.core.extraction.untrained.reading import needs_picture
from jugum.core.page import Box
from jugum.core.schema import Plan
from jugum.core.states import SETTLED_STATES, DocumentState, Purpose, SetName
from jugum.core.structure import Structures
from jugum.flow.gather.explore import Explorer, LoadedPaper, load_paper
from jugum.flow.gather.pages import pages_of
from jugum.store import Store
from jugum.store.models import Document, Field, Label, Workspace


def is_reviewed() -> ColumnElement[bool]:
    """Whether a person has settled a live paper, or seen it as a whole, as a condition on documents."""
    done = Document.state.in_(SETTLED_STATES) | Document.seen_by.is_not(None)
    return (Document.purpose == Purpose.LIVE) & done & select(Label.id).where(Label.document_id == Document.id).exists()


def training_samples(session: Session, type_id: int, set_name: str = "train") -> list[Sample]:
    """Labelled samples of a set; with those of the training set also live papers that were settled or seen as a whole,
    with the fields a person looked at. What passed and nobody looked at is no label. Samples kept for testing or spare
    are never used: what is measured on them would be worth nothing."""
    samples = (
        (Document.purpose == Purpose.SAMPLE)
        & (Document.state == DocumentState.LABELLED)
        & (Document.set_name == set_name)
    )
    documents = session.scalars(
        select(Document)
        .where(
            Document.type_id == type_id,
            samples | is_reviewed() if set_name == SetName.TRAIN else samples,
            select(Label.id).where(Label.document_id == Document.id).exists(),
        )
        .order_by(Document.id)
    ).all()
    return label_samples(session, documents)


def label_samples(session: Session, documents: Sequence[Document]) -> list[Sample]:
    """Papers with their labels, in core's words."""
    types = {document.type_id for document in documents}
    keys = dict(session.execute(select(Field.id, Field.key).where(Field.type_id.in_(types))).all())
    return [
        Sample(
            str(document.id), pages_of(session, document.id), _labels(session, document.id, keys), _looked_at(document)
        )
        for document in documents
    ]


def _looked_at(document: Document) -> LookedAt:
    if document.purpose == Purpose.SAMPLE:
        return LookedAt.LABELLED
    return LookedAt.REVIEWED_WHOLE if document.seen_by is not None else LookedAt.HELD_VALUES


def _labels(session: Session, document_id: int, keys: dict[int, str]) -> dict[str, tuple[SampleLabel, ...]]:
    """Labels by field key; of a table's columns one for each of its rows, an empty text for an empty cell."""
    said: dict[str, tuple[SampleLabel, ...]] = {}
    rows_of: dict[str, dict[int, SampleLabel]] = {}
    rows = session.scalars(
        select(Label).where(Label.document_id == document_id).order_by(Label.field_id, Label.position)
    )
    for row in rows:
        if row.field_id not in keys:
            continue
        if "." in keys[row.field_id]:
            rows_of.setdefault(keys[row.field_id], {})[row.position] = _sample_label(row)
            continue
        mine = said.get(keys[row.field_id], ())
        one = () if row.absent else (_sample_label(row),)
        said[keys[row.field_id]] = (*mine, *one)
    return said | _columns(rows_of)


def _columns(cells: dict[str, dict[int, SampleLabel]]) -> dict[str, tuple[SampleLabel, ...]]:
    counts: dict[str, int] = {}
    for key, its in cells.items():
        table = key.split(".")[0]
        counts[table] = max(counts.get(table, 0), max(its) + 1)
    empty = SampleLabel("", "")
    return {key: tuple(its.get(row, empty) for row in range(counts[key.split(".")[0]])) for key, its in cells.items()}


def _sample_label(row: Label) -> SampleLabel:
    more = tuple((page, Box(*box)) for page, box in row.more_places)
    printed = str(row.printed.get("text", "")) if row.printed else ""
    return SampleLabel(row.text, row.normal, row.page, Box(*row.box) if row.box else None, more, printed)


def papers_with_marks(session: Session, plan: Plan, samples: Sequence[Sample]) -> dict[str, LoadedPaper]:
    """Papers by sample key, where the plan has tick boxes, choices or signatures, so that their layers are needed;
    empty else."""
    if not needs_picture(marks_of(plan)):
        return {}
    return {sample.key: load_paper(session, session.get_one(Document, int(sample.key))) for sample in samples}


def layers_of(
    store: Store,
    explorer: Explorer,
    papers: Mapping[str, LoadedPaper],
    told: Callable[[int], None] = lambda done: None,
) -> dict[str, Structures]:
    """The layers of papers' pages by sample key; worked out from their files, with no transaction open. About half a
    second a page: `told` is called with how many papers are done."""
    found: dict[str, Structures] = {}
    for key, paper in papers.items():
        found[key] = paper.layers(store, explorer)
        told(len(found))
    return found


def synonyms_in(session: Session, workspace_id: int) -> Groups:
    """The shipped groups of printed names, and the office's own."""
    workspace = session.get_one(Workspace, workspace_id)
    return (*shipped_groups(), *groups_from(workspace.synonyms))


def layout_groups_of(session: Session, ids: Sequence[int]) -> dict[str, int]:
    """The layout of each paper by its key; a paper without one is its own."""
    rows = session.execute(select(Document.id, Document.layout_group_id).where(Document.id.in_(ids)))
    return {str(number): group if group is not None else -number for number, group in rows}
