"""Lists of papers in addresses: what is wanted of a list or of a queue, read from its query and written into links."""

from __future__ import annotations

from datetime import date
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import Depends, Query, Request

from jugum.errors import InputError
from jugum.flow.gather.lists import Asked, Wanted
from jugum.flow.review.grid import GridWanted
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


def queue_wanted(
    reason: Annotated[str, Query(description="why it waits: low confidence, missing, fails a check, spot check")] = "",
    field: Annotated[str, Query(description="key of a field that waits")] = "",
    batch: Annotated[str, Query(description="number of a batch")] = "",
    source: Annotated[str, Query(description="number of a source")] = "",
    layout: Annotated[str, Query(description="number of a layout group")] = "",
    days: Annotated[str, Query(description="has waited so many days at least")] = "",
    person: Annotated[str, Query(description="given to: me, nobody, or a person's number")] = "",
    late: Annotated[str, Query(description="1: past the time within which papers are to be settled")] = "",
    text: Annotated[str, Query(description="a part of the paper's name")] = "",
    sort: Annotated[str, Query(description="due, newest, name or fields")] = "due",
    after: Annotated[str, Query(description="`next` of the page before")] = "",
) -> QueueWanted:
    """The same of the queue of Review."""
    said = {"batch": batch.strip(), "source": source.strip(), "layout": layout.strip(), "days": days.strip()}
    given = {name: number for name, number in said.items() if number}
    numbers = {name: _number(given, name) for name in said}
    return QueueWanted(
        reason=reason,
        field=field,
        person=person,
        late=late == "1",
        text=text,
        sort=sort or "due",
        after=after,
        **numbers,
    )


def grid_wanted(
    state: Annotated[str, Query(description="held, passed, settled, delivered or corrected")] = "",
    batch: Annotated[str, Query(description="number of a batch")] = "",
    source: Annotated[str, Query(description="number of a source")] = "",
    layout: Annotated[str, Query(description="number of a layout group")] = "",
    text: Annotated[str, Query(description="a part of the paper's name")] = "",
    field: Annotated[str, Query(description="key of the field that says `value`; any without it")] = "",
    value: Annotated[str, Query(description="a part of what a field says")] = "",
    after: Annotated[str, Query(description="`next` of the page before")] = "",
) -> GridWanted:
    """The same of the grid of Review."""
    said = {"batch": batch.strip(), "source": source.strip(), "layout": layout.strip(), "after": after.strip()}
    given = {name: number for name, number in said.items() if number}
    numbers = {name: _number(given, name) for name in said}
    return GridWanted(state=state, text=text, field=field, value=value, **numbers)


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


def list_address(wanted: Asked, **changes: Any) -> str:
    """The query of a list's address: what is asked for, with changes, and nothing else. A change begins at the first
    page unless it names one."""
    page = "page" if isinstance(wanted, Wanted) else "after"
    asked = {**wanted.asked(), **({page: None} if changes and page not in changes else {}), **changes}
    said = {
        name: "1" if value is True else str(value) for name, value in asked.items() if value not in (None, "", False)
    }
    return "?" + urlencode(said)


WantedOf = Annotated[Wanted, Depends(wanted_of)]
QueueWantedOf = Annotated[QueueWanted, Depends(queue_wanted)]
GridWantedOf = Annotated[GridWanted, Depends(grid_wanted)]
