"""Life: what became of a type's papers, by day and week, and what it says of thresholds."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta

from sqlalchemy import select
from tests.flow.review.test_spot_checks import agree, check_all, passed, say
from tests.office import Office
from tests.papers import slips

from jugum.core.thresholds import EvidenceSource
from jugum.core.thresholds.periods import Span
from jugum.flow.train import training, versions
from jugum.flow.weigh import policies, weighing
from jugum.flow.weigh.live import live
from jugum.store.models import Document, Policy, SpotCheck

Run = Callable[[], None]


def came(office: Office, documents: list[int], days_ago: int) -> None:
    """Papers came in so many days ago."""
    with office.store.session() as session:
        for row in session.scalars(select(Document).where(Document.id.in_(documents))):
            row.received_at = datetime.now(UTC) - timedelta(days=days_ago)


def test_a_type_without_live_papers_has_no_figures(trained: Office) -> None:
    view = live(trained.store, trained.type_id)
    assert (view.periods, view.drifts, view.papers) == ([], [], [])


def test_papers_count_where_they_came_in(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    first = passed(trained, run_jobs, 41, 42)
    held = passed(trained, run_jobs, 43, threshold=1.0)
    came(trained, first, 14)
    came(trained, held, 7)
    agree(trained, first[0])
    say(trained, first[1], "amount", "77,00")
    agree(trained, first[1], "member", "paid_on")
    view = live(trained.store, trained.type_id)
    weeks = view.periods
    assert [(len(week.papers), week.through.count) for week in weeks] == [(2, 2), (1, 0)]
    assert weeks[1].held == {"low confidence": 1}
    assert weeks[1].minutes is not None
    assert weeks[1].minutes > 0
    # What was checked stands where its paper came in.
    assert weeks[0].checked is not None
    assert (weeks[0].checked.passing, weeks[0].checked.wrong, weeks[1].checked) == (6, 1, None)
    assert [one.policy for one in view.published] == [1, 2]
    opened = live(trained.store, trained.type_id, start=weeks[1].start)
    (listed,) = opened.papers
    assert (listed.id, listed.held, listed.state) == (held[0], {"low confidence": 3}, "held")
    days = live(trained.store, trained.type_id, Span.DAY).periods
    assert [len(day.papers) for day in days] == [2, *[0] * 6, 1]


def test_what_another_policy_held_is_no_drift(trained: Office, run_jobs: Run) -> None:
    before = passed(trained, run_jobs, *range(50, 60), threshold=1.0)
    for document in before:
        agree(trained, document)
    came(trained, before, 10)
    passed(trained, run_jobs, *range(60, 70))
    with trained.store.session() as session:
        for policy in session.scalars(select(Policy)):
            policy.created_at = datetime.now(UTC) - timedelta(days=8 if policy.number == 2 else 20)
    view = live(trained.store, trained.type_id)
    assert (view.papers_before, view.papers_now) == (10, 10)
    assert [sum(week.through.count for week in view.periods[:2]), view.periods[-1].through.count] == [0, 10]
    assert view.drifts == []


def test_what_is_other_than_before_the_policy_is_told_with_its_cause(trained: Office, run_jobs: Run) -> None:
    policies.save_policy(
        trained.store, trained.analyst, trained.type_id, dict.fromkeys(("member", "paid_on", "amount"), 0.0), 0.0
    )
    known = [trained.bring(slips(number + 1)[number], "live") for number in range(50, 60)]
    strange = [trained.bring(slips(number + 1)[number], "live", layout=2) for number in range(60, 72)]
    run_jobs()
    came(trained, known, 10)
    with trained.store.session() as session:
        (policy,) = session.scalars(select(Policy))
        policy.created_at = datetime.now(UTC) - timedelta(days=5)
    view = live(trained.store, trained.type_id)
    assert (view.papers_before, view.papers_now) == (10, 12)
    told = {one.figure.value: one for one in view.drifts}
    assert (told["papers of new layouts"].before, told["papers of new layouts"].now) == (0.0, 1.0)
    assert told["papers of new layouts"].cause.value == "new layouts"
    assert len(strange) == 12


# ---- Evidence from life ----------------------------------------------------------------------------------------------


def test_what_people_said_of_live_papers_is_weighed_by_its_probability(trained: Office, run_jobs: Run) -> None:
    before = weighing.weigh(trained.store, trained.type_id)
    assert before.live_papers == 0
    check_all(trained)
    checked = passed(trained, run_jobs, 41, 42)
    agree(trained, checked[0])
    say(trained, checked[1], "amount", "77,00")
    agree(trained, checked[1], "member", "paid_on")
    reviewed = passed(trained, run_jobs, 43, threshold=1.0)
    agree(trained, reviewed[0], "member", "paid_on")
    say(trained, reviewed[0], "amount", "78,00")
    after = weighing.weigh(trained.store, trained.type_id)
    assert (after.live_papers, after.frontier.papers) == (3, before.frontier.papers + 3)
    (amount,) = [field for field in after.fields if field.key == "amount"]
    of_life = [point for point in amount.points if point.source is not EvidenceSource.HELD_OUT]
    said = sorted((point.source.value, point.right, point.expected) for point in of_life if not point.right)
    assert said == [("review", False, "78,00"), ("spot check", False, "77,00")]
    assert [(point.source.value, point.expected == point.found) for point in of_life if point.right] == [
        ("spot check", True)
    ]
    # Two more wrong values at the laxest setting than held-out papers alone show.
    wrong = [field.along[-1].wrong for field in before.fields if field.key == "amount"]
    assert amount.along[-1].wrong == wrong[0] + 2


def test_what_was_seen_long_ago_counts_less(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    for key in ("member", "paid_on", "amount"):
        say(trained, document, key)

    def error() -> float:
        (amount,) = [field for field in weighing.weigh(trained.store, trained.type_id).fields if field.key == "amount"]
        return amount.along[-1].error_share

    fresh = error()
    with trained.store.session() as session:
        (check,) = session.scalars(select(SpotCheck))
        check.done_at = datetime.now(UTC) - timedelta(days=900)
    assert 0 < error() < fresh / 100


def test_a_version_that_read_no_live_paper_has_no_evidence_from_life(trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    agree(trained, document)
    version = training.start(trained.store, trained.analyst, trained.type_id)
    run_jobs()
    versions.publish(trained.store, trained.analyst, version, "again")
    assert weighing.weigh(trained.store, trained.type_id).live_papers == 0
