"""Reading papers by their plan alone: what the plan's sample shows, what labelling begins with, and what no model
reads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.extraction.found import Finding, Found
from jugum.core.extraction.untrained.guesses import Proposal
from jugum.core.extraction.untrained.proposals import proposals
from jugum.core.extraction.untrained.proposed_tables import table_from_region
from jugum.core.extraction.untrained.reading import needs_picture, read_untrained
from jugum.core.page import Box
from jugum.core.schema import CheckOutcome, Context, FieldKind, FieldPlan, Plan, derive, field_data, judge
from jugum.core.schema.plan_file import check_from
from jugum.core.states import LABEL_STATES, DocumentState, Purpose
from jugum.core.structure import Structure
from jugum.core.values import date_order, delivered
from jugum.errors import InputError
from jugum.flow.gather.explore import Explorer, LoadedPaper, load_paper, windows
from jugum.flow.gather.pages import page_of, page_rows
from jugum.flow.gather.read import document_row
from jugum.flow.office.types import type_row
from jugum.flow.plan.checks import lists_in
from jugum.flow.plan.fields import FieldInput, checked_field, plan_in, plan_of
from jugum.store import Store
from jugum.store.models import Document, DocumentType, Field, Label

SAMPLES_TRIED_MAX = 200
TEXT_SHOWN = 300


def findings(store: Store, explorer: Explorer, paper: LoadedPaper, plan: Plan) -> dict[str, Finding]:
    """What the plan alone finds on a paper; layers of pages are worked out only for a plan that needs pictures."""
    layers: list[Structure | None] = [None] * len(paper.rows)
    if needs_picture(plan):
        layers = list(paper.layers(store, explorer))
    return read_untrained(plan, paper.pages, layers)


# ---- The living sample -----------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class FoundView:
    """A value found on the sample: how it is printed, its normal form, how it would be delivered, where it stands
    and why it was taken."""

    text: str
    normal: str
    delivered: str
    page: int
    box: list[float]
    more_places: list[tuple[int, list[float]]]
    engine: str
    why: str
    score: float


@dataclass(frozen=True)
class FieldFound:
    """What was found for a field of the plan; a column's values are one per row (None: the cell is empty)."""

    key: str
    values: list[FoundView | None]
    others: list[FoundView]
    derived: list[str]


@dataclass(frozen=True)
class CheckOn:
    """What became of a check on the sample."""

    key: str
    outcome: str
    said: str
    fields: list[str]


@dataclass(frozen=True)
class PreviewSample:
    """The plan on one sample: fields with what is found, checks with what became of them. `pages` are the first and
    last page that was looked at: of a long sample those about the one in view."""

    document: int
    name: str
    fields: list[FieldFound]
    checks: list[CheckOn]
    problem: str = ""
    pages: tuple[int, int] = (1, 1)


def preview(
    store: Store,
    explorer: Explorer,
    type_id: int,
    document_id: int,
    drafted: FieldInput | None = None,
    key: str = "",
    page: int = 1,
) -> PreviewSample:
    """A type's plan on one of its samples, of which `page` is in view. `drafted` is a field as it is being typed: a
    new one, or, with `key`, what that one would become; its own mistakes are told in `problem`, and the sample shows
    the plan without it."""
    with store.session() as session:
        row, document = type_row(session, type_id), document_row(session, document_id)
        plan, problem = plan_of(document), ""
        context = _context(session, row, document)
        first, last = _in_view(document, page)
        paper = load_paper(session, document, range(first, last + 1))
    if drafted is not None:
        try:
            plan = _with_draft(plan, drafted, key)
        except InputError as error:
            problem = str(error)
    found = findings(store, explorer, paper, plan)
    texts = _texts(found)
    _, derived = derive(plan, texts, context)
    fields = [_field_found(field, found.get(field.key), derived.get(field.key, ())) for field in plan.fields]
    checks = [
        CheckOn(judgement.check.key, judgement.outcome.value, judgement.said, list(judgement.fields))
        for judgement in judge(plan, texts, context)
    ]
    return PreviewSample(document_id, document.name, fields, checks, problem, (first, last))


