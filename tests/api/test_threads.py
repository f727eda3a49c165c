"""What takes long leaves room for what does not."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

import pytest
from fastapi import FastAPI
from tests.api.conftest import client_of
from tests.office import Office
from tests.papers import slips

from jugum.flow.label import desk as label_desk
from jugum.web.threads import LONG, SHORT

MANY = 3 * (LONG + SHORT)


def test_pages_answer_while_many_long_requests_wait(
    app: FastAPI, office: Office, monkeypatch: pytest.MonkeyPatch
) -> None:
    document = office.bring(slips(1)[0])
    begun, go_on = threading.Semaphore(0), threading.Event()

    def slow(*given: object) -> list[object]:
        begun.release()
        assert go_on.wait(60)
        return []

    monkeypatch.setattr(label_desk, "late_suggestions", slow)
    path = f"/api/v1/documents/{document}/suggestions?first=1&last=1"
    with client_of(app, office, "analyst") as client, ThreadPoolExecutor(MANY) as pool:
        waiting = [pool.submit(client.get, path) for _ in range(MANY)]
        try:
            for _ in range(LONG):
                assert begun.acquire(timeout=60)
            assert not any(request.done() for request in waiting)
            assert [client.get("/api/v1/workspaces").status_code for _ in range(SHORT)] == [200] * SHORT
            assert client.get("/health").status_code == 200
            assert not begun.acquire(blocking=False)
        finally:
            go_on.set()
        assert {request.result().status_code for request in waiting} == {200}
