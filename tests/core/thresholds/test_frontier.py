"""What follows from thresholds, the frontier of all settings, and the three ways to choose one."""

from __future__ import annotations

import math
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.evaluation.intervals import upper_bound
from jugum.core.thresholds import Evidence, EvidenceTable, FieldRules, frontier, outcome, outcomes_by_field, passing
from jugum.core.thresholds.choice import GAMBLE, Costs, by_budget, by_costs, by_promise
from jugum.core.thresholds.effort import USUAL_EFFORT, Effort
from jugum.core.thresholds.frontier import FrontierPoint, bounded, minutes_per_100, point_of
from jugum.core.thresholds.promise import PromiseState, promise_of

ROWS = st.lists(
    st.builds(
        Evidence,
        st.sampled_from("abc"),
        st.floats(0.3, 0.995).map(lambda value: round(value, 3)),
        st.booleans(),
        paper=st.sampled_from("123456"),
        probability=st.sampled_from([1.0, 0.25]),
    ),
    min_size=1,
    max_size=60,
)


def office(seed: int = 1, papers: int = 60, fields: int = 8) -> EvidenceTable:
    """Papers whose confidences are true."""
    rng = np.random.default_rng(seed)
    confidence = 1 / (1 + np.exp(-rng.normal(np.linspace(2.0, 5.5, fields), 1.5, (papers, fields))))
    right = rng.random((papers, fields)) < confidence
    return EvidenceTable.of(
        [
            Evidence(f"field {field}", float(confidence[paper, field]), bool(right[paper, field]), paper=str(paper))
            for paper in range(papers)
            for field in range(fields)
        ]
    )


def evidence(*rows: tuple[float, bool], **common: float) -> EvidenceTable:
    return EvidenceTable.of([Evidence("a", *row, paper=str(number), **common) for number, row in enumerate(rows)])


# ---- Outcomes --------------------------------------------------------------------------------------------------------


def test_outcomes_count_what_passes_and_what_of_it_is_wrong() -> None:
    them = evidence((0.9, True), (0.8, False), (0.4, False))
    found = outcome(them, passing(them, {"a": 0.8}))
    assert (found.total, found.passing, found.wrong) == (3, 2, 1)
    assert (found.passing_share, found.error_share) == pytest.approx((2 / 3, 0.5))
    assert found.expected_share == pytest.approx(0.15)
    assert found.error_upper == pytest.approx(upper_bound(1, 2))  # one value a paper: nothing errs together


def test_new_layouts_do_not_pass_however_confident_and_a_field_without_a_threshold_never_does() -> None:
    them = evidence((0.99, True), layout_similarity=0.3)
    assert passing(them.gated(0.2), {"a": 0.5}).all()
    assert not passing(them.gated(0.6), {"a": 0.0}).any()
    assert not passing(them, {}).any()
    assert frontier(them.gated(0.6))[-1].outcome.passing == 0


def test_values_that_were_looked_at_with_a_known_probability_count_for_those_that_were_not() -> None:
    """A tenth of what passed was checked, all that was held was looked at."""
    them = EvidenceTable.of(
        [Evidence("a", 0.95, number > 0, paper=str(number), probability=0.1) for number in range(20)]
        + [Evidence("a", 0.5, number > 99, paper=f"held {number}") for number in range(200)]
    )
    strict, lax = (outcome(them, passing(them, {"a": threshold})) for threshold in (0.9, 0.4))
    assert (strict.passing_share, strict.error_share) == pytest.approx((0.5, 0.05))
    assert lax.error_share == pytest.approx((10 + 100) / 400)
    assert lax.wrong == 101
    low, high = strict.error_interval
    assert low < 0.05 < high < lax.error_interval[1]


@given(ROWS)
def test_outcomes_do_not_depend_on_order_and_fields_add_up(rows: list[Evidence]) -> None:
    them, backwards = EvidenceTable.of(rows), EvidenceTable.of(rows[::-1])
    thresholds = {"a": 0.7, "b": 0.9}
    found = outcome(them, passing(them, thresholds))
    again = outcome(backwards, passing(backwards, thresholds))
    assert found.error_upper == pytest.approx(again.error_upper)
    by_field = outcomes_by_field(them, passing(them, thresholds))
    assert sum(one.passing for one in by_field.values()) == found.passing == again.passing
    assert sum(one.wrong for one in by_field.values()) == found.wrong
    assert sum(one.total for one in by_field.values()) == found.total == len(rows)


