"""Review: the queue and the desk; and the desk for looking only, where provenance leads."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import RedirectResponse, Response

from jugum.flow import gather, overview, review, types
from jugum.flow.actor import REVIEW, Actor
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()
May = Annotated[Actor, Depends(Requires(REVIEW))]


@router.get("/types/{type_id}/review")
def review_page(request: Request, type_id: int, actor: May, reason: str | None = None) -> Response:
    store = request.app.state.store
    return page(
        request, "review.html", actor=actor, shown=types.type_view(store, type_id), step="review", reason=reason,
        queue=review.queue(store, actor, type_id, reason=reason), now=overview.steps(store, type_id),
    )  # fmt: skip


@router.get("/types/{type_id}/review/next")
def next_held(request: Request, type_id: int, actor: May) -> Response:
    found = review.first_held(request.app.state.store, actor, type_id)
    return RedirectResponse(f"/review/{found}" if found else f"/types/{type_id}/review", 303)


def _desk(request: Request, document_id: int, actor: Actor, mode: str, step: str, focus: str = "") -> Response:
    store = request.app.state.store
    view = gather.document_view(store, document_id)
    return page(
        request, "desk.html", actor=actor, shown=types.type_view(store, view.type_id), step=step, mode=mode, document=view,
        focus=focus,
    )  # fmt: skip


@router.get("/review/{document_id}")
def review_desk(request: Request, document_id: int, actor: May) -> Response:
    return _desk(request, document_id, actor, "review", "review")


@router.get("/look/{document_id}")
def look(request: Request, document_id: int, actor: May, field: str = "") -> Response:
    return _desk(request, document_id, actor, "look", "deliver", field)
