"""Writing machine-readable zones as ICAO 9303 lays them down (parts 3 to 5), with their check digits."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True)
class Holder:
    """Who an identity paper is about. `sex` is M, F or <."""

    family: str
    given: str
    born: date
    sex: str
    number: str
    expires: date
    country: str = "UTO"
    personal: str = ""


def check_digit(text: str) -> str:
    """Weights 7, 3, 1 over digits, A = 10 … Z = 35, < = 0, modulo 10: "520727" → "3". Written apart from the reader's
    own, so that a fault there is not in the truth as well."""
    values = (0 if c == "<" else int(c) if c.isdigit() else ord(c) - 55 for c in text)
    return str(sum(value * (7, 3, 1)[place % 3] for place, value in enumerate(values)) % 10)


def _name(holder: Holder, length: int) -> str:
    text = f"{holder.family}<<{holder.given}".upper().replace(" ", "<").replace("-", "<").replace("'", "")
    return text[:length].ljust(length, "<")


def passport_zone(holder: Holder) -> tuple[str, str]:
    """TD3: two lines of 44."""
    number = holder.number.ljust(9, "<")
    born, expires = f"{holder.born:%y%m%d}", f"{holder.expires:%y%m%d}"
    personal = holder.personal.ljust(14, "<")
    body = number + check_digit(number) + holder.country + born + check_digit(born) + holder.sex
    body += expires + check_digit(expires) + personal + (check_digit(personal) if holder.personal else "<")
    whole = body[0:10] + body[13:20] + body[21:43]
    return f"P<{holder.country}" + _name(holder, 39), body + check_digit(whole)


def card_zone(holder: Holder) -> tuple[str, str, str]:
    """TD1: three lines of 30."""
    number = holder.number.ljust(9, "<")
    born, expires = f"{holder.born:%y%m%d}", f"{holder.expires:%y%m%d}"
    first = f"I<{holder.country}{number}{check_digit(number)}".ljust(30, "<")
    second = f"{born}{check_digit(born)}{holder.sex}{expires}{check_digit(expires)}{holder.country}".ljust(29, "<")
    whole = first[5:30] + second[0:7] + second[8:15] + second[18:29]
    return first, second + check_digit(whole), _name(holder, 30)


def sheet_zone(holder: Holder) -> tuple[str, str]:
    """TD2: two lines of 36."""
    number = holder.number.ljust(9, "<")
    born, expires = f"{holder.born:%y%m%d}", f"{holder.expires:%y%m%d}"
    body = number + check_digit(number) + holder.country + born + check_digit(born) + holder.sex
    body += expires + check_digit(expires) + holder.personal.ljust(7, "<")[:7]
    whole = body[0:10] + body[13:20] + body[21:35]
    return f"I<{holder.country}" + _name(holder, 31), body + check_digit(whole)
