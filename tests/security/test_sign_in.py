"""Signing in: guessing is made to wait, sessions end when they should, passwords are no common ones, and all of it
leaves a trace."""

from __future__ import annotations

import re
from datetime import UTC, datetime, timedelta

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from sqlalchemy import select, update
from tests.api.conftest import signed_in
from tests.client import csrf_token
from tests.office import PASSWORD, Office

from jugum.errors import InputError, NotSignedIn, TooManyAttempts
from jugum.flow.office import people, sign_in
from jugum.settings import Settings
from jugum.store.models import Audit, PersonSession, SignInAttempt
from jugum.web.app import create_app

NEW = "seven herons on a raft"


def test_who_guesses_a_password_is_made_to_wait_and_others_are_not(office: Office) -> None:
    def guess(login: str, address: str, password: str = "wrong one") -> None:
        sign_in.sign_in(office.store, login, password, address)

    for _ in range(sign_in.FAILURES_MOST["both"]):
        with pytest.raises(NotSignedIn):
            guess("analyst", "10.0.0.1")
    with pytest.raises(TooManyAttempts, match="Wait 15 minutes"):
        guess("analyst", "10.0.0.1", PASSWORD)  # the right one comes too late
    guess("reviewer", "10.0.0.1", PASSWORD)
    guess("analyst", "10.0.0.2", PASSWORD)
    with office.store.session() as session:  # a quarter of an hour later
        session.execute(update(SignInAttempt).values(created_at=datetime.now(UTC) - sign_in.WINDOW))
    guess("analyst", "10.0.0.1", PASSWORD)


def test_many_machines_guessing_one_person_and_one_machine_guessing_many_wait(office: Office) -> None:
    with office.store.session() as session:
        session.add_all(SignInAttempt(login="analyst", address=f"10.0.1.{n}") for n in range(30))
        session.add_all(SignInAttempt(login=f"guess{n}", address="10.0.2.1") for n in range(30))
    for login, address in (("analyst", "10.0.0.9"), ("reviewer", "10.0.2.1")):
        with pytest.raises(TooManyAttempts):
            sign_in.sign_in(office.store, login, PASSWORD, address)


def test_the_page_says_to_wait(app: FastAPI) -> None:
    visitor = TestClient(app)
    form = {"login": "analyst", "password": "wrong one", "csrf_token": csrf_token(visitor)}
    codes = [visitor.post("/sign-in", data=form).status_code for _ in range(6)]
    assert codes == [401] * 5 + [429]


def test_a_copied_cookie_is_worth_nothing_after_signing_out(app: FastAPI) -> None:
    browser = signed_in(app, "analyst")
    thief = TestClient(app, cookies=dict(browser.cookies))
    assert thief.get("/api/v1/workspaces").status_code == 200
    assert browser.post("/sign-out", follow_redirects=False).status_code == 303
    assert thief.get("/api/v1/workspaces").status_code == 401


def test_sessions_end_by_idling_by_age_and_with_the_account(app: FastAPI, office: Office) -> None:
    for change in (
        {"last_seen_at": datetime.now(UTC) - timedelta(minutes=office.settings.idle_minutes + 2)},
        {"created_at": datetime.now(UTC) - timedelta(hours=office.settings.session_hours, minutes=1)},
    ):
        browser = signed_in(app, "analyst")
        with office.store.session() as session:
            session.execute(update(PersonSession).values(**change))
        assert browser.get("/api/v1/workspaces").status_code == 401
    browser = signed_in(app, "analyst")
    people.set_active(office.store, office.actors["admin"], office.analyst.id, active=False)
    people.set_active(office.store, office.actors["admin"], office.analyst.id, active=True)
    assert browser.get("/api/v1/workspaces").status_code == 401


def test_somebody_ends_a_sign_in_that_is_not_theirs_and_changes_the_password(app: FastAPI, office: Office) -> None:
    mine, other, stranger = signed_in(app, "analyst"), signed_in(app, "analyst"), signed_in(app, "reviewer")
    page = mine.get("/account").text
    assert "You are signed in 2 times" in page
    (path,) = re.findall(r'action="(/account/sessions/\d+/end)"', page)
    assert stranger.post(path, follow_redirects=False).status_code == 404
    assert mine.post(path, follow_redirects=False).status_code == 303
    assert other.get("/api/v1/workspaces").status_code == 401
    third = signed_in(app, "analyst")
    wrong = mine.post("/account/password", data={"present": "not this", "new": NEW})
    assert wrong.status_code == 422
    assert "current password is wrong" in wrong.text
    changed = mine.post("/account/password", data={"present": PASSWORD, "new": NEW})
    assert "1 other sign-in ended with it" in changed.text
    assert third.get("/api/v1/workspaces").status_code == 401
    assert mine.get("/api/v1/workspaces").status_code == 200
    assert sign_in.sign_in(office.store, "analyst", NEW).name == "Ann"


@pytest.mark.parametrize("password", ["password1234", "qwertyuiop12", "1234567890", "analyst-12", "short", "x" * 500])
def test_common_passwords_and_those_of_one_s_own_name_are_refused(office: Office, password: str) -> None:
    with pytest.raises(InputError, match=r"easy to guess|at least|at most"):
        people.set_password(office.store, office.actors["admin"], office.analyst.id, password)
    assert sign_in.sign_in(office.store, "analyst", PASSWORD).name == "Ann"


def test_a_new_first_password_ends_all_sign_ins(app: FastAPI, office: Office) -> None:
    browser = signed_in(app, "analyst")
    people.set_password(office.store, office.actors["admin"], office.analyst.id, NEW)
    assert browser.get("/api/v1/workspaces").status_code == 401


def test_over_https_the_cookie_travels_over_nothing_else(settings: Settings, app: FastAPI) -> None:
    plain = TestClient(app).get("/sign-in").headers["set-cookie"]
    assert plain.startswith("jugum=")
    assert "httponly" in plain.lower()
    closed = create_app(settings.model_copy(update={"https": True}))
    cookie = TestClient(closed, base_url="https://testserver").get("/sign-in").headers["set-cookie"]
    assert cookie.startswith("__Host-jugum=")
    assert all(word in cookie.lower() for word in ("secure", "httponly", "path=/", "samesite=lax"))
    assert "domain" not in cookie.lower()


def test_a_request_under_another_name_is_refused(app: FastAPI) -> None:
    assert TestClient(app, base_url="http://elsewhere.example").get("/sign-in").status_code == 400
    assert TestClient(app, base_url="http://127.0.0.1").get("/sign-in").status_code == 200


def test_sign_ins_leave_a_trace_the_failed_ones_too(app: FastAPI, office: Office) -> None:
    signed_in(app, "analyst").post("/sign-out")
    with pytest.raises(NotSignedIn):
        sign_in.sign_in(office.store, "nobody", "whatever", "10.0.0.7")
    with office.store.session() as session:
        rows = session.scalars(select(Audit).where(Audit.object_kind == "person").order_by(Audit.id)).all()
        traced = [(row.action, row.person_id, row.detail) for row in rows if "sign" in row.action]
    assert traced[:2] == [
        ("sign in", office.analyst.id, {"address": "testclient"}),
        ("sign out", office.analyst.id, {}),
    ]
    assert traced[2][0] == "fail to sign in"
    assert traced[2][2] == {"login": "nobody", "address": "10.0.0.7"}
    assert PASSWORD not in str(traced)
