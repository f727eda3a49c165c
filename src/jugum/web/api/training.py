"""Training, versions with their reports, and policies."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Query, Request, Response, UploadFile
from pydantic import BaseModel, ConfigDict, Field

from jugum.core.evaluation.compare import Comparison
from jugum.core.evaluation.tables import ReportTable
from jugum.core.thresholds import Outcome
from jugum.flow import names as names_
from jugum.flow import sorting as sorting_
from jugum.flow import train, weigh
from jugum.flow import versions as versions_
from jugum.flow.actor import PLAN, SEE, TRAIN, WEIGH, Actor
from jugum.flow.train import VersionView
from jugum.flow.weigh import PolicyView, WeighView
from jugum.web.api.plans import Made
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]
Train = Annotated[Actor, Depends(Requires(TRAIN))]
Weigh = Annotated[Actor, Depends(Requires(WEIGH))]


class Published(BaseModel):
    """How many live papers are drafted with the version now."""

    drafting: int


class Note(BaseModel):
    """Why, for the ladder of versions."""

    note: str = Field(default="", max_length=train.NOTE_MAX)


class TrainingBody(BaseModel):
    """After how many newly labelled papers training begins by itself; null for only when told."""

    model_config = ConfigDict(extra="forbid")  # a misspelt key must not turn it off

    when: int | None


class Names(BaseModel):
    lines: list[str] = Field(max_length=names_.LINES_MAX)


class PhrasesBody(BaseModel):
    """What speaks for a type when it stands on a paper, and what rules it out."""

    pro: list[str] = Field(default_factory=list, max_length=sorting_.PHRASES_MAX)
    contra: list[str] = Field(default_factory=list, max_length=sorting_.PHRASES_MAX)


class Papers(BaseModel):
    documents: list[int] = Field(max_length=versions_.AGAIN_MAX)


class Thresholds(BaseModel):
    """Least confidence per field key, and the least familiarity of a paper's layout, all 0–1."""

    thresholds: dict[str, float]
    familiarity_least: float = Field(ge=0, le=1)
    note: str = ""


class Number(BaseModel):
    number: int


class OutcomeOut(BaseModel):
    """Of `total` held-out decisions `passing` pass and `wrong` of these are wrong; bound at 95 % confidence."""

    total: int
    passing: int
    wrong: int
    error_upper: float
    passing_share: float
    error_share: float


def _out(outcome: Outcome) -> OutcomeOut:
    return OutcomeOut(
        total=outcome.total, passing=outcome.passing, wrong=outcome.wrong, error_upper=outcome.error_upper,
        passing_share=outcome.passing_share, error_share=outcome.error_share,
    )  # fmt: skip


@router.post("/types/{type_id}/versions", status_code=201, tags=["Training"])
def start(request: Request, type_id: int, actor: Train) -> Made:
    """Queue the training of a new version from all labels."""
    return Made(id=train.start(request.app.state.store, actor, type_id))


@router.get("/types/{type_id}/versions", tags=["Training"])
def versions(request: Request, type_id: int, actor: See) -> list[VersionView]:
    return train.versions(request.app.state.store, type_id)


@router.get("/versions/{version_id}", tags=["Training"])
def version(request: Request, version_id: int, actor: See) -> VersionView:
    """A version with its progress and, when trained, its report."""
    return train.version_view(request.app.state.store, version_id)


@router.get("/versions/{version_id}/against-before", tags=["Training"])
def against_before(request: Request, version_id: int, actor: See) -> Comparison | None:
    """What got better and worse against the trained version before, on the papers both were judged on."""
    found = train.against_before(request.app.state.store, version_id)
    return found[1] if found else None


@router.post("/versions/{version_id}/cancel", tags=["Training"])
def cancel(request: Request, version_id: int, actor: Train) -> VersionView:
    """Cancel a training that waits or runs."""
    train.cancel(request.app.state.store, actor, version_id)
    return train.version_view(request.app.state.store, version_id)


@router.post("/versions/{version_id}/publish", tags=["Training"])
def publish(request: Request, version_id: int, actor: Train, body: Note | None = None) -> Published:
    """Make a version the live one, with a note for the ladder."""
    return Published(drafting=train.publish(request.app.state.store, actor, version_id, body.note if body else ""))


@router.post("/types/{type_id}/take-back", tags=["Training"])
def take_back(request: Request, type_id: int, actor: Train, body: Note | None = None) -> Number:
    """Make the version live again that was live before; returns its number."""
    return Number(number=train.take_back(request.app.state.store, actor, type_id, body.note if body else ""))


@router.put("/types/{type_id}/training", status_code=204, tags=["Training"])
def set_training(request: Request, type_id: int, actor: Train, body: TrainingBody) -> None:
    """Train by itself when so many papers were labelled since the last training."""
    versions_.set_training(request.app.state.store, actor, type_id, body.when)


@router.get("/versions/{version_id}/file", tags=["Training"])
def version_file(request: Request, version_id: int, actor: Train) -> Response:
    """A version as one file, to keep or to bring in elsewhere."""
    name, data = versions_.exported(request.app.state.store, version_id)
    return Response(
        data, media_type="application/zip", headers={"Content-Disposition": f'attachment; filename="{name}"'}
    )


