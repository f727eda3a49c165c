"""Plans and checks: what is refused, what is worked out, what fails, and plan files."""

from __future__ import annotations

import dataclasses
import json
from datetime import date
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.schema import (
    Check,
    CheckOutcome,
    Context,
    FieldKind,
    FieldPlan,
    Plan,
    ReadingRule,
    Severity,
    Where,
    choose,
    derive,
    field_data,
    field_from,
    judge,
    mending,
    needed,
    plan_file,
    plan_schema,
    problems_of,
    read_plan_file,
)
from jugum.core.schema.plan_file import FieldFile
from jugum.core.values import DataType, Option, OutputFormat
from jugum.demo.papers import plan_bytes
from jugum.errors import InputError

MONEY = DataType.MONEY
TODAY = Context(date(2026, 11, 24), {"employers": ("Brackwater Timber Works", "Northmoor Haulage")})
FIELDS = (
    FieldPlan("employer", "Employer", DataType.NAME),
    FieldPlan("gross", "Gross", MONEY),
    FieldPlan("tax", "Tax", MONEY),
    FieldPlan("net", "Net", MONEY),
    FieldPlan("paid", "Paid", DataType.DATE, required=False),
    FieldPlan("lines", "Lines", kind=FieldKind.TABLE, required=False),
    FieldPlan("lines.hours", "Hours", DataType.NUMBER, inside="lines"),
    FieldPlan("lines.rate", "Rate", MONEY, inside="lines"),
    FieldPlan("lines.amount", "Amount", MONEY, inside="lines"),
)
VALUES = {
    "employer": ("Brackwater Timber Works",),
    "gross": ("1 000,00",),
    "tax": ("300,00",),
    "net": ("700,00",),
    "paid": ("29.07.2026",),
    "lines.hours": ("10", None),
    "lines.rate": ("80,00", None),
    "lines.amount": ("800,00", "200,00"),
}


def told(*checks: Check, **changed: tuple[str | None, ...]) -> list[tuple[CheckOutcome, str]]:
    values = {**VALUES, **{key.replace("__", "."): value for key, value in changed.items()}}
    return [(one.outcome, one.said) for one in judge(Plan(FIELDS, checks), values, TODAY)]


def test_checks_hold_fail_or_can_t_be_told() -> None:
    sums = Check("sums", "gross - tax = net within 0.01", "The sums do not agree")
    assert told(sums) == [(CheckOutcome.HOLDS, "The sums do not agree")]
    assert told(sums, net=("700,02",))[0][0] is CheckOutcome.FAILS
    assert told(sums, net=("seven hundred",))[0][0] is CheckOutcome.OPEN
    assert told(sums, tax=())[0][0] is CheckOutcome.OPEN


def test_checks_inside_tables_name_the_rows_they_fail_on() -> None:
    rows = Check("rows", "lines.hours * lines.rate = lines.amount within 0.02", "Hours times rate is not the amount")
    assert told(rows)[0][0] is CheckOutcome.HOLDS
    wrong = told(rows, lines__amount=("801,00", "200,00"))[0]
    assert wrong == (CheckOutcome.FAILS, "Hours times rate is not the amount (row 1)")
    assert told(Check("sum", "sum(lines.amount) = gross"))[0][0] is CheckOutcome.HOLDS


def test_dates_are_held_against_each_other_and_the_day_of_receipt() -> None:
    check = Check("age", "days(paid, received) <= 200")
    assert told(check)[0][0] is CheckOutcome.HOLDS
    assert told(check, paid=("29.07.2025",))[0][0] is CheckOutcome.FAILS


def test_a_list_offers_its_nearest_entry() -> None:
    check = Check("known", 'listed(employer, "employers")', "Unknown employer", Severity.ADVISORY)
    assert told(check)[0][0] is CheckOutcome.HOLDS
    assert told(check, employer=("Brackwater Tinber Wrks",)) == [
        (CheckOutcome.FAILS, "Unknown employer; the nearest in the list is “Brackwater Timber Works”")
    ]


def test_a_failing_check_takes_the_candidate_that_makes_it_true_and_says_so() -> None:
    sums = Check("sums", "gross - tax = net within 0.01", may_choose=True)
    plan = Plan(FIELDS, (sums, Check("less", "tax < gross")))
    others = {"tax": ("290,00", "299,00"), "gross": ("2 000,00",), "net": ("710,00",)}
    taken = choose(plan, {**VALUES, "tax": ("300,99",)}, {**others, "tax": ("290,00", "300,00")}, TODAY)
    assert taken is not None
    assert (taken.field, taken.other, taken.check.key) == ("tax", 1, "sums")
    assert choose(plan, VALUES, others, TODAY) is None, "nothing fails"
    still = Plan(FIELDS, (Check("sums", sums.expression),))
    assert choose(still, {**VALUES, "tax": ("300,99",)}, {"tax": ("300,00",)}, TODAY) is None, "it may not choose"


