"""Workspaces are walls: every route by every person, and what PostgreSQL shows to whom."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from importlib import import_module
from pathlib import Path
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select, text, update
from sqlalchemy.exc import ProgrammingError
from tests.conftest import Grounds, own_office
from tests.office import PASSWORD, Office
from tests.papers import slip_pdf, slips

from jugum.flow.deliver import results
from jugum.flow.gather import batches, sources
from jugum.flow.label import layouts
from jugum.flow.office import keys, people
from jugum.flow.office import types as types_
from jugum.flow.office.actor import PERMISSIONS, SEE, Actor
from jugum.flow.office.walls import PLACES
from jugum.settings import Settings
from jugum.store import Store
from jugum.store.models import ApiKey, Base, Document, DocumentType, Field, LayoutGroup, ModelVersion, PastRecord
from jugum.store.scope import NOTHING, Scope, seeing
from jugum.store.walls import OPEN, WALLED
from jugum.web.app import create_app
from jugum.web.security import Public, Requires

WEB = Path(__file__).parents[2] / "src/jugum/web"
OF_THE_INSTALLATION = {"person_id", "key_id", "session_id"}  # asked for by whose they are, not by a workspace


@dataclass(frozen=True)
class Route:
    """A route with what it requires; None for one that is for anyone."""

    path: str
    method: str
    permission: str | None
    needs: tuple[str, ...]

    @property
    def is_api(self) -> bool:
        return self.path.startswith("/api/")

    def __str__(self) -> str:
        return f"{self.method} {self.path}"


def all_routes() -> list[Route]:
    found = []
    for folder, prefix in (("api", "/api/v1"), ("pages", "")):
        for path in sorted((WEB / folder).glob("*.py")):
            name = f"jugum.web.{folder}" + ("" if path.stem == "__init__" else f".{path.stem}")
            router = getattr(import_module(name), "router", None)
            for route in router.routes if router is not None else ():
                calls = [dependency.call for dependency in route.dependant.dependencies]
                asks = next((call for call in calls if isinstance(call, Requires)), None)
                assert asks is not None or any(isinstance(call, Public) for call in calls), route.path
                full = route.path if route.path.startswith("/api") else prefix + route.path
                needs = tuple(re.findall(r"{(\w+)", full))
                found += [Route(full, method, asks and asks.permission, needs) for method in sorted(route.methods)]
    return found


ROUTES = all_routes()
NAMED = [route for route in ROUTES if route.permission and set(route.needs) & set(PLACES)]


@dataclass
class Town:
    """An office of one workspace, and a stranger who is an analyst in another."""

    office: Office
    app: FastAPI
    ids: dict[str, object]
    clients: dict[str, TestClient]
    stranger: Actor
    elsewhere: int
    their_type: int

    def ask(self, who: str, route: Route, **more: Any) -> Any:
        path = route.path
        for name in route.needs:
            path = path.replace(f"{{{name}}}", str(self.ids[name]))
        if route.method != "GET" and not more:
            more = {"json": {}} if route.is_api else {"data": {}}
        return self.clients[who].request(route.method, path, follow_redirects=False, **more)


@pytest.fixture(scope="module")
def town(grounds: Grounds, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Town]:
    with own_office(grounds, tmp_path_factory.mktemp("town")) as (settings, trained):
        yield from _town(settings, trained)


def _town(settings: Settings, trained: Office) -> Iterator[Town]:
    store, analyst, admin = trained.store, trained.analyst, trained.actors["admin"]
    for login, name in (("stranger", "Siv"), ("loner", "Lo")):
        people.add_person(store, admin, login=login, name=name, role="analyst", password=PASSWORD)
    elsewhere = types_.add_workspace(store, people.actor_by_login(store, "stranger"), "Elsewhere")
    stranger = people.actor_by_login(store, "stranger")
    their_type = types_.add_type(store, stranger, elsewhere, "Bill")
    live = trained.bring(slips(12)[11], "live")
    ids = ids_of(trained, live)
    app = create_app(settings)

    def keyed(actor: Actor, workspace: int, **limits: Any) -> TestClient:
        key = keys.make_key(store, actor, "test", workspace, **limits)
        return TestClient(app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)

    home = trained.workspace_id
    clients = {
        "nobody": TestClient(app, raise_server_exceptions=False),
        "stranger": keyed(stranger, elsewhere),
        "analyst": keyed(analyst, home),
        "reviewer": keyed(trained.reviewer, home),
        "looker": keyed(analyst, home, scopes=[SEE]),
        "ended": keyed(analyst, home),
    }
    with store.session() as session:
        last = session.scalars(select(ApiKey).order_by(ApiKey.id.desc()).limit(1)).one()
        last.ends_at = datetime.now(UTC) - timedelta(minutes=1)
    yield Town(trained, app, ids, clients, stranger, elsewhere, their_type)
    app.state.store.close()


def ids_of(office: Office, live: int) -> dict[str, object]:
    """One of each thing of the office, by the name it has in addresses."""
    store, analyst = office.store, office.analyst
    batch = batches.add(store, analyst, office.workspace_id, "May")
    source = sources.add(
        store, analyst, office.workspace_id, sources.SourceInput(name="Post", kind="mail", type_id=office.type_id)
    )
    layouts.group_new(store, office.type_id)
    with store.session() as session:
        version = session.scalars(select(ModelVersion.id).limit(1)).one()
        layout = session.scalars(select(LayoutGroup.id).limit(1)).one()
        field = session.scalars(select(Field.id).limit(1)).one()
        record = PastRecord(document_id=live, field_id=field, text="1", state="ambiguous", person_id=analyst.id)
        session.add(record)
        session.execute(update(Document).where(Document.id == live).values(state="passed"))
        session.flush()
        record_id = record.id
    delivery = results.deliver(store, analyst, office.type_id, "csv").id
    return {
        "type_id": office.type_id,
        "document_id": live,
        "workspace_id": office.workspace_id,
        "version_id": version,
        "batch_id": batch,
        "source_id": source,
        "layout_group_id": layout,
        "record_id": record_id,
        "delivery_id": delivery,
        **{"key": "amount", "number": 1, "kind": "json", "format": "jsonl", "version": 1, "table": "fields"},
        "subject": "types",
        **{"name": "clients", "person_id": office.analyst.id, "key_id": 1, "session_id": 1},
    }


def state_of(store: Store) -> dict[str, int]:
    """How many rows there are in each table, and the newest trace."""
    with store.session() as session:
        counts = {
            name: session.execute(text(f"SELECT count(*) FROM {name}")).scalar_one() for name in Base.metadata.tables
        }
        counts["newest"] = session.execute(text("SELECT coalesce(max(id), 0) FROM audit")).scalar_one()
    return counts


def test_whoever_is_of_another_workspace_finds_nothing_on_any_route(town: Town) -> None:
    assert len(NAMED) > 150
    before = state_of(town.office.store)
    let_in = []
    for route in NAMED:
        answer = town.ask("stranger", route)
        expected = 403 if route.permission == "administer" else 404
        if answer.status_code not in (404, expected):
            let_in.append((str(route), answer.status_code, answer.text[:80]))
    assert let_in == []
    assert state_of(town.office.store) == before


def test_nobody_and_a_key_that_is_over_come_to_no_route(town: Town) -> None:
    wrong = []
    for route in ROUTES:
        if route.permission is None:
            continue
        for who in ("nobody", "ended"):
            answer = town.ask(who, route)
            asked_to_sign_in = answer.status_code == 303 and answer.headers["location"].startswith("/sign-in")
            if answer.status_code != 401 and not asked_to_sign_in:
                wrong.append((who, str(route), answer.status_code))
    assert wrong == []


@pytest.mark.parametrize("who", ["reviewer", "looker"])
def test_a_role_and_a_key_s_scopes_hold_on_every_route(town: Town, who: str) -> None:
    may = PERMISSIONS["reviewer"] if who == "reviewer" else frozenset({SEE})
    wrong = []
    for route in ROUTES:
        if route.permission is None or route.path == "/sign-out":
            continue
        if route.permission not in may:
            answer = town.ask(who, route)
            if answer.status_code != 403:
                wrong.append((str(route), route.permission, answer.status_code))
    assert wrong == []


def test_members_come_to_what_is_theirs(town: Town) -> None:
    wrong = []
    for route in NAMED:
        if route.method == "GET" and route.permission != "administer":
            answer = town.ask("analyst", route)
            if answer.status_code in (401, 403) or answer.status_code >= 500:
                wrong.append((str(route), answer.status_code))
    assert wrong == []


def test_lists_show_nothing_of_other_workspaces(town: Town) -> None:
    for route in ROUTES:
        if route.method == "GET" and not route.needs and route.permission:
            answer = town.ask("stranger", route)
            assert "Harbour" not in answer.text, str(route)
            assert "Mooring" not in answer.text or "guide" in str(route), str(route)
    found = town.clients["stranger"].get("/api/v1/search", params={"q": "slip"}).json()
    assert [hit for hit in found if hit["kind"] != "guide"] == []


def test_a_request_that_names_others_things_in_its_body_finds_none(town: Town) -> None:
    stranger = town.clients["stranger"]
    office, ids = town.office, town.ids
    group, papers = ids["layout_group_id"], [ids["document_id"]]
    before = state_of(office.store)
    paper = {"file": ("s.pdf", slip_pdf(slips(1)[0]))}
    for form in (
        {"type_id": ids["type_id"]},
        {"workspace_id": ids["workspace_id"]},
        {"batch_id": ids["batch_id"], "type_id": town.their_type},
    ):
        assert stranger.post("/api/v1/documents", data={**form, "purpose": "sample"}, files=paper).status_code == 404
    for method, path, sent in (
        ("POST", "/api/v1/layouts/merge", {"layout_group_id": group, "other_id": group}),
        (
            "POST",
            "/api/v1/layouts/split",
            {"layout_group_id": group, "document_ids": papers},
        ),
        ("PUT", "/api/v1/sets", {"document_ids": papers, "set": "test"}),
        ("POST", f"/api/v1/workspaces/{town.elsewhere}/sources", {"name": "x", "kind": "mail", "type_id": group}),
    ):
        assert 400 <= stranger.request(method, path, json=sent).status_code < 500, path
    assert state_of(office.store) == before
    with office.store.session() as session:
        assert session.get_one(Document, ids["document_id"]).set_name != "test"


def test_a_paper_can_t_be_placed_under_a_type_of_another_workspace(town: Town) -> None:
    answer = town.clients["analyst"].post(
        f"/api/v1/documents/{town.ids['document_id']}/type", json={"type_id": town.their_type}
    )
    assert 400 <= answer.status_code < 500


def test_a_member_of_some_types_sees_those_alone(town: Town) -> None:
    store, office = town.office.store, town.office
    other = types_.add_type(store, office.analyst, office.workspace_id, "Fee note")
    admin = office.actors["admin"]
    loner = people.actor_by_login(store, "loner")
    people.let_in(store, admin, loner.id, office.workspace_id, "analyst", [other])
    key = keys.make_key(store, people.actor_by_login(store, "loner"), "x", office.workspace_id)
    client = TestClient(town.app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)
    assert [kind["name"] for kind in client.get(f"/api/v1/workspaces/{office.workspace_id}/types").json()] == [
        "Fee note"
    ]
    assert client.get(f"/api/v1/types/{other}/fields").status_code == 200
    assert client.get(f"/api/v1/types/{office.type_id}/fields").status_code == 404
    assert client.get(f"/api/v1/documents/{town.ids['document_id']}").status_code == 404
    # In another workspace the same person may be let in to everything.
    people.let_in(store, admin, loner.id, town.elsewhere, "reviewer")
    with seeing(people.actor_by_login(store, "loner").scope), store.session() as session:
        assert set(session.scalars(select(DocumentType.name))) == {"Fee note", "Bill"}


def test_a_membership_that_ends_closes_its_keys(town: Town) -> None:
    office = town.office
    assert town.clients["analyst"].get("/api/v1/workspaces").status_code == 200
    admin, member = office.actors["admin"], office.analyst.id
    people.leave_out(office.store, admin, member, office.workspace_id)
    try:
        assert town.clients["analyst"].get("/api/v1/workspaces").status_code == 401
    finally:
        people.let_in(office.store, admin, member, office.workspace_id, "analyst")
    assert town.clients["analyst"].get("/api/v1/workspaces").status_code == 200


# ---- The second wall -------------------------------------------------------------------------------------------------


def test_every_table_is_walled_or_said_to_be_open() -> None:
    assert set(Base.metadata.tables) | {"alembic_version"} == set(WALLED) | set(OPEN)


def test_postgresql_shows_rows_of_other_workspaces_to_nobody(town: Town) -> None:
    store = Store(town.office.settings, sees=NOTHING)
    try:
        with store.session() as session:
            assert session.execute(text("SELECT rolsuper FROM pg_roles WHERE rolname = current_user")).scalar() is False
            for table in WALLED:
                assert session.execute(text(f"SELECT count(*) FROM {table}")).scalar() == 0, table
        filled = {name for name, count in state_of(town.office.store).items() if count and name in WALLED}
        assert {"document", "label", "page", "audit", "model_version"} <= filled
        with seeing(Scope(frozenset({town.elsewhere}))), store.session() as session:
            assert session.scalars(select(DocumentType.name)).all() == ["Bill"]
            assert session.execute(text("SELECT count(*) FROM document")).scalar() == 0
            assert session.execute(update(Document).values(name="x")).rowcount == 0
        with pytest.raises(ProgrammingError), seeing(Scope(frozenset({town.elsewhere}))), store.session() as session:
            session.add(DocumentType(workspace_id=town.office.workspace_id, key="x", name="X"))
    finally:
        store.close()


def test_traces_can_be_neither_changed_nor_taken_away(town: Town) -> None:
    for change in ("UPDATE audit SET action = 'x'", "DELETE FROM audit"):
        with pytest.raises(ProgrammingError, match="permission denied"), town.office.store.session() as session:
            session.execute(text(change))


def test_every_trace_of_a_paper_knows_its_workspace(town: Town) -> None:
    with town.office.store.session() as session:
        unknown = session.execute(
            text("SELECT count(*) FROM audit WHERE object_kind = 'document' AND workspace_id IS NULL")
        )
        assert unknown.scalar() == 0
