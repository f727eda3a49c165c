"""Numbers and sums of money as they are printed in many countries."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation

from jugum.core.values.slips import mend_digits

_MINUS = "-−–—"  # ASCII hyphen, minus sign, en and em dash
_BLANKS = "\u00a0\u2009\u202f'’"
_CURRENCY_SIGNS = "€$£¥₤₣₽₴₹₺₩"
# A word of at most four letters before or behind the digits, or a sign: kr, EUR, CHF, kr., USD, Fr.
_CURRENCY = (
    rf"(?:[{_CURRENCY_SIGNS}]|(?:[RFKP]|[A-Za-zÅÄÖÆØåäöæøčłń]{{2,4}})\.?|[A-Z]{{1,2}}[{_CURRENCY_SIGNS}]"
    r"|crowns?|euros?|dollars?|pounds?)"
)
_MONEY = re.compile(
    rf"^(?P<open>\()?\s*(?P<sign1>[{_MINUS}+])?\s*(?P<before>{_CURRENCY})?\s*(?P<sign2>[{_MINUS}+])?\s*"
    rf"(?P<digits>\d[\d.,\s]*?)(?P<dash>,[{_MINUS}]{{1,2}}|\.[{_MINUS}]{{1,2}})?\s*(?P<after>{_CURRENCY})?\s*"
    rf"(?P<trail>[{_MINUS}])?\s*(?P<close>\))?\s*(?P<side>CR|DR|Cr|Dr)?$"
)
_THREES = re.compile(r"^\d{1,3}(?:(?P<mark>[., ])\d{3})(?:(?P=mark)\d{3})*$")
# Thousands in India: twos before the last three.
_TWOS = re.compile(r"^\d{1,2}(?:,\d{2})+,\d{3}$")


def parse_number(text: str) -> Decimal | None:
    """A printed number as a Decimal, or None: `"1 234,50"`, `"1.234,50"`, `"1,234.5"`, `"(12)"`, `"12-"`.

    A single mark before exactly three digits is read as a thousands mark when it is a blank or apostrophe, and as
    one too for `.` and `,` when more groups follow; a lone `1.234` or `1,234` is a thousand (amounts with three
    decimals are rare on office papers), unless it begins with `0`.
    """
    cleaned = "".join(" " if letter in _BLANKS else letter for letter in mend_digits(text.strip().strip(":;*").strip()))
    match = re.match(
        rf"^(?P<open>\()?\s*(?P<sign>[{_MINUS}+])?\s*(?P<digits>\d[\d.,\s]*?)\s*(?P<trail>[{_MINUS}])?\s*(?P<close>\))?$",
        cleaned,
    )
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    return _signed(_digits(match["digits"]), negative=_is_minus(match["sign"]) or bool(match["trail"] or match["open"]))


def parse_money(text: str) -> Decimal | None:
    """A printed sum of money as a Decimal, or None; currency signs and words around it are let go.

    `"kr 31 450,00"` → 31450.00, `"(1,234.50)"` → −1234.50, `"1.200,-"` → 1200, `"EUR 12.5"` → 12.5.
    """
    cleaned = "".join(" " if letter in _BLANKS else letter for letter in text.strip().strip(":;*").strip())
    match = _MONEY.match(cleaned) or _MONEY.match(mend_digits(cleaned))
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    if match["trail"] and match["dash"]:
        return None
    negative = any(_is_minus(match[name]) for name in ("sign1", "sign2")) or bool(match["trail"] or match["open"])
    return _signed(_digits(match["digits"]), negative=negative)


def _is_minus(sign: str | None) -> bool:
    return sign is not None and sign in _MINUS


def _signed(number: Decimal | None, *, negative: bool) -> Decimal | None:
    if number is None:
        return None
    return -number if negative else number


def _digits(text: str) -> Decimal | None:
    """Digits with marks → Decimal, or None when the groups don't fit any way of writing numbers."""
    text = re.sub(r"\s+", " ", text.strip())
    text = re.sub(r"\s*([.,])\s*", r"\1", text)  # OCR tears "1 234 ,50"
    if text.endswith((".", ",")):
        text = text[:-1]
    whole, decimals = _split_decimals(text)
    if not (whole.isdigit() or _THREES.match(whole) or _TWOS.match(whole)):
        return None
    try:
        return Decimal(re.sub(r"\D", "", whole) + (f".{decimals}" if decimals else ""))
    except InvalidOperation:
        return None


def _split_decimals(text: str) -> tuple[str, str]:
    """Cut at the decimal mark: the last mark, when it occurs once and differs from any thousands mark."""
    marks = [letter for letter in text if letter in ".,"]
    if not marks:
        return text, ""
    whole, _, tail = text.rpartition(marks[-1])
    if not tail.isdigit() or marks.count(marks[-1]) > 1:
        return text, ""
    if len(marks) == 1 and len(tail) == 3 and " " not in whole and 1 <= len(whole) <= 3 and whole != "0":
        return text, ""
    return whole, tail
