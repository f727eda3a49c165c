"""Train: versions, and a version's report."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Annotated

from fastapi import APIRouter, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from jugum.core.evaluation.report_model import Counted, Overall, Report, TestFigures
from jugum.core.states import VersionState
from jugum.core.thresholds.through import StraightThrough
from jugum.flow.gather import classification
from jugum.flow.label import layouts
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan import synonyms as plan_synonyms
from jugum.flow.plan.fields import FieldView
from jugum.flow.review import changes as version_changes
from jugum.flow.train import automatic, training, versions
from jugum.flow.train import files as version_files
from jugum.flow.train.files import FILE_BYTES_MAX
from jugum.flow.train.versions import VersionView
from jugum.flow.weigh import straight_through as straight_through_
from jugum.flow.weigh.promise_under import promise_under
from jugum.store import Store
from jugum.web import charts, headings
from jugum.web.addresses import sample_crop_address
from jugum.web.gate import GatedRoute, takes_files
from jugum.web.rendering import page
from jugum.web.security import MayPlan, MaySee, MayTrain

router = APIRouter(route_class=GatedRoute)
TRIED = 40


@router.get("/types/{type_id}/train")
def train_page(request: Request, type_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    view = versions.overview(store, type_id)
    newest = next((version for version in view.versions if version.state is VersionState.ON_TRIAL), None)
    return page(
        request,
        "train/train.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="train",
        view=view,
        compared=_compared(store, newest),
        promised=_promised(store, newest.id) if newest else "",
    )


def _compared(store: Store, newest: VersionView | None) -> str:
    """How the newest version on trial compares with the live one, in words; empty when there is none to compare."""
    against = versions.against_other(store, newest.id) if newest else None
    return headings.compared(newest.number, against) if newest and against else ""


@router.get("/types/{type_id}/train/synonyms")
def synonyms_page(request: Request, type_id: int, actor: MaySee) -> Response:
    state = request.app.state
    view = plan_synonyms.synonyms_view(state.store, state.versions, type_id)
    return page(
        request,
        "train/synonyms.html",
        actor=actor,
        shown=types_.type_view(state.store, type_id),
        step="train",
        view=view,
        sorting=classification.sorting_view(state.store, state.classifiers, type_id),
    )


@router.post("/types/{type_id}/train/phrases")
def set_phrases(
    request: Request,
    type_id: int,
    actor: MayPlan,
    pro: Annotated[str, Form()] = "",
    contra: Annotated[str, Form()] = "",
) -> Response:
    classification.set_phrases(request.app.state.store, actor, type_id, pro.splitlines(), contra.splitlines())
    return RedirectResponse(f"/types/{type_id}/train/synonyms", 303)


@router.post("/types/{type_id}/train/synonyms")
def set_synonyms(request: Request, type_id: int, actor: MayPlan, lines: Annotated[str, Form()] = "") -> Response:
    plan_synonyms.set_synonyms(request.app.state.store, actor, type_id, lines.splitlines())
    return RedirectResponse(f"/types/{type_id}/train/synonyms", 303)


@router.get("/types/{type_id}/train/{version_id}")
def report_page(request: Request, type_id: int, version_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    version = versions.version_view(store, version_id)
    report = version.report
    fields = plan_fields.fields(store, type_id)
    through = straight_through_.straight_through_rate(store, version_id)
    against = versions.against_other(store, version_id)
    return page(
        request,
        "train/report.html",
        actor=actor,
        hidden=_hidden(actor, fields),
        shown=types_.type_view(store, type_id),
        step="train",
        version=version,
        names={field.key: field.name for field in fields},
        layouts={layout.id: layout.name for layout in layouts.layout_groups(store, type_id)},
        against=against,
        compared=headings.compared(version.number, against) if against else "",
        through=through,
        promised=_promised(store, version_id),
        reliability=charts.reliability_chart(report.seen if report else None, report.unseen if report else None),
        curve=charts.curve_chart(report.curve.get("") if report else None),
        wanted=versions.most_wanted(version.report),
        crop=sample_crop_address,
        papers=versions.sample_names(store, _papers_of(report, against)),
        summaries=_summaries(report, through),
        tests=_tests(report),
        sorting=classification.sorting_view(store, request.app.state.classifiers, type_id),
    )


@router.get("/types/{type_id}/train/{version_id}/changes")
def changes_page(request: Request, type_id: int, version_id: int, actor: MaySee) -> Response:
    store = request.app.state.store
    return page(
        request,
        "train/changes.html",
        actor=actor,
        shown=types_.type_view(store, type_id),
        step="train",
        version=versions.version_view(store, version_id),
        papers=version_changes.papers_to_try(store, type_id, TRIED),
    )


@router.post("/types/{type_id}/train")
def start(request: Request, type_id: int, actor: MayTrain) -> Response:
    training.start(request.app.state.store, actor, type_id)
    return _back(type_id)


@router.post("/types/{type_id}/train/{version_id}/cancel")
def cancel(request: Request, type_id: int, version_id: int, actor: MayTrain) -> Response:
    training.cancel(request.app.state.store, actor, version_id)
    return _back(type_id)


@router.post("/types/{type_id}/publish")
def publish(
    request: Request,
    type_id: int,
    actor: MayTrain,
    version_id: Annotated[int, Form()],
    note: Annotated[str, Form()] = "",
) -> Response:
    versions.publish(request.app.state.store, actor, version_id, note)
    return _back(type_id)


@router.post("/types/{type_id}/go-back")
def go_back(request: Request, type_id: int, actor: MayTrain, note: Annotated[str, Form()] = "") -> Response:
    versions.go_back(request.app.state.store, actor, type_id, note)
    return _back(type_id)


@router.post("/types/{type_id}/train/when")
def set_training(request: Request, type_id: int, actor: MayTrain, when: Annotated[str, Form()] = "") -> Response:
    automatic.set_training(request.app.state.store, actor, type_id, int(when) if when.strip().isdigit() else None)
    return _back(type_id)


@router.post("/types/{type_id}/train/file")
@takes_files(lambda settings: FILE_BYTES_MAX)
def bring_in(request: Request, type_id: int, actor: MayTrain, file: UploadFile) -> Response:
    data = file.file.read(version_files.FILE_BYTES_MAX + 1)
    version_files.import_version(request.app.state.store, actor, type_id, file.filename or "file", data)
    return _back(type_id)


def _promised(store: Store, version_id: int) -> str:
    """What a version would do to the promise in force, in words; empty where it can't be said."""
    found = promise_under(store, version_id)
    return headings.promise_under(found) if found else ""