@router.post("/types/{type_id}/versions/file", status_code=201, tags=["Training"])
def bring_in(request: Request, type_id: int, actor: Train, file: UploadFile) -> Made:
    """Bring in a version from a file; it is on trial until it is published."""
    data = file.file.read(versions_.FILE_BYTES_MAX + 1)
    return Made(id=versions_.brought_in(request.app.state.store, actor, type_id, file.filename or "file", data))


def _sorting_tables(request: Request, version_id: int) -> list[ReportTable]:
    """What the newest sorter shows of types and bundles, beside a version's report."""
    state = request.app.state
    type_id = train.version_view(state.store, version_id).type_id
    return sorting_.sorting_tables(sorting_.sorting_view(state.store, state.sorters, type_id))


@router.get("/versions/{version_id}/report.html", tags=["Training"])
def report_file(request: Request, version_id: int, actor: See) -> Response:
    """The report as one HTML page that opens offline."""
    name, text = versions_.report_file(request.app.state.store, version_id, _sorting_tables(request, version_id))
    return Response(text, media_type="text/html", headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/versions/{version_id}/report/{table}.csv", tags=["Training"])
def report_table(request: Request, version_id: int, table: str, actor: See) -> Response:
    """One table of the report: summary, fields, looks, tables, reliability, curve, errors, hardest, types or bundles."""
    name, text = versions_.report_csv(request.app.state.store, version_id, table, _sorting_tables(request, version_id))
    return Response(text, media_type="text/csv", headers={"Content-Disposition": f'attachment; filename="{name}"'})


@router.get("/types/{type_id}/names", tags=["Training"])
def names(request: Request, type_id: int, actor: See) -> names_.NamesView:
    """Groups of names that mean the same, and names seen on papers that none of them knows."""
    return names_.names_view(request.app.state.store, request.app.state.versions, type_id)


@router.put("/types/{type_id}/names", status_code=204, tags=["Training"])
def set_names(request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(PLAN))], body: Names) -> None:
    """Keep the office's own groups, one a line with = between names."""
    names_.set_names(request.app.state.store, actor, type_id, body.lines)


@router.get("/types/{type_id}/sorting", tags=["Training"])
def sorting(request: Request, type_id: int, actor: See) -> sorting_.SortingView:
    """Phrases that speak for and against the type, and types that are easily taken for it."""
    return sorting_.sorting_view(request.app.state.store, request.app.state.sorters, type_id)


@router.put("/types/{type_id}/phrases", status_code=204, tags=["Training"])
def set_phrases(
    request: Request, type_id: int, actor: Annotated[Actor, Depends(Requires(PLAN))], body: PhrasesBody
) -> None:
    """Keep the phrases that speak for and against a type."""
    sorting_.set_phrases(request.app.state.store, actor, type_id, body.pro, body.contra)


@router.get("/types/{type_id}/papers-to-try", tags=["Training"])
def papers_to_try(
    request: Request, type_id: int, actor: See, count: Annotated[int, Query(ge=1, le=500)] = 20
) -> list[int]:
    """The newest live papers that a version has read."""
    return versions_.papers_to_try(request.app.state.store, type_id, count)


@router.get("/versions/{version_id}/changes/{document_id}", tags=["Training"])
def changes(request: Request, version_id: int, document_id: int, actor: See) -> versions_.Changes:
    """What a version reads otherwise on a live paper than was read of it; nothing is saved."""
    state = request.app.state
    found = versions_.changes(state.store, state.versions, state.explorer, version_id, document_id)
    return found if actor.sees_personal else versions_.masked(state.store, found)


@router.post("/versions/{version_id}/read-again", tags=["Training"])
def read_again(
    request: Request, version_id: int, actor: Annotated[Actor, Depends(Requires(PLAN))], body: Papers
) -> Published:
    """Read live papers that nobody has begun with this version, whichever is live."""
    return Published(drafting=versions_.read_again(request.app.state.store, actor, version_id, body.documents))


@router.get("/types/{type_id}/weigh", tags=["Policies"])
def weigh_view(request: Request, type_id: int, actor: See, error_most: float = weigh.ERROR_MOST) -> WeighView:
    """Evidence, thresholds in force, and thresholds proposed for at most `error_most` wrong among what passes."""
    return weigh.weigh(request.app.state.store, type_id, error_most=error_most)


@router.post("/types/{type_id}/what-follows", tags=["Policies"])
def what_follows(request: Request, type_id: int, actor: See, body: Thresholds) -> dict[str, OutcomeOut]:
    """What thresholds would do on held-out papers of layouts seen; key "" is all fields together. Nothing is saved."""
    found = weigh.what_follows(request.app.state.store, type_id, body.thresholds, body.familiarity_least)
    return {key: _out(outcome) for key, outcome in found.items()}


@router.get("/types/{type_id}/policies", tags=["Policies"])
def policies(request: Request, type_id: int, actor: See) -> list[PolicyView]:
    return weigh.policies(request.app.state.store, type_id)


@router.post("/types/{type_id}/policies", status_code=201, tags=["Policies"])
def save_policy(request: Request, type_id: int, actor: Weigh, body: Thresholds) -> Number:
    number = weigh.save_policy(
        request.app.state.store, actor, type_id, body.thresholds, body.familiarity_least, body.note
    )
    return Number(number=number)
