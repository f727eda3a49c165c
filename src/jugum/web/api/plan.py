"""Plan: fields, checks, lists, the living sample, plans as files, synonyms of printed names."""

from __future__ import annotations

import json
from typing import Annotated, Any

from fastapi import APIRouter, Body, File, Query, Request, UploadFile
from fastapi.responses import Response
from pydantic import BaseModel, Field

from jugum.core.page import Box
from jugum.core.schema import Severity, plan_schema
from jugum.core.schema.expression import FUNCTIONS
from jugum.core.values import DataType, Option, ValueType, normal_form
from jugum.flow.office.actor import Actor
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import history as plan_history
from jugum.flow.plan import sample as plan_sample
from jugum.flow.plan import synonyms as plan_synonyms
from jugum.flow.plan.checks import ListView
from jugum.flow.plan.fields import FieldInput, FieldView, WholePlan
from jugum.flow.plan.history import Effects, PlanVersionView
from jugum.flow.plan.sample import PreviewSample, ProposalView, Tried
from jugum.flow.train import versions
from jugum.web.api.office import Made, Named
from jugum.web.downloads import download, gives
from jugum.web.gate import DATA_BYTES_MOST, GatedRoute, takes_files
from jugum.web.security import MayPlan, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Plan"])
PLAN_NUMBER = "the plan number the caller knows; 409 when the plan was changed since"
PlanNumberKnown = Annotated[int, Query(description=PLAN_NUMBER)]


class Names(BaseModel):
    lines: list[str] = Field(max_length=plan_synonyms.LINES_MAX)


class FieldIn(FieldInput):
    """A field, as in a plan file but for its key, which is made from its name."""

    columns: list[FieldInput] = Field(default_factory=list, description="of a new table")


class FieldChange(FieldIn):
    """A field, and the plan that it is for."""

    number: int = Field(description=PLAN_NUMBER)


class Position(BaseModel):
    position: int
    number: int = Field(description=PLAN_NUMBER)


class PlanNumber(BaseModel):
    number: int


class NormalForm(BaseModel):
    """`normal` is null when the data type can't read the text."""

    normal: str | None


class CheckIn(BaseModel):
    """A check; with a key the one of that key is changed."""

    key: str = ""
    expression: str
    message: str = ""
    severity: Severity = Severity.BLOCKING
    may_choose: bool = False

    def data(self) -> dict[str, Any]:
        return self.model_dump(mode="json", exclude={"number"})


class CheckChange(CheckIn):
    """A check, and the plan that it is for."""

    number: int = Field(description=PLAN_NUMBER)


class CheckKey(BaseModel):
    key: str


class Entries(BaseModel):
    entries: list[str]


class Region(BaseModel):
    page: int
    box: tuple[float, float, float, float]


class Drafted(BaseModel):
    """A field as it is being typed; with `key`, what that field would become. `page` of the sample is in view."""

    field: FieldIn | None = None
    key: str = ""
    page: int = 1


# ---- Fields ----------------------------------------------------------------------------------------------------------


@router.get("/types/{type_id}/fields")
def fields(request: Request, type_id: int, actor: MaySee) -> list[FieldView]:
    return plan_fields.fields(request.app.state.store, type_id)


@router.get("/types/{type_id}/plan")
def whole_plan(request: Request, type_id: int, actor: MaySee) -> WholePlan:
    """Fields and checks, with the plan's number, which every change of it takes."""
    return plan_fields.whole(request.app.state.store, type_id)


@router.post("/types/{type_id}/fields", status_code=201)
def add_field(request: Request, type_id: int, actor: MayPlan, body: FieldChange) -> FieldView:
    return plan_fields.add_field(
        request.app.state.store, actor, type_id, body, columns=body.columns, number=body.number
    )


@router.put("/types/{type_id}/fields/{key}")
def change_field(request: Request, type_id: int, key: str, actor: MayPlan, body: FieldChange) -> PlanNumber:
    changed = plan_fields.change_field(request.app.state.store, actor, type_id, key, body, number=body.number)
    return PlanNumber(number=changed)


@router.post("/types/{type_id}/fields/{key}/effects")
def effects(request: Request, type_id: int, key: str, actor: MayPlan, body: FieldIn | None = None) -> Effects:
    """What changing a field so, or (without a body) removing it, would touch. Nothing is changed."""
    return plan_history.effects(request.app.state.store, type_id, key, body)


