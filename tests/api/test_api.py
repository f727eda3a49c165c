"""The API: who may, and a client program's way from an empty workspace to results."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient
from psycopg.errors import ForeignKeyViolation, NotNullViolation
from sqlalchemy.exc import IntegrityError
from tests.api.conftest import client_of
from tests.client import csrf_token
from tests.office import PASSWORD, Office
from tests.papers import slip_pdf, slips

from jugum.flow.label import desk as label_desk
from jugum.flow.label import layouts
from jugum.flow.office import keys, people
from jugum.flow.office import types as types_
from jugum.settings import Settings
from jugum.store.queue import Task, enqueue
from jugum.web.app import create_app
from jugum.web.security import Public, Requires


def routes(app: FastAPI) -> list[APIRoute]:
    found, waiting = [], list(app.routes)
    while waiting:
        route = waiting.pop()
        if isinstance(route, APIRoute):
            found.append(route)
        inner = getattr(route, "original_router", None) or getattr(route, "router", None)
        waiting.extend(getattr(inner, "routes", []))
    return found


def test_every_route_declares_what_it_requires(app: FastAPI) -> None:
    found = routes(app)
    assert len(found) > 50
    for route in found:
        declared = [d.call for d in route.dependant.dependencies if isinstance(d.call, Requires | Public)]
        declared += [d.dependency for d in route.dependencies if isinstance(d.dependency, Requires | Public)]
        assert declared, f"{route.methods} {route.path} declares nothing"


def test_without_a_sign_in_pages_lead_there_and_the_api_says_so(visitor: TestClient) -> None:
    page = visitor.get("/types/1/gather", follow_redirects=False)
    assert (page.status_code, page.headers["location"]) == (303, "/sign-in?next=/types/1/gather")
    answer = visitor.get("/api/v1/workspaces")
    assert (answer.status_code, answer.json()["error"]) == (401, "Sign in first.")
    assert visitor.get("/api/v1/workspaces", headers={"Authorization": "Bearer jug_wrong"}).status_code == 401


def sign_in(visitor: TestClient, login: str = "analyst", **more: str) -> str:
    token = csrf_token(visitor)
    visitor.post(
        "/sign-in", data={"login": login, "password": PASSWORD, "csrf_token": token, **more}, follow_redirects=False
    )
    return csrf_token(visitor, "/")


def test_a_session_needs_the_token_for_every_change(visitor: TestClient) -> None:
    token = sign_in(visitor)
    body = {"name": "New place"}
    assert visitor.post("/api/v1/workspaces", json=body).status_code == 403
    assert visitor.post("/api/v1/workspaces", json=body, headers={"X-CSRF-Token": "wrong"}).status_code == 403
    assert visitor.post("/api/v1/workspaces", json=body, headers={"X-CSRF-Token": token}).status_code == 201
    assert visitor.post("/workspaces", data=body).status_code == 403
    assert visitor.post("/workspaces", data={"name": "Other", "csrf_token": token}).status_code == 200


def test_what_failed_in_the_background_stands_on_the_overview_until_it_succeeds(
    visitor: TestClient, office: Office, run_jobs: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    def broken(*given: object) -> None:
        raise ZeroDivisionError("inside")

    sign_in(visitor)
    for failing in (True, False):
        with office.store.session() as session:
            enqueue(session, Task.GROUP_LAYOUTS, type_id=office.type_id)
        with monkeypatch.context() as patch:
            if failing:
                patch.setattr(layouts, "group_new", broken)
            run_jobs()
        page = visitor.get("/").text
        assert ("Failed in the background" in page) is failing
        assert ("Grouping papers by layout" in page) is failing
        assert "inside" not in page


def test_signing_in_never_leads_to_another_site(visitor: TestClient) -> None:
    token = csrf_token(visitor)
    for place in ("//elsewhere.example", "https://elsewhere.example", "/\\elsewhere.example"):
        answer = visitor.post(
            "/sign-in",
            data={"login": "analyst", "password": PASSWORD, "csrf_token": token, "next": place},
            follow_redirects=False,
        )
        assert answer.headers["location"] == "/"
        token = csrf_token(visitor, "/")


def test_a_wrong_password_keeps_the_login_typed(visitor: TestClient) -> None:
    token = csrf_token(visitor)
    answer = visitor.post("/sign-in", data={"login": "analyst", "password": "no", "csrf_token": token})
    assert answer.status_code == 401
    assert 'value="analyst"' in answer.text


def test_pages_carry_a_strict_policy_and_no_inline_script(visitor: TestClient, office: Office) -> None:
    sign_in(visitor)
    for path in (
        "/",
        "/keys",
        *(
            f"/types/{office.type_id}/{step}"
            for step in ("gather", "plan", "label", "train", "weigh", "review", "deliver")
        ),
    ):
        page = visitor.get(path)
        assert page.status_code == 200, path
        assert "script-src 'self'" in page.headers["content-security-policy"]
        assert not re.search(r"<script(?![^>]*\bsrc=)|\sstyle=|\son\w+=", page.text), path


def test_what_is_wrong_is_answered_in_words(app: FastAPI, office: Office) -> None:
    client = client_of(app, office, "analyst")
    assert client.get("/api/v1/documents/99").status_code == 404
    assert client.get("/api/v1/types/99/fields").json()["error"] == "There is no document type 99."
    assert (
        client.post(f"/api/v1/types/{office.type_id}/fields", json={"name": "Amount", "number": 3}).status_code == 409
    )
    assert "name" in client.post("/api/v1/workspaces", json={}).json()["error"]
    empty = client.post(f"/api/v1/types/{office.type_id}/documents", files={"file": ("a.pdf", b"")})
    assert (empty.status_code, empty.json()["error"]) == (
        422,
        "“a.pdf” is empty (0 bytes). Send it again from where it was made.",
    )
    reviewer = client_of(app, office, "reviewer")
    assert reviewer.post("/api/v1/workspaces", json={"name": "X"}).status_code == 403


def test_the_openapi_page_tells_of_every_address(client: TestClient, visitor: TestClient) -> None:
    assert visitor.get("/api/v1/openapi.json").status_code == 401
    schema = client.get("/api/v1/openapi.json").json()
    assert "/api/v1/types/{type_id}/documents" in schema["paths"]
    page = client.get("/api").text
    assert all(path in page for path in schema["paths"])


def test_when_the_database_is_away_the_answer_says_so(settings: Settings) -> None:
    away = settings.model_copy(update={"database_url": "postgresql://nobody:x@127.0.0.1:1/none"})
    with TestClient(create_app(away), raise_server_exceptions=False) as client:
        answer = client.get("/api/v1/workspaces", headers={"Authorization": "Bearer x"})
    assert answer.status_code == 503
    assert "database does not answer" in answer.json()["error"]


@pytest.mark.parametrize(("cause", "status"), [(ForeignKeyViolation(), 409), (NotNullViolation(), 500)])
def test_what_was_removed_in_the_same_moment_is_told(
    client: TestClient, office: Office, monkeypatch: pytest.MonkeyPatch, cause: Exception, status: int
) -> None:
    def refused(*given: object, **more: object) -> None:
        raise IntegrityError("INSERT", None, cause)

    document = office.bring(slips(1)[0])
    monkeypatch.setattr(label_desk, "set_label", refused)
    answer = client.put(f"/api/v1/documents/{document}/labels/amount", json={"revision": 0})
    assert (answer.status_code, "removed this in the same moment" in answer.json()["error"]) == (status, status == 409)


def test_a_client_program_goes_from_an_empty_workspace_to_results(
    app: FastAPI, office: Office, run_jobs: Callable[[], None]
) -> None:
    workspace = types_.add_workspace(office.store, office.analyst, "North Quay")
    key = keys.make_key(office.store, people.actor_by_login(office.store, "analyst"), "import", workspace)
    client = TestClient(app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)

    def post(path: str, expected: int = 201, **more: object) -> dict[str, object]:
        answer = client.post(f"/api/v1{path}", **more)  # type: ignore[arg-type]
        assert answer.status_code == expected, answer.text
        return answer.json()  # type: ignore[no-any-return]

    assert client.post("/api/v1/workspaces", json={"name": "South Quay"}).status_code == 403  # a key is for one
    kind = post(f"/workspaces/{workspace}/types", json={"name": "Slip"})["id"]
    for number, (name, data_type, printed) in enumerate(
        (("Member", "text", "Paid by"), ("Paid on", "date", "Date"), ("Amount", "money", "Total"))
    ):
        given = {"name": name, "data_type": data_type, "printed_names": [printed], "number": number}
        post(f"/types/{kind}/fields", json=given)
    rows = [("file", "type", "field", "value")]
    for number, slip in enumerate(slips(8)):
        post(
            f"/types/{kind}/documents",
            files={"file": (f"s{number}.pdf", slip_pdf(slip, number % 2))},
            data={"purpose": "sample"},
        )
        rows += [(f"s{number}.pdf", "Slip", key, text) for key, text in slip.truth.items()]
    run_jobs()
    keyed = io.StringIO()
    csv.writer(keyed).writerows(rows)
    report = post(
        f"/types/{kind}/labels.csv", 200, files={"file": ("k.csv", keyed.getvalue())}, data={"complete": "true"}
    )
    assert report["placed"] == 24
    version = post(f"/types/{kind}/versions")["id"]
    run_jobs()
    assert client.get(f"/api/v1/versions/{version}").json()["state"] == "on trial"
    post(f"/versions/{version}/publish", 200)
    weighed = client.get(f"/api/v1/types/{kind}/weigh").json()
    thresholds = {balance["key"]: 0.5 for balance in weighed["balances"]}
    post(f"/types/{kind}/policies", json={"thresholds": thresholds, "layout_similarity_min": 0.4})
    slip = slips(1, start=55)[0]
    document = post(f"/types/{kind}/documents", files={"file": ("live.pdf", slip_pdf(slip, 1))})["document_id"]
    run_jobs()
    assert client.get(f"/api/v1/documents/{document}").json()["state"] == "passed"
    assert client.get(f"/api/v1/documents/{document}/pages").json()[0]["words"][0][0] == "Berth"
    result = client.get(f"/api/v1/types/{kind}/results").json()["rows"][0]["values"]
    assert {key: values[0]["text"] for key, values in result.items()} == slip.truth
    delivery = post(f"/types/{kind}/deliveries", json={"format": "csv"})
    assert slip.member in client.get(f"/deliveries/{delivery['id']}").text
