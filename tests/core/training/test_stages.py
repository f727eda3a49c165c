"""How far a training is, by the time its stages took before."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.training.stages import Stage, Stopwatch, Timetable, seconds_left

seconds = st.dictionaries(st.sampled_from(Stage), st.floats(0.1, 1000))


@given(seconds, st.lists(st.floats(0, 1), min_size=1, max_size=4))
def test_the_share_grows_from_none_to_all(took: dict[Stage, float], shares: list[float]) -> None:
    table = Timetable(took)
    told = [table.share_done(stage, share) for stage in Stage for share in (0.0, *sorted(shares), 1.0)]
    assert told == pytest.approx(sorted(told))
    assert (told[0], told[-1]) == pytest.approx((0.0, 1.0 if took else 0.0))


def test_half_of_the_time_is_half_of_the_bar() -> None:
    table = Timetable({Stage.COMPARING: 10, Stage.HELD_OUT_PAPERS: 80, Stage.FITTING: 10})
    assert table.share_done(Stage.HELD_OUT_PAPERS, 0.5) == pytest.approx(0.5)
    assert Timetable().without(Stage.PICTURES).share_done(Stage.COMPARING, 0.0) == 0.0


def test_the_time_left_goes_on_between_two_words() -> None:
    assert seconds_left(0.25, 20.0, 0.0) == 60.0
    assert seconds_left(0.25, 20.0, 15.0) == 45.0
    assert seconds_left(0.25, 20.0, 90.0) == 0.0
    assert seconds_left(0.01, 20.0, 0.0) is None


def test_a_stopwatch_gives_each_stage_its_time() -> None:
    watch = Stopwatch()
    for stage, now in (
        (Stage.COMPARING, 100.0),
        (Stage.COMPARING, 103.0),
        (Stage.HELD_OUT_PAPERS, 104.0),
        (Stage.FITTING, 124.0),
        (Stage.FITTING, 126.0),
    ):
        watch.heard(stage, now)
    assert watch.seconds == {Stage.COMPARING: 4.0, Stage.HELD_OUT_PAPERS: 20.0, Stage.FITTING: 2.0}
