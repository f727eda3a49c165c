"""The one string form (normal form) that values of each data type are compared and kept in."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Callable
from decimal import Decimal

from rapidfuzz import fuzz

from jugum.core.structure.zones import repaired_zone
from jugum.core.values.contact import parse_address, parse_country, parse_email, parse_phone
from jugum.core.values.dates import parse_date
from jugum.core.values.identifiers import parse_identifier
from jugum.core.values.kinds import ONE_FORM, WITH_NONE_SIGNS, AnyType, DataType, ValueType, as_value_type
from jugum.core.values.numbers import parse_money, parse_number, parse_percent
from jugum.core.values.spelled import parse_spelled
from jugum.core.values.units import is_none_sign, without_any_unit, without_unit, without_unit_behind_words

OPTION_LEAST = 86.0  # per cent of likeness (RapidFuzz ratio) an option's spelling must have
_YES = frozenset({"yes", "x", "✓", "✔", "☒", "☑", "true", "ticked", "1", "signed"})
_NO = frozenset({"no", "☐", "□", "false", "empty", "0", "not signed"})


def normal_form(text: str, kind: AnyType) -> str | None:
    """What `text` says in the data type's normal form; None when it can't be read as one, and empty where a number or
    date should stand and a sign says that there is none ("–", "n/a").

    Dates are ISO 8601 (`"2025-04-03"`); money has two decimals or more (`"-8912.50"`); numbers, and percents in per
    cent, have no idle zeros (`"162.5"`) and no unit, and may be in words (`"twelve (12) weeks"` → `"12"`); text and
    names have single blanks, Unicode NFC, and no marks around them; phones are E.164; countries three letters; a choice
    is its option's key; tick boxes and signatures are `"yes"` or `"no"`; zones are their lines with blanks out and
    misread letters mended.
    """
    narrowed = as_value_type(kind)
    if narrowed.data_type in WITH_NONE_SIGNS and is_none_sign(text):
        return ""
    return _READERS.get(narrowed.data_type, _text)(text, narrowed)


def normal_or_text(text: str, kind: AnyType) -> str:
    """The normal form, or the text itself where the data type can't read it: nothing that was entered is lost."""
    normal = normal_form(text, kind)
    return text.strip() if normal is None else normal


def text_that_says(text: str, normal: str, kind: AnyType) -> str:
    """A text that says what is meant: `text`, or the normal form given beside it where the text can't be read ("uke"
    for the choice "weekly") or is a date that says it in the other order of day and month. What is no normal form of
    the data type, or of one whose texts have many, changes nothing."""
    one = as_value_type(kind)
    if not normal or one.data_type not in ONE_FORM or normal_form(normal, one) != normal:
        return text
    said = normal_form(text, one)
    if said is None:
        return normal
    orders = [normal_form(text, one.on_paper(order)) for order in (False, True)]
    return normal if said != normal and normal in orders else text


def says_none(text: str, kind: AnyType) -> bool:
    """Whether a text says that a number or date has no value: "–" is no answer that can't be read."""
    return normal_form(text, kind) == ""


def _date(text: str, kind: ValueType) -> str | None:
    day = parse_date(text, month_first=bool(kind.month_first), pivot=kind.pivot)
    return day.isoformat() if day else None


def _money(text: str, kind: ValueType) -> str | None:
    amount = parse_money(text)
    if amount is None:
        return None
    amount = abs(amount) if amount == 0 else amount  # no "-0.00"
    exponent = amount.as_tuple().exponent
    return f"{amount:.2f}" if isinstance(exponent, int) and exponent > -2 else format(amount, "f")


def plain_number(number: Decimal) -> str:
    """Without idle zeros: 162.50 → "162.5", −0 → "0"."""
    plain = format(number, "f")
    plain = plain.rstrip("0").rstrip(".") if "." in plain else plain
    return "0" if plain in ("-0", "") else plain


def _number(text: str, kind: ValueType) -> str | None:
    number = parse_number(without_unit(text, kind.units))
    if number is None and kind.any_unit:
        number = parse_number(without_any_unit(text))
    if number is None and any(map(str.isalpha, text)):  # "twelve (12) weeks": both say the same, or it is none
        said = parse_spelled(without_unit_behind_words(text, kind.units))
        return None if said is None else str(said)
    return None if number is None else plain_number(number)


