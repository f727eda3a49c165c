"""Train: trainings, versions with their reports, publishing."""

from __future__ import annotations

from fastapi import APIRouter, Request, Response, UploadFile
from pydantic import BaseModel, ConfigDict, Field

from jugum.core.evaluation.tables import ReportTable
from jugum.flow.gather import classification
from jugum.flow.train import automatic, training, versions
from jugum.flow.train import files as version_files
from jugum.flow.train.files import FILE_BYTES_MAX
from jugum.flow.train.versions import VersionView
from jugum.web.api.office import Made
from jugum.web.downloads import download, gives
from jugum.web.gate import GatedRoute, takes_files
from jugum.web.security import MaySee, MayTrain
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Train"])


class Published(BaseModel):
    """How many live papers are drafted with the version now."""

    drafting: int


class Note(BaseModel):
    """Why, for the ladder of versions."""

    note: str = Field(default="", max_length=versions.NOTE_MAX)


class TrainingBody(BaseModel):
    """After how many newly labelled papers training begins by itself; null for only when told."""

    model_config = ConfigDict(extra="forbid")  # a misspelt key must not turn it off

    when: int | None


class Number(BaseModel):
    number: int


@router.post("/types/{type_id}/versions", status_code=201)
def start(request: Request, type_id: int, actor: MayTrain) -> Made:
    """Queue the training of a new version from all labels."""
    return Made(id=training.start(request.app.state.store, actor, type_id))


@router.get("/types/{type_id}/versions")
def list_versions(request: Request, type_id: int, actor: MaySee) -> list[VersionView]:
    return versions.versions(request.app.state.store, type_id)


@router.get("/versions/{version_id}")
def version(request: Request, version_id: int, actor: MaySee) -> VersionView:
    """A version with its progress and, when trained, its report."""
    return versions.version_view(request.app.state.store, version_id)


@router.get("/versions/{version_id}/against")
def against(request: Request, version_id: int, actor: MaySee) -> versions.Against | None:
    """What is better and worse than in the live version (or the trained one before), on the papers both were judged
    on."""
    return versions.against_other(request.app.state.store, version_id)


@router.post("/versions/{version_id}/cancel")
def cancel(request: Request, version_id: int, actor: MayTrain) -> VersionView:
    """Cancel a training that waits or runs."""
    training.cancel(request.app.state.store, actor, version_id)
    return versions.version_view(request.app.state.store, version_id)


@router.post("/versions/{version_id}/publish")
def publish(request: Request, version_id: int, actor: MayTrain, body: Note | None = None) -> Published:
    """Make a version the live one, with a note for the ladder."""
    return Published(drafting=versions.publish(request.app.state.store, actor, version_id, body.note if body else ""))


@router.post("/types/{type_id}/go-back")
def go_back(request: Request, type_id: int, actor: MayTrain, body: Note | None = None) -> Number:
    """Make the version live again that was live before; returns its number."""
    return Number(number=versions.go_back(request.app.state.store, actor, type_id, body.note if body else ""))


@router.put("/types/{type_id}/training", status_code=204)
def set_training(request: Request, type_id: int, actor: MayTrain, body: TrainingBody) -> None:
    """Train by itself when so many papers were labelled since the last training."""
    automatic.set_training(request.app.state.store, actor, type_id, body.when)


@router.get("/versions/{version_id}/file", **gives("application/zip"))
@at_length
def version_file(request: Request, version_id: int, actor: MayTrain) -> Response:
    """A version as one file, to keep or to import elsewhere."""
    name, data = version_files.exported(request.app.state.store, version_id)
    return download(name, data, "application/zip")


@router.post("/types/{type_id}/versions/file", status_code=201)
@takes_files(lambda settings: FILE_BYTES_MAX)
@at_length
def bring_in(request: Request, type_id: int, actor: MayTrain, file: UploadFile) -> Made:
    """Import a version from a file; it is on trial until it is published."""
    data = file.file.read(version_files.FILE_BYTES_MAX + 1)
    return Made(id=version_files.import_version(request.app.state.store, actor, type_id, file.filename or "file", data))


def _sorting_tables(request: Request, version_id: int) -> list[ReportTable]:
    """What the newest classifier shows of types and bundles, beside a version's report."""
    state = request.app.state
    type_id = versions.version_view(state.store, version_id).type_id
    return classification.sorting_tables(classification.sorting_view(state.store, state.classifiers, type_id))


@router.get("/versions/{version_id}/report.html", **gives("text/html"))
def report_file(request: Request, version_id: int, actor: MaySee) -> Response:
    """The report as one HTML page that opens offline."""
    name, text = version_files.report_file(request.app.state.store, version_id, _sorting_tables(request, version_id))
    return download(name, text, "text/html")


@router.get("/versions/{version_id}/report/{table}.csv", **gives("text/csv"))
def report_table(request: Request, version_id: int, table: str, actor: MaySee) -> Response:
    """One table of the report: summary, fields, layouts, tables, reliability, curve, errors, hardest, types or
    bundles."""
    name, text = version_files.report_csv(
        request.app.state.store, version_id, table, _sorting_tables(request, version_id)
    )
    return download(name, text, "text/csv")
