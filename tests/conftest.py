"""A throw-away PostgreSQL cluster for the run, a fresh database for each test that asks for one."""

from __future__ import annotations

import os
import shutil
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import replace
from functools import partial
from itertools import count
from pathlib import Path

import hypothesis
import psycopg
import pytest
from fastapi import FastAPI
from sqlalchemy.dialects.postgresql.psycopg import PGDialect_psycopg

from jugum.cluster import Cluster
from jugum.settings import Settings
from jugum.store import Store, database
from jugum.store.migrate import migrate
from tests.office import Office, add_crew_lists, fill_office, run_queue, train_office

os.environ["OMP_THREAD_LIMIT"] = "1"
# The same examples on every run, and no clock: a slow moment of the machine is no failure.
hypothesis.settings.register_profile("steady", derandomize=True, deadline=None)
hypothesis.settings.load_profile("steady")
ROOM = 4 << 30  # bytes
# Each test has an engine of its own; that statements are compiled once for all of them takes off a sixth of its time.
PGDialect_psycopg.__eq__ = lambda one, other: type(one) is type(other)  # type: ignore[method-assign,assignment]
PGDialect_psycopg.__hash__ = lambda one: hash(type(one))  # type: ignore[method-assign,assignment]
database.create_engine = partial(database.create_engine, execution_options={"compiled_cache": {}})
_numbers = count(1)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """The longest first: at the end no process is left alone with one of them."""
    items.sort(key=lambda item: item.get_closest_marker("long") is None)


@pytest.fixture(scope="session")
def cluster_url() -> Iterator[str]:
    """URL of the cluster's maintenance database, beside which `template_jugum` is migrated once."""
    with tempfile.TemporaryDirectory(prefix="jugum-test-", dir=_roomy_memory() or "/tmp") as folder:
        os.chmod(folder, 0o755)
        cluster = Cluster(Path(folder), durable=False)
        url = cluster.start()
        try:
            with psycopg.connect(url, autocommit=True) as connection:
                connection.execute("CREATE DATABASE template_jugum")
            migrate(_database(url, "template_jugum"))
            yield url
        finally:
            cluster.remove()


def _roomy_memory() -> str | None:
    """Where databases are copied in a third of the time, if there is room for them."""
    place = Path("/dev/shm")
    return str(place) if place.is_mount() and shutil.disk_usage(place).free > ROOM else None


GROUNDS = ("trained", "office")  # fixtures that a template database is kept for, the fullest first


class Grounds:
    """Template databases with what fixtures begin with, each filled once in a run, and the folders of their files."""

    def __init__(self, url: str, folder: Path) -> None:
        self.url, self.folder = url, folder
        self.offices: dict[str, Office] = {}

    def template(self, name: str) -> str:
        """The database to copy for a fixture, filled when it is asked for first."""
        if name in GROUNDS and name not in self.offices:
            self._create(f"template_{name}", self.template("office" if name == "trained" else "jugum"))
            home = self.folder / name
            home.mkdir()
            store = Store(_settings(_database(self.url, f"template_{name}"), home))
            try:
                if name == "office":
                    self.offices[name] = fill_office(store)
                else:
                    self.offices[name] = replace(self.offices["office"], store=store, settings=store.settings)
                    train_office(self.offices[name])
            finally:
                store.close()
        return f"template_{name}"

    def database(self, name: str) -> str:
        made = f"test_{next(_numbers)}"
        self._create(made, self.template(name))
        return made

    def _create(self, name: str, template: str) -> None:
        with psycopg.connect(self.url, autocommit=True) as connection:
            connection.execute(f"CREATE DATABASE {name} TEMPLATE {template} STRATEGY file_copy")


def _database(url: str, name: str) -> str:
    return url.rsplit("/", 1)[0] + f"/{name}"


def _settings(url: str, home: Path) -> Settings:
    return Settings(home=home, database_url=url, secret="only for tests", engine="quick", hosts="testserver,127.0.0.1")


@pytest.fixture(scope="session")
def grounds(cluster_url: str, tmp_path_factory: pytest.TempPathFactory) -> Grounds:
    return Grounds(cluster_url, tmp_path_factory.mktemp("grounds"))


@contextmanager
def _filled(grounds: Grounds, ground: str, home: Path) -> Iterator[Settings]:
    """A database and a folder of their own, filled as a fixture begins with."""
    name = grounds.database(ground)
    if (grounds.folder / ground).exists():
        shutil.copytree(grounds.folder / ground, home, dirs_exist_ok=True)
    yield _settings(_database(grounds.url, name), home)
    with psycopg.connect(grounds.url, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


@contextmanager
def own_office(grounds: Grounds, home: Path) -> Iterator[tuple[Settings, Office]]:
    """What `settings` and `trained` are, for a module whose tests leave it as it was."""
    with _filled(grounds, "trained", home) as settings:
        store = Store(settings)
        yield settings, replace(grounds.offices["office"], store=store, settings=settings)
        store.close()


@pytest.fixture
def settings(grounds: Grounds, tmp_path: Path, request: pytest.FixtureRequest) -> Iterator[Settings]:
    ground = next((name for name in GROUNDS if name in request.fixturenames), "jugum")
    with _filled(grounds, ground, tmp_path) as filled:
        yield filled


@pytest.fixture
def store(settings: Settings) -> Iterator[Store]:
    made = Store(settings)
    yield made
    made.close()


@pytest.fixture
def office(store: Store, grounds: Grounds) -> Office:
    """A store with an administrator, an analyst, a reviewer and a workspace with one document type of three fields."""
    return replace(grounds.offices["office"], store=store, settings=store.settings)


@pytest.fixture
def run_jobs(store: Store) -> Callable[[], None]:
    """Run everything on the queue with a real worker, until it is empty."""
    return lambda: run_queue(store)


@pytest.fixture
def app(settings: Settings, office: Office) -> Iterator[FastAPI]:
    """The web application on the office's store."""
    from jugum.web.app import create_app

    made = create_app(settings)
    yield made
    made.state.store.close()


@pytest.fixture
def trained(office: Office) -> Office:
    """Ten labelled slips of two layouts, a live version, a policy."""
    return office


@pytest.fixture
def two_types(office: Office, run_jobs: Callable[[], None]) -> int:
    """A second type, and five papers of each; the classifier has learned. Returns the second type's id."""
    return add_crew_lists(office, run_jobs)