# ---- The frontier ----------------------------------------------------------------------------------------------------


@given(ROWS)
def test_every_point_of_the_frontier_is_what_its_thresholds_do(rows: list[Evidence]) -> None:
    """Sums along the settings give what each gives by itself."""
    them = EvidenceTable.of(rows)
    for point in frontier(them, folds=1):
        alone = point_of(them, point.thresholds)
        assert point.outcome.passing == alone.outcome.passing
        assert point.outcome.wrong == alone.outcome.wrong
        for name in ("passing_share", "error_share", "expected_share", "error_upper", "error_interval"):
            assert getattr(point.outcome, name) == pytest.approx(getattr(alone.outcome, name))
        assert (point.minutes, point.weighted_wrong) == pytest.approx((alone.minutes, alone.weighted_wrong))


def test_from_strict_to_lax_more_passes_and_less_is_looked_at() -> None:
    points = frontier(office())
    assert points[0].outcome.passing == 0
    assert points[0].minutes == pytest.approx((100 * 6 + 800 * 4) / 60)  # every field of every paper
    for before, after in pairwise(points):
        assert after.setting > before.setting
        assert after.outcome.passing > before.outcome.passing or after.thresholds != before.thresholds
        assert after.minutes <= before.minutes
        assert after.wrong_per_1000 >= before.wrong_per_1000 - 1e-9
    assert points[-1].wrong_per_1000 <= points[-1].wrong_per_1000_upper


def test_without_evidence_there_is_one_setting_at_which_nothing_passes() -> None:
    (only,) = frontier(EvidenceTable.of([], ["a", "b"]), FieldRules(always_held=frozenset("b")))
    assert bounded(only.thresholds) == {"a": 1.0}
    assert (only.setting, only.minutes, only.outcome.passing, only.outcome.error_upper) == (0.0, 0.0, 0, 1.0)
    assert frontier(EvidenceTable.of([]))[0].thresholds == {}


def test_a_setting_is_judged_on_papers_that_had_no_part_in_its_thresholds() -> None:
    """Confidences that say nothing: thresholds chosen on the same papers find luck and call it skill."""
    rng = np.random.default_rng(5)
    rows = [
        Evidence(f"{field}", float(rng.uniform(0.9, 0.995)), bool(rng.random() > 0.06), paper=str(paper))
        for paper in range(40)
        for field in range(12)
    ]
    them = EvidenceTable.of(rows)

    def least(folds: int) -> float:
        return min(point.outcome.error_share for point in frontier(them, folds=folds) if point.outcome.passing > 60)

    assert least(1) < 0.03 < least(5)


def test_minutes_are_of_papers_that_are_opened_and_fields_that_are_looked_at() -> None:
    them = EvidenceTable.of([Evidence(key, 0.9, True, paper=paper) for paper in "12" for key in "ab"])
    passes = np.array([True, True, True, False])
    assert minutes_per_100(them, passes, Effort(6.0, 4.0)) == pytest.approx(50 * (6 + 4) / 60)


# ---- Choosing --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("most", [0.01, 0.02, 0.05])
def test_a_promise_is_kept_as_expected_or_as_proven(most: float) -> None:
    points = frontier(office(papers=200))
    expected, proven = (by_promise(points, most, proven=strict) for strict in (False, True))
    assert expected is not None
    assert max(expected.outcome.error_share, expected.outcome.expected_share) <= most
    assert min(bounded(expected.thresholds).values()) >= 1 - GAMBLE * most - 1e-9
    if proven is not None:
        assert proven.outcome.error_upper <= most
        assert proven.setting <= expected.setting
    assert by_promise(frontier(evidence((0.9, False), (0.9, False))), most, proven=False) is None


