"""Training: a version made in the background from the labels there are; its progress, its learning curve, cancelling
it."""

from __future__ import annotations

import hashlib
import json
import time
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime

from sqlalchemy import func, select
from sqlalchemy.orm import Session, undefer

from jugum.core.evaluation.curve import learning_curve
from jugum.core.evaluation.report import judged_tests, report_of
from jugum.core.evaluation.report_model import Report
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.candidates.synonyms import Groups
from jugum.core.formats.version_file import pack_version
from jugum.core.schema import Plan
from jugum.core.states import IN_TRAINING, OPEN_SAMPLE_STATES, By, Purpose, VersionState
from jugum.core.structure import Structures
from jugum.core.training import EvidenceRow, TrainedVersion, train_version
from jugum.core.training.stages import Stage, Stopwatch, Timetable
from jugum.core.training.version import papers_of
from jugum.errors import Conflict, InputError, NotFound, PaperFault
from jugum.flow.gather.explore import Explorer
from jugum.flow.in_force import report_in
from jugum.flow.label.layouts import group_new
from jugum.flow.label.samples import layers_of, layout_groups_of, papers_with_marks, synonyms_in, training_samples
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import TRAIN, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import as_said
from jugum.flow.states import change_version_state
from jugum.store import Store
from jugum.store.models import Document, ModelVersion
from jugum.store.queue import QueuedJob, Task, enqueue, enqueue_all

CURVE_PAPERS_LEAST = 6  # below these the shares of the curve are of one or two papers
JUDGED_MAX = 400  # samples that a new version is asked about; the choice of the next paper needs no more
SEED = 1


def start(store: Store, actor: Actor, type_id: int) -> int:
    """Queue the training of a new version. One may wait behind another that runs, and each type has its own queue;
    Conflict when one waits already, since it will be trained from the labels of that moment. Returns the version's
    id."""
    actor.require(TRAIN)
    with store.session() as session:
        return start_in(session, actor, type_id)


def start_in(session: Session, actor: Actor, type_id: int) -> int:
    row = type_row(session, type_id)
    session.get_one(type(row), type_id, with_for_update=True)
    waiting = session.scalar(
        select(ModelVersion.number).where(ModelVersion.type_id == type_id, ModelVersion.state == VersionState.QUEUED)
    )
    if waiting:
        raise Conflict(f"Version {waiting} is waiting for training already and will use all labels.")
    if not row.fields:
        raise InputError("The plan has no fields yet. Define the fields in Plan first.")
    version = ModelVersion(type_id=type_id, number=next_number(session, type_id), created_by=actor.id)
    session.add(version)
    session.flush()
    enqueue(session, Task.TRAIN_VERSION, priority=5, lock=f"train-{type_id}", version_id=version.id)
    record(session, actor, Action.START_TRAINING, "model_version", version.id, number=version.number)
    return version.id


def next_number(session: Session, type_id: int) -> int:
    return (session.scalar(select(func.max(ModelVersion.number)).where(ModelVersion.type_id == type_id)) or 0) + 1


def run(store: Store, version_id: int, explorer: Explorer | None = None) -> None:
    """Train a queued version (or one whose worker was killed). Whatever fails is raised: the task's guard tells it
    in the version's row."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, with_for_update=True)
        if version is None or version.state not in IN_TRAINING:
            return
        change_version_state(version, VersionState.TRAINING, By.PROGRAM)
        version.stage, version.progress = "gathering labels", 0.0
        version.begun_at = datetime.now(UTC)
        timetable = _timetable(session, version.type_id)
    progress = ProgressWriter(store, version_id, timetable)
    try:
        group_new(store, _type_of(store, version_id))
        given = _given(store, version_id, explorer or Explorer(), progress)
        if not given.layers:
            progress.leave_out(Stage.PICTURES)
        trained = train_version(
            given.plan,
            given.samples,
            groups=given.layouts,
            seed=SEED,
            progress=progress,
            structures=given.layers,
            synonyms=given.synonyms,
        )
        progress(Stage.TEST_SET, 0.0)
        tests = judged_tests(trained, given.tests, given.layers)
        report = report_of(trained, tests, len(given.tests))
        progress(Stage.TEST_SET, 1.0)
    except TrainingCancelledError:
        return  # its row says so already
    except PaperFault as fault:
        with store.session() as session:
            name = session.scalar(select(Document.name).where(Document.id == int(fault.key))) or "a paper"
        fault.told = f"It failed at “{name}”: take that paper out of the training set in Label, and train again."
        raise
    report = report.model_copy(update={"stage_seconds": progress.stage_seconds})
    _keep(store, version_id, given, trained, report, tests)


def _timetable(session: Session, type_id: int) -> Timetable:
    """How long the stages of the type's last training took; what is usual when there was none."""
    last = session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None), ModelVersion.origin == "")
        .order_by(ModelVersion.number.desc())
        .limit(1)
    )
    took = last.report.get("stage_seconds", {}) if last is not None and last.report else {}
    return Timetable(took) if took else Timetable()


