"""Charts of live figures: every part stands inside its frame, and says what it is."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from jugum.core.evaluation.drift import LivePaper
from jugum.core.thresholds import Evidence, EvidenceTable
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.periods import CameIn, Span, periods
from jugum.flow.weigh.live import LiveView, Published
from jugum.flow.weigh.spot_checks import Won
from jugum.web import charts
from jugum.web.period_charts import period_charts

MONDAY = date(2026, 11, 2)


def view_of(papers: list[CameIn], *, published: list[Published] | None = None) -> LiveView:
    rows = [Evidence("amount", 0.9, paper.id % 5 > 0, paper=str(paper.id)) for paper in papers]
    found = periods(papers, Span.WEEK, Effort(6, 4), EvidenceTable.of(rows), [paper.id for paper in papers])
    return LiveView(Span.WEEK, found, published or [], Effort(6, 4), [], 0, 0, None, [])


def some(weeks: int, each: int) -> list[CameIn]:
    return [
        CameIn(
            number,
            MONDAY + timedelta(weeks=number // each),
            {"missing": 1, "low confidence": 2} if number % 3 == 0 else {},
            LivePaper(number % 3 > 0, number % 4 == 0, 0.8 + 0.01 * (number % 9), 0.9),
        )
        for number in range(weeks * each)
    ]


@pytest.mark.parametrize(("weeks", "each"), [(1, 1), (1, 12), (5, 12), (26, 3)])
def test_all_parts_of_every_chart_stand_in_its_frame(weeks: int, each: int) -> None:
    found = period_charts(view_of(some(weeks, each), published=[Published(1, MONDAY)]))
    assert len(found) == 6
    for chart in found:
        for dot in chart.dots:
            assert chart.left <= dot.x <= chart.right
            assert chart.top <= dot.high <= dot.y <= dot.low <= chart.bottom
            assert "2026" not in dot.said
        for bar in chart.bars:
            assert chart.left <= bar.x
            assert bar.x + bar.width <= chart.right
            assert chart.top - 0.1 <= bar.y
            assert bar.y + bar.height <= chart.bottom + 0.2
        assert all(chart.left <= tick.at <= chart.right for tick in (*chart.x_ticks, *chart.policies))
        assert 0 < len(chart.x_ticks) <= 7
    assert len(found[0].dots) == weeks
    assert found[0].dots[0].said.startswith("week of 2 Nov: ")


def test_bars_are_as_high_as_they_count() -> None:
    (_, held, *_) = period_charts(view_of(some(2, 12)))
    first = [bar for bar in held.bars if bar.start == MONDAY]
    assert [bar.kind for bar in first] == ["low-confidence", "missing"]
    assert first[0].height == pytest.approx(first[1].height)
    assert first[1].y == pytest.approx(first[0].y - first[1].height, abs=0.2)
    assert held.now == "4 of 12 papers"


def test_nothing_is_drawn_without_papers() -> None:
    assert period_charts(view_of([])) == []
    assert charts.winnings_chart([], 20.0) is None


@pytest.mark.parametrize("winnings", [[1.8], [0.7, 0.5, 1e-9], [3.0, 70.0, 16000.0]])
def test_a_bet_that_wins_and_one_that_loses_stand_in_the_frame(winnings: list[float]) -> None:
    won = [Won(place, value, place, f"p{place}", int(value > 1)) for place, value in enumerate(winnings, 1)]
    chart = charts.winnings_chart(won, 20.0)
    assert chart is not None
    points = [tuple(map(float, point.split(","))) for point in chart.line.split()]
    assert len(points) == len(winnings) + 1
    assert all(chart.left <= x <= chart.right and chart.top <= y <= chart.bottom for x, y in points)
    assert chart.top <= chart.alarm <= chart.bottom
    assert len(chart.dots) == sum(value > 1 for value in winnings)
    assert f"After {len(winnings)} checked papers" in chart.said