@router.put("/types/{type_id}/fields/{key}/position")
def move_field(request: Request, type_id: int, key: str, actor: MayPlan, body: Position) -> PlanNumber:
    moved = plan_fields.move_field(request.app.state.store, actor, type_id, key, body.position, number=body.number)
    return PlanNumber(number=moved)


@router.post("/types/{type_id}/fields/{key}/copy", status_code=201)
def copy_field(request: Request, type_id: int, key: str, actor: MayPlan, number: PlanNumberKnown) -> FieldView:
    return plan_fields.copy_field(request.app.state.store, actor, type_id, key, number=number)


@router.delete("/types/{type_id}/fields/{key}")
def remove_field(
    request: Request, type_id: int, key: str, actor: MayPlan, number: PlanNumberKnown, labels_known: int = 0
) -> PlanNumber:
    """`labels_known` is how many papers' labels the caller knows of; 409 when there are more. They come back with the
    field."""
    left = plan_fields.remove_field(
        request.app.state.store, actor, type_id, key, labels_known=labels_known, number=number
    )
    return PlanNumber(number=left)


# ---- Checks and lists ------------------------------------------------------------------------------------------------


@router.put("/types/{type_id}/checks")
def put_check(request: Request, type_id: int, actor: MayPlan, body: CheckChange) -> CheckKey:
    """Add a check, or change the one whose key is given. 422 says what is wrong with its expression and at which
    letter."""
    return CheckKey(key=plan_checks.put_check(request.app.state.store, actor, type_id, body.data(), number=body.number))


@router.delete("/types/{type_id}/checks/{key}")
def remove_check(request: Request, type_id: int, key: str, actor: MayPlan, number: PlanNumberKnown) -> PlanNumber:
    return PlanNumber(number=plan_checks.remove_check(request.app.state.store, actor, type_id, key, number=number))


@router.post("/types/{type_id}/checks/try")
@at_length
def try_check(request: Request, type_id: int, actor: MayPlan, body: CheckIn) -> Tried:
    """A check on all labelled samples; it need not be saved."""
    return plan_sample.try_check(request.app.state.store, type_id, body.data())


@router.get("/expression-functions")
def functions(actor: MaySee) -> dict[str, str]:
    """What expressions can call, and what each gives."""
    return {name: function.help for name, function in FUNCTIONS.items()}


@router.get("/workspaces/{workspace_id}/lists")
def lists(request: Request, workspace_id: int, actor: MaySee) -> list[ListView]:
    return plan_checks.lists(request.app.state.store, workspace_id)


@router.put("/workspaces/{workspace_id}/lists/{name}")
def put_list(request: Request, workspace_id: int, name: str, actor: MayPlan, body: Entries) -> ListView:
    return plan_checks.put_list(request.app.state.store, actor, workspace_id, name, body.entries)


@router.post("/workspaces/{workspace_id}/lists/{name}/csv")
@takes_files(lambda settings: DATA_BYTES_MOST)
@at_length
def load_list(
    request: Request,
    workspace_id: int,
    name: str,
    actor: MayPlan,
    file: Annotated[UploadFile, File(description="UTF-8 CSV; its first column is the list")],
) -> ListView:
    store = request.app.state.store
    return plan_checks.put_list(store, actor, workspace_id, name, store.parsers.entries_of(file.file.read()))


# ---- The whole plan --------------------------------------------------------------------------------------------------


@router.get("/plan-schema")
def schema(actor: MaySee) -> dict[str, Any]:
    """The JSON Schema of plan files."""
    return plan_schema()


@router.get("/types/{type_id}/plan.json", **gives("application/json"))
def export_plan(request: Request, type_id: int, actor: MaySee) -> Response:
    name, data = plan_history.export_plan(request.app.state.store, type_id)
    return download(name, data, "application/json")


@router.put("/types/{type_id}/plan.json")
def replace_plan(
    request: Request, type_id: int, actor: MayPlan, body: Annotated[dict[str, Any], Body()], number: PlanNumberKnown
) -> Made:
    """A plan file as the new plan of a type."""
    return Made(id=_imported(request, actor, 0, body, type_id, number))


