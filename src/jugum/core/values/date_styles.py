"""How an office writes dates: on its screens, that is; results are written as each field's output says."""

from __future__ import annotations

from datetime import date
from enum import StrEnum


class DateStyle(StrEnum):
    """The styles to choose from; each value says what it is."""

    WORDS = "words"
    ISO = "year first"
    DOTS = "day first, dots"
    DAY_FIRST = "day first"
    MONTH_FIRST = "month first"


_PATTERNS = {
    DateStyle.WORDS: "%-d %b %Y",
    DateStyle.ISO: "%Y-%m-%d",
    DateStyle.DOTS: "%d.%m.%Y",
    DateStyle.DAY_FIRST: "%d/%m/%Y",
    DateStyle.MONTH_FIRST: "%m/%d/%Y",
}


def written(day: date, style: DateStyle, this_year: int | None = None) -> str:
    """A date in a style; with words, a date of `this_year` goes without its year: "27 Nov"."""
    if style is DateStyle.WORDS and day.year == this_year:
        return f"{day:%-d %b}"
    return day.strftime(_PATTERNS[style])
