"""Gather: the page, sources and batches, the light table, the page explorer, pictures of pages, the file as
received."""

from __future__ import annotations

import hashlib

from fastapi import APIRouter, Request
from fastapi.responses import Response

from jugum.core.page import Box
from jugum.errors import Conflict, InputError
from jugum.flow.gather import batches, bundles, documents, explore, lists, place, sources
from jugum.flow.office.types import TypeView, type_view, types
from jugum.web.downloads import download
from jugum.web.gate import GatedRoute
from jugum.web.lists import WantedOf
from jugum.web.rendering import page
from jugum.web.security import MayGather, MaySee

router = APIRouter(route_class=GatedRoute)
FORMATS = (
    ("pdf", "Searchable PDF"),
    ("text", "Text"),
    ("json", "Everything, as JSON"),
    ("hocr", "Words, as hOCR"),
    ("alto", "Words, as ALTO XML"),
    ("csv", "Tables, as CSV"),
    ("xlsx", "Tables, as XLSX"),
)


def _picture(request: Request, data: bytes) -> Response:
    """A picture that the browser keeps, but asks about each time: a page read again looks different under its
    address."""
    tag = f'"{hashlib.sha256(data).hexdigest()[:20]}"'
    headers = {"Cache-Control": "private, no-cache", "ETag": tag}
    if request.headers.get("if-none-match") == tag:
        return Response(status_code=304, headers=headers)
    return Response(data, media_type="image/jpeg", headers=headers)


@router.get("/types/{type_id}/gather")
def gather_page(request: Request, type_id: int, actor: MaySee, wanted: WantedOf) -> Response:
    store = request.app.state.store
    shown = type_view(store, type_id)
    papers = lists.paper_list(store, type_id, wanted)
    return page(
        request,
        "gather/gather.html",
        actor=actor,
        shown=shown,
        step="gather",
        papers=papers,
        batch_names={choice.value: choice.name for choice in papers.batches},
        unplaced=place.unplaced(store, shown.workspace_id),
        bundles=bundles.open_bundles(store, shown.workspace_id),
        batches=batches.batches(store, shown.workspace_id, limit=6),
        sources=sources.sources(store, shown.workspace_id),
        engine=store.settings.engine,
    )


@router.get("/types/{type_id}/sources")
def sources_page(request: Request, type_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    shown = type_view(store, type_id)
    return page(
        request,
        "gather/sources.html",
        actor=actor,
        shown=shown,
        step="gather",
        sources=sources.sources(store, shown.workspace_id),
        batches=batches.batches(store, shown.workspace_id),
        priorities=batches.PRIORITIES,
        has_imap=bool(store.settings.imap),
        mail_port=store.settings.mail_port,
        engine=store.settings.engine,
    )


@router.get("/separator.pdf")
def separator(request: Request, actor: MaySee) -> Response:
    from jugum.core.formats.separator import separator_sheet

    return Response(separator_sheet(), media_type="application/pdf")


def _type_of(request: Request, type_id: int | None, workspace_id: int) -> TypeView:
    """The type whose ribbon a view of a paper shows: its own, or the first of its workspace."""
    store = request.app.state.store
    if type_id is not None:
        return type_view(store, type_id)
    its = [kind for kind in types(store) if kind.workspace_id == workspace_id]
    if not its:
        raise Conflict("This workspace has no document type yet. Add one in Plan.")
    return its[0]


@router.get("/documents/{document_id}/table")
def light_table(request: Request, document_id: int, actor: MayGather, type_id: int | None = None) -> Response:
    bundle = bundles.bundle_view(request.app.state.store, document_id)
    shown = _type_of(request, bundle.type_id or type_id, bundle.workspace_id)
    return page(request, "gather/light_table.html", actor=actor, shown=shown, step="gather", bundle=bundle)


@router.get("/documents/{document_id}/explore")
def explorer(request: Request, document_id: int, actor: MaySee, type_id: int | None = None) -> Response:
    document = documents.document_view(request.app.state.store, document_id)
    if not document.page_count:
        raise Conflict(f"“{document.name}” has no pages (yet): it is {document.state}. {document.reason or ''}")
    shown = _type_of(request, document.type_id or type_id, document.workspace_id)
    return page(
        request,
        "gather/explore.html",
        actor=actor,
        shown=shown,
        step="gather",
        document=document,
        formats=FORMATS,
    )


@router.get("/documents/{document_id}/pages/{number}.jpg")
def page_picture(request: Request, document_id: int, number: int, actor: MaySee) -> Response:
    data = explore.page_picture(request.app.state.store, request.app.state.explorer, document_id, number)
    return _picture(request, data)


@router.get("/documents/{document_id}/pages/{number}/peek.jpg")
def peek(request: Request, document_id: int, number: int, actor: MaySee) -> Response:
    data = explore.peek(request.app.state.store, request.app.state.explorer, document_id, number)
    return _picture(request, data)


@router.get("/documents/{document_id}/pages/{number}/region.jpg")
def region(
    request: Request,
    document_id: int,
    number: int,
    actor: MaySee,
    box: str = "0,0,1,1",
    dpi: int = 200,
    grey: bool = False,
) -> Response:
    try:
        left, top, right, bottom = (float(side) for side in box.split(","))
    except ValueError as error:
        raise InputError("A region is four numbers from 0 to 1: left, top, right, bottom.") from error
    state = request.app.state
    data = explore.region(
        state.store, state.explorer, document_id, number, Box(left, top, right, bottom), dpi, grey=grey
    )
    return _picture(request, data)


@router.get("/documents/{document_id}/original")
def original(request: Request, document_id: int, actor: MaySee) -> Response:
    name, data = documents.original(request.app.state.store, actor, document_id)
    return download(name, data, "application/octet-stream")
