"""The functions expressions can call. Each says what it takes and gives; there are no others."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import ROUND_HALF_EVEN, Decimal
from enum import StrEnum
from typing import Any

from rapidfuzz import fuzz, process

from jugum.core.structure.zones import repaired_zone
from jugum.core.values import DataType, check_digit_agrees, check_method, compiled, matches, normal_form, same_value
from jugum.core.values.numbers import parse_number

Scalar = Decimal | str | date | bool | None
Column = tuple[Scalar, ...]
Value = Scalar | Column


class Kind(StrEnum):
    """What an expression gives. ANY is for parts that may be of every kind."""

    NUMBER = "number"
    TEXT = "text"
    DATE = "date"
    TRUTH = "yes or no"
    ANY = "any"


@dataclass(frozen=True)
class Context:
    """What an expression may know besides fields: the day the paper was received, and lists by name."""

    received: date | None = None
    lists: Mapping[str, Sequence[str]] = field(default_factory=dict)


@dataclass(frozen=True)
class Function:
    """`takes` are the kinds of the parts; the last `optional` of them may be left out; with `repeats` the last one
    may come again and again. `whole` functions get a table's column at once; the others are worked out row by row,
    and give nothing for a row where a part is missing."""

    takes: tuple[Kind, ...]
    gives: Kind
    run: Callable[..., Any]
    help: str
    optional: int = 0
    repeats: bool = False
    whole: bool = False


def _some(column: Value) -> list[Any]:
    return [value for value in (column if isinstance(column, tuple) else (column,)) if value is not None]


def _sum(context: Context, column: Value) -> Scalar:
    found = _some(column)
    return sum(found, Decimal(0)) if found else None  # no row is no sum: 0 would pass a check that compares


def _average(context: Context, column: Value) -> Scalar:
    found = _some(column)
    return sum(found, Decimal(0)) / len(found) if found else None


def _round(context: Context, number: Decimal, places: Decimal = Decimal(2)) -> Decimal:
    # as in accounts: halves go both ways, so that many of them don't add up to a drift
    return number.quantize(Decimal(1).scaleb(-min(max(int(places), 0), 8)), rounding=ROUND_HALF_EVEN)


def _months(context: Context, start: date, end: date) -> Decimal:
    # a month begun is not full
    return Decimal((end.year - start.year) * 12 + end.month - start.month - (end.day < start.day))


def _years(context: Context, start: date, end: date) -> Decimal:
    return Decimal(int(_months(context, start, end)) // 12)


def _day(context: Context, text: str) -> date | None:
    normal = normal_form(text, DataType.DATE)
    return date.fromisoformat(normal) if normal else None


def _add_days(context: Context, day: date, days: Decimal) -> date | None:
    try:
        return day + timedelta(days=int(days))
    except OverflowError:
        return None


def _part(context: Context, zone: str, name: str) -> str | None:
    read = repaired_zone(zone.splitlines())
    return (read.parts().get(name.replace("_", " ")) or None) if read else None


def _zone_day(context: Context, zone: str, name: str) -> date | None:
    """Birth dates lie before the expiry date; expiry dates in 2000–2099 (ICAO 9303-3 leaves the century open)."""
    read = repaired_zone(zone.splitlines())
    digits = read.parts().get(name, "") if read else ""
    if not re.fullmatch(r"\d{6}", digits) or read is None:
        return None
    year = int(digits[:2]) + 2000
    expires = read.parts()["expires"]
    if name == "born" and (not expires.isdigit() or digits > expires):
        year -= 100
    try:
        return date(year, int(digits[2:4]), int(digits[4:6]))
    except ValueError:
        return None


def _zone_holds(context: Context, zone: str) -> bool | None:
    read = repaired_zone(zone.splitlines())
    return read.whole if read else None


_LIMIT = re.compile(
    r"^(?P<sign>≤|<=|<|≥|>=|>|max\.?|min\.?|maximum|minimum|up to|at most|at least|not above|not below)?\s*.+$",
    re.IGNORECASE,
)
_UPPER = frozenset({"≤", "<=", "max", "maximum", "up to", "at most", "not above"})


def meets_limit(number: Decimal, limit: str) -> bool | None:
    """Whether a number keeps a printed limit: `≤ 0,5`, `< 3`, `2.0 – 4.0`, `min. 98 %`, `10 ± 0.2`; units behind the
    numbers are let go. A lone number is an upper limit. None when the limit can't be read."""
    numbers = [parse_number(found) for found in re.findall(r"\d[\d.,' ]*", limit.replace("\u2212", "-"))]
    if not numbers or None in numbers:
        return None
    bounds = [found for found in numbers if found is not None]
    if "±" in limit or "+/-" in limit:  # the two numbers are a middle and a distance, not two bounds
        return abs(number - bounds[0]) <= bounds[1] if len(bounds) == 2 else None
    match = _LIMIT.match(limit.strip())
    sign = (match["sign"] or "").lower().rstrip(".") if match else ""
    if len(bounds) == 2 and not sign:
        return bounds[0] <= number <= bounds[1]
    if len(bounds) != 1:
        return None
    if sign == "<":  # Strict signs first: the rest of the words allow the bound itself.
        return number < bounds[0]
    if sign == ">":
        return number > bounds[0]
    return number <= bounds[0] if not sign or sign in _UPPER else number >= bounds[0]


