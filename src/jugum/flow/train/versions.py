"""Train: versions made from labels, published and retired."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any

from sqlalchemy import Integer, ScalarSelect, Select, cast, func, select, union, update
from sqlalchemy.orm import Session, aliased, undefer

from jugum.core.evaluation.compare import Comparison, compared
from jugum.core.evaluation.report_model import Report
from jugum.core.formats.version_file import misfit
from jugum.core.schema import Plan
from jugum.core.states import DRAFTABLE, By, DocumentState, Purpose, SetName, VersionState
from jugum.core.training.stages import seconds_left
from jugum.errors import Conflict
from jugum.flow.in_force import live_version, version_row
from jugum.flow.label.samples import is_reviewed
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, TRAIN, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.plan.fields import plan_in
from jugum.flow.states import change_version_state
from jugum.flow.train.trying import try_version
from jugum.flow.worked_on import worked_on
from jugum.store import Store
from jugum.store.models import Document, Field, Label, LayoutGroup, ModelVersion, Person, Policy
from jugum.store.queue import Task, document_job, enqueue_all, waiting_documents

NOTE_MAX = 500


@dataclass(frozen=True)
class VersionView:
    id: int
    type_id: int
    number: int
    state: str
    stage: str
    progress: float
    error: str | None
    papers: int
    created_at: datetime
    created_by: str
    trained_at: datetime | None
    published_at: datetime | None
    published_by: str | None
    report: Report | None
    note: str = ""
    origin: str = ""
    seconds_left: float | None = None


@dataclass(frozen=True)
class FieldCoverage:
    """A field's labels in the training set: papers with a value, papers it is not on, and papers with a value for
    each layout."""

    key: str
    name: str
    values: int
    absent: int
    by_layout: list[int]


@dataclass(frozen=True)
class TrainView:
    """What the Train page shows: versions, newest first; labelled papers of the training set now, live papers that a
    person has reviewed, and how many of both came since the last version; per field how many papers have a value for
    it; after how many new ones training begins by itself; the number of the version that taking back would make
    live."""

    labelled: int
    reviewed: int
    new_since: int
    coverage: list[FieldCoverage]
    layouts: list[str]
    versions: list[VersionView]
    train_when: int | None = None
    before: int | None = None


def publish(store: Store, actor: Actor, version_id: int, note: str = "") -> int:
    """Make a version the live one; the one before is retired. Live papers that nobody has begun are drafted with it.
    Returns how many papers that are. `note` says why, for the ladder."""
    actor.require(TRAIN)
    reads = _plan_of(store, version_id)
    with store.session() as session:
        version = version_row(session, version_id)
        _check_publishable(version)
        if reads is not None and (why := misfit(reads, plan_in(type_row(session, version.type_id)))):
            raise Conflict(f"Version {version.number} does not fit the present plan: {why}. Train a new one.")
        before = live_version(session, version.type_id)
        if before is not None:
            change_version_state(before, VersionState.RETIRED, By.PERSON)
            session.flush()
        change_version_state(version, VersionState.PUBLISHED, By.PERSON)
        version.published_at, version.published_by = datetime.now(UTC), actor.id
        version.note = note.strip()[:NOTE_MAX]
        # What was checked of another version's values says nothing of this one's: probation begins anew.
        session.execute(update(Policy).where(Policy.type_id == version.type_id).values(check_rate=None))
        record(
            session,
            actor,
            Action.PUBLISH,
            "model_version",
            version_id,
            before=before.number if before else None,
            note=version.note,
        )
        return redraft(session, version.type_id)


def _check_publishable(version: ModelVersion) -> None:
    if version.state not in (VersionState.ON_TRIAL, VersionState.RETIRED):
        raise Conflict(f"Version {version.number} is {version.state} and cannot be published.")


def _plan_of(store: Store, version_id: int) -> Plan | None:
    """The plan that a version reads, told by itself after it has read a paper; None for one without a file."""
    with store.session() as session:
        version = version_row(session, version_id)
        _check_publishable(version)
        number, type_id, key = version.number, version.type_id, version.file_key
    return try_version(store, type_id, f"Version {number}", store.files.get(key)).plan if key is not None else None


def live_before(session: Session, type_id: int) -> ModelVersion | None:
    """The version that was live before the one that is: of the retired ones the last that was published."""
    return session.scalar(
        select(ModelVersion)
        .where(
            ModelVersion.type_id == type_id,
            ModelVersion.state == VersionState.RETIRED,
            ModelVersion.published_at.is_not(None),
        )
        .order_by(ModelVersion.published_at.desc())
        .limit(1)
    )


def go_back(store: Store, actor: Actor, type_id: int, note: str = "") -> int:
    """Take the live version back: the one that was live before it is live again. Conflict when there is none.
    Returns its number."""
    actor.require(TRAIN)
    with store.session() as session:
        live = live_version(session, type_id)
        if live is None:
            raise Conflict("No version is live.")
        before = live_before(session, type_id)
        if before is None:
            raise Conflict(f"No version was live before version {live.number}; publish another version instead.")
        number, before_id = before.number, before.id
        said = note.strip() or f"Went back from version {live.number}"
    publish(store, actor, before_id, said)
    return number


def redraft(session: Session, type_id: int) -> int:
    """Queue drafting of the live papers that wait for a version, or are held, and on which no person has worked: once,
    also where a version is published and then thresholds are saved. Returns how many."""
    waiting = session.scalars(
        select(Document.id).where(
            Document.type_id == type_id,
            Document.purpose == Purpose.LIVE,
            Document.state.in_(DRAFTABLE),
            ~worked_on(Document.id),
        )
    ).all()
    queued = waiting_documents(session, Task.DRAFT_DOCUMENT)
    new = [document_id for document_id in waiting if document_id not in queued]
    enqueue_all(session, [document_job(Task.DRAFT_DOCUMENT, document_id, 15) for document_id in new])
    return len(waiting)


def redraft_all(store: Store, actor: Actor, type_id: int) -> int:
    """Read the papers again that wait or are held and that nobody has begun, with the plan as it is now; returns how
    many."""
    actor.require(PLAN)
    with store.session() as session:
        type_row(session, type_id)
        count = redraft(session, type_id)
        record(session, actor, Action.READ_AGAIN, "document_type", type_id, papers=count)
        return count


def versions(store: Store, type_id: int) -> list[VersionView]:
    with store.session() as session:
        type_row(session, type_id)
        rows = session.scalars(
            select(ModelVersion).where(ModelVersion.type_id == type_id).order_by(ModelVersion.number.desc())
        ).all()
        return _views(session, rows)


def sample_names(store: Store, keys: Iterable[str]) -> dict[str, str]:
    """The file names of the papers that a report speaks of, by the key it has for each (that of a paper from elsewhere
    is no id)."""
    ids = {int(key) for key in keys if key.isdigit()}
    with store.session() as session:
        rows = session.execute(select(Document.id, Document.name).where(Document.id.in_(ids)))
        return {str(number): name for number, name in rows}


def version_view(store: Store, version_id: int) -> VersionView:
    with store.session() as session:
        return _views(session, [version_row(session, version_id)])[0]


def _views(session: Session, rows: Any) -> list[VersionView]:
    names = dict(session.execute(select(Person.id, Person.name)).all())
    return [
        VersionView(
            row.id,
            row.type_id,
            row.number,
            row.state,
            row.stage,
            row.progress,
            row.error,
            row.papers,
            row.created_at,
            names.get(row.created_by, ""),
            row.trained_at,
            row.published_at,
            names.get(row.published_by) if row.published_by else None,
            Report.from_data(row.report),
            row.note,
            row.origin,
            _seconds_left(row),
        )
        for row in rows
    ]


def _seconds_left(row: ModelVersion) -> float | None:
    """Seconds that a running training has still to go, by how far it came in the time it took; None when too little
    is done to tell."""
    if row.state != VersionState.TRAINING or row.begun_at is None or row.told_at is None:
        return None
    spent, since = row.told_at - row.begun_at, datetime.now(UTC) - row.told_at
    return seconds_left(row.progress, spent.total_seconds(), since.total_seconds())


def labelled_in(type_id: int) -> Select[int]:
    """The labelled papers of a type's training set."""
    return select(Document.id).where(
        Document.type_id == type_id,
        Document.purpose == Purpose.SAMPLE,
        Document.state == DocumentState.LABELLED,
        Document.set_name == SetName.TRAIN,
    )


