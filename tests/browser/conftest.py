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
from pathlib import Path
from typing import Any

import httpx2
import pytest
from playwright.sync_api import Browser, Page, expect, sync_playwright
from tests.client import Client, sign_in_client
from tests.processes import children_of, command_of

from jugum.cluster import free_port

# Waiting for what must come, not timing it: a loaded machine may take its time.
expect.set_options(timeout=25_000)


@dataclass
class Application(Client):
    """Where it runs, a client of its API, how to sign in, and its process."""

    password: str = ""
    process: int = 0

    @contextmanager
    def workers_paused(self) -> Iterator[None]:
        """Nothing on the queue is done in between: what waits goes on waiting."""
        workers = [pid for pid in children_of(self.process) if command_of(pid)[0] in ("jugum worker", "jugum trainer")]
        assert workers
        try:
            for pid in workers:
                os.kill(pid, signal.SIGSTOP)
            yield
        finally:
            for pid in workers:
                os.kill(pid, signal.SIGCONT)


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
            # As an administrator, since keys are for one workspace, and tests make many.
            sign_in_client(api, "admin", where["password"])
            yield Application(where["url"], api, password=where["password"], process=where["process"])
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
            executable_path="/usr/bin/chromium-headless-shell",
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
    opened.set_default_timeout(60_000)
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
    opened.wait_for_load_state("load")  # a page that is just being left may never let itself be closed
    context.close()
    assert not errors


@pytest.fixture(scope="session")
def second_person(application: Application, browser: Browser, signed_in: Any) -> Any:
    """The cookies of somebody else who may do everything."""
    context = browser.new_context(base_url=application.url, storage_state=signed_in)
    people = context.new_page()
    people.goto("/people")
    people.get_by_label("Name", exact=True).fill("Vera Second")
    people.get_by_label("Login").fill("vera")
    people.get_by_label("First password").fill("nine lamps in a harbour")
    people.get_by_label("Role").select_option("administrator")
    people.get_by_role("button", name="Add person").click()
    expect(people.get_by_role("row", name="Vera Second").first).to_be_visible()
    context.close()
    theirs = browser.new_context(base_url=application.url)
    sign_in(theirs.new_page(), "nine lamps in a harbour", "vera")
    state = theirs.storage_state()
    theirs.close()
    return state


@pytest.fixture
def other(application: Application, browser: Browser, second_person: Any) -> Iterator[Page]:
    """A page of somebody else."""
    context = browser.new_context(
        base_url=application.url, viewport={"width": 1280, "height": 800}, storage_state=second_person
    )
    yield context.new_page()
    context.close()