def _list(context: Context, name: str) -> Sequence[str]:
    return context.lists.get(name, ())


def _listed(context: Context, text: str, name: str) -> bool | None:
    entries = _list(context, name)
    # an empty list proves nothing
    return any(same_value(text, entry, DataType.NAME) for entry in entries) if entries else None


def _nearest(context: Context, text: str, name: str) -> str | None:
    return nearest_entry(text, _list(context, name))


def nearest_entry(text: str, entries: Sequence[str]) -> str | None:
    """The entry most like a text (RapidFuzz, at least 60 % alike), or None."""
    found = process.extractOne(text, entries, scorer=fuzz.WRatio, processor=str.casefold, score_cutoff=60)
    return found[0] if found else None


def _taken(context: Context, text: str, pattern: str) -> str | None:
    wanted = compiled(pattern)
    found = wanted.search(text)
    return (found[1] if wanted.groups else found[0]) if found else None  # a group says which part is meant


def _first(context: Context, column: Value) -> Scalar:
    return next(iter(_some(column)), None)


def _last(context: Context, column: Value) -> Scalar:
    return next(reversed(_some(column)), None)


def _joined(context: Context, column: Value, by: str = ", ") -> str | None:
    return by.join(map(str, _some(column))) or None


def _one_of(context: Context, value: Scalar, *others: Scalar) -> bool:
    return any(plain(value) == plain(other) for other in others)


N, T, D, B, A = Kind.NUMBER, Kind.TEXT, Kind.DATE, Kind.TRUTH, Kind.ANY
FUNCTIONS: dict[str, Function] = {
    "present": Function((A,), B, lambda c, v: bool(_some(v)), "whether a field has a value", whole=True),
    "missing": Function((A,), B, lambda c, v: not _some(v), "whether a field has none", whole=True),
    "otherwise": Function(
        (A, A),
        A,
        lambda c, v, other: v if _some(v) else other,
        "the first, or the second when it is missing",
        whole=True,
    ),
    "count": Function((A,), N, lambda c, v: Decimal(len(_some(v))), "how many values there are", whole=True),
    "sum": Function((N,), N, _sum, "the sum of a column", whole=True),
    "average": Function((N,), N, _average, "the mean of a column", whole=True),
    "least": Function((A,), A, lambda c, v: min(_some(v), default=None), "the least of a column", whole=True),
    "greatest": Function((A,), A, lambda c, v: max(_some(v), default=None), "the greatest of a column", whole=True),
    "first": Function((A,), A, _first, "the first value of a column", whole=True),
    "last": Function((A,), A, _last, "the last value of a column", whole=True),
    "joined": Function(
        (T, T),
        T,
        _joined,
        "all values in one text",
        optional=1,
        whole=True,
    ),
    "round": Function((N, N), N, _round, "rounded to 2 places, or to the number of places given", optional=1),
    "abs": Function((N,), N, lambda c, v: abs(v), "without its sign"),
    "days": Function(
        (D, D), N, lambda c, start, end: Decimal((end - start).days), "days from the first date to the second"
    ),
    "months": Function((D, D), N, _months, "full months between two dates"),
    "years": Function((D, D), N, _years, "full years between two dates"),
    "year": Function((D,), N, lambda c, day: Decimal(day.year), "the year of a date"),
    "month": Function((D,), N, lambda c, day: Decimal(day.month), "the month of a date, 1 to 12"),
    "date": Function((T,), D, _day, "a date written as text"),
    "add_days": Function((D, N), D, _add_days, "a date so many days later"),
    "number": Function((T,), N, lambda c, text: parse_number(text), "a number written as text"),
    "upper": Function((T,), T, lambda c, text: text.upper(), "in capitals"),
    "lower": Function((T,), T, lambda c, text: text.lower(), "in small letters"),
    "title": Function((T,), T, lambda c, text: text.title(), "each word with a capital"),
    "length": Function((T,), N, lambda c, text: Decimal(len(text)), "how many letters a text has"),
    "starts_with": Function(
        (T, T), B, lambda c, text, start: text.casefold().startswith(start.casefold()), "how a text begins"
    ),
    "contains": Function(
        (T, T), B, lambda c, text, piece: piece.casefold() in text.casefold(), "whether a text holds another"
    ),
    "taken": Function((T, T), T, _taken, "what a pattern finds in a text (its first group, if it has one)"),
    "matches": Function(
        (T, T), B, lambda c, text, pattern: matches(pattern, text), "whether a whole text fits a pattern"
    ),
    "one_of": Function(
        (A, A),
        B,
        _one_of,
        "whether a value is one of those that follow",
        repeats=True,
    ),
    "check_digit": Function(
        (T, T), B, lambda c, text, method: check_digit_agrees(text, method), "whether a check digit is right"
    ),
    "alike": Function(
        (T, T),
        N,
        lambda c, a, b: Decimal(round(fuzz.ratio(a.casefold(), b.casefold()))),
        "how alike two texts are, in per cent",
    ),
    "same_name": Function(
        (T, T), B, lambda c, a, b: same_value(a, b, DataType.NAME), "whether two names are the same in any order"
    ),
    "meets": Function(
        (N, T),
        B,
        lambda c, number, limit: meets_limit(number, limit),
        "whether a number keeps a printed limit such as ≤ 0,5",
    ),
    "listed": Function((T, T), B, _listed, "whether a text is in a list of the workspace"),
    "nearest": Function((T, T), T, _nearest, "the entry of a list most like a text"),
    "part": Function(
        (T, T), T, _part, "a part of a machine-readable zone: surname, given_names, number, nationality, country, sex"
    ),
    "zone_holds": Function((T,), B, _zone_holds, "whether all check digits of a machine-readable zone are right"),
    "zone_date": Function((T, T), D, _zone_day, "a date of a machine-readable zone: born or expires"),
}


