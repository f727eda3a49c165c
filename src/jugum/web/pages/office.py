"""People (administrators) and one's own API keys."""

from __future__ import annotations

from datetime import UTC, date, datetime
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from jugum.core.values.date_styles import DateStyle
from jugum.errors import InputError
from jugum.flow.label import suggestion_service
from jugum.flow.office import keys, people, sign_in
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.overview import overview
from jugum.store.models import MEMBER_ROLES, ROLES
from jugum.web import headings
from jugum.web.description import described
from jugum.web.gate import GatedRoute
from jugum.web.guide import guide
from jugum.web.rendering import page
from jugum.web.security import MayAdminister, MaySee

router = APIRouter(route_class=GatedRoute)


def _page(request: Request, actor: Actor, name: str, **context: Any) -> Response:
    """A page of the office, in the frame of the type that is turned to first."""
    shown = overview.default_type(request.app.state.store)
    return page(request, f"office/{name}.html", actor=actor, shown=shown, **context)


def _keys(request: Request, actor: Actor, fresh: str = "") -> Response:
    store = request.app.state.store
    return _page(
        request,
        actor,
        "keys",
        keys=keys.keys_of(store, actor),
        workspaces=types_.workspaces(store),
        scopes=keys.SCOPES,
        days=keys.DAYS,
        days_most=keys.DAYS_MOST,
        fresh=fresh,
    )


@router.get("/keys")
def keys_page(request: Request, actor: MaySee) -> Response:
    return _keys(request, actor)


@router.post("/keys")
def make_key(
    request: Request,
    actor: MaySee,
    name: Annotated[str, Form()],
    workspace: Annotated[int, Form()],
    scope: Annotated[list[str], Form()] = [],  # noqa: B006 - FastAPI copies it
    days: Annotated[int, Form()] = keys.DAYS,
) -> Response:
    return _keys(request, actor, keys.make_key(request.app.state.store, actor, name, workspace, scope, days))


@router.post("/keys/{key_id}/revoke")
def revoke_key(request: Request, key_id: int, actor: MaySee) -> Response:
    keys.revoke_key(request.app.state.store, actor, key_id)
    return RedirectResponse("/keys", 303)


# ---- One's own account -----------------------------------------------------------------------------------------------


def _account(request: Request, actor: Actor, said: str = "", wrong: str = "", status: int = 200) -> Response:
    store = request.app.state.store
    return _page(
        request,
        actor,
        "account",
        sessions=sign_in.sessions_of(store, actor, request.session.get("token", "")),
        idle_minutes=store.settings.idle_minutes,
        password_least=people.PASSWORD_LEAST,
        said=said,
        wrong=wrong,
        status=status,
    )


@router.get("/account")
def account_page(request: Request, actor: MaySee) -> Response:
    return _account(request, actor)


@router.post("/account/password")
def change_password(
    request: Request, actor: MaySee, present: Annotated[str, Form()], new: Annotated[str, Form()]
) -> Response:
    try:
        ended = sign_in.change_password(request.app.state.store, actor, present, new, request.session.get("token", ""))
    except InputError as error:
        return _account(request, actor, wrong=str(error), status=422)
    return _account(request, actor, said=headings.password_changed(ended))


@router.post("/account/sessions/{session_id}/end")
def end_session(request: Request, session_id: int, actor: MaySee) -> Response:
    sign_in.end_session(request.app.state.store, actor, session_id=session_id)
    return RedirectResponse("/account", 303)


# ---- People ----------------------------------------------------------------------------------------------------------


@router.get("/people")
def people_page(request: Request, actor: MayAdminister) -> Response:
    store = request.app.state.store
    workspaces = types_.workspaces(store)
    return _page(
        request,
        actor,
        "people",
        people=people.people(store, actor),
        memberships=people.memberships(store, actor),
        workspaces=workspaces,
        types_of={row.id: types_.types(store, row.id) for row in workspaces},
        roles=ROLES,
        member_roles=MEMBER_ROLES,
        password_least=people.PASSWORD_LEAST,
    )


@router.post("/people")
def add_person(
    request: Request,
    actor: MayAdminister,
    login: Annotated[str, Form()],
    name: Annotated[str, Form()],
    role: Annotated[str, Form()],
    password: Annotated[str, Form()],
    workspace: Annotated[list[int], Form()] = [],  # noqa: B006 - FastAPI copies it
) -> Response:
    people.add_person(
        request.app.state.store, actor, login=login, name=name, role=role, password=password, workspaces=workspace
    )
    return RedirectResponse("/people", 303)


@router.post("/workspaces/{workspace_id}/members")
def let_in(
    request: Request,
    workspace_id: int,
    actor: MayAdminister,
    person: Annotated[int, Form()],
    role: Annotated[str, Form()],
    type_id: Annotated[list[int], Form()] = [],  # noqa: B006 - FastAPI copies it
) -> Response:
    people.let_in(request.app.state.store, actor, person, workspace_id, role, type_id)
    return RedirectResponse("/people", 303)


@router.post("/workspaces/{workspace_id}/members/{person_id}/remove")
def leave_out(request: Request, workspace_id: int, person_id: int, actor: MayAdminister) -> Response:
    people.leave_out(request.app.state.store, actor, person_id, workspace_id)
    return RedirectResponse("/people", 303)


@router.post("/people/password")
def set_password(
    request: Request, actor: MayAdminister, person: Annotated[int, Form()], password: Annotated[str, Form()]
) -> Response:
    people.set_password(request.app.state.store, actor, person, password)
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
    return _page(request, actor, "guide", sections=guide())


@router.get("/api")
def api_page(request: Request, actor: MaySee) -> Response:
    return _page(request, actor, "api", schema=described(request.app))


@router.get("/services")
def services_page(request: Request, actor: MayAdminister) -> Response:
    store = request.app.state.store
    return _page(
        request,
        actor,
        "services",
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
