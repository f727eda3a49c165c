"""A throw-away PostgreSQL cluster for the run, a fresh database for each test that asks for one."""

from __future__ import annotations

import asyncio
import os
import tempfile
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import count
from pathlib import Path

import hypothesis
import psycopg
import pytest

from jugum.cluster import Cluster
from jugum.flow import people, plan, train
from jugum.flow.actor import Actor
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.migrate import migrate
from tests.office import PASSWORD, Office
from tests.papers import slips

os.environ["OMP_THREAD_LIMIT"] = "1"
# The same examples on every run, and no clock: a slow moment of the machine is no failure.
hypothesis.settings.register_profile("steady", derandomize=True, deadline=None)
hypothesis.settings.load_profile("steady")
_numbers = count(1)


@pytest.fixture(scope="session")
def cluster_url() -> Iterator[str]:
    """URL of the cluster's maintenance database, beside which `template_jugum` is migrated once."""
    with tempfile.TemporaryDirectory(prefix="jugum-test-", dir="/tmp") as folder:
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


def _database(url: str, name: str) -> str:
    return url.rsplit("/", 1)[0] + f"/{name}"


@pytest.fixture
def settings(cluster_url: str, tmp_path: Path) -> Iterator[Settings]:
    name = f"test_{next(_numbers)}"
    with psycopg.connect(cluster_url, autocommit=True) as connection:
        connection.execute(f"CREATE DATABASE {name} TEMPLATE template_jugum")
    yield Settings(home=tmp_path, database_url=_database(cluster_url, name), secret="only for tests", engine="quick")
    with psycopg.connect(cluster_url, autocommit=True) as connection:
        connection.execute(f"DROP DATABASE {name} WITH (FORCE)")


@pytest.fixture
def store(settings: Settings) -> Iterator[Store]:
    made = Store(settings)
    yield made
    made.close()


@pytest.fixture
def office(store: Store, settings: Settings) -> Office:
    """A store with an administrator, an analyst, a reviewer and a workspace with one document type of three fields."""
    people.add_person(store, None, login="admin", name="Ada", role="administrator", password=PASSWORD)
    admin = people.actor_by_login(store, "admin")
    actors: dict[str, Actor] = {"admin": admin}
    for login, name, role in (
        ("analyst", "Ann", "analyst"),
        ("analyst2", "Bo", "analyst"),
        ("reviewer", "Rik", "reviewer"),
    ):
        people.add_person(store, admin, login=login, name=name, role=role, password=PASSWORD)
        actors[login] = people.actor_by_login(store, login)
    workspace = plan.add_workspace(store, actors["analyst"], "Harbour Co-operative")
    type_id = plan.add_type(store, actors["analyst"], workspace, "Mooring slip")
    for given in (
        plan.FieldInput("Member", "text", ("Paid by",)),
        plan.FieldInput("Paid on", "date", ("Date",)),
        plan.FieldInput("Amount", "money", ("Total",)),
    ):
        plan.add_field(store, actors["analyst"], type_id, given)
    return Office(store, settings, actors, type_id)


@pytest.fixture
def run_jobs(store: Store) -> Callable[[], None]:
    """Run everything on the queue with a real worker, until it is empty."""
    from jugum.work.worker import make_app

    def run() -> None:
        async def work() -> None:
            app = make_app(store)
            async with app.open_async():
                await app.run_worker_async(wait=False, install_signal_handlers=False, listen_notify=False)

        # In a thread of its own: the browser's tests keep an event loop running in this one.
        with ThreadPoolExecutor(1) as thread:
            thread.submit(lambda: asyncio.run(work())).result()

    return run


@pytest.fixture
def trained(office: Office, run_jobs: Callable[[], None]) -> Office:
    """Ten labelled slips of two looks, a live version, a policy."""
    brought = [(office.bring(slip, layout=n % 2), slip) for n, slip in enumerate(slips(10))]
    run_jobs()
    for document, slip in brought:
        office.label_whole(document, slip)
    version = train.start(office.store, office.analyst, office.type_id)
    run_jobs()
    assert train.version_view(office.store, version).error is None
    train.publish(office.store, office.analyst, version)
    return office
