"""Workspaces, document types and their plans."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from jugum.core.values import DataType, normal_form
from jugum.flow import overview, plan
from jugum.flow.actor import PLAN, SEE, Actor
from jugum.flow.overview import Hit
from jugum.flow.plan import FieldInput, FieldView, TypeView
from jugum.web.security import Requires

router = APIRouter(tags=["Workspaces and plans"])
See = Annotated[Actor, Depends(Requires(SEE))]
Plan = Annotated[Actor, Depends(Requires(PLAN))]


class Named(BaseModel):
    name: str


class Made(BaseModel):
    id: int


class WorkspaceOut(BaseModel):
    id: int
    name: str


class FieldIn(BaseModel):
    """A field: data types are text, date, money, number."""

    name: str
    data_type: str = "text"
    printed_names: list[str] = Field(default_factory=list)
    required: bool = True
    many: bool = False

    def given(self) -> FieldInput:
        return FieldInput(self.name, self.data_type, tuple(self.printed_names), self.required, self.many)


class Position(BaseModel):
    position: int


class NormalForm(BaseModel):
    """`normal` is null when the data type can't read the text."""

    normal: str | None


@router.get("/workspaces")
def workspaces(request: Request, actor: See) -> list[WorkspaceOut]:
    return [WorkspaceOut(id=row.id, name=row.name) for row in plan.workspaces(request.app.state.store)]


@router.post("/workspaces", status_code=201)
def add_workspace(request: Request, actor: Plan, body: Named) -> Made:
    return Made(id=plan.add_workspace(request.app.state.store, actor, body.name))


@router.get("/workspaces/{workspace_id}/types")
def types(request: Request, workspace_id: int, actor: See) -> list[TypeView]:
    return plan.types(request.app.state.store, workspace_id)


@router.post("/workspaces/{workspace_id}/types", status_code=201)
def add_type(request: Request, workspace_id: int, actor: Plan, body: Named) -> Made:
    return Made(id=plan.add_type(request.app.state.store, actor, workspace_id, body.name))


@router.get("/types/{type_id}/fields")
def fields(request: Request, type_id: int, actor: See) -> list[FieldView]:
    return plan.fields(request.app.state.store, type_id)


@router.post("/types/{type_id}/fields", status_code=201)
def add_field(request: Request, type_id: int, actor: Plan, body: FieldIn) -> FieldView:
    return plan.add_field(request.app.state.store, actor, type_id, body.given())


@router.put("/types/{type_id}/fields/{key}", status_code=204)
def change_field(request: Request, type_id: int, key: str, actor: Plan, body: FieldIn) -> None:
    plan.change_field(request.app.state.store, actor, type_id, key, body.given())


@router.put("/types/{type_id}/fields/{key}/position", status_code=204)
def move_field(request: Request, type_id: int, key: str, actor: Plan, body: Position) -> None:
    plan.move_field(request.app.state.store, actor, type_id, key, body.position)


@router.delete("/types/{type_id}/fields/{key}", status_code=204)
def remove_field(request: Request, type_id: int, key: str, actor: Plan, labels_known: int = 0) -> None:
    """`labels_known` is how many papers' labels the caller knows will be lost; 409 when more would be."""
    plan.remove_field(request.app.state.store, actor, type_id, key, labels_known=labels_known)


@router.get("/types/{type_id}/steps")
def steps(request: Request, type_id: int, actor: See) -> overview.Steps:
    """Where the type stands on the seven steps."""
    return overview.steps(request.app.state.store, type_id)


@router.get("/normal-form")
def normal(actor: See, data_type: DataType, text: str) -> NormalForm:
    """A text in a data type's normal form."""
    return NormalForm(normal=normal_form(text, data_type))


@router.get("/search")
def search(request: Request, actor: See, q: str = "") -> list[Hit]:
    """Types and papers by name."""
    return overview.search(request.app.state.store, q)
