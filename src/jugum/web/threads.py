"""How many requests a web process works on at the same time.

Threads that compute hand the interpreter to each other, and a page asks the database twenty times: with forty at once
each question waits for many of the others (bench.crowd: 11 answers a second, and 17 with eight). Who comes when all are
busy waits in turn. What takes seconds has threads of its own, so that pages go on.
"""

from __future__ import annotations

import functools
from collections.abc import Callable, Coroutine
from typing import Any, ParamSpec, TypeVar

from anyio import CapacityLimiter, to_thread
from anyio.lowlevel import RunVar

SHORT = 8
LONG = 6
_long: RunVar[CapacityLimiter] = RunVar("long")
P = ParamSpec("P")
T = TypeVar("T")


def begin() -> None:
    """Set the numbers for the event loop that runs."""
    to_thread.current_default_thread_limiter().total_tokens = SHORT
    _long.set(CapacityLimiter(LONG))


def at_length(endpoint: Callable[P, T]) -> Callable[P, Coroutine[Any, Any, T]]:
    """Declares that a route may take seconds; stands next to its function."""

    @functools.wraps(endpoint)
    async def waited(*args: P.args, **kwargs: P.kwargs) -> T:
        return await in_long_thread(functools.partial(endpoint, *args, **kwargs))

    return waited


async def in_long_thread(work: Callable[[], T]) -> T:
    """Work that may take seconds, or wait for some."""
    return await to_thread.run_sync(work, limiter=_long.get(None))
