"""What is other with the papers that come in now, and why."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import norm

from jugum.core.evaluation.drift import Drift, DriftCause, DriftFigure, LivePaper, chance_of_change, drift


def papers(count: int, seed: int, through: float = 0.8) -> list[LivePaper]:
    """Papers as they came while a policy was made."""
    rng = random.Random(seed)
    return [
        LivePaper(
            rng.random() < through,
            rng.random() < 0.03,
            min(1.0, rng.gauss(0.96, 0.02)),
            min(1.0, rng.gauss(0.95, 0.02)),
            frozenset({"bonus"} if rng.random() < 0.3 else ()),
        )
        for _ in range(count)
    ]


def found(now: list[LivePaper]) -> dict[tuple[DriftFigure, str], Drift]:
    return {(one.figure, one.key): one for one in drift(papers(200, 1), now)}


@pytest.mark.parametrize("seed", range(2, 12))
def test_nothing_is_told_where_nothing_changed(seed: int) -> None:
    assert found(papers(120, seed)) == {}


def test_too_few_papers_say_nothing() -> None:
    assert drift(papers(200, 1), [replace(paper, through=False) for paper in papers(9, 2)]) == []
    assert drift([], []) == []


def test_papers_of_a_new_layout_are_the_cause_of_what_they_bring() -> None:
    strange = LivePaper(False, True, 0.7, 0.95, frozenset({"bonus", "hours"}))
    changes = found([*papers(80, 3), *[strange] * 40])
    assert {one.cause for one in changes.values()} == {DriftCause.NEW_LAYOUTS}
    assert changes[DriftFigure.STRAIGHT_THROUGH, ""].now < changes[DriftFigure.STRAIGHT_THROUGH, ""].before
    assert (DriftFigure.MISSING, "hours") in changes


def test_bad_scans_are_the_cause_of_what_they_bring() -> None:
    faint = [replace(paper, through=False, reading=0.6, confidence=0.7) for paper in papers(50, 4)]
    changes = found([*papers(80, 5), *faint])
    assert changes[DriftFigure.READING, ""].cause is DriftCause.BAD_SCANS
    assert changes[DriftFigure.STRAIGHT_THROUGH, ""].cause is DriftCause.BAD_SCANS
    assert changes[DriftFigure.CONFIDENCE, ""].cause is DriftCause.BAD_SCANS


def test_a_field_that_stopped_appearing_or_began_to_is_named() -> None:
    gone = [replace(paper, missing=paper.missing | {"hours"}) for paper in papers(60, 6)]
    (change,) = found(gone).values()
    assert (change.figure, change.key, change.cause) == (DriftFigure.MISSING, "hours", DriftCause.FIELD_STOPPED)
    assert (change.before, change.now, change.papers_now) == (0.0, 1.0, 60)
    (change,) = found([replace(paper, missing=frozenset()) for paper in papers(60, 7)]).values()
    assert (change.key, change.cause) == ("bonus", DriftCause.FIELD_BEGAN)


def test_a_change_that_nothing_explains_says_so() -> None:
    (change,) = found(
        [replace(paper, through=paper.through and n % 2 == 0) for n, paper in enumerate(papers(150, 8))]
    ).values()
    assert (change.figure, change.cause) == (DriftFigure.STRAIGHT_THROUGH, DriftCause.UNKNOWN)


@given(st.integers(1, 60), st.integers(1, 60), st.data())
def test_the_chance_of_shares_is_that_of_the_test_of_two_proportions(
    before: int, now: int, data: st.DataObject
) -> None:
    hits = data.draw(st.integers(0, before)), data.draw(st.integers(0, now))
    chance = chance_of_change([1.0] * hits[0] + [0.0] * (before - hits[0]), [1.0] * hits[1] + [0.0] * (now - hits[1]))
    share = sum(hits) / (before + now)
    if share in (0, 1):
        assert chance == 1.0
        return
    error = (share * (1 - share) * (1 / before + 1 / now)) ** 0.5
    assert chance == pytest.approx(2 * norm.sf(abs(hits[1] / now - hits[0] / before) / error))