@router.post("/workspaces/{workspace_id}/plans", status_code=201)
def import_plan(request: Request, workspace_id: int, actor: MayPlan, body: Annotated[dict[str, Any], Body()]) -> Made:
    """A plan file as a new document type."""
    return Made(id=_imported(request, actor, workspace_id, body))


def _imported(
    request: Request,
    actor: Actor,
    workspace_id: int,
    body: dict[str, Any],
    type_id: int | None = None,
    number: int | None = None,
) -> int:
    data = json.dumps(body).encode()
    return plan_history.import_plan(request.app.state.store, actor, workspace_id, data, type_id=type_id, number=number)


@router.post("/types/{type_id}/copy", status_code=201)
def copy_type(request: Request, type_id: int, actor: MayPlan, body: Named) -> Made:
    return Made(id=plan_history.copy_type(request.app.state.store, actor, type_id, body.name))


@router.get("/types/{type_id}/plan-versions")
def plan_versions(request: Request, type_id: int, actor: MaySee) -> list[PlanVersionView]:
    return plan_history.plan_versions(request.app.state.store, type_id)


@router.post("/types/{type_id}/plan-versions/{version}")
def go_back(request: Request, type_id: int, version: int, actor: MayPlan, number: PlanNumberKnown) -> PlanNumber:
    """The plan as it was at that version, as a new version."""
    return PlanNumber(number=plan_history.go_back(request.app.state.store, actor, type_id, version, number=number))


class Reread(BaseModel):
    papers: int


@router.post("/types/{type_id}/reread")
def reread(request: Request, type_id: int, actor: MayPlan) -> Reread:
    """Draft the live papers again that wait or are held and that nobody has begun."""
    return Reread(papers=versions.redraft_all(request.app.state.store, actor, type_id))


# ---- The sample beside the plan --------------------------------------------------------------------------------------


@router.post("/types/{type_id}/sample/{document_id}")
@at_length
def preview(request: Request, type_id: int, document_id: int, actor: MayPlan, body: Drafted) -> PreviewSample:
    """What the plan alone, with a field as it is being typed, finds on a sample."""
    state = request.app.state
    return plan_sample.preview(state.store, state.explorer, type_id, document_id, body.field, body.key, body.page)


@router.get("/types/{type_id}/sample/{document_id}/proposals")
@at_length
def propose(request: Request, type_id: int, document_id: int, actor: MayPlan, page: int = 1) -> list[ProposalView]:
    """Fields that a sample proposes beyond the plan's; of a long one, the pages about `page`."""
    state = request.app.state
    return plan_sample.propose(state.store, state.explorer, type_id, document_id, page)


@router.post("/documents/{document_id}/table-proposal")
@at_length
def propose_table(request: Request, document_id: int, actor: MayPlan, body: Region) -> ProposalView:
    """A region of a page as a table."""
    return plan_sample.propose_table(request.app.state.store, document_id, body.page, Box(*body.box))


@router.get("/normal-form")
def normal(
    actor: MaySee,
    data_type: DataType,
    text: str,
    pattern: str = "",
    region: str = "",
    month_first: bool = False,
    options: str = "",
) -> NormalForm:
    """A text in a data type's normal form. `options` are a choice's keys, comma between them."""
    kind = ValueType(
        data_type,
        month_first=month_first,
        pattern=pattern,
        region=region,
        options=tuple(Option(key) for key in options.split(",") if key),
    )
    return NormalForm(normal=normal_form(text, kind))


@router.get("/types/{type_id}/fields/{key}/normal-form")
def field_normal(request: Request, type_id: int, key: str, actor: MaySee, text: str) -> NormalForm:
    """A text as a field of a type reads it."""
    return NormalForm(normal=plan_fields.normal_of(request.app.state.store, type_id, key, text))


@router.get("/types/{type_id}/synonyms")
def names(request: Request, type_id: int, actor: MaySee) -> plan_synonyms.SynonymsView:
    """Groups of names that mean the same, and names seen on papers that none of them knows."""
    return plan_synonyms.synonyms_view(request.app.state.store, request.app.state.versions, type_id)


@router.put("/types/{type_id}/synonyms", status_code=204)
def set_synonyms(request: Request, type_id: int, actor: MayPlan, body: Names) -> None:
    """Keep the office's own groups, one a line with = between names."""
    plan_synonyms.set_synonyms(request.app.state.store, actor, type_id, body.lines)
