"""What is personal is shown to nobody who may not see it, whatever the way: known secrets are looked for in every
answer."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select, update
from tests.conftest import Grounds, own_office
from tests.office import Office, run_queue
from tests.papers import mail, slip_pdf, slips
from tests.security.test_walls import NAMED, ROUTES, Route, ids_of

from jugum.flow.gather import documents
from jugum.flow.office import keys, people
from jugum.flow.plan import fields as plan_fields
from jugum.settings import Settings
from jugum.store.models import (
    CheckedValue,
    Document,
    Field,
    Label,
    ModelVersion,
    PastRecord,
    Policy,
    Result,
    SourceFile,
    SpotCheck,
)
from jugum.web.app import create_app

Private = tuple[Office, FastAPI, dict[str, object]]
IN_A_MAIL = "Wennerholm of the harbour"


def secrets_of(office: Office) -> set[str]:
    """The values of the personal field that are anywhere in the store, and a sentence of a mail."""
    with office.store.session() as session:
        texts = session.scalars(select(Label.text).join(Field).where(Field.key == "member")).all()
        return {text for text in texts if text} | {IN_A_MAIL}


@pytest.fixture(scope="module")
def private(grounds: Grounds, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Private]:
    """An office in which the member's name is personal, with something of it wherever values are kept."""
    with own_office(grounds, tmp_path_factory.mktemp("private")) as (settings, office):
        yield from _private(office, settings)


def _private(trained: Office, settings: Settings) -> Iterator[Private]:
    store, analyst = trained.store, trained.analyst
    live = trained.bring(slips(13)[12], "live")
    post = documents.receive(
        store,
        analyst,
        None,
        "post.eml",
        mail("Slips", f"From {IN_A_MAIL}.", {"a.pdf": slip_pdf(slips(14)[13])}),
        purpose="live",
    ).document_id
    run_queue(trained.store)
    ids = {**ids_of(trained, live), "post": post}
    field = next(view for view in plan_fields.fields(store, trained.type_id) if view.key == "member")
    with store.session() as session:
        row = session.get_one(Field, field.id)
        row.personal, row.spec = True, {**row.spec, "personal": True}
        record = session.get_one(PastRecord, ids["record_id"])
        name = session.scalars(select(Label.text).where(Label.field_id == field.id)).first()
        record.field_id, record.text, record.places = (
            field.id,
            str(name),
            [{"text": name, "page": 1, "box": [0.1, 0.1, 0.2, 0.2]}],
        )
        session.add(
            Result(document_id=live, field_id=field.id, text=str(name), normal=str(name), origin="person", position=7)
        )
        # What had passed and was found wrong in a spot check.
        version = session.scalars(select(ModelVersion)).one()
        policy = Policy(
            type_id=trained.type_id,
            number=1,
            version_id=version.id,
            thresholds={"member": 0.5},
            layout_similarity_min=0.0,
            outcome={"total": 1, "passing": 1, "wrong": 0, "error_upper": 1.0},
            created_by=analyst.id,
        )
        session.add(policy)
        session.flush()
        check = SpotCheck(document_id=live, policy_id=policy.id, probability=1.0, done_at=datetime.now(UTC))
        session.add(check)
        session.flush()
        said = {"found": str(name), "said": str(name), "is_right": False, "answered_at": datetime.now(UTC)}
        sure = {"confidence": 0.99, "layout_similarity": 1.0}
        session.add(CheckedValue(spot_check_id=check.id, document_id=live, field_id=field.id, **sure, **said))
        # A label that the model is sure is wrong, and one that differs from its page.
        sample = session.scalars(select(Label.document_id).where(Label.field_id == field.id)).first()
        wrong = {
            "sample": str(sample),
            "field": "member",
            "confidence": 0.999,
            "layout_similarity": 1.0,
            "right": False,
        }
        wrong |= {"unseen": False, "found": str(name), "expected": str(name), "detail": {}}
        version.evidence = [*version.evidence, wrong]
        version.report = {**version.report, "errors": [*version.report["errors"], wrong]}
        session.execute(update(Document).values(name="paper-" + Document.id.cast(SourceFile.name.type)))
        session.execute(update(SourceFile).values(name="file"))
    masked = people.actor_by_login(store, "analyst2")
    people.set_sees_personal(store, trained.actors["admin"], masked.id, sees=False)
    app = create_app(settings)
    yield trained, app, ids
    app.state.store.close()


