"""Requests that no page of ours sends: each is told as what it is, none is an error of the program's own."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient
from tests.api.conftest import client_of
from tests.client import as_seen, csrf_token
from tests.office import Office
from tests.papers import slip_pdf, slips, words_pdf

from jugum.flow.gather import documents

HUGE = 99_999_999_999_999_999_999
DEEP = "(" * 3000 + "amount" + ")" * 3000 + " > 0"
LONG = "x" * 200_000


def refused(answer: Any) -> None:
    assert 400 <= answer.status_code < 500, answer.text[:300]
    assert "reference" not in answer.text  # an error nobody thought of has one


def test_a_nul_in_a_sign_in_is_no_error(app: FastAPI) -> None:
    with TestClient(app, raise_server_exceptions=False) as visitor:
        form = {"login": "a\0b", "password": "c\0d", "csrf_token": csrf_token(visitor)}
        refused(visitor.post("/sign-in", data=form))
        assert visitor.get("/health").status_code == 200


@pytest.mark.parametrize(
    ("method", "path", "sent"),
    [
        ("GET", f"/documents/{HUGE}", {}),
        ("GET", "/documents/99999999999", {}),
        ("GET", "/documents/-1/label-desk", {}),
        ("GET", f"/types/{HUGE}/documents", {}),
        ("GET", f"/versions/{HUGE}", {}),
        ("GET", "/documents?offset=99999999999999999999", {}),
        ("PUT", "/documents/{paper}/labels/amount", {"json": {"values": [{"text": "1\0"}]}}),
        ("PUT", "/documents/{paper}/labels/amount", {"json": {"values": [{"text": LONG}]}}),
        ("PUT", "/documents/{paper}/labels/no%00where", {"json": {"values": []}}),
        ("POST", "/workspaces", {"json": {"name": LONG}}),
        ("POST", "/workspaces", {"json": {"name": "a\0b"}}),
        ("POST", "/types/{kind}/fields", {"json": {"name": "Part", "inside": "nowhere"}}),
        ("POST", "/types/{kind}/fields", {"json": {"name": LONG}}),
        ("PUT", "/types/{kind}/checks", {"json": {"expression": DEEP, "message": "deep"}}),
        ("PUT", "/types/{kind}/checks", {"json": {"expression": "amount > " + "9" * 100_000}}),
        ("PUT", "/types/{kind}/checks", {"json": {"expression": "-" * 5000 + "amount > 0"}}),
        ("POST", "/types/{kind}/policies", {"json": {"thresholds": {"amount": 1e308}, "layout_similarity_min": 0}}),
        ("POST", "/types/{kind}/labels.csv", {"files": {"file": ("k.csv", b"file,type,field,value\na\0,,amount,1\n")}}),
        ("GET", "/documents/{loose}/review-desk", {}),
        ("GET", "/documents/{loose}/label-desk", {}),
        ("GET", "/documents/{loose}/suggestions?first=1&last=1", {}),
        ("PUT", "/documents/{loose}/labels/amount", {"json": {"values": []}}),
        ("PUT", "/documents/{loose}/review/amount", {"json": {"values": []}}),
        ("POST", "/documents/{loose}/labelled", {"json": {}}),
    ],
)
def test_an_odd_request_is_refused_in_words(
    app: FastAPI, office: Office, run_jobs: Callable[[], None], method: str, path: str, sent: dict[str, Any]
) -> None:
    names = {"kind": office.type_id}
    if "{paper}" in path:
        names["paper"] = office.bring(slips(1)[0])
    if "{loose}" in path:
        names["loose"] = documents.receive(
            office.store, office.analyst, None, "loose.pdf", words_pdf("Whatever it is"), purpose="live"
        ).document_id
    run_jobs()
    with client_of(app, office, "analyst") as client:

        def call(method: str, path: str, **more: Any) -> Any:
            answer = client.request(method, f"/api/v1{path}", **more)
            return answer.json() if method == "GET" else answer

        if "json" in sent and re.match("/(types|documents)/", path):
            answer = as_seen(call, method, path.format(**names), **sent)
        else:
            answer = client.request(method, f"/api/v1{path.format(**names)}", **sent)
        refused(answer)
        assert client.get(f"/api/v1/types/{office.type_id}/steps").status_code == 200


def test_what_can_be_left_out_is_no_error(app: FastAPI, office: Office) -> None:
    with client_of(app, office, "analyst") as client:
        assert client.get("/api/v1/search?text=a%00b").json() == []
        sent = {"file": ("a\0b.pdf", slip_pdf(slips(1)[0]))}
        answer = client.post(f"/api/v1/types/{office.type_id}/documents", files=sent)
        assert answer.status_code < 500
