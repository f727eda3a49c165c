"""The application in the process, and clients of it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from tests.client import sign_in_client
from tests.office import PASSWORD, Office

from jugum.flow.office import keys


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
    sign_in_client(browser, login, PASSWORD)
    return browser


@pytest.fixture
def client(app: FastAPI, office: Office) -> Iterator[TestClient]:
    """A client program with the analyst's key."""
    with client_of(app, office, "analyst") as made:
        yield made
