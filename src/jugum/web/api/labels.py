"""Labels on samples and settling of live papers."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from jugum.flow import desk, label, review
from jugum.flow.actor import LABEL, REVIEW, SEE, Actor
from jugum.flow.desk import SpotInput, ValueInput
from jugum.flow.label import GridView, LabelDesk, LabelField, Offered, PageMark, Paragraph
from jugum.flow.label_rows import CellInput, HowSaid, LabelledField, Saying, history, labels
from jugum.flow.review import QueueView, ReviewDesk, Settled
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]
MayLabel = Annotated[Actor, Depends(Requires(LABEL))]
MayReview = Annotated[Actor, Depends(Requires(REVIEW))]
Sides = tuple[float, float, float, float]


class SpotIn(BaseModel):
    """A further place of a value: a page, and the words there (or a box)."""

    page: int
    words: list[int] = Field(default_factory=list)
    box: Sides | None = None

    def given(self) -> SpotInput:
        return SpotInput(self.page, tuple(self.words), self.box)


class ValueIn(BaseModel):
    """A value by the words it stands on (page from 1, indices into the page's words), by text, or by both: a text put
    right where the words were misread, or a part of what they say. `box` is [x0, y0, x1, y1] in page fractions, for a place
    without words; `more` are further lines and pages of it."""

    text: str | None = Field(None, max_length=20_000)
    page: int | None = None
    words: list[int] = Field(default_factory=list)
    box: Sides | None = None
    more: list[SpotIn] = Field(default_factory=list, max_length=400)

    def given(self) -> ValueInput:
        return ValueInput(self.text, self.page, tuple(self.words), self.box, tuple(one.given() for one in self.more))


class CellIn(BaseModel):
    """A cell of a table; without text it is empty."""

    text: str = Field("", max_length=4000)
    page: int | None = None
    box: Sides | None = None

    def given(self) -> CellInput:
        return CellInput(self.text, self.page, self.box)


class PrintedIn(BaseModel):
    """Where a value's printed name stands, and what it says."""

    text: str = Field(max_length=200)
    page: int
    box: Sides


class SaidIn(BaseModel):
    """What a field's values are; `absent` says that it is not on this paper; a table's `rows` are column key → cell. `seconds` is how
    long it took; `corrected`, that a suggestion stood there and was not taken. With `revision`, 409 when the paper was changed since."""

    values: list[ValueIn] = Field(default_factory=list)
    absent: bool = False
    how: str = "marked"
    rows: list[dict[str, CellIn]] | None = Field(None, max_length=5000)
    seconds: float | None = Field(None, ge=0, le=3600)
    corrected: bool = False
    printed: PrintedIn | None = None
    revision: int | None = None

    def given_rows(self) -> list[dict[str, CellInput]] | None:
        return None if self.rows is None else [{key: cell.given() for key, cell in row.items()} for row in self.rows]

    def way(self) -> HowSaid:
        return HowSaid(
            self.how, self.seconds, self.corrected, self.printed.model_dump(mode="json") if self.printed else None
        )


class NextPaper(BaseModel):
    next: int | None


class RegionIn(BaseModel):
    """A swept part of a page."""

    page: int
    box: Sides


@router.get("/documents/{document_id}/labels", tags=["Labels"])
def all_labels(request: Request, document_id: int, actor: See) -> list[LabelledField]:
    return labels(request.app.state.store, document_id)


@router.put("/documents/{document_id}/labels/{key}", tags=["Labels"])
def set_label(request: Request, document_id: int, key: str, actor: MayLabel, body: SaidIn) -> label.Said:
    """Replace a field's labels on a sample; no values and not absent takes them away."""
    rows, store = body.given_rows(), request.app.state.store
    if rows is not None:
        return label.set_table(store, actor, document_id, key, rows, how=body.way(), revision=body.revision)
    return label.set_label(
        store, actor, document_id, key, [value.given() for value in body.values], absent=body.absent, how=body.way(),
        revision=body.revision,
    )  # fmt: skip


@router.get("/documents/{document_id}/labels/{key}/history", tags=["Labels"])
def label_history(request: Request, document_id: int, key: str, actor: See) -> list[Saying]:
    """All that was said of a field on a paper, the newest first."""
    return history(request.app.state.store, document_id, key)


@router.post("/documents/{document_id}/labelled", tags=["Labels"])
def labelled(request: Request, document_id: int, actor: MayLabel) -> NextPaper:
    """The sample is done; optional fields nothing was said of are taken as not on the paper."""
    return NextPaper(next=label.done(request.app.state.store, actor, document_id))


@router.get("/documents/{document_id}/label-desk", tags=["Labels"])
def label_desk(request: Request, document_id: int, actor: MayLabel) -> LabelDesk:
    """Everything the labelling desk shows; claims the paper for the caller."""
    state = request.app.state
    return label.desk(state.store, actor, document_id, state.versions, state.explorer)


@router.get("/documents/{document_id}/suggestions", tags=["Labels"])
def suggestions(request: Request, document_id: int, actor: MayLabel) -> list[LabelField]:
    """The fields of a long paper with what is suggested for them."""
    state = request.app.state
    return label.late_suggestions(state.store, actor, document_id, state.versions, state.explorer)


@router.get("/documents/{document_id}/pages/{number}/words", tags=["Papers"])
def page_words(request: Request, document_id: int, number: int, actor: See) -> list[list[Any]]:
    """The words of a page: text, x0, y0, x1, y1, confidence."""
    return desk.page_words(request.app.state.store, document_id, number)


@router.get("/documents/{document_id}/find", tags=["Papers"])
def find_word(request: Request, document_id: int, text: str, actor: See, page: int = 0, index: int = -1) -> list[int]:
    """Page and index of the next word that begins with a text, after a place; empty when there is none."""
    found = desk.find_word(request.app.state.store, document_id, text, (page, index))
    return list(found) if found else []


@router.post("/documents/{document_id}/tables/{key}/rails", tags=["Labels"])
def rails(request: Request, document_id: int, key: str, actor: MayLabel, body: RegionIn) -> GridView:
    """Rails and lines for a table that was swept on a page."""
    state = request.app.state
    return label.propose_rails(state.store, state.explorer, actor, document_id, key, body.page, body.box)


@router.get("/documents/{document_id}/paragraphs", tags=["Labels"])
def paragraphs(request: Request, document_id: int, actor: See) -> list[Paragraph]:
    """The paper's paragraphs in reading order, over page breaks."""
    return label.paragraphs(request.app.state.store, document_id)


@router.get("/documents/{document_id}/pages/{number}/marks", tags=["Labels"])
def marks(request: Request, document_id: int, number: int, actor: See) -> list[PageMark]:
    """Tick boxes with their state and caption, and signatures, of a page."""
    state = request.app.state
    return label.page_marks(state.store, state.explorer, document_id, number)


@router.post("/documents/{document_id}/labels/{key}/read-here", tags=["Labels"])
def read_here(request: Request, document_id: int, key: str, actor: MayLabel, body: RegionIn) -> list[Offered]:
    """Read a region again, closely, for a field: texts to choose from; nothing is kept."""
    state = request.app.state
    return label.read_region_for(state.store, state.explorer, actor, document_id, key, body.page, body.box)


@router.get("/types/{type_id}/queue", tags=["Review"])
def queue(request: Request, type_id: int, actor: MayReview, reason: str | None = None) -> QueueView:
    """Held papers, the longest waiting first."""
    return review.queue(request.app.state.store, actor, type_id, reason=reason)


@router.get("/documents/{document_id}/review-desk", tags=["Review"])
def review_desk(request: Request, document_id: int, actor: MayReview, look: bool = False) -> ReviewDesk:
    """A live paper's fields with their holds; claims the paper unless only to look."""
    return review.desk(request.app.state.store, actor, document_id, look=look)


@router.put("/documents/{document_id}/review/{key}", tags=["Review"])
def settle(request: Request, document_id: int, key: str, actor: MayReview, body: SaidIn) -> Settled:
    """Settle a field; the last held one settles the paper."""
    return review.settle(
        request.app.state.store, actor, document_id, key, [value.given() for value in body.values],
        absent=body.absent, rows=body.given_rows(), revision=body.revision,
    )  # fmt: skip
