"""The sweep and the grid of Review, by API."""

from __future__ import annotations

from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.flow.review.test_queue import hold_all
from tests.office import Office
from tests.papers import slips


def test_a_program_sweeps_a_field_and_looks_papers_over(app: FastAPI, trained: Office, run_jobs: object) -> None:
    hold_all(trained)
    papers = [trained.bring(slip, "live", 0) for slip in slips(3, 60)]
    run_jobs()  # type: ignore[operator]
    path = f"/api/v1/types/{trained.type_id}"
    with client_of(app, trained, "reviewer") as client:
        view = client.get(f"{path}/sweep", params={"field": "amount"}).json()
        order = [paper for group in view["groups"] for paper in group["papers"]]
        assert sorted(order) == papers
        rows = client.post(f"{path}/sweep/amount/take", json={"documents": order}).json()
        assert [row["document"] for row in rows] == order
        for row in rows:
            said = {"values": [{"text": row["field"]["values"][0]["text"]}], "revision": row["revision"]}
            assert client.put(f"/api/v1/documents/{row['document']}/review/amount", json=said).status_code == 200
        assert client.get(f"{path}/sweep", params={"field": "amount"}).json()["papers"] == 0
        assert client.post(f"{path}/sweep/keep", json={"documents": order, "release": True}).json() == {"papers": 3}
        assert client.get(f"{path}/sweep", params={"field": "colour"}).status_code == 422
        assert client.post(f"{path}/sweep/colour/take", json={"documents": order}).status_code == 404
        assert client.post(f"{path}/sweep/amount/take", json={"documents": [1] * 101}).status_code == 422
        first = client.get(f"{path}/grid", params={"limit": 2}).json()
        assert [row["document"] for row in first["rows"]] == papers[:0:-1]
        rest = client.get(f"{path}/grid", params={"limit": 2, "after": first["next"]}).json()
        assert [row["document"] for row in rest["rows"]] == papers[:1]
        assert rest["next"] is None
        found = client.get(f"{path}/grid", params={"field": "member", "value": slips(3, 60)[0].member}).json()
        assert [row["document"] for row in found["rows"]] == papers[:1]
        assert client.get(f"{path}/grid", params={"after": "x"}).status_code == 422
        assert client.get("/api/v1/types/99/grid").status_code == 404