def _in_view(document: Document, page: int) -> tuple[int, int]:
    """First and last page of the part of a sample that a page belongs to."""
    parts = windows(document.page_count or 0) or [(1, 1)]
    return next((part for part in parts if part[0] <= page <= part[1]), parts[-1])


def _with_draft(plan: Plan, drafted: FieldInput, key: str) -> Plan:
    if key:
        before = plan.field(key)
        one = checked_field(
            {**drafted.data(key), "inside": before.inside if drafted.inside is None else drafted.inside}
        )
        one = replace(one, month_first=before.month_first) if one.month_first is None else one
        return replace(plan, fields=tuple(one if other.key == key else other for other in plan.fields))
    inside = drafted.inside or ""
    in_table = inside and plan.field(inside).kind is FieldKind.TABLE
    one = checked_field(drafted.data(f"{inside}.new_field" if in_table else "new_field"))
    return replace(plan, fields=(*plan.fields, one))


def _context(session: Session, row: DocumentType, document: Document) -> Context:
    return Context(document.received_at.date(), lists_in(session, row.workspace_id))


def _texts(found: Mapping[str, Finding]) -> dict[str, list[str | None]]:
    return {key: [value.text if value else None for value in finding.values] for key, finding in found.items()}


def _field_found(field: FieldPlan, finding: Finding | None, derived: Sequence[str]) -> FieldFound:
    values = [_view(field, value) if value else None for value in finding.values] if finding else []
    others = [_view(field, value) for value in finding.others[:5]] if finding else []
    return FieldFound(field.key, values, others, [delivered(value, field.data_type, field.output) for value in derived])


def _view(field: FieldPlan, value: Found) -> FoundView:
    return FoundView(
        value.text if field.kind is FieldKind.CLAUSE else value.text[:TEXT_SHOWN],
        value.normal[:TEXT_SHOWN],
        delivered(value.normal, field.data_type, field.output)[:TEXT_SHOWN],
        value.page,
        _rounded(value.box),
        [(page, _rounded(box)) for page, box in value.more_places],
        value.engine.value,
        value.why,
        value.score,
    )


def _rounded(box: Box) -> list[float]:
    return [round(v, 4) for v in box]


# ---- Trying a check --------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class FailedOn:
    document: int
    name: str
    said: str


@dataclass(frozen=True)
class Tried:
    """A check on the labelled samples of a type: on how many it holds, fails and can't be told, and which it fails
    on."""

    holds: int
    fails: int
    open: int
    failed: list[FailedOn]


def try_check(store: Store, type_id: int, data: dict[str, Any]) -> Tried:
    """Judge a check (as data; it need not be saved) by the labels of up to 200 labelled samples."""
    with store.session() as session:
        row = type_row(session, type_id)
        checks = (check_from({**data, "key": "tried"}),)
        replace(plan_in(row), checks=checks)  # what it names must be there, whether any sample is or not
        documents = session.scalars(
            select(Document)
            .where(
                Document.type_id == type_id,
                Document.purpose == Purpose.SAMPLE,
                Document.state == DocumentState.LABELLED,
            )
            .order_by(Document.id)
            .limit(SAMPLES_TRIED_MAX)
        ).all()
        said = _labels(session, [document.id for document in documents])
        lists = lists_in(session, row.workspace_id)
        counts = dict.fromkeys(CheckOutcome, 0)
        failed = []
        for document in documents:
            plan = replace(plan_of(document), checks=checks)
            (one,) = judge(plan, said.get(document.id, {}), Context(document.received_at.date(), lists))
            counts[one.outcome] += 1
            if one.outcome is CheckOutcome.FAILS:
                failed.append(FailedOn(document.id, document.name, one.said))
        return Tried(counts[CheckOutcome.HOLDS], counts[CheckOutcome.FAILS], counts[CheckOutcome.OPEN], failed)


