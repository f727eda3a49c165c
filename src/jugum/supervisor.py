"""The processes of one installation on one machine: the start command starts them in order, keeps them running, and
stops all of them."""

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
from collections.abc import Iterator
from pathlib import Path
from types import FrameType

from jugum.cluster import Cluster, free_port
from jugum.demo import MAIL_PORT as DEMO_MAIL_PORT
from jugum.demo import SUGGESTION_PORT as DEMO_SUGGESTION_PORT
from jugum.demo import WORKSPACE as DEMO_WORKSPACE
from jugum.errors import Conflict, JugumError
from jugum.settings import Settings

STOP_SECONDS = 8.0  # what processes have to end in, before they are killed
START_SECONDS = 60.0
WATCH_SECONDS = 1.0


def run_office(settings: Settings, *, demo: bool) -> None:
    """Start everything and keep it running until asked to stop (Ctrl-C, SIGTERM, SIGHUP). Conflict when another runs
    on the same folder."""
    settings.home.mkdir(parents=True, exist_ok=True)
    with _only_one(settings.home):
        _adopt_orphans()
        supervisor = Supervisor(settings)
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, supervisor.asked_to_stop)
        try:
            supervisor.start(demo=demo)
            supervisor.watch()
        except _Stopped:
            pass
        finally:
            supervisor.stop()


@contextlib.contextmanager
def _only_one(home: Path) -> Iterator[None]:
    with (home / "lock").open("w") as lock:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError as error:
            raise Conflict(f"Jugum is running already on {home}.") from error
        yield


class _Stopped(Exception):  # noqa: N818
    """Somebody asked to stop."""


class Supervisor:
    """Starts the database (unless one is named), the web process, workers and stand-ins. A worker or stand-in that
    dies is started again; a web process that dies ends all."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.cluster = None if settings.database_url else Cluster(settings.home)
        self.env: dict[str, str] = {}
        self._web: subprocess.Popen[bytes] | None = None
        self._others: list[tuple[str, subprocess.Popen[bytes]]] = []
        self._stopping = False

    def asked_to_stop(self, number: int, frame: FrameType | None) -> None:
        if not self._stopping:
            self._stopping = True
            raise _Stopped

    def start(self, *, demo: bool) -> None:
        """Everything in the order in which it is needed: the first page before the workers, which take their time to
        load."""
        from jugum.store.migrate import migrate

        url = self.cluster.start() if self.cluster else self.settings.database_url
        self._settle_settings(url, demo)
        self._web = self._spawn("web")  # it takes a while to load, and touches no table before it is asked for a page
        migrate(url)
        self._wait_for_web()
        for command in self._commands():
            self._others.append((command, self._spawn(command)))
        if demo and not _has_workspace(url, DEMO_WORKSPACE):
            filled = subprocess.run([sys.executable, "-m", "jugum", "demo-fill"], env=self.env, check=False)
            if filled.returncode:
                raise JugumError("The demo workspace could not be filled; the lines above say why.")
        self._greet(demo)

    def _settle_settings(self, url: str, demo: bool) -> None:
        """Settings and environment that all processes share, with ports that are free."""
        now = self.settings
        port = now.port if "JUGUM_PORT" in os.environ else _port_near(now.host, now.port)
        mail_port = now.mail_port or (_port_near(now.host, DEMO_MAIL_PORT) if demo else 0)
        suggestion_port = now.suggestion_port or (_port_near(now.host, DEMO_SUGGESTION_PORT) if demo else 0)
        self.settings = Settings(
            database_url=url,
            home=now.home.resolve(),
            files=now.files_url,
            secret=now.signing_key,
            port=port,
            mail_port=mail_port,
            suggestion_port=suggestion_port,
        )
        shared = {
            "JUGUM_DATABASE_URL": url,
            "JUGUM_HOME": str(self.settings.home),
            "JUGUM_FILES": now.files_url,
            "JUGUM_SECRET": now.signing_key,
            "JUGUM_PORT": str(port),
            "JUGUM_MAIL_PORT": str(mail_port),
            "JUGUM_SUGGESTION_PORT": str(suggestion_port),
        }
        # One thread a process, one process a core: threads of their own would only be in each other's way.
        threads = dict.fromkeys(("OMP_NUM_THREADS", "OMP_THREAD_LIMIT", "OPENBLAS_NUM_THREADS"), "1")
        self.env = {**os.environ, **shared, **threads}

    def _commands(self) -> list[str]:
        commands = ["worker"] * (self.settings.workers or os.cpu_count() or 1)
        commands += ["mail"] if self.settings.mail_port else []
        return commands + (["suggestions"] if self.settings.suggestion_port else [])

    def _spawn(self, command: str) -> subprocess.Popen[bytes]:
        # Own sessions: Ctrl-C reaches this process alone, which then stops the others in order.
        return subprocess.Popen([sys.executable, "-m", "jugum", command], env=self.env, start_new_session=True)

    @property
    def address(self) -> str:
        return f"http://{self.settings.host}:{self.settings.port}"

    def _wait_for_web(self) -> None:
        until = time.monotonic() + START_SECONDS
        while time.monotonic() < until:
            self._check_web()
            try:
                with urllib.request.urlopen(f"{self.address}/health", timeout=2):
                    return
            except (urllib.error.URLError, OSError):
                time.sleep(0.1)
        raise JugumError(f"The web process did not answer at {self.address} within a minute.")

    def _check_web(self) -> None:
        if self._web is not None and self._web.poll() is not None:
            raise JugumError("The web process ended; the lines above say why.")

    def _greet(self, demo: bool) -> None:
        print(f"\nJugum is at {self.address}")
        if demo:
            from jugum.demo.fill import PASSWORD, PEOPLE

            for login, name, role in PEOPLE:
                print(f"  sign in as {login:9} password {PASSWORD}   ({name}, {role})")
        else:
            self._first_administrator()
        if self.settings.mail_port:
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
        """Until asked to stop. A worker's task is taken up by the next."""
        while True:
            time.sleep(WATCH_SECONDS)
            self._check_web()
            for place, (command, process) in enumerate(self._others):
                if process.poll() is not None:
                    print(f"The process “{command}” ended and is started again.", file=sys.stderr)
                    self._others[place] = command, self._spawn(command)

    def stop(self) -> None:
        """End all processes, in their own time or, after some seconds, at once; the database last."""
        self._stopping = True
        processes = [process for process in (self._web, *(one for _, one in self._others)) if process is not None]
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
    """Become the parent of what our children leave (PostgreSQL's server outlives the command that starts it), so
    that it can be reaped at the end also where nothing else does it, as in many containers. Linux only."""
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
