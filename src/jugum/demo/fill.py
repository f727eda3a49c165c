"""Filling a workspace with the demo's papers, through the product's own flow: nothing is written into tables by
hand."""

from __future__ import annotations

import csv
import io
import time
from collections.abc import Callable, Iterable, Sequence

from sqlalchemy import select

from jugum.core.states import Purpose, VersionState
from jugum.core.values import ValueType, normal_form, same_value
from jugum.demo import WORKSPACE
from jugum.demo.gathering import fill_dossiers
from jugum.demo.labelling import label_apart, label_tables, prepare, slips
from jugum.demo.papers import FIELDS, DemoPaper, demo_papers, plan_bytes
from jugum.demo.parts import Rows
from jugum.errors import JugumError, TaskError
from jugum.flow.deliver import results
from jugum.flow.gather import documents
from jugum.flow.label import past_records
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.office import people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import Actor
from jugum.flow.plan import history as plan_history
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue as review_queue
from jugum.flow.review import settle as settling
from jugum.flow.train import training, versions
from jugum.flow.weigh import policies, weighing
from jugum.store import Store
from jugum.store.models import Workspace
from jugum.store.queue import waiting_jobs

TYPE = "Pay stub"
PASSWORD = "warm-homes-26"
PEOPLE = (
    ("admin", "Dagna Quarnby", "administrator"),
    ("analyst", "Runa Selvik", "analyst"),
    ("reviewer", "Corvin Halloway", "reviewer"),
)
FIRST_LABELLED = 14
LABELLED = 30
FIRST_LIVE = 24
SETTLED = 7
TIMEOUT_SECONDS = 900.0

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
    say(f"Reading {len(samples)} sample papers …")
    _receive(store, analyst, type_id, samples)
    _wait(store, say)
    prepare(store, analyst, type_id, {paper.name: paper.employer for paper in samples})
    _train(store, analyst, type_id, samples[:FIRST_LABELLED], say, "A first one, to see what is missing")
    _train(store, analyst, type_id, samples[FIRST_LABELLED:LABELLED], say, "Sixteen more papers; no field lost")
    thresholds, layout_similarity_min = weighing.proposal(store, type_id)
    policies.save_policy(store, analyst, type_id, thresholds, layout_similarity_min, "First policy: at most 2 % wrong")
    say(f"Reading and drafting {len(live)} live papers …")
    _receive(store, analyst, type_id, live[:FIRST_LIVE])
    _wait(store, say)
    _settle(store, reviewer, type_id, {paper.name: paper for paper in live})
    results.deliver(store, analyst, type_id, "csv")
    _receive(store, analyst, type_id, live[FIRST_LIVE:])
    _wait(store, say)
    label_apart(store, type_id, (analyst, actors["admin"]))
    slips(store, analyst, type_id)
    fill_dossiers(store, analyst, say, lambda: _wait(store, say))


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


def _wait(store: Store, say: Say) -> None:
    """Until no task waits or runs."""
    until = time.monotonic() + TIMEOUT_SECONDS
    told = -1
    while time.monotonic() < until:
        with store.session() as session:
            left = waiting_jobs(session)
        if not left:
            return
        if left // 10 != told:
            told = left // 10
            say(f"  {left} tasks left")
        time.sleep(0.3)
    raise TaskError(f"The workers did not finish the demo's papers within {TIMEOUT_SECONDS / 60:.0f} minutes.")


def _train(store: Store, actor: Actor, type_id: int, papers: Sequence[DemoPaper], say: Say, note: str) -> None:
    """Labels from the papers' values from past records and their tables, then a version, published with a note."""
    out = io.StringIO()
    writer = csv.writer(out)
    writer.writerow(["file", "type", "field", "value"])
    for paper in papers:
        for key, value in paper.truth.items():
            writer.writerow([paper.name, TYPE, key, value])
    report = past_records.import_records(store, actor, type_id, out.getvalue().encode(), complete=True)
    label_tables(store, actor, type_id, {paper.name: paper.tables for paper in papers})
    say(f"Labels: {report.placed + report.ambiguous} values placed, {report.not_found} without a place; training …")
    version_id = training.start(store, actor, type_id)
    _wait(store, say)
    version = versions.version_view(store, version_id)
    if version.state != VersionState.ON_TRIAL:
        raise TaskError(f"Training the demo's version {version.number} failed: {version.error}")
    versions.publish(store, actor, version_id, note)


def _settle(store: Store, actor: Actor, type_id: int, papers: dict[str, DemoPaper]) -> None:
    """A reviewer settles the first papers of the queue, by what is true of them."""
    kinds = {field.key: field.value_type for field in FIELDS}
    for row in review_queue.queue(store, actor, type_id).rows[:SETTLED]:
        desk = review_desk.desk(store, actor, row.id)
        paper = papers[row.name]
        for field in desk.fields:
            if field.hold and field.shape.kind == "table":
                settling.settle(
                    store, actor, row.id, field.key, [], rows=_right_rows(field, paper.tables.get(field.key, []))
                )
            elif field.hold:
                values = _right_value(field, paper.truth[field.key], kinds[field.key])
                settling.settle(store, actor, row.id, field.key, values, absent=not values)


def _right_rows(field: review_desk.ReviewField, rows: Rows) -> list[dict[str, CellInput]]:
    """A table's true rows, each cell with the place it was read from where the reading was right."""
    settled = []
    for number, row in enumerate(rows):
        cells = {}
        for place, (key, _, _) in enumerate(field.shape.columns):
            text = row[key.split(".", 1)[1]]
            read = field.rows[number][place] if number < len(field.rows) else None
            if read is not None and read.text == text and read.box:
                x0, y0, x1, y1 = read.box
                cells[key] = CellInput(text, read.page, (x0, y0, x1, y1))
            else:
                cells[key] = CellInput(text)
        settled.append(cells)
    return settled


def _right_value(field: review_desk.ReviewField, text: str, kind: ValueType) -> list[ValueInput]:
    if not text:
        return []
    right = normal_form(text, kind) or text
    for value in [*field.values, *field.others]:
        if same_value(value.normal, right, kind) and value.box:
            x0, y0, x1, y1 = value.box
            return [ValueInput(value.text, value.page, (), (x0, y0, x1, y1))]
    return [ValueInput(text)]
