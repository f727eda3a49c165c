"""Commands: `jugum up` starts everything; the others are its parts, for installations on many machines."""

from __future__ import annotations

import contextlib
import ctypes
import fcntl
import os
import secrets
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path
from types import FrameType
from typing import IO, Annotated

import typer

from jugum.cluster import Cluster, free_port
from jugum.demo import MAIL_PORT as DEMO_MAIL_PORT
from jugum.demo import SUGGESTION_PORT as DEMO_SUGGESTION_PORT
from jugum.demo import WORKSPACE as DEMO_WORKSPACE
from jugum.errors import JugumError
from jugum.settings import Settings

app = typer.Typer(add_completion=False, help="Jugum: a model and people share the reading of an office's papers.")
STOP_SECONDS = 8.0


@app.command()
def web() -> None:
    """Run the web process."""
    import uvicorn

    from jugum.web.app import create_app

    settings = Settings()
    uvicorn.run(
        create_app(settings), host=settings.host, port=settings.port, log_level="warning", timeout_graceful_shutdown=3
    )


@app.command()
def worker() -> None:
    """Run one worker process."""
    from jugum.work.worker import run_worker

    run_worker(Settings())


@app.command()
def migrate() -> None:
    """Bring the database to the current form."""
    from jugum.store.migrate import migrate as run

    run(Settings().database_url)


@app.command("add-person")
def add_person(
    login: str, name: str, role: str, password: Annotated[str, typer.Option(prompt=True, hide_input=True)]
) -> None:
    """Add someone who may sign in (role: analyst, reviewer, administrator)."""
    from jugum.flow.office import people
    from jugum.flow.office.actor import Actor
    from jugum.store import Store

    store = Store(Settings())
    # Who can run this command on the machine may do everything; in the audit it stands without a person.
    actor = Actor(0, "command line", "administrator") if people.anybody(store) else None
    people.add_person(store, actor, login=login, name=name, role=role, password=password)


@app.command()
def mail() -> None:
    """Run the mail stand-in that receives papers (JUGUM_MAIL_PORT), until stopped."""
    from jugum.standins.mail import run_mail

    run_mail(Settings())


@app.command()
def suggestions() -> None:
    """Run the suggestion stand-in (JUGUM_SUGGESTION_PORT), until stopped."""
    from jugum.standins.suggestions import run_suggestions

    run_suggestions(Settings().suggestion_port)


@app.command("demo-fill")
def demo_fill() -> None:
    """Fill the demo workspace (workers must be running)."""
    from jugum.demo.fill import fill, is_filled
    from jugum.store import Store

    store = Store(Settings())
    if not is_filled(store):
        fill(store, lambda line: print(line, flush=True))


@app.command()
def up(demo: Annotated[bool, typer.Option(help="With the demo workspace")] = False) -> None:
    """Start database (unless JUGUM_DATABASE_URL names one), workers and web; stop all of it on Ctrl-C or SIGTERM."""
    settings = Settings()
    settings.home.mkdir(parents=True, exist_ok=True)
    lock = _only_one(settings.home)
    _adopt_orphans()
    office = _Office(settings)
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, office.asked_to_stop)
    try:
        office.start(demo=demo)
        office.watch()
    except _Stopped:
        pass
    except JugumError as error:
        print(f"Jugum could not start: {error}", file=sys.stderr)
        raise typer.Exit(1) from error
    finally:
        office.stop()
        lock.close()


def _only_one(home: Path) -> IO[str]:
    lock = (home / "lock").open("w")
    try:
        fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except BlockingIOError as error:
        print(f"Jugum is running already on {home}.", file=sys.stderr)
        raise typer.Exit(1) from error
    return lock


class _Stopped(Exception):  # noqa: N818
    """Somebody asked to stop."""