def labelled_since_training(type_id: int) -> ScalarSelect[int]:
    """How many labelled papers of the training set the newest trained version has not learned from."""
    new = labelled_in(type_id).where(Document.id.not_in(_learned(type_id))).subquery()
    return select(func.count()).select_from(new).scalar_subquery()


def _learned(type_id: int) -> Select[int]:
    """Ids of the papers that the newest trained version has learned from."""
    last = (
        select(ModelVersion.snapshot["papers"])
        .where(ModelVersion.type_id == type_id, ModelVersion.trained_at.is_not(None), ModelVersion.origin == "")
        .order_by(ModelVersion.number.desc())
        .limit(1)
        .scalar_subquery()
    )
    return select(cast(func.jsonb_object_keys(last), Integer))


def overview(store: Store, type_id: int) -> TrainView:
    with store.session() as session:
        row = type_row(session, type_id)
        reviewed = select(Document.id).where(Document.type_id == type_id, is_reviewed())
        ids, reviewed_ids = set(session.scalars(labelled_in(type_id))), set(session.scalars(reviewed))
        new = (ids | reviewed_ids) - set(session.scalars(_learned(type_id)))
        labelled = union(labelled_in(type_id), reviewed)
        holder = aliased(Field)  # the field itself, of a column its table
        held = (holder.type_id == Field.type_id) & (holder.key == func.split_part(Field.key, ".", 1))
        counted = (
            select(holder.id, Label.absent, func.count(func.distinct(Label.document_id)))
            .join(Field, Label.field_id == Field.id)
            .join(holder, held)
            .where(Label.document_id.in_(labelled))
            .group_by(holder.id, Label.absent)
        )
        counts = {(field_id, absent): count for field_id, absent, count in session.execute(counted)}
        shown = [f for f in row.fields if "." not in f.key and f.kind in ("value", "clause", "table")]
        by_layout: dict[tuple[int, int | None], int] = {
            (field_id, layout): count
            for field_id, layout, count in session.execute(
                select(holder.id, Document.layout_group_id, func.count(func.distinct(Label.document_id)))
                .join(Document, Label.document_id == Document.id)
                .join(Field, Label.field_id == Field.id)
                .join(holder, held)
                .where(Label.document_id.in_(labelled), Label.absent.is_(False))
                .group_by(holder.id, Document.layout_group_id)
            )
        }
        layouts = [
            (layout, name)
            for layout, name in session.execute(
                select(LayoutGroup.id, LayoutGroup.name).where(LayoutGroup.type_id == type_id).order_by(LayoutGroup.id)
            )
            if any(one == layout for _, one in by_layout)
        ]
        coverage = [
            FieldCoverage(
                f.key,
                f.name,
                counts.get((f.id, False), 0),
                counts.get((f.id, True), 0),
                [by_layout.get((f.id, layout), 0) for layout, _ in layouts],
            )
            for f in shown
        ]
        before = live_before(session, type_id)
        number = before.number if before is not None and live_version(session, type_id) is not None else None
    when = row.training.get("when")
    return TrainView(
        len(ids),
        len(reviewed_ids),
        len(new),
        coverage,
        [name for _, name in layouts],
        versions(store, type_id),
        when,
        number,
    )