def _type_of(store: Store, version_id: int) -> int:
    with store.session() as session:
        return session.get_one(ModelVersion, version_id).type_id


def failed(store: Store, version_id: int, message: str) -> None:
    """A training that could not be finished: its version says why, and the next one can begin."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, with_for_update=True)
        if version is not None and version.state in IN_TRAINING:
            change_version_state(version, VersionState.FAILED, By.PROGRAM)
            version.stage, version.error = "failed", message
            record(session, None, Action.TRAINING_FAILED, "model_version", version_id, reason=message)


def curve_failed(store: Store, version_id: int, message: str) -> None:
    """The learning curve of a version could not be worked out: its report says why."""
    with store.session() as session:
        version = session.get(ModelVersion, version_id, with_for_update=True)
        if version is not None and version.report:
            version.report = report_in(version).model_copy(update={"curve_problem": message}).to_data()


@dataclass(frozen=True)
class _Given:
    """What a version is trained from, gathered in one transaction."""

    plan: Plan
    samples: list[Sample]
    tests: list[Sample]
    layouts: dict[str, int]
    layers: dict[str, Structures]
    synonyms: Groups


def _given(
    store: Store,
    version_id: int,
    explorer: Explorer,
    progress: ProgressWriter | None = None,
) -> _Given:
    """Everything is read in one short transaction; layers of pages are worked out after it."""
    with store.session() as session:
        version = session.get_one(ModelVersion, version_id)
        kind = type_row(session, version.type_id)
        plan = as_said(kind)
        samples = training_samples(session, version.type_id)
        tests = training_samples(session, version.type_id, "test")
        layouts = layout_groups_of(session, [int(sample.key) for sample in samples])
        papers = papers_with_marks(session, plan, [*samples, *tests])
        synonyms = synonyms_in(session, kind.workspace_id)

    def told(done: int) -> None:
        if progress is not None:
            progress(Stage.PICTURES, done / len(papers), f", {done} of {len(papers)} papers")

    return _Given(plan, samples, tests, layouts, layers_of(store, explorer, papers, told), synonyms)


def _keep(
    store: Store,
    version_id: int,
    given: _Given,
    trained: TrainedVersion,
    report: Report,
    tests: Sequence[EvidenceRow],
) -> None:
    snapshot = {"papers": {sample.key: _normals(sample) for sample in given.samples}}
    digest = hashlib.sha256(json.dumps(snapshot, sort_keys=True).encode()).hexdigest()
    file_key = store.files.put(
        pack_version(trained.trained_model, trained.calibrators, {"labels_sha256": digest, "seed": SEED})
    )
    with store.session() as session:
        version = session.get_one(ModelVersion, version_id, with_for_update=True)
        if version.state != VersionState.TRAINING:
            return
        change_version_state(version, VersionState.ON_TRIAL, By.PROGRAM)
        version.stage, version.progress = "done", 1.0
        version.papers = len(given.samples)
        version.report = report.to_data()
        version.evidence = [asdict(row) for row in trained.evidence]
        version.test_evidence = [asdict(row) for row in tests]
        version.snapshot = snapshot
        version.file_key = file_key
        version.trained_at = datetime.now(UTC)
        _judge_samples_soon(session, version.type_id)
        enqueue(session, Task.DRAW_CURVE, priority=2, lock=f"train-{version.type_id}", version_id=version_id)
        record(
            session, None, Action.TRAINED, "model_version", version_id, papers=len(given.samples), labels_sha256=digest
        )


def _normals(sample: Sample) -> dict[str, list[str]]:
    """A paper's labels as a snapshot keeps them: field key → normal forms."""
    return {key: [label.normal for label in labels] for key, labels in sample.labels.items()}


