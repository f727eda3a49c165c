"""Deliver: the table of results, downloads, deliveries."""

from __future__ import annotations

from collections.abc import Callable
from typing import Annotated, Any
from urllib.parse import urlencode

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from jugum.core.formats.results import ResultColumns, side_by_side
from jugum.flow.deliver import results
from jugum.flow.office import types as types_
from jugum.web.downloads import download
from jugum.web.gate import GatedRoute
from jugum.web.rendering import page
from jugum.web.security import MayDeliver, MaySee

router = APIRouter(route_class=GatedRoute)
MEDIA = {"csv": "text/csv; charset=utf-8", "json": "application/json", "zip": "application/zip"}
ROWS_A_PAGE = 50
LINES_A_PAPER = 6  # of its longest table; the rest is a click away


@router.get("/types/{type_id}/deliver")
def deliver_page(
    request: Request,
    type_id: int,
    actor: MaySee,
    search: str = "",
    state: str = "",
    sort: str = "",
    upwards: bool = False,
    page_number: int = 1,
) -> Response:
    store = request.app.state.store
    view = results.results(
        store,
        type_id,
        actor=actor,
        search=search,
        state=state or None,
        sort=sort,
        upwards=upwards,
        limit=ROWS_A_PAGE,
        offset=(max(1, page_number) - 1) * ROWS_A_PAGE,
    )
    return page(
        request,
        "deliver/deliver.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="deliver",
        view=view,
        formats=_formats(view.columns),
        part_columns=sum(map(len, view.columns.parts.values())),
        is_number=lambda key: view.data_types[key] in ("money", "number"),
        papers=[(row, *side_by_side(row, view.columns, LINES_A_PAPER)) for row in view.rows],
        search=search,
        state=state,
        sort=sort,
        upwards=upwards,
        address=_address(search=search, state=state, sort=sort, upwards=upwards),
        page_number=page_number,
        last_page=max(1, -(-view.total // ROWS_A_PAGE)),
    )


def _address(**asked: Any) -> Callable[..., str]:
    """Addresses of the same results with something changed; what asks for nothing is left out."""

    def address(**changed: Any) -> str:
        return "?" + urlencode({name: value for name, value in {**asked, **changed}.items() if value})

    return address


def _formats(columns: ResultColumns) -> list[tuple[str, str]]:
    """The forms that results go out in, with what a person is told of each."""
    if not columns.parts:
        return [("csv", "CSV"), ("json", "JSON")]
    return [
        ("csv", "CSV, a line for each table row"),
        ("zip", "CSV files in a ZIP, one for each table"),
        ("json", "JSON"),
    ]


@router.get("/types/{type_id}/results.{format}")
def delivery_file(
    request: Request, type_id: int, format: str, actor: MaySee, search: str = "", state: str = ""
) -> Response:
    data = results.download(request.app.state.store, type_id, format, actor=actor, search=search, state=state or None)
    return _file(f"results.{format}", data)


def _file(name: str, data: bytes) -> Response:
    media = MEDIA.get(name.rsplit(".", 1)[-1], "application/octet-stream")
    return download(name, data, media)


@router.post("/types/{type_id}/deliver")
def deliver_now(request: Request, type_id: int, actor: MayDeliver, format: Annotated[str, Form()]) -> Response:
    results.deliver(request.app.state.store, actor, type_id, format)
    return RedirectResponse(f"/types/{type_id}/deliver", 303)


@router.get("/deliveries/{delivery_id}")
def delivered_file(request: Request, delivery_id: int, actor: MaySee) -> Response:
    name, data = results.delivered_file(request.app.state.store, actor, delivery_id)
    return _file(name, data)
