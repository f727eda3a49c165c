"""What comes before a request's body is read: who asks, whether they may, and how much they may send.

FastAPI reads a body before it asks what a route depends on; 300 MB of JSON from nobody cost 900 MB before they were
refused. Every route of ours is a `GatedRoute`, which asks first.
"""

from __future__ import annotations

from collections.abc import Callable, Coroutine
from typing import Any, TypeVar

from fastapi import HTTPException, Request, Response
from fastapi.routing import APIRoute
from starlette.types import Message

from jugum.errors import BodyTooLarge
from jugum.settings import Settings
from jugum.web.security import Requires

BODY_MOST = 2_000_000  # bytes of a usual request: a table of some thousand rows has a quarter
DATA_BYTES_MOST = 50_000_000  # of labels, past records, words and lists
FORM_ROOM = 100_000  # bytes beside the file in a form
Endpoint = TypeVar("Endpoint", bound=Callable[..., Any])


def takes_files(most: Callable[[Settings], int]) -> Callable[[Endpoint], Endpoint]:
    """Declares how many bytes of file a route takes; stands under the route's own decorator."""

    def declared(endpoint: Endpoint) -> Endpoint:
        endpoint.takes_bytes = most  # type: ignore[attr-defined]
        return endpoint

    return declared


class GatedRoute(APIRoute):
    """A route that lets a request in, and only so much of its body, before FastAPI reads it."""

    def get_route_handler(self) -> Callable[[Request], Coroutine[Any, Any, Response]]:
        """The usual handler behind the gate."""
        answer = super().get_route_handler()
        asks = next((its.call for its in self.dependant.dependencies if isinstance(its.call, Requires)), None)
        most = getattr(self.endpoint, "takes_bytes", None)

        async def gated(request: Request) -> Response:
            if asks is not None:
                await asks.admit(request)
            limit = most(request.app.state.settings) + FORM_ROOM if most else BODY_MOST
            return await answer(_limited(request, limit))

        return gated


def _limited(request: Request, most: int) -> Request:
    """The request with a body that ends in an error where it grows past a limit."""
    said = request.headers.get("content-length", "")
    if said.isdigit() and int(said) > most:
        raise BodyTooLarge(_words(most))
    taken = 0

    async def receive() -> Message:
        nonlocal taken
        message = await request.receive()
        taken += len(message.get("body", b""))
        if taken > most:
            # FastAPI passes this on as it is; anything else becomes "there was an error parsing the body".
            raise HTTPException(413, _words(most))
        return message

    return Request(request.scope, receive)


def _words(most: int) -> str:
    return f"The request is larger than {most / 1e6:.0f} MB, the limit. Send it in smaller parts."