def test_a_budget_takes_the_strictest_setting_that_fits() -> None:
    points = frontier(office())
    hours = points[0].minutes * 40 / 100 / 60  # of 40 papers a week, everything looked at
    assert by_budget(points, hours, 40) is points[0]
    half = by_budget(points, hours / 2, 40)
    assert half is not None
    assert half.minutes <= points[0].minutes / 2
    assert all(point.minutes > points[0].minutes / 2 for point in points[: points.index(half)])
    assert by_budget(points, 0.0, 40) is points[-1]
    assert by_budget([], 1.0, 40) is None


def test_costs_hold_more_the_dearer_a_wrong_value_and_pass_more_the_dearer_a_minute() -> None:
    them = office(papers=150)

    def chosen(costs: Costs, rules: FieldRules = FieldRules()) -> FrontierPoint:
        found = by_costs(frontier(them, rules), costs, 8.0)
        assert found is not None
        return found

    cheap, dear = chosen(Costs(10.0, 300.0)), chosen(Costs(200.0, 300.0))
    assert dear.outcome.passing < cheap.outcome.passing
    assert chosen(Costs(10.0, 3000.0)).outcome.passing >= cheap.outcome.passing
    one = chosen(Costs(10.0, 300.0), FieldRules({"field 7": 100.0}))
    assert one.thresholds["field 7"] > cheap.thresholds["field 7"]
    assert by_costs([], Costs(1.0, 1.0), 8.0) is None


def test_the_cheapest_setting_is_where_the_next_wrong_values_cost_as_much_as_looking_at_them() -> None:
    """Without the opening of papers the price of the dial is the cost of looking by that of being wrong."""
    them, costs = office(papers=400), Costs(wrong_value=20.0, review_hour=900.0)
    points = frontier(them, FieldRules(), Effort(0.0, 4.0))
    found = by_costs(points, costs, 8.0)
    assert found is not None
    assert found.setting == pytest.approx(900 / 3600 * 4 / 20, rel=0.5)


# ---- The promise -----------------------------------------------------------------------------------------------------


def test_a_promise_has_a_state_and_says_what_would_prove_it() -> None:
    sound = EvidenceTable.of([Evidence(key, 0.995, True, paper=str(n)) for n in range(60) for key in "abcdefgh"])
    few = sound.where(sound.paper < 12)
    every, some = (outcome(them, passing(them, dict.fromkeys("abcdefgh", 0.9))) for them in (sound, few))
    assert promise_of(every, 0.02, 60).state is PromiseState.PROVEN
    waits = promise_of(some, 0.02, 12)
    assert waits.state is PromiseState.EXPECTED
    assert waits.more_papers is not None
    more = sound.where(sound.paper < 12 + waits.more_papers)
    # the correlation is drawn to what is usual less the more papers there are, so that some fewer do as well
    assert outcome(more, passing(more, dict.fromkeys("abcdefgh", 0.9))).error_upper <= 0.0205


def test_a_promise_that_is_broken_or_of_nothing_says_so() -> None:
    bad = evidence(*[(0.95, n % 10 > 0) for n in range(100)])
    assert promise_of(outcome(bad, passing(bad, {"a": 0.9})), 0.02, 100).state is PromiseState.BROKEN
    assert promise_of(outcome(bad, passing(bad, {})), 0.02, 100).state is PromiseState.EMPTY
    near = evidence(*[(0.982, True)] * 100)  # the confidences expect 1.8 %
    found = promise_of(outcome(near, passing(near, {"a": 0.9})), 0.018001, 100)
    assert (found.state, found.more_papers) == (PromiseState.EXPECTED, None)


def test_points_of_a_policy_have_no_setting() -> None:
    assert math.isnan(point_of(office(), {}).setting)
    assert point_of(office(), {}).minutes == frontier(office(), effort=USUAL_EFFORT)[0].minutes


@pytest.mark.parametrize("seed", range(8))
def test_minutes_are_never_below_none_whatever_evidence_weighs(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows = [
        Evidence("a", 0.99, True, paper=str(paper), probability=float(rng.uniform(0.05, 1.0))) for paper in range(700)
    ]
    points = frontier(EvidenceTable.of(rows))
    assert points[-1].outcome.passing == len(rows)
    assert points[-1].minutes == pytest.approx(0.0, abs=1e-9)
    assert min(point.minutes for point in points) >= 0
