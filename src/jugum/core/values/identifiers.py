"""Identifiers: with patterns, and check digits (python-stdnum where it knows them)."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from stdnum import bic, damm, ean, iban, imei, isbn, isin, lei, luhn, verhoeff
from stdnum.iso7064 import mod_11_2, mod_11_10, mod_37_2, mod_37_36, mod_97_10

from jugum.core.structure.zones import check_value
from jugum.core.values.patterns import matches
from jugum.core.values.slips import mend_digits
from jugum.errors import InputError


def _icao(text: str) -> bool:
    return len(text) > 1 and text[-1].isdigit() and check_value(text[:-1].upper()) == int(text[-1])


CHECK_DIGITS: dict[str, Callable[[str], Any]] = {
    "luhn": luhn.is_valid,
    "mod 97-10": mod_97_10.is_valid,
    "mod 11-2": mod_11_2.is_valid,
    "mod 11-10": mod_11_10.is_valid,
    "mod 37-2": mod_37_2.is_valid,
    "mod 37-36": mod_37_36.is_valid,
    "verhoeff": verhoeff.is_valid,
    "damm": damm.is_valid,
    "iban": iban.is_valid,
    "bic": bic.is_valid,
    "ean": ean.is_valid,
    "isbn": isbn.is_valid,
    "isin": isin.is_valid,
    "imei": imei.is_valid,
    "lei": lei.is_valid,
    "icao 9303": _icao,
}
_WEIGHTED = re.compile(r"^weights?((?:\s+\d{1,2})+)\s+mod\s+(\d{1,2})$")


def check_digit_agrees(text: str, method: str) -> bool:
    """Whether an identifier's check digit is right, blanks and hyphens aside. `method` is a name in CHECK_DIGITS, or
    `"weights 3 7 6 1 8 9 4 5 2 mod 11"`: digits times weights from the left, summed; sum plus check digit is a
    multiple of the modulus. InputError for an unknown method."""
    check_method(method)
    plain = re.sub(r"[\s\-–./]", "", text)
    weighted = _WEIGHTED.match(method)
    if weighted is None:
        return bool(CHECK_DIGITS[method](plain))
    weights = [int(weight) for weight in weighted[1].split()]
    if not plain.isdigit() or len(plain) != len(weights) + 1:
        return False
    total = sum(int(digit) * weight for digit, weight in zip(plain, weights, strict=False))
    return (total + int(plain[-1])) % int(weighted[2]) == 0


def check_method(method: str) -> None:
    """InputError when there is no such way of making check digits."""
    weighted = _WEIGHTED.match(method)
    if method not in CHECK_DIGITS and (weighted is None or int(weighted[2]) < 2):
        known = ", ".join(CHECK_DIGITS)
        raise InputError(
            f"“{method}” is not a known check digit. Choose {known}, or write weights such as “weights 3 7 1 mod 10”."
        )


def parse_identifier(text: str, pattern: str) -> str | None:
    """The identifier in a text: single blanks, no marks around it, nor the full stop of a sentence behind it; with a
    pattern, the first spelling that fits of the text as it is, without a stop, without blanks, and with letters that
    look alike made digits. None when none fits or it holds no letter or digit."""
    plain = re.sub(r"\s+", " ", text).strip().strip(":;,|_*•·…").strip()
    if not any(map(str.isalnum, plain)):
        return None
    bare = plain.rstrip(" .")
    if not pattern:
        return bare
    spellings = dict.fromkeys(
        spelling
        for its in (plain, bare)
        for spelling in (its, its.replace(" ", ""), mend_digits(its), mend_digits(its).replace(" ", ""))
    )
    return next((spelling for spelling in spellings if matches(pattern, spelling)), None)
