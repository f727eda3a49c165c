"""Results of a type with a table: row by row on the page and in every file."""

from __future__ import annotations

import csv
import io
import re
import zipfile
from collections.abc import Callable

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import update
from tests.office import Office
from tests.papers import slips

from jugum.errors import Forbidden, InputError
from jugum.flow.deliver import results
from jugum.flow.label.rows import CellInput
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput
from jugum.flow.review import settle as settling
from jugum.flow.weigh import policies
from jugum.store.models import Field

ROWS = [("", "20.00"), ("43", ""), ("54", ""), ("17", "30.00")]


def with_trips(office: Office, run_jobs: Callable[[], None], rows: list[tuple[str, str]]) -> int:
    """A paper of a type with a table, its rows settled by a person."""
    plan_fields.add_field(
        office.store,
        office.analyst,
        office.type_id,
        FieldInput(name="Trips", data_type="text", kind="table", required=True),
        columns=[FieldInput(name="Km", data_type="number"), FieldInput(name="Paid", data_type="money")],
    )
    policies.save_policy(
        office.store, office.analyst, office.type_id, {"member": 0.0, "paid_on": 0.0, "amount": 0.0}, 0.0
    )
    document = office.bring(slips(41)[40], "live")
    run_jobs()
    given = [{"trips.km": CellInput(km), "trips.paid": CellInput(paid)} for km, paid in rows]
    assert settling.settle(office.store, office.reviewer, document, "trips", [], rows=given).state == "settled"
    return document


def read(data: bytes) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(data.decode("utf-8-sig"))))


def test_rows_of_a_table_stay_rows_in_csv_and_zip(
    client: TestClient, trained: Office, run_jobs: Callable[[], None]
) -> None:
    document = with_trips(trained, run_jobs, ROWS)
    address = f"/types/{trained.type_id}/results"
    lines = read(client.get(f"{address}.csv").content)
    assert [(line["line"], line["trips.km"], line["trips.paid"]) for line in lines] == [
        (str(number), *row) for number, row in enumerate(ROWS, start=1)
    ]
    assert {line["amount"] for line in lines} == {lines[0]["amount"]} != {""}
    with zipfile.ZipFile(io.BytesIO(client.get(f"{address}.zip").content)) as archive:
        assert [line["document"] for line in read(archive.read("papers.csv"))] == [str(document)]
        assert [(line["trips.km"], line["trips.paid"]) for line in read(archive.read("parts/trips.csv"))] == ROWS


def test_the_page_shows_rows_as_rows_and_says_how_many_more_there_are(
    client: TestClient, trained: Office, run_jobs: Callable[[], None]
) -> None:
    with_trips(trained, run_jobs, [(str(100 + number), "1.00") for number in range(9)])
    html = client.get(f"/types/{trained.type_id}/deliver").text
    body = html[html.index("results-table") :]
    rows = [re.findall(r">(10\d)</a", row) for row in re.findall(r"<tr>.*?</tr>", body, re.DOTALL)]
    assert [row for row in rows if row] == [[str(100 + number)] for number in range(6)]
    assert "3 more rows on the paper" in body


def test_results_are_sorted_by_any_column_with_missing_values_last(
    trained: Office, run_jobs: Callable[[], None]
) -> None:
    policies.save_policy(
        trained.store, trained.analyst, trained.type_id, dict.fromkeys(("member", "paid_on", "amount"), 0.0), 0.0
    )
    for slip in slips(44)[40:]:
        trained.bring(slip, "live")
    run_jobs()
    first = results.results(trained.store, trained.type_id).rows[0].document
    settling.settle(trained.store, trained.reviewer, first, "amount", [], absent=True)

    def amounts(*, upwards: bool) -> list[float | None]:
        rows = results.results(
            trained.store, trained.type_id, actor=trained.analyst, sort="amount", upwards=upwards
        ).rows
        return [float(row.values["amount"][0].normal) if "amount" in row.values else None for row in rows]

    *up, last = amounts(upwards=True)
    assert last is None
    assert up == sorted(up, key=lambda amount: amount or 0)
    assert amounts(upwards=False) == [*reversed(up), None]
    with trained.store.session() as session:
        session.execute(update(Field).where(Field.key == "member").values(personal=True))
    with pytest.raises(Forbidden, match="sorted by Member"):  # nobody is named
        results.results(trained.store, trained.type_id, sort="member")
    for sort in ("paper-name", "paper-state", "paid_on", ""):
        assert len(results.results(trained.store, trained.type_id, sort=sort).rows) == 4
    with pytest.raises(InputError, match="can't be sorted by “nose”"):
        results.results(trained.store, trained.type_id, sort="nose")


def test_a_delivery_goes_out_in_the_form_that_was_chosen(
    client: TestClient, trained: Office, run_jobs: Callable[[], None]
) -> None:
    with_trips(trained, run_jobs, ROWS)
    other = client.post(f"/api/v1/types/{trained.type_id}/deliveries", json={"format": "xml"})
    assert "one of: csv, zip, json" in other.json()["error"]
    made = client.post(f"/api/v1/types/{trained.type_id}/deliveries", json={"format": "zip"}).json()
    sent = client.get(f"/deliveries/{made['id']}")
    assert sent.headers["content-type"] == "application/zip"
    with zipfile.ZipFile(io.BytesIO(sent.content)) as archive:
        assert archive.namelist() == ["papers.csv", "parts/trips.csv"]
