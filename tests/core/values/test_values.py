"""Dates, money, numbers and text as they are printed, and their normal forms."""

from __future__ import annotations

from datetime import date
from decimal import Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.values import (
    AnyType,
    DataType,
    Option,
    ValueType,
    normal_form,
    parse_date,
    parse_money,
    parse_number,
    same_value,
    text_that_says,
    value_shape,
)
from jugum.core.values.numbers import names_currency
from jugum.core.values.slips import mend_digits

DATES = {
    "03.04.2025": "2025-04-03",
    "3.4.2025": "2025-04-03",
    "03/04/2025": "2025-04-03",
    "3-4-25": "2025-04-03",
    "2025-04-03": "2025-04-03",
    "2025/4/3": "2025-04-03",
    "20250403": "2025-04-03",
    "3 April 2025": "2025-04-03",
    "3. april 2025": "2025-04-03",
    "April 3, 2025": "2025-04-03",
    "3rd April 2025": "2025-04-03",
    "the 3rd day of April, 2025": "2025-04-03",
    "Apr 3 2025": "2025-04-03",
    "3-Apr-25": "2025-04-03",
    "Thursday, 3 April 2025": "2025-04-03",
    "3 avril 2025": "2025-04-03",
    "3. März 2025": "2025-03-03",
    "3 maart 2025": "2025-03-03",
    "12/25/2025": "2025-12-25",
    "31.12.99": "1999-12-31",
    "l2.O4.2025": "2025-04-12",
    "(03.04.2025)": "2025-04-03",
    "03 . 04 . 2025": "2025-04-03",
    "2025 April 3": "2025-04-03",
    "3 sept. 2025": "2025-09-03",
}
NO_DATES = (
    "31.02.2025",
    "13.13.2025",
    "2025",
    "12.04",
    "03.04.1825",
    "April",
    "12 345,50",
    "1.2.3.4",
    "",
    "3 April 20255",
)
MONEY = {
    "1 234,50": "1234.50",
    "1.234,50": "1234.50",
    "1,234.50": "1234.50",
    "1'234.50": "1234.50",
    "1234.5": "1234.50",
    "1234": "1234.00",
    "kr 1 234,50": "1234.50",
    "1 234,50 kr": "1234.50",
    "kr. 12": "12.00",
    "€ 1.234": "1234.00",
    "EUR 12.5": "12.50",
    "$1,234,567.89": "1234567.89",
    "-12,00": "-12.00",
    "12,00-": "-12.00",
    "(12,00)": "-12.00",
    "−12,00": "-12.00",
    "1.200,-": "1200.00",
    "Kr 12 345,-": "12345.00",
    "1,23,456.00": "123456.00",
    "12 crowns": "12.00",
    "0,999": "0.999",
    "l 234,5O": "1234.50",
    "31 450 ,00": "31450.00",
    "- 8 912,50": "-8912.50",
    "12.50 CHF": "12.50",
    "£0.05": "0.05",
    "-0,00": "0.00",
}
NO_MONEY = ("12 34", "1.23.4", "abc", "12,34,5", "", "(12", "250384 41273", "03.04.2025", "12 kr 30")


@pytest.mark.parametrize(("printed", "normal"), DATES.items())
def test_printed_dates_have_a_normal_form(printed: str, normal: str) -> None:
    assert normal_form(printed, DataType.DATE) == normal


@pytest.mark.parametrize("printed", NO_DATES)
def test_what_is_no_date_is_refused(printed: str) -> None:
    assert parse_date(printed) is None


@pytest.mark.parametrize(("printed", "normal"), MONEY.items())
def test_printed_money_has_a_normal_form(printed: str, normal: str) -> None:
    assert normal_form(printed, DataType.MONEY) == normal


@pytest.mark.parametrize("printed", NO_MONEY)
def test_what_is_no_money_is_refused(printed: str) -> None:
    assert parse_money(printed) is None


def test_month_first_is_a_choice_and_falls_back_where_it_gives_no_date() -> None:
    assert parse_date("03/04/2025", month_first=True) == date(2025, 3, 4)
    assert parse_date("13/04/2025", month_first=True) == date(2025, 4, 13)


@given(
    st.dates(date(1950, 1, 1), date(2049, 12, 31)),
    st.sampled_from(["%d.%m.%Y", "%Y-%m-%d", "%d/%m/%y", "%d %B %Y", "%d-%b-%Y"]),
)
def test_formatted_dates_parse_back(day: date, pattern: str) -> None:
    assert parse_date(day.strftime(pattern)) == day


@given(st.decimals(-10_000_000, 10_000_000, places=2, allow_nan=False), st.sampled_from([",.", ".,", " ,", "',", "'."]))
def test_formatted_money_parses_back(amount: Decimal, marks: str) -> None:
    printed = f"{amount:,.2f}".replace(",", "#").replace(".", marks[1]).replace("#", marks[0])
    assert parse_money(printed) == amount
    assert parse_money(f"kr {printed}") == amount


@given(st.integers(0, 999))
def test_numbers_lose_idle_zeros(number: int) -> None:
    assert normal_form(f"{number}.50", DataType.NUMBER) == f"{number}.5"
    assert parse_number(f"{number}-") == -number


@pytest.mark.parametrize(
    ("text", "normal", "kind", "said"),
    [
        ("uke", "weekly", ValueType(DataType.CHOICE, options=(Option("weekly"), Option("monthly"))), "weekly"),
        ("Weekly", "weekly", ValueType(DataType.CHOICE, options=(Option("weekly"), Option("monthly"))), "Weekly"),
        ("uke", "yearly", ValueType(DataType.CHOICE, options=(Option("weekly"), Option("monthly"))), "uke"),
        ("03/04/2025", "2025-03-04", DataType.DATE, "2025-03-04"),
        ("03/04/2025", "2025-04-03", DataType.DATE, "03/04/2025"),
        ("1.204,50", "1204.50", DataType.MONEY, "1.204,50"),
        ("77.00", "1204.50", DataType.MONEY, "77.00"),  # put right by hand, its normal form forgotten
        ("5 May 2025", "2025-04-03", DataType.DATE, "5 May 2025"),
        ("did not", "no", DataType.TICK, "no"),
        ("Selvik, Runa", "Runa Selvik", DataType.NAME, "Selvik, Runa"),
        ("12", "", DataType.NUMBER, "12"),
    ],
)
def test_a_text_says_what_is_meant_or_is_put_aside_for_what_does(
    text: str, normal: str, kind: AnyType, said: str
) -> None:
    assert text_that_says(text, normal, kind) == said


def test_letters_are_taken_for_digits_only_among_digits() -> None:
    assert mend_digits("l2.O4") == "12.04"
    assert mend_digits("Solo") == "Solo"


def test_text_is_compared_without_case_and_outer_marks() -> None:
    assert normal_form("  Ingrid   Holm : ", DataType.TEXT) == "Ingrid Holm"
    assert same_value("Ingrid Holm", "INGRID HOLM.", DataType.TEXT)
    assert not same_value("12.00", "12.01", DataType.MONEY)


def test_shapes_keep_the_pattern_and_forget_the_letters() -> None:
    assert value_shape("NH-204 117") == "AA-999 999"
    assert value_shape("Ingridsson") == "Aaaa"


@pytest.mark.parametrize(
    ("printed", "named"),
    [("NOK 123", True), ("12 kr", True), ("€ 5", True), ("12 crowns", True), ("RX 72977", False), ("12,50", False)],
)
def test_a_currency_is_told_from_the_letters_of_a_plate(printed: str, named: bool) -> None:
    assert names_currency(printed) is named
