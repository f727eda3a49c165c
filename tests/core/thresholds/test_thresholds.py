"""Bounds against SciPy, routing, the beam."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest

from jugum.core.evaluation.intervals import share_interval, upper_bound
from jugum.core.extraction.found import EngineName, Found
from jugum.core.page import Box
from jugum.core.schema import FieldPlan, HoldReason
from jugum.core.thresholds import (
    Gate,
    hold_for,
)
from jugum.core.thresholds.beam import TILT_MAX, tilt
from jugum.core.thresholds.drafted import DraftedField
from jugum.core.thresholds.routing import ALWAYS_HELD, CERTAIN, value_problem
from jugum.core.values import DataType

counts = st.integers(1, 300).flatmap(lambda total: st.tuples(st.integers(0, total), st.just(total)))


@given(counts)
def test_the_upper_bound_is_clopper_and_pearsons(pair: tuple[int, int]) -> None:
    wrong, total = pair
    exact = binomtest(wrong, total, alternative="less").proportion_ci(0.95, "exact").high
    assert upper_bound(wrong, total) == pytest.approx(exact, abs=1e-9)


@given(counts)
def test_the_interval_is_wilsons(pair: tuple[int, int]) -> None:
    hits, total = pair
    reference = binomtest(hits, total).proportion_ci(0.95, "wilson")
    assert share_interval(hits, total) == pytest.approx((reference.low, reference.high), abs=1e-9)


@given(counts)
def test_more_evidence_of_the_same_kind_never_loosens_the_bound(pair: tuple[int, int]) -> None:
    wrong, total = pair
    assert upper_bound(2 * wrong, 2 * total) <= upper_bound(wrong, total) + 1e-12


def test_without_evidence_nothing_is_promised() -> None:
    assert upper_bound(0, 0) == 1.0
    assert share_interval(0, 0) == (0.0, 1.0)
    assert upper_bound(0, 45, level=0.9) == pytest.approx(0.05, abs=0.001)


AMOUNT = FieldPlan("amount", "Amount", DataType.MONEY)


@pytest.mark.parametrize(
    ("drafted", "reason"),
    [
        (((), 0.99, 1.0), HoldReason.MISSING),
        ((("12 34",), 0.99, 1.0), HoldReason.FAILS_A_CHECK),
        ((("12,00",), 0.99, 0.2), HoldReason.LOW_CONFIDENCE),
        ((("12,00",), 0.5, 1.0), HoldReason.LOW_CONFIDENCE),
        ((("12,00",), 0.95, 1.0), None),
    ],
)
def test_fields_are_held_with_their_reason(
    drafted: tuple[tuple[str, ...], float, float], reason: HoldReason | None
) -> None:
    problem = hold_for(AMOUNT, *drafted, Gate(0.9, 0.5))
    assert (problem.reason if problem else None) is reason
    assert problem is None or problem.detail


def test_an_optional_field_may_be_absent_but_only_surely() -> None:
    optional = FieldPlan("amount", "Amount", DataType.MONEY, required=False)
    assert hold_for(optional, (), 0.95, 1.0, Gate(0.9, 0.5)) is None
    assert hold_for(optional, (), 0.5, 1.0, Gate(0.9, 0.5)) is not None


@given(st.floats(0, 1), st.floats(0, 1))
def test_the_beam_tips_with_the_side_and_lies_level_at_the_threshold(confidence: float, threshold: float) -> None:
    assert abs(tilt(confidence, threshold)) <= TILT_MAX
    assert tilt(confidence, threshold) == pytest.approx(-tilt(threshold, confidence))
    assert tilt(threshold, threshold) == 0
    assert (tilt(confidence, threshold) >= 0) or confidence < threshold


def test_a_reviewer_is_told_that_what_waits_was_written_by_hand() -> None:
    field = FieldPlan("employer", "employer", DataType.TEXT)
    printed = Found("Fjordlight Bakery", "Fjordlight Bakery", 1, Box(0.1, 0.1, 0.3, 0.12), 3.0, EngineName.MODEL, "")
    gate = Gate(0.9, 0.6)

    def detail(value: Found, confidence: float, similarity: float) -> str:
        problem = value_problem(field, DraftedField((value,), (), confidence, similarity), gate)
        return problem.detail if problem else ""

    pen = replace(printed, by_hand=True)
    assert detail(pen, 0.5, 0.9) == "confidence 50 %, threshold 90 %; written by hand"
    assert detail(pen, 0.5, 0.2).endswith("minimum 60 %; written by hand")
    assert detail(printed, 0.5, 0.9) == "confidence 50 %, threshold 90 %"
    assert detail(pen, 0.95, 0.9) == ""


def test_a_gate_lets_pass_what_is_sure_on_a_layout_that_is_known() -> None:
    gate = Gate(0.9, 0.6)
    assert gate.passes(0.9, 0.6)
    assert gate.passes(0.95, None)  # nothing compared its layout
    assert not gate.passes(0.89, 0.9)
    assert not gate.passes(0.95, 0.5)
    assert not gate.passes(None, 0.9)
    assert gate.passes(CERTAIN, 0.0)
    assert not Gate(0.0, 0.0, always_held=True).passes(CERTAIN, 1.0)


def test_a_zone_that_vouches_for_itself_passes_without_a_policy_but_not_where_it_is_always_held() -> None:
    zone = FieldPlan("zone", "zone", DataType.TEXT)
    found = Found("P<UTO", "P<UTO", 1, Box(0.1, 0.8, 0.9, 0.9), 1.0, EngineName.ZONE, "")
    drafted = DraftedField((found,), (), CERTAIN, 0.1)
    assert value_problem(zone, drafted, None) is None
    assert value_problem(zone, drafted, Gate(0.99, 0.6)) is None
    held = value_problem(zone, drafted, Gate(0.99, 0.6, always_held=True))
    assert held is not None
    assert held.detail == ALWAYS_HELD
