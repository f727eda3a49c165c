"""Spot checks and live figures by API."""

from __future__ import annotations

from collections.abc import Callable

from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.flow.review.test_spot_checks import FIELDS, broken, check_all, passed
from tests.office import Office

Run = Callable[[], None]


def test_how_papers_are_checked_is_set_and_read_by_a_program(app: FastAPI, trained: Office) -> None:
    with client_of(app, trained, "analyst") as client:
        path = f"/api/v1/types/{trained.type_id}/checking"
        body = {"on": True, "probation_rate": 0.4, "tell": ["a@b.example"], "deliver_after": True}
        assert client.put(path, json=body).status_code == 204
        kept = client.get(path).json()
        assert {key: kept[key] for key in body} == body
        assert client.put(path, json={"probation": 0.4}).status_code == 422
        assert client.put(path, json={"tell": ["nobody"]}).status_code == 422
    with client_of(app, trained, "reviewer") as client:
        assert client.get(path).json() == kept
        assert client.put(path, json=body).status_code == 403


def test_checks_are_answered_and_their_figures_read_by_a_program(app: FastAPI, trained: Office, run_jobs: Run) -> None:
    check_all(trained)
    (document,) = passed(trained, run_jobs, 41)
    with client_of(app, trained, "reviewer") as client:
        desk = client.get(f"/api/v1/documents/{document}/review-desk").json()
        assert desk["check"] == "open"
        for field in desk["fields"]:
            body = {"values": [{"text": field["values"][0]["text"]}], "revision": desk["revision"]}
            desk["revision"] = client.put(f"/api/v1/documents/{document}/review/{field['key']}", json=body).json()[
                "revision"
            ]
        found = client.get(f"/api/v1/types/{trained.type_id}/spot-checks").json()
        assert (found["papers"], found["all"]["outcome"]["passing"], found["promise"]["error_most"]) == (1, 3, 0.02)
        assert [won["papers"] for won in found["winnings"]] == [1]
        figures = client.get(f"/api/v1/types/{trained.type_id}/live-figures", params={"span": "day"}).json()
        (day,) = figures["periods"]
        assert (day["papers"], day["through"], day["checked"]["wrong"]) == ([document], {"count": 1, "total": 1}, 0)
        assert client.get(f"/api/v1/types/{trained.type_id}/live-figures?span=year").status_code == 422


def test_a_policy_is_resumed_by_a_program(app: FastAPI, trained: Office, run_jobs: Run) -> None:
    broken(trained, run_jobs)
    path = f"/api/v1/types/{trained.type_id}"
    with client_of(app, trained, "analyst") as client:
        breach = client.get(f"{path}/steps").json()["breach"]
        assert breach["wrong"] == breach["values"] >= len(FIELDS)
        assert client.post(f"{path}/policies/resume", json={"reason": ""}).status_code == 422
        assert client.post(f"{path}/policies/resume", json={"reason": "mended"}).status_code == 204
        assert client.get(f"{path}/steps").json()["breach"] is None
        assert client.post(f"{path}/policies/resume", json={"reason": "again"}).status_code == 409
