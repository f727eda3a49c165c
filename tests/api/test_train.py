"""Training, versions, reports and policies as a client program meets them: what it gets, and what it is refused with
which words."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable
from typing import Any

import pytest
from fastapi import FastAPI
from sqlalchemy import select
from tests.api.conftest import client_of
from tests.office import Office

from jugum.store.models import Policy

Run = Callable[[], None]
V1 = "/api/v1"


@pytest.fixture
def version(client: Any, trained: Office) -> int:
    found: int = client.get(f"{V1}/types/{trained.type_id}/versions").json()[0]["id"]
    return found


def test_a_version_tells_its_figures_with_their_intervals(client: Any, version: int) -> None:
    report = client.get(f"{V1}/versions/{version}").json()["report"]
    for layouts in ("seen", "unseen"):
        one = report[layouts]
        assert one["f1_interval"][0] <= one["f1"] <= one["f1_interval"][1]
        assert 0 <= one["calibration_error"] <= 1
        assert one["papers"] == 10
    for field in report["fields"]:
        low, high = field["seen_interval"]
        assert 0 <= low <= field["seen_right"] / field["seen_total"] <= high <= 1
        assert field["labels"] == 10


def test_each_table_of_a_report_is_csv_with_a_head(client: Any, version: int) -> None:
    for table in ("summary", "fields", "layouts", "reliability", "types"):
        answer = client.get(f"{V1}/versions/{version}/report/{table}.csv")
        assert answer.status_code == 200, table
        assert answer.headers["content-type"].startswith("text/csv")
        rows = list(csv.reader(io.StringIO(answer.text)))
        assert len(rows) > 1
        assert len({len(row) for row in rows}) == 1
    answer = client.get(f"{V1}/versions/{version}/report/none.csv")
    assert answer.status_code == 422
    assert "it has summary, fields" in answer.json()["error"]


def test_the_report_as_one_file_asks_nothing_of_any_server(client: Any, version: int) -> None:
    answer = client.get(f"{V1}/versions/{version}/report.html")
    assert answer.headers["content-disposition"].endswith("version-1-report.html")
    for outside in ("<script", "<link", "<img", "http://", "https://"):
        assert outside not in answer.text
    assert "<h2>Types</h2>" in answer.text


def test_types_are_told_with_what_became_of_their_papers(client: Any, trained: Office, version: int) -> None:
    view = client.get(f"{V1}/types/{trained.type_id}/sorting").json()
    assert view["placed_as"][0] == "Mooring slip"
    assert sum(sum(counts) for _, counts in view["confusion"]) >= 10
    assert view["cutting"] == []  # each paper is one page: there is nothing to cut


def test_what_is_not_there_is_said(client: Any, trained: Office) -> None:
    for path in ("/versions/999", "/versions/999/report.html", "/versions/999/file", "/types/999/versions"):
        answer = client.get(f"{V1}{path}")
        assert answer.status_code == 404, path
        assert "999" in answer.json()["error"]
    assert client.post(f"{V1}/versions/999/publish").status_code == 404


def test_only_a_training_that_waits_or_runs_is_cancelled(
    client: Any, trained: Office, version: int, run_jobs: Run
) -> None:
    answer = client.post(f"{V1}/versions/{version}/cancel")
    assert answer.status_code == 409
    made = client.post(f"{V1}/types/{trained.type_id}/versions").json()["id"]
    assert client.get(f"{V1}/versions/{made}").json()["state"] == "queued"
    assert client.post(f"{V1}/versions/{made}/cancel").json()["state"] == "failed"
    run_jobs()
    assert client.get(f"{V1}/versions/{made}").json()["state"] == "failed"
    assert client.post(f"{V1}/versions/{made}/publish").status_code == 409


def test_a_second_version_is_published_and_taken_back(
    client: Any, trained: Office, version: int, run_jobs: Run
) -> None:
    made = client.post(f"{V1}/types/{trained.type_id}/versions").json()["id"]
    run_jobs()
    compared = client.get(f"{V1}/versions/{made}/against").json()["comparison"]
    assert compared["verdict"] == "can't be told apart"  # the same labels
    assert compared["common"] > 0
    client.post(f"{V1}/versions/{made}/publish", json={"note": "as good as before"})
    states = {one["id"]: one["state"] for one in client.get(f"{V1}/types/{trained.type_id}/versions").json()}
    assert states == {version: "retired", made: "published"}
    assert client.get(f"{V1}/versions/{made}").json()["note"] == "as good as before"
    assert client.post(f"{V1}/types/{trained.type_id}/go-back", json={"note": "no"}).json() == {"number": 1}
    assert client.get(f"{V1}/versions/{version}").json()["state"] == "published"


def test_a_version_file_comes_in_and_rubbish_does_not(client: Any, trained: Office, version: int) -> None:
    data = client.get(f"{V1}/versions/{version}/file").content
    address = f"{V1}/types/{trained.type_id}/versions/file"
    made = client.post(address, files={"file": ("v.zip", data)})
    assert made.status_code == 201
    brought = client.get(f"{V1}/versions/{made.json()['id']}").json()
    assert (brought["state"], brought["papers"]) == ("on trial", 10)
    for rubbish, said in (
        (b"", "no version file"),
        (b"PK\x03\x04", "no version file"),
        (data[: len(data) // 2], "no version file"),
    ):
        answer = client.post(address, files={"file": ("v.zip", rubbish)})
        assert answer.status_code == 422
        assert said in answer.json()["error"]


def test_training_by_itself_takes_sensible_numbers_only(client: Any, trained: Office) -> None:
    address = f"{V1}/types/{trained.type_id}/training"
    assert client.put(address, json={"when": 5}).status_code == 204
    assert client.put(address, json={"when": None}).status_code == 204
    for wrong in ({"when": 0}, {"when": -3}, {"when": "many"}, {}, {"after": 5}):
        assert client.put(address, json=wrong).status_code == 422, wrong


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"thresholds": {"amount": 1.4}, "layout_similarity_min": 0.5}, "amount"),
        ({"thresholds": {"nobody": 0.5}, "layout_similarity_min": 0.5}, "nobody"),
        ({"thresholds": {"amount": 0.9}, "layout_similarity_min": 1.5}, "layout_similarity_min"),
    ],
)
def test_thresholds_that_mean_nothing_are_refused(
    client: Any, trained: Office, body: dict[str, Any], said: str
) -> None:
    answer = client.post(f"{V1}/types/{trained.type_id}/policies", json=body)
    assert answer.status_code == 422
    assert said in answer.text


def test_higher_thresholds_let_less_pass_and_no_more_wrong(client: Any, trained: Office, version: int) -> None:
    address = f"{V1}/types/{trained.type_id}/what-follows"
    fields = ("member", "paid_on", "amount")
    last = None
    for least in (0.0, 0.5, 0.8, 0.95, 1.0):
        found = client.post(
            address, json={"thresholds": dict.fromkeys(fields, least), "layout_similarity_min": 0.0}
        ).json()
        assert found[""]["passing"] == sum(found[key]["passing"] for key in fields)
        if last is not None:
            assert found[""]["passing"] <= last["passing"]
            assert found[""]["wrong"] <= last["wrong"]
        last = found[""]
    strict = client.post(address, json={"thresholds": dict.fromkeys(fields, 0.0), "layout_similarity_min": 1.0}).json()
    assert strict[""]["passing"] <= strict[""]["total"]
    body = {"thresholds": {"member": 0.0, "paid_on": 0.0, "amount": 0.0}, "layout_similarity_min": 0.0}
    for share, said in (
        (0.001, "At most 0.1 % wrong among what passes: not to be expected"),
        (0.5, "At most 50 % wrong among what passes: proven"),
    ):
        found = client.post(address, json={**body, "error_most": share}).json()
        assert said in found[""]["promise"]
        assert found["amount"]["promise"] == ""


def test_policies_of_before_the_picture_was_kept_are_listed(client: Any, trained: Office, version: int) -> None:
    address = f"{V1}/types/{trained.type_id}/policies"
    sent = {"thresholds": {"member": 0.8, "paid_on": 0.9, "amount": 1.0}, "layout_similarity_min": 0.5}
    for _ in range(2):
        client.post(address, json=sent)
    with trained.store.session() as session:
        for policy in session.scalars(select(Policy)):
            policy.outcome = {"total": 30, "passing": 20, "wrong": 0, "error_upper": 0.1}
    page = client.get(f"/types/{trained.type_id}/weigh")
    assert page.status_code == 200
    assert "Go back to it" in page.text
    assert "Show in the picture" not in page.text


def test_a_policy_goes_out_and_comes_in_as_json(client: Any, trained: Office, version: int) -> None:
    address = f"{V1}/types/{trained.type_id}/policies"
    sent = {
        "thresholds": {"member": 0.8, "paid_on": 0.9, "amount": 1.0},
        "layout_similarity_min": 0.5,
        "note": "as before",
        "always_held": ["amount"],
        "dial": {"way": "costs", "wrong_value_cost": 80.0, "weights": {"member": 2.0}},
    }
    assert client.post(address, json=sent).json() == {"number": 1}
    out = client.get(f"{address}/1").json()
    assert {name: out[name] for name in ("thresholds", "layout_similarity_min", "note", "always_held")} == {
        name: sent[name] for name in ("thresholds", "layout_similarity_min", "note", "always_held")
    }
    assert client.post(address, json=out).json() == {"number": 2}
    assert client.get(f"{address}/2").json() == out
    assert client.get(f"{address}/9").status_code == 404
    weighed = client.get(f"{V1}/types/{trained.type_id}/weigh").json()
    assert (weighed["dial"]["way"], weighed["dial"]["wrong_value_cost"]) == ("costs", 80.0)
    assert "amount" not in weighed["frontier"]["points"][-1]["thresholds"]


def test_a_reviewer_reads_reports_and_neither_trains_nor_publishes(app: FastAPI, trained: Office, version: int) -> None:
    with client_of(app, trained, "reviewer") as reviewer:
        assert reviewer.get(f"{V1}/versions/{version}").status_code == 200
        assert reviewer.post(f"{V1}/types/{trained.type_id}/versions").status_code == 403
        assert reviewer.post(f"{V1}/versions/{version}/publish").status_code == 403
        assert reviewer.put(f"{V1}/types/{trained.type_id}/phrases", json={"pro": ["x"]}).status_code == 403
