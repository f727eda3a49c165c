"""Plans over the API: fields of every kind, checks, lists, files, the living sample; what is wrong is said and
where."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.client import as_seen
from tests.office import Office
from tests.papers import slips

from jugum.demo.papers import plan_bytes
from jugum.flow.office import people
from jugum.flow.plan import fields as plan_fields
from jugum.flow.plan.fields import FieldInput

Run = Callable[[], None]


def ask(client: Any, method: str, path: str, expected: int = 200, **more: Any) -> Any:
    answer = client.request(method, f"/api/v1{path}", **more)
    assert answer.status_code == expected, answer.text
    return answer.json() if answer.content else None


def change(client: Any, method: str, path: str, expected: int = 200, json: dict[str, Any] | None = None) -> Any:
    """A change of the plan, or the paper, as it is now."""

    def call(method: str, path: str, **more: Any) -> Any:
        return ask(client, method, path, 200 if method == "GET" else expected, **more)

    return as_seen(call, method, path, json)


def test_a_plan_of_every_kind_of_field_is_built_checked_and_taken_away(client: Any, office: Office) -> None:
    path = f"/types/{office.type_id}"
    change(
        client,
        "POST",
        f"{path}/fields",
        201,
        json={
            "name": "Goods",
            "kind": "table",
            "required": False,
            "columns": [{"name": "Item"}, {"name": "Sum", "data_type": "money"}],
        },
    )
    change(
        client,
        "POST",
        f"{path}/fields",
        201,
        json={"name": "Terms", "kind": "clause", "printed_names": ["Terms of mooring"]},
    )
    change(
        client,
        "POST",
        f"{path}/fields",
        201,
        json={
            "name": "Until",
            "data_type": "date",
            "inside": "terms",
            "rules": [{"where": "right of", "words": "until"}],
        },
    )
    change(
        client,
        "POST",
        f"{path}/fields",
        201,
        json={"name": "Double", "data_type": "money", "kind": "derived", "expression": "amount * 2", "required": False},
    )
    kinds = {field["key"]: field["kind"] for field in ask(client, "GET", f"{path}/fields")}
    assert (
        kinds | {"goods": "table", "goods.sum": "value", "terms": "clause", "until": "value", "double": "derived"}
        == kinds
    )
    change(client, "PUT", f"{path}/fields/goods.sum", json={"name": "Sum", "data_type": "number", "inside": "goods"})
    change(client, "PUT", f"{path}/fields/double/position", json={"position": 0})
    change(client, "POST", f"{path}/fields/amount/copy", 201)
    assert ask(client, "POST", f"{path}/fields/amount/effects")["words"] == []
    number = change(client, "DELETE", f"{path}/fields/amount_2")["number"]
    assert ask(client, "DELETE", f"{path}/fields/goods.item?number=1", 409)["error"].startswith(
        "The plan of “Mooring slip” was changed"
    )
    versions = ask(client, "GET", f"{path}/plan-versions")
    assert (versions[0]["number"], versions[0]["said"]) == (number, "removed “Amount 2”")
    change(client, "POST", f"{path}/plan-versions/{number - 1}")
    assert "amount_2" in {field["key"] for field in ask(client, "GET", f"{path}/fields")}


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"name": "X", "data_type": "colour"}, "not a data type"),
        ({"name": "X", "kind": "derived", "expression": "amount +"}, "at letter 9"),
        ({"name": "X", "kind": "derived", "expression": "x"}, "circle"),
        ({"name": "X", "rules": [{"pattern": "("}]}, "is not valid"),
        ({"name": "X", "data_type": "choice"}, "at least two options"),
        ({"name": "X", "inside": "member"}, "neither a table nor a section"),
        ({"name": "X", "output": {"pattern": "qqqqqqq{", "locale": "xx"}}, "not a known language"),
        ({"name": "Amount"}, "already"),
    ],
)
def test_what_is_wrong_with_a_field_is_said(client: Any, office: Office, body: dict[str, Any], said: str) -> None:
    number = ask(client, "GET", f"/types/{office.type_id}/plan")["number"]
    answer = client.post(f"/api/v1/types/{office.type_id}/fields", json={**body, "number": number})
    assert answer.status_code in (409, 422)
    assert said in answer.json()["error"]


def test_checks_and_lists(client: Any, office: Office) -> None:
    path = f"/types/{office.type_id}"
    csv = {"file": ("m.csv", b"name;town\nOddny Strand;Tarnby\nPer Holm;Lowfell\n")}
    assert ask(client, "POST", "/workspaces/1/lists/members/csv", files=csv)["entries"] == ["Oddny Strand", "Per Holm"]
    assert ask(client, "PUT", "/workspaces/1/lists/towns", json={"entries": ["Tarnby"]})["entries"] == ["Tarnby"]
    assert [one["name"] for one in ask(client, "GET", "/workspaces/1/lists")] == ["members", "towns"]
    assert "one entry" in ask(client, "PUT", "/workspaces/1/lists/none", 422, json={"entries": [" "]})["error"]
    bad = {"file": ("m.csv", b"\xff\xfe")}
    assert "not UTF-8" in ask(client, "POST", "/workspaces/1/lists/members/csv", 422, files=bad)["error"]
    key = change(
        client,
        "PUT",
        f"{path}/checks",
        json={"expression": 'listed(member, "members")', "message": "Unknown member", "severity": "advisory"},
    )["key"]
    assert key == "unknown_member"
    assert "at letter 1" in change(client, "PUT", f"{path}/checks", 422, json={"expression": "sum > 1"})["error"]
    assert ask(client, "POST", f"{path}/checks/try", json={"expression": "amount > 0"}) == {
        "holds": 0,
        "fails": 0,
        "open": 0,
        "failed": [],
    }
    assert "listed" in ask(client, "GET", "/expression-functions")
    change(client, "DELETE", f"{path}/checks/{key}")
    assert "no check" in change(client, "DELETE", f"{path}/checks/{key}", 404)["error"]


def test_plans_come_in_and_go_out_as_files(client: Any, office: Office) -> None:
    stub = json.loads(plan_bytes("pay-stub"))
    made = ask(client, "POST", "/workspaces/1/plans", 201, json=stub)["id"]
    out = ask(client, "GET", f"/types/{made}/plan.json")
    assert out == stub | {"lists": out["lists"]}
    wrong = {**stub, "name": "Other", "fields": [{**stub["fields"][0], "colour": "red"}]}
    assert (
        "“fields → 1 → colour”, which is not a known key"
        in ask(client, "POST", "/workspaces/1/plans", 422, json=wrong)["error"]
    )
    number = ask(client, "GET", f"/types/{office.type_id}/plan")["number"]
    ask(client, "PUT", f"/types/{office.type_id}/plan.json?number={number}", json={**out, "name": ""})
    assert len(ask(client, "GET", f"/types/{office.type_id}/fields")) == len(stub["fields"])
    copied = ask(client, "POST", f"/types/{made}/copy", 201, json={"name": "Copy"})["id"]
    assert ask(client, "GET", f"/types/{copied}/plan.json")["checks"] == stub["checks"]
    assert ask(client, "GET", "/plan-schema")["title"] == "Jugum plan"


def test_the_sample_answers_while_a_field_is_typed(client: Any, office: Office, run_jobs: Run) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    path = f"/types/{office.type_id}/sample/{document}"
    seen = ask(client, "POST", path, json={"field": {"name": "Sum", "data_type": "money", "printed_names": ["Total"]}})
    assert [field["key"] for field in seen["fields"]] == ["member", "paid_on", "amount", "new_field"]
    assert (
        "at least two options"
        in ask(client, "POST", path, json={"field": {"name": "X", "data_type": "choice"}})["problem"]
    )
    assert isinstance(ask(client, "GET", f"{path}/proposals"), list)
    nothing = ask(
        client, "POST", f"/documents/{document}/table-proposal", 422, json={"page": 1, "box": [0.9, 0.9, 1, 1]}
    )
    assert "There are no columns here" in nothing["error"]
    assert ask(client, "GET", f"/types/{office.type_id}/fields/amount/normal-form?text=1 200,5")["normal"] == "1200.50"


def test_tables_are_labelled_over_the_api(client: Any, office: Office, run_jobs: Run) -> None:
    columns = [FieldInput(name="Item"), FieldInput(name="Sum", data_type="money")]
    plan_fields.add_field(
        office.store, office.analyst, office.type_id, FieldInput(name="Goods", kind="table"), columns=columns
    )
    document = office.bring(slips(1)[0])
    run_jobs()
    body = {"rows": [{"goods.item": {"text": "plank"}, "goods.sum": {"text": "12,00"}}]}
    change(client, "PUT", f"/documents/{document}/labels/goods", json=body)
    (goods,) = [
        field for field in ask(client, "GET", f"/documents/{document}/label-desk")["fields"] if field["key"] == "goods"
    ]
    assert [[cell["normal"] for cell in row] for row in goods["rows"]] == [["plank", "12.00"]]


def test_who_may_not_see_personal_values_gets_no_paper_that_shows_them(
    app: FastAPI, office: Office, run_jobs: Run
) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    personal = FieldInput(name="Member", data_type="text", printed_names=["Paid by"], personal=True)
    plan_fields.change_field(office.store, office.analyst, office.type_id, "member", personal)
    people.set_sees_personal(office.store, office.actors["admin"], office.analyst.id, sees=False)
    masked = client_of(app, office, "analyst")
    for path in (
        f"/api/v1/documents/{document}/pages",
        f"/documents/{document}/pages/1.jpg",
        f"/documents/{document}/explore",
        f"/api/v1/documents/{document}/labels",
    ):
        assert masked.get(path).status_code == 403, path
    assert client_of(app, office, "analyst2").get(f"/api/v1/documents/{document}/pages").status_code == 200
