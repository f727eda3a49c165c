"""The API of Gather: everything the pages do, and who may do it."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import pytest
from tests import papers
from tests.office import Office
from tests.papers import slip_pdf, slips

Run = Callable[[], None]


@pytest.fixture
def document(client: Any, office: Office, run_jobs: Run) -> int:
    sent = {"file": ("s.pdf", slip_pdf(slips(1)[0]))}
    kept = client.post(
        "/api/v1/documents", files=sent, data={"purpose": "sample", "type_id": office.type_id, "engine": "quick"}
    )
    assert kept.status_code == 201
    run_jobs()
    return int(kept.json()["document_id"])


def revision_of(client: Any, document: int) -> int:
    return int(client.get(f"/api/v1/documents/{document}").json()["revision"])


def test_a_paper_is_brought_in_without_a_type_and_placed(client: Any, office: Office, run_jobs: Run) -> None:
    got = client.post("/api/v1/documents", files={"file": ("s.pdf", slip_pdf(slips(1)[0]))}, data={"purpose": "sample"})
    document = got.json()["document_id"]
    run_jobs()
    assert [paper["id"] for paper in client.get("/api/v1/workspaces/1/unplaced").json()] == [document]
    placing = {"type_id": office.type_id, "revision": revision_of(client, document)}
    assert client.post(f"/api/v1/documents/{document}/place", json=placing).status_code == 204
    assert client.get(f"/api/v1/documents/{document}").json()["state"] == "to label"


def test_who_did_not_see_the_change_of_another_is_told_and_overwrites_nothing(
    client: Any, office: Office, run_jobs: Run
) -> None:
    sent = {"file": ("s.pdf", slip_pdf(slips(1)[0]))}
    document = client.post("/api/v1/documents", files=sent, data={"purpose": "live"}).json()["document_id"]
    run_jobs()
    path = f"/api/v1/documents/{document}"
    seen = revision_of(client, document)
    assert client.post(f"{path}/set-aside", json={"reason": "not ours", "revision": seen}).status_code == 204
    stale = {"revision": seen}
    for method, end, body in (
        ("POST", "place", {"type_id": office.type_id}),
        ("POST", "set-aside", {"reason": "torn"}),
        ("POST", "return", {}),
        ("PUT", "purpose", {"purpose": "sample"}),
        ("POST", "read-again", {"pages": [1]}),
        ("POST", "unlock", {"password": "u"}),
    ):
        late = client.request(method, f"{path}/{end}", json=body | stale)
        assert late.status_code == 409, end
        assert "by somebody else in the meantime" in late.json()["error"]
    assert client.get(path).json()["reason"] == "not ours"
    again = {"revision": revision_of(client, document)}
    assert client.post(f"{path}/return", json=again).status_code == 204
    assert client.post(f"{path}/return", json=again).status_code == 409


def test_every_write_on_a_paper_or_a_past_record_takes_its_revision(client: Any) -> None:
    described = client.get("/api/v1/openapi.json").json()
    # They say who looks, try a way of reading, and show what would be read.
    unchanging = ("/presence", "/region", "/sample/{document_id}", "/rails", "/read-here", "/table-proposal")
    writes, without = 0, []
    for path, operations in described["paths"].items():
        if not ("{document_id}" in path or "{record_id}" in path) or path.endswith(unchanging):
            continue
        for operation in (operations[method] for method in ("post", "put", "delete") if method in operations):
            asked = {one["name"] for one in operation.get("parameters", []) if one["required"]}
            for content in operation.get("requestBody", {}).get("content", {}).values():
                asked |= set(
                    described["components"]["schemas"][content["schema"]["$ref"].rsplit("/")[-1]].get("required", [])
                )
            writes += 1
            if "revision" not in asked:
                without.append(path)
    assert writes > 15
    assert without == []


@pytest.mark.parametrize(
    ("field", "value", "said"),
    [
        ("engine", "slow", "not an engine"),
        ("cut", "at will", "not a way to cut"),
        ("language", "../x", "not a language"),
        ("purpose", "both", "not a purpose"),
    ],
)
def test_what_is_none_of_the_choices_is_said(client: Any, office: Office, field: str, value: str, said: str) -> None:
    data = {"purpose": "sample", "type_id": office.type_id, field: value}
    answer = client.post("/api/v1/documents", files={"file": ("s.pdf", b"x")}, data=data)
    assert answer.status_code == 422
    assert said in answer.json()["error"]


def test_a_password_opens_a_paper_and_stands_in_no_answer(client: Any, office: Office, run_jobs: Run) -> None:
    sent = {"file": ("locked.pdf", papers.locked_pdf())}
    document = client.post(
        "/api/v1/documents", files=sent, data={"type_id": office.type_id, "purpose": "sample"}
    ).json()["document_id"]
    run_jobs()
    assert client.get(f"/api/v1/documents/{document}").json()["locked"] is True
    known = {"revision": revision_of(client, document)}
    refused = client.post(f"/api/v1/documents/{document}/unlock", json={"password": "open-sesame"} | known)
    assert refused.status_code == 422
    assert "open-sesame" not in refused.text
    assert client.post(f"/api/v1/documents/{document}/unlock", json={"password": "u"} | known).status_code == 204
    run_jobs()
    assert client.get(f"/api/v1/documents/{document}").json()["state"] == "to label"


def test_layers_regions_pictures_and_formats_of_a_paper(client: Any, document: int) -> None:
    layers = client.get(f"/api/v1/documents/{document}/pages/1/layers").json()
    assert {"blocks", "pairs", "tables", "ticks", "signatures", "strokes", "stamps", "zones", "rules", "cells"} <= set(
        layers["layers"]
    )
    tried = client.post(f"/api/v1/documents/{document}/pages/1/region", json={"box": [0, 0, 1, 0.3], "engine": "quick"})
    assert any(word[0] == "Harbour" for word in tried.json())
    assert client.post(f"/api/v1/documents/{document}/pages/1/region", json={"box": [0, 0, 2, 1]}).status_code == 422
    assert (
        client.get(f"/documents/{document}/pages/1/region.jpg?box=0,0,0.5,0.5&dpi=300").content[:3] == b"\xff\xd8\xff"
    )
    assert client.get(f"/documents/{document}/pages/1/region.jpg?box=a,b").status_code == 422
    assert client.get(f"/documents/{document}/pages/1/peek.jpg").headers["content-type"] == "image/jpeg"
    assert "Oddny" in client.get(f"/api/v1/documents/{document}/as/text").text
    assert client.get(f"/api/v1/documents/{document}/as/papyrus").status_code == 422
    assert client.get("/separator.pdf").content[:5] == b"%PDF-"


def test_pages_are_read_again_and_nonsense_is_refused(client: Any, document: int, run_jobs: Run) -> None:
    path = f"/api/v1/documents/{document}/read-again"

    def asked(**how: Any) -> dict[str, Any]:
        return how | {"revision": revision_of(client, document)}

    assert client.post(path, json=asked(pages=[1], turn=180)).json() == {"queued": 1, "revision": 1}
    run_jobs()
    assert client.get(f"/api/v1/documents/{document}/pages/1/layers").json()["rotation"] == 180
    assert client.post(path, json=asked(turn=30)).status_code == 422
    assert client.post(path, json=asked(pages=[9])).status_code == 404
    assert client.post(path, json=asked(dpi=5)).status_code == 422


def test_pictures_are_kept_by_browsers_until_the_page_layouts_different(
    client: Any, document: int, run_jobs: Run
) -> None:
    for path in (f"/documents/{document}/pages/1.jpg", f"/documents/{document}/pages/1/peek.jpg"):
        first = client.get(path)
        assert client.get(path, headers={"If-None-Match": first.headers["etag"]}).status_code == 304
        turned = {"pages": [1], "turn": 180, "revision": revision_of(client, document)}
        client.post(f"/api/v1/documents/{document}/read-again", json=turned)
        run_jobs()
        again = client.get(path, headers={"If-None-Match": first.headers["etag"]})
        assert again.status_code == 200
        assert again.content != first.content


def test_a_bundle_is_cut_over_the_api(client: Any, office: Office, run_jobs: Run) -> None:
    one, two = slips(2)
    data = papers.joined(slip_pdf(one), slip_pdf(two, 1))
    sent = {"type_id": office.type_id, "purpose": "sample", "cut": "learned"}
    document = client.post("/api/v1/documents", files={"file": ("b.pdf", data)}, data=sent).json()["document_id"]
    run_jobs()
    bundle = client.get(f"/api/v1/documents/{document}/cut").json()
    assert [piece["pages"] for piece in bundle["pieces"]] == [[1, 2]]
    pieces = [{"pages": [1], "type_id": office.type_id}, {"pages": [2], "type_id": office.type_id}]
    kept = client.put(
        f"/api/v1/documents/{document}/cut", json={"revision": bundle["revision"], "pieces": pieces}
    ).json()
    stale = client.post(f"/api/v1/documents/{document}/cut", json={"revision": kept["revision"] - 1, "pieces": pieces})
    assert stale.status_code == 409
    made = client.post(
        f"/api/v1/documents/{document}/cut", json={"revision": kept["revision"], "pieces": pieces}
    ).json()
    assert len(made["documents"]) == 2
    joined = f"/api/v1/documents/{document}/join"
    assert client.post(joined, json={"revision": kept["revision"]}).status_code == 409
    assert client.post(joined, json={"revision": revision_of(client, document)}).status_code == 204


def test_batches_and_sources_over_the_api(client: Any, office: Office) -> None:
    batch = client.post("/api/v1/workspaces/1/batches", json={"name": "Post", "priority": 1}).json()["id"]
    assert client.put(f"/api/v1/batches/{batch}/priority", json={"priority": 7}).status_code == 422
    assert client.post(f"/api/v1/batches/{batch}/pause").status_code == 204
    assert client.get(f"/api/v1/batches/{batch}").json()["paused"] is True
    assert client.post(f"/api/v1/batches/{batch}/resume").status_code == 204
    assert client.delete(f"/api/v1/batches/{batch}").json() == {"removed": 0, "kept": 0}
    assert client.get(f"/api/v1/batches/{batch}").status_code == 404
    source = client.post("/api/v1/workspaces/1/sources", json={"kind": "folder", "name": "Desk"}).json()["id"]
    assert client.put(f"/api/v1/sources/{source}/active", json={"active": False}).status_code == 204
    assert client.get("/api/v1/workspaces/1/sources").json()[0]["active"] is False
