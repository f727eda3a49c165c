"""/api/v1: whatever the pages can do, for client programs. The pages' own scripts use it too."""

from fastapi import APIRouter, FastAPI, Request
from fastapi.responses import JSONResponse

from jugum.web.api import (
    checks,
    deliver,
    gather,
    gather_papers,
    label,
    label_sets,
    office,
    plan,
    review,
    sorting,
    sweep,
    train,
    weigh,
)
from jugum.web.description import described
from jugum.web.gate import GatedRoute
from jugum.web.security import MaySee

router = APIRouter(route_class=GatedRoute)


@router.get("/api/v1/openapi.json", include_in_schema=False)
def openapi(request: Request, actor: MaySee) -> JSONResponse:
    return JSONResponse(described(request.app))


def include_in(app: FastAPI) -> None:
    app.include_router(router)
    label_parts, weigh_parts = (label, label_sets), (weigh, sorting, checks)
    for module in (office, gather, gather_papers, plan, *label_parts, train, *weigh_parts, review, sweep, deliver):
        app.include_router(module.router, prefix="/api/v1")
