"""What helps a person to mark, in labelling and in review (who may label may review): rails of a table, paragraphs,
marks of a page, a region read again closely."""

from __future__ import annotations

from dataclasses import dataclass

from jugum.core.extraction.clauses.sections import paragraphs_of, places_of
from jugum.core.extraction.tables.grid import GridCell, cells_of_grid, propose_grid
from jugum.core.page import Box
from jugum.core.values import normal_form
from jugum.errors import InputError
from jugum.flow.gather.documents import document_row
from jugum.flow.gather.explore import Explorer, RegionAsked, read_here, structure_on
from jugum.flow.gather.pages import pages_of
from jugum.flow.label.desk_parts import (
    Sides,
    ValueView,
)
from jugum.flow.label.rows import (
    field_row,
)
from jugum.flow.office.actor import REVIEW, Actor
from jugum.flow.plan.fields import plan_of, value_type_of
from jugum.store import Store


@dataclass(frozen=True)
class GridView:
    """Rails and lines of a table on a page, the column each part between two rails is, and what stands in the cells."""

    page: int
    rails: list[float]
    lines: list[float]
    columns: list[str]
    cells: list[list[ValueView | None]]


def propose_rails(
    store: Store, explorer: Explorer, actor: Actor, document_id: int, key: str, page: int, box: Sides
) -> GridView:
    """Rails and lines for a table that was swept. InputError when no words stand there."""
    actor.require(REVIEW)
    with store.session() as session:
        document = document_row(session, document_id)
        row = field_row(document, key)
        if row.kind != "table":
            raise InputError(f"{row.name} is not a table.")
        plan = plan_of(document)
        found = next((other for other in pages_of(session, document_id) if other.number == page), None)
        if found is None:
            raise InputError(f"“{document.name}” has no page {page}.")
        ruled = structure_on(store, session, explorer, document, page).ruling.cells
    grid = propose_grid(found, Box(*box), plan.inside(key), ruled)
    if grid is None:
        raise InputError("There are no words here: draw a box around the rows of the table.")
    cells = [[_cell(cell, page) for cell in line] for line in cells_of_grid(found, grid)]
    return GridView(page, list(grid.rails), list(grid.lines), list(grid.columns), cells)


def _cell(cell: GridCell | None, page: int) -> ValueView | None:
    return ValueView(cell.text, cell.text, page, [round(side, 5) for side in cell.box]) if cell else None


@dataclass(frozen=True)
class Paragraph:
    """A paragraph or headed section: its text and its place on each page it stands on."""

    text: str
    heading: str
    places: list[tuple[int, list[float]]]


def paragraphs(store: Store, document_id: int) -> list[Paragraph]:
    """The paper's paragraphs in reading order, over page breaks: what lights up when a clause is marked."""
    with store.session() as session:
        document_row(session, document_id)
        pages = pages_of(session, document_id)
    return [
        Paragraph(
            paragraph.text,
            paragraph.heading,
            [(page, [round(v, 5) for v in box]) for page, box in places_of(paragraph.lines)],
        )
        for paragraph in paragraphs_of(pages)
    ]


@dataclass(frozen=True)
class PageMark:
    """A mark on a page: a tick box with its state and the words beside it, a signature or a stamp. `answer` is what it
    says of a yes/no field: a ticked box beside "no" says no."""

    kind: str
    page: int
    box: list[float]
    ticked: bool
    label: str
    answer: str


def page_marks(store: Store, explorer: Explorer, document_id: int, page: int) -> list[PageMark]:
    """The tick boxes, signatures and stamps found on a page."""
    from jugum.core.extraction.ticks import answer_of, ticks_of

    with store.session() as session:
        document = document_row(session, document_id)
        layers = structure_on(store, session, explorer, document, page)
        its = [other for other in pages_of(session, document_id) if other.number == page]
    ticks = [
        PageMark("tick box", page, [round(v, 5) for v in tick.box], tick.ticked, tick.caption, answer_of(tick))
        for tick in ticks_of(its, [layers])
    ]
    drawn = [("signature", box) for box in layers.signatures] + [("stamp", box) for box in layers.stamps]
    return ticks + [PageMark(kind, page, [round(v, 5) for v in box], True, "", "yes") for kind, box in drawn]


@dataclass(frozen=True)
class RegionReading:
    """A text that a region says when it is read closely, and whether the field's data type can read it."""

    text: str
    normal: str
    method: str


def read_region_for(
    store: Store, explorer: Explorer, actor: Actor, document_id: int, key: str, page: int, box: Sides
) -> list[RegionReading]:
    """Read a region again in several ways, at higher resolution, for a field: the texts that its data type can read
    come first."""
    actor.require(REVIEW)
    with store.session() as session:
        document = document_row(session, document_id)
        kind = value_type_of(field_row(document, key), document)
    found: dict[str, str] = {}
    for method, asked in (
        ("read closely", RegionAsked(box, dpi=400)),
        ("light evened out", RegionAsked(box, dpi=400, contrast=True)),
        ("quick engine", RegionAsked(box, "quick", dpi=400)),
    ):
        text = " ".join(str(word[0]) for word in read_here(store, explorer, document_id, page, asked))
        if text.strip():
            found.setdefault(text.strip(), method)
    offered = [RegionReading(text, normal_form(text, kind) or "", method) for text, method in found.items()]
    return sorted(offered, key=lambda one: not one.normal)
