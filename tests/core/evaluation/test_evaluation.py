"""Statistics of a report against scikit-learn, plain counting and laws they must keep."""

from __future__ import annotations

import csv
import io
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn.metrics import brier_score_loss, f1_score

from jugum.core.evaluation.curve import fitted, forecast, papers_wanted, share_at
from jugum.core.evaluation.metrics import (
    Counts,
    area_under_risk_coverage,
    bootstrap_interval,
    brier,
    calibration_error,
    chance_of_gap,
    macro_f1,
    reliability,
    share_by_papers,
)
from jugum.core.evaluation.report_model import CurvePoint, Report
from jugum.core.evaluation.tables import ReportTable, report_html, report_tables
from jugum.core.thresholds import Thresholds
from jugum.core.thresholds.through import straight_through
from jugum.errors import InputError

DECISIONS = st.lists(st.tuples(st.floats(0, 1), st.booleans()), min_size=1, max_size=80)


def test_f1_is_that_of_scikit_learn() -> None:
    """Each of 12 values is there or not, found or not: as a binary task."""
    there = np.array([1, 1, 1, 1, 1, 1, 1, 0, 0, 0, 1, 0])
    found = np.array([1, 1, 0, 1, 1, 0, 1, 1, 0, 0, 1, 1])
    counts = Counts(int((there & found).sum()), int(found.sum()), int(there.sum()))
    assert counts.f1 == pytest.approx(f1_score(there, found))
    assert macro_f1([counts, Counts(1, 1, 1), Counts()]) == pytest.approx((counts.f1 + 1) / 2)


def test_a_worked_number_of_f1() -> None:
    assert Counts(8, 10, 16).f1 == pytest.approx(0.615, abs=1e-3)
    assert Counts().f1 == Counts().precision == Counts().recall == 1


@given(DECISIONS)
def test_brier_is_that_of_scikit_learn(rows: list[tuple[float, bool]]) -> None:
    sure, right = [row[0] for row in rows], [row[1] for row in rows]
    assert brier(sure, right) == pytest.approx(brier_score_loss([int(one) for one in right], sure, labels=[0, 1]))


@given(DECISIONS, st.randoms(use_true_random=False))
def test_the_order_of_decisions_changes_no_figure(rows: list[tuple[float, bool]], random: Any) -> None:
    other = list(rows)
    random.shuffle(other)
    for figure in (brier, area_under_risk_coverage, calibration_error):
        values = [figure([one[0] for one in its], [one[1] for one in its]) for its in (rows, other)]
        assert values[0] == pytest.approx(values[1])
    bins = [reliability([one[0] for one in its], [one[1] for one in its]) for its in (rows, other)]
    assert [(one.count, one.right) for one in bins[0]] == [(one.count, one.right) for one in bins[1]]
    assert sum(one.count for one in bins[0]) == len(rows)


def test_risk_coverage_counts_the_wrong_among_the_surest() -> None:
    """Surest first: right, wrong, right: 0, 1/2, 1/3 wrong."""
    assert area_under_risk_coverage([0.9, 0.8, 0.7], [True, False, True]) == pytest.approx((0 + 0.5 + 1 / 3) / 3)
    assert area_under_risk_coverage([0.9, 0.8], [True, True]) == 0
    assert area_under_risk_coverage([0.5, 0.5], [True, False]) == pytest.approx(0.5)


def test_calibration_error_is_nought_when_confidence_is_true_and_the_gap_when_it_is_off() -> None:
    sure = [0.75] * 100
    assert calibration_error(sure, [True, True, True, False] * 25) == pytest.approx(0)
    assert calibration_error(sure, [True] * 100) == pytest.approx(0.25)
    assert calibration_error([], []) == brier([], []) == area_under_risk_coverage([], []) == 0


def test_a_gap_is_wide_when_papers_and_not_values_say_so() -> None:
    alike = [(9, 10), (10, 10), (8, 10), (10, 10)]
    assert chance_of_gap(alike, alike) == 1
    assert chance_of_gap([(10, 10)] * 12, [(5, 10)] * 12) < 0.01
    # one bad scan among four papers: a tenth of the values, and no more than chance
    assert chance_of_gap([(10, 10)] * 12, [(10, 10)] * 3 + [(2, 10)]) > 0.05
    assert chance_of_gap([], alike) == chance_of_gap(alike, []) == 1
    assert chance_of_gap(alike, [(7, 10)] * 5, seed=4) == chance_of_gap(alike, [(7, 10)] * 5, seed=4)


def test_resampling_papers_gives_wider_intervals_than_values_would() -> None:
    """Values of one paper are right or wrong together: ten papers are ten witnesses, not a hundred."""
    papers = [(10, 10)] * 7 + [(0, 10)] * 3
    low, high = share_by_papers(papers)
    assert high - low > 0.4
    assert low < 0.7 < high
    assert share_by_papers(papers) == (low, high)  # the same seed, the same interval
    assert share_by_papers([]) == (0, 1)
    assert bootstrap_interval([], lambda sums: 0) == (0, 1)