class _Office:
    """The processes of one installation on one machine."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.cluster = None if settings.database_url else Cluster(settings.home)
        self.web: subprocess.Popen[bytes] | None = None
        self.workers: list[subprocess.Popen[bytes]] = []
        self.mail: subprocess.Popen[bytes] | None = None
        self.answering: subprocess.Popen[bytes] | None = None
        self.env: dict[str, str] = {}
        self._stopping = False

    def asked_to_stop(self, number: int, frame: FrameType | None) -> None:
        if not self._stopping:
            self._stopping = True
            raise _Stopped

    def start(self, *, demo: bool) -> None:
        from jugum.store.migrate import migrate as run_migrations

        url = self.cluster.start() if self.cluster else self.settings.database_url
        home = self.settings.home.resolve()
        mail_port = self.settings.mail_port or (_port_near(self.settings.host, DEMO_MAIL_PORT) if demo else 0)
        asked_port = self.settings.suggestion_port or (
            _port_near(self.settings.host, DEMO_SUGGESTION_PORT) if demo else 0
        )
        port = self.settings.port if "JUGUM_PORT" in os.environ else _port_near(self.settings.host, self.settings.port)
        self.env = {
            **os.environ, "JUGUM_DATABASE_URL": url, "JUGUM_HOME": str(home), "JUGUM_FILES": self.settings.files_url,
            "JUGUM_SECRET": self.settings.signing_key, "JUGUM_PORT": str(port), "JUGUM_MAIL_PORT": str(mail_port),
            "JUGUM_SUGGESTION_PORT": str(asked_port),
            "OMP_NUM_THREADS": "1", "OMP_THREAD_LIMIT": "1", "OPENBLAS_NUM_THREADS": "1",
        }  # fmt: skip
        self.settings = Settings(
            database_url=url,
            home=home,
            files=self.settings.files_url,
            secret=self.settings.signing_key,
            port=port,
            mail_port=mail_port,
            suggestion_port=asked_port,
        )
        self.web = self._spawn("web")  # it takes a while to load, and touches no table before it is asked for a page
        run_migrations(url)
        self._wait_for_web()  # first of all a page; workers take their time to load
        self.workers = [self._spawn("worker") for _ in range(self.settings.workers or os.cpu_count() or 1)]
        if mail_port:
            self.mail = self._spawn("mail")
        if asked_port:
            self.answering = self._spawn("suggestions")
        if demo and not _has_workspace(url, DEMO_WORKSPACE):
            filled = subprocess.run([sys.executable, "-m", "jugum", "demo-fill"], env=self.env, check=False)
            if filled.returncode:
                raise JugumError("The demo workspace could not be filled; the lines above say why.")
        self._greet(demo)

    def _spawn(self, command: str) -> subprocess.Popen[bytes]:
        # Own sessions: Ctrl-C reaches this process alone, which then stops the others in order.
        return subprocess.Popen([sys.executable, "-m", "jugum", command], env=self.env, start_new_session=True)

    @property
    def address(self) -> str:
        return f"http://{self.settings.host}:{self.settings.port}"

    def _wait_for_web(self) -> None:
        until = time.monotonic() + 60
        while time.monotonic() < until:
            if self.web is not None and self.web.poll() is not None:
                raise JugumError("The web process ended; the lines above say why.")
            try:
                with urllib.request.urlopen(f"{self.address}/health", timeout=2):
                    return
            except (urllib.error.URLError, OSError):
                time.sleep(0.1)
        raise JugumError(f"The web process did not answer at {self.address} within a minute.")

    def _greet(self, demo: bool) -> None:
        print(f"\nJugum is at {self.address}")
        if demo:
            from jugum.demo.fill import PASSWORD, PEOPLE

            for login, name, role in PEOPLE:
                print(f"  sign in as {login:9} password {PASSWORD}   ({name}, {role})")
        else:
            self._first_administrator()
        if self.mail:
            print(f"  the mail stand-in receives papers at {self.settings.host}:{self.settings.mail_port}")
        print("Ctrl-C stops everything.", flush=True)

    def _first_administrator(self) -> None:
        from jugum.flow.office import people
        from jugum.store import Store

        store = Store(self.settings)
        if not people.anybody(store):
            password = secrets.token_urlsafe(12)
            people.add_person(store, None, login="admin", name="Administrator", role="administrator", password=password)
            print(f"  first sign-in: admin, password {password} (shown this once)")
        store.close()

    def watch(self) -> None:
        """Until asked to stop: a worker that died is started again, a web process that died ends all."""
        while True:
            time.sleep(1)
            if self.web is not None and self.web.poll() is not None:
                raise JugumError("The web process ended; the lines above say why.")
            if self.mail is not None and self.mail.poll() is not None:
                print("The mail stand-in ended and is started again.", file=sys.stderr)
                self.mail = self._spawn("mail")
            if self.answering is not None and self.answering.poll() is not None:
                print("The suggestion stand-in ended and is started again.", file=sys.stderr)
                self.answering = self._spawn("suggestions")
            for place, process in enumerate(self.workers):
                if process.poll() is not None:
                    print("A worker ended and is started again; its task is taken up by the next.", file=sys.stderr)
                    self.workers[place] = self._spawn("worker")

    def stop(self) -> None:
        self._stopping = True
        processes = [process for process in (self.web, self.mail, self.answering, *self.workers) if process is not None]
        for process in processes:
            if process.poll() is None:
                process.terminate()
        until = time.monotonic() + STOP_SECONDS
        for process in processes:
            try:
                process.wait(max(0.1, until - time.monotonic()))
            except subprocess.TimeoutExpired:
                process.kill()
                process.wait()
        if self.cluster:
            self.cluster.stop()
            _reap()


def _has_workspace(url: str, name: str) -> bool:
    """Asked without the store, whose imports would cost a second at every start."""
    import psycopg

    with psycopg.connect(url) as connection:
        return connection.execute("SELECT 1 FROM workspace WHERE name = %s", (name,)).fetchone() is not None


def _adopt_orphans() -> None:
    """Become the parent of what our children leave (PostgreSQL's server outlives the command that starts it), so that it
    can be reaped at the end also where nothing else does it, as in many containers. Linux only."""
    ctypes.CDLL(None, use_errno=True).prctl(36, 1, 0, 0, 0)  # PR_SET_CHILD_SUBREAPER


def _reap() -> None:
    with contextlib.suppress(ChildProcessError):
        while os.waitpid(-1, os.WNOHANG)[0]:
            pass


def _port_near(host: str, port: int) -> int:
    """The port, or any free one when somebody else has it."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return free_port()
    return port


if __name__ == "__main__":
    app()
