"""Answers that tell how far the work is, line by line."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from fastapi.testclient import TestClient
from tests.office import Office
from tests.papers import slips

from jugum.flow.label import past_records
from jugum.web import progress

LINES = {"Accept": "application/x-ndjson, application/json"}


def sent(client: TestClient, office: Office, data: bytes, headers: dict[str, str]) -> Any:
    path = f"/api/v1/types/{office.type_id}/labels.csv"
    return client.post(path, files={"file": ("k.csv", data)}, headers=headers)


def lines_of(answer: Any) -> list[dict[str, Any]]:
    assert answer.status_code == 200
    assert answer.headers["content-type"].startswith("application/x-ndjson")
    return [json.loads(line) for line in answer.text.splitlines()]


def test_an_import_tells_how_far_it_is_and_what_came_of_it(
    client: TestClient, office: Office, run_jobs: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(progress, "TOLD_EVERY", 0.0)
    rows = ["file,type,field,value"]
    for slip in slips(3):
        office.bring(slip)
        rows.append(f'slip-{slip.member.replace(" ", "-")}-0.pdf,,amount,"{slip.amount}"')
    run_jobs()
    *told, last = lines_of(sent(client, office, "\n".join(rows).encode(), LINES))
    assert told == [{"done": n, "of": 6} for n in range(1, 7)]
    assert last == {"result": {"placed": 3, "ambiguous": 0, "not_found": 0, "unknown": []}}
    # Who asks for no lines gets the result alone.
    assert sent(client, office, "\n".join(rows).encode(), {}).json() == last["result"]


def test_what_goes_wrong_on_the_way_is_the_last_line(
    client: TestClient, office: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    (refused,) = lines_of(sent(client, office, b"no,such,columns\n1,2,3\n", LINES))
    assert refused["status"] == 422
    assert "file" in refused["error"]

    def fails(*given: object, **more: object) -> None:
        raise RuntimeError("a secret of the program")

    monkeypatch.setattr(past_records, "import_records", fails)
    (broken,) = lines_of(sent(client, office, b"file,type,field,value\n", LINES))
    assert broken["status"] == 500
    assert "reference" in broken["error"]
    assert "secret" not in broken["error"]
