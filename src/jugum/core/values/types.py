"""The data types, and the one string form (normal form) that values of each are compared and delivered in."""

from __future__ import annotations

import re
import unicodedata
from enum import StrEnum

from jugum.core.values.dates import parse_date
from jugum.core.values.numbers import parse_money, parse_number


class DataType(StrEnum):
    TEXT = "text"
    DATE = "date"
    MONEY = "money"
    NUMBER = "number"


def normal_form(text: str, data_type: DataType) -> str | None:
    """What `text` says in the data type's normal form; None when it can't be read as one.

    Dates are ISO 8601 (`"2025-04-03"`); money has two decimals or more (`"-8912.50"`); numbers have no idle zeros
    (`"162.5"`); text has single blanks, Unicode NFC, and no marks around it.
    """
    if data_type is DataType.DATE:
        day = parse_date(text)
        return day.isoformat() if day else None
    if data_type is DataType.MONEY:
        amount = parse_money(text)
        if amount is None:
            return None
        amount = abs(amount) if amount == 0 else amount
        exponent = amount.as_tuple().exponent
        return f"{amount:.2f}" if isinstance(exponent, int) and exponent > -2 else format(amount, "f")
    if data_type is DataType.NUMBER:
        number = parse_number(text)
        if number is None:
            return None
        plain = format(number, "f")
        plain = plain.rstrip("0").rstrip(".") if "." in plain else plain
        return "0" if plain in ("-0", "") else plain
    cleaned = re.sub(r"\s+", " ", unicodedata.normalize("NFC", text)).strip()
    stripped = cleaned.strip(" :;,|_*•·…") or cleaned
    return stripped or None


def same_value(a: str, b: str, data_type: DataType) -> bool:
    """Whether two normal forms say the same; text is compared without case and outer punctuation."""
    if data_type is DataType.TEXT:
        return _bare(a) == _bare(b)
    return a == b


def _bare(text: str) -> str:
    return re.sub(r"\s+", " ", text.casefold()).strip(" .,:;-–()[]\"'“”")


def value_shape(text: str) -> str:
    """The pattern of a text: digits → 9, capitals → A, small letters → a, runs of letters cut to three.

    `"NH-204 117"` → `"AA-999 999"`, `"Ingrid"` → `"Aaaa"`.
    """
    shape = "".join(
        "9" if letter.isdigit() else "A" if letter.isupper() else "a" if letter.isalpha() else letter for letter in text
    )
    return re.sub(r"([Aa])\1{3,}", lambda run: run.group(1) * 3, shape)
