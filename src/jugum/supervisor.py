"""The processes of one installation on one machine: the start command starts them in order, keeps them running, and
stops all of them."""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import signal
import socket
import subprocess
import sys
import threading
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from types import FrameType
from typing import TypeVar

import structlog

from jugum.cluster import Cluster, NotStartedYet, free_port
from jugum.demo import MAIL_PORT as DEMO_MAIL_PORT
from jugum.demo import SUGGESTION_PORT as DEMO_SUGGESTION_PORT
from jugum.demo import WORKSPACE as DEMO_WORKSPACE
from jugum.errors import Conflict, ExternalError, JugumError
from jugum.processes import adopt_orphans, kill_session, reap
from jugum.settings import Settings
from jugum.work import deaths

STOP_SECONDS = 8.0  # what processes have to end in, before they are killed
START_SECONDS = 60.0
DATABASE_SECONDS = 20.0  # in which a database that does not start at first may still do
WATCH_SECONDS = 0.5
PULSE_SECONDS = 2.0  # between two questions whether the web answers
PULSE_ANSWER_SECONDS = 5.0
SUPERVISED = "JUGUM_SUPERVISED"  # the start command's number, for processes that it starts: they end with it
START_WAIT_MOST = 2.0  # seconds to wait for another try of the web, beyond which the start has failed
STEADY_SECONDS = 10.0  # a process that ran so long is sound, and is started again at once
# Seconds before one is started again that ended soon. For the web people wait.
WAIT_LEAST, WAIT_MOST, WEB_WAIT_MOST = 1.0, 10.0, 2.0
log = structlog.get_logger()
T = TypeVar("T")


def run_office(settings: Settings, *, demo: bool) -> None:
    """Start everything and keep it running until asked to stop (Ctrl-C, SIGTERM, SIGHUP). Conflict when another runs
    on the same folder."""
    settings.home.mkdir(parents=True, exist_ok=True)
    with _only_one(settings.home):
        adopt_orphans()
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


@dataclass
class Watched:
    """A process that is kept running. One that ends is started again at once; one that ends soon after that, after
    waits that grow: what is broken for long is not started all the time."""

    command: str
    process: subprocess.Popen[bytes]
    begun: float
    wait: float = 0.0
    due: float | None = None  # when it is started again, once it has ended

    hung: bool = False  # it was ended because it gave no sign of life

    def ended(self, now: float) -> None:
        """It was seen to have ended: set when it is started again."""
        steady = now - self.begun > STEADY_SECONDS
        most = WEB_WAIT_MOST if self.command == "web" else WAIT_MOST
        self.wait = 0.0 if steady else min(most, 2 * self.wait or WAIT_LEAST)
        self.due = now + self.wait

    @property
    def died_of_its_work(self) -> bool:
        """Whether it ended by what it did, and not by a signal that anybody may have sent."""
        return self.hung or -self.process.returncode in deaths.CRASHES

    @property
    def why(self) -> str:
        """How it ended, for the log."""
        code = self.process.returncode
        if self.hung:
            return "by this command, since it gave no sign of life"
        return f"by signal {signal.Signals(-code).name}" if code < 0 else f"with exit code {code}"


class Pulse:
    """Whether the web answers, asked from a thread: who watches must not wait. An answer that the database is away is
    an answer."""

    def __init__(self) -> None:
        self._answered = self._asked = time.monotonic()
        self._asking: threading.Thread | None = None

    def begin(self) -> None:
        """A new process is started: it has its time to load before it is missed."""
        self._answered = time.monotonic() + START_SECONDS

    def look(self, address: str) -> None:
        """Ask, unless the last question is still open or was asked just now."""
        if (self._asking is None or not self._asking.is_alive()) and time.monotonic() - self._asked > PULSE_SECONDS:
            self._asked = time.monotonic()
            self._asking = threading.Thread(target=self._ask, args=(address,), daemon=True)
            self._asking.start()

    def _ask(self, address: str) -> None:
        try:
            with urllib.request.urlopen(address, timeout=PULSE_ANSWER_SECONDS):
                self._answered = time.monotonic()
        except urllib.error.HTTPError:
            self._answered = time.monotonic()
        except OSError:
            pass  # nobody is there, or nobody answers in time

    @property
    def seconds_silent(self) -> float:
        """Since the last answer; below nought while a new process loads."""
        return time.monotonic() - self._answered


