"""Bringing papers in and reading them: placing, cutting, batches, sources, passwords, regions, downloads."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from jugum.flow.gather import batches, bundles, classification, documents, explore, place, read, sources
from jugum.flow.gather.batches import BatchView
from jugum.flow.gather.bundles import BundleView, PieceView
from jugum.flow.gather.documents import Intake, Received
from jugum.flow.gather.explore import PageLayers, RegionAsked
from jugum.flow.gather.place import Unplaced
from jugum.flow.gather.read_again import QueuedPages, ReadAgain
from jugum.flow.gather.read_again import read_again as read_papers_again
from jugum.flow.gather.sources import SourceInput, SourceView
from jugum.flow.office.actor import Actor
from jugum.web.downloads import download, gives
from jugum.web.gate import GatedRoute, takes_files
from jugum.web.security import MayGather, MayPlan, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Gather"])
EngineName = Literal["careful", "quick", "both"]


def received(
    request: Request, actor: Actor, type_id: int | None, file: UploadFile, purpose: str, again: bool, intake: Intake
) -> Received:
    """Keep an uploaded file, which is on the disk and goes from there to the file store."""
    store = request.app.state.store
    return documents.receive(
        store, actor, type_id, file.filename or "", file.file, purpose=purpose, again=again, intake=intake
    )


@router.post("/documents", status_code=201)
@takes_files(lambda settings: settings.bytes_max)
def upload(
    request: Request,
    actor: MayGather,
    file: Annotated[UploadFile, File(description="PDF, picture, mail, archive or word-processor file")],
    purpose: Annotated[str, Form(description="sample or live")] = "live",
    type_id: Annotated[int | None, Form(description="empty: the type is found automatically")] = None,
    workspace_id: Annotated[int | None, Form(description="needed without a type where there are several")] = None,
    batch_id: Annotated[int | None, Form()] = None,
    engine: Annotated[str | None, Form(description="careful, quick or both; empty: the setting")] = None,
    language: Annotated[str, Form(description="tesseract's name of the language, several joined by +")] = "eng",
    cut: Annotated[str, Form(description="none, separators, blanks, learned, or every:N")] = "none",
    again: Annotated[bool, Form(description="take the file although its bytes are here already")] = False,
) -> Received:
    """Keep one file of any type and queue its reading. `twin` says that the same bytes are here already."""
    intake = Intake(workspace_id, None, batch_id, engine or None, language, cut)
    return received(request, actor, type_id, file, purpose, again, intake)


class Known(BaseModel):
    """`revision` is the paper's that the caller knows; 409 when it was changed since."""

    revision: int


class Password(Known):
    password: str


@router.post("/documents/{document_id}/unlock", status_code=204)
def unlock(request: Request, document_id: int, actor: MayGather, body: Password) -> None:
    """Open a locked PDF. The password is used once and kept nowhere."""
    read.unlock(request.app.state.store, actor, document_id, body.password, revision=body.revision)


class Again(Known):
    pages: list[int] | None = Field(None, description="page numbers; empty: all")
    engine: EngineName | None = None
    language: str | None = None
    turn: int | None = Field(None, description="quarter turns clockwise to add, in degrees")
    text_layer: bool = Field(True, description="false: read the picture even where there is a text layer")
    contrast: bool = Field(False, description="even out light and noise first")
    dpi: int | None = None


@router.post("/documents/{document_id}/read-again")
def read_again(request: Request, document_id: int, actor: MayGather, body: Again) -> QueuedPages:
    """Queue pages to be read again in another way."""
    asked = ReadAgain(body.engine, body.language, body.turn, body.text_layer, body.contrast, body.dpi)
    return read_papers_again(request.app.state.store, actor, document_id, body.pages, asked, revision=body.revision)


class Placing(Known):
    type_id: int | None = Field(description="null: of none of the types")


