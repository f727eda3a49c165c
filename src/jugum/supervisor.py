"""The processes of one installation on one machine: the start command starts them in order, keeps them running, and
stops all of them.

It holds the socket on which the web answers, so that who asks while no web process is there waits for the next; and it
has them all forked from one process that has loaded the program, so that the next is there at once.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import secrets
import signal
import socket
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from types import FrameType
from typing import TypeVar

import structlog

from jugum import beats
from jugum.cluster import Cluster, NotStartedYet, free_port
from jugum.demo import MAIL_PORT as DEMO_MAIL_PORT
from jugum.demo import SUGGESTION_PORT as DEMO_SUGGESTION_PORT
from jugum.demo import WORKSPACE as DEMO_WORKSPACE
from jugum.errors import Conflict, ExternalError, InputError, JugumError
from jugum.forkserver import Forked, ForkServer
from jugum.processes import ONE_THREAD, adopt_orphans, reap
from jugum.settings import Settings
from jugum.work import deaths

STOP_SECONDS = 8.0  # what processes have to end in, before they are killed
START_SECONDS = 60.0
DATABASE_SECONDS = 20.0  # in which a database that does not start at first may still do
PORT_SECONDS = 10.0  # in which processes of an office that was killed let go of its port
BACKLOG = 2048  # connections that wait until a web process takes them
WATCH_SECONDS = 0.5
WORKERS = ("worker", "trainer")  # processes that take tasks
# Processes that give signs of life, and the name these have.
SIGNS = {"web": "web", **dict.fromkeys(WORKERS, "worker")}
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
    process: Forked
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
        return self.hung or -self._code in deaths.CRASHES

    @property
    def _code(self) -> int:
        return self.process.returncode or 0

    @property
    def why(self) -> str:
        """How it ended, for the log."""
        if self.hung:
            return "by this command, since it gave no sign of life"
        return f"by signal {signal.Signals(-self._code).name}" if self._code < 0 else f"with exit code {self._code}"


class Supervisor:
    """Starts the database (unless one is named), web processes, workers and stand-ins, and starts again whichever of
    them dies."""

    def __init__(self, settings: Settings) -> None:
        self.settings = settings
        self.cluster = None if settings.database_url else Cluster(settings.home)
        self.env: dict[str, str] = {}
        self._forks = ForkServer({**os.environ, **ONE_THREAD})
        self._listening: socket.socket | None = None
        self._watched: list[Watched] = []
        self._stopping = False

    def asked_to_stop(self, number: int, frame: FrameType | None) -> None:
        if not self._stopping:
            self._stopping = True
            raise _Stopped

    def start(self, *, demo: bool) -> None:
        """Everything in the order in which it is needed: the first page before the workers, which take their time to
        load."""
        self._forks.prepare("jugum.programs:load_web")  # takes a while: beside the database
        from jugum.store.migrate import migrate

        url = self._start_database(self.cluster) if self.cluster else self.settings.database_url
        self._settle_settings(url, demo)
        for _ in range(self.settings.web_processes):
            self._keep("web")  # it touches no table before it is asked for a page
        self._forks.prepare("jugum.programs:load_rest")
        self._once_database_answers(lambda: migrate(url))
        self._wait_for_web()
        for command in self._commands():
            self._keep(command)
        filled = not demo or self._once_database_answers(lambda: _has_workspace(url, DEMO_WORKSPACE))
        if not filled and self._fork("demo-fill").wait() != 0:
            raise JugumError("The demo workspace could not be filled; the lines above say why.")
        self._greet(demo)

    def _settle_settings(self, url: str, demo: bool) -> None:
        """Settings and environment that all processes share, with ports that are free."""
        now = self.settings
        self._listening = _listening(now.host, now.port, named="JUGUM_PORT" in os.environ)
        port = self._listening.getsockname()[1]
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
        self.env = {
            "JUGUM_DATABASE_URL": url,
            "JUGUM_HOME": str(self.settings.home),
            "JUGUM_FILES": now.files_url,
            "JUGUM_SECRET": now.signing_key,
            "JUGUM_PORT": str(port),
            "JUGUM_MAIL_PORT": str(mail_port),
            "JUGUM_SUGGESTION_PORT": str(suggestion_port),
        }

    def _commands(self) -> list[str]:
        commands = [*WORKERS] * (self.settings.workers or os.cpu_count() or 1)
        commands += ["mail"] if self.settings.mail_port else []
        return commands + (["suggestions"] if self.settings.suggestion_port else [])

    def _keep(self, command: str) -> None:
        """Start a process that is kept running; again, when the fork server is killed meanwhile."""
        until = time.monotonic() + START_SECONDS
        while True:
            try:
                self._watched.append(Watched(command, self._fork(command), time.monotonic()))
                return
            except ExternalError:
                if time.monotonic() > until:
                    raise
                time.sleep(WATCH_SECONDS)

    def _fork(self, command: str) -> Forked:
        assert self._listening is not None
        return self._forks.fork(
            "jugum.programs:run_forked",
            command,
            os.getpid(),
            title=f"jugum {command}",
            fds=[self._listening.fileno()] if command == "web" else [],
            environment=self.env,
        )

    @property
    def address(self) -> str:
        host = f"[{self.settings.host}]" if ":" in self.settings.host else self.settings.host
        return f"http://{host}:{self.settings.port}"

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
        until = time.monotonic() + START_SECONDS
        while time.monotonic() < until:
            for web in self._watched:
                ended = web.process.poll()
                if ended is not None and ended != -signal.SIGKILL and web.wait >= START_WAIT_MOST:
                    raise JugumError("The web processes ended again and again; the lines above say why.")
            self._look_at_all()
            try:
                with urllib.request.urlopen(f"{self.address}/health", timeout=2):
                    return
            except (urllib.error.URLError, OSError):
                time.sleep(0.1)
        raise JugumError(f"The web processes did not answer at {self.address} within a minute.")

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
        while True:
            time.sleep(WATCH_SECONDS)
            self._look_at_all()
            self._reap()

    def _look_at_all(self) -> None:
        self._look_at_database()
        can_fork = self._forks.is_ready()
        for watched in self._watched:
            self._look_at(watched, time.monotonic(), can_fork)

    def _reap(self) -> None:
        reap(but={self._forks.pid, *(watched.process.pid for watched in self._watched)})

    def _look_at(self, one: Watched, now: float, can_fork: bool) -> None:
        if one.due is None and one.process.poll() is None and self._hangs(one, now):
            log.error("a process gives no sign of life and is ended", process=one.command)
            one.hung = True
            one.process.kill()
        if one.due is None and one.process.poll() is not None:
            one.ended(now)
            one.process.kill()  # what it left behind
            if one.command in WORKERS:
                deaths.note_end(self.settings.home, one.process.pid, took=one.died_of_its_work)
            beats.forget(self.settings.home, SIGNS.get(one.command, one.command), one.process.pid)
            again = f"in {one.wait:.0f} s" if one.wait else "at once"
            log.warning("a process ended and is started again", process=one.command, ended=one.why, again=again)
        if one.due is not None and now >= one.due and can_fork:
            with contextlib.suppress(ExternalError):  # the fork server has just ended: at the next look
                one.process, one.begun, one.due, one.hung = self._fork(one.command), now, None, False

    def _hangs(self, one: Watched, now: float) -> bool:
        """Whether a process has given no sign of life for longer than any may, since it was started."""
        if one.command not in SIGNS:
            return False
        silent = beats.seconds_since(self.settings.home, SIGNS[one.command], one.process.pid)
        return min(silent, now - one.begun) > self.settings.hung_seconds

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
            process.terminate()
        until = time.monotonic() + STOP_SECONDS
        for process in processes:
            process.wait(max(0.1, until - time.monotonic()))
            process.kill()
        self._forks.close()
        if self.cluster:
            self.cluster.stop()
            reap()


def _has_workspace(url: str, name: str) -> bool:
    """Asked without the store, whose imports would cost a second at every start."""
    import psycopg

    with psycopg.connect(url) as connection:
        return connection.execute("SELECT 1 FROM workspace WHERE name = %s", (name,)).fetchone() is not None


def _listening(host: str, port: int, *, named: bool) -> socket.socket:
    """A socket on which the web answers: at the port, or at any free one when somebody else has it and it was not named
    on purpose. InputError when it was."""
    until = time.monotonic() + PORT_SECONDS
    family = socket.AF_INET6 if ":" in host else socket.AF_INET
    while True:
        try:
            return socket.create_server((host, port), family=family, backlog=BACKLOG)
        except OSError as error:
            if not named:
                return socket.create_server((host, 0), family=family, backlog=BACKLOG)
            if time.monotonic() > until:
                raise InputError(
                    f"Nothing can listen at {host}:{port} ({error.strerror}). Name another JUGUM_HOST or JUGUM_PORT."
                ) from error
            time.sleep(WATCH_SECONDS)


def _port_near(host: str, port: int) -> int:
    """The port, or any free one when somebody else has it."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError:
            return free_port()
    return port
