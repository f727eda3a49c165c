"""The start command keeps what it started running: whichever process is killed is started again."""

from __future__ import annotations

import os
import re
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from tests.processes import children_of, command_of, is_zombie

from jugum.beats import BEAT_SECONDS, path_of
from jugum.cluster import Cluster, NotStartedYet, free_port
from jugum.errors import InputError
from jugum.forkserver import Forked
from jugum.settings import Settings
from jugum.supervisor import STEADY_SECONDS, WAIT_MOST, WEB_WAIT_MOST, Supervisor, Watched, _listening


def ran(code: int) -> Forked:
    process = Forked(os.posix_spawn("/bin/sh", ["sh", "-c", f"kill -{code} $$"], {}))
    process.wait()
    return process


def test_what_ends_again_and_again_is_started_after_waits_that_grow() -> None:
    one = Watched("worker", ran(signal.SIGKILL), begun=0.0)
    assert one.why == "by signal SIGKILL"
    waits = []
    for _ in range(8):
        one.ended(now=1.0)
        waits.append(one.wait)
        assert one.due == 1.0 + one.wait
    assert waits == [1.0, 2.0, 4.0, 8.0, WAIT_MOST, WAIT_MOST, WAIT_MOST, WAIT_MOST]
    one.ended(now=STEADY_SECONDS + 1)
    assert one.wait == 0.0


def test_the_web_is_never_left_out_for_long() -> None:
    one = Watched("web", ran(signal.SIGKILL), begun=0.0)
    for wait in (1.0, WEB_WAIT_MOST, WEB_WAIT_MOST):
        one.ended(now=1.0)
        assert one.wait == wait


