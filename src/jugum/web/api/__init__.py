"""/api/v1: whatever the pages can do, for client programs. The pages' own scripts use it too."""

from fastapi import APIRouter, Depends, FastAPI, Request
from fastapi.responses import HTMLResponse, JSONResponse

from jugum.web.api import deliver, gather, gather_papers, label, label_sets, office, plan, review, train, weigh
from jugum.web.security import Public

router = APIRouter()


@router.get("/api/v1/openapi.json", dependencies=[Depends(Public())], include_in_schema=False)
def openapi(request: Request) -> JSONResponse:
    return JSONResponse(request.app.openapi())


@router.get("/api", dependencies=[Depends(Public())], include_in_schema=False)
def openapi_page(request: Request) -> HTMLResponse:
    from jugum.web.rendering import page

    return page(request, "office/api.html", actor=None, schema=request.app.openapi())  # type: ignore[return-value]


def include_in(app: FastAPI) -> None:
    app.include_router(router)
    for module in (office, gather, gather_papers, plan, label, label_sets, train, weigh, review, deliver):
        app.include_router(module.router, prefix="/api/v1")
