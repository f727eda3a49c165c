"""Bounds of shares that were counted on papers, and bets that may be looked at after every paper."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest

from jugum.core.evaluation.betting import ALARM, breach_winnings, proven_bound
from jugum.core.evaluation.clustered import (
    USUAL_CORRELATION,
    OnPapers,
    Sums,
    clustered_interval,
    clustered_upper_bound,
    effective,
    intraclass_correlation,
)
from jugum.core.evaluation.intervals import upper_bound

PAPERS = st.lists(
    st.integers(1, 14).flatmap(lambda total: st.tuples(st.just(total), st.integers(0, total))), min_size=1, max_size=12
)


def on_papers(papers: list[tuple[int, int]], weight: float = 1.0) -> OnPapers:
    """Papers as (values, of them wrong)."""
    rows = [(str(number), place < wrong) for number, (total, wrong) in enumerate(papers) for place in range(total)]
    return OnPapers.of([paper for paper, _ in rows], [bad for _, bad in rows], [weight] * len(rows))


def counted(papers: list[tuple[int, int]], weight: float = 1.0) -> Sums:
    return on_papers(papers, weight).sums


@given(PAPERS)
def test_values_that_err_alone_have_the_bound_of_clopper_and_pearson(papers: list[tuple[int, int]]) -> None:
    total, wrong = sum(one for one, _ in papers), sum(one for _, one in papers)
    bound = clustered_upper_bound(counted(papers), 0.0)
    assert bound == pytest.approx(upper_bound(wrong, total))
    assert bound == pytest.approx(binomtest(wrong, total, alternative="less").proportion_ci(0.95).high)
    low, high = clustered_interval(counted(papers), 0.0)
    exact = binomtest(wrong, total).proportion_ci(0.95)
    assert (low, high) == pytest.approx((exact.low, exact.high))


@given(PAPERS, st.floats(0, 1), st.sampled_from([0.1, 3.0]))
def test_neither_order_nor_the_size_of_weights_changes_a_bound(
    papers: list[tuple[int, int]], correlation: float, weight: float
) -> None:
    bound = clustered_upper_bound(counted(papers), correlation)
    assert clustered_upper_bound(counted(papers[::-1]), correlation) == pytest.approx(bound)
    assert clustered_upper_bound(counted(papers, weight), correlation) == pytest.approx(bound)


@given(PAPERS, st.floats(0, 1), st.data())
def test_a_further_paper_without_an_error_never_raises_a_bound(
    papers: list[tuple[int, int]], correlation: float, data: st.DataObject
) -> None:
    """One no larger than the largest so far: a single huge one says little and weighs much."""
    more = data.draw(st.integers(1, max(total for total, _ in papers)))
    bound = clustered_upper_bound(counted(papers), correlation)
    assert clustered_upper_bound(counted([*papers, (more, 0)]), correlation) <= bound + 1e-9


def test_values_of_one_paper_prove_less_the_more_they_err_together() -> None:
    """Kish's design effect: 20 papers of 10 values at a correlation of .1 say as much as 200 / 1.9 values."""
    papers = counted([(10, 0)] * 19 + [(10, 4)])
    total, wrong = effective(papers, 0.1)
    assert (total, wrong) == pytest.approx((200 / 1.9, 4 / 1.9))
    bounds = [clustered_upper_bound(papers, correlation) for correlation in (0.0, 0.1, 0.5, 1.0)]
    assert bounds == sorted(bounds)
    assert bounds[-1] == pytest.approx(1 - 0.05 ** (1 / 20), abs=0.04)  # as if each paper were one value
    assert clustered_upper_bound(counted([]), 0.1) == 1.0
    assert clustered_interval(counted([]), 0.1) == (0.0, 1.0)


def test_how_alike_values_of_a_paper_are_is_found_and_drawn_to_what_is_usual_where_papers_are_few() -> None:
    """Beta-binomial papers: the correlation they were drawn with comes out where there are many."""
    rng = np.random.default_rng(4)
    for true in (0.02, 0.3):
        share = rng.beta(0.1 * (1 - true) / true, 0.9 * (1 - true) / true, 4000)
        papers = list(zip([12] * 4000, rng.binomial(12, share).tolist(), strict=True))
        assert intraclass_correlation(on_papers(papers)) == pytest.approx(true, abs=0.02)
        assert intraclass_correlation(on_papers(papers[:3])) == pytest.approx(USUAL_CORRELATION, abs=0.06)
    assert intraclass_correlation(on_papers([(12, 0)] * 30)) == pytest.approx(USUAL_CORRELATION)
    assert intraclass_correlation(on_papers([(1, 0), (1, 1)])) == USUAL_CORRELATION


def test_values_drawn_with_unequal_probabilities_count_for_fewer() -> None:
    """Half of them drawn once in ten: (Σw)²/Σw² values, and the share is a ratio of weighted sums."""
    weights = [1.0] * 50 + [10.0] * 50
    papers = OnPapers.of([str(n) for n in range(100)], [n == 0 for n in range(100)], weights)
    assert papers.share == pytest.approx(1 / 550)
    total, _ = effective(papers.sums, 0.0)
    assert total == pytest.approx(550**2 / (50 + 5000))


# ---- Bets ------------------------------------------------------------------------------------------------------------


def papers_of(rng: np.random.Generator, share: float, correlation: float, count: int) -> tuple[list[int], list[int]]:
    """So many papers of 12 values, wrong with a share that differs from paper to paper."""
    if correlation:
        share = rng.beta(*(one * (1 - correlation) / correlation for one in (share, 1 - share)), count)
    return rng.binomial(12, share, count).tolist(), [12] * count


@pytest.mark.parametrize("correlation", [0.0, 0.2])
def test_a_promise_that_is_kept_is_seldom_called_broken_and_one_that_is_not_soon(correlation: float) -> None:
    rng = np.random.default_rng(7)
    kept = [breach_winnings(*papers_of(rng, 0.02, correlation, 1500), 0.02, 12) for _ in range(120)]
    assert sum(won.max() >= ALARM for won in kept) <= 0.08 * 120
    broken = [breach_winnings(*papers_of(rng, 0.06, correlation, 400), 0.02, 12) for _ in range(60)]
    assert np.median([np.argmax(won >= ALARM) + 1 if won.max() >= ALARM else 999 for won in broken]) < 40


def test_a_bet_goes_on_from_paper_to_paper_and_counts_what_was_drawn_more_often_less() -> None:
    won = breach_winnings([0, 1, 3, 0], [12] * 4, 0.02, 12)
    assert won[0] < 1 < won[1] < won[2] > won[3]
    assert won[:2] == pytest.approx(breach_winnings([0, 1], [12] * 2, 0.02, 12))
    rarer = breach_winnings([0, 1], [12] * 2, 0.02, 12, [1.0, 0.25])
    assert rarer[1] < won[1]


def test_what_is_proven_holds_at_any_time_without_an_assumption() -> None:
    """About 230 papers prove 2 % where little is wrong; nothing is proven by none, nor below what is true."""
    rng = np.random.default_rng(2)
    assert proven_bound([], [], 12) == 1.0
    assert 0.95 < proven_bound([0], [12], 12) < 1  # Markov: of papers wrong throughout, hardly one is right
    wrong, total = papers_of(rng, 0.002, 0.2, 400)
    assert proven_bound(wrong[:60], total[:60], 12) > 0.02 > proven_bound(wrong, total, 12)
    bounds = [proven_bound(*papers_of(rng, 0.05, 0.2, 200), 12) for _ in range(40)]
    assert sum(bound < 0.05 for bound in bounds) <= 4
