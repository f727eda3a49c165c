"""Train: versions, and a version's report."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Depends, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from jugum.flow import looks, names, plan, sorting, train, types, versions
from jugum.flow.actor import PLAN, SEE, TRAIN, Actor
from jugum.flow.plan import FieldView
from jugum.web import charts
from jugum.web.rendering import page
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]
MayTrain = Annotated[Actor, Depends(Requires(TRAIN))]
TRIED = 40


@router.get("/types/{type_id}/train")
def train_page(request: Request, type_id: int, actor: See) -> Response:
    store = request.app.state.store
    return page(
        request, "train.html", actor=actor, shown=types.type_view(store, type_id), step="train",
        view=train.overview(store, type_id),
    )  # fmt: skip


@router.get("/types/{type_id}/train/names")
def names_page(request: Request, type_id: int, actor: See) -> Response:
    state = request.app.state
    view = names.names_view(state.store, state.versions, type_id)
    return page(
        request,
        "names.html",
        actor=actor,
        shown=types.type_view(state.store, type_id),
        step="train",
        view=view,
        sorting=sorting.sorting_view(state.store, state.sorters, type_id),
    )


@router.post("/types/{type_id}/train/phrases")
def set_phrases(
    request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(PLAN))], pro: Annotated[str, Form()] = "",
    contra: Annotated[str, Form()] = "",
) -> Response:  # fmt: skip
    sorting.set_phrases(request.app.state.store, actor, type_id, pro.splitlines(), contra.splitlines())
    return RedirectResponse(f"/types/{type_id}/train/names", 303)


@router.post("/types/{type_id}/train/names")
def set_names(
    request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(PLAN))], lines: Annotated[str, Form()] = ""
) -> Response:
    names.set_names(request.app.state.store, actor, type_id, lines.splitlines())
    return RedirectResponse(f"/types/{type_id}/train/names", 303)


@router.get("/types/{type_id}/train/{version_id}")
def report_page(request: Request, type_id: int, version_id: int, actor: See) -> Response:
    store = request.app.state.store
    version = train.version_view(store, version_id)
    curve = version.report.get("curve", {})
    fields = plan.fields(store, type_id)
    return page(
        request, "report.html", actor=actor, hidden=_hidden(actor, fields), shown=types.type_view(store, type_id), step="train", version=version,
        names={field.key: field.name for field in fields}, looks={look.id: look.name for look in looks.looks(store, type_id)},
        against=train.against_before(store, version_id), through=versions.through(store, version_id),
        reliability=charts.reliability_chart(version.report.get("seen", {}), version.report.get("unseen", {})),
        curve=charts.curve_chart(curve.get("", {})), wanted=train.most_wanted(version.report),
        crop=charts.crop_address, sorting=sorting.sorting_view(store, request.app.state.sorters, type_id),
    )  # fmt: skip


@router.get("/types/{type_id}/train/{version_id}/changes")
def changes_page(request: Request, type_id: int, version_id: int, actor: See) -> Response:
    store = request.app.state.store
    return page(
        request, "changes.html", actor=actor, shown=types.type_view(store, type_id), step="train", version=train.version_view(store, version_id),
        papers=versions.papers_to_try(store, type_id, TRIED),
    )  # fmt: skip


@router.post("/types/{type_id}/train")
def start(request: Request, type_id: int, actor: MayTrain) -> Response:
    train.start(request.app.state.store, actor, type_id)
    return _back(type_id)


@router.post("/types/{type_id}/train/{version_id}/cancel")
def cancel(request: Request, type_id: int, version_id: int, actor: MayTrain) -> Response:
    train.cancel(request.app.state.store, actor, version_id)
    return _back(type_id)


@router.post("/types/{type_id}/publish")
def publish(
    request: Request,
    type_id: int,
    actor: MayTrain,
    version_id: Annotated[int, Form()],
    note: Annotated[str, Form()] = "",
) -> Response:
    train.publish(request.app.state.store, actor, version_id, note)
    return _back(type_id)


@router.post("/types/{type_id}/take-back")
def take_back(request: Request, type_id: int, actor: MayTrain, note: Annotated[str, Form()] = "") -> Response:
    train.take_back(request.app.state.store, actor, type_id, note)
    return _back(type_id)


@router.post("/types/{type_id}/train/when")
def set_training(request: Request, type_id: int, actor: MayTrain, when: Annotated[str, Form()] = "") -> Response:
    versions.set_training(request.app.state.store, actor, type_id, int(when) if when.strip().isdigit() else None)
    return _back(type_id)


@router.post("/types/{type_id}/train/file")
def bring_in(request: Request, type_id: int, actor: MayTrain, file: UploadFile) -> Response:
    data = file.file.read(versions.FILE_BYTES_MAX + 1)
    versions.brought_in(request.app.state.store, actor, type_id, file.filename or "file", data)
    return _back(type_id)


def _hidden(actor: Actor, fields: Sequence[FieldView]) -> set[str]:
    """Keys of fields whose values the person may not see."""
    return set() if actor.sees_personal else {field.key for field in fields if field.personal}


def _back(type_id: int) -> Response:
    return RedirectResponse(f"/types/{type_id}/train", 303)
