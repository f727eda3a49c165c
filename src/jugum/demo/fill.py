"""Filling a workspace with the demo's papers, through the product's own flow: nothing is written into tables by
hand."""

from __future__ import annotations

import csv
import io
import time
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence

from sqlalchemy import select

from jugum.core.states import Purpose, SortingSubject, VersionState
from jugum.core.thresholds.frontier import bounded
from jugum.demo import WORKSPACE
from jugum.demo.gathering import bring_applications, bring_samples
from jugum.demo.labelling import label_apart, label_tables, prepare, slips
from jugum.demo.life import WEEK, WEEKS, a_week_passes, live_some_weeks, review
from jugum.demo.papers import DemoPaper, demo_papers, plan_bytes
from jugum.errors import JugumError, TaskError
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.label import past_records
from jugum.flow.office import people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.plan import history as plan_history
from jugum.flow.train import training, versions
from jugum.flow.weigh import policies, weighing
from jugum.flow.weigh.sorting_policies import save_sorting_policy
from jugum.flow.weigh.sorting_view import weigh_sorting
from jugum.store import Store
from jugum.store.models import Workspace
from jugum.store.queue import Task, waiting_jobs

FIRST_POLICY = "First policy: at most 2 % wrong"
PASSWORD = "warm-homes-26"
PEOPLE = (
    ("admin", "Dagna Quarnby", "administrator"),
    ("analyst", "Runa Selvik", "analyst"),
    ("reviewer", "Corvin Halloway", "reviewer"),
)
FIRST_LABELLED = 14
LABELLED = 30
FIRST_LIVE = 14
SETTLED = 5
TIMEOUT_SECONDS = 900.0
MEASURES = (Task.DRAW_CURVE, Task.JUDGE_CUTTING)  # which nothing waits for; they go on when all is filled
IN_BACKGROUND = (*MEASURES, Task.TRAIN_VERSION)

Say = Callable[[str], None]


def is_filled(store: Store) -> bool:
    """Whether the demo's workspace is there already."""
    with store.session() as session:
        return session.scalar(select(Workspace.id).where(Workspace.name == WORKSPACE)) is not None


def fill(store: Store, say: Say = lambda line: None) -> None:
    """Fill the demo workspace; needs workers running. TaskError when they don't get on."""
    actors = {login: _person(store, login, name, role) for login, name, role in PEOPLE}
    analyst, reviewer = actors["analyst"], actors["reviewer"]
    workspace_id = types_.add_workspace(store, analyst, WORKSPACE)
    people.let_in(store, actors["admin"], reviewer.id, workspace_id, "reviewer")
    type_id = plan_history.import_plan(store, analyst, workspace_id, plan_bytes("pay-stub"))
    papers = list(demo_papers())
    samples = [paper for paper in papers if paper.purpose == Purpose.SAMPLE]
    live = [paper for paper in papers if paper.purpose == Purpose.LIVE]
    others = bring_samples(store, analyst, workspace_id)
    say(f"Reading {len(samples) + sum(map(len, others.values()))} sample papers …")
    _receive(store, analyst, type_id, samples)
    _wait(store, say)
    prepare(store, analyst, type_id, {paper.name: paper.employer for paper in samples})
    _train(store, analyst, type_id, samples[:FIRST_LABELLED], say, "A first one, to see what is missing")
    _train(store, analyst, type_id, samples[FIRST_LABELLED:LABELLED], say, "Sixteen more papers; no field lost")
    _publish(store, analyst, type_id, FIRST_POLICY)
    trainings = _start(store, analyst, others, say)  # which go on while weeks of pay stubs pass
    say(f"Reading and drafting {len(live)} live papers of some weeks …")

    def receive(papers: Sequence[DemoPaper]) -> None:
        _receive(store, analyst, type_id, papers)
        _wait(store, say, without=IN_BACKGROUND)

    a_week_passes(store)
    live_some_weeks(store, analyst, reviewer, type_id, live, receive)
    receive(live[WEEK * WEEKS : WEEK * WEEKS + FIRST_LIVE])
    review(store, reviewer, type_id, {paper.name: paper for paper in live}, most=SETTLED)
    results.deliver(store, analyst, type_id, "csv")
    receive(live[WEEK * WEEKS + FIRST_LIVE :])
    label_apart(store, type_id, (analyst, actors["admin"]))
    slips(store, analyst, type_id)
    say("Training versions of the other types …")
    _publish_versions(store, analyst, trainings, say, "A first one")
    for number in others:
        _publish(store, analyst, number, FIRST_POLICY)
    _publish_sorting(store, analyst, workspace_id)
    say("Bringing in applications, bundles and papers of no type …")
    bring_applications(store, analyst, workspace_id)
    _wait(store, say)


