"""Who is asking, and may they? Every route declares what it requires; a test fails on one that doesn't."""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass, replace
from typing import Annotated

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool

from jugum.errors import Forbidden, InputError, NotSignedIn
from jugum.flow.label.desk_parts import may_open
from jugum.flow.office import keys, personal, sign_in, walls
from jugum.flow.office.actor import ADMINISTER, DELIVER, GATHER, LABEL, PLAN, REVIEW, SEE, TRAIN, WEIGH, Actor
from jugum.store.scope import Scope, enter, seeing

CSRF_HEADER = "x-csrf-token"
SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})


@dataclass(frozen=True)
class Public:
    """Declares that a route is for anyone."""

    async def __call__(self) -> None:
        return None


@dataclass(frozen=True)
class Requires:
    """Declares the permission that a route needs; gives the actor as a member of the workspace at hand.

    What the address names (a paper, a type, a version …) must stand in a workspace that is open to the actor; what is
    elsewhere is not there. From then on the request sees that workspace alone; one that names nothing sees those in
    which the actor has the permission. A session needs the CSRF token for anything that changes; an API key in
    `Authorization: Bearer …` needs none, for no browser sends it by itself. Whatever shows a paper is closed to who may
    not see personal values, if the paper's type has some.
    """

    permission: str

    async def __call__(self, request: Request) -> Actor:
        actor = getattr(request.state, "actor", None) or await self.admit(request)
        if not _has_key(request) and request.method not in SAFE_METHODS:
            await check_csrf(request)  # which may stand in the body
        return actor

    async def admit(self, request: Request) -> Actor:
        """Let the request in, before its body is read: see `web.gate`."""
        actor, scope = await run_in_threadpool(self._let_in, request)
        enter(scope)
        request.state.actor = actor
        return actor

    def _let_in(self, request: Request) -> tuple[Actor, Scope]:
        store = request.app.state.store
        actor = self._placed(request, authenticated(request))
        scope = actor.scope
        if scope.masked:
            scope = replace(scope, hidden=personal.personal_keys(store, scope))
        actor.require(self.permission)
        document = str(request.path_params.get("document_id", ""))
        if not actor.sees_personal and document.isdigit():
            with seeing(scope):
                may_open(store, actor, int(document))
        return actor, scope

    def _placed(self, request: Request, actor: Actor) -> Actor:
        named = {name: its_id for name, its_id in request.path_params.items() if name in walls.PLACES}
        if not named:
            return actor.wherever(self.permission)
        try:
            ids = {name: int(its_id) for name, its_id in named.items()}
        except ValueError as error:
            raise InputError("This address is not valid: it needs a number.") from error
        return walls.within(request.app.state.store, actor, ids)


def _has_key(request: Request) -> bool:
    return request.headers.get("authorization", "").lower().startswith("bearer ")


def authenticated(request: Request) -> Actor:
    """Whoever asks, by a key or by a session. All they are a member of is remembered for the frame of a page."""
    if _has_key(request):
        key = request.headers["authorization"][7:].strip()
        actor = keys.actor_by_key(request.app.state.store, key)
    else:
        actor = session_actor(request)
    request.state.everywhere = actor.scope
    return actor


MaySee = Annotated[Actor, Depends(Requires(SEE))]
MayGather = Annotated[Actor, Depends(Requires(GATHER))]
MayPlan = Annotated[Actor, Depends(Requires(PLAN))]
MayLabel = Annotated[Actor, Depends(Requires(LABEL))]
MayTrain = Annotated[Actor, Depends(Requires(TRAIN))]
MayWeigh = Annotated[Actor, Depends(Requires(WEIGH))]
MayReview = Annotated[Actor, Depends(Requires(REVIEW))]
MayDeliver = Annotated[Actor, Depends(Requires(DELIVER))]
MayAdminister = Annotated[Actor, Depends(Requires(ADMINISTER))]


def session_actor(request: Request) -> Actor:
    token = request.session.get("token")
    actor = sign_in.actor_by_session(request.app.state.store, token) if token else None
    if actor is None:
        raise NotSignedIn("Sign in first.")
    return actor


def address_of(request: Request) -> str:
    """Where a request comes from, as far as the server knows."""
    return request.client.host if request.client else ""


def csrf_token(request: Request) -> str:
    """The session's token, made at first use."""
    if "csrf" not in request.session:
        request.session["csrf"] = secrets.token_urlsafe(24)
    return str(request.session["csrf"])


async def check_csrf(request: Request) -> None:
    """Forbidden unless the header or the form carries the session's token."""
    given = request.headers.get(CSRF_HEADER, "")
    if not given and request.headers.get("content-type", "").startswith(
        ("application/x-www-form-urlencoded", "multipart/form-data")
    ):
        given = str((await request.form()).get("csrf_token", ""))
    expected = str(request.session.get("csrf", ""))
    if not expected or not hmac.compare_digest(given, expected):
        raise Forbidden("This form is too old, or came from another page. Load the page again and repeat.")
