"""What can be promised on the evidence there is, and how many more papers would do it."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from jugum.core.evaluation.intervals import upper_bound
from jugum.core.thresholds import ThresholdOutcome
from jugum.core.thresholds.promise import Promise, promise_of


def outcome(passing: int, wrong: int) -> ThresholdOutcome:
    return ThresholdOutcome(passing + 20, passing, wrong, upper_bound(wrong, passing))


def test_what_is_shown_is_kept() -> None:
    assert promise_of(outcome(200, 0), 0.02, 20) == Promise(0.02, True)


def test_too_little_evidence_says_how_many_more_values_and_papers_would_do() -> None:
    # 149 values without an error are the fewest that show at most 2 %, since 0.98^149 < 0.05.
    assert promise_of(outcome(60, 0), 0.02, 6) == Promise(0.02, False, more_values=89, more_papers=9)


def test_more_of_the_same_never_shows_what_is_broken_already() -> None:
    assert promise_of(outcome(100, 5), 0.02, 10) == Promise(0.02, False)


def test_where_nothing_passes_no_papers_are_counted() -> None:
    assert promise_of(ThresholdOutcome(40, 0, 0, 1.0), 0.02, 4) == Promise(0.02, False, more_values=149)


@given(st.integers(1, 400), st.sampled_from([0.01, 0.02, 0.05]))
def test_so_many_more_values_without_an_error_show_it_and_one_fewer_do_not(passing: int, most: float) -> None:
    found = promise_of(outcome(passing, 0), most, 10)
    if found.shown:
        assert upper_bound(0, passing) <= most
        return
    assert found.more_values is not None
    assert upper_bound(0, passing + found.more_values) <= most
    assert upper_bound(0, passing + found.more_values - 1) > most


@given(st.integers(20, 400), st.integers(0, 4), st.sampled_from([0.02, 0.05, 0.1]))
def test_so_many_more_values_with_errors_as_rare_as_now_show_it(passing: int, wrong: int, most: float) -> None:
    found = promise_of(outcome(passing, wrong), most, 10)
    if found.more_values is not None:
        total = passing + found.more_values
        assert upper_bound(round(wrong * total / passing), total) <= most