def test_what_would_make_a_failing_check_true_is_told_to_a_person() -> None:
    sums = Check("sums", "gross - tax = net within 0.01")
    plan = Plan(FIELDS, (sums, Check("less", "tax < gross")))
    wrong = {**VALUES, "tax": ("300,99",)}
    others = {"tax": ("290,00", "300,00"), "net": ("699,01",), "gross": ("2 000,00",)}
    found = mending(plan, wrong, others, TODAY)
    assert {key: [(choice.field, choice.other) for choice in choices] for key, choices in found.items()} == {
        "sums": [("tax", 1), ("net", 0)]
    }
    assert mending(plan, VALUES, others, TODAY) == {}, "nothing fails"
    assert needed(plan, wrong, sums, TODAY) == {"net": "699.01"}
    assert needed(plan, wrong, Check("less", "tax < gross"), TODAY) == {}, "it does not say what it would have to be"
    assert needed(plan, {**wrong, "tax": ("none of it",)}, sums, TODAY) == {}, "it can't be worked out"


def test_no_candidate_is_taken_where_two_fields_could_be_blamed_equally_or_another_check_would_fail() -> None:
    sums = Check("sums", "gross - tax = net", may_choose=True)
    wrong = {**VALUES, "tax": ("400,00",)}
    assert choose(Plan(FIELDS, (sums,)), wrong, {"tax": ("300,00",), "net": ("600,00",)}, TODAY) is None
    guarded = Plan(FIELDS, (sums, Check("small", "gross <= 1000")))
    assert choose(guarded, wrong, {"gross": ("1 100,00",)}, TODAY) is None


def test_derived_fields_are_worked_out_in_the_order_they_need() -> None:
    derived = (
        FieldPlan("rest", "Rest", MONEY, kind=FieldKind.DERIVED, expression="half + 1"),
        FieldPlan("half", "Half", MONEY, kind=FieldKind.DERIVED, expression="(gross - tax) / 2"),
        FieldPlan("well_paid", "Well paid", DataType.TICK, kind=FieldKind.DERIVED, expression="net > 500"),
        FieldPlan("who", "Who", kind=FieldKind.DERIVED, expression="upper(employer)"),
        FieldPlan("due", "Due", DataType.DATE, kind=FieldKind.DERIVED, expression="paid + 30"),
    )
    _, made = derive(Plan((*FIELDS, *derived)), VALUES, TODAY)
    assert made == {
        "rest": ("351.00",),
        "half": ("350.00",),
        "well_paid": ("yes",),
        "who": ("BRACKWATER TIMBER WORKS",),
        "due": ("2026-08-28",),
    }
    assert derive(Plan((*FIELDS, *derived)), {}, TODAY)[1]["rest"] == ()


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        (
            [
                FieldPlan("a", "A", MONEY, kind=FieldKind.DERIVED, expression="b + 1"),
                FieldPlan("b", "B", MONEY, kind=FieldKind.DERIVED, expression="a + 1"),
            ],
            "circle: a → b → a",
        ),
        ([FieldPlan("a", "A", MONEY, kind=FieldKind.DERIVED, expression="a + 1")], "circle: a → a"),
        ([FieldPlan("a", "A", MONEY, kind=FieldKind.DERIVED, expression="none_such")], "no field “none_such”"),
        ([FieldPlan("a", "A", DataType.DATE, kind=FieldKind.DERIVED, expression="1 + 1")], "a date is needed"),
        ([FieldPlan("a", "A"), FieldPlan("a", "B")], "Two fields have the key"),
        ([FieldPlan("a.b", "A")], "is not valid"),
        ([FieldPlan("a", "A", inside="b")], "neither a table nor a section"),
        (
            [FieldPlan("t", "T", kind=FieldKind.TABLE), FieldPlan("t.a", "A", DataType.SIGNATURE, inside="t")],
            "can't hold a signature",
        ),
        (
            [
                FieldPlan("t", "T", kind=FieldKind.TABLE),
                FieldPlan("t.a", "A", MONEY, inside="t"),
                FieldPlan("s", "S", MONEY, kind=FieldKind.DERIVED, expression="t.a"),
            ],
            "many values",
        ),
    ],
)
def test_plans_that_can_t_be_are_refused(fields: list[FieldPlan], said: str) -> None:
    with pytest.raises(InputError, match=said):
        Plan(tuple(fields))


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"name": " "}, "needs a name"),
        ({"data_type": DataType.CHOICE}, "at least two options"),
        ({"pattern": "("}, "is not valid"),
        ({"check_digit": "mine"}, "not a known check digit"),
        ({"region": "sweden"}, "not a country"),
        ({"pivot": 101}, "pivot"),
        ({"expression": "1"}, "has no expression"),
        ({"note": "x" * 601}, "letters in its note"),
        ({"key": "A"}, "may only hold"),
        ({"printed_names": tuple(map(str, range(31)))}, "printed names"),
    ],
)
def test_fields_that_can_t_be_are_refused(given: dict[str, object], said: str) -> None:
    with pytest.raises(InputError, match=said):
        FieldPlan(**{"key": "a", "name": "A", **given})  # type: ignore[arg-type]


