"""Papers: upload, state, words, setting aside."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, File, Form, Query, Request, UploadFile

from jugum.flow.gather import documents
from jugum.flow.gather.documents import DocumentView, Intake, Received
from jugum.flow.label import desk_parts
from jugum.flow.label.desk_parts import PageView, Presence
from jugum.web.api.gather import Known, received
from jugum.web.gate import GatedRoute, takes_files
from jugum.web.security import MayGather, MaySee

router = APIRouter(route_class=GatedRoute, tags=["Gather"])


class Reason(Known):
    reason: str


@router.post("/types/{type_id}/documents", status_code=201)
@takes_files(lambda settings: settings.bytes_max)
def upload(
    request: Request,
    type_id: int,
    actor: MayGather,
    file: Annotated[UploadFile, File(description="PDF, picture, mail, archive or word-processor file")],
    purpose: Annotated[str, Form(description="sample or live")] = "live",
    again: Annotated[bool, Form(description="take the file although its bytes are here already")] = False,
    batch_id: Annotated[int | None, Form()] = None,
    engine: Annotated[str | None, Form(description="careful, quick or both; empty: the setting")] = None,
    language: Annotated[str, Form(description="tesseract's name of the language, several joined by +")] = "eng",
    cut: Annotated[str, Form(description="none, separators, blanks, learned, or every:N")] = "none",
) -> Received:
    """Keep one file of a type and queue its reading. `twin` says that the same bytes are here already; the paper is
    then that one."""
    return received(
        request, actor, type_id, file, purpose, again, Intake(None, None, batch_id, engine or None, language, cut)
    )


@router.get("/types/{type_id}/documents")
def list_documents(
    request: Request,
    type_id: int,
    actor: MaySee,
    purpose: str | None = None,
    state: str | None = None,
    limit: Annotated[int, Query(ge=1, le=1000)] = 200,
    before: int | None = None,
) -> list[DocumentView]:
    """Papers, the newest first; `before` an id gives the next page."""
    return documents.documents(
        request.app.state.store, type_id, purpose=purpose, state=state, limit=limit, before=before
    )


@router.get("/types/{type_id}/progress")
def progress(request: Request, type_id: int, actor: MaySee, ids: str = "") -> list[DocumentView]:
    """The papers with these ids (joined by commas) as they stand now."""
    known = [int(part) for part in ids.split(",") if part.strip().isdigit()]
    return documents.progress(request.app.state.store, type_id, known)


@router.get("/documents/{document_id}")
def document(request: Request, document_id: int, actor: MaySee) -> DocumentView:
    return documents.document_view(request.app.state.store, document_id)


@router.get("/documents/{document_id}/pages")
def pages(request: Request, document_id: int, actor: MaySee) -> list[PageView]:
    """Pages with words as [text, x0, y0, x1, y1, confidence]; boxes in fractions of the upright page."""
    with request.app.state.store.session() as session:
        documents.document_row(session, document_id)
        return desk_parts.page_views(session, document_id)


@router.post("/documents/{document_id}/set-aside", status_code=204)
def set_aside(request: Request, document_id: int, actor: MaySee, body: Reason) -> None:
    documents.set_aside(request.app.state.store, actor, document_id, body.reason, revision=body.revision)


@router.post("/documents/{document_id}/return", status_code=204)
def return_document(request: Request, document_id: int, actor: MayGather, body: Known) -> None:
    """Undo setting aside; a paper that was not read to its end is read again."""
    documents.return_document(request.app.state.store, actor, document_id, revision=body.revision)


class PurposeBody(Known):
    purpose: str


@router.put("/documents/{document_id}/purpose", status_code=204)
def change_purpose(request: Request, document_id: int, actor: MayGather, body: PurposeBody) -> None:
    documents.change_purpose(request.app.state.store, actor, document_id, body.purpose, revision=body.revision)


@router.post("/documents/{document_id}/presence")
def presence(request: Request, document_id: int, actor: MaySee, idle: bool = False) -> Presence:
    """Says that the caller has the paper open (not when `idle`); tells who else has, and the paper's revision."""
    return desk_parts.presence(request.app.state.store, actor, document_id, idle=idle)
