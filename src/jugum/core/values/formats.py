"""How a value is delivered: date patterns, decimals, letter case, characters let go."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from decimal import ROUND_HALF_EVEN, Decimal

from babel import Locale, UnknownLocaleError
from babel.dates import format_date

from jugum.core.values.contact import two_letters
from jugum.core.values.kinds import NUMERIC, DataType
from jugum.errors import InputError

CASES = ("", "upper", "lower", "title")
DECIMALS_MAX = 8  # more than any unit on papers has


@dataclass(frozen=True)
class OutputFormat:
    """An empty one delivers the normal form. `pattern`: of a date, as Unicode LDML writes it (`"dd.MM.yyyy"`), with
    month names of `locale`, or `"alpha-2"` for a country. `decimals`, `decimal_mark` and `thousands_mark`: of
    numbers. `case` and `strip` (characters to let go): of everything else."""

    pattern: str = ""
    locale: str = "en"
    decimals: int | None = None
    decimal_mark: str = "."
    thousands_mark: str = ""
    case: str = ""
    strip: str = ""

    def __post_init__(self) -> None:
        if self.case not in CASES:
            raise InputError(f"“{self.case}” is not a letter case. Choose upper, lower or title.")
        if self.decimals is not None and not 0 <= self.decimals <= DECIMALS_MAX:
            raise InputError(f"{self.decimals} decimal places are not possible; choose 0 to {DECIMALS_MAX}.")
        if self.decimal_mark not in (".", ",") or self.thousands_mark not in ("", " ", ".", ",", "'"):
            raise InputError("Decimal marks are . or , and thousands marks a blank, . , ' or none.")
        if self.decimal_mark == self.thousands_mark:
            raise InputError(f"Decimals and thousands can't both be marked by “{self.decimal_mark}”.")
        try:
            Locale.parse(self.locale)
        except (UnknownLocaleError, ValueError) as error:
            raise InputError(f"“{self.locale}” is not a known language. Write a code such as en, de or nb.") from error
        if self.pattern in ("", "alpha-2"):
            return
        try:
            format_date(date(2026, 2, 3), self.pattern, locale=self.locale)
        except (KeyError, ValueError, TypeError, AttributeError) as error:
            raise InputError(f"“{self.pattern}” is not a date pattern. Write it as dd.MM.yyyy or d MMMM y.") from error


def delivered(normal: str, data_type: DataType, output: OutputFormat) -> str:
    """A value's normal form as it is delivered: `"2025-04-03"` with `dd.MM.yyyy` → `"03.04.2025"`; `"1234.5"` with two
    decimals, comma and blank → `"1 234,50"`. What is no normal form goes out as it is."""
    if data_type is DataType.DATE and output.pattern:
        try:
            return format_date(date.fromisoformat(normal), output.pattern, locale=output.locale)
        except ValueError:
            return normal
    if data_type in NUMERIC:
        return _number(normal, output)
    if data_type is DataType.COUNTRY and output.pattern == "alpha-2":
        return two_letters(normal)
    if data_type is DataType.CHOICE:
        return normal
    plain = "".join(letter for letter in normal if letter not in output.strip)
    return {"upper": plain.upper(), "lower": plain.lower(), "title": plain.title()}.get(output.case, plain)


def _number(normal: str, output: OutputFormat) -> str:
    try:
        number = Decimal(normal)
    except ArithmeticError:
        return normal
    if output.decimals is not None:
        number = number.quantize(Decimal(1).scaleb(-output.decimals), rounding=ROUND_HALF_EVEN)
    whole, _, decimals = format(number, "f").partition(".")
    if output.thousands_mark:
        sign, digits = ("-", whole[1:]) if whole.startswith("-") else ("", whole)
        groups = [digits[max(0, end - 3) : end] for end in range(len(digits), 0, -3)]
        whole = sign + output.thousands_mark.join(reversed(groups))
    return whole + (output.decimal_mark + decimals if decimals else "")
