"""The suggestion service: an outside program that answers plain-language questions about a paper. Off until an
administrator turns it on, since it is sent the text of papers."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from urllib.parse import urlsplit

from jugum.core.extraction.values.placing import place_value
from jugum.core.page import Page, laid_out, text_of
from jugum.core.schema import Plan
from jugum.core.states import RecordState
from jugum.errors import ExternalError, InputError, NotFound
from jugum.flow.label.desk_parts import ValueView
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import ADMINISTER, Actor, record
from jugum.store import Store
from jugum.store.models import Workspace

SECONDS_MAX = 3.0  # for all questions about one paper: a desk waits no longer
ASKED_MAX = 12  # fields asked about on one paper
ANSWER_MAX = 2_000
BYTES_MAX = 1_000_000
LOOPBACK = frozenset({"127.0.0.1", "localhost", "::1"})


@dataclass(frozen=True)
class ServiceView:
    """A workspace's suggestion service: on or off, its address, whether papers' text stays on this machine, and who
    set it when."""

    workspace_id: int
    workspace: str
    on: bool
    address: str
    stays: bool
    by: str
    at: str


def services(store: Store, actor: Actor) -> list[ServiceView]:
    """Each workspace's service, for administrators."""
    actor.require(ADMINISTER)
    with store.session() as session:
        return [_view(workspace, store) for workspace in session.query(Workspace).order_by(Workspace.id)]


def _view(row: Workspace, store: Store) -> ServiceView:
    kept = row.services.get("suggestions", {})
    port = store.settings.suggestion_port
    address = str(kept.get("address") or (f"http://127.0.0.1:{port}" if port else ""))
    stays = (urlsplit(address).hostname or "") in LOOPBACK
    return ServiceView(
        row.id, row.name, bool(kept.get("on")), address, stays, str(kept.get("by", "")), str(kept.get("at", ""))
    )


def set_service(store: Store, actor: Actor, workspace_id: int, *, on: bool, address: str) -> None:
    """Turn a workspace's suggestion service on or off. InputError for an address that is none."""
    actor.require(ADMINISTER)
    address = address.strip().rstrip("/")
    parts = urlsplit(address)
    if on and (parts.scheme not in ("http", "https") or not parts.hostname):
        raise InputError(
            f"“{address}” is not the address of a service. Write http:// or https:// and the name of a machine."
        )
    with store.session() as session:
        row = session.get(Workspace, workspace_id, with_for_update=True)
        if row is None:
            raise NotFound(f"There is no workspace with id {workspace_id}.")
        said = {"on": on, "address": address, "by": actor.name, "at": datetime.now(UTC).isoformat(timespec="minutes")}
        row.services = {**row.services, "suggestions": said}
        record(session, actor, Action.SET_SERVICE, "workspace", workspace_id, on=on, address=address)


def answers(store: Store, workspace: Workspace, plan: Plan, pages: Sequence[Page]) -> dict[str, ValueView]:
    """Field key → what the service answers to the field's question, with its place where the answer stands on the
    paper. Empty while it is off; a service that can't be reached or answers nonsense answers nothing, since a desk
    must open without it."""
    view = _view(workspace, store)
    asked = [field for field in plan.fields if field.question][:ASKED_MAX]
    if not view.on or not view.address or not asked:
        return {}
    lines = lines_of_pages(pages)
    said: dict[str, str] = {}
    until = time.monotonic() + SECONDS_MAX
    for planned in asked:
        try:
            answer = ask(view.address, planned.question, lines, seconds=until - time.monotonic())
        except ExternalError:
            break
        if answer:
            said[planned.key] = answer
    placed = place_value(Plan(tuple(field for field in plan.fields if field.key in said)), pages, said) if said else {}
    found = {}
    for key in said:
        spot = placed[key].candidate if placed[key].state is not RecordState.NOT_FOUND else None
        if spot is not None:
            box = [round(edge, 5) for edge in spot.box]
            found[key] = ValueView(
                spot.text,
                spot.normal,
                spot.page,
                box,
                None,
                "service",
                why="the suggestion service answered the field's question",
            )
    return found


def lines_of_pages(pages: Sequence[Page]) -> list[str]:
    """A paper's rows as text, pieces parted by two blanks."""
    found = []
    for page in pages:
        by_row: dict[int, list[str]] = {}
        for segment in laid_out(page)[1]:
            by_row.setdefault(segment.row, []).append(text_of(page.words[segment.first : segment.last + 1]))
        found += ["  ".join(by_row[row]) for row in sorted(by_row)]
    return found


def ask(address: str, question: str, lines: Sequence[str], *, seconds: float = SECONDS_MAX) -> str:
    """A service's answer to a question about lines of text; "" for none. ExternalError when it can't be reached or
    does not answer as one."""
    if seconds <= 0:
        raise ExternalError(f"The suggestion service at {address} takes too long.")
    body = json.dumps({"question": question, "lines": list(lines)}).encode()
    request = urllib.request.Request(f"{address}/answer", body, {"Content-Type": "application/json"})
    try:
        with urllib.request.urlopen(request, timeout=seconds) as response:
            answer = json.loads(response.read(BYTES_MAX))
    except (urllib.error.URLError, TimeoutError, ValueError, OSError) as error:
        raise ExternalError(f"The suggestion service at {address} does not answer: {error}") from error
    if not isinstance(answer, dict) or not isinstance(answer.get("answer"), str):
        raise ExternalError(f"The suggestion service at {address} gave an answer that cannot be read.")
    return str(answer["answer"])[:ANSWER_MAX].strip()
