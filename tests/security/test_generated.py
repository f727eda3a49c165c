"""No request that its own description allows, and none that breaks it, is an error of the API's. `bench.api` sends
many more, to a whole office."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import httpx2
import pytest
import requests
import uvicorn
from fastapi import FastAPI
from tests.client import sign_in_client
from tests.generated import ask_all
from tests.office import PASSWORD, Office
from tests.papers import slips

from jugum.cluster import free_port
from jugum.web.description import described


@contextmanager
def served(app: FastAPI) -> Iterator[str]:
    """The application at a port."""
    server = uvicorn.Server(uvicorn.Config(app, port=free_port(), log_level="error"))
    thread = threading.Thread(target=server.run)
    thread.start()
    try:
        while not server.started:
            assert thread.is_alive()
            time.sleep(0.05)
        yield f"http://127.0.0.1:{server.config.port}"
    finally:
        server.should_exit = True
        thread.join()


@pytest.mark.long
def test_generated_requests_meet_no_error(app: FastAPI, trained: Office, run_jobs: Callable[[], None]) -> None:
    papers = [trained.bring(slips(1, 60)[0]), trained.bring(slips(1, 61)[0], "live")]
    run_jobs()
    known = {
        **{"type_id": [trained.type_id], "workspace_id": [trained.workspace_id], "document_id": papers},
        **{"version_id": [1], "key": ["member", "amount"], "number": [1], "kind": ["json", "pdf", "jsonl"]},
    }
    with served(app) as url, httpx2.Client(base_url=url) as browser, requests.Session() as session:
        sign_in_client(browser, "admin", PASSWORD)
        session.cookies.update(dict(browser.cookies))
        session.headers["X-CSRF-Token"] = browser.headers["X-CSRF-Token"]
        found = ask_all(described(app), url, session, known, examples=1)
        assert browser.get("/health").status_code == 200
    assert not found.faults, "\n".join(f"{label}: {said}" for (label, _), said in found.faults.items())
    assert sum(found.answers.values()) > 200
    assert found.answers[200] > 50