def test_a_check_that_names_no_field_or_is_no_sentence_is_refused() -> None:
    with pytest.raises(InputError, match="no field “gros”; is “gross” meant"):
        Plan(FIELDS, (Check("a", "gros = 1"),))
    with pytest.raises(InputError, match="yes or no is needed"):
        Plan(FIELDS, (Check("a", "gross + 1"),))


def test_rules_are_patterns_or_anchors() -> None:
    assert ReadingRule(where=Where.BETWEEN, words="from", until="to").said == "between “from” and “to”"
    for wrong in (
        {},
        {"pattern": "a", "where": Where.RIGHT, "words": "b"},
        {"where": Where.BETWEEN, "words": "a"},
        {"pattern": "("},
    ):
        with pytest.raises(InputError):
            ReadingRule(**wrong)  # type: ignore[arg-type]


def test_values_are_held_against_their_data_type_and_check_digit() -> None:
    plan = Plan(
        (FieldPlan("number", "Number", DataType.IDENTIFIER, check_digit="luhn"), FieldPlan("day", "Day", DataType.DATE))
    )
    problems = problems_of(plan, {"number": ("4539 1488 0343 6468",), "day": ("31.02.2026",)})
    assert [problem.detail for problem in problems] == [
        "the check digit of “4539 1488 0343 6468” is wrong",
        "“31.02.2026” can't be read as a date",
    ]


# ---- Files -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("name", ["pay-stub", "works-contract", "tax-assessment", "identity-paper"])
def test_the_demo_s_plans_read_and_write_alike(name: str) -> None:
    title, plan, lists = read_plan_file(plan_bytes(name))
    assert read_plan_file(plan_file(title, plan, lists)) == (title, plan, lists)
    assert any(field.kind is FieldKind.DERIVED for field in plan.fields)
    assert {check.severity for check in plan.checks} == {Severity.BLOCKING, Severity.ADVISORY}


def test_the_published_schema_is_that_of_the_program() -> None:
    published = Path(__file__).parents[3] / "docs/plan.schema.json"
    assert json.loads(published.read_text()) == plan_schema()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (
            b'{"fields": [{"key": "a", "name": "Terms", "kind": "clause", "rules": [{"pattern": "x"}]}]}',
            "\u201cTerms\u201d has rules, and these find values only",
        ),
        (b"{", "not JSON"),
        (b"\xff", "not JSON"),
        (
            b'{"fields": [{"key": "a", "name": "A", "colour": "red"}]}',
            "“fields → 1 → colour”, which is not a known key",
        ),
        (b'{"pages": 3}', "“pages”, which is not a known key"),
        (b'{"fields": [{"name": "A"}]}', "field required"),
        (b'{"format": "other"}', "format"),
        (b'{"fields": [{"key": "a", "name": "A", "data_type": "colour"}]}', "data_type"),
        (b" " * 2_000_001, "at most 2 MB"),
    ],
)
def test_bad_plan_files_are_told(data: bytes, said: str) -> None:
    with pytest.raises(InputError, match=said):
        read_plan_file(data)


keys = st.from_regex(r"[a-z][a-z0-9_]{0,10}", fullmatch=True)
texts = st.text(st.characters(codec="utf-8", exclude_categories=["Cs", "Cc"]), max_size=30).map(str.strip)
fields = st.builds(
    FieldPlan,
    key=keys,
    name=texts.filter(bool),
    data_type=st.sampled_from([kind for kind in DataType if kind is not DataType.CHOICE]),
    printed_names=st.lists(texts.filter(bool), max_size=4, unique=True).map(tuple),
    required=st.booleans(),
    many=st.booleans(),
    note=texts,
    question=texts,
    personal=st.booleans(),
    month_first=st.sampled_from([None, True, False]),
    options=st.lists(keys, unique=True, max_size=3).map(
        lambda found: tuple(Option(key, (key.upper(),)) for key in found)
    ),
    output=st.builds(
        OutputFormat, decimals=st.one_of(st.none(), st.integers(0, 8)), case=st.sampled_from(["", "upper"])
    ),
    rules=st.lists(
        st.builds(ReadingRule, where=st.sampled_from([Where.RIGHT, Where.BELOW]), words=texts.filter(bool)), max_size=2
    ).map(tuple),
)


@given(fields)
def test_any_field_comes_back_from_its_data(field: FieldPlan) -> None:
    assert field_from(json.loads(json.dumps(field_data(field)))) == field


def test_a_plan_file_has_every_attribute_of_a_field_with_its_default() -> None:
    """FieldPlan is the one place where attributes are said; the plan file, and with it the API and the rows, follow."""
    empty = FieldFile(key="a", name="A")
    there = {field.name for field in dataclasses.fields(FieldPlan)}
    assert set(FieldFile.model_fields) == there
    assert field_from(empty.model_dump(mode="json")) == FieldPlan("a", "A")