def draw_curve(store: Store, version_id: int, explorer: Explorer | None = None) -> None:
    """Work out the learning curve of a trained version from the papers it was trained from, as far as their labels
    are still the same, and keep it in its report. Its last point is what the training itself measured."""
    with store.session() as session:
        deferred = [undefer(ModelVersion.snapshot), undefer(ModelVersion.evidence)]
        version = session.get(ModelVersion, version_id, options=deferred)
        if version is None or version.trained_at is None or not version.report:
            return
        known, report, evidence = version.snapshot.get("papers", {}), report_in(version), version.evidence
    if report.curve:
        return
    judged = [row for row in evidence if not row["unseen"] and row.get("counted", True)]
    rights = {key: [row["right"] for row in judged if row["field"] == key] for key in {row["field"] for row in judged}}
    full = {key: (sum(its), len(its)) for key, its in rights.items()}
    full[""] = (sum(right for right, _ in full.values()), len(judged))
    given = _given(store, version_id, explorer or Explorer())
    samples = [sample for sample in given.samples if known.get(sample.key) == _normals(sample)]
    if len(samples) < CURVE_PAPERS_LEAST:
        return
    papers = papers_of(given.plan, samples, groups=given.layouts, structures=given.layers, synonyms=given.synonyms)
    curve = learning_curve(papers, full, seed=SEED)
    with store.session() as session:
        version = session.get_one(ModelVersion, version_id, with_for_update=True)
        now = report_in(version).model_copy(update={"curve": curve, "curve_problem": ""})
        version.report = now.to_data()


def _judge_samples_soon(session: Session, type_id: int) -> None:
    """Queue judging of the samples that wait to be labelled: how sure the new version is of each."""
    waiting = session.scalars(
        select(Document.id)
        .where(
            Document.type_id == type_id,
            Document.purpose == Purpose.SAMPLE,
            Document.state.in_(OPEN_SAMPLE_STATES),
        )
        .order_by(Document.id)
        .limit(JUDGED_MAX)
    )
    jobs = [
        QueuedJob(Task.JUDGE_SAMPLE, {"document_id": document_id}, 1, f"judge-{document_id}") for document_id in waiting
    ]
    enqueue_all(session, jobs)


class TrainingCancelledError(Exception):
    """Somebody cancelled the training at hand."""


def cancel(store: Store, actor: Actor, version_id: int) -> None:
    """Cancel a training that waits or runs; it stops at its next word on how far it is."""
    actor.require(TRAIN)
    with store.session() as session:
        version = session.get(ModelVersion, version_id, with_for_update=True)
        if version is None:
            raise NotFound(f"There is no version with id {version_id}.")
        if version.state not in IN_TRAINING:
            raise Conflict(f"Version {version.number} is {version.state}; there is no training to cancel.")
        change_version_state(version, VersionState.FAILED, By.PERSON)
        version.stage, version.error = "cancelled", f"Cancelled by {actor.name}."
        record(session, actor, Action.CANCEL_TRAINING, "model_version", version_id)


class ProgressWriter:
    """Writes progress into the version's row, as a share of the time that the timetable gives, at most about three
    times a second; stops a training that was cancelled; times its stages."""

    def __init__(self, store: Store, version_id: int, timetable: Timetable | None = None) -> None:
        self._store, self._version_id, self._told = store, version_id, 0.0
        self._timetable, self._watch = timetable or Timetable(), Stopwatch()

    @property
    def stage_seconds(self) -> dict[str, float]:
        """How long each stage has taken so far."""
        return {stage: round(seconds, 2) for stage, seconds in self._watch.seconds.items()}

    def leave_out(self, stage: Stage) -> None:
        """The training has nothing to do in a stage."""
        self._timetable = self._timetable.without(stage)

    def __call__(self, stage: Stage, share: float, detail: str = "") -> None:
        now = time.monotonic()
        self._watch.heard(stage, now)
        if now - self._told < 0.3 and share < 1:
            return
        self._told = now
        with self._store.session() as session:
            version = session.get_one(ModelVersion, self._version_id)
            if version.state != VersionState.TRAINING:
                raise TrainingCancelledError
            version.stage, version.progress = f"{stage}{detail}", self._timetable.share_done(stage, share)
            version.told_at = datetime.now(UTC)
