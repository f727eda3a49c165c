"""The application in the process, and clients of it."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from tests.office import Office

from jugum.flow.office import people
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
    key = people.make_key(office.store, office.actors[login], "test")
    return TestClient(app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)


@pytest.fixture
def client(app: FastAPI, office: Office) -> Iterator[TestClient]:
    """A client program with the analyst's key."""
    with client_of(app, office, "analyst") as made:
        yield made