def _labels(session: Session, ids: Sequence[int]) -> dict[int, dict[str, list[str | None]]]:
    """Labelled texts of papers, by field key; rows of a table keep their places."""
    said: dict[int, dict[str, list[str | None]]] = {}
    rows = session.execute(
        select(Label.document_id, Field.key, Label.position, Label.text, Label.absent)
        .join(Field, Label.field_id == Field.id)
        .where(Label.document_id.in_(ids))
        .order_by(Label.document_id, Label.position)
    )
    for document_id, key, position, text, absent in rows:
        mine = said.setdefault(document_id, {}).setdefault(key, [])
        if not absent:
            mine.extend([None] * (position - len(mine)))
            mine.append(text)
    return said


# ---- Proposals -------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class ProposalView:
    """A proposed field as it would be added, with its columns, and where the sample speaks for it."""

    field: dict[str, Any]
    columns: list[dict[str, Any]]
    page: int
    box: list[float]
    example: str
    why: str


def propose(store: Store, explorer: Explorer, type_id: int, document_id: int, page: int = 1) -> list[ProposalView]:
    """Fields that a sample, of which `page` is in view, proposes beyond the plan's."""
    with store.session() as session:
        plan = plan_in(type_row(session, type_id))
        document = document_row(session, document_id)
        first, last = _in_view(document, page)
        paper = load_paper(session, document, range(first, last + 1))
    return [_proposal(proposal) for proposal in proposals(plan, paper.pages, paper.layers(store, explorer))]


def propose_table(store: Store, document_id: int, page: int, box: Box) -> ProposalView:
    """A swept block of text as a table. InputError when it holds no columns."""
    with store.session() as session:
        document_row(session, document_id)
        pages = {row.number: page_of(row) for row in page_rows(session, document_id) if row.read_at}
        made = table_from_region(pages[page], box) if page in pages else None
        if made is None:
            raise InputError("There are no columns here: draw a box around at least two rows with two columns.")
        return _proposal(made)


def _proposal(one: Proposal) -> ProposalView:
    return ProposalView(
        field_data(one.field),
        [field_data(column) for column in one.columns],
        one.page,
        _rounded(one.box),
        one.example[:120],
        one.why,
    )


# ---- The order of day and month --------------------------------------------------------------------------------------


def learn_date_order(store: Store, type_id: int) -> dict[str, Any]:
    """Count what the dates on a type's papers tell of their order, and keep it with the type; returns what is kept."""
    with store.session() as session:
        row = type_row(session, type_id)
        ids = session.scalars(
            select(Document.id)
            .where(Document.type_id == type_id, Document.pages_read > 0)
            .order_by(Document.id)
            .limit(60)
        ).all()
        texts = [
            word.text
            for document_id in ids
            for page in page_rows(session, document_id)
            if page.read_at
            for word in page_of(page).words
        ]
        order = date_order(texts)
        row.date_order = {
            "day_first": order.day_first,
            "month_first": order.month_first,
            "either": order.either,
            "is_month_first": order.is_month_first,
            "ambiguous": order.ambiguous,
            "papers": len(ids),
        }
        return dict(row.date_order)


def first_samples(store: Store, type_id: int) -> list[tuple[int, str, int]]:
    """Read samples to build a plan beside: id, name, pages; those not set aside, the first received first."""
    with store.session() as session:
        rows = session.execute(
            select(Document.id, Document.name, Document.page_count)
            .where(
                Document.type_id == type_id,
                Document.purpose == Purpose.SAMPLE,
                Document.state.in_(LABEL_STATES),
                Document.pages_read > 0,
            )
            .order_by(Document.id)
            .limit(200)
        ).all()
        return [(number, name, pages or 1) for number, name, pages in rows]
