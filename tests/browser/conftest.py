"""The real application, started by its own command once for all test processes, and the real browser."""

from __future__ import annotations

import fcntl
import json
import os
import re
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from itertools import count
from pathlib import Path
from typing import Any

import httpx2
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tests.papers import slip_pdf, slips
from tests.processes import children_of, command_of
from tests.seen import as_seen

from jugum.cluster import free_port

FIELDS = (("Member", "text", ["Paid by"]), ("Paid on", "date", ["Date"]), ("Amount", "money", ["Total"]))
# Test processes share the application: the names each gives are its own.
_numbers = count(1000 * int(re.sub(r"\D", "", os.environ.get("PYTEST_XDIST_WORKER", "")) or 0) + 1)
# Waiting for what must come, not timing it: a loaded machine may take its time.
expect.set_options(timeout=25_000)


@dataclass
class Application:
    """Where it runs, how to sign in, its process, and a client of its API."""

    url: str
    password: str
    process: int
    api: httpx2.Client
    version_file: bytes = b""

    def call(self, method: str, path: str, **more: Any) -> Any:
        answer = self.api.request(method, f"/api/v1{path}", **more)
        assert answer.status_code < 300, f"{method} {path}: {answer.text}"
        return answer.json() if answer.content else None

    def change(self, method: str, path: str, json: dict[str, Any] | None = None) -> Any:
        """A change of a plan or a paper as it is now."""
        return as_seen(self.call, method, path, json)

    def new_type(self, *, fields: bool = True) -> int:
        number = next(_numbers)
        workspace = self.call("POST", "/workspaces", json={"name": f"Office {number}"})["id"]
        kind: int = self.call("POST", f"/workspaces/{workspace}/types", json={"name": f"Slip {number}"})["id"]
        for name, data_type, printed in FIELDS if fields else ():
            self.change(
                "POST", f"/types/{kind}/fields", json={"name": name, "data_type": data_type, "printed_names": printed}
            )
        return kind

    def workspace_of(self, kind: int) -> dict[str, Any]:
        """The workspace that holds a type."""
        for workspace in self.call("GET", "/workspaces"):
            if any(its["id"] == kind for its in self.call("GET", f"/workspaces/{workspace['id']}/types")):
                return dict(workspace)
        raise AssertionError(f"no workspace holds type {kind}")

    def upload(self, kind: int, name: str, data: bytes, purpose: str = "sample") -> int:
        sent = {"file": (name, data)}
        document: int = self.call("POST", f"/types/{kind}/documents", files=sent, data={"purpose": purpose})[
            "document_id"
        ]
        return document

    def wait(self, path: str, done: Any, seconds: float = 60) -> Any:
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            answer = self.call("GET", path)
            if done(answer):
                return answer
            time.sleep(0.1)
        raise AssertionError(f"{path} never became what was waited for: {answer}")

    def labelled_type(self, papers: int = 6, *, amount_of_first: str = "") -> int:
        """A type with some papers labelled from past records (the first amount as given, if it is), and a live version
        trained from them."""
        kind = self.new_type()
        rows = ["file,type,field,value"]
        for number, slip in enumerate(slips(papers)):
            self.upload(kind, f"s{number}.pdf", slip_pdf(slip, number % 2))
            truth = {**slip.truth, "amount": amount_of_first} if amount_of_first and not number else slip.truth
            rows += [f's{number}.pdf,,{key},"{text}"' for key, text in truth.items()]
        self.wait(f"/types/{kind}/steps", lambda steps: steps["to_label"] == papers)
        keyed = {"file": ("k.csv", "\n".join(rows).encode())}
        self.call("POST", f"/types/{kind}/labels.csv", files=keyed, data={"complete": "true"})
        version = self.call("POST", f"/types/{kind}/versions")["id"]
        self.wait(f"/versions/{version}", lambda view: view["state"] == "on trial")
        self.call("POST", f"/versions/{version}/publish")
        return kind

    def reading_type(self) -> int:
        """A type with no samples, and a live version that came as a file: `labelled_type`'s, trained once a run."""
        if not self.version_file:
            versions = self.call("GET", f"/types/{self.labelled_type()}/versions")
            [trained] = [version for version in versions if version["state"] == "published"]
            self.version_file = self.api.get(f"/api/v1/versions/{trained['id']}/file").content
        kind = self.new_type()
        sent = {"file": ("labelled.jugum-version", self.version_file)}
        version = self.call("POST", f"/types/{kind}/versions/file", files=sent)["id"]
        self.call("POST", f"/versions/{version}/publish")
        return kind

    @contextmanager
    def workers_paused(self) -> Iterator[None]:
        """Nothing on the queue is done in between: what waits goes on waiting."""
        workers = [pid for pid in children_of(self.process) if "worker" in command_of(pid)]
        assert workers
        try:
            for pid in workers:
                os.kill(pid, signal.SIGSTOP)
            yield
        finally:
            for pid in workers:
                os.kill(pid, signal.SIGCONT)

    def policy(self, kind: int, threshold: float, gate: float = 0.0) -> None:
        body = {"thresholds": dict.fromkeys(("member", "paid_on", "amount"), threshold), "layout_similarity_min": gate}
        self.call("POST", f"/types/{kind}/policies", json=body)


