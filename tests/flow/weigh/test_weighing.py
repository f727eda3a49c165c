"""The dial of a type: the frontier of its evidence, three ways to set it, and what cannot be meant."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import pytest
from sqlalchemy import select
from tests.office import Office
from tests.papers import slips

from jugum.core.thresholds import EvidenceSource, FieldRules
from jugum.core.thresholds.frontier import bounded
from jugum.errors import InputError, NotFound
from jugum.flow.gather import documents
from jugum.flow.label import sets
from jugum.flow.plan import fields as plan_fields
from jugum.flow.train import training
from jugum.flow.train.versions import publish
from jugum.flow.weigh import policies, weighing
from jugum.flow.weigh.dial import DialSettings, Way
from jugum.flow.weigh.evidence import evidence_place
from jugum.flow.weigh.life import papers_a_week_in
from jugum.flow.weigh.promise_under import promise_under
from jugum.flow.weigh.trial import trial
from jugum.store.models import Document, ModelVersion

Run = Callable[[], None]


def dial(office: Office, **settings: Any) -> weighing.Frontier:
    return weighing.frontier_of(office.store, office.type_id, DialSettings(**settings))


def test_the_policy_in_force_stands_in_the_picture(trained: Office) -> None:
    assert weighing.weigh(trained.store, trained.type_id).frontier.now is None
    thresholds, gate = weighing.proposal(trained.store, trained.type_id, 0.2)
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, gate)
    view = weighing.weigh(trained.store, trained.type_id, DialSettings(error_most=0.2))
    now, place = view.frontier.now, view.frontier.proposed
    assert now is not None
    assert place is not None
    assert now.point == view.frontier.points[place].point  # the setting that was proposed, judged alike
    by_hand = dict.fromkeys(thresholds, 0.123)
    policies.save_policy(trained.store, trained.analyst, trained.type_id, by_hand, gate)
    now = weighing.weigh(trained.store, trained.type_id).frontier.now
    assert now is not None
    assert now.point.outcome.passing == 30


def test_each_way_chooses_a_setting(trained: Office) -> None:
    nothing = dial(trained, way=Way.BUDGET, hours_a_week=1000.0, papers_a_week=10.0)
    assert nothing.proposed == 0
    everything = dial(trained, way=Way.BUDGET, hours_a_week=0.0, papers_a_week=10.0)
    assert everything.proposed is not None
    assert everything.points[everything.proposed].point.minutes == 0
    strict, lax = (dial(trained, way=Way.COSTS, wrong_value_cost=cost) for cost in (1e6, 0.01))
    assert (strict.proposed or 0) < (lax.proposed or 0)
    assert dial(trained, error_most=0.001).proposed is None


def test_fields_follow_their_rules(trained: Office) -> None:
    rules = FieldRules({"amount": 50.0}, {"member": 0.6}, frozenset({"paid_on"}))
    for at in dial(trained, rules=rules).points:
        thresholds = at.point.thresholds
        assert thresholds["member"] == 0.6
        assert "paid_on" not in bounded(thresholds)
    lax = dial(trained).points[-1].point.thresholds["amount"]
    assert dial(trained, rules=rules).points[-1].point.thresholds["amount"] > lax


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"error_most": 0.0}, "between 0.1 % and 50 %"),
        ({"wrong_value_cost": 0.0}, "must cost more than 0"),
        ({"hours_a_week": -1.0}, "must not be negative"),
        ({"papers_a_week": -1.0}, "must not be negative"),
        ({"rules": FieldRules(weights={"amount": 0.0})}, "weight of “amount”"),
        ({"rules": FieldRules(pinned={"amount": 1.5})}, "must be between 0 and 1"),
        ({"rules": FieldRules(always_held=frozenset({"nobody"}))}, "nobody"),
    ],
)
def test_settings_that_cannot_be_meant_are_refused(trained: Office, given: dict[str, Any], said: str) -> None:
    with pytest.raises(InputError, match=said):
        dial(trained, **given)


def test_a_policy_with_a_field_that_is_always_held_stands_in_the_picture_without_it(trained: Office) -> None:
    settings = DialSettings(error_most=0.2, rules=FieldRules(always_held=frozenset({"amount"})))
    shown = weighing.frontier_of(trained.store, trained.type_id, settings)
    assert shown.proposed is not None
    thresholds = {"amount": 1.0, **bounded(shown.points[shown.proposed].point.thresholds)}
    policies.save_policy(
        trained.store, trained.analyst, trained.type_id, thresholds, 0.0, always_held=["amount"], settings=settings
    )
    view = weighing.weigh(trained.store, trained.type_id)
    assert view.frontier.settings == settings
    assert view.frontier.now is not None
    assert set(bounded(view.frontier.now.point.thresholds)) == {"member", "paid_on"}
    assert [field.key for field in view.fields if field.threshold is None] == ["amount"]


def test_rules_for_fields_that_were_removed_are_forgotten(trained: Office) -> None:
    settings = DialSettings(rules=FieldRules({"member": 2.0}, {"amount": 0.7}))
    thresholds = dict.fromkeys(("member", "paid_on", "amount"), 0.7)
    policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 0.0, settings=settings)
    plan_fields.remove_field(trained.store, trained.analyst, trained.type_id, "amount", labels_known=10)
    view = weighing.weigh(trained.store, trained.type_id)
    assert view.frontier.settings.rules == FieldRules({"member": 2.0})
    assert [field.key for field in view.fields] == ["member", "paid_on"]
    assert policies.go_back(trained.store, trained.analyst, trained.type_id, 1) == 2


def test_a_policy_is_not_published_with_settings_that_cannot_be_meant(trained: Office) -> None:
    """The page would not open any more."""
    thresholds, settings = dict.fromkeys(("member", "paid_on", "amount"), 0.7), DialSettings(error_most=0.0)
    with pytest.raises(InputError, match=r"between 0\.1 % and 50 %"):
        policies.save_policy(trained.store, trained.analyst, trained.type_id, thresholds, 0.0, settings=settings)
    assert policies.policies(trained.store, trained.type_id) == []


def test_a_type_without_a_version_has_nothing_to_weigh(office: Office) -> None:
    with pytest.raises(InputError, match="nothing to weigh"):
        dial(office)


def test_papers_a_week_are_those_of_the_last_four_weeks(trained: Office, run_jobs: Run) -> None:
    now = datetime.now(UTC)
    with trained.store.session() as session:
        assert papers_a_week_in(session, trained.type_id) == 0.0
    papers = [trained.bring(slip, "live") for slip in slips(3, start=70)]
    with trained.store.session() as session:
        assert papers_a_week_in(session, trained.type_id, now) == 3.0  # since today: no less than a week
        session.get_one(Document, papers[0]).received_at = now - timedelta(weeks=6)
        session.flush()
        assert papers_a_week_in(session, trained.type_id, now) == pytest.approx(2 / 4)


def test_a_mark_leads_to_its_place(trained: Office) -> None:
    point = weighing.weigh(trained.store, trained.type_id).fields[0].points[0]
    key = weighing.weigh(trained.store, trained.type_id).fields[0].key
    place = evidence_place(trained.store, trained.type_id, key, point.document)
    assert place.paper.endswith(".pdf")
    assert place.page == 1
    assert place.box is not None
    with pytest.raises(NotFound):
        evidence_place(trained.store, trained.type_id, key, -3)


def test_what_was_proposed_by_a_promise_is_what_is_shown(trained: Office) -> None:
    settings = DialSettings(error_most=0.2)
    thresholds, _ = weighing.proposal(trained.store, trained.type_id, 0.2)
    shown = weighing.frontier_of(trained.store, trained.type_id, replace(settings))
    assert shown.proposed is not None
    assert bounded(shown.points[shown.proposed].point.thresholds) == thresholds


def test_a_type_of_which_every_layout_is_new_lets_nothing_pass(trained: Office) -> None:
    """Each labelled paper of a layout of its own: no value of a known layout was measured."""
    with trained.store.session() as session:
        version = session.scalars(select(ModelVersion).where(ModelVersion.type_id == trained.type_id)).one()
        version.evidence = [{**row, "unseen": True} for row in version.evidence]
    view = weighing.weigh(trained.store, trained.type_id)
    assert [at.promise.state for at in view.frontier.points] == ["empty"]
    assert set(weighing.proposal(trained.store, trained.type_id)[0].values()) == {1.0}
    policies.save_policy(trained.store, trained.analyst, trained.type_id, {one.key: 1.0 for one in view.fields}, 0.6)
    now = weighing.weigh(trained.store, trained.type_id).frontier.now
    assert now is not None
    assert now.point.outcome.passing == 0


def test_papers_kept_for_testing_are_evidence_of_their_own_kind(office: Office, run_jobs: Run) -> None:
    brought = [(office.bring(slip, layout=number % 2), slip) for number, slip in enumerate(slips(14))]
    run_jobs()
    for document, slip in brought:
        office.label_whole(document, slip)
    tests = [document for document, _ in brought[10:]]
    sets.put(office.store, office.analyst, tests, "test")
    first = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    second = training.start(office.store, office.analyst, office.type_id)
    run_jobs()
    view = weighing.weigh(office.store, office.type_id)
    assert (view.test_papers, view.live_papers, view.frontier.papers) == (4, 0, 14)
    amount = next(field for field in view.fields if field.key == "amount")
    marks = [point for point in amount.points if point.source is EvidenceSource.TEST_SET]
    assert sorted(mark.document for mark in marks) == tests
    assert all(mark.right and not mark.unseen for mark in marks)
    assert amount.along[-1].total == 14
    assert evidence_place(office.store, office.type_id, "amount", tests[0]).page == 1
    publish(office.store, office.analyst, first)
    thresholds, gate = weighing.proposal(office.store, office.type_id, 0.2)
    policies.save_policy(office.store, office.analyst, office.type_id, thresholds, gate)
    found = promise_under(office.store, second)
    assert found is not None
    assert (found.papers, found.values) == (14, 42)


def test_by_costs_a_paper_is_opened_only_when_it_is_worth_it(trained: Office, run_jobs: Run) -> None:
    strict = dict.fromkeys(("member", "paid_on", "amount"), 1.0)
    cheap = DialSettings(way=Way.COSTS, wrong_value_cost=0.01)  # than an hour of review for 300

    def publish_by(settings: DialSettings) -> None:
        policies.save_policy(trained.store, trained.analyst, trained.type_id, strict, 0.0, settings=settings)

    publish_by(replace(cheap, opens_always=True))
    document = trained.bring(slips(1, 60)[0], "live")
    run_jobs()
    assert documents.document_view(trained.store, document).state == "held"
    tried = trial(trained.store, trained.type_id, strict, 0.0, settings=cheap)
    assert (tried.whole_now, tried.whole_then, tried.would_pass) == (0, 1, 3)
    publish_by(cheap)
    run_jobs()
    assert documents.document_view(trained.store, document).state == "passed"
    view = weighing.weigh(trained.store, trained.type_id)
    assert view.policy is not None
    assert view.policy.settings["opening"]["paper"] > view.policy.settings["opening"]["look"] > 1
    assert view.policy.outcome["passing"] == 30
    assert view.frontier.now is not None
    assert view.frontier.now.point.outcome.passing == 30
    dear = DialSettings(way=Way.COSTS, wrong_value_cost=1e6)
    publish_by(dear)
    another = trained.bring(slips(1, 61)[0], "live")
    run_jobs()
    assert documents.document_view(trained.store, another).state == "held"
    policies.go_back(trained.store, trained.analyst, trained.type_id, 2)
    run_jobs()
    assert documents.document_view(trained.store, another).state == "passed"  # by the same rule
