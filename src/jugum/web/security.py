"""Who is asking, and may they? Every route declares what it requires; a test fails on one that doesn't."""

from __future__ import annotations

import hmac
import secrets
from dataclasses import dataclass
from typing import Annotated

from fastapi import Depends, Request
from starlette.concurrency import run_in_threadpool

from jugum.errors import Forbidden, NotSignedIn
from jugum.flow.label.desk_parts import may_open
from jugum.flow.office import people
from jugum.flow.office.actor import ADMINISTER, DELIVER, GATHER, LABEL, PLAN, REVIEW, SEE, TRAIN, WEIGH, Actor

CSRF_HEADER = "x-csrf-token"
SAFE_METHODS = frozenset({"GET", "HEAD", "OPTIONS"})


@dataclass(frozen=True)
class Public:
    """Declares that a route is for anyone."""

    async def __call__(self) -> None:
        return None


@dataclass(frozen=True)
class Requires:
    """Declares the permission that a route needs; gives the actor. A session needs the CSRF token for anything that
    changes; an API key in `Authorization: Bearer …` needs none, for no browser sends it by itself. Whatever shows a
    paper (its address names a document) is closed to who may not see personal values, if the paper's type has some.
    """

    permission: str

    async def __call__(self, request: Request) -> Actor:
        header = request.headers.get("authorization", "")
        store = request.app.state.store
        if header.lower().startswith("bearer "):
            actor = await run_in_threadpool(people.actor_by_key, store, header[7:].strip())
        else:
            actor = await session_actor(request)
            if request.method not in SAFE_METHODS:
                await check_csrf(request)
        actor.require(self.permission)
        document = str(request.path_params.get("document_id", ""))
        if not actor.sees_personal and document.isdigit():
            await run_in_threadpool(may_open, store, actor, int(document))
        request.state.actor = actor
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


async def session_actor(request: Request) -> Actor:
    person_id = request.session.get("person")
    actor = await run_in_threadpool(people.actor_by_id, request.app.state.store, person_id) if person_id else None
    if actor is None:
        raise NotSignedIn("Sign in first.")
    return actor


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