def plain(value: Scalar) -> Scalar:
    """Text without case and with single blanks, other values as they are: how "=" compares."""
    return re.sub(r"\s+", " ", value.casefold()).strip() if isinstance(value, str) else value


def check_constant(function: str, place: int, value: object) -> None:
    """InputError when a text written into a call can't be what it is meant for: a pattern, a kind of check digit."""
    if not isinstance(value, str) or place != 1:
        return
    if function in ("matches", "taken"):
        compiled(value)
    if function == "check_digit":
        check_method(value)


# One use of each, as it stands in the check form; a test reads and types every one.
EXAMPLES: dict[str, str] = {
    "present": "present(bonus)",
    "missing": "missing(bonus) or bonus > 0",
    "otherwise": "otherwise(bonus, 0) <= gross_pay",
    "count": "count(goods.sum) >= 1",
    "sum": "sum(goods.sum) = total within 0.01",
    "average": "average(goods.sum) < 5000",
    "least": "least(goods.sum) > 0",
    "greatest": "greatest(goods.sum) <= total",
    "first": 'first(goods.item) = "Basic pay"',
    "last": "last(goods.sum) > 0",
    "joined": 'contains(joined(goods.item, ", "), "rope")',
    "round": "round(gross_pay / 12, 2) = net_pay",
    "abs": "abs(gross_pay - net_pay) < 1000",
    "days": "days(paid_on, received) < 90",
    "months": "months(born, paid_on) > 216",
    "years": "years(born, paid_on) >= 18",
    "year": "year(paid_on) >= 2020",
    "month": "month(paid_on) = 12",
    "date": 'paid_on >= date("2026-01-01")',
    "add_days": "paid_on < add_days(received, 30)",
    "number": "number(account) > 0",
    "upper": "upper(account) = account",
    "lower": 'lower(employee) != "total"',
    "title": "title(employee) = employee",
    "length": "length(account) = 11",
    "starts_with": 'starts_with(account, "NO")',
    "contains": 'contains(employee, ",")',
    "taken": 'number(taken(account, "[0-9]+")) > 0',
    "matches": 'matches(account, "[A-Z]{2}[0-9]{9}")',
    "one_of": 'one_of(currency, "kr", "EUR")',
    "check_digit": 'check_digit(account, "mod 97-10")',
    "alike": "alike(employee, holder) >= 85",
    "same_name": "same_name(employee, holder)",
    "meets": "meets(moisture, limit)",
    "listed": 'listed(employer, "employers")',
    "nearest": 'nearest(employer, "employers") = employer',
    "part": 'part(zone, "surname") = holder',
    "zone_holds": "zone_holds(zone)",
    "zone_date": 'zone_date(zone, "expires") > received',
}
