"""Spot checks: how many, which papers, and when what they find is a breach."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.evaluation.betting import ALARM, breach_winnings
from jugum.core.thresholds.checking import (
    RATE_LEAST,
    CheckedPaper,
    CheckRules,
    check_probability,
    check_rate,
    draw,
    is_drawn,
    papers_to_notice,
    watch,
)

RULES = CheckRules()


@pytest.mark.parametrize(("times", "correlation"), [(2.0, 0.05), (3.0, 0.05), (3.0, 0.2), (5.0, 0.2)])
def test_so_many_papers_notice_a_breach_as_do_in_simulation(times: float, correlation: float) -> None:
    """Against the median of papers drawn at random, 12 values each at a promise of 2 %."""
    rng = np.random.default_rng(6)
    spread = (1 - correlation) / correlation
    first = []
    for _ in range(80):
        share = rng.beta(0.02 * times * spread, (1 - 0.02 * times) * spread, 1500)
        won = breach_winnings(rng.binomial(12, share).tolist(), [12] * 1500, 0.02, 12)
        first.append(np.argmax(won >= ALARM) + 1)
    told = papers_to_notice(0.02, times, 12, correlation)
    assert 0.6 * np.median(first) <= told <= 1.9 * np.median(first)


def test_the_rate_falls_from_probation_to_what_is_needed_as_the_promise_is_proven() -> None:
    rates = [check_rate(RULES, 0.02, 12, 100.0, checked, more).rate for checked, more in ((0, 60), (30, 30), (60, 0))]
    assert rates[0] == RULES.probation_rate
    assert rates == sorted(rates, reverse=True)
    last = check_rate(RULES, 0.02, 12, 100.0, 60, 0)
    assert last.rate == last.needed == pytest.approx(last.papers_to_notice / 1400)
    assert rates[1] == pytest.approx((rates[0] * rates[2]) ** 0.5)
    assert check_rate(RULES, 0.02, 12, 100.0, 50, None).rate == RULES.probation_rate  # no proof in sight


def test_few_papers_are_all_checked_and_many_never_none() -> None:
    assert check_rate(RULES, 0.02, 12, 0.0, 0, 10).rate == 1.0
    assert check_rate(RULES, 0.02, 12, 0.5, 50, 0).rate == 1.0
    assert check_rate(RULES, 0.02, 12, 1e6, 50, 0).rate == RATE_LEAST
    assert check_rate(CheckRules(probation_rate=0.0), 0.02, 12, 100.0, 0, 60).rate > RATE_LEAST  # never below the need


def test_papers_near_a_threshold_or_of_a_young_layout_are_likelier_checked() -> None:
    plain = check_probability(0.1, 2.0, 50)
    assert plain == 0.1
    assert plain < check_probability(0.1, 0.2, 50) < check_probability(0.1, 0.2, 3)
    assert check_probability(0.4, 0.0, 0) == 1.0


@given(st.integers(1, 10_000), st.integers(1, 50))
def test_a_paper_is_drawn_by_the_same_chance_however_often_it_is_asked(paper: int, policy: int) -> None:
    assert is_drawn(paper, policy, 0.3) is is_drawn(paper, policy, 0.3)
    assert is_drawn(paper, policy, 1.0)
    assert not is_drawn(paper, policy, 0.0)
    assert not is_drawn(paper, policy, 0.3) or is_drawn(paper, policy, 0.5)


def test_as_many_are_drawn_as_is_said() -> None:
    drawn = sum(is_drawn(paper, 4, 0.2) for paper in range(5000))
    assert drawn == pytest.approx(1000, abs=110)
    blind = sum(is_drawn(paper, 4, 0.5, "blind") for paper in range(5000) if is_drawn(paper, 4, 0.2))
    assert blind == pytest.approx(drawn / 2, abs=60)  # one draw does not tell of the other


def test_a_breach_is_called_where_it_was_noticed_and_stays() -> None:
    kept = [CheckedPaper(12, 0, 0.2)] * 40
    assert not watch(kept, 0.02).is_broken
    broken = watch([*kept[:5], *[CheckedPaper(12, 2, 0.2)] * 8, *kept], 0.02)
    assert broken.breach is not None
    assert 5 <= broken.breach < 13
    assert broken.winnings[broken.breach] >= ALARM
    assert watch([], 0.02).winnings == ()


def test_a_paper_that_was_likelier_drawn_counts_for_less() -> None:
    checks = [CheckedPaper(12, 0, 0.1)] * 3 + [CheckedPaper(12, 3, 0.1)] * 3
    likelier = checks[:3] + [CheckedPaper(12, 3, 0.8)] * 3
    assert watch(likelier, 0.02).winnings[-1] < watch(checks, 0.02).winnings[-1]


# ---- Drawing a paper -------------------------------------------------------------------------------------------------

FAR = {"name": 3.0, "amount": 2.5, "day": 4.0, "place": 2.0, "sum": 5.0, "number": 3.3}


def test_a_paper_on_which_nothing_passes_is_not_drawn() -> None:
    assert draw(CheckRules(), 1.0, 1, 1, {}, 100) is None


def test_papers_are_drawn_with_the_probability_that_is_kept() -> None:
    drawn = [draw(CheckRules(), 0.2, paper, 1, FAR, 100) for paper in range(4000)]
    kept = [one for one in drawn if one is not None]
    assert {one.probability for one in kept} == {0.2}
    assert len(kept) / 4000 == pytest.approx(0.2, abs=0.02)


def test_a_paper_whose_least_sure_value_is_near_its_threshold_is_likelier_drawn() -> None:
    counts = [
        sum(draw(CheckRules(), 0.2, paper, 1, margins, 100) is not None for paper in range(4000))
        for margins in (FAR, {**FAR, "place": 0.1})
    ]
    assert counts[1] / counts[0] == pytest.approx(2.0, abs=0.2)


def test_a_share_of_checks_is_blind_and_asks_for_few_values_each_as_likely() -> None:
    rules = CheckRules(blind_share=0.25, blind_values=2)
    drawn = [draw(rules, 1.0, paper, 1, FAR, 100) for paper in range(4000)]
    kept = [one for one in drawn if one is not None]
    assert len(kept) == 4000
    blind = [one for one in kept if one.blind]
    assert len(blind) / len(kept) == pytest.approx(0.25, abs=0.02)
    assert {(len(one.fields), one.share) for one in blind} == {(2, 2 / 6)}
    assert {(one.fields, one.share) for one in kept if not one.blind} == {(tuple(FAR), 1.0)}
    asked = {key: sum(key in one.fields for one in blind) / len(blind) for key in FAR}
    assert all(share == pytest.approx(2 / 6, abs=0.06) for share in asked.values())
