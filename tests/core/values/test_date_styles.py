"""Dates as an office writes them on its screens."""

from __future__ import annotations

from datetime import date

import pytest

from jugum.core.values.date_styles import DateStyle, written


@pytest.mark.parametrize(
    ("style", "said"),
    [
        (DateStyle.WORDS, "7 Mar 2026"),
        (DateStyle.ISO, "2026-03-07"),
        (DateStyle.DOTS, "07.03.2026"),
        (DateStyle.DAY_FIRST, "07/03/2026"),
        (DateStyle.MONTH_FIRST, "03/07/2026"),
    ],
)
def test_a_date_is_written_in_the_style_of_the_workspace(style: DateStyle, said: str) -> None:
    assert written(date(2026, 3, 7), style) == said
    assert written(date(2026, 3, 7), style, this_year=2025) == said


def test_words_leave_out_the_year_that_it_is() -> None:
    assert written(date(2026, 3, 7), DateStyle.WORDS, this_year=2026) == "7 Mar"
    assert written(date(2026, 3, 7), DateStyle.ISO, this_year=2026) == "2026-03-07"
