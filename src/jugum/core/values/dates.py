"""Dates in many spellings. Day comes before month where the digits leave it open, unless told otherwise."""

from __future__ import annotations

import re
from datetime import date
from functools import cache

from babel.dates import get_month_names

from jugum.core.values.slips import mend_digits

LOCALES = ("en", "de", "fr", "es", "it", "pt", "nl", "da", "nb", "sv", "fi", "pl", "cs")
PIVOT = 50  # two-digit years: 00–49 are 2000–2049, 50–99 are 1950–1999
_SEPARATED = re.compile(r"^(\d{1,4})\s?[./\-–]\s?(\d{1,2})\s?[./\-–]\s?(\d{1,4})\.?$")
_COMPACT = re.compile(r"^(19|20)(\d{2})(\d{2})(\d{2})$")
_ORDINAL = re.compile(r"(?<=\d)(?:st|nd|rd|th|er|º|ª)\b", re.IGNORECASE)
_FILLER = re.compile(r"\b(?:the|of|day|den|der|de|le|del|and|on)\b", re.IGNORECASE)
_WEEKDAY = re.compile(r"^(?:mon|tues?|wed(?:nes)?|thu(?:rs)?|fri|sat(?:ur)?|sun)(?:day)?\.?,?\s+", re.IGNORECASE)


@cache
def month_names() -> dict[str, int]:
    """Every known spelling of a month, lower case and without dot → 1–12."""
    names: dict[str, int] = {}
    for locale in LOCALES:
        for width in ("wide", "abbreviated"):
            for context in ("format", "stand-alone"):
                for number, name in get_month_names(width, context=context, locale=locale).items():
                    key = name.lower().rstrip(".")
                    if len(key) >= 3 and not key.isdigit():
                        names.setdefault(key, number)
    names.update({"sept": 9, "mrz": 3, "mär": 3})
    return names


def parse_date(text: str, *, month_first: bool = False) -> date | None:
    """A printed date, or None: `"03.04.2025"` (3 April), `"2025-04-03"`, `"4 March 2025"`, `"Apr 4, 25"`.

    `month_first` reads 03/04 as 4 March; where that gives no date, the other order is tried. Years 1900–2099.
    """
    cleaned = text.strip().strip(":;,*()").strip()
    return _numeric(mend_digits(cleaned), month_first=month_first) or _named(cleaned)


def _numeric(text: str, *, month_first: bool) -> date | None:
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
    year = _year(last)
    orders = [(int(middle), int(first)), (int(first), int(middle))]
    if month_first:
        orders.reverse()
    return _date(year, *orders[0]) or _date(year, *orders[1])


def _named(text: str) -> date | None:
    """`4 March 2025`, `4. mars 2025`, `March 4th, 2025`, `the 4th day of March, 2025`, `4-Mar-25`, `2025 March 4`."""
    plain = _FILLER.sub(" ", _ORDINAL.sub("", _WEEKDAY.sub("", text)))
    tokens = [token for token in re.split(r"[\s.,/\-–']+", plain) if token]
    if len(tokens) != 3:
        return None
    months = [
        (place, month_names()[token.lower()]) for place, token in enumerate(tokens) if token.lower() in month_names()
    ]
    if len(months) != 1:
        return None
    place, month = months[0]
    numbers = [mend_digits(token) for index, token in enumerate(tokens) if index != place]
    if not all(number.isdigit() for number in numbers):
        return None
    if len(numbers[0]) == 4:
        numbers.reverse()
    day, year = numbers
    return _date(_year(year), month, int(day)) if len(day) <= 2 and len(year) in (2, 4) else None


def _year(digits: str) -> int:
    year = int(digits)
    return year if len(digits) == 4 else year + (2000 if year < PIVOT else 1900)


def _date(year: int, month: int, day: int) -> date | None:
    if not 1900 <= year <= 2099:
        return None
    try:
        return date(year, month, day)
    except ValueError:
        return None
