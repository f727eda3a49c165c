"""Live figures by day and week."""

from __future__ import annotations

from datetime import date, timedelta
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.evaluation.drift import LivePaper
from jugum.core.thresholds import Evidence, EvidenceTable
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.periods import CameIn, Span, periods

EFFORT = Effort(6.0, 4.0)
NONE = EvidenceTable.of([])
MONDAY = date(2026, 11, 16)


def paper(number: int, came: date, *, held: dict[str, int] | None = None, new: bool = False) -> CameIn:
    return CameIn(number, came, held or {}, LivePaper(not held, new, 0.9, 0.8))


def test_a_week_begins_on_monday_and_holds_seven_days() -> None:
    assert {Span.WEEK.start(MONDAY + timedelta(days=days)) for days in range(7)} == {MONDAY}
    assert Span.DAY.start(MONDAY + timedelta(days=3)) == MONDAY + timedelta(days=3)


def test_a_week_says_what_became_of_its_papers() -> None:
    papers = [
        paper(1, MONDAY),
        paper(2, MONDAY + timedelta(days=6), held={"low confidence": 3, "missing": 1}),
        paper(3, MONDAY, new=True, held={"low confidence": 1}),
        paper(4, MONDAY + timedelta(days=7)),
    ]
    first, second = periods(papers, Span.WEEK, EFFORT, NONE, [])
    assert (first.start, first.papers, second.papers) == (MONDAY, (1, 2, 3), (4,))
    assert (first.through.count, first.through.total) == (1, 3)
    assert first.held == {"low confidence": 2, "missing": 1}
    # two papers to open, five fields to look at
    assert first.minutes == pytest.approx(100 / 3 * (2 * 6 + 5 * 4) / 60)
    assert first.new_layouts.count == 1
    assert (second.through.share, second.minutes, second.checked) == (1.0, 0.0, None)


def test_days_on_which_nothing_came_are_there_and_have_no_figures() -> None:
    days = periods([paper(1, MONDAY), paper(2, MONDAY + timedelta(days=3))], Span.DAY, EFFORT, NONE, [])
    assert [len(day.papers) for day in days] == [1, 0, 0, 1]
    assert (days[1].through.share, days[1].minutes, days[1].confidence) == (None, None, None)


def test_what_was_checked_counts_where_its_paper_came_and_by_its_probability() -> None:
    rows = [
        Evidence("amount", 0.9, right, paper=str(number), probability=probability)
        for number, right, probability in ((1, True, 0.1), (1, False, 1.0), (2, True, 1.0))
    ]
    found = periods(
        [paper(1, MONDAY), paper(2, MONDAY + timedelta(days=7))], Span.WEEK, EFFORT, EvidenceTable.of(rows), [1, 1, 2]
    )
    errors = [period.checked.error_share for period in found if period.checked]
    assert errors == [pytest.approx(1 / 11), 0.0]


@given(st.lists(st.tuples(st.integers(0, 60), st.booleans()), min_size=1, max_size=40), st.sampled_from(Span))
def test_every_paper_is_in_one_period(drawn: list[tuple[int, bool]], span: Span) -> None:
    papers = [
        paper(number, MONDAY + timedelta(days=days), held={"missing": 1} if held else None)
        for number, (days, held) in enumerate(drawn)
    ]
    found = periods(papers, span, EFFORT, NONE, [])
    assert sorted(number for period in found for number in period.papers) == list(range(len(papers)))
    assert sum(period.through.count for period in found) == sum(not held for _, held in drawn)
    assert all(later.start - earlier.start == timedelta(days=span.days) for earlier, later in pairwise(found))