def _summaries(
    report: Report | None, through: tuple[int, StraightThrough, StraightThrough] | None
) -> list[tuple[str, Overall | None, StraightThrough | None]]:
    """The rows of the table of all fields together: papers of known and of new layouts."""
    if report is None:
        return []
    known, new = through[1:] if through else (None, None)
    return [("Known", report.seen, known), ("New", report.unseen, new)]


def _papers_of(report: Report | None, against: versions.Against | None) -> set[str]:
    """The keys of the papers that a report names."""
    if report is None:
        return set()
    named = {row.sample for row in report.errors} | {paper.sample for paper in report.hardest}
    return named | ({change["sample"] for change in against.comparison.changed} if against else set())


def _tests(report: Report | None) -> list[tuple[str, Counted | TestFigures]]:
    """The test set, in all and by layouts."""
    if report is None or report.test is None:
        return []
    test = report.test
    return [("All", test), ("On known layouts", test.known_layouts), ("On new layouts", test.new_layouts)]


def _hidden(actor: Actor, fields: Sequence[FieldView]) -> set[str]:
    """Keys of fields whose values the person may not see."""
    return set() if actor.sees_personal else {field.key for field in fields if field.personal}


def _back(type_id: int) -> Response:
    return RedirectResponse(f"/types/{type_id}/train", 303)