class Supervisor:
    """Starts the database (unless one is named), the web process, workers and stand-ins, and starts again whichever of
    them dies."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.cluster = None if settings.database_url else Cluster(settings.home)
        self.env: dict[str, str] = {}
        self._watched: list[Watched] = []
        self._stopping = False
        self._pulse = Pulse()

    def asked_to_stop(self, number: int, frame: FrameType | None) -> None:
        if not self._stopping:
            self._stopping = True
            raise _Stopped

    def start(self, *, demo: bool) -> None:
        """Everything in the order in which it is needed: the first page before the workers, which take their time to
        load."""
        from jugum.store.migrate import migrate

        url = self._start_database(self.cluster) if self.cluster else self.settings.database_url
        self._settle_settings(url, demo)
        self._keep("web")  # it takes a while to load, and touches no table before it is asked for a page
        self._once_database_answers(lambda: migrate(url))
        self._wait_for_web()
        for command in self._commands():
            self._keep(command)
        if demo and not self._once_database_answers(lambda: _has_workspace(url, DEMO_WORKSPACE)):
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
        self.env = {**os.environ, **shared, **threads, SUPERVISED: str(os.getpid())}

    def _commands(self) -> list[str]:
        commands = ["worker"] * (self.settings.workers or os.cpu_count() or 1)
        commands += ["mail"] if self.settings.mail_port else []
        return commands + (["suggestions"] if self.settings.suggestion_port else [])

    def _keep(self, command: str) -> None:
        self._watched.append(Watched(command, self._spawn(command), time.monotonic()))

    def _spawn(self, command: str) -> subprocess.Popen[bytes]:
        # Own sessions: Ctrl-C reaches this process alone, which then stops the others in order.
        process = subprocess.Popen([sys.executable, "-m", "jugum", command], env=self.env, start_new_session=True)
        # Numbers come again: what an earlier process of this one left is not its own.
        deaths.note_end(self.settings.home, process.pid, took=False)
        return process

    @property
    def address(self) -> str:
        return f"http://{self.settings.host}:{self.settings.port}"

    def _start_database(self, cluster: Cluster) -> str:
        """Its URL. What a killed server left behind may take some seconds to end."""
        until = time.monotonic() + DATABASE_SECONDS
        while True:
            try:
                return cluster.start()
            except NotStartedYet:
                if time.monotonic() > until:
                    raise
                time.sleep(WATCH_SECONDS)
                self._reap()

    def _once_database_answers(self, work: Callable[[], T]) -> T:
        """Do what needs the database, again while it comes back: it may be killed during the start, too."""
        from psycopg import OperationalError as ConnectionRefused
        from sqlalchemy.exc import OperationalError

        until = time.monotonic() + START_SECONDS
        while True:
            try:
                return work()
            except (OperationalError, ConnectionRefused, ExternalError):
                if time.monotonic() > until:
                    raise
                time.sleep(WATCH_SECONDS)
                self._look_at_database()

    def _wait_for_web(self) -> None:
        until, web = time.monotonic() + START_SECONDS, self._watched[0]
        while time.monotonic() < until:
            ended = web.process.poll()
            if ended is not None and ended != -signal.SIGKILL and web.wait >= START_WAIT_MOST:
                raise JugumError("The web process ended again and again; the lines above say why.")
            self._look_at_database()
            self._look_at(web, time.monotonic())
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
            self._once_database_answers(self._first_administrator)
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
        self._pulse.begin()
        while True:
            time.sleep(WATCH_SECONDS)
            self._look_at_database()
            self._pulse.look(f"{self.address}/health")
            for watched in self._watched:
                self._look_at(watched, time.monotonic())
            self._reap()

    def _reap(self) -> None:
        reap(but=[watched.process.pid for watched in self._watched])

    def _look_at(self, one: Watched, now: float) -> None:
        if one.due is None and one.process.poll() is None and self._hangs(one):
            log.error("a process gives no sign of life and is ended", process=one.command)
            one.hung = True
            kill_session(one.process.pid)
            one.process.wait()
        if one.due is None and one.process.poll() is not None:
            one.ended(now)
            kill_session(one.process.pid)  # what it left behind would hold its port
            if one.command == "worker":
                deaths.note_end(self.settings.home, one.process.pid, took=one.died_of_its_work)
            again = f"in {one.wait:.0f} s" if one.wait else "at once"
            log.warning("a process ended and is started again", process=one.command, ended=one.why, again=again)
        if one.due is not None and now >= one.due:
            one.process, one.begun, one.due, one.hung = self._spawn(one.command), now, None, False
            if one.command == "web":
                self._pulse.begin()

    def _hangs(self, one: Watched) -> bool:
        """Whether a process has given no sign of life for longer than any may: a worker beats, the web answers."""
        most = self.settings.hung_seconds
        if one.command == "worker":
            return deaths.seconds_since_beat(self.settings.home, one.process.pid) > most
        return one.command == "web" and self._pulse.seconds_silent > most

    def _look_at_database(self) -> None:
        """Start the private cluster again when its server has died. It may not start while what it left behind is
        still ending: then at the next look."""
        if self.cluster is None or self.cluster.is_running():
            return
        log.warning("the database ended and is started again")
        self._reap()  # a server that is dead but not reaped counts as one that runs
        try:
            self.cluster.start()
        except ExternalError as error:
            log.warning("the database does not start yet", reason=str(error))

    def stop(self) -> None:
        """End all processes, in their own time or, after some seconds, at once; the database last."""
        self._stopping = True
        processes = [watched.process for watched in self._watched]
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
            reap()


def _has_workspace(url: str, name: str) -> bool:
    """Asked without the store, whose imports would cost a second at every start."""
    import psycopg

    with psycopg.connect(url) as connection:
        return connection.execute("SELECT 1 FROM workspace WHERE name = %s", (name,)).fetchone() is not None


def _port_near(host: str, port: int) -> int:
    """The port, or any free one when somebody else has it."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return free_port()
    return port
