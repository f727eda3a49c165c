"""Templates: the frame's context, filters, and addresses of assets."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

from fastapi import Request
from fastapi.templating import Jinja2Templates
from jinja2 import StrictUndefined, pass_context
from jinja2.runtime import Context
from markupsafe import Markup
from starlette.responses import Response

from jugum.core.thresholds.beam import tilt
from jugum.core.values.date_styles import DateStyle, written
from jugum.flow.office.actor import Actor
from jugum.flow.office.types import TypeView, types
from jugum.flow.overview import overview
from jugum.store.scope import seeing
from jugum.web import headings
from jugum.web.addresses import crop_address, document_address
from jugum.web.assets import address_of
from jugum.web.figures import browser, joined, many, origin, percent, size, when
from jugum.web.guide import guide_anchor, marked
from jugum.web.lists import list_address
from jugum.web.security import csrf_token

HERE = Path(__file__).parent
_templates = Jinja2Templates(HERE / "templates")
STEPS = ("gather", "plan", "label", "train", "weigh", "review", "deliver")
# In the order of the cascade: what all pages share, then what steps add.
STYLE_SHEETS = (
    *("ground", "parts", "frame", "overview", "gather", "plan"),
    *("desk", "review", "explorer", "label", "train", "weigh", "checks", "deliver", "guide"),
)


@pass_context
def _when(context: Context, moment: datetime | None) -> str:
    return when(moment, context.get("date_style", DateStyle.WORDS))


_templates.env.filters.update(
    percent=percent,
    size=size,
    when=_when,
    written=written,
    many=many,
    joined=joined,
    origin=origin,
    browser=browser,
    marked=marked,
)
_templates.env.globals.update(
    asset=address_of,
    style_sheets=STYLE_SHEETS,
    beam_tilt=tilt,
    zip=zip,
    headings=headings,
    document_address=document_address,
    list_address=list_address,
    guide_anchor=guide_anchor,
    crop_address=crop_address,
)
_templates.env.undefined = StrictUndefined
_templates.env.trim_blocks = _templates.env.lstrip_blocks = True


def _frame(request: Request, actor: Actor | None, shown: TypeView | None, step: str) -> dict[str, Any]:
    """What the top bar and the ribbon need; `now`, where each step of the type stands, is there for the page, too."""
    store = request.app.state.store
    now = overview.steps(store, shown.id) if actor and shown else None
    return {
        "actor": actor,
        "csrf": (token := csrf_token(request)),
        "csrf_field": Markup('<input type="hidden" name="csrf_token" value="{}">').format(token),
        "type": shown,
        "types": _all_types(request) if actor else [],
        "date_style": shown.date_style if shown else DateStyle.WORDS,
        "step": step,
        "now": now,
        "figures": ribbon(now) if now else {},
        "step_names": STEPS,
    }


def _all_types(request: Request) -> list[TypeView]:
    """The types that somebody may turn to, of all their workspaces, whichever the page is about."""
    with seeing(request.state.everywhere):
        return types(request.app.state.store)


def ribbon(now: overview.Steps) -> dict[str, tuple[str, str]]:
    """The one figure of each step, and what it counts."""
    return {
        "gather": (str(now.reading), "being read")
        if now.reading
        else (str(now.to_label + now.labelled + now.live_papers), "papers"),
        "plan": (str(now.fields), "field" if now.fields == 1 else "fields"),
        "label": (str(now.to_label), "to label"),
        "train": (f"v{now.live_version}", "live") if now.live_version else ("–", "none live"),
        "weigh": (f"p{now.policy}", "in force") if now.policy else ("–", "no policy"),
        "review": (str(now.held_papers), "held")
        if now.held_papers or not now.checks
        else (str(now.checks), "to check"),
        "deliver": (str(now.waiting_delivery), "to send"),
    }


def page(
    request: Request,
    template: str,
    *,
    actor: Actor | None,
    shown: TypeView | None = None,
    step: str = "",
    status: int = 200,
    **context: Any,
) -> Response:
    """Render a page in the frame."""
    return _templates.TemplateResponse(
        request, template, {**_frame(request, actor, shown, step), **context}, status_code=status
    )


def error_page(request: Request, status: int, message: str) -> Response:
    """An error in the frame, or, when even the frame can't be had (the database is away), without it."""
    titles = {
        404: "Not found",
        403: "Not allowed",
        409: "Changed meanwhile",
        429: "Too many attempts",
        422: "That can't be used",
        503: "Not reachable",
    }
    return _templates.TemplateResponse(
        request,
        "error.html",
        {
            "title": titles.get(status, "Something went wrong"),
            "message": message,
            "actor": None,
            "csrf": "",
            "type": None,
            "types": [],
            "step": "",
            "figures": {},
            "step_names": STEPS,
            "date_style": DateStyle.WORDS,
        },
        status_code=status,
    )
