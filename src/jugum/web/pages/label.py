"""Label: the list of samples and the desk."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from jugum.flow import gather, label, overview
from jugum.flow.actor import LABEL, SEE, Actor
from jugum.flow.plan import fields, type_view
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()


@router.get("/types/{type_id}/label")
def label_page(request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(SEE))]) -> Response:
    store = request.app.state.store
    return page(
        request, "label.html", actor=actor, shown=type_view(store, type_id), step="label",
        documents=gather.documents(store, type_id, purpose="sample", limit=500), now=overview.steps(store, type_id),
        fields=fields(store, type_id), first=label.first_to_label(store, type_id),
    )  # fmt: skip


@router.get("/types/{type_id}/label/next")
def next_to_label(request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(LABEL))]) -> Response:
    found = label.first_to_label(request.app.state.store, type_id)
    return RedirectResponse(f"/label/{found}" if found else f"/types/{type_id}/label", 303)


@router.get("/label/{document_id}")
def label_desk(request: Request, document_id: int, actor: Annotated[Actor, Depends(Requires(LABEL))]) -> Response:
    store = request.app.state.store
    view = gather.document_view(store, document_id)
    return page(
        request, "desk.html", actor=actor, shown=type_view(store, view.type_id), step="label", mode="label", document=view,
        focus="",
    )  # fmt: skip
