"""Some weeks of the demo office's life: papers come, held fields are settled, what passed is spot-checked, results go
out; for a while a policy lets new layouts pass and promises too much, until that promise is broken.

Everything goes through the product's own flow, at once; only that weeks lie between is made up: after each of them the
times of all that has happened are moved back by a week.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

import psycopg
from psycopg import sql
from sqlalchemy import DateTime

from jugum.core.schema import HoldReason
from jugum.core.values import ValueType, normal_form, same_value
from jugum.demo.papers import FIELDS, DemoPaper
from jugum.demo.parts import Rows
from jugum.flow.deliver import results
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.label.rows import CellInput
from jugum.flow.office.actor import Actor
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue as review_queue
from jugum.flow.review import settle as settling
from jugum.flow.weigh import breaches, policies
from jugum.flow.weigh.dial import DialSettings
from jugum.store import Store
from jugum.store.database import plain_url
from jugum.store.models import Base, ModelVersion

WEEK = 12  # papers
WEEKS = 4
LAX_WEEK = 1  # counted from 0: from this one on a policy lets new layouts pass, until its promise is broken
LAX_PROMISE = 0.002
DAYS = 7
STAYS = frozenset({"person_session", "sign_in_attempt", "api_key", "task_failure", "person"})  # what has no past
KINDS: Mapping[str, ValueType] = {field.key: field.value_type for field in FIELDS}
Receive = Callable[[Sequence[DemoPaper]], None]


def live_some_weeks(
    store: Store, analyst: Actor, reviewer: Actor, type_id: int, papers: Sequence[DemoPaper], receive: Receive
) -> None:
    """Weeks that lie in the past; `receive` brings papers in and returns when they are drafted."""
    truths = {paper.name: paper for paper in papers}
    for week in range(WEEKS):
        if week == LAX_WEEK:
            _let_new_layouts_pass(store, analyst, type_id)
        receive(papers[week * WEEK : (week + 1) * WEEK])
        review(store, reviewer, type_id, truths)
        if breaches.open_breach(store, type_id) is not None:
            note = "Two in a thousand was too much to promise: 2 %, and new layouts go to a person again"
            _go_back(store, analyst, type_id, note)
            receive(())
            review(store, reviewer, type_id, truths)
        results.deliver(store, analyst, type_id, "csv")
        a_week_passes(store)


def _let_new_layouts_pass(store: Store, analyst: Actor, type_id: int) -> None:
    now = policies.policies(store, type_id)[0]
    lower = {key: min(threshold, 0.5) for key, threshold in now.thresholds.items()}
    note = "Two wrong in a thousand, as the board was told; new layouts pass, too, to save review"
    policies.save_policy(store, analyst, type_id, lower, 0.0, note, settings=DialSettings(error_most=LAX_PROMISE))


def _go_back(store: Store, analyst: Actor, type_id: int, note: str) -> None:
    before = policies.policies(store, type_id)[1]
    gate = before.layout_similarity_min
    policies.save_policy(store, analyst, type_id, before.thresholds, gate, note, settings=DialSettings())


def review(
    store: Store, actor: Actor, type_id: int, papers: Mapping[str, DemoPaper], *, most: int | None = None
) -> None:
    """A reviewer says of the papers that wait, held or drawn to be checked, what is true of them; of `most` of each."""
    rows = [row for row in review_queue.queue(store, actor, type_id, limit=500).rows if row.name in papers]
    checks = [row for row in rows if HoldReason.SPOT_CHECK in row.reasons]
    held = [row for row in rows if row.state == "held"]
    for document, name in {row.id: row.name for row in (*held[:most], *checks[:most])}.items():
        _say(store, actor, document, papers[name])


def _say(store: Store, actor: Actor, document: int, paper: DemoPaper) -> None:
    """What is true of each field that waits on a paper; what is said blind and differs is said again."""
    for _ in range(2):
        for field in review_desk.desk(store, actor, document).fields:
            if field.hold and field.shape.kind == "table":
                rows = _right_rows(field, paper.tables.get(field.key, []))
                settling.settle(store, actor, document, field.key, [], rows=rows)
            elif field.hold:
                values = _right_value(field, paper.truth[field.key])
                settling.settle(store, actor, document, field.key, values, absent=not values)


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


def _right_value(field: review_desk.ReviewField, text: str) -> list[ValueInput]:
    """A field's true value, with the place it was read from where the reading was right."""
    if not text:
        return []
    kind = KINDS[field.key]
    right = normal_form(text, kind) or text
    for value in [*field.values, *field.others]:
        if same_value(value.normal, right, kind) and value.box:
            x0, y0, x1, y1 = value.box
            return [ValueInput(value.text, value.page, (), (x0, y0, x1, y1))]
    return [ValueInput(text)]


def a_week_passes(store: Store) -> None:
    """All that has happened has happened a week before. The program itself may not change what is in its records; the
    owner of the database does here."""
    with psycopg.connect(plain_url(store.settings.database_url)) as connection:
        for table in Base.metadata.sorted_tables:
            columns = [column.name for column in table.columns if isinstance(column.type, DateTime)]
            if table.name in STAYS or not columns:
                continue
            changes = sql.SQL(", ").join(
                sql.SQL("{0} = {0} - make_interval(days => {1})").format(sql.Identifier(name), DAYS) for name in columns
            )
            update = sql.SQL("UPDATE {} SET {}").format(sql.Identifier(table.name), changes)
            if table.name == ModelVersion.__tablename__:  # one that is being trained says when it last got on
                update += sql.SQL(" WHERE trained_at IS NOT NULL")
            connection.execute(update)


__all__ = ["WEEK", "WEEKS", "a_week_passes", "live_some_weeks", "review"]
