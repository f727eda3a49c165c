"""Label: the samples, the desk, and what belongs to labelling as a whole."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from jugum.core.states import RecordState
from jugum.flow.gather import documents, lists
from jugum.flow.label import control_suggestions, double_labelling, layouts, past_records, sets, suspicious
from jugum.flow.label import pace as label_pace
from jugum.flow.label.next_paper import ORDERS, first_to_label
from jugum.flow.office.actor import Actor
from jugum.flow.office.types import labelling_of, type_view
from jugum.flow.plan.fields import fields
from jugum.web.gate import GatedRoute
from jugum.web.lists import WantedOf
from jugum.web.rendering import page
from jugum.web.security import MayLabel, MaySee

router = APIRouter(route_class=GatedRoute)
RECORD_STATES = (
    (RecordState.FOUND, "found in one place"),
    (RecordState.CHOSEN, "place chosen by a person"),
    (RecordState.AMBIGUOUS, "waiting for a choice"),
    (RecordState.NOT_FOUND, "saved without a place"),
)
TABS = (
    ("", "Samples"),
    ("layouts", "Layouts and sets"),
    ("past-records", "Past records"),
    ("double-labelling", "Double labelling"),
    ("quality", "Suspicious labels"),
    ("figures", "Figures"),
)


def _page(request: Request, actor: Actor, type_id: int, template: str, tab: str, **more: Any) -> Response:
    shown = type_view(request.app.state.store, type_id)
    return page(request, template, actor=actor, shown=shown, step="label", tab=tab, tabs=TABS, **more)


@router.get("/types/{type_id}/label")
def label_page(request: Request, type_id: int, actor: MaySee, wanted: WantedOf) -> Response:
    store = request.app.state.store
    first, why = first_to_label(store, type_id, actor.id)
    papers = lists.paper_list(store, type_id, replace(wanted, purpose="sample", untyped=False))
    return _page(
        request,
        actor,
        type_id,
        "label/label.html",
        "",
        # that it lists samples alone is not for the address to say
        papers=replace(papers, wanted=replace(papers.wanted, purpose="")),
        fields=fields(store, type_id),
        first=first,
        why=why,
        orders=ORDERS,
        labelling=labelling_of(store, type_id),
    )


@router.get("/types/{type_id}/label/next")
def next_to_label(request: Request, type_id: int, actor: MayLabel) -> Response:
    found, _ = first_to_label(request.app.state.store, type_id, actor.id)
    return RedirectResponse(f"/label/{found}" if found else f"/types/{type_id}/label", 303)


@router.get("/types/{type_id}/label/layouts")
def layouts_page(request: Request, type_id: int, actor: MayLabel) -> Response:
    store = request.app.state.store
    found = layouts.layout_groups(store, type_id)
    return _page(
        request,
        actor,
        type_id,
        "label/layouts.html",
        "layouts",
        layouts=found,
        sets=sets.sets(store, type_id),
        waiting=layouts.ungrouped(store, type_id),
    )


@router.get("/types/{type_id}/label/past-records")
def past_records_page(request: Request, type_id: int, actor: MayLabel) -> Response:
    return _page(
        request,
        actor,
        type_id,
        "label/past_records.html",
        "past-records",
        view=past_records.overview(request.app.state.store, type_id),
        states=RECORD_STATES,
    )


@router.get("/types/{type_id}/label/double-labelling")
def double_labelling_page(request: Request, type_id: int, actor: MayLabel) -> Response:
    view = double_labelling.overview(request.app.state.store, type_id)
    return _page(request, actor, type_id, "label/double_labelling.html", "double-labelling", view=view)


@router.get("/types/{type_id}/label/quality")
def quality_page(request: Request, type_id: int, actor: MayLabel) -> Response:
    found = suspicious.suspects(request.app.state.store, type_id)
    return _page(request, actor, type_id, "label/quality.html", "quality", suspects=found)


@router.get("/types/{type_id}/label/figures")
def figures_page(request: Request, type_id: int, actor: MayLabel) -> Response:
    store = request.app.state.store
    return _page(
        request,
        actor,
        type_id,
        "label/pace.html",
        "figures",
        shown_pace=label_pace.figures(store, type_id),
        plants=control_suggestions.figures(store, type_id),
    )


@router.get("/label/{document_id}")
def label_desk(request: Request, document_id: int, actor: MayLabel, field: str = "") -> Response:
    store = request.app.state.store
    view = documents.document_view(store, document_id)
    return page(
        request,
        "desk/desk.html",
        actor=actor,
        shown=type_view(store, view.type_id),
        step="label",
        mode="label",
        document=view,
        focus=field,
    )