@given(
    st.lists(
        st.tuples(st.integers(0, 5), st.integers(1, 5)).map(lambda one: (min(one), max(one[1], one[0]))),
        min_size=1,
        max_size=12,
    )
)
def test_a_bootstrap_interval_holds_what_was_counted(papers: list[tuple[int, int]]) -> None:
    low, high = share_by_papers(papers)
    assert low - 1e-9 <= sum(paper[0] for paper in papers) / sum(paper[1] for paper in papers) <= high + 1e-9


def test_a_power_law_is_found_again_and_carried_on() -> None:
    points = [CurvePoint(papers=n, right=round(100_000 * (1 - 0.6 * n**-0.8)), total=100_000) for n in (5, 10, 20, 40)]
    level, slope = fitted(points)
    assert (level, slope) == (pytest.approx(0.6, rel=0.02), pytest.approx(0.8, rel=0.02))
    ahead = forecast(points, 40)
    assert [one.papers for one in ahead] == [60, 80, 120]
    assert ahead[0].low <= ahead[0].share <= ahead[0].high
    assert ahead[-1].share == pytest.approx(share_at(120, level, slope), abs=1e-3)


def test_papers_wanted_are_those_the_curve_needs() -> None:
    points = [CurvePoint(papers=n, right=round(100_000 * (1 - 0.6 * n**-0.8)), total=100_000) for n in (5, 10, 20, 40)]
    wanted = papers_wanted(points, 40, 0.98)
    assert wanted is not None
    assert wanted.more is not None
    assert wanted.more + 40 == pytest.approx((0.6 / 0.02) ** (1 / 0.8), rel=0.1)
    assert papers_wanted(points, 40, 0.5) is None  # reached already
    flat = [CurvePoint(papers=n, right=80, total=100) for n in (5, 10, 20)]
    stuck = papers_wanted(flat, 20, 0.98)
    assert stuck is not None
    assert stuck.more is None
    assert papers_wanted(points[:2], 10, 0.98) is None


@given(st.lists(st.tuples(st.integers(3, 200), st.integers(0, 60)), min_size=3, max_size=6))
def test_more_papers_never_make_a_forecast_worse(rows: list[tuple[int, int]]) -> None:
    points = [CurvePoint(papers=papers, right=right, total=60) for papers, right in sorted(rows)]
    ahead = [one.share for one in forecast(points, points[-1].papers)]
    assert ahead == sorted(ahead)


def test_a_paper_goes_straight_through_when_each_of_its_fields_passes() -> None:
    def row(
        sample: str, field: str, sure: float, right: bool = True, layout_similarity: float = 0.9
    ) -> dict[str, object]:
        return {
            "sample": sample,
            "field": field,
            "confidence": sure,
            "layout_similarity": layout_similarity,
            "right": right,
        }

    rows = [
        row("1", "a", 0.99),
        row("1", "b", 0.99),
        row("2", "a", 0.99),
        row("2", "b", 0.4),
        row("3", "a", 0.99, right=False),
        row("3", "b", 0.99),
    ]
    found = straight_through(rows, Thresholds({"a": 0.9, "b": 0.9}, 0.5))
    assert (found.papers, found.through, found.flawed) == (3, 2, 1)
    assert straight_through(rows, Thresholds({"a": 0.9}, 0.5)).through == 0  # a field without a threshold is held
    assert straight_through(rows, Thresholds({"a": 0.9, "b": 0.9}, 0.95)).through == 0  # strange layouts go to a person


def test_a_report_s_table_downloads_without_formulas_and_reads_back() -> None:
    table = ReportTable("errors", "Wrong", ("found", "share"), (("=1+1", 0.5), ("plain, text", None)))
    rows = list(csv.reader(io.StringIO(table.csv)))
    assert rows == [["found", "share"], ["'=1+1", "0.5"], ["plain, text", ""]]
    page = report_html("A <b>", [table])
    assert "A &lt;b&gt;" in page
    assert "http" not in page


def empty_report() -> Report:
    return Report(
        papers=0,
        groups=0,
        layout_similarity_min=0.6,
        fields=[],
        seen_right=0,
        seen_total=0,
        unseen_right=0,
        unseen_total=0,
        calibration_error=0.0,
    )


def test_an_empty_report_has_no_tables() -> None:
    assert report_tables(empty_report(), {}, {}) == []


def test_a_report_is_read_back_as_it_was_kept_and_one_of_another_format_is_refused() -> None:
    report = empty_report()
    assert Report.from_data(report.to_data()) == report
    assert Report.from_data({}) is None
    with pytest.raises(InputError, match="format 7"):
        Report.from_data({**report.to_data(), "format": 7})
    with pytest.raises(InputError, match="damaged"):
        Report.from_data({**report.to_data(), "papers": "many"})