def _percent(text: str, kind: ValueType) -> str | None:
    share = parse_percent(text)
    return None if share is None else plain_number(share)


def _spelled(text: str, kind: ValueType) -> str | None:
    number = parse_spelled(text)
    return None if number is None else str(number)


def _text(text: str, kind: ValueType) -> str | None:
    cleaned = re.sub(r"\s+", " ", unicodedata.normalize("NFC", text)).strip()
    stripped = cleaned.strip(" :;,|_*•·…") or cleaned  # a text of nothing but such marks is still what stands there
    return stripped or None


def _name(text: str, kind: ValueType) -> str | None:
    plain = _text(text, kind)
    return plain if plain and any(map(str.isalpha, plain)) else None


def _choice(text: str, kind: ValueType) -> str | None:
    plain = _bare(text)
    alike = [
        (fuzz.ratio(plain, _bare(spelling)), -place, option.key)
        for place, option in enumerate(kind.options)
        for spelling in option.spellings
    ]
    best = max(alike, default=(0.0, 0, ""))
    return best[2] if best[0] >= OPTION_LEAST else None


def _yes_or_no(text: str, kind: ValueType) -> str | None:
    plain = text.strip().lower()
    return "yes" if plain in _YES else "no" if plain in _NO else None


def _zone(text: str, kind: ValueType) -> str | None:
    zone = repaired_zone([line for line in text.splitlines() if line.strip()])
    return "\n".join(zone.lines) if zone else None


_READERS: dict[DataType, Callable[[str, ValueType], str | None]] = {
    DataType.NAME: _name,
    DataType.DATE: _date,
    DataType.MONEY: _money,
    DataType.NUMBER: _number,
    DataType.PERCENT: _percent,
    DataType.SPELLED: _spelled,
    DataType.IDENTIFIER: lambda text, kind: parse_identifier(text, kind.pattern),
    DataType.PHONE: lambda text, kind: parse_phone(text, kind.region),
    DataType.EMAIL: lambda text, kind: parse_email(text),
    DataType.ADDRESS: lambda text, kind: parse_address(text),
    DataType.COUNTRY: lambda text, kind: parse_country(text),
    DataType.CHOICE: _choice,
    DataType.TICK: _yes_or_no,
    DataType.SIGNATURE: _yes_or_no,
    DataType.ZONE: _zone,
}


def same_value(a: str, b: str, kind: AnyType) -> bool:
    """Whether two normal forms say the same. Text is compared without case and outer punctuation; names also without
    the order of their parts ("Selvik, Runa" is "Runa Selvik"); addresses without punctuation; identifiers without
    blanks."""
    data_type = as_value_type(kind).data_type
    if data_type is DataType.TEXT:
        return _bare(a) == _bare(b)
    if data_type is DataType.NAME:
        return _bare(a) == _bare(b) or _parts(a) == _parts(b)  # "Selvik, Runa" heads a list, "Runa Selvik" a letter
    if data_type is DataType.ADDRESS:
        return re.sub(r"\W+", " ", a.casefold()).strip() == re.sub(r"\W+", " ", b.casefold()).strip()
    if data_type is DataType.IDENTIFIER:
        return re.sub(r"[\s\-–]", "", a.casefold()) == re.sub(r"[\s\-–]", "", b.casefold())
    return a == b


def _bare(text: str) -> str:
    return re.sub(r"\s+", " ", text.casefold()).strip(" .,:;-–()[]\"'“”")


def _parts(name: str) -> list[str]:
    return sorted(re.findall(r"[^\W\d_]+", name.casefold()))


def value_shape(text: str) -> str:
    """The pattern of a text: digits → 9, capitals → A, small letters → a, runs of letters cut to three.

    `"NH-204 117"` → `"AA-999 999"`, `"Ingrid"` → `"Aaaa"`.
    """
    # Digits one by one, since their number tells identifiers apart; letters by runs, since names differ in length.
    shape = "".join(
        "9" if letter.isdigit() else "A" if letter.isupper() else "a" if letter.isalpha() else letter for letter in text
    )
    return re.sub(r"([Aa])\1{3,}", lambda run: run.group(1) * 3, shape)
