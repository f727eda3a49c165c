"""Numbers with units behind them, and signs that say "none"."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.extraction.untrained.guesses import guessed_type
from jugum.core.schema import FieldPlan, Plan
from jugum.core.schema.checks import problems_of, scope_of
from jugum.core.schema.plan_file import field_data, field_from
from jugum.core.values import USUAL_UNITS, DataType, ValueType, normal_form, normal_or_text, same_value
from jugum.errors import InputError

WITH_UNITS = {
    "30 km": "30",
    "30km": "30",
    "1 234,5 kWh": "1234.5",
    "12.5 %": "12.5",
    "7 nights": "7",
    "1 night": "1",
    "0.18 W/(m²K)": "0.18",
    "140 m2": "140",
    "140 m²": "140",
    "(12) h": "-12",
    "−4 °C": "-4",
    "KM 30": "30",
    "12 KG": "12",
    "3O km": "30",
    "2,5 hrs.": "2.5",
}
NONE = ("–", "-", "—", "--", "- -", "-.-", "–,–", "./.", "n/a", "N.A.", "none", "nil", " – ")


@pytest.mark.parametrize(("printed", "normal"), WITH_UNITS.items())
def test_a_usual_unit_is_taken_off_a_number(printed: str, normal: str) -> None:
    assert normal_form(printed, DataType.NUMBER) == normal


@pytest.mark.parametrize("printed", ["12 apples", "30 kr", "12 a", "km", "12 km 30", "12 34 km"])
def test_what_has_no_unit_that_is_known_is_no_number(printed: str) -> None:
    assert normal_form(printed, DataType.NUMBER) is None


def test_units_of_a_field_are_the_only_ones_it_takes_however_they_are_written() -> None:
    distance = ValueType(DataType.NUMBER, units=("km",))
    assert (
        normal_form("30 km", distance) == normal_form("30 kilometres", distance) == normal_form("30", distance) == "30"
    )
    assert normal_form("30 m", distance) is None  # a number of another thing
    own = ValueType(DataType.NUMBER, units=("bales", "m²"))
    assert normal_form("12 bales", own) == normal_form("12 BALES", own) == normal_form("12 sqm", own) == "12"


@given(st.integers(0, 99_999), st.sampled_from(USUAL_UNITS), st.booleans())
def test_a_number_says_the_same_with_and_without_any_usual_unit(number: int, unit: str, blank: bool) -> None:
    printed = f"{number}{' ' * blank}{unit}"
    assert normal_form(printed, DataType.NUMBER) == str(number)
    assert same_value(
        normal_or_text(printed, DataType.NUMBER), normal_or_text(str(number), DataType.NUMBER), DataType.NUMBER
    )


@pytest.mark.parametrize("sign", NONE)
@pytest.mark.parametrize("kind", [DataType.NUMBER, DataType.MONEY, DataType.PERCENT, DataType.DATE])
def test_a_sign_for_none_is_an_empty_number_and_no_unreadable_one(sign: str, kind: DataType) -> None:
    assert normal_form(sign, kind) == normal_or_text(sign, kind) == ""


@pytest.mark.parametrize("text", ["", ".", ",", "0", "-0", "5-", "nothing here", "_"])
def test_what_is_no_sign_for_none_is_none(text: str) -> None:
    assert normal_form(text, DataType.NUMBER) != ""


def test_a_dash_is_what_stands_there_in_a_text() -> None:
    assert normal_form("–", DataType.TEXT) == "–"


def test_a_number_with_a_unit_is_no_sum_of_money_and_is_guessed_a_number() -> None:
    assert normal_form("30 km", DataType.MONEY) is None
    assert normal_form("30 kr", DataType.MONEY) == "30.00"
    assert guessed_type("Distance", ["30 km", "–", "12 km"]) is DataType.NUMBER
    assert guessed_type("Fare", ["30 kr", "–", "12 kr"]) is DataType.MONEY


def test_checks_count_a_number_with_its_unit_and_miss_an_empty_one() -> None:
    plan = Plan(
        (FieldPlan("way", "Way", DataType.NUMBER, required=False), FieldPlan("nights", "Nights", DataType.NUMBER))
    )
    texts = {"way": ["–"], "nights": ["7 nights"]}
    assert not problems_of(plan, texts)
    assert scope_of(plan, texts) == {"way": None, "nights": 7}


def test_units_go_into_a_plan_file_and_come_back() -> None:
    field = FieldPlan("way", "Way", DataType.NUMBER, units=("km", "bales"))
    assert field_from(field_data(field)) == field
    assert field.value_type.units == ("km", "bales")
    assert not FieldPlan("way", "Way", DataType.TEXT, units=("km",)).value_type.units


@pytest.mark.parametrize("units", [("3 km",), ("",), ("k" * 31,), tuple(f"u{n}" for n in range(13))])
def test_what_is_no_unit_is_refused(units: tuple[str, ...]) -> None:
    with pytest.raises(InputError, match="Way"):
        FieldPlan("way", "Way", DataType.NUMBER, units=units)


@pytest.mark.parametrize(
    ("printed", "normal"),
    [
        ("twelve (12) weeks", "12"),
        ("twelve weeks", "12"),
        ("12 (twelve) months", "12"),
        ("one hundred and five days", "105"),
        ("twelve (13) weeks", None),  # contradicts itself: a person must say which
        ("weeks", None),
        ("twelve moons", None),
    ],
)
def test_a_number_in_words_is_a_number_and_must_agree_with_its_figures(printed: str, normal: str | None) -> None:
    assert normal_form(printed, DataType.NUMBER) == normal