@pytest.fixture(scope="session")
def application(browser: Browser, tmp_path_factory: pytest.TempPathFactory, worker_id: str) -> Iterator[Application]:
    """Started by the test process that asks first, and stopped by it when the others have gone."""
    base = tmp_path_factory.getbasetemp()
    folder = (base if worker_id == "master" else base.parent) / "application"
    folder.mkdir(exist_ok=True)
    mine, told = folder / f"user-{os.getpid()}", folder / "told.json"
    process, home = None, folder
    with locked(folder):
        mine.touch()
        if not told.exists():
            home = Path(tempfile.mkdtemp(prefix="jugum-test-", dir="/tmp"))
            process, url, password = _started(home)
            told.write_text(json.dumps({"url": url, "password": password, "process": process.pid}))
    where = json.loads(told.read_text())
    try:
        with httpx2.Client(base_url=where["url"], timeout=60) as api:
            _sign_in(api, where["password"])
            yield Application(where["url"], where["password"], where["process"], api)
    finally:
        with locked(folder):
            mine.unlink()
            if process is not None:
                told.unlink()  # whoever comes later starts another one
        if process is not None:
            while any(Path("/proc", user.name.removeprefix("user-")).exists() for user in folder.glob("user-*")):
                time.sleep(0.1)
            process.send_signal(signal.SIGTERM)
            assert process.wait(20) == 0
            shutil.rmtree(home)


@contextmanager
def locked(folder: Path) -> Iterator[None]:
    """One test process at a time."""
    with (folder / "lock").open("w") as lock:
        fcntl.flock(lock, fcntl.LOCK_EX)
        yield


def _started(home: Path) -> tuple[subprocess.Popen[bytes], str, str]:
    """The application's process, its address, and the first administrator's password."""
    home.chmod(0o755)  # PostgreSQL runs as another user
    env = {**os.environ, "JUGUM_HOME": str(home), "JUGUM_PORT": str(free_port()), "JUGUM_WORKERS": "2"}
    for name in ("JUGUM_DATABASE_URL", "JUGUM_FILES"):
        env.pop(name, None)
    log = home / "said.txt"
    with log.open("w") as out:
        process = subprocess.Popen([sys.executable, "-m", "jugum", "up"], env=env, stdout=out)
    until = time.monotonic() + 60
    while "Ctrl-C" not in (said := log.read_text()):
        assert process.poll() is None, f"it did not start: {said}"
        assert time.monotonic() < until, f"it did not start in a minute: {said}"
        time.sleep(0.05)
    url = re.search(r"http://\S+", said).group()  # type: ignore[union-attr]
    password = re.search(r"password (\S+)", said).group(1)  # type: ignore[union-attr]
    return process, url, password


def _sign_in(api: httpx2.Client, password: str) -> None:
    """As the first administrator, as a page's scripts are: keys are for one workspace, and tests make many."""
    form = {"login": "admin", "password": password, "csrf_token": _token(api, "/sign-in")}
    assert api.post("/sign-in", data=form).status_code == 303
    api.headers["X-CSRF-Token"] = _token(api, "/guide")


def _token(api: httpx2.Client, path: str) -> str:
    return re.search(r'name="csrf" content="([^"]+)"', api.get(path).text).group(1)  # type: ignore[union-attr]


def sign_in(page: Page, password: str, login: str = "admin") -> None:
    page.goto("/sign-in")
    page.get_by_label("Login").fill(login)
    page.get_by_label("Password").fill(password)
    page.get_by_role("button", name="Sign in").click()
    page.wait_for_url("**/")


@pytest.fixture(scope="session")
def browser() -> Iterator[Browser]:
    with sync_playwright() as playwright:
        started = playwright.chromium.launch(
            executable_path="/usr/bin/chromium",
            args=[
                "--no-sandbox",
                "--disable-gpu",
                "--no-first-run",
                "--disable-background-networking",
                "--disable-component-update",
                "--disable-sync",
            ],
        )
        yield started
        started.close()


@pytest.fixture(scope="session")
def signed_in(application: Application, browser: Browser) -> Any:
    """The cookies of one sign-in, shared by all pages."""
    context = browser.new_context(base_url=application.url)
    sign_in(context.new_page(), application.password)
    state = context.storage_state()
    context.close()
    return state


@pytest.fixture
def page(application: Application, browser: Browser, signed_in: Any) -> Iterator[Page]:
    """A signed-in page; an error in its console fails the test."""
    context = browser.new_context(
        base_url=application.url,
        viewport={"width": 1280, "height": 800},
        storage_state=signed_in,
        reduced_motion="reduce",
    )  # no button is half way from one colour to the next when it is looked at
    opened = context.new_page()
    opened.set_default_timeout(20_000)
    errors: list[str] = []
    opened.on("pageerror", lambda error: errors.append(str(error)))
    opened.on(
        "console",
        lambda message: (
            errors.append(message.text)
            if message.type == "error" and "net::ERR" not in message.text and "status of 4" not in message.text
            else None
        ),
    )
    yield opened
    context.close()
    assert not errors
