"""Plan: the fields of a type."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated

from fastapi import APIRouter, Depends, Request
from fastapi.responses import Response

from jugum.core.values import DataType
from jugum.flow import plan
from jugum.flow.actor import SEE, Actor
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()


@router.get("/types/{type_id}/plan")
def plan_page(request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(SEE))]) -> Response:
    store = request.app.state.store
    return page(
        request, "plan.html", actor=actor, shown=plan.type_view(store, type_id), step="plan",
        fields=[asdict(field) for field in plan.fields(store, type_id)], data_types=[kind.value for kind in DataType],
    )  # fmt: skip