@router.post("/documents/{document_id}/place", status_code=204)
def place_document(request: Request, document_id: int, actor: MayGather, body: Placing) -> None:
    """Say of what type a paper is; it teaches the classifier."""
    place.place(request.app.state.store, actor, document_id, body.type_id, revision=body.revision)


@router.get("/workspaces/{workspace_id}/unplaced")
def unplaced(request: Request, workspace_id: int, actor: MaySee) -> list[Unplaced]:
    return place.unplaced(request.app.state.store, workspace_id)


# ---- Bundles ---------------------------------------------------------------------------------------------------------


class PieceBody(BaseModel):
    pages: list[int] = Field(max_length=2000)
    type_id: int | None = None
    aside: bool = False
    sure: float = 1.0
    type_sure: float = 0.0


class CutBody(BaseModel):
    revision: int
    pieces: list[PieceBody] = Field(max_length=2000)

    def views(self) -> list[PieceView]:
        return [PieceView(**piece.model_dump()) for piece in self.pieces]


@router.get("/documents/{document_id}/cut")
def bundle(request: Request, document_id: int, actor: MaySee) -> BundleView:
    """The pages of a bundle and the papers proposed or settled."""
    return bundles.bundle_view(request.app.state.store, document_id)


@router.put("/documents/{document_id}/cut")
def save_cut(request: Request, document_id: int, actor: MayGather, body: CutBody) -> dict[str, int]:
    """Keep a layout of the light table without making papers yet; gives the new revision."""
    return {"revision": bundles.save_pieces(request.app.state.store, actor, document_id, body.views(), body.revision)}


@router.post("/documents/{document_id}/cut", status_code=201)
@at_length
def make_cut(request: Request, document_id: int, actor: MayGather, body: CutBody) -> dict[str, list[int]]:
    """Make papers of the pieces; gives their ids."""
    return {"documents": bundles.cut(request.app.state.store, actor, document_id, body.views(), body.revision)}


@router.post("/documents/{document_id}/join", status_code=204)
def join(request: Request, document_id: int, actor: MayGather, body: Known) -> None:
    """Undo a cut while nobody has worked on its papers."""
    bundles.join_again(request.app.state.store, actor, document_id, revision=body.revision)


# ---- Batches and sources ---------------------------------------------------------------------------------------------


class BatchBody(BaseModel):
    name: str
    note: str = ""
    priority: int = 0


class PriorityBody(BaseModel):
    priority: int


@router.post("/workspaces/{workspace_id}/batches", status_code=201)
def add_batch(request: Request, workspace_id: int, actor: MayGather, body: BatchBody) -> dict[str, int]:
    return {"id": batches.add(request.app.state.store, actor, workspace_id, body.name, body.note, body.priority)}


@router.get("/workspaces/{workspace_id}/batches")
def list_batches(request: Request, workspace_id: int, actor: MaySee) -> list[BatchView]:
    return batches.batches(request.app.state.store, workspace_id)


@router.get("/batches/{batch_id}")
def batch(request: Request, batch_id: int, actor: MaySee) -> BatchView:
    return batches.batch_view(request.app.state.store, batch_id)


@router.post("/batches/{batch_id}/pause", status_code=204)
def pause_batch(request: Request, batch_id: int, actor: MayGather) -> None:
    batches.pause(request.app.state.store, actor, batch_id)


@router.post("/batches/{batch_id}/resume", status_code=204)
def resume_batch(request: Request, batch_id: int, actor: MayGather) -> None:
    batches.resume(request.app.state.store, actor, batch_id)


@router.put("/batches/{batch_id}/priority", status_code=204)
def batch_priority(request: Request, batch_id: int, actor: MayGather, body: PriorityBody) -> None:
    batches.set_priority(request.app.state.store, actor, batch_id, body.priority)


@router.delete("/batches/{batch_id}")
def remove_batch(request: Request, batch_id: int, actor: MayGather) -> dict[str, int]:
    """Remove a batch with its papers that nobody worked on; files as received are kept."""
    removed, kept = batches.remove(request.app.state.store, actor, batch_id)
    return {"removed": removed, "kept": kept}


