"""Whose rows a piece of work may see: the second wall around workspaces (docs/decisions/0022).

The web process sees nothing until a request has said who asks; then it sees the workspaces that this person is a
member of. Work of the program's own sees everything. PostgreSQL holds the wall by row-level security (`walls`): a
query that forgets to ask whose a row is does not find it.
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass


@dataclass(frozen=True)
class Scope:
    """Ids of the workspaces that are seen, None for all of them; in those that are `limited`, only the document types
    `types` are. Where personal values are `masked`, `hidden` are the keys of the fields that hold some."""

    workspaces: frozenset[int] | None
    limited: frozenset[int] = frozenset()
    types: frozenset[int] = frozenset()
    masked: bool = False
    hidden: frozenset[str] = frozenset()

    @property
    def settings(self) -> dict[str, str]:
        """The settings `jugum.workspaces`, `jugum.limited` and `jugum.types` that PostgreSQL's policies look at."""
        return {
            "workspaces": "*" if self.workspaces is None else _listed(self.workspaces),
            "limited": _listed(self.limited),
            "types": _listed(self.types),
        }


def _listed(ids: frozenset[int]) -> str:
    return ",".join(map(str, sorted(ids)))


EVERYTHING = Scope(None)
NOTHING = Scope(frozenset())
_current: ContextVar[Scope | None] = ContextVar("scope", default=None)


def enter(scope: Scope) -> None:
    """From here to the end of this request (of its context), this is seen."""
    _current.set(scope)


def current() -> Scope | None:
    """What was entered; None where nothing was."""
    return _current.get()


def is_masked() -> bool:
    """Whether personal values are masked here."""
    scope = _current.get()
    return scope is not None and scope.masked


def hidden_keys() -> frozenset[str]:
    """Keys of the fields whose values are hidden here."""
    scope = _current.get()
    return scope.hidden if scope is not None else frozenset()


@contextmanager
def seeing(scope: Scope) -> Iterator[None]:
    """For a few lines, another scope."""
    token = _current.set(scope)
    try:
        yield
    finally:
        _current.reset(token)
