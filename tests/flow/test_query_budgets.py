"""How many statements a page costs: a number that does not grow with fields, papers or pages."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import pytest
from sqlalchemy import event
from tests import papers
from tests.office import Office
from tests.papers import slips

from jugum.flow.deliver import results
from jugum.flow.gather import documents, lists, read
from jugum.flow.in_force import LoadedVersions
from jugum.flow.label.desk_parts import ValueInput
from jugum.flow.office.actor import Actor
from jugum.flow.overview import overview
from jugum.flow.plan import checks as plan_checks
from jugum.flow.plan import fields as plan_fields
from jugum.flow.review import desk as review_desk
from jugum.flow.review import draft
from jugum.flow.review import queue as review_queue
from jugum.flow.review import settle as settling
from jugum.store import Store

Run = Callable[[], None]
DESK_MOST = 15
SETTLE_MOST = 16
LIST_MOST = 12


@contextmanager
def counted(store: Store) -> Iterator[list[str]]:
    """The statements that are sent while it is open."""
    sent: list[str] = []

    def note(connection: object, cursor: object, statement: str, *more: object) -> None:
        sent.append(statement)

    event.listen(store.engine, "before_cursor_execute", note)
    try:
        yield sent
    finally:
        event.remove(store.engine, "before_cursor_execute", note)


def many_fields(office: Office, count: int) -> None:
    """Fields, a table with three columns, and a check that looks in a list, as a grown plan has them."""
    for number in range(count):
        given = plan_fields.FieldInput(
            name=f"Extra {number}", data_type="text", printed_names=[f"Zz{number}"], required=False
        )
        plan_fields.add_field(office.store, office.analyst, office.type_id, given)
    table = plan_fields.FieldInput(name="Goods", data_type="text", required=False, kind="table")
    plan_fields.add_field(office.store, office.analyst, office.type_id, table)
    plan_checks.put_list(office.store, office.analyst, 1, "members", ["Aldis Brenna"])
    check = {"key": "", "expression": 'listed(member, "members")', "message": "Unknown", "severity": "advisory"}
    plan_checks.put_check(office.store, office.analyst, office.type_id, check)
    for name in ("Item", "Count", "Sum"):
        column = plan_fields.FieldInput(
            name=name, data_type="text", printed_names=[name], required=False, inside="goods"
        )
        plan_fields.add_field(office.store, office.analyst, office.type_id, column)


def held(office: Office, run_jobs: Run, count: int = 1) -> list[int]:
    found = [office.bring(slip, "live") for slip in slips(40 + count)[40:]]
    run_jobs()
    return found


@pytest.mark.parametrize("fields", [0, 20])
def test_a_review_desk_costs_the_same_however_many_fields_it_shows(trained: Office, run_jobs: Run, fields: int) -> None:
    many_fields(trained, fields)
    (document,) = held(trained, run_jobs)
    with counted(trained.store) as sent:
        desk = review_desk.desk(trained.store, trained.reviewer, document)
    assert len(desk.fields) == 4 + fields
    assert len(sent) <= DESK_MOST, "\n".join(sent)


@pytest.mark.parametrize("fields", [0, 20])
def test_settling_a_field_costs_the_same_however_many_fields_there_are(
    trained: Office, run_jobs: Run, fields: int
) -> None:
    many_fields(trained, fields)
    (document,) = held(trained, run_jobs)
    with counted(trained.store) as sent:
        said = [ValueInput("12,00", 1, (1,))]
        settling.settle(trained.store, trained.reviewer, document, "amount", said)
    assert len(sent) <= SETTLE_MOST, "\n".join(sent)


def test_drafting_a_paper_costs_a_fixed_number_of_statements(trained: Office, run_jobs: Run) -> None:
    (document,) = held(trained, run_jobs)
    versions = LoadedVersions()
    draft.draft(trained.store, document, versions)
    with counted(trained.store) as sent:
        draft.draft(trained.store, document, versions)
    assert len(sent) <= 25, "\n".join(sent)


LISTS: dict[str, Callable[[Store, Actor, int], object]] = {
    "gather": lambda store, actor, kind: lists.paper_list(store, kind, lists.Wanted()),
    "review": lambda store, actor, kind: review_queue.queue(store, actor, kind),
    "results": lambda store, actor, kind: results.results(store, kind, actor=actor),
    "overview": lambda store, actor, kind: overview.overview(store),
}


@pytest.mark.parametrize("name", LISTS)
def test_a_list_costs_the_same_however_many_rows_it_has(trained: Office, run_jobs: Run, name: str) -> None:
    costs = []
    for count in (1, 6):
        held(trained, run_jobs, count)
        with counted(trained.store) as sent:
            LISTS[name](trained.store, trained.analyst, trained.type_id)
        costs.append(len(sent))
    assert costs[0] == costs[1] <= LIST_MOST


def test_the_pages_of_a_long_paper_are_queued_with_one_statement(office: Office) -> None:
    document = documents.receive(
        office.store, office.analyst, office.type_id, "long.pdf", papers.many_pages(120), purpose="sample"
    ).document_id
    with counted(office.store) as sent:
        read.open_document(office.store, document, read.OpenPapers())
    assert sum("INSERT INTO page" in one for one in sent) >= 1
    assert len(sent) <= 12, "\n".join(sent)
