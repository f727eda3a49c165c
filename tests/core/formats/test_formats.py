"""Files in and out, and plans."""

from __future__ import annotations

import csv
import io
import json

import pytest

from jugum.core.formats import ResultRow, past_records_of, results_csv, results_json
from jugum.core.formats.tables import ResultValue
from jugum.core.schema import FieldPlan, Plan, key_from, problems_of
from jugum.core.values import DataType, safe_cell
from jugum.errors import InputError


def row(text: str) -> ResultRow:
    value = ResultValue(text, text, 1, (0.1, 0.1, 0.2, 0.2), 0.97, "model", 2, 1, None)
    return ResultRow(7, 'a;b,"c".pdf', "ab" * 32, "passed", "2026-01-02T03:04:05+00:00", {"amount": (value,)})


def test_csv_reads_back_and_joins_many_values() -> None:
    two = ResultRow(
        1, "x.pdf", "", "passed", "", {"amount": (*row("1.00").values["amount"], *row("2.00").values["amount"])}
    )
    read = list(csv.DictReader(io.StringIO(results_csv([row("-12.00"), two], ["amount", "missing"]))))
    assert read[0]["file"] == 'a;b,"c".pdf'
    assert [line["amount"] for line in read] == ["-12.00", "1.00; 2.00"]
    assert read[0]["missing"] == ""


@pytest.mark.parametrize("text", ["=1+1", "+1+1", "@A1", "-cmd", "-1+cmd()", "\t=1"])
def test_cells_that_a_spreadsheet_would_run_are_defused(text: str) -> None:
    assert f"'{text}" in results_csv([row(text)], ["amount"])


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
    assert "one is meant" in problems_of(plan, {"a": ["1,00", "2,00"]})[0].detail
