"""Review: the sweep, one field over many papers; the grid, fields by papers."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from jugum.flow.review import grid as review_grid
from jugum.flow.review import sweep as sweeping
from jugum.flow.review.grid import ROWS_A_PAGE, GridView
from jugum.flow.review.sweep import ROWS_MOST, SweepRow, SweepView
from jugum.web.api.review import Changed
from jugum.web.gate import GatedRoute
from jugum.web.lists import GridWantedOf, QueueWantedOf
from jugum.web.security import MayReview

router = APIRouter(route_class=GatedRoute, tags=["Review"])


class TakenBody(BaseModel):
    """Papers of a sweep."""

    documents: list[int] = Field(max_length=ROWS_MOST)


class KeptBody(TakenBody):
    """Papers that stay with the person who took them, or are free again."""

    release: bool = False


@router.get("/types/{type_id}/sweep")
def sweep(request: Request, type_id: int, actor: MayReview, wanted: QueueWantedOf) -> SweepView:
    """What waits of one field (`field`, its key; else the one that most papers wait for), over all papers of the queue
    as it is narrowed: groups of papers whose values have something in common, in the order of looking over."""
    return sweeping.sweep(request.app.state.store, actor, type_id, wanted)


@router.post("/types/{type_id}/sweep/{key}/take")
def take(request: Request, type_id: int, key: str, actor: MayReview, body: TakenBody) -> list[SweepRow]:
    """Papers of a sweep with their values: they are handed to nobody else for three quarters of a minute, or as long as
    they are kept. Those that others have are left out. Each is settled as at the desk."""
    return sweeping.take(request.app.state.store, actor, type_id, key, body.documents)


@router.post("/types/{type_id}/sweep/keep")
def keep(request: Request, type_id: int, actor: MayReview, body: KeptBody) -> Changed:
    """Keep papers that were taken, or let others have them."""
    kept = sweeping.keep(request.app.state.store, actor, type_id, body.documents, release=body.release)
    return Changed(papers=kept)


@router.get("/types/{type_id}/grid")
def grid(
    request: Request,
    type_id: int,
    actor: MayReview,
    wanted: GridWantedOf,
    limit: Annotated[int, Query(ge=1, le=100)] = ROWS_A_PAGE,
) -> GridView:
    """What each field says on papers, the newest first, a page at a time; `next` is the `after` of the page that
    follows. They can be narrowed to those on which a field says something."""
    return review_grid.grid(request.app.state.store, actor, type_id, wanted, limit)
