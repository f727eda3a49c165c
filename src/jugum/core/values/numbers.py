"""Numbers and sums of money as they are printed in many countries."""

from __future__ import annotations

import re
from decimal import Decimal, InvalidOperation
from functools import cache

from babel.numbers import get_currency_name, list_currencies

from jugum.core.values.slips import mend_digits
from jugum.core.values.units import has_unit

_MINUS = "-−–—"  # ASCII hyphen, minus sign, en and em dash
_BLANKS = "\u00a0\u2009\u202f'’"
_CURRENCY_SIGNS = "€$£¥₤₣₽₴₹₺₩"
_CURRENCIES = "EUR USD GBP CHF SEK NOK DKK ISK PLN CZK HUF JPY CNY INR TRY AUD CAD NZD ZAR BRL MXN".split()
_SHORT_NAMES = frozenset("kr fr sfr zł kč ft lei rs rm mk cts cr".split())
_CURRENCY_LOCALES = ("en", "de", "fr", "es", "it", "pt", "nl", "da", "nb", "sv", "fi", "pl", "cs")
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
_MISREAD_MARK = re.compile(r"(?<=\d)[°*\"`´](?=\d{3}(?!\d))")  # of thousands: an apostrophe that scans blur
_PERCENT = re.compile(r"\s*(%|‰|per\s*cent|percent|pct\.?|p\.?\s?c\.|per\s*mille)\s*$", re.IGNORECASE)
_THREES = re.compile(r"^\d{1,3}(?:(?P<mark>[., ])\d{3})(?:(?P=mark)\d{3})*$")
# Thousands in India: twos before the last three.
_TWOS = re.compile(r"^\d{1,2}(?:,\d{2})+,\d{3}$")


def parse_number(text: str) -> Decimal | None:
    """A printed number as a Decimal, or None: `"1 234,50"`, `"1.234,50"`, `"1,234.5"`, `"(12)"`, `"12-"`.

    A single mark before exactly three digits is read as a thousands mark when it is a blank or apostrophe, and as
    one too for `.` and `,` when more groups follow; a lone `1.234` or `1,234` is a thousand (amounts with three
    decimals are rare on office papers), unless it begins with `0`.
    """
    cleaned = _blanks_plain(mend_digits(text.strip().strip(":;*").strip()))
    match = re.match(
        rf"^(?P<open>\()?\s*(?P<sign>[{_MINUS}+])?\s*(?P<digits>\d[\d.,\s]*?)\s*(?P<trail>[{_MINUS}])?\s*(?P<close>\))?$",
        cleaned,
    )
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    return _signed(_digits(match["digits"]), negative=_is_minus(match["sign"]) or bool(match["trail"] or match["open"]))


def _blanks_plain(text: str) -> str:
    """The text with every mark of thousands that is a blank or apostrophe, or was read as a like mark, as a blank."""
    return "".join(" " if letter in _BLANKS else letter for letter in _MISREAD_MARK.sub(" ", text))


def parse_money(text: str) -> Decimal | None:
    """A printed sum of money as a Decimal, or None; currency signs and words around it are let go; a number with
    a unit ("30 km") is no sum of money.

    `"kr 31 450,00"` → 31450.00, `"(1,234.50)"` → −1234.50, `"1.200,-"` → 1200, `"EUR 12.5"` → 12.5.
    """
    cleaned = _blanks_plain(text.strip().strip(":;*").strip())
    if has_unit(cleaned):
        return None
    cleaned = _without_currency_words(cleaned)
    match = _MONEY.match(cleaned) or _MONEY.match(mend_digits(cleaned))
    if match is None or bool(match["open"]) != bool(match["close"]):
        return None
    if match["trail"] and match["dash"]:
        return None
    negative = any(_is_minus(match[name]) for name in ("sign1", "sign2")) or bool(match["trail"] or match["open"])
    return _signed(_digits(match["digits"]), negative=negative)


def names_currency(text: str) -> bool:
    """Whether a sign, an ISO 4217 code or a usual short name of a currency stands in a text: "EUR 12", "12 kr", "€ 12";
    "RX 72977" names none, though a sum of money it could be."""
    if any(sign in text for sign in _CURRENCY_SIGNS):
        return True
    words = re.findall(r"[^\W\d_]+", text)
    return any(word.lower() in _SHORT_NAMES or word in _currency_codes() for word in words) or any(
        word.lower() in _currency_words() for word in words
    )


@cache
def _currency_codes() -> frozenset[str]:
    return frozenset(list_currencies())


@cache
def _currency_words() -> frozenset[str]:
    """ "crowns", "norwegian krone", "euros" in the known languages: whole names, and their last words."""
    names = {"crown", "crowns", "kroner", "kronor", "quid", "sterling"}
    for locale in _CURRENCY_LOCALES:
        for code in _CURRENCIES:
            for count in (1, 2, 5):
                name = get_currency_name(code, count=count, locale=locale).lower()
                names |= {name, name.split()[-1], name.split()[0]}
    return frozenset(name for name in names if len(name) > 2)


_WORDS = r"([^\W\d_]{3,}(?:\s[^\W\d_]{3,})?)?"  # one or two words, if any
_AROUND = re.compile(rf"^{_WORDS}(.*?){_WORDS}\.?$", re.DOTALL)


def _without_currency_words(text: str) -> str:
    """ "12,50 Norwegian kroner" → "12,50"; words that name no currency stay, and make it no money."""
    around = _AROUND.match(text)
    if around is None:
        return text
    before, digits, after = around.groups()
    for words in (before, after):
        if words and words.lower() not in _currency_words():
            return text
    return digits.strip() if before or after else text


def parse_percent(text: str) -> Decimal | None:
    """A printed share in per cent: `"12,5 %"` → 12.5, `"4 per cent"` → 4, `"3 ‰"` → 0.3; a bare number is per cent
    too."""
    sign = _PERCENT.search(text.strip().strip(":;*"))
    number = parse_number(_PERCENT.sub("", text.strip().strip(":;*")))
    if number is None:
        return None
    return number / 10 if sign and sign[1].lower().replace(" ", "") in ("‰", "permille") else number


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
