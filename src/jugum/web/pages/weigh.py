"""Weigh: balances and policies."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from jugum.errors import InputError
from jugum.flow.office import types as types_
from jugum.flow.weigh import policies, weighing
from jugum.web.api.weigh import WeighOut
from jugum.web.gate import GatedRoute
from jugum.web.rendering import page
from jugum.web.security import MaySee, MayWeigh

router = APIRouter(route_class=GatedRoute)


@router.get("/types/{type_id}/weigh")
def weigh_page(request: Request, type_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    shown = types_.type_view(store, type_id)
    try:
        view = weighing.weigh(store, type_id)
    except InputError as error:
        return page(request, "weigh/empty.html", actor=actor, shown=shown, step="weigh", message=str(error))
    return page(
        request,
        "weigh/weigh.html",
        actor=actor,
        shown=shown,
        step="weigh",
        view=view,
        weighed=WeighOut.of(view).model_dump(mode="json", exclude={"balances": {"__all__": {"points"}}}),
        marks={field.key: [_mark(asdict(point)) for point in field.points] for field in view.fields},
        policies=policies.policies(store, type_id),
        names={field.key: field.name for field in view.fields},
    )


def _mark(point: dict[str, object]) -> list[object]:
    """A point for the chart: confidence, layout similarity, right, unseen, document, found, expected, counted."""
    names = ("confidence", "layout_similarity", "right", "unseen", "document", "found", "expected", "counted")
    return [point[name] for name in names]


@router.post("/types/{type_id}/policies/{number}/again")
def go_back(
    request: Request,
    type_id: int,
    number: int,
    actor: MayWeigh,
    csrf_token: Annotated[str, Form()] = "",
) -> Response:
    policies.go_back(request.app.state.store, actor, type_id, number)
    return RedirectResponse(f"/types/{type_id}/weigh", 303)
