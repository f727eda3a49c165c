"""Labels on samples and settling of live papers."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, File, Form, Request, UploadFile
from pydantic import BaseModel, Field

from jugum.flow import label, review
from jugum.flow.actor import LABEL, REVIEW, SEE, Actor
from jugum.flow.desk import ValueInput
from jugum.flow.label import CellInput, KeyedReport, LabelDesk, LabelledField
from jugum.flow.review import QueueView, ReviewDesk, Settled
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]
MayLabel = Annotated[Actor, Depends(Requires(LABEL))]
MayReview = Annotated[Actor, Depends(Requires(REVIEW))]


class ValueIn(BaseModel):
    """A value by the words it stands on (page from 1, indices into the page's words), by text, or by both: a text put
    right where the words were misread. `box` is [x0, y0, x1, y1] in page fractions, for text without words."""

    text: str | None = Field(None, max_length=4000)
    page: int | None = None
    words: list[int] = Field(default_factory=list)
    box: tuple[float, float, float, float] | None = None

    def given(self) -> ValueInput:
        return ValueInput(self.text, self.page, tuple(self.words), self.box)


class CellIn(BaseModel):
    """A cell of a table; without text it is empty."""

    text: str = Field("", max_length=4000)
    page: int | None = None
    box: tuple[float, float, float, float] | None = None

    def given(self) -> CellInput:
        return CellInput(self.text, self.page, self.box)


class Said(BaseModel):
    """What a field's values are; `absent` says that it is not on this paper; a table's `rows` are column key → cell.
    With `revision`, 409 when the paper was
    changed since."""

    values: list[ValueIn] = Field(default_factory=list)
    absent: bool = False
    how: str = "marked"
    rows: list[dict[str, CellIn]] | None = Field(None, max_length=2000)
    revision: int | None = None

    def given_rows(self) -> list[dict[str, CellInput]] | None:
        return None if self.rows is None else [{key: cell.given() for key, cell in row.items()} for row in self.rows]


class Revision(BaseModel):
    revision: int


class NextPaper(BaseModel):
    next: int | None


@router.get("/documents/{document_id}/labels", tags=["Labels"])
def labels(request: Request, document_id: int, actor: See) -> list[LabelledField]:
    return label.labels(request.app.state.store, document_id)


@router.put("/documents/{document_id}/labels/{key}", tags=["Labels"])
def set_label(request: Request, document_id: int, key: str, actor: MayLabel, body: Said) -> Revision:
    """Replace a field's labels on a sample; no values and not absent takes them away."""
    rows = body.given_rows()
    if rows is not None:
        store = request.app.state.store
        changed = label.set_table(store, actor, document_id, key, rows, how=body.how, revision=body.revision)
        return Revision(revision=changed)
    revision = label.set_label(
        request.app.state.store, actor, document_id, key, [value.given() for value in body.values],
        absent=body.absent, how=body.how, revision=body.revision,
    )  # fmt: skip
    return Revision(revision=revision)


@router.post("/documents/{document_id}/labelled", tags=["Labels"])
def labelled(request: Request, document_id: int, actor: MayLabel) -> NextPaper:
    """The sample is done; optional fields nothing was said of are taken as not on the paper."""
    return NextPaper(next=label.done(request.app.state.store, actor, document_id))


@router.post("/types/{type_id}/labels.csv", tags=["Labels"])
def keyed(
    request: Request,
    type_id: int,
    actor: MayLabel,
    file: Annotated[UploadFile, File(description="UTF-8 CSV: file,type,field,value")],
    complete: Annotated[bool, Form(description="the CSV has every value of the papers it names")] = False,
) -> KeyedReport:
    """Values keyed in the past become labels; the place of each on its page is found by matching."""
    return label.keyed(request.app.state.store, actor, type_id, file.file.read(), complete=complete)


@router.get("/documents/{document_id}/label-desk", tags=["Labels"])
def label_desk(request: Request, document_id: int, actor: MayLabel) -> LabelDesk:
    """Everything the labelling desk shows; claims the paper for the caller."""
    state = request.app.state
    return label.desk(state.store, actor, document_id, state.versions, state.explorer)


@router.get("/types/{type_id}/queue", tags=["Review"])
def queue(request: Request, type_id: int, actor: MayReview, reason: str | None = None) -> QueueView:
    """Held papers, the longest waiting first."""
    return review.queue(request.app.state.store, actor, type_id, reason=reason)


@router.get("/documents/{document_id}/review-desk", tags=["Review"])
def review_desk(request: Request, document_id: int, actor: MayReview, look: bool = False) -> ReviewDesk:
    """A live paper's fields with their holds; claims the paper unless only to look."""
    return review.desk(request.app.state.store, actor, document_id, look=look)


@router.put("/documents/{document_id}/review/{key}", tags=["Review"])
def settle(request: Request, document_id: int, key: str, actor: MayReview, body: Said) -> Settled:
    """Settle a field; the last held one settles the paper."""
    return review.settle(
        request.app.state.store, actor, document_id, key, [value.given() for value in body.values],
        absent=body.absent, rows=body.given_rows(), revision=body.revision,
    )  # fmt: skip