def _person(store: Store, login: str, name: str, role: str) -> Actor:
    try:
        return people.actor_by_login(store, login)
    except JugumError:
        admin = people.actor_by_login(store, PEOPLE[0][0]) if people.anybody(store) else None
        people.add_person(store, admin, login=login, name=name, role=role, password=PASSWORD)
        return people.actor_by_login(store, login)


def _receive(store: Store, actor: Actor, type_id: int, papers: Iterable[DemoPaper]) -> None:
    for paper in papers:
        documents.receive(store, actor, type_id, paper.name, paper.data, purpose=paper.purpose)


def _wait(store: Store, say: Say, without: Collection[Task] = MEASURES) -> None:
    """Until no task waits or runs but some."""
    until = time.monotonic() + TIMEOUT_SECONDS
    told = -1
    while time.monotonic() < until:
        with store.session() as session:
            left = waiting_jobs(session, without=without)
        if not left:
            return
        if left // 10 != told:
            told = left // 10
            say(f"  {left} tasks left")
        time.sleep(0.3)
    raise TaskError(f"The workers did not finish the demo's papers within {TIMEOUT_SECONDS / 60:.0f} minutes.")


def _train(store: Store, actor: Actor, type_id: int, papers: Sequence[DemoPaper], say: Say, note: str) -> None:
    """Labels from the papers' values from past records and their tables, then a version, published with a note."""
    _publish_versions(store, actor, _start(store, actor, {type_id: papers}, say), say, note)


def _start(store: Store, actor: Actor, papers: Mapping[int, Sequence[DemoPaper]], say: Say) -> list[int]:
    """Labels for several types (id → its papers), and a training of each; the ids of the versions."""
    for type_id, its in papers.items():
        _label(store, actor, type_id, its, say)
    return [training.start(store, actor, type_id) for type_id in papers]


def _publish_versions(store: Store, actor: Actor, started: Sequence[int], say: Say, note: str) -> None:
    """Versions that are in training, published with a note once they are done."""
    _wait(store, say)
    for version_id in started:
        version = versions.version_view(store, version_id)
        if version.state != VersionState.ON_TRIAL:
            raise TaskError(f"Training the demo's version {version.number} failed: {version.error}")
        versions.publish(store, actor, version_id, note)


def _label(store: Store, actor: Actor, type_id: int, papers: Sequence[DemoPaper], say: Say) -> None:
    name = types_.type_view(store, type_id).name
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["file", "type", "field", "value"])
    for paper in papers:
        for key, value in paper.truth.items():
            writer.writerow([paper.name, name, key, value])
    report = past_records.import_records(store, actor, type_id, out.getvalue().encode(), complete=True)
    label_tables(store, actor, type_id, {paper.name: paper.tables for paper in papers})
    say(f"{name}: {report.placed + report.ambiguous} values placed, {report.not_found} without a place; training …")


def _publish_sorting(store: Store, actor: Actor, workspace_id: int) -> None:
    """A policy of the thresholds that are proposed for placing papers."""
    classifiers = LoadedClassifiers()
    view = weigh_sorting(store, classifiers, workspace_id, SortingSubject.TYPES).frontier
    if view.proposed is not None:
        thresholds = bounded(view.points[view.proposed].point.thresholds)
        settings = view.settings
        save_sorting_policy(
            store, classifiers, actor, workspace_id, SortingSubject.TYPES, thresholds, FIRST_POLICY, settings=settings
        )


def _publish(store: Store, actor: Actor, type_id: int, note: str) -> None:
    """A policy of the thresholds that are proposed."""
    thresholds, layout_similarity_min = weighing.proposal(store, type_id)
    policies.save_policy(store, actor, type_id, thresholds, layout_similarity_min, note)
