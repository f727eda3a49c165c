"""Papers placed and bundles split as evidence for the dial."""

from __future__ import annotations

import numpy as np
import pytest

from jugum.core.classification import OTHER, Acquaintance, PlacingEvidence
from jugum.core.classification.type_training import NEW_LAYOUT_SHARE, STRANGE_SHARE, stream_shares, stream_weights
from jugum.core.evaluation.cutting import SplitEvidence, split_weights
from jugum.core.thresholds import by_promise, frontier, outcome, passing
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.frontier import decisions_a_paper, minutes_per_100
from jugum.core.thresholds.sorting import BUNDLES, placing_table, splitting_table

KNOWN, NEW, LEFT_OUT, NO_TYPE = Acquaintance


def judged(of: Acquaintance, taken_for: int, confidence: float, type_id: int = 1) -> PlacingEvidence:
    return PlacingEvidence(0, type_id, taken_for, confidence, of)


def test_a_paper_may_be_placed_as_what_it_is_where_that_was_known() -> None:
    assert judged(KNOWN, 1, 0.9).right
    assert judged(NEW, 1, 0.9).right
    assert not judged(KNOWN, 2, 0.9).right
    assert not judged(LEFT_OUT, 1, 0.9).right  # the judge had never met the type
    assert not judged(NO_TYPE, 1, 0.9, OTHER).right


def test_what_was_judged_counts_as_it_comes_in_whatever_its_number() -> None:
    few, many = ([KNOWN] * known + [NEW] * new + [LEFT_OUT] * left for known, new, left in ((40, 4, 40), (40, 40, 7)))
    for acquaintances in (few, many):
        weights = stream_weights(acquaintances)
        assert weights.sum() == pytest.approx(len(acquaintances))
        shares = {
            of: weights[[row is of for row in acquaintances]].sum() / len(acquaintances)
            for of in (KNOWN, NEW, LEFT_OUT)
        }
        strange = STRANGE_SHARE * 20 / 60
        assert shares[LEFT_OUT] == pytest.approx(strange)
        assert shares[NEW] == pytest.approx((1 - strange) * NEW_LAYOUT_SHARE)
    assert len(stream_weights([])) == 0


def test_the_share_of_strangers_is_that_of_papers_people_put_to_no_type() -> None:
    assert stream_shares([]).strange == pytest.approx(STRANGE_SHARE)
    assert stream_shares([KNOWN] * 900 + [NO_TYPE] * 100).strange == pytest.approx(0.1, abs=0.002)
    assert stream_shares([KNOWN] * 900).strange < 0.002


def test_strangers_who_are_placed_break_a_promise_as_far_as_they_come() -> None:
    evidence = [judged(KNOWN, 1 + n % 2, 0.98, 1 + n % 2) for n in range(100)]
    evidence += [judged(LEFT_OUT, 1, 0.9) for _ in range(100)]  # all taken for type 1, less surely
    table = placing_table(evidence, [1, 2])
    assert table.fields == ("1", "2")
    lax = outcome(table, passing(table, {"1": 0.5, "2": 0.5}))
    strange = stream_shares([row.acquaintance for row in evidence]).strange
    assert lax.wrong == 100
    assert lax.error_share == pytest.approx(strange)
    strict = outcome(table, passing(table, {"1": 0.95, "2": 0.5}))
    assert (strict.wrong, strict.passing_share) == (0, pytest.approx(1 - strange))
    found = by_promise(frontier(table), 0.02, proven=False)
    assert found is None or found.thresholds["1"] > 0.9
    # of other types nothing is said
    assert len(placing_table(evidence, [2])) == 50


def test_minutes_are_those_of_what_comes_in() -> None:
    evidence = [judged(KNOWN, 1, 0.9)] * 95 + [judged(LEFT_OUT, 1, 0.3)] * 200
    table = placing_table(evidence, [1])
    assert decisions_a_paper(table) == {"1": pytest.approx(1.0)}
    strange = stream_shares([row.acquaintance for row in evidence]).strange
    held = minutes_per_100(table, passing(table, {"1": 0.5}), Effort(0.0, 12.0))
    assert held == pytest.approx(100 * strange * 12 / 60)
    assert minutes_per_100(table, passing(table, {"1": 1.0}), Effort(0.0, 12.0)) == pytest.approx(20.0)
    points = frontier(table, effort=Effort(0.0, 12.0))
    assert points[0].minutes == pytest.approx(20.0)


def split(sure: float, right: bool) -> SplitEvidence:
    return SplitEvidence(sure, right, (1, 2, 3))


def test_bundles_are_weighed_like_a_field() -> None:
    known, new = [split(0.99, True)] * 30, [split(0.9, n > 4) for n in range(10)]
    table = splitting_table(known, new)
    assert table.fields == (BUNDLES,)
    assert table.papers == 40
    assert table.weight[:30].sum() == pytest.approx(0.9 * 40)
    assert outcome(table, passing(table, {BUNDLES: 0.5})).error_share == pytest.approx(0.1 * 0.5)
    assert np.array_equal(split_weights(3, 0), np.ones(3))
    assert splitting_table([], []).papers == 0
