"""Styles and scripts: asked for once by a browser, and again when the program has changed."""

from __future__ import annotations

import gzip
import re

import pytest
from fastapi import FastAPI
from fastapi.testclient import TestClient

from jugum.settings import Settings
from jugum.web.app import create_app
from jugum.web.assets import FOLDER, address_of, assets, stamp
from jugum.web.rendering import STYLE_SHEETS


@pytest.fixture(scope="module")
def browser() -> TestClient:
    """Asks an application that has no database: files are answered before it is needed."""
    settings = Settings(
        database_url="postgresql://nobody@127.0.0.1:1/none", secret="only for tests", hosts="testserver"
    )
    app: FastAPI = create_app(settings)
    return TestClient(app)


def test_a_file_is_kept_for_ever_by_an_address_with_a_hash(browser: TestClient) -> None:
    answer = browser.get(address_of("css/ground.css"))
    assert answer.content == (FOLDER / "css/ground.css").read_bytes()
    assert answer.headers["Cache-Control"] == "max-age=31536000, immutable"
    assert answer.headers["Content-Type"] == "text/css; charset=utf-8"
    assert answer.headers["Content-Encoding"] == "gzip"
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert "default-src 'self'" in answer.headers["Content-Security-Policy"]


def test_the_hash_is_of_all_files_since_they_name_one_another(monkeypatch: pytest.MonkeyPatch) -> None:
    before = stamp()
    with monkeypatch.context() as changed:
        one = assets()["js/frame/dates.js"]
        made = {**assets(), "js/frame/dates.js": type(one)(one.body + b"\n", one.kind)}
        changed.setattr("jugum.web.assets.assets", lambda: made)
        assert stamp.__wrapped__() != before
    assert stamp.__wrapped__() == before
    named = [
        name
        for path, asset in assets().items()
        if path.endswith((".js", ".css")) and not path.startswith("vendor/")
        for name in re.findall(r"""(?:from\s+|import\(|url\()["']([^"']+)["']""", asset.body.decode())
    ]
    assert named
    assert all(name.startswith((".", "data:")) for name in named)


def test_a_page_of_before_the_program_changed_gets_what_there_is_and_asks_again(browser: TestClient) -> None:
    for address in ("/static/0123456789/js/frame/dates.js", "/static/js/frame/dates.js"):
        answer = browser.get(address)
        assert answer.content == assets()["js/frame/dates.js"].body
        assert answer.headers["Content-Type"] == "text/javascript; charset=utf-8"
        assert answer.headers["Cache-Control"] == "no-cache"


def test_fonts_are_not_compressed_again_nor_files_for_who_can_t_unpack_them(browser: TestClient) -> None:
    font = browser.get(address_of("vendor/fonts/next.woff2"))
    assert "Content-Encoding" not in font.headers
    assert font.content == assets()["vendor/fonts/next.woff2"].body
    plain = browser.get(address_of("css/ground.css"), headers={"Accept-Encoding": "identity"})
    assert "Content-Encoding" not in plain.headers
    assert gzip.decompress(assets()["css/ground.css"].zipped or b"") == plain.content


def test_nothing_else_is_there(browser: TestClient) -> None:
    for address in ("/static/", f"/static/{stamp()}/", f"/static/{stamp()}/../app.py", "/static/%2e%2e/app.py"):
        assert browser.get(address).status_code == 404
    assert browser.post(address_of("css/ground.css")).status_code == 405
    head = browser.head(address_of("css/ground.css"))
    assert head.content == b""
    assert int(head.headers["Content-Length"]) > 100
    with pytest.raises(KeyError):
        address_of("css/other.css")


def test_every_style_sheet_is_on_every_page() -> None:
    assert {path.stem for path in (FOLDER / "css").glob("*.css")} == set(STYLE_SHEETS)
