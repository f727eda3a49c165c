"""How long reviewing takes."""

from __future__ import annotations

import numpy as np
import pytest

from jugum.core.thresholds.effort import USUAL_EFFORT, Effort, effort_of, seconds_a_field, visits_of


def test_the_line_through_many_papers_is_found_and_few_say_little() -> None:
    rng = np.random.default_rng(3)
    fields = rng.integers(1, 15, 600)
    visits = [(int(count), float(9 + 2.5 * count + rng.normal(0, 2))) for count in fields]
    many = effort_of(visits)
    assert (many.opening_seconds, many.field_seconds) == pytest.approx((9, 2.5), abs=0.6)
    assert many.measured_on == 600
    few = effort_of(visits[:2])
    assert few.opening_seconds == pytest.approx(6, abs=1)
    assert effort_of([]) == USUAL_EFFORT
    assert effort_of([(4, 0.6)] * 500).field_seconds >= 0


def test_minutes_count_opening_and_looking() -> None:
    assert Effort(6.0, 4.0).minutes(papers=10, fields=30) == pytest.approx(3.0)


def test_a_paper_takes_from_when_the_one_before_was_done() -> None:
    settled = [(1, 7, 100.0), (1, 8, 110.0), (1, 8, 114.0), (1, 9, 130.0), (2, 8, 112.0), (None, 3, 111.0)]
    assert visits_of(settled) == [(2, 14.0), (1, 16.0)]


def test_after_a_pause_nobody_knows_when_a_paper_was_begun() -> None:
    settled = [(1, 7, 100.0), (1, 8, 110.0), (1, 9, 900.0), (1, 9, 904.0), (1, 10, 910.0)]
    assert visits_of(settled) == [(1, 10.0), (1, 6.0)]


def test_the_pace_is_the_median_gap_without_pauses_and_needs_twenty() -> None:
    steady = [(1, 5.0 * n) for n in range(25)]
    assert seconds_a_field(steady) == 5.0
    assert seconds_a_field([*steady, (1, 90_000.0), (2, 90_001.0)]) == 5.0
    assert seconds_a_field(steady[:15]) is None