def client_for(office: Office, app: FastAPI, login: str) -> TestClient:
    key = keys.make_key(office.store, people.actor_by_login(office.store, login), "test", office.workspace_id)
    return TestClient(app, headers={"Authorization": f"Bearer {key}"}, raise_server_exceptions=False)


def asked(client: TestClient, route: Route, ids: dict[str, object], **more: Any) -> Any:
    path = route.path
    for name in route.needs:
        path = path.replace(f"{{{name}}}", str(ids[name]))
    return client.request(route.method, path, follow_redirects=False, **more)


def test_no_answer_to_who_may_not_see_them_holds_a_personal_value(private: Private) -> None:
    office, app, ids = private
    secrets = secrets_of(office)
    assert len(secrets) > 5
    masked, seeing = client_for(office, app, "analyst2"), client_for(office, app, "analyst")
    told, known = [], set()
    for route in ROUTES:
        if route.method != "GET" or route.permission in (None, "administer"):
            continue
        for table in ("fields", "errors", "hardest") if "table" in route.needs else ("",):
            mine = {**ids, "table": table} if table else ids
            answer = asked(masked, route, mine)
            assert answer.status_code < 500, str(route)
            found = [secret for secret in secrets if secret in answer.text]
            told += [(str(route), found)] if found else []
            shows = any(
                word in route.path for word in ("labels-file", "past-records", "suspects", "errors", "spot-checks")
            )
            known |= {secret for secret in secrets if shows and secret in asked(seeing, route, mine).text}
    assert told == []
    assert len(known) > 5  # some of the same routes show them to who may


def test_changes_asked_for_by_who_may_not_see_them_tell_nothing(private: Private) -> None:
    office, app, ids = private
    secrets = secrets_of(office)
    masked = client_for(office, app, "analyst2")
    for route in NAMED:
        if route.method != "GET" and route.permission != "administer" and route.method != "DELETE":
            answer = asked(masked, route, ids, **({"json": {}} if route.is_api else {"data": {}}))
            assert not [secret for secret in secrets if secret in answer.text], str(route)


def test_search_and_results_match_no_value_that_is_masked(private: Private) -> None:
    office, app, _ = private
    name = next(iter(secrets_of(office) - {IN_A_MAIL}))
    with office.store.session() as session:
        session.execute(update(Result).where(Result.position == 7).values(text=name, normal=name))
    path = f"/api/v1/types/{office.type_id}/results"
    shown = {login: client_for(office, app, login) for login in ("analyst", "analyst2")}
    totals = {login: client.get(path, params={"search": name}).json()["total"] for login, client in shown.items()}
    assert totals == {"analyst": 1, "analyst2": 0}
    hits = {login: client.get("/api/v1/search", params={"q": name}).json() for login, client in shown.items()}
    assert [hit["kind"] for hit in hits["analyst"]] == ["value"]
    assert hits["analyst2"] == []


def test_containers_and_papers_without_a_type_are_closed_with_what_came_of_them(private: Private) -> None:
    office, app, ids = private
    masked = client_for(office, app, "analyst2")
    with office.store.session() as session:
        part = session.scalars(select(Document.id).where(Document.parent_id == ids["post"])).one()
    for document in (ids["document_id"], ids["post"], part):
        assert masked.get(f"/api/v1/documents/{document}").status_code == 403
        assert masked.get(f"/documents/{document}/file").status_code in (403, 404)


def test_who_may_not_see_personal_values_can_t_make_them_others(private: Private) -> None:
    office, app, _ = private
    masked = client_for(office, app, "analyst2")
    path = f"/api/v1/types/{office.type_id}/fields"
    field = f"{path}/member"
    before = next(view for view in masked.get(path).json() if view["key"] == "member")
    spec = {**before["spec"], "personal": False}
    given = {name: spec[name] for name in ("name", "data_type", "personal") if name in spec}
    number = {"number": masked.get(f"/api/v1/types/{office.type_id}/plan").json()["number"]}
    changed = masked.put(field, json={**given, **number})
    assert changed.status_code == 403, changed.text
    assert masked.delete(field, params=number).status_code in (403, 409)
    assert "member" in [view["key"] for view in masked.get(path).json()]