class SourceBody(BaseModel):
    kind: Literal["folder", "mail", "imap"]
    name: str
    type_id: int | None = None
    purpose: Literal["sample", "live"] = "live"
    place: str = ""
    engine: EngineName = "careful"
    language: str = "eng"
    cut: str = "none"


class Switch(BaseModel):
    active: bool


@router.get("/workspaces/{workspace_id}/sources")
def list_sources(request: Request, workspace_id: int, actor: MaySee) -> list[SourceView]:
    return sources.sources(request.app.state.store, workspace_id)


@router.post("/workspaces/{workspace_id}/sources", status_code=201)
def add_source(request: Request, workspace_id: int, actor: MayGather, body: SourceBody) -> dict[str, int]:
    return {"id": sources.add(request.app.state.store, actor, workspace_id, SourceInput(**body.model_dump()))}


@router.put("/sources/{source_id}/active", status_code=204)
def switch_source(request: Request, source_id: int, actor: MayGather, body: Switch) -> None:
    sources.set_active(request.app.state.store, actor, source_id, body.active)


# ---- Pages -----------------------------------------------------------------------------------------------------------


class RegionBody(BaseModel):
    box: tuple[float, float, float, float]
    engine: EngineName = "careful"
    language: str = "eng"
    dpi: int | None = None
    contrast: bool = False

    def asked(self) -> RegionAsked:
        return RegionAsked(self.box, self.engine, self.language, self.dpi, self.contrast)


@router.get("/documents/{document_id}/pages/{number}/layers")
@at_length
def layers(request: Request, document_id: int, number: int, actor: MaySee) -> PageLayers:
    """Words, lines and blocks, rules and cells, pairs, tables, tick boxes, signatures, zones and codes of a page."""
    return explore.layers(request.app.state.store, request.app.state.explorer, document_id, number)


@router.post("/documents/{document_id}/pages/{number}/region")
@at_length
def try_region(request: Request, document_id: int, number: int, actor: MayGather, body: RegionBody) -> list[list[Any]]:
    """Read a region in another way and show its words; nothing is changed."""
    state = request.app.state
    return explore.try_region(state.store, state.explorer, actor, document_id, number, body.asked())


@router.put("/documents/{document_id}/pages/{number}/region")
@at_length
def take_region(request: Request, document_id: int, number: int, actor: MayGather, body: RegionBody) -> dict[str, int]:
    """Read a region in another way and keep its words instead of those that are there."""
    state = request.app.state
    return {"words": explore.take_region(state.store, state.explorer, actor, document_id, number, body.asked())}


@router.get("/documents/{document_id}/as/{kind}", **gives(*(media for media, _ in explore.FORMATS.values())))
@at_length
def taken_away(request: Request, document_id: int, kind: str, actor: MaySee) -> Response:
    """The paper as json, hocr, alto, text, csv or xlsx (its tables), or pdf (searchable)."""
    name, media, data = explore.taken_away(request.app.state.store, request.app.state.explorer, document_id, kind)
    return download(name, data, media)


class PhrasesBody(BaseModel):
    """What speaks for a type when it stands on a paper, and what rules it out."""

    pro: list[str] = Field(default_factory=list, max_length=classification.PHRASES_MAX)
    contra: list[str] = Field(default_factory=list, max_length=classification.PHRASES_MAX)


@router.get("/types/{type_id}/sorting")
def sorting(request: Request, type_id: int, actor: MaySee) -> classification.SortingView:
    """Phrases that speak for and against the type, and types that are easily taken for it."""
    return classification.sorting_view(request.app.state.store, request.app.state.classifiers, type_id)


@router.put("/types/{type_id}/phrases", status_code=204)
def set_phrases(request: Request, type_id: int, actor: MayPlan, body: PhrasesBody) -> None:
    """Keep the phrases that speak for and against a type."""
    classification.set_phrases(request.app.state.store, actor, type_id, body.pro, body.contra)
