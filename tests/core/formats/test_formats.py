"""Files in and out, and plans."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.formats.results import (
    LetStand,
    ResultColumns,
    ResultRow,
    ResultValue,
    results_csv,
    results_json,
    results_zip,
    side_by_side,
)
from jugum.core.formats.tables import past_records_of
from jugum.core.schema import Check, FieldKind, FieldPlan, Plan, key_from, problems_of
from jugum.core.values import DataType, safe_cell
from jugum.errors import InputError


def row(text: str) -> ResultRow:
    return ResultRow(7, 'a;b,"c".pdf', "ab" * 32, "passed", "2026-01-02T03:04:05+00:00", {"amount": (value_of(text),)})


def value_of(text: str, position: int = 0) -> ResultValue:
    return ResultValue(text, text, 1, (0.1, 0.1, 0.2, 0.2), 0.97, "model", 2, 1, None, position)


def column_of(*texts: str) -> tuple[ResultValue, ...]:
    """Values of a table's column, row by row; "" stands for an empty cell."""
    return tuple(value_of(text, position) for position, text in enumerate(texts) if text)


AMOUNT = ResultColumns(("amount", "missing"), {})
CLAIM = Plan(
    (
        FieldPlan("total", "Total", DataType.MONEY),
        FieldPlan("guests", "Guests", many=True),
        FieldPlan("trips", "Trips", kind=FieldKind.TABLE),
        FieldPlan("trips.km", "Kilometres", DataType.NUMBER, inside="trips"),
        FieldPlan("trips.paid", "Paid", DataType.MONEY, inside="trips"),
    )
)
TRIPS = replace(
    row("1.00"),
    values={
        "total": (value_of("90.00"),),
        "guests": column_of("Ann Ekeberg; Bo", "Cy"),
        "trips.km": column_of("", "43", "54", "17"),
        "trips.paid": column_of("20.00", "", "=1+1", "30.00"),
    },
)


def read_csv(text: str) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(text)))


def test_csv_of_single_values_has_a_line_for_each_paper() -> None:
    read = read_csv(results_csv([row("-12.00"), row("1.00")], AMOUNT))
    assert read[0]["file"] == 'a;b,"c".pdf'
    assert [line["amount"] for line in read] == ["-12.00", "1.00"]
    assert read[0]["missing"] == ""


def test_csv_of_a_type_with_tables_has_a_line_for_each_row_with_the_papers_values_repeated() -> None:
    read = read_csv(results_csv([TRIPS, row("5.00")], ResultColumns.of(CLAIM)))
    assert [(line["part"], line["line"], line["total"]) for line in read] == [
        ("guests", "1", "90.00"),
        ("guests", "2", "90.00"),
        ("trips", "1", "90.00"),
        ("trips", "2", "90.00"),
        ("trips", "3", "90.00"),
        ("trips", "4", "90.00"),
        ("", "", ""),
    ]
    # a cell that is empty on the paper is empty here: nothing moves up into it
    trips = [(line["trips.km"], line["trips.paid"]) for line in read if line["part"] == "trips"]
    assert trips == [("", "20.00"), ("43", ""), ("54", "'=1+1"), ("17", "30.00")]
    assert [line["guests"] for line in read if line["part"] == "guests"] == ["Ann Ekeberg; Bo", "Cy"]


def test_a_zip_holds_a_file_for_the_papers_and_one_for_each_part() -> None:
    data = results_zip([TRIPS, row("5.00")], ResultColumns.of(CLAIM))
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        files = {name: read_csv(archive.read(name).decode("utf-8-sig")) for name in archive.namelist()}
    assert list(files) == ["papers.csv", "parts/guests.csv", "parts/trips.csv"]
    assert [line["total"] for line in files["papers.csv"]] == ["90.00", ""]
    assert [(line["document"], line["line"], line["trips.km"]) for line in files["parts/trips.csv"]] == [
        ("7", "1", ""),
        ("7", "2", "43"),
        ("7", "3", "54"),
        ("7", "4", "17"),
    ]
    assert results_zip([TRIPS, row("5.00")], ResultColumns.of(CLAIM)) == data


def test_names_that_the_files_use_themselves_are_free_for_fields_and_tables() -> None:
    plan = Plan(
        (
            FieldPlan("state", "State"),
            FieldPlan("papers", "Papers", kind=FieldKind.TABLE),
            FieldPlan("papers.line", "Line", inside="papers"),
        )
    )
    paper = replace(row(""), values={"state": (value_of("Norland"),), "papers.line": column_of("a", "b")})
    read = read_csv(results_csv([paper], ResultColumns.of(plan)))
    assert [(line["state"], line["field-state"], line["papers.line"]) for line in read] == [
        ("passed", "Norland", "a"),
        ("passed", "Norland", "b"),
    ]
    with zipfile.ZipFile(io.BytesIO(results_zip([paper], ResultColumns.of(plan)))) as archive:
        assert archive.namelist() == ["papers.csv", "parts/papers.csv"]


