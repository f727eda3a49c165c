"""Weigh: balances and policies, spot checks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from datetime import date
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from jugum.core.states import SortingSubject
from jugum.core.thresholds.checking import CheckRules
from jugum.core.thresholds.periods import Span
from jugum.errors import InputError
from jugum.flow.office import types as types_
from jugum.flow.plan.fields import fields
from jugum.flow.weigh import breaches, check_settings, policies, sorting_policies, weighing
from jugum.flow.weigh.check_settings import CheckSettings
from jugum.flow.weigh.live import live
from jugum.flow.weigh.sorting_lately import sorted_lately
from jugum.flow.weigh.sorting_view import weigh_sorting
from jugum.flow.weigh.spot_checks import spot_checks
from jugum.flow.weigh.weighing import FieldWeighed
from jugum.web import charts
from jugum.web.api.sorting import SortingOut
from jugum.web.api.weigh import PolicyBody, WeighOut
from jugum.web.gate import GatedRoute, takes_files
from jugum.web.period_charts import day_name, period_charts
from jugum.web.rendering import page
from jugum.web.security import MaySee, MayWeigh
from jugum.web.weigh_words import FIELDS, SORTED

router = APIRouter(route_class=GatedRoute)
FILE_BYTES_MAX = 1_000_000  # of a policy


@router.get("/types/{type_id}/weigh")
def weigh_page(request: Request, type_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    shown = types_.type_view(store, type_id)
    try:
        view = weighing.weigh(store, type_id)
    except InputError as error:
        return page(request, "weigh/empty.html", actor=actor, shown=shown, step="weigh", tab="", message=str(error))
    return page(
        request,
        "weigh/weigh.html",
        actor=actor,
        shown=shown,
        step="weigh",
        view=view,
        weighed=WeighOut.of(view).model_dump(mode="json", exclude={"balances": {"__all__": {"points"}}}),
        marks=_marks(view.fields),
        tab="",
        words=FIELDS,
        shown_words=FIELDS.to_data(),
        policies=policies.policies(store, type_id),
        names={field.key: field.name for field in view.fields},
    )


def _marks(fields: Sequence[FieldWeighed]) -> dict[str, list[list[object]]]:
    return {field.key: [_mark(asdict(point)) for point in field.points] for field in fields}


def _mark(point: dict[str, object]) -> list[object]:
    """A point for the chart: confidence, layout similarity, right, unseen, document, found, expected, counted, how
    its truth became known."""
    names = ("confidence", "layout_similarity", "right", "unseen", "document", "found", "expected", "counted", "source")
    return [point[name] for name in names]


@router.get("/types/{type_id}/weigh/checks")
def checks_page(request: Request, type_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    shown = types_.type_view(store, type_id)
    view = spot_checks(store, type_id)
    return page(
        request,
        "weigh/checks.html",
        actor=actor,
        shown=shown,
        step="weigh",
        tab="checks",
        view=view,
        settings=view.settings,
        chart=charts.winnings_chart(view.winnings, view.alarm),
        times=round(view.winnings[-1].winnings, 2) if view.winnings else None,
    )


@router.get("/types/{type_id}/weigh/life")
def life_page(
    request: Request, type_id: int, actor: MaySee, span: Span = Span.WEEK, start: date | None = None
) -> Response:
    store = request.app.state.store
    view = live(store, type_id, span, start)
    return page(
        request,
        "weigh/life.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="weigh",
        tab="life",
        view=view,
        charts=period_charts(view),
        opened_on=day_name(view.opened.start) if view.opened else "",
        names={field.key: field.name for field in fields(store, type_id)},
    )


@router.get("/types/{type_id}/weigh/{subject}")
def sorting_page(request: Request, type_id: int, subject: SortingSubject, actor: MaySee) -> Response:
    state = request.app.state
    shown = types_.type_view(state.store, type_id)
    try:
        view = weigh_sorting(state.store, state.classifiers, shown.workspace_id, subject)
    except InputError as error:
        return page(
            request, "weigh/empty.html", actor=actor, shown=shown, step="weigh", tab=subject.value, message=str(error)
        )
    words = SORTED[subject]
    return page(
        request,
        "weigh/sorting.html",
        actor=actor,
        shown=shown,
        step="weigh",
        tab=subject.value,
        view=view,
        weighed=SortingOut.of(view).model_dump(mode="json", exclude={"balances": {"__all__": {"points"}}}),
        marks=_marks(view.fields),
        words=words,
        shown_words=words.to_data(),
        api=f"/api/v1/workspaces/{shown.workspace_id}/sorting/{subject}",
        lately=sorted_lately(state.store, shown.workspace_id, subject),
        policies=sorting_policies.sorting_policies(state.store, shown.workspace_id, subject),
        names={field.key: field.name for field in view.fields},
    )


@router.post("/types/{type_id}/weigh/checks")
def set_checking(
    request: Request,
    type_id: int,
    actor: MayWeigh,
    probation: Annotated[float, Form()],
    times: Annotated[float, Form()],
    days: Annotated[float, Form()],
    blind: Annotated[float, Form()],
    blind_values: Annotated[int, Form()],
    half_life: Annotated[float, Form()],
    on: Annotated[bool, Form()] = False,
    deliver_after: Annotated[bool, Form()] = False,
    suspends: Annotated[bool, Form()] = False,
    tell: Annotated[str, Form()] = "",
) -> Response:
    rules = CheckRules(probation / 100, times, days, blind / 100, blind_values)
    told = tuple(address.strip() for address in tell.split(",") if address.strip())
    settings = CheckSettings(on, rules, deliver_after, suspends, told, half_life)
    check_settings.set_checking(request.app.state.store, actor, type_id, settings)
    return RedirectResponse(f"/types/{type_id}/weigh/checks", 303)


@router.post("/types/{type_id}/policies/file")
@takes_files(lambda settings: FILE_BYTES_MAX)
def publish_file(request: Request, type_id: int, actor: MayWeigh, file: UploadFile) -> Response:
    body = PolicyBody.of_file(file.filename or "file", file.file.read(FILE_BYTES_MAX + 1))
    body.publish(request.app.state.store, actor, type_id)
    return RedirectResponse(f"/types/{type_id}/weigh", 303)


@router.post("/types/{type_id}/policies/resume")
def resume(request: Request, type_id: int, actor: MayWeigh, reason: Annotated[str, Form()] = "") -> Response:
    breaches.resume(request.app.state.store, actor, type_id, reason)
    return RedirectResponse(f"/types/{type_id}/weigh/checks", 303)


@router.post("/types/{type_id}/weigh/{subject}/policies/{number}/again")
def go_back_sorting(
    request: Request,
    type_id: int,
    subject: SortingSubject,
    number: int,
    actor: MayWeigh,
    csrf_token: Annotated[str, Form()] = "",
) -> Response:
    state = request.app.state
    workspace_id = types_.type_view(state.store, type_id).workspace_id
    sorting_policies.go_back_sorting(state.store, state.classifiers, actor, workspace_id, subject, number)
    return RedirectResponse(f"/types/{type_id}/weigh/{subject}", 303)


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
