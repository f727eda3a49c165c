"""Gather: the page, page pictures, the file as received."""

from __future__ import annotations

from typing import Annotated
from urllib.parse import quote

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from jugum.flow import gather, overview
from jugum.flow.actor import SEE, Actor
from jugum.flow.plan import type_view
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]


@router.get("/types/{type_id}/gather")
def gather_page(request: Request, type_id: int, actor: See, show: str = "") -> Response:
    store = request.app.state.store
    purpose = show if show in ("sample", "live") else None
    state = "set aside" if show == "aside" else None
    return page(
        request, "gather.html", actor=actor, shown=type_view(store, type_id), step="gather", show=show,
        documents=gather.documents(store, type_id, purpose=purpose, state=state), now=overview.steps(store, type_id),
    )  # fmt: skip


@router.get("/documents/{document_id}/pages/{number}.jpg")
def page_picture(request: Request, document_id: int, number: int, actor: See) -> Response:
    data = gather.page_picture(request.app.state.store, document_id, number)
    return Response(data, media_type="image/jpeg", headers={"Cache-Control": "private, max-age=3600"})


@router.get("/documents/{document_id}/original")
def original(request: Request, document_id: int, actor: See) -> Response:
    name, data = gather.original(request.app.state.store, document_id)
    return Response(
        data,
        media_type="application/octet-stream",
        headers={"Content-Disposition": f"attachment; filename*=UTF-8''{quote(name)}"},
    )