def test_checks_that_were_let_stand_go_out_with_their_reasons() -> None:
    checked = replace(CLAIM, checks=(Check("total_right", "total > 0", "The total is wrong"),))
    stood = replace(TRIPS, let_stand=(LetStand("total_right", "The total is wrong", "printed so", "Ann"),))
    read = read_csv(results_csv([stood, row("5.00")], ResultColumns.of(checked)))
    assert {line["let_stand"] for line in read if line["total"]} == {"total_right"}
    with zipfile.ZipFile(io.BytesIO(results_zip([stood], ResultColumns.of(checked)))) as archive:
        (line,) = read_csv(archive.read("let_stand.csv").decode("utf-8-sig"))
    assert (line["check"], line["reason"], line["person"]) == ("total_right", "printed so", "Ann")


@given(st.lists(st.tuples(st.sampled_from(["", "a", "b;c"]), st.sampled_from(["", "1", "2"])), max_size=8))
def test_rows_come_back_from_the_csv_as_they_stood_on_the_paper(rows: list[tuple[str, str]]) -> None:
    paper = replace(
        row(""), values={"trips.km": column_of(*(a for a, _ in rows)), "trips.paid": column_of(*(b for _, b in rows))}
    )
    read = read_csv(results_csv([paper], ResultColumns.of(CLAIM)))
    assert [(line["trips.km"], line["trips.paid"]) for line in read if line["part"]] == [r for r in rows if any(r)]


def test_a_field_that_had_several_values_before_its_plan_changed_loses_none() -> None:
    plan = Plan((FieldPlan("sums", "Sums"),))
    several = replace(row(""), values={"sums": column_of("1.00", "2.00")})
    assert ResultColumns.of(plan, [several]).parts == {"sums": ("sums",)}
    assert ResultColumns.of(plan, []).single == ("sums",)


def test_on_a_screen_lines_of_all_parts_stand_side_by_side_up_to_a_limit() -> None:
    lines, left = side_by_side(TRIPS, ResultColumns.of(CLAIM), 2)
    assert [sorted(line) for line in lines] == [["guests", "trips.paid"], ["guests", "trips.km"]]
    assert left == 2
    assert side_by_side(row("1.00"), AMOUNT, 2) == ([{}], 0)


@pytest.mark.parametrize("text", ["=1+1", "+1+1", "@A1", "-cmd", "-1+cmd()", "\t=1"])
def test_cells_that_a_spreadsheet_would_run_are_defused(text: str) -> None:
    assert f"'{text}" in results_csv([row(text)], AMOUNT)


@pytest.mark.parametrize("text", ["-12.00", "-1.00; -2.00", "+46701234567", "1+1", "Ann = Bo"])
def test_numbers_with_a_sign_and_texts_that_no_spreadsheet_runs_stay_as_they_are(text: str) -> None:
    assert safe_cell(text) == text


def test_json_carries_every_values_provenance() -> None:
    value = json.loads(results_json([row("12.00")]))[0]["values"]["amount"][0]
    assert value["confidence"] == 0.97
    assert value["version"] == 2
    assert value["box"] == [0.1, 0.1, 0.2, 0.2]


def test_keyed_values_come_with_comma_or_semicolon_and_a_byte_order_mark() -> None:
    assert past_records_of("\ufefffile;type;field;value\r\na.pdf;Slip;amount;1,50\r\n".encode())[0]["value"] == "1,50"
    assert past_records_of(b'file,type,field,value\na.pdf,,amount,"1,50"\n')[0]["value"] == "1,50"


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"file,field\n", "lacks the column type, value"),
        (b"\xff\xfe", "not UTF-8"),
        (b"file,type,field,value\n,,a,b\n", "Line 2"),
    ],
)
def test_a_bad_csv_is_refused_with_the_place(data: bytes, said: str) -> None:
    with pytest.raises(InputError, match=said):
        past_records_of(data)


def test_keys_are_made_from_names_and_never_twice() -> None:
    assert key_from("Net pay (kr)") == "net_pay_kr"
    assert key_from("Net pay (kr)", {"net_pay_kr"}) == "net_pay_kr_2"
    assert key_from("3rd party") == "f_3rd_party"
    assert key_from("Ærø") == "r"
    assert key_from("年") == "field"


def test_plans_refuse_what_can_t_be_meant() -> None:
    with pytest.raises(InputError, match="needs a name"):
        FieldPlan("a", " ", DataType.TEXT)
    with pytest.raises(InputError, match="small letters"):
        FieldPlan("A b", "A", DataType.TEXT)
    with pytest.raises(InputError, match="Two fields"):
        Plan((FieldPlan("a", "A", DataType.TEXT), FieldPlan("a", "B", DataType.TEXT)))
    with pytest.raises(InputError, match="no field “b”"):
        Plan((FieldPlan("a", "A", DataType.TEXT),)).field("b")


def test_values_are_checked_against_their_plan() -> None:
    plan = Plan((FieldPlan("a", "Amount", DataType.MONEY), FieldPlan("d", "Day", DataType.DATE, required=False)))
    assert [p.detail for p in problems_of(plan, {})] == ["Amount is required and was not found"]
    assert "can't be read as a date" in problems_of(plan, {"a": ["1,00"], "d": ["soon"]})[0].detail
    assert "only one is allowed" in problems_of(plan, {"a": ["1,00", "2,00"]})[0].detail