@dataclass(frozen=True)
class MostWanted:
    """A field that is short: its share right now, how many more papers bring it to a wanted share, with an 80 %
    interval (None: not within ten times as many), and the layout that has the fewest of it right."""

    field: str
    now: float
    share: float
    more: int | None
    low: int | None
    high: int | None
    layout: int | None


def most_wanted(report: Report | None) -> list[MostWanted]:
    """Fields that are short of 98 % right by their learning curve, the nearest to it first."""
    if report is None:
        return []
    weakest = {figures.group: figures.unseen for figures in report.layouts if figures.unseen.total}
    layout = min(weakest, key=lambda key: weakest[key].right / weakest[key].total, default=None)
    found = [
        MostWanted(key, one.points[-1].share, wanted.share, wanted.more, wanted.low, wanted.high, layout)
        for key, one in report.curve.items()
        if key and (wanted := one.wanted)
    ]
    return sorted(found, key=lambda one: (one.more is None, one.more or 0))


@dataclass(frozen=True)
class Against:
    """How a version compares with another one (its number, and whether it is the live one) on the same papers."""

    number: int
    live: bool
    comparison: Comparison


def against_other(store: Store, version_id: int) -> Against | None:
    """A trained version against the live one, or where that is itself (or none is live) against the trained one before
    it, on the papers both were judged on; None when there is no such version."""
    with store.session() as session:
        version = version_row(session, version_id)
        if version.trained_at is None or version.origin:
            return None
        own = (
            ModelVersion.type_id == version.type_id,
            ModelVersion.id != version_id,
            ModelVersion.trained_at.is_not(None),
            ModelVersion.origin == "",
        )
        is_live = ModelVersion.state == VersionState.PUBLISHED
        other = session.scalar(
            select(ModelVersion)
            .where(*own, is_live | (ModelVersion.number < version.number))
            .order_by(is_live.desc(), ModelVersion.number.desc())
            .limit(1)
            .options(undefer(ModelVersion.evidence))
        )
        if other is None:
            return None
        live = other.state == VersionState.PUBLISHED
        return Against(other.number, live, compared(other.evidence, version.evidence))
