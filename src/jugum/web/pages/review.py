"""Review: the queue and the desk; and the desk for looking only, where provenance leads."""

from __future__ import annotations

from dataclasses import asdict, replace

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from jugum.flow.gather import documents
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.review import grid as review_grid
from jugum.flow.review import queue as review_queue
from jugum.flow.review import sweep as sweeping
from jugum.web.gate import GatedRoute
from jugum.web.lists import GridWantedOf, QueueWantedOf
from jugum.web.rendering import page
from jugum.web.security import MayReview

router = APIRouter(route_class=GatedRoute)


@router.get("/types/{type_id}/review")
def review_page(request: Request, type_id: int, actor: MayReview, wanted: QueueWantedOf) -> Response:
    store = request.app.state.store
    return page(
        request,
        "review/review.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="review",
        queue=review_queue.queue(store, actor, type_id, wanted),
        reviewers=review_queue.reviewers_of(store, type_id),
    )


@router.get("/types/{type_id}/review/next")
def next_waiting(request: Request, type_id: int, actor: MayReview, wanted: QueueWantedOf) -> Response:
    found = review_queue.claim_next(request.app.state.store, actor, type_id, replace(wanted, after=""))
    return RedirectResponse(f"/review/{found}" if found else f"/types/{type_id}/review", 303)


@router.get("/types/{type_id}/review/sweep")
def sweep_page(request: Request, type_id: int, actor: MayReview, wanted: QueueWantedOf) -> Response:
    store = request.app.state.store
    found = sweeping.sweep(store, actor, type_id, wanted)
    return page(
        request,
        "review/sweep.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="review",
        sweep=found,
        groups=[asdict(group) for group in found.groups],
        queue=review_queue.queue(store, actor, type_id, replace(wanted, field=""), 1),
    )


@router.get("/types/{type_id}/review/grid")
def grid_page(request: Request, type_id: int, actor: MayReview, wanted: GridWantedOf) -> Response:
    store = request.app.state.store
    return page(
        request,
        "review/grid.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="review",
        grid=review_grid.grid(store, actor, type_id, wanted),
    )


def _desk(request: Request, document_id: int, actor: Actor, mode: str, step: str, focus: str = "") -> Response:
    store = request.app.state.store
    view = documents.document_view(store, document_id)
    return page(
        request,
        "desk/desk.html",
        actor=actor,
        shown=types_.type_view(store, view.type_id),
        step=step,
        mode=mode,
        document=view,
        focus=focus,
    )


@router.get("/review/{document_id}")
def review_desk_page(request: Request, document_id: int, actor: MayReview) -> Response:
    return _desk(request, document_id, actor, "review", "review")


@router.get("/look/{document_id}")
def look(request: Request, document_id: int, actor: MayReview, field: str = "") -> Response:
    return _desk(request, document_id, actor, "look", "deliver", field)
