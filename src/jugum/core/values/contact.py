"""Phones, e-mail addresses, postal addresses, countries."""

from __future__ import annotations

import re
from functools import cache

import phonenumbers
import pycountry
from babel import Locale

from jugum.core.values.dates import LOCALES

_EMAIL = re.compile(r"^[a-z0-9!#$%&'*+/=?^_`{|}~.-]+@(?:[a-z0-9](?:[a-z0-9-]*[a-z0-9])?\.)+[a-z]{2,}$")
_PHONE = re.compile(r"^\+?[\d\s()./\-–]{6,24}$")
# Codes of ICAO 9303-3 section 5 that ISO 3166-1 does not have.
_ICAO_CODES = ("UTO", "GBD", "GBN", "GBO", "GBP", "GBS", "EUE", "UNO", "UNA", "UNK", "XXA", "XXB", "XXC", "XXX", "RKS")


def parse_phone(text: str, region: str) -> str | None:
    """A phone number: E.164 where its country is known (`+44 20 7946 0018`, or dialled within `region`, two letters),
    else its digits. None when it is no phone number."""
    plain = text.strip().strip(":;,*").strip()
    if not _PHONE.match(plain) or not 6 <= sum(map(str.isdigit, plain)) <= 15:
        return None
    if plain.startswith(("+", "00")) or region:
        try:
            parsed = phonenumbers.parse(re.sub(r"^00", "+", plain), region or None)
        except phonenumbers.NumberParseException:
            return None
        if phonenumbers.is_possible_number(parsed):
            return phonenumbers.format_number(parsed, phonenumbers.PhoneNumberFormat.E164)
        return None
    return re.sub(r"\D", "", plain)


def parse_email(text: str) -> str | None:
    """An e-mail address in small letters, or None; blanks that OCR put around "@" and dots are let go."""
    plain = re.sub(r"\s*([@.])\s*", r"\1", text.strip().strip(":;,<>()[]")).lower().rstrip(".")
    return plain if _EMAIL.match(plain) and ".." not in plain else None


def parse_address(text: str) -> str | None:
    """A postal address as its lines joined by ", "; None without letters."""
    lines = [re.sub(r"\s+", " ", line).strip(" ,;|") for line in re.split(r"[\n\r]+|\s·\s", text)]
    joined = ", ".join(line for line in lines if line)
    return joined if sum(map(str.isalpha, joined)) >= 3 else None


@cache
def _country_names() -> dict[str, str]:
    """Names in all known languages and two- and three-letter codes, lower case → three-letter code."""
    three = {country.alpha_2: country.alpha_3 for country in pycountry.countries}
    names = {code.lower(): code for code in (*three.values(), *_ICAO_CODES)}
    names |= {two.lower(): code for two, code in three.items()}
    for locale in LOCALES:
        for two, name in Locale(locale).territories.items():
            if two in three:
                names.setdefault(name.lower(), three[two])
    return names


def parse_country(text: str) -> str | None:
    """A country's three-letter code (ISO 3166-1 alpha-3, and those of ICAO 9303-3): `"Sweden"`, `"Schweden"`, `"SE"`
    → SWE; `"D"` and `"D<<"` → DEU. None when no country is named."""
    plain = re.sub(r"\s+", " ", text.strip().strip(".,:;()<").strip()).lower()
    return "DEU" if plain == "d" else _country_names().get(plain)


def two_letters(code: str) -> str:
    """The two-letter code of a three-letter one; codes that have none stay."""
    country = pycountry.countries.get(alpha_3=code)
    return str(country.alpha_2) if country else code
