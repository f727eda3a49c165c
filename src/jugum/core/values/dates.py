"""Dates in many spellings. Day comes before month where the digits leave it open, unless told otherwise."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from functools import cache

from babel.dates import get_day_names, get_month_names

from jugum.core.values.slips import mend_digits
from jugum.core.values.spelled import parse_ordinal, parse_year

LOCALES = ("en", "de", "fr", "es", "it", "pt", "nl", "da", "nb", "sv", "fi", "pl", "cs")
PIVOT = 50  # two-digit years: 00–49 are 2000–2049, 50–99 are 1950–1999
_SEPARATED = re.compile(r"^(\d{1,4})\s?[./\-–]\s?(\d{1,2})\s?[./\-–]\s?(\d{1,4})\.?$")
_COMPACT = re.compile(r"^(19|20)(\d{2})(\d{2})(\d{2})$")
_ORDINAL = re.compile(r"(?<=\d)(?:st|nd|rd|th|er|º|ª)\b", re.IGNORECASE)
_FILLERS = frozenset("the of day den der de le del and on in year this d. à el anno domini".split())


@cache
def month_names() -> dict[str, int]:
    """Every known spelling of a month, lower case and without dot → 1–12."""
    names: dict[str, int] = {}
    for locale in LOCALES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in get_month_names(width, context=context, locale=locale).items():
                    key = name.lower().rstrip(".")
                    # shorter ones are words of other languages, or a mere number
                    if len(key) >= 3 and not key.isdigit():
                        # the first locale wins: the same letters may be another month elsewhere
                        names.setdefault(key, number)
    names.update({"sept": 9, "mrz": 3, "mär": 3})  # usual on papers too
    return names


@cache
def _weekdays() -> frozenset[str]:
    return frozenset(
        name.lower().rstrip(".")
        for locale in LOCALES
        for width in ("wide", "abbreviated")
        for name in get_day_names(width, locale=locale).values()
        if len(name) >= 3
    )


def parse_date(text: str, *, month_first: bool = False, pivot: int = PIVOT) -> date | None:
    """A printed date, or None: `"03.04.2025"` (3 April), `"2025-04-03"`, `"4 March 2025"`, `"Apr 4, 25"`,
    `"the third day of March, 2025"`.

    `month_first` reads 03/04 as 4 March; where that gives no date, the other order is tried. Two-digit years below
    `pivot` are of this century. Years 1900–2099.
    """
    cleaned = text.strip().strip(":;,*()").strip()
    numeric = _numeric(mend_digits(cleaned), month_first=month_first, pivot=pivot)
    return numeric or _named(cleaned, pivot)


def _numeric(text: str, *, month_first: bool, pivot: int) -> date | None:
    compact = _COMPACT.match(text)
    if compact:
        return _date(int(text[:4]), int(text[4:6]), int(text[6:]))
    match = _SEPARATED.match(text)
    if match is None:
        return None
    first, middle, last = match.groups()
    if len(first) == 4:
        return _date(int(first), int(middle), int(last)) if len(last) <= 2 else None
    if len(first) == 3 or len(last) not in (2, 4):
        return None
    year = _year(last, pivot)
    orders = [(int(middle), int(first)), (int(first), int(middle))]
    if month_first:
        orders.reverse()
    return _date(year, *orders[0]) or _date(year, *orders[1])  # 13/04 tells its order by itself


def _named(text: str, pivot: int) -> date | None:
    """`4 March 2025`, `4. mars 2025`, `March 4th, 2025`, `the 4th day of March, 2025`, `4-Mar-25`, `2025 March 4`,
    `third of March two thousand and twenty-five`."""
    tokens = [token for token in re.split(r"[\s.,/\-–']+", _ORDINAL.sub("", text)) if token]
    lowered = [token.lower() for token in tokens]
    months = [place for place, token in enumerate(lowered) if token in month_names()]
    if len(months) != 1:  # two months are a span, not a day
        return None
    place = months[0]
    month = month_names()[lowered[place]]
    before = [token for token in lowered[:place] if token not in _FILLERS and token not in _weekdays()]
    after = [token for token in lowered[place + 1 :] if token not in _FILLERS]
    numbers = [mend_digits(token) for token in (*before, *after)]
    if len(numbers) == 2 and all(number.isdigit() for number in numbers):
        if len(numbers[0]) == 4:  # "2025 March 4"
            numbers.reverse()
        day, year = numbers
        return _date(_year(year, pivot), month, int(day)) if len(day) <= 2 and len(year) in (2, 4) else None
    return _in_words(before, after, month, pivot)


def _in_words(before: list[str], after: list[str], month: int, pivot: int) -> date | None:
    """Day before the month and year behind it, or both behind it, each in words or digits."""
    splits = [(before, after)] if before else [(after[:cut], after[cut:]) for cut in (1, 2)]
    for day_words, year_words in splits:
        day = _day(day_words)
        if day is None or not year_words:
            continue
        digits = mend_digits(year_words[0]) if len(year_words) == 1 else ""
        year = _year(digits, pivot) if digits.isdigit() and len(digits) in (2, 4) else parse_year(year_words)
        if year is not None and (found := _date(year, month, day)):
            return found
    return None


def _day(words: list[str]) -> int | None:
    if len(words) == 1 and words[0].isdigit() and len(words[0]) <= 2:
        return int(words[0])
    return parse_ordinal(words)


def _year(digits: str, pivot: int) -> int:
    year = int(digits)
    return year if len(digits) == 4 else year + (2000 if year < pivot else 1900)


def _date(year: int, month: int, day: int) -> date | None:
    if not 1900 <= year <= 2099:  # Numbers of four digits are often no years.
        return None
    try:
        return date(year, month, day)
    except ValueError:
        return None


@dataclass(frozen=True)
class DateOrder:
    """What a set of printed dates says of their order: how many can only be read day first, how many only month
    first, and how many either way ("03/04/2025"; the same number twice counts for neither)."""

    day_first: int
    month_first: int
    either: int

    @property
    def is_month_first(self) -> bool:
        """Whether 03/04 is the fourth of March on these papers: only when more dates show it than show the opposite."""
        return self.month_first > self.day_first

    @property
    def of_paper(self) -> bool | None:
        """Whether the dates of one paper are month first; None where none of them tells, or they contradict each
        other."""
        return None if (self.day_first > 0) == (self.month_first > 0) else self.month_first > 0

    @property
    def ambiguous(self) -> bool:
        """Dates are there that can be read both ways, and no other date settles which is meant, or they contradict."""
        return self.either > 0 and (self.day_first == 0) == (self.month_first == 0)


def date_order(texts: Iterable[str]) -> DateOrder:
    """Count the dates in digits that tell their order: 13/04/2025 can only be day first, 04/13/2025 only month
    first."""
    day_first = month_first = either = 0
    for text in texts:
        plain = text.strip().strip(":;,*()").strip()
        match = _SEPARATED.match(mend_digits(plain)) if plain[:1].isdigit() else None
        if match is None or len(match[1]) > 2 or len(match[3]) not in (2, 4):
            continue
        first, middle = int(match[1]), int(match[2])
        if not (1 <= first <= 31 and 1 <= middle <= 31) or min(first, middle) > 12:
            continue
        if first > 12:
            day_first += 1
        elif middle > 12:
            month_first += 1
        elif first != middle:
            either += 1
    return DateOrder(day_first, month_first, either)
