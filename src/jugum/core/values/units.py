"""Units behind numbers ("30 km", "7 nights") and the signs that say "none"."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache

# A unit, then other ways it is written. The first ones are offered when a field is planned.
_USUAL = (
    ("%", "per cent", "percent", "pct"),
    ("km", "kilometre", "kilometres", "kilometer", "kilometers"),
    ("m", "metre", "metres", "meter", "meters"),
    ("cm", "centimetre", "centimetres"),
    ("mm", "millimetre", "millimetres"),
    ("mi", "mile", "miles"),
    ("m²", "m2", "sqm", "sq m", "square metres", "square meters"),
    ("ha", "hectare", "hectares"),
    ("m³", "m3", "cubic metres", "cubic meters"),
    ("l", "litre", "litres", "liter", "liters"),
    ("t", "tonne", "tonnes", "ton", "tons"),
    ("kg", "kgs", "kilogram", "kilograms"),
    ("g", "gram", "grams"),
    ("lb", "lbs"),
    ("kWh", "kilowatt hours"),
    ("MWh",),
    ("kW",),
    ("W", "watt", "watts"),
    ("V", "volt", "volts"),
    ("A", "ampere", "amperes"),
    ("h", "hr", "hrs", "hour", "hours"),
    ("min", "mins", "minute", "minutes"),
    ("s", "sec", "second", "seconds"),
    ("days", "day", "d"),
    ("nights", "night"),
    ("weeks", "week", "wk", "wks"),
    ("months", "month", "mo", "mth"),
    ("years", "year", "yr", "yrs"),
    ("pcs", "pc", "piece", "pieces", "pce"),
    ("units", "unit"),
    ("persons", "person", "people", "pax"),
    ("°C", "° C"),
    ("W/m²K", "W/(m²K)", "W/m2K", "W/(m2K)"),
)
USUAL_UNITS = tuple(spellings[0] for spellings in _USUAL)
UNITS_MAX = 12  # for one field: more are several fields
# What tables print where there is nothing: dashes, alone or with a mark of decimals, and a few words.
_NONE = re.compile(r"[-−–—_.,/\\|~*•·=\s]*[-−–—~][-−–—_.,/\\|~*•·=\s]*|\./\.|n\s?[./]\s?a\.?|none|nil", re.IGNORECASE)

_ANY_UNIT = re.compile(r"(?P<number>[(−+–-]?\d[\d\s.,'’]*?)\s*(?:[^\W\d_]|[°µ%])[^\d\s]{0,4}(?:/\S{1,4})?")


def is_none_sign(text: str) -> bool:
    """Whether a text says that there is no number or date: "–", "--", "-.-", "./.", "n/a", "none", "nil"."""
    return _NONE.fullmatch(text.strip()) is not None


def without_unit(text: str, units: Sequence[str] = ()) -> str:
    """A text without the unit behind its number, or (one of two letters or more) before it: "30 km" → "30". Only those
    units, with the ways in which usual ones are written, or any usual one when none is given. A text without such a
    unit stays as it is."""
    match = _pattern(tuple(units)).fullmatch(text.strip())
    return (match["behind"] or match["after"]).strip() if match else text


def without_any_unit(text: str) -> str:
    """A number without the one short word behind it, whatever it is: "46.2 Nm" → "46.2", "0.4 ml/h" → "0.4"; any other
    text stays as it is."""
    match = _ANY_UNIT.fullmatch(text.strip())
    return match["number"] if match else text


def has_unit(text: str) -> bool:
    """Whether a usual unit stands behind a number: "30 km", which is no sum of money."""
    return without_unit(text) != text


def without_unit_behind_words(text: str, units: Sequence[str] = ()) -> str:
    """A number in words without the unit behind it: "twelve (12) weeks" → "twelve (12)"; a text without such a unit
    stays as it is."""
    words = text.strip().rstrip(".,;").split()
    for count in (2, 1):  # "square metres" before "metres"
        if len(words) > count and " ".join(words[-count:]).casefold() in _long_spellings(tuple(units)):
            return " ".join(words[:-count])
    return text


@cache
def _long_spellings(units: tuple[str, ...]) -> frozenset[str]:
    """All ways of writing these units (any usual one when none is given) but single letters, in small letters."""
    return frozenset(_plain(spelling) for spelling in _spellings(units) if len(spelling) > 1)


def _spellings(units: tuple[str, ...]) -> set[str]:
    asked = {_plain(unit) for unit in units}
    usual = [row for row in _USUAL if not units or asked & {_plain(spelling) for spelling in row}]
    return {*units, *(spelling for row in usual for spelling in row)}


@cache
def _pattern(units: tuple[str, ...]) -> re.Pattern[str]:
    spellings = _spellings(units)
    # The longest first: "kWh" is no "k" and a "Wh". A letter alone keeps its case, "A" is no "a".
    ordered = sorted(spellings, key=len, reverse=True)
    ways, words = ("|".join(map(_way, those)) for those in (ordered, [way for way in ordered if len(way) > 1]))
    number = r"[\d(−+–-][\dOolIS\s.,'’()−–+-]*?"  # with letters that OCR takes digits for
    return re.compile(rf"(?P<behind>{number})\s*(?:{ways})\.?|(?:{words or '(?!)'})\.?\s+(?P<after>{number})")


def _way(spelling: str) -> str:
    pattern = r"\s*".join(map(re.escape, spelling.split()))
    return pattern if len(spelling) == 1 else f"(?i:{pattern})"


def _plain(unit: str) -> str:
    return unit if len(unit) == 1 else unit.casefold()
