"""Overview: where a type stands on the seven steps, and what is worth doing next."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from sqlalchemy import ScalarSelect, Select, func, select
from sqlalchemy.orm import Session

from jugum.core.extraction.values.extractor import PAPERS_MIN
from jugum.core.states import (
    CHECKED_STATES,
    DELIVERABLE,
    DONE_STATES,
    IN_TRAINING,
    DocumentState,
    PlacedBy,
    Purpose,
    VersionState,
)
from jugum.flow.office.actions import Action
from jugum.flow.office.types import TypeView, types
from jugum.flow.train.versions import labelled_since_training
from jugum.flow.weigh.breaches import BreachView, breaches
from jugum.flow.worked_on import waits_for_check
from jugum.store import Store
from jugum.store.models import (
    Audit,
    Breach,
    Document,
    DocumentType,
    Field,
    Hold,
    ModelVersion,
    Person,
    Policy,
)

ENOUGH_FOR_A_FIRST_MODEL = 5
PRESSING, LATER = -1, 1  # before and after other steps


@dataclass(frozen=True)
class Steps:
    """A type's one figure for each of the seven steps, and what they are made of. Shares are 0–1 or None when there is
    nothing to take a share of."""

    reading: int
    set_aside: int
    fields: int
    to_label: int
    labelled: int
    labelled_since: int
    training: int | None
    live_version: int | None
    versions: int
    policy: int | None
    policy_is_of_live: bool
    breach: BreachView | None
    held_papers: int
    held_fields: int
    checks: int
    live_papers: int
    waiting_for_version: int
    straight_through: float | None
    drafted: int
    waiting_delivery: int
    delivered: int


@dataclass(frozen=True)
class NextStep:
    """What is worth doing next, why, and where; the least `rank` first."""

    reason: str
    action: str
    step: str
    rank: int = 0


@dataclass(frozen=True)
class TypeOverview:
    type: TypeView
    steps: Steps
    next: list[NextStep]


def steps(store: Store, type_id: int) -> Steps:
    with store.session() as session:
        return _steps(session, type_id)


def _steps(session: Session, type_id: int) -> Steps:
    states: dict[tuple[Purpose, DocumentState], int] = {}
    untouched = 0  # papers that went through without anybody's touch
    for purpose, state, count, unsettled in session.execute(
        select(Document.purpose, Document.state, func.count(), func.count().filter(Document.settled_at.is_(None)))
        .where(Document.type_id == type_id)
        .group_by(Document.purpose, Document.state)
    ):
        states[purpose, state] = count
        if purpose == Purpose.LIVE and state in (DocumentState.PASSED, DocumentState.DELIVERED):
            untouched += unsettled
    drafted = sum(states.get((Purpose.LIVE, state), 0) for state in (DocumentState.HELD, *DONE_STATES))
    its = session.execute(select(*(asked.label(name) for name, asked in _figures(type_id).items()))).one()
    return Steps(
        reading=states.get((Purpose.SAMPLE, DocumentState.RECEIVED), 0)
        + states.get((Purpose.LIVE, DocumentState.RECEIVED), 0)
        + states.get((Purpose.LIVE, DocumentState.DRAFTED), 0),  # being read again with another version
        set_aside=states.get((Purpose.SAMPLE, DocumentState.SET_ASIDE), 0)
        + states.get((Purpose.LIVE, DocumentState.SET_ASIDE), 0),
        fields=its.fields,
        to_label=states.get((Purpose.SAMPLE, DocumentState.TO_LABEL), 0)
        + states.get((Purpose.SAMPLE, DocumentState.IN_PROGRESS), 0),
        labelled=states.get((Purpose.SAMPLE, DocumentState.LABELLED), 0),
        labelled_since=its.labelled_since,
        training=its.training,
        live_version=its.live,
        versions=its.versions,
        policy=its.policy,
        policy_is_of_live=its.policy_is_of == VersionState.PUBLISHED,
        breach=next((view for view in breaches(session, type_id) if view.open), None) if its.breaches else None,
        held_papers=states.get((Purpose.LIVE, DocumentState.HELD), 0),
        held_fields=its.held_fields,
        checks=its.checks,
        live_papers=sum(count for (purpose, _), count in states.items() if purpose == Purpose.LIVE),
        waiting_for_version=states.get((Purpose.LIVE, DocumentState.PLACED), 0),
        straight_through=untouched / drafted if drafted else None,
        drafted=drafted,
        waiting_delivery=sum(states.get((Purpose.LIVE, state), 0) for state in DELIVERABLE),
        delivered=states.get((Purpose.LIVE, DocumentState.DELIVERED), 0),
    )


def _figures(type_id: int) -> dict[str, ScalarSelect[Any]]:
    """One figure each, asked for in one statement: every page has them."""
    versions, policies = ModelVersion.type_id == type_id, Policy.type_id == type_id
    newest = select(Policy.id).where(policies).order_by(Policy.number.desc()).limit(1).scalar_subquery()
    held = Document.type_id == type_id, Document.state == DocumentState.HELD, Hold.settled_at.is_(None)
    asked: dict[str, Select[Any]] = {
        "held_fields": select(func.count(Hold.id)).join(Document).where(*held),
        "fields": select(func.count(Field.id)).where(Field.type_id == type_id, ~Field.key.contains(".")),
        "versions": select(func.count(ModelVersion.id)).where(versions),
        "live": select(ModelVersion.number).where(versions, ModelVersion.state == VersionState.PUBLISHED),
        "training": select(func.max(ModelVersion.number)).where(versions, ModelVersion.state.in_(IN_TRAINING)),
        "policy": select(func.max(Policy.number)).where(policies),
        "breaches": select(func.count(Breach.id)).where(Breach.policy_id == newest, Breach.resumed_at.is_(None)),
        "checks": select(func.count(Document.id)).where(
            Document.type_id == type_id, Document.state.in_(CHECKED_STATES), waits_for_check(Document.id)
        ),
        "policy_is_of": select(ModelVersion.state)
        .join(Policy, Policy.version_id == ModelVersion.id)
        .where(Policy.id == newest),
    }
    figures = {name: query.scalar_subquery() for name, query in asked.items()}
    return {**figures, "labelled_since": labelled_since_training(type_id)}


def overview(store: Store, workspace_id: int | None = None) -> list[TypeOverview]:
    """All types with their steps and next best steps."""
    found = []
    for kind in types(store, workspace_id):
        now = steps(store, kind.id)
        found.append(TypeOverview(kind, now, next_steps(now)))
    return found


@dataclass(frozen=True)
class UrgentStep:
    """A next step and the type it is about."""

    type: TypeView
    step: NextStep


# What waits longest for a person comes first; among equals the type with most papers.
_ORDER = ("review", "weigh", "gather", "deliver", "train", "label", "plan")


def urgent_steps(store: Store, rows: list[TypeOverview]) -> list[UrgentStep]:
    """At most three next steps over all types, the most pressing first."""
    found = [UrgentStep(row.type, step) for row in rows for step in row.next]
    size = {row.type.id: row.steps.live_papers + row.steps.labelled + row.steps.to_label for row in rows}
    for row in sorted(rows, key=lambda row: -size[row.type.id]):
        if row.type.workspace_id not in {task.type.workspace_id for task in found if task.step.action == "Check them"}:
            waiting = _waits_for_a_place(store, row.type.workspace_id)
            if waiting:
                found.append(UrgentStep(row.type, NextStep(waiting, "Check them", "gather")))
    found.sort(key=lambda one: (one.step.rank, _ORDER.index(one.step.step), -size[one.type.id]))
    return found[:3]


def _waits_for_a_place(store: Store, workspace_id: int) -> str:
    """Words on papers that fit no type and bundles whose cuts wait; empty when there are none."""
    with store.session() as session:
        counted: dict[DocumentState, int] = {
            state: count
            for state, count in session.execute(
                select(Document.state, func.count())
                .where(
                    Document.workspace_id == workspace_id,
                    Document.state.in_((DocumentState.UNPLACED, DocumentState.TO_CUT)),
                    Document.placed_by != PlacedBy.NONE_OF_THESE,
                )
                .group_by(Document.state)
            )
        }
    papers, bundles = counted.get(DocumentState.UNPLACED, 0), counted.get(DocumentState.TO_CUT, 0)
    said = [f"{papers} {'paper has' if papers == 1 else 'papers have'} no clear type"] if papers else []
    said += [f"{bundles} {'bundle needs' if bundles == 1 else 'bundles need'} a check of the cuts"] if bundles else []
    return "; ".join(said)


def next_steps(now: Steps) -> list[NextStep]:
    """At most three, the most pressing first."""
    found = [
        NextStep(
            f"The promise of policy {now.policy} is broken: {now.breach.wrong} of {now.breach.values} checked values "
            "were wrong",
            "See what was wrong",
            "weigh",
            rank=PRESSING,
        )
        if now.breach
        else None,
        NextStep("The plan has no fields yet", "Define the fields", "plan") if not now.fields else None,
        NextStep("No samples have been received yet", "Import samples", "gather")
        if now.fields and not (now.to_label or now.labelled or now.reading)
        else None,
        NextStep(f"{now.held_papers} papers wait for a person with {now.held_fields} fields", "Review them", "review")
        if now.held_papers
        else None,
        NextStep(
            f"{now.labelled} papers are labelled and no version is trained",
            f"Train from {now.labelled} papers",
            "train",
        )
        if now.labelled >= ENOUGH_FOR_A_FIRST_MODEL and not now.versions
        else None,
        NextStep("A version is trained, but none is live", "Check and publish it", "train")
        if now.versions and not now.live_version and not now.training
        else None,
        NextStep("A version is live, but no policy sets its thresholds", "Set thresholds", "weigh")
        if now.live_version and not now.policy
        else None,
        NextStep(f"{now.waiting_delivery} papers are done and not delivered", "Deliver them", "deliver")
        if now.waiting_delivery
        else None,
        NextStep(f"{now.checks} papers that passed wait for a spot check", "Spot-check them", "review", rank=LATER)
        if now.checks
        else None,
        NextStep(_label_reason(now), "Label the next", "label") if now.fields and now.to_label else None,
        NextStep(
            f"{now.labelled_since} papers were labelled since the last version",
            f"Train from {now.labelled} papers",
            "train",
        )
        if now.versions and now.labelled_since >= ENOUGH_FOR_A_FIRST_MODEL
        else None,
    ]
    return [step for step in found if step is not None][:3]


def _label_reason(now: Steps) -> str:
    if now.labelled < PAPERS_MIN:
        return (
            f"A first model needs {PAPERS_MIN} labelled papers, better {ENOUGH_FOR_A_FIRST_MODEL}; {now.labelled} "
            "are labelled"
        )
    return f"{now.to_label} samples are not labelled yet"


def default_type(store: Store) -> TypeView | None:
    """The type to show when none is asked for: the one with most papers."""
    papers = select(func.count(Document.id)).where(Document.type_id == DocumentType.id).scalar_subquery()
    return next(iter(types(store, by=(papers.desc(), DocumentType.id), most=1)), None)


@dataclass(frozen=True)
class ActivityItem:
    """Consecutive audit rows of one person and action, the newest first: `count` of them, of which the last was
    `at`."""

    at: datetime
    who: str
    action: str
    count: int


def latest_activity(store: Store, *, limit: int = 8) -> list[ActivityItem]:
    """What people did last, and which versions were trained; like with like put together."""
    with store.session() as session:
        rows = session.execute(
            select(Audit, Person.name)
            .outerjoin(Person, Audit.person_id == Person.id)
            .where(Audit.workspace_id.is_not(None))  # what is of no workspace is of people and keys
            .where(Audit.person_id.is_not(None) | (Audit.action == Action.TRAINED))
            .order_by(Audit.id.desc())
            .limit(600)
        ).all()
    found: list[ActivityItem] = []
    for row, name in rows:
        who = name or "the program"
        what = Action(row.action).phrase
        if found and (found[-1].who, found[-1].action) == (who, what):
            found[-1] = replace(found[-1], count=found[-1].count + 1)
        elif len(found) == limit:
            break
        else:
            found.append(ActivityItem(row.created_at, who, what, 1))
    return found
