"""Sign-in, overview, health."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request
from fastapi.responses import PlainTextResponse, RedirectResponse, Response

from jugum.errors import NotSignedIn, TooManyAttempts
from jugum.flow.office import people
from jugum.flow.office import sign_in as signing
from jugum.flow.office import types as types_
from jugum.flow.office.failures import failures
from jugum.flow.overview import overview
from jugum.web import failures as failures_
from jugum.web.gate import GatedRoute
from jugum.web.rendering import page
from jugum.web.security import MayPlan, MaySee, Public, address_of, check_csrf

router = APIRouter(route_class=GatedRoute)


@router.get("/health", dependencies=[Depends(Public())])
def health(request: Request) -> Response:
    people.anybody(request.app.state.store)
    return PlainTextResponse("ok")


@router.get("/sign-in", dependencies=[Depends(Public())])
def sign_in_page(request: Request, next: str = "/") -> Response:
    return page(request, "office/sign_in.html", actor=None, next=next, wrong="", login="")


@router.post("/sign-in", dependencies=[Depends(Public()), Depends(check_csrf)])
def sign_in(
    request: Request,
    login: Annotated[str, Form()],
    password: Annotated[str, Form()],
    next: Annotated[str, Form()] = "/",
) -> Response:
    store, address = request.app.state.store, address_of(request)
    try:
        actor = signing.sign_in(store, login, password, address)
    except (NotSignedIn, TooManyAttempts) as error:
        status = failures_.status_of(error)
        return page(request, "office/sign_in.html", actor=None, next=next, wrong=str(error), login=login, status=status)
    request.session.clear()  # a new session: whoever knew the old cookie does not know this one
    request.session["token"] = signing.begin_session(store, actor.id, request.headers.get("user-agent", ""), address)
    safe = next if next.startswith("/") and not next.startswith("//") and "\\" not in next else "/"
    return RedirectResponse(safe, 303)


@router.post("/sign-out")
def sign_out(request: Request, actor: MaySee) -> Response:
    signing.end_session(request.app.state.store, actor, token=request.session.get("token", ""))
    request.session.clear()
    return RedirectResponse("/sign-in", 303)


@router.get("/")
def overview_page(request: Request, actor: MaySee) -> Response:
    store = request.app.state.store
    rows = overview.overview(store)
    return page(
        request,
        "overview/overview.html",
        actor=actor,
        shown=overview.default_type(store),
        step="overview",
        rows=rows,
        urgent_steps=overview.urgent_steps(store, rows),
        latest_activity=overview.latest_activity(store),
        workspaces=types_.workspaces(store),
        failures=failures(store, actor),
    )


@router.post("/workspaces")
def add_workspace(request: Request, actor: MayPlan, name: Annotated[str, Form()]) -> Response:
    types_.add_workspace(request.app.state.store, actor, name)
    return RedirectResponse("/", 303)


@router.post("/workspaces/{workspace_id}/types")
def add_type(request: Request, workspace_id: int, actor: MayPlan, name: Annotated[str, Form()]) -> Response:
    type_id = types_.add_type(request.app.state.store, actor, workspace_id, name)
    return RedirectResponse(f"/types/{type_id}/plan", 303)
