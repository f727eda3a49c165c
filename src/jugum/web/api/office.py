"""Workspaces, document types, where they stand, and the search of the palette."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel

from jugum.flow.office import types as types_
from jugum.flow.office.types import TypeView
from jugum.flow.overview import overview
from jugum.flow.overview import search as search_
from jugum.flow.overview.search import SearchHit
from jugum.web.gate import GatedRoute
from jugum.web.guide import found_in_guide
from jugum.web.security import MayPlan, MaySee

router = APIRouter(route_class=GatedRoute, tags=["Workspaces and types"])


class Named(BaseModel):
    name: str


class Made(BaseModel):
    id: int


class WorkspaceOut(BaseModel):
    id: int
    name: str


@router.get("/workspaces")
def workspaces(request: Request, actor: MaySee) -> list[WorkspaceOut]:
    return [WorkspaceOut(id=row.id, name=row.name) for row in types_.workspaces(request.app.state.store)]


@router.post("/workspaces", status_code=201)
def add_workspace(request: Request, actor: MayPlan, body: Named) -> Made:
    return Made(id=types_.add_workspace(request.app.state.store, actor, body.name))


@router.get("/workspaces/{workspace_id}/types")
def types(request: Request, workspace_id: int, actor: MaySee) -> list[TypeView]:
    return types_.types(request.app.state.store, workspace_id)


@router.post("/workspaces/{workspace_id}/types", status_code=201)
def add_type(request: Request, workspace_id: int, actor: MayPlan, body: Named) -> Made:
    return Made(id=types_.add_type(request.app.state.store, actor, workspace_id, body.name))


@router.get("/types/{type_id}/steps")
def steps(request: Request, type_id: int, actor: MaySee) -> overview.Steps:
    """Where the type stands on the seven steps."""
    return overview.steps(request.app.state.store, type_id)


@router.get("/search")
def search(request: Request, actor: MaySee, q: str = "") -> list[SearchHit]:
    """Types, papers, fields and people by name, values of done papers, and sections of the guide."""
    found = search_.search(request.app.state.store, actor, q)
    guide = found_in_guide(q) if len(q.strip()) >= search_.LEAST else []
    return [*found, *(SearchHit("guide", part.title, "guide", f"/guide#{part.anchor}") for part in guide)]
