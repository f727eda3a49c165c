"""What a request says is read only after it is known who says it, whether they may, and that it is not too much."""

from __future__ import annotations

import asyncio
from typing import Any

import pytest
from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.errors import StorageFull
from jugum.flow.gather import documents
from jugum.flow.office import keys
from jugum.settings import Settings
from jugum.web.app import create_app
from jugum.web.gate import BODY_MOST

CHUNK = b"x" * 100_000


def sent(app: FastAPI, path: str, *, key: str = "", length: int | None = None, kind: str = "application/json") -> Any:
    """Status of an answer to a body without end, and how many bytes of it were taken."""
    taken = 0
    status: list[int] = []

    async def receive() -> dict[str, Any]:
        nonlocal taken
        taken += len(CHUNK)
        return {"type": "http.request", "body": CHUNK, "more_body": True}

    async def send(message: dict[str, Any]) -> None:
        if message["type"] == "http.response.start":
            status.append(message["status"])

    headers = [(b"host", b"testserver"), (b"content-type", kind.encode())]
    headers += [(b"authorization", f"Bearer {key}".encode())] if key else []
    headers += [(b"content-length", str(length).encode())] if length is not None else []
    scope = {
        **{"type": "http", "method": "POST", "path": path, "raw_path": path.encode(), "query_string": b""},
        **{"headers": headers, "client": ("test", 1), "server": ("testserver", 80), "scheme": "http"},
        **{"http_version": "1.1", "root_path": "", "state": {}, "asgi": {"version": "3.0"}},
    }
    asyncio.run(app(scope, receive, send))
    return status[0], taken


def test_of_what_nobody_and_of_what_somebody_without_the_right_sends_nothing_is_read(
    app: FastAPI, office: Office
) -> None:
    path = f"/api/v1/types/{office.type_id}/fields"
    assert sent(app, path) == (401, 0)
    reviewer = keys.make_key(office.store, office.reviewer, "x", office.workspace_id)
    assert sent(app, path, key=reviewer) == (403, 0)
    analyst = keys.make_key(office.store, office.analyst, "x", office.workspace_id)
    assert sent(app, "/api/v1/types/99/fields", key=analyst) == (404, 0)


def test_a_body_that_is_too_large_is_told_before_it_is_read_or_when_it_has_grown_so(
    app: FastAPI, office: Office
) -> None:
    path = f"/api/v1/types/{office.type_id}/fields"
    key = keys.make_key(office.store, office.analyst, "x", office.workspace_id)
    assert sent(app, path, key=key, length=300_000_000) == (413, 0)
    status, taken = sent(app, path, key=key)  # without a word how long it is
    assert status == 413
    assert taken <= BODY_MOST + len(CHUNK)


def test_a_file_may_be_as_large_as_the_settings_say_and_no_larger(settings: Settings, office: Office) -> None:
    small = create_app(settings.model_copy(update={"bytes_max": 3_000_000}))
    try:
        with client_of(small, office, "analyst") as client:
            form = {"type_id": office.type_id, "purpose": "sample"}
            big = client.post("/api/v1/documents", data=form, files={"file": ("a.pdf", b"%PDF-" + b"x" * 4_000_000)})
            assert big.status_code == 413
            assert "larger than 3 MB" in big.json()["error"]
            read = client.post("/api/v1/documents", data=form, files={"file": ("b.pdf", slip_pdf(slips(1)[0]))})
            assert read.status_code == 201
    finally:
        small.state.store.close()


def test_a_workspace_takes_files_up_to_its_limit(office: Office) -> None:
    office.bring(slips(1)[0])
    office.settings.workspace_bytes_max = 2_000
    with pytest.raises(StorageFull, match="Harbour Co-operative"):
        documents.receive(
            office.store, office.analyst, office.type_id, "more.pdf", slip_pdf(slips(2)[1]), purpose="sample"
        )


def test_an_address_that_is_none_is_told_in_words(app: FastAPI, office: Office) -> None:
    with client_of(app, office, "analyst") as client:
        assert client.get("/api/v1/nowhere").json() == {"error": "There is nothing at this address."}
        answer = client.request("DELETE", "/api/v1/workspaces")
        assert answer.status_code == 405
        assert answer.headers["allow"]
