"""The many spellings of values, each with its normal form: at least sixty of dates and sixty of money, and the other
types."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.values import (
    DataType,
    Option,
    OutputFormat,
    ValueType,
    check_digit_agrees,
    date_order,
    delivered,
    normal_form,
    parse_date,
    same_value,
)
from jugum.core.values.numbers import parse_money
from jugum.core.values.spelled import parse_spelled
from jugum.errors import InputError

DATES = {
    "03.04.2025": "2025-04-03",
    "3.4.2025": "2025-04-03",
    "03/04/2025": "2025-04-03",
    "03-04-2025": "2025-04-03",
    "2025-04-03": "2025-04-03",
    "2025/4/3": "2025-04-03",
    "2025.04.03": "2025-04-03",
    "20250403": "2025-04-03",
    "03.04.25": "2025-04-03",
    "3/4/25": "2025-04-03",
    "13/04/2025": "2025-04-13",
    "04/13/2025": "2025-04-13",
    "31.12.99": "1999-12-31",
    "01.01.50": "1950-01-01",
    "01.01.49": "2049-01-01",
    "03. 04. 2025": "2025-04-03",
    "03 . 04 . 2025": "2025-04-03",
    "03–04–2025": "2025-04-03",
    "O3.O4.2O25": "2025-04-03",
    "l2.04.2025": "2025-04-12",
    "(03.04.2025)": "2025-04-03",
    "03.04.2025,": "2025-04-03",
    "03.04.2025.": "2025-04-03",
    ": 03.04.2025": "2025-04-03",
    "4 March 2025": "2025-03-04",
    "4. March 2025": "2025-03-04",
    "04 Mar 2025": "2025-03-04",
    "4-Mar-25": "2025-03-04",
    "4 Mar. 2025": "2025-03-04",
    "March 4, 2025": "2025-03-04",
    "March 4th, 2025": "2025-03-04",
    "Mar 4, 25": "2025-03-04",
    "4th March 2025": "2025-03-04",
    "the 4th of March 2025": "2025-03-04",
    "the 4th day of March, 2025": "2025-03-04",
    "2025 March 4": "2025-03-04",
    "Tuesday, 4 March 2025": "2025-03-04",
    "Tue 4 Mar 2025": "2025-03-04",
    "4 MARCH 2025": "2025-03-04",
    "4 Sept 2025": "2025-09-04",
    "4. mars 2025": "2025-03-04",
    "4. März 2025": "2025-03-04",
    "4 mars 2025": "2025-03-04",
    "1er mars 2025": "2025-03-01",
    "4 de marzo de 2025": "2025-03-04",
    "4 marzo 2025": "2025-03-04",
    "4 maart 2025": "2025-03-04",
    "4 de março de 2025": "2025-03-04",
    "4. marts 2025": "2025-03-04",
    "4 maaliskuuta 2025": "2025-03-04",
    "4 marca 2025": "2025-03-04",
    "4. března 2025": "2025-03-04",
    "Dienstag, den 4. März 2025": "2025-03-04",
    "24. Dez. 2025": "2025-12-24",
    "the third day of March, 2025": "2025-03-03",
    "third of March 2025": "2025-03-03",
    "March the third, 2025": "2025-03-03",
    "this 3rd day of March 2025": "2025-03-03",
    "twenty-first of May 2024": "2024-05-21",
    "the thirty-first day of December, 2025": "2025-12-31",
    "the 5th day of June in the year 2026": "2026-06-05",
    "the third of March, two thousand and twenty-five": "2025-03-03",
    "March third, twenty twenty-six": "2026-03-03",
    "29.02.2024": "2024-02-29",
}
NO_DATES = (
    "31.02.2025",
    "29.02.2025",
    "00.04.2025",
    "12345",
    "2025",
    "4 Smarch 2025",
    "next Tuesday",
    "03.04",
    "the third of May",
    "4 5 March 2025",
)

MONEY = {
    "1234.50": "1234.50",
    "1234,50": "1234.50",
    "1,234.50": "1234.50",
    "1.234,50": "1234.50",
    "1 234,50": "1234.50",
    "1 234.50": "1234.50",
    "1'234.50": "1234.50",
    "1°234.50": "1234.50",
    "1’234.50": "1234.50",
    "1\u00a0234,50": "1234.50",
    "1\u202f234,50": "1234.50",
    "1.234.567,89": "1234567.89",
    "1,234,567.89": "1234567.89",
    "1 234 567,89": "1234567.89",
    "12,34,567.89": "1234567.89",
    "1.234": "1234.00",
    "1,234": "1234.00",
    "1 234": "1234.00",
    "0,50": "0.50",
    "0.5": "0.50",
    ".": None,
    "12": "12.00",
    "12,5": "12.50",
    "1.200,-": "1200.00",
    "1.200,--": "1200.00",
    "1 200.-": "1200.00",
    "-12,50": "-12.50",
    "−12,50": "-12.50",
    "–12,50": "-12.50",
    "12,50-": "-12.50",
    "12,50−": "-12.50",
    "(12,50)": "-12.50",
    "(1,234.50)": "-1234.50",
    "+12,50": "12.50",
    "kr 31 450,00": "31450.00",
    "31 450,00 kr": "31450.00",
    "31 450,00 kr.": "31450.00",
    "kr. 31.450,00": "31450.00",
    "€ 12,50": "12.50",
    "12,50 €": "12.50",
    "€12.50": "12.50",
    "$1,234.50": "1234.50",
    "US$ 12": "12.00",
    "£1,234": "1234.00",
    "EUR 1.234,50": "1234.50",
    "1.234,50 EUR": "1234.50",
    "CHF 1'234.50": "1234.50",
    "Fr. 1'234.50": "1234.50",
    "SEK 1 234": "1234.00",
    "12.50 USD": "12.50",
    "12,50 euros": "12.50",
    "12 crowns": "12.00",
    "crowns 12": "12.00",
    "12,50 Norwegian kroner": "12.50",
    "3 412 kroner": "3412.00",
    "12 Euro": "12.00",
    "12 dollars": "12.00",
    "-kr 12,50": "-12.50",
    "kr -12,50": "-12.50",
    "€ -1.234,50": "-1234.50",
    "(€ 12,50)": "-12.50",
    "1 234 ,50": "1234.50",
    "1. 234,50": "1234.50",
    "l2,5O": "12.50",
    "1 O00,00": "1000.00",
    "12,50:": "12.50",
    "*12,50*": "12.50",
}


def test_the_tables_are_long_enough() -> None:
    assert len(DATES) >= 60
    assert len(MONEY) >= 60


@pytest.mark.parametrize(("printed", "normal"), DATES.items())
def test_dates(printed: str, normal: str) -> None:
    assert normal_form(printed, DataType.DATE) == normal


@pytest.mark.parametrize("printed", NO_DATES)
def test_what_is_no_date(printed: str) -> None:
    assert normal_form(printed, DataType.DATE) is None


@pytest.mark.parametrize(("printed", "normal"), MONEY.items())
def test_money(printed: str, normal: str | None) -> None:
    assert normal_form(printed, DataType.MONEY) == normal


@pytest.mark.parametrize("printed", ["12 apples", "twelve", "1.23.4", "12 34", "kr", "a12", "1,2,3"])
def test_what_is_no_money(printed: str) -> None:
    assert parse_money(printed) is None


@pytest.mark.parametrize(
    ("printed", "kind", "normal"),
    [
        ("12,5 %", DataType.PERCENT, "12.5"),
        ("4 per cent", DataType.PERCENT, "4"),
        ("3 ‰", DataType.PERCENT, "0.3"),
        ("−2.5%", DataType.PERCENT, "-2.5"),
        ("7 pct.", DataType.PERCENT, "7"),
        ("half", DataType.PERCENT, None),
        ("twenty-four", DataType.SPELLED, "24"),
        ("one hundred and twenty-four", DataType.SPELLED, "124"),
        ("two thousand three hundred", DataType.SPELLED, "2300"),
        ("five (5)", DataType.SPELLED, "5"),
        ("12", DataType.SPELLED, "12"),
        ("five (6)", DataType.SPELLED, None),
        ("two three", DataType.SPELLED, None),
        ("a hundred dogs", DataType.SPELLED, None),
        ("+46 8 123 456 78", DataType.PHONE, "+46812345678"),
        ("0046 8 123 456 78", DataType.PHONE, "+46812345678"),
        ("08-123 456 78", DataType.PHONE, "0812345678"),
        ("12", DataType.PHONE, None),
        ("extension", DataType.PHONE, None),
        ("Merith.Lindfoss@Example.ORG", DataType.EMAIL, "merith.lindfoss@example.org"),
        ("a @ b . org", DataType.EMAIL, "a@b.org"),
        ("<a@b.org>", DataType.EMAIL, "a@b.org"),
        ("a@b", DataType.EMAIL, None),
        ("a..b@c.org", DataType.EMAIL, None),
        ("3 Old Quay\nOstmark", DataType.ADDRESS, "3 Old Quay, Ostmark"),
        ("12", DataType.ADDRESS, None),
        ("Sweden", DataType.COUNTRY, "SWE"),
        ("Schweden", DataType.COUNTRY, "SWE"),
        ("se", DataType.COUNTRY, "SWE"),
        ("UTO", DataType.COUNTRY, "UTO"),
        ("D<<", DataType.COUNTRY, "DEU"),
        ("Atlantis", DataType.COUNTRY, None),
        ("☒", DataType.TICK, "yes"),
        ("empty", DataType.TICK, "no"),
        ("perhaps", DataType.TICK, None),
        ("signed", DataType.SIGNATURE, "yes"),
        ("Runa  Selvik:", DataType.NAME, "Runa Selvik"),
        ("123", DataType.NAME, None),
    ],
)
def test_other_types(printed: str, kind: DataType, normal: str | None) -> None:
    assert normal_form(printed, kind) == normal


def test_phones_are_dialled_from_somewhere_when_that_is_said() -> None:
    assert normal_form("08-123 456 78", ValueType(DataType.PHONE, region="SE")) == "+46812345678"


def test_identifiers_keep_to_their_pattern_and_forgive_the_reader() -> None:
    kind = ValueType(DataType.IDENTIFIER, pattern=r"\d{6}-\d{4}")
    assert normal_form("O6l088-4076", kind) == "061088-4076"
    assert normal_form("061088 -4076", kind) == "061088-4076"
    assert normal_form("061088-40767", kind) is None


def test_choices_are_known_by_any_of_their_spellings_and_a_slip() -> None:
    kind = ValueType(DataType.CHOICE, options=(Option("single"), Option("married", ("married or partners", "gift"))))
    assert [normal_form(text, kind) for text in ("Single", "married or partnors", "gift", "widowed")] == [
        "single",
        "married",
        "married",
        None,
    ]


def test_names_are_the_same_in_any_order_and_other_names_are_not() -> None:
    assert same_value("Selvik, Runa", "Runa Selvik", DataType.NAME)
    assert not same_value("Runa Selvik", "Runa Selvig", DataType.NAME)
    assert not same_value("Selvik, Runa", "Runa Selvik", DataType.TEXT)


def test_the_order_of_day_and_month_is_told_by_the_dates_that_leave_no_doubt() -> None:
    told = date_order(["13/04/2025", "03/04/2025", "05/05/2025", "2025-04-03", "no date"])
    assert (told.day_first, told.month_first, told.either, told.is_month_first, told.ambiguous) == (
        1,
        0,
        1,
        False,
        False,
    )
    assert date_order(["04/13/2025", "03/04/2025"]).is_month_first
    assert date_order(["04/13/2025", "03/04/2025"]).of_paper is True
    assert date_order(["13/04/2025", "03/04/2025"]).of_paper is False
    assert date_order(["03/04/2025", "13/04/2025", "04/13/2025"]).of_paper is None  # they contradict each other
    assert date_order(["03/04/2025"]).of_paper is None
    assert date_order(["03/04/2025"]).ambiguous
    assert date_order(["13/04/2025", "04/13/2025", "03/04/2025"]).ambiguous


@pytest.mark.parametrize(
    ("text", "method", "right"),
    [
        ("4539 1488 0343 6467", "luhn", True),
        ("4539 1488 0343 6468", "luhn", False),
        ("GB82 WEST 1234 5698 7654 32", "iban", True),
        ("061088-4076", "weights 3 7 6 1 8 9 4 5 2 mod 11", True),
        ("061088-4077", "weights 3 7 6 1 8 9 4 5 2 mod 11", False),
        ("5207273", "icao 9303", True),
        ("L898902C36", "icao 9303", True),
        ("L898902C37", "icao 9303", False),
        ("2363", "verhoeff", True),
        ("5724", "damm", True),
        ("9780306406157", "isbn", True),
        ("12", "weights 3 7 mod 11", False),
    ],
)
def test_check_digits(text: str, method: str, right: bool) -> None:
    assert check_digit_agrees(text, method) is right


def test_an_unknown_check_digit_is_told() -> None:
    with pytest.raises(InputError, match="not a known check digit"):
        check_digit_agrees("12", "of my own")


days = st.dates(date(1950, 1, 1), date(2049, 12, 31))
PATTERNS = ("dd.MM.yyyy", "d.M.yy", "yyyy-MM-dd", "d MMMM y", "MMMM d, y", "EEEE, d MMMM y", "d MMM y")


@given(days, st.sampled_from(PATTERNS), st.sampled_from(["en", "de", "nb", "fr"]))
def test_a_delivered_date_reads_back(day: date, pattern: str, locale: str) -> None:
    text = delivered(day.isoformat(), DataType.DATE, OutputFormat(pattern=pattern, locale=locale))
    assert parse_date(text) == day


@given(
    st.decimals(-(10**9), 10**9, places=2), st.sampled_from([(".", ","), (",", "."), (",", " "), (".", "'"), (".", "")])
)
def test_a_delivered_amount_reads_back(amount: Decimal, marks: tuple[str, str]) -> None:
    normal = normal_form(str(amount), DataType.MONEY)
    assert normal is not None
    written = delivered(
        normal, DataType.MONEY, OutputFormat(decimals=2, decimal_mark=marks[0], thousands_mark=marks[1])
    )  # type: ignore[arg-type]
    assert normal_form(written, DataType.MONEY) == normal


@given(st.integers(0, 999_999))
def test_numbers_in_words_read_back(number: int) -> None:
    assert parse_spelled(_in_words(number)) == number


def _in_words(number: int) -> str:
    """Written apart from the reader: how English says a number below a million."""
    ones = "zero one two three four five six seven eight nine ten eleven twelve thirteen fourteen fifteen sixteen seventeen eighteen nineteen".split()
    tens = "_ _ twenty thirty forty fifty sixty seventy eighty ninety".split()
    if number < 20:
        return ones[number]
    if number < 100:
        return tens[number // 10] + (f"-{ones[number % 10]}" if number % 10 else "")
    if number < 1000:
        return f"{ones[number // 100]} hundred" + (f" and {_in_words(number % 100)}" if number % 100 else "")
    return f"{_in_words(number // 1000)} thousand" + (f" {_in_words(number % 1000)}" if number % 1000 else "")


@given(st.text(max_size=40), st.sampled_from(list(DataType)))
def test_no_text_breaks_a_reader_and_normal_forms_are_steady(text: str, kind: DataType) -> None:
    normal = normal_form(text, kind)
    if normal is not None and kind not in (DataType.ADDRESS, DataType.TEXT, DataType.NAME, DataType.IDENTIFIER):
        assert normal_form(normal, kind) == normal


def test_formats_that_contradict_themselves_are_refused() -> None:
    for wrong in (
        {"case": "shouted"},
        {"decimals": 12},
        {"decimal_mark": ",", "thousands_mark": ","},
        {"locale": "zz-zz"},
    ):
        with pytest.raises(InputError):
            OutputFormat(**wrong)  # type: ignore[arg-type]


def test_letters_and_marks_of_a_delivery() -> None:
    assert delivered("ab-12", DataType.IDENTIFIER, OutputFormat(case="upper", strip="-")) == "AB12"
    assert delivered("SWE", DataType.COUNTRY, OutputFormat(pattern="alpha-2")) == "SE"
    assert delivered("SELVIK", DataType.NAME, OutputFormat(case="title")) == "Selvik"
    assert delivered("not a date", DataType.DATE, OutputFormat(pattern="dd.MM.yyyy")) == "not a date"
