"""The application in the process, and clients of it."""

from __future__ import annotations

import re
from collections.abc import Iterator

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from tests.office import PASSWORD, Office

from jugum.flow.office import keys
from jugum.settings import Settings
from jugum.web.app import create_app


@pytest.fixture
def app(settings: Settings, office: Office) -> Iterator[FastAPI]:
    made = create_app(settings)
    yield made
    made.state.store.close()


@pytest.fixture
def visitor(app: FastAPI) -> Iterator[TestClient]:
    with TestClient(app, raise_server_exceptions=False) as client:
        yield client


def client_of(app: FastAPI, office: Office, login: str) -> TestClient:
    """A client with somebody's key for the workspace; an administrator is signed in, since keys administer nothing."""
    if login == "admin":
        return signed_in(app, login)
    key = keys.make_key(office.store, office.actors[login], "test", office.workspace_id)
    return TestClient(app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)


def signed_in(app: FastAPI, login: str) -> TestClient:
    """A browser of somebody who is signed in, whose scripts send the token."""
    browser = TestClient(app, raise_server_exceptions=False)
    token = _token(browser, "/sign-in")
    form = {"login": login, "password": PASSWORD, "csrf_token": token}
    assert browser.post("/sign-in", data=form, follow_redirects=False).status_code == 303
    browser.headers["X-CSRF-Token"] = _token(browser, "/guide")
    return browser


def _token(browser: TestClient, path: str) -> str:
    found = re.search(r'name="csrf" content="([^"]+)"', browser.get(path).text)
    assert found is not None
    return found[1]


@pytest.fixture
def client(app: FastAPI, office: Office) -> Iterator[TestClient]:
    """A client program with the analyst's key."""
    with client_of(app, office, "analyst") as made:
        yield made
