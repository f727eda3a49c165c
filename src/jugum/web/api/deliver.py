"""Deliver: results and deliveries."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel

from jugum.core.formats.results import ResultRow
from jugum.flow.deliver import results
from jugum.flow.deliver.results import DeliveryView
from jugum.web.gate import GatedRoute
from jugum.web.security import MayDeliver, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Deliver"])


class Results(BaseModel):
    total: int
    rows: list[ResultRow]


class DeliveryIn(BaseModel):
    format: str = "json"


@router.get("/types/{type_id}/results")
def list_results(
    request: Request,
    type_id: int,
    actor: MaySee,
    search: str = "",
    state: str | None = None,
    limit: Annotated[int, Query(ge=1, le=1000)] = 100,
    offset: Annotated[int, Query(ge=0)] = 0,
) -> Results:
    """Passed and settled papers with every value's provenance, the newest first."""
    view = results.results(
        request.app.state.store, type_id, actor=actor, search=search, state=state, limit=limit, offset=offset
    )
    return Results(total=view.total, rows=view.rows)


@router.post("/types/{type_id}/deliveries", status_code=201)
@at_length
def deliver_now(request: Request, type_id: int, actor: MayDeliver, body: DeliveryIn) -> DeliveryView:
    """Put every paper that is in no delivery yet into one file; GET /deliveries/{id} gives it."""
    return results.deliver(request.app.state.store, actor, type_id, body.format)