def test_a_port_that_somebody_has_is_told_when_it_was_named(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("jugum.supervisor.PORT_SECONDS", 0.1)
    with socket.create_server(("127.0.0.1", 0)) as taken:
        port = taken.getsockname()[1]
        with _listening("127.0.0.1", port, named=False) as other:
            assert other.getsockname()[1] != port
        with pytest.raises(InputError, match=f"127.0.0.1:{port} .*JUGUM_PORT"):
            _listening("127.0.0.1", port, named=True)


def test_a_database_that_does_not_start_yet_is_waited_for(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    tries = iter((NotStartedYet("in use"), NotStartedYet("in use"), None))

    def start(self: Cluster) -> str:
        if error := next(tries):
            raise error
        return "postgresql://there"

    monkeypatch.setattr(Cluster, "start", start)
    supervisor = Supervisor(Settings(home=tmp_path, database_url=""))
    assert supervisor._start_database(Cluster(tmp_path)) == "postgresql://there"
    monkeypatch.setattr("jugum.supervisor.DATABASE_SECONDS", 0.0)
    tries = iter((NotStartedYet("in use"),) * 9)
    with pytest.raises(NotStartedYet):
        supervisor._start_database(Cluster(tmp_path))


def test_what_was_started_by_a_process_that_is_gone_ends_at_once() -> None:
    program = "from jugum.processes import end_with_parent; end_with_parent({}); print('goes on')"
    for parent, goes_on in ((os.getpid(), True), (1 << 22, False)):
        done = subprocess.run(
            [sys.executable, "-c", program.format(parent)], capture_output=True, text=True, check=False
        )
        assert (done.returncode == 0, "goes on" in done.stdout) == (goes_on, goes_on)


def test_who_gives_no_sign_of_life_is_missed_also_when_it_never_began(tmp_path: Path) -> None:
    supervisor = Supervisor(Settings(home=tmp_path, database_url="postgresql://there", hung_seconds=8))
    process = ran(signal.SIGKILL)

    def hangs(command: str, *, seconds: float) -> bool:
        return supervisor._hangs(Watched(command, process, begun=100.0), 100.0 + seconds)

    assert [hangs("web", seconds=7), hangs("web", seconds=9)] == [False, True]
    assert not hangs("mail", seconds=900)  # it gives none
    sign = path_of(tmp_path, "worker", process.pid)
    sign.touch()
    assert not hangs("worker", seconds=900)
    os.utime(sign, (time.time() - 60, time.time() - 60))
    assert hangs("worker", seconds=900)
    assert hangs("trainer", seconds=900)
    assert not hangs("worker", seconds=1)  # an earlier process of its number left the file


KILLED_AT_START = """
import os, signal, sys
import psycopg
from jugum.processes import adopt_orphans
from jugum.settings import Settings
from jugum.supervisor import Supervisor

adopt_orphans()
supervisor = Supervisor(Settings(home=sys.argv[1], database_url=""))
url = supervisor.cluster.start()
os.kill(int((supervisor.cluster.data / "postmaster.pid").read_text().splitlines()[0]), signal.SIGKILL)
try:
    supervisor._once_database_answers(lambda: psycopg.connect(url, connect_timeout=5).close())
    print("answers again")
finally:
    supervisor.stop()
"""


def test_a_database_that_is_killed_during_the_start_is_started_again() -> None:
    with tempfile.TemporaryDirectory(prefix="jugum-test-", dir="/tmp") as folder:
        Path(folder).chmod(0o755)  # PostgreSQL runs as another user
        done = subprocess.run(
            [sys.executable, "-c", KILLED_AT_START, folder], capture_output=True, text=True, timeout=100, check=False
        )
    assert done.stdout.endswith("answers again\n"), done.stdout + done.stderr


# ---- The whole office ------------------------------------------------------------------------------------------------


class Office:
    """A running installation: its address, and its processes by what they are."""

    def __init__(self, process: subprocess.Popen[bytes], url: str, home: Path) -> None:
        self.process, self.url, self.home = process, url, home

    def pids(self, *, command: str) -> list[int]:
        return [pid for pid in children_of(self.process.pid) if " ".join(command_of(pid)).startswith(command)]

    def forks(self) -> int:
        return next(pid for pid in children_of(self.process.pid) if "jugum.forkserver" in command_of(pid))

    def answers(self) -> bool:
        """Health asks the database, too."""
        try:
            with urllib.request.urlopen(f"{self.url}/health", timeout=5) as answer:
                return bool(answer.status == 200)
        except (urllib.error.URLError, OSError):
            return False

    def postmaster(self) -> int:
        return int(next(self.home.glob("cluster/data/postmaster.pid")).read_text().splitlines()[0])

    def _said(self) -> str:
        """What the log says, and how its processes are."""
        states = [(pid, " ".join(command_of(pid))[:40], is_zombie(pid)) for pid in children_of(self.process.pid)]
        return f"{(self.home / 'said.txt').read_text()[-3000:]}\n{states}"

    def wait(self, done: Callable[[], bool]) -> None:
        until = time.monotonic() + 60
        while not done():
            assert time.monotonic() < until, self._said()
            assert self.process.poll() is None
            time.sleep(0.1)


@pytest.fixture
def office() -> Iterator[Office]:
    with tempfile.TemporaryDirectory(prefix="jugum-test-", dir="/tmp") as folder:
        home = Path(folder)
        home.chmod(0o755)  # PostgreSQL runs as another user
        env = {**os.environ, "JUGUM_HOME": folder, "JUGUM_PORT": str(free_port()), "JUGUM_WORKERS": "1"}
        env["JUGUM_HUNG_SECONDS"] = "8"
        env.pop("JUGUM_DATABASE_URL", None)
        with (home / "said.txt").open("w") as out:
            process = subprocess.Popen([sys.executable, "-m", "jugum", "up"], env=env, stdout=out, stderr=out)
        made = Office(process, f"http://127.0.0.1:{env['JUGUM_PORT']}", home)
        try:
            made.wait(lambda: "Ctrl-C" in (home / "said.txt").read_text())
            yield made
        finally:
            process.send_signal(signal.SIGTERM)
            assert process.wait(30) == 0


@pytest.mark.long
def test_whichever_process_is_killed_the_office_is_back_at_work(office: Office) -> None:
    def killed(pid: int) -> None:
        os.kill(pid, signal.SIGKILL)
        office.wait(lambda: not Path(f"/proc/{pid}").exists())  # reaped, too

    def back(command: str, without: list[int], count: int) -> bool:
        pids = office.pids(command=command)
        return len(pids) == count and not set(pids) & set(without)

    # One of two web processes: the other answers all the time.
    one, other = office.pids(command="jugum web")
    os.kill(one, signal.SIGKILL)
    for _ in range(5):
        assert office.answers()
    office.wait(lambda: back("jugum web", [one], 2))
    # Both: who asks waits for the next.
    for pid in office.pids(command="jugum web"):
        os.kill(pid, signal.SIGKILL)
    assert office.answers()
    office.wait(lambda: back("jugum web", [one, other], 2))
    (worker,) = office.pids(command="jugum worker")
    killed(worker)
    office.wait(lambda: back("jugum worker", [worker], 1))
    killed(office.postmaster())
    office.wait(office.answers)
    # What the others are forked from: they go on, and are told apart from it.
    webs, forks = office.pids(command="jugum web"), office.forks()
    killed(forks)
    assert office.answers()
    killed(webs[0])
    office.wait(lambda: back("jugum web", webs[:1], 2))
    assert office.forks() != forks
    # All of them at once.
    ends = [*office.pids(command="jugum"), office.forks(), office.postmaster()]
    for pid in ends:
        os.kill(pid, signal.SIGKILL)
    office.wait(lambda: back("jugum web", ends, 2) and back("jugum worker", ends, 1) and office.answers())
    assert not [pid for pid in children_of(office.process.pid) if is_zombie(pid)]
    # What is there and does nothing is ended, too.
    stopped = [*office.pids(command="jugum web"), *office.pids(command="jugum worker")]
    office.wait(lambda: all(list((office.home / "run").glob(f"*-{pid}")) for pid in stopped))
    time.sleep(BEAT_SECONDS)
    for pid in stopped:
        os.kill(pid, signal.SIGSTOP)
    office.wait(lambda: not any(Path(f"/proc/{pid}").exists() for pid in stopped))
    office.wait(lambda: back("jugum web", stopped, 2) and back("jugum worker", stopped, 1) and office.answers())
    said = (office.home / "said.txt").read_text()
    assert re.search(r'"process": "web".*"ended": "by signal SIGKILL"', said)
    assert "the database ended and is started again" in said
    assert "the process that starts others ended and is started again" in said
