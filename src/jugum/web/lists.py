"""Lists of papers in addresses: what is wanted of a list or of a queue, read from its query and written into links."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Depends, Request

from jugum.errors import InputError
from jugum.flow.gather.lists import Wanted
from jugum.flow.review.waiting import QueueWanted


def wanted_of(request: Request) -> Wanted:
    """What the address asks of a list. A form sends empty fields too: they ask for nothing. InputError names what can't
    be read."""
    given = {name: text.strip() for name, text in request.query_params.items() if text.strip()}
    return Wanted(
        purpose=given.get("purpose", ""),
        state=given.get("state", ""),
        source=_number(given, "source"),
        batch=_number(given, "batch"),
        layout=_number(given, "layout"),
        since=_day(given, "since"),
        until=_day(given, "until"),
        text=given.get("text", ""),
        untyped=given.get("untyped") == "1",
        sort=given.get("sort", "received"),
        upwards=given.get("upwards") == "1",
        page=_number(given, "page") or 1,
    )


def queue_wanted(request: Request) -> QueueWanted:
    """The same of the queue of Review."""
    given = {name: text.strip() for name, text in request.query_params.items() if text.strip()}
    return QueueWanted(
        reason=given.get("reason", ""),
        field=given.get("field", ""),
        batch=_number(given, "batch"),
        source=_number(given, "source"),
        layout=_number(given, "layout"),
        days=_number(given, "days"),
        person=given.get("person", ""),
        late=given.get("late") == "1",
        text=given.get("text", ""),
        sort=given.get("sort", "due"),
        after=given.get("after", ""),
    )


def _number(given: dict[str, str], name: str) -> int | None:
    text = given.get(name)
    if text is None:
        return None
    if not text.isdecimal() or len(text) > 9:
        raise InputError(f"“{text}” is not a number ({name}).")
    return int(text)


def _day(given: dict[str, str], name: str) -> date | None:
    text = given.get(name)
    if text is None:
        return None
    try:
        return date.fromisoformat(text)
    except ValueError as error:
        raise InputError(f"“{text}” is not a day such as 2026-11-27.") from error


def list_address(wanted: Wanted | QueueWanted, **changes: Any) -> str:
    """The query of a list's address: what is asked for, with changes, and nothing else. A change begins at the first
    page unless it names one."""
    page = "after" if isinstance(wanted, QueueWanted) else "page"
    asked = {**wanted.asked(), **({page: None} if changes and page not in changes else {}), **changes}
    said = {
        name: "1" if value is True else str(value) for name, value in asked.items() if value not in (None, "", False)
    }
    return "?" + urlencode(said)


WantedOf = Annotated[Wanted, Depends(wanted_of)]
QueueWantedOf = Annotated[QueueWanted, Depends(queue_wanted)]
