"""Train: versions, and a version's report."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import RedirectResponse, Response

from jugum.flow import plan, train
from jugum.flow.actor import SEE, TRAIN, Actor
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]


@router.get("/types/{type_id}/train")
def train_page(request: Request, type_id: int, actor: See) -> Response:
    store = request.app.state.store
    return page(
        request, "train.html", actor=actor, shown=plan.type_view(store, type_id), step="train",
        view=train.overview(store, type_id),
    )  # fmt: skip


@router.get("/types/{type_id}/train/{version_id}")
def report_page(request: Request, type_id: int, version_id: int, actor: See) -> Response:
    store = request.app.state.store
    names = {field.key: field.name for field in plan.fields(store, type_id)}
    return page(
        request, "report.html", actor=actor, shown=plan.type_view(store, type_id), step="train", names=names,
        version=train.version_view(store, version_id), against=train.against_before(store, version_id),
    )  # fmt: skip


@router.post("/types/{type_id}/train")
def start(request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(TRAIN))]) -> Response:
    train.start(request.app.state.store, actor, type_id)
    return RedirectResponse(f"/types/{type_id}/train", 303)


@router.post("/types/{type_id}/train/{version_id}/cancel")
def cancel(
    request: Request, type_id: int, version_id: int, actor: Annotated[Actor, Depends(Requires(TRAIN))]
) -> Response:
    train.cancel(request.app.state.store, actor, version_id)
    return RedirectResponse(f"/types/{type_id}/train", 303)


@router.post("/types/{type_id}/publish")
def publish(
    request: Request,
    type_id: int,
    actor: Annotated[Actor, Depends(Requires(TRAIN))],
    version_id: Annotated[int, Form()],
) -> Response:
    train.publish(request.app.state.store, actor, version_id)
    return RedirectResponse(f"/types/{type_id}/train", 303)
