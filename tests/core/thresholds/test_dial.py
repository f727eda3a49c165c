"""Thresholds of all fields of a type, set together."""

from __future__ import annotations

from collections.abc import Sequence

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.thresholds import Evidence, outcome_of, thresholds_for
from jugum.core.thresholds.dial import GAMBLE

CONFIDENCES = st.floats(0.3, 0.995).map(lambda value: round(value, 3))
ROWS = st.lists(st.builds(Evidence, CONFIDENCES, st.sampled_from([0.2, 0.8]), st.booleans()), max_size=40)
FIELDS = st.dictionaries(st.sampled_from("abcdef"), ROWS, min_size=1)


def rows(*counts: tuple[float, int, int], layout_similarity: float = 1.0) -> list[Evidence]:
    """Evidence of groups: confidence, how many are right, how many are wrong."""
    return [
        Evidence(confidence, layout_similarity, right)
        for confidence, good, bad in counts
        for right in (True,) * good + (False,) * bad
    ]


def alone(its: Sequence[Evidence], most: float, layout_similarity_min: float = 0.0) -> float:
    """The lowest threshold at which one field by itself keeps within `most`."""
    lowest = 0.99
    for number in range(99, max(50, round(100 - 500 * most)) - 1, -1):
        passing = [
            one for one in its if one.confidence >= number / 100 and one.layout_similarity >= layout_similarity_min
        ]
        if passing:
            wrong, doubt = sum(not one.right for one in passing), sum(1 - one.confidence for one in passing)
            if max(wrong, doubt) / len(passing) <= most:
                lowest = number / 100
    return lowest


def test_one_wrong_value_among_many_fields_holds_none_of_them() -> None:
    sound = rows((0.98, 25, 0), (0.995, 25, 0))
    once_wrong = rows((0.97, 24, 1))
    assert alone(once_wrong, 0.02) == 0.99  # 4 % of it are wrong
    chosen = thresholds_for({"sound": sound, "other": sound, "once": once_wrong}, 0.02)
    assert chosen == {"sound": 0.9, "other": 0.9, "once": 0.9}


def test_a_wrong_value_among_the_surest_does_not_hold_its_field_for_ever() -> None:
    sound = rows((0.99, 200, 0))
    unlucky = rows((0.985, 1, 1), (0.96, 38, 0))
    assert thresholds_for({"sound": sound, "unlucky": unlucky}, 0.02)["unlucky"] == 0.9


def test_a_field_that_is_wrong_too_often_stays_held_however_good_the_others_are() -> None:
    sound = rows((0.995, 1000, 0))
    chosen = thresholds_for({"sound": sound, "bad": rows((0.97, 20, 5))}, 0.02)
    assert chosen == {"sound": 0.9, "bad": 0.99}


def test_fields_that_doubt_themselves_are_let_pass_only_as_far_as_the_promise_holds_for_all() -> None:
    sound = rows((0.98, 25, 0))
    chosen = thresholds_for({"sound": sound, "unsure": rows((0.93, 400, 0))}, 0.02)
    assert chosen["unsure"] == 0.99  # 400 values of which 7 % are expected to be wrong
    assert thresholds_for({"sound": sound, "unsure": rows((0.93, 1, 0))}, 0.03)["unsure"] < 0.93


def test_a_field_that_would_break_the_promise_does_not_keep_the_others_strict() -> None:
    """200 values of which six are wrong are too many, 21 of which one is are not, though their share is larger."""
    sound, heavy, light = rows((0.995, 60, 0)), rows((0.98, 194, 6)), rows((0.98, 20, 1))
    assert thresholds_for({"sound": sound, "heavy": heavy, "light": light}, 0.02) == {
        "sound": 0.9,
        "heavy": 0.99,
        "light": 0.9,
    }


def test_thin_evidence_does_not_lower_a_threshold_to_a_gamble() -> None:
    assert thresholds_for({"one": rows((0.99, 50, 0))}, 0.02) == {"one": 0.9}
    assert thresholds_for({"one": rows((0.99, 50, 0))}, 0.2) == {"one": 0.5}


def test_new_layouts_count_for_nothing_and_a_field_without_evidence_is_strict() -> None:
    new = rows((0.98, 0, 9), layout_similarity=0.3)
    chosen = thresholds_for({"a": rows((0.985, 30, 0)) + new, "none": [], "new": new}, 0.02, 0.6)
    assert chosen == {"a": 0.9, "none": 0.99, "new": 0.99}
    assert thresholds_for({}, 0.02) == {}


@given(FIELDS, st.sampled_from([0.01, 0.02, 0.05, 0.2]))
def test_no_field_passes_less_than_alone_and_none_more_than_its_worst(
    evidence: dict[str, list[Evidence]], most: float
) -> None:
    chosen = thresholds_for(evidence, most, 0.5)
    for key, its in evidence.items():
        assert max(0.5, 1 - GAMBLE * most) - 1e-9 <= chosen[key] <= alone(its, most, 0.5) + 1e-9
        outcome = outcome_of(its, chosen[key], 0.5)
        assert chosen[key] == 0.99 or outcome.error_share <= GAMBLE * most + 1e-9


@given(FIELDS, st.sampled_from([0.01, 0.02, 0.05]))
def test_what_was_let_pass_beyond_each_alone_keeps_the_promise_for_all(
    evidence: dict[str, list[Evidence]], most: float
) -> None:
    chosen = thresholds_for(evidence, most)
    if any(chosen[key] < alone(its, most) - 1e-9 for key, its in evidence.items()):
        outcomes = [outcome_of(its, chosen[key]) for key, its in evidence.items()]
        passing, wrong = (sum(getattr(one, name) for one in outcomes) for name in ("passing", "wrong"))
        assert wrong <= most * passing
    assert chosen == pytest.approx(thresholds_for(dict(reversed(evidence.items())), most))
