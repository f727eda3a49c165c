"""Policies of placing papers and splitting bundles, by API."""

from __future__ import annotations

from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.office import Office


def test_how_papers_are_placed_is_weighed_and_set_by_a_program(app: FastAPI, office: Office, two_types: int) -> None:
    path = f"/api/v1/workspaces/{office.workspace_id}/sorting/types"
    keys = sorted(map(str, (office.type_id, two_types)))
    with client_of(app, office, "analyst") as client:
        view = client.get(f"{path}/weigh").json()
        assert sorted(balance["key"] for balance in view["balances"]) == keys
        assert view["policy"] is None
        assert all(len(balance["along"]) == len(view["grid"]) for balance in view["balances"])
        found = client.post(f"{path}/frontier", json={"error_most": 0.1}).json()
        proposed = found["points"][found["proposed"]]
        assert sorted(proposed["thresholds"]) == keys
        assert proposed["said"].startswith("At most 10 % wrong among papers placed by the program")
        body = {"thresholds": proposed["thresholds"], "note": "by a program", "dial": {"error_most": 0.1}}
        assert client.post(f"{path}/policies", json=body).json() == {"number": 1}
        kept = client.get(f"{path}/policies/1").json()
        assert (kept["note"], kept["dial"]["error_most"]) == ("by a program", 0.1)
        assert client.post(f"{path}/policies", json=kept).json() == {"number": 2}  # as it was taken out
        assert [policy["number"] for policy in client.get(f"{path}/policies").json()] == [2, 1]
        assert client.get(f"{path}/lately").json()["waiting"] == 0
        assert client.post(f"{path}/weigh/trial", json={"thresholds": kept["thresholds"]}).json()["papers"] == 0
        assert client.post(f"{path}/policies", json={"thresholds": {keys[0]: 2}}).status_code == 422
        assert client.get(f"{path}/policies/9").status_code == 404
        wrong = path.replace("types", "colours")
        assert client.get(f"{wrong}/weigh").status_code == 422
        assert client.get(f"/api/v1/workspaces/{office.workspace_id}/sorting/bundles/weigh").status_code == 422
        assert client.get("/api/v1/workspaces/99/sorting/types/weigh").status_code == 404
    with client_of(app, office, "reviewer") as client:
        assert client.get(f"{path}/weigh").status_code == 200
        assert client.post(f"{path}/policies", json=kept).status_code == 403
