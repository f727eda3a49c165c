"""The queue of Review: what it is narrowed to, its order, pages that people work on meanwhile, handing out papers."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from datetime import UTC, datetime, timedelta

import pytest
from sqlalchemy import select, update
from tests.office import PASSWORD, Office
from tests.papers import slip_pdf, slips

from jugum.errors import InputError
from jugum.flow.gather import batches, documents
from jugum.flow.gather.documents import Intake
from jugum.flow.label.desk_parts import ValueInput, presence
from jugum.flow.office import people
from jugum.flow.review import desk, queue, settle
from jugum.flow.review.waiting import Place, QueueWanted
from jugum.flow.weigh import policies
from jugum.store.models import Audit, Document

Run = Callable[[], None]


def hold_all(office: Office) -> None:
    strict = dict.fromkeys(("member", "paid_on", "amount"), 1.0)
    policies.save_policy(office.store, office.analyst, office.type_id, strict, 0.0)


@pytest.fixture
def held(trained: Office, run_jobs: Run) -> list[int]:
    """Five held papers, which came in one hour after the other, the last one an hour ago."""
    hold_all(trained)
    brought = [trained.bring(slip, "live", number % 2) for number, slip in enumerate(slips(5, 60))]
    run_jobs()
    for hours, document in enumerate(reversed(brought), 1):
        change(trained, document, received_at=datetime.now(UTC) - timedelta(hours=hours))
    return brought


def change(office: Office, document: int, **values: object) -> None:
    with office.store.session() as session:
        session.execute(update(Document).where(Document.id == document).values(**values))


def shown(office: Office, limit: int = 50, **wanted: object) -> list[int]:
    view = queue.queue(office.store, office.reviewer, office.type_id, QueueWanted(**wanted), limit)  # type: ignore[arg-type]
    return [row.id for row in view.rows]


def test_the_longest_waiting_stand_first_and_what_was_put_first_before_them(trained: Office, held: list[int]) -> None:
    view = queue.queue(trained.store, trained.reviewer, trained.type_id)
    assert [row.id for row in view.rows] == held
    assert (view.papers, view.held, view.checks, view.late, view.next) == (5, 15, 0, 0, "")
    assert view.minutes == pytest.approx((5 * 6 + 15 * 4) / 60)  # as long as nothing is measured
    assert queue.put_first(trained.store, trained.reviewer, trained.type_id, held[3:4], first=True) == 1
    assert shown(trained) == [held[3], *held[:3], held[4]]
    assert shown(trained, sort="newest") == held[::-1]
    assert shown(trained, sort="name") == sorted(held, key=lambda one: documents.document_view(trained.store, one).name)
    settle_one(trained, held[2])
    assert shown(trained, sort="fields")[0] == held[2]
    queue.put_first(trained.store, trained.reviewer, trained.type_id, held, first=False)
    assert shown(trained) == held


def settle_one(office: Office, document: int, key: str = "amount") -> None:
    view = desk.desk(office.store, office.reviewer, document)
    text = next(field for field in view.fields if field.key == key).values[0].text
    settle.settle(office.store, office.reviewer, document, key, [ValueInput(text)], revision=view.revision)


def test_pages_follow_each_other_though_people_settle_papers_meanwhile(trained: Office, held: list[int]) -> None:
    for sort, order in (("due", held), ("newest", held[::-1])):
        first = queue.queue(trained.store, trained.reviewer, trained.type_id, QueueWanted(sort=sort), 2)
        assert [row.id for row in first.rows] == order[:2]
        change(trained, order[0], state="settled")
        after = QueueWanted(sort=sort, after=first.next)
        second = queue.queue(trained.store, trained.reviewer, trained.type_id, after, 2)
        assert [row.id for row in second.rows] == order[2:4]  # none is left out for the one that is gone
        last = queue.queue(
            trained.store, trained.reviewer, trained.type_id, QueueWanted(sort=sort, after=second.next), 2
        )
        assert ([row.id for row in last.rows], last.next) == (order[4:], "")
        change(trained, order[0], state="held")
    day = "2026-11-27T10:00:00+00:00"
    written = [(0, "x", 1), (0, "2026-11-27T10:00:00", 1), (0.5, day, 1), (0, day, 1 << 40), ({}, day, 1), (0, day)]
    odd = [Place(0, (0, day, 1)).written()]  # type: ignore[arg-type]
    for broken in ("nonsense", "WzFd", "e30", *odd, *(Place(False, values).written() for values in written)):
        with pytest.raises(InputError, match="can't be found"):
            queue.queue(trained.store, trained.reviewer, trained.type_id, QueueWanted(after=broken))


def test_a_queue_is_narrowed_by_what_its_papers_are(trained: Office, held: list[int], run_jobs: Run) -> None:
    batch = batches.add(trained.store, trained.analyst, trained.workspace_id, "Letters")
    other = documents.receive(
        trained.store,
        trained.analyst,
        trained.type_id,
        "a letter.pdf",
        slip_pdf(slips(1, 70)[0]),
        purpose="live",
        intake=Intake(batch_id=batch),
    ).document_id
    run_jobs()
    change(trained, held[0], received_at=datetime.now(UTC) - timedelta(days=4))
    settle_one(trained, held[1], "amount")
    queue.give(trained.store, trained.analyst, trained.type_id, held[3:], trained.reviewer.id)
    assert shown(trained, batch=batch) == [other]
    assert shown(trained, text="LETTER") == [other]
    assert shown(trained, days=3) == held[:1]
    assert held[1] not in shown(trained, field="amount")
    assert len(shown(trained, field="member")) == 6
    assert shown(trained, reason="missing") == []
    assert shown(trained, person="me") == held[3:]
    assert shown(trained, person=str(trained.reviewer.id), field="amount") == held[3:]
    assert len(shown(trained, person="nobody")) == 4
    found = queue.queue(trained.store, trained.reviewer, trained.type_id).choices
    assert [(one.value, one.papers) for one in found["reason"]] == [("low confidence", 6)]
    assert {one.value: one.papers for one in found["field"]} == {"member": 6, "paid_on": 6, "amount": 5}
    assert [(one.name, one.papers) for one in found["batch"]] == [("Letters", 1)]
    assert [one.papers for one in found["person"]] == [2]
    assert sum(one.papers for one in found["layout"]) == 6
    assert shown(trained, layout=int(found["layout"][0].value))
    for wrong in (
        {"sort": "colour"},
        {"reason": "boredom"},
        {"person": "Nils"},
        {"person": "99999999999"},
        {"days": 999_999_999},
    ):
        with pytest.raises(InputError):
            shown(trained, **wrong)


def test_papers_are_late_after_the_hours_of_their_type(trained: Office, held: list[int]) -> None:
    assert shown(trained, late=True) == []
    queue.set_review_hours(trained.store, trained.analyst, trained.type_id, 2.5)
    view = queue.queue(trained.store, trained.reviewer, trained.type_id)
    assert view.late == 3
    assert [row.is_late for row in view.rows] == [True, True, True, False, False]
    assert view.rows[0].due == view.rows[0].received_at + timedelta(hours=2.5)
    assert shown(trained, late=True) == held[:3]
    queue.set_review_hours(trained.store, trained.analyst, trained.type_id, None)
    assert queue.queue(trained.store, trained.reviewer, trained.type_id).rows[0].due is None
    for hours in (0, -1, 1e9):
        with pytest.raises(InputError, match="due within"):
            queue.set_review_hours(trained.store, trained.analyst, trained.type_id, hours)


def test_each_who_asks_is_handed_another_paper(trained: Office, held: list[int]) -> None:
    admin = trained.actors["admin"]
    actors = []
    for number in range(5):
        people.add_person(
            trained.store, admin, login=f"r{number}", name=f"R{number}", role="reviewer", password=PASSWORD
        )
        person = people.actor_by_login(trained.store, f"r{number}")
        people.let_in(trained.store, admin, person.id, trained.workspace_id, "reviewer")
        actors.append(people.actor_by_login(trained.store, f"r{number}"))
    with ThreadPoolExecutor(5) as pool:
        got = list(pool.map(lambda actor: queue.claim_next(trained.store, actor, trained.type_id), actors))
    assert sorted(filter(None, got)) == held
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) is None
    change(trained, held[2], opened_at=datetime.now(UTC) - timedelta(minutes=5))  # whoever had it is gone
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) == held[2]


def test_papers_given_to_somebody_are_handed_to_nobody_else_and_those_of_a_batch_to_one(
    trained: Office, held: list[int]
) -> None:
    queue.give(trained.store, trained.analyst, trained.type_id, held[:1], trained.analyst.id)
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) == held[1]
    assert queue.claim_next(trained.store, trained.analyst, trained.type_id) == held[0]
    batch = batches.add(trained.store, trained.analyst, trained.workspace_id, "Letters")
    for document in (held[1], held[4]):
        change(trained, document, batch_id=batch, opened_by=None, opened_at=None)
    change(trained, held[1], state="settled", settled_by=trained.reviewer.id, settled_at=datetime.now(UTC))
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) == held[4]
    newest = QueueWanted(sort="newest")
    change(trained, held[2], received_at=datetime.now(UTC))
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id, newest) == held[2]
    queue.put_first(trained.store, trained.reviewer, trained.type_id, held[3:4], first=True)
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) == held[3]
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id, QueueWanted(text="nothing")) is None
    view = desk.desk(trained.store, trained.reviewer, held[2])
    assert view.next in held[3:]  # not the first, which is the analyst's
    people.add_person(
        trained.store, trained.actors["admin"], login="siv", name="Siv", role="reviewer", password=PASSWORD
    )
    with pytest.raises(InputError, match="may not review"):
        queue.give(
            trained.store, trained.analyst, trained.type_id, held, people.actor_by_login(trained.store, "siv").id
        )
    assert queue.give(trained.store, trained.analyst, trained.type_id, held[:1], None) == 1
    with trained.store.session() as session:
        assert len(session.scalars(select(Audit).where(Audit.action == "give paper")).all()) == 2


def test_a_desk_at_which_nothing_is_done_keeps_its_paper_no_longer(trained: Office, held: list[int]) -> None:
    assert queue.claim_next(trained.store, trained.reviewer, trained.type_id) == held[0]
    a_minute_ago = datetime.now(UTC) - timedelta(minutes=1)
    change(trained, held[0], opened_at=a_minute_ago)
    presence(trained.store, trained.reviewer, held[0])
    assert queue.claim_next(trained.store, trained.analyst, trained.type_id) == held[1]
    change(trained, held[0], opened_at=a_minute_ago)
    assert presence(trained.store, trained.reviewer, held[0], idle=True).others == []
    assert queue.claim_next(trained.store, trained.analyst, trained.type_id) == held[0]
    found = presence(trained.store, trained.reviewer, held[0], idle=True)
    assert [other.name for other in found.others] == [trained.analyst.name]
