"""People (administrators) and one's own API keys."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from jugum.core.values.date_styles import DateStyle
from jugum.flow.label import suggestion_service
from jugum.flow.office import people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.overview import overview
from jugum.store.models import ROLES
from jugum.web.guide import guide
from jugum.web.rendering import page
from jugum.web.security import MayAdminister, MaySee

router = APIRouter()


def _keys(request: Request, actor: Actor, fresh: str = "") -> Response:
    store = request.app.state.store
    return page(
        request,
        "office/keys.html",
        actor=actor,
        shown=overview.default_type(store),
        keys=people.keys_of(store, actor),
        fresh=fresh,
    )


@router.get("/keys")
def keys_page(request: Request, actor: MaySee) -> Response:
    return _keys(request, actor)


@router.post("/keys")
def make_key(request: Request, actor: MaySee, name: Annotated[str, Form()]) -> Response:
    return _keys(request, actor, people.make_key(request.app.state.store, actor, name))


@router.post("/keys/{key_id}/revoke")
def revoke_key(request: Request, key_id: int, actor: MaySee) -> Response:
    people.revoke_key(request.app.state.store, actor, key_id)
    return RedirectResponse("/keys", 303)


@router.get("/people")
def people_page(request: Request, actor: MayAdminister) -> Response:
    store = request.app.state.store
    return page(
        request,
        "office/people.html",
        actor=actor,
        shown=overview.default_type(store),
        people=people.people(store, actor),
        roles=ROLES,
    )


@router.post("/people")
def add_person(
    request: Request,
    actor: MayAdminister,
    login: Annotated[str, Form()],
    name: Annotated[str, Form()],
    role: Annotated[str, Form()],
    password: Annotated[str, Form()],
) -> Response:
    people.add_person(request.app.state.store, actor, login=login, name=name, role=role, password=password)
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/active")
def set_active(request: Request, person_id: int, actor: MayAdminister, active: Annotated[bool, Form()]) -> Response:
    people.set_active(request.app.state.store, actor, person_id, active=active)
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/sees-personal")
def set_sees_personal(
    request: Request, person_id: int, actor: MayAdminister, sees: Annotated[bool, Form()]
) -> Response:
    people.set_sees_personal(request.app.state.store, actor, person_id, sees=sees)
    return RedirectResponse("/people", 303)


@router.post("/people/{person_id}/lets-stand")
def set_lets_stand(request: Request, person_id: int, actor: MayAdminister, lets: Annotated[bool, Form()]) -> Response:
    people.set_lets_stand(request.app.state.store, actor, person_id, lets=lets)
    return RedirectResponse("/people", 303)


@router.get("/guide")
def guide_page(request: Request, actor: MaySee) -> Response:
    shown = overview.default_type(request.app.state.store)
    return page(request, "office/guide.html", actor=actor, shown=shown, sections=guide())


@router.get("/services")
def services_page(request: Request, actor: MayAdminister) -> Response:
    store = request.app.state.store
    return page(
        request,
        "office/services.html",
        actor=actor,
        shown=overview.default_type(store),
        services=suggestion_service.services(store, actor),
        workspaces=types_.workspaces(store),
        date_styles=list(DateStyle),
        last_of_may=date(datetime.now(UTC).year, 5, 31),
    )


@router.post("/workspaces/{workspace_id}/dates")
def set_dates(
    request: Request, workspace_id: int, actor: MayAdminister, style: Annotated[DateStyle, Form()]
) -> Response:
    types_.set_date_style(request.app.state.store, actor, workspace_id, style)
    return RedirectResponse("/services", 303)


@router.post("/services/{workspace_id}")
def set_service(
    request: Request,
    workspace_id: int,
    actor: MayAdminister,
    on: Annotated[bool, Form()],
    address: Annotated[str, Form()] = "",
) -> Response:
    suggestion_service.set_service(request.app.state.store, actor, workspace_id, on=on, address=address)
    return RedirectResponse("/services", 303)
