"""Label: the labels of a sample, the desk, and what helps at it."""

from __future__ import annotations

from typing import Any

from fastapi import APIRouter, Request
from pydantic import BaseModel

from jugum.flow.label import desk as label_desk
from jugum.flow.label import desk_parts, marking_helps
from jugum.flow.label.desk import LabelDesk, LabelField
from jugum.flow.label.marking_helps import GridView, PageMark, Paragraph, RegionReading
from jugum.flow.label.rows import LabelledField, Saying, history, labels
from jugum.web.api.values import SaidIn, Sides
from jugum.web.gate import GatedRoute
from jugum.web.security import MayLabel, MayReview, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Label"])


class NextPaper(BaseModel):
    next: int | None


class Revision(BaseModel):
    """The paper's that the caller knows; 409 when the paper was changed since."""

    revision: int


class RegionIn(BaseModel):
    """A swept part of a page."""

    page: int
    box: Sides


@router.get("/documents/{document_id}/labels")
def all_labels(request: Request, document_id: int, actor: MaySee) -> list[LabelledField]:
    return labels(request.app.state.store, document_id)


@router.put("/documents/{document_id}/labels/{key}")
def set_label(request: Request, document_id: int, key: str, actor: MayLabel, body: SaidIn) -> label_desk.LabelSaved:
    """Replace a field's labels on a sample; no values and not absent takes them away."""
    rows, store = body.given_rows(), request.app.state.store
    if rows is not None:
        return label_desk.set_table(
            store, actor, document_id, key, rows, method=body.metadata(), revision=body.revision
        )
    return label_desk.set_label(
        store,
        actor,
        document_id,
        key,
        [value.given() for value in body.values],
        absent=body.absent,
        method=body.metadata(),
        revision=body.revision,
    )


@router.get("/documents/{document_id}/labels/{key}/history")
def label_history(request: Request, document_id: int, key: str, actor: MaySee) -> list[Saying]:
    """All that was said of a field on a paper, the newest first."""
    return history(request.app.state.store, document_id, key)


@router.post("/documents/{document_id}/labelled")
def labelled(request: Request, document_id: int, actor: MayLabel, body: Revision) -> NextPaper:
    """The sample is done; optional fields nothing was said of are taken as not on the paper."""
    return NextPaper(next=label_desk.done(request.app.state.store, actor, document_id, revision=body.revision))


@router.get("/documents/{document_id}/label-desk")
@at_length
def open_label_desk(request: Request, document_id: int, actor: MayLabel) -> LabelDesk:
    """Everything the labelling desk shows; claims the paper for the caller."""
    state = request.app.state
    return label_desk.desk(state.store, actor, document_id, state.versions, state.explorer)


@router.get("/documents/{document_id}/suggestions")
@at_length
def suggestions(request: Request, document_id: int, first: int, last: int, actor: MayLabel) -> list[LabelField]:
    """The fields of a paper with what is suggested for them on the pages `first` to `last`, as the desk names them."""
    state = request.app.state
    return label_desk.late_suggestions(state.store, actor, document_id, (first, last), state.versions, state.explorer)


@router.get("/documents/{document_id}/pages/{number}/words")
def page_words(request: Request, document_id: int, number: int, actor: MaySee) -> list[list[Any]]:
    """The words of a page: text, x0, y0, x1, y1, confidence."""
    return desk_parts.page_words(request.app.state.store, document_id, number)


@router.get("/documents/{document_id}/find")
def find_word(
    request: Request, document_id: int, text: str, actor: MaySee, page: int = 0, index: int = -1
) -> list[int]:
    """Page and index of the next word that begins with a text, after a place; empty when there is none."""
    found = desk_parts.find_word(request.app.state.store, document_id, text, (page, index))
    return list(found) if found else []


@router.post("/documents/{document_id}/tables/{key}/rails")
@at_length
def rails(request: Request, document_id: int, key: str, actor: MayReview, body: RegionIn) -> GridView:
    """Rails and lines for a table that was swept on a page."""
    state = request.app.state
    return marking_helps.propose_rails(state.store, state.explorer, actor, document_id, key, body.page, body.box)


@router.get("/documents/{document_id}/paragraphs")
def paragraphs(request: Request, document_id: int, actor: MaySee) -> list[Paragraph]:
    """The paper's paragraphs in reading order, over page breaks."""
    return marking_helps.paragraphs(request.app.state.store, document_id)


@router.get("/documents/{document_id}/pages/{number}/marks")
@at_length
def marks(request: Request, document_id: int, number: int, actor: MaySee) -> list[PageMark]:
    """Tick boxes with their state and caption, signatures and stamps of a page."""
    state = request.app.state
    return marking_helps.page_marks(state.store, state.explorer, document_id, number)


@router.post("/documents/{document_id}/labels/{key}/read-here")
@at_length
def read_here(request: Request, document_id: int, key: str, actor: MayReview, body: RegionIn) -> list[RegionReading]:
    """Read a region again, closely, for a field: texts to choose from; nothing is kept."""
    state = request.app.state
    return marking_helps.read_region_for(state.store, state.explorer, actor, document_id, key, body.page, body.box)
