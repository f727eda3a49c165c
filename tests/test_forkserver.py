"""Processes forked from one that has loaded what they need."""

from __future__ import annotations

import os
import signal
import socket
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

from jugum.errors import ExternalError, JugumError
from jugum.forkserver import ENDED_UNSEEN, Forked, ForkServer
from jugum.processes import reap
from tests.processes import children_of, command_of, wait_until


def note_loaded(path: str) -> None:
    with Path(path).open("a") as notes:
        notes.write(f"loaded in {os.getpid()}\n")


def tell(said: str, out: int) -> None:
    os.write(out, f"{said} {os.environ.get('FOR_IT')} {os.getpid()} {os.getsid(0)}".encode())


def end_with(code: int) -> None:
    raise SystemExit(code)


def hang() -> None:
    time.sleep(600)


def hang_with_a_child() -> None:
    os.fork()
    time.sleep(600)


def fail() -> None:
    raise ValueError("no")


def die_when_told_to_tell() -> None:
    """The fork server is killed in the moment between forking a process and telling its owner of it."""
    send = socket.socket.send

    def told(self: socket.socket, said: bytes) -> int:
        if said != b"0":  # the answer to what is prepared
            os.kill(os.getpid(), signal.SIGKILL)
        return send(self, said)

    socket.socket.send = told  # type: ignore[method-assign,assignment]


@pytest.fixture
def forks() -> Iterator[ForkServer]:
    server = ForkServer({**os.environ, "PYTHONPATH": os.pathsep.join(["src", "."])}, quiet=True)
    yield server
    server.close()


def test_a_forked_process_runs_what_it_is_told_and_its_owner_sees_how_it_ended(forks: ForkServer) -> None:
    here, there = os.pipe()
    one = forks.fork(
        "tests.test_forkserver:tell", "hello", title="a title", fds=[there], environment={"FOR_IT": "cake"}
    )
    os.close(there)
    assert os.read(here, 100).decode() == f"hello cake {one.pid} {one.pid}"
    assert os.read(here, 100) == b""  # nobody else holds its end
    assert one.wait(20) == 0
    os.close(here)
    other = forks.fork("tests.test_forkserver:end_with", 7, title="ends")
    assert other.wait() == 7
    assert other.returncode == 7
    hangs = forks.fork("tests.test_forkserver:hang", title="jugum that hangs")
    assert hangs.poll() is None
    assert hangs.wait(0.05) is None
    while command_of(hangs.pid)[0] != "jugum that hangs":
        time.sleep(0.01)
    hangs.terminate()
    assert hangs.wait() == -signal.SIGTERM
    hangs.terminate()  # nothing is there any more


def test_all_of_a_session_ends_and_is_let_go(forks: ForkServer) -> None:
    one = forks.fork("tests.test_forkserver:hang_with_a_child", title="jugum two")
    while not (its := children_of(one.pid)):
        time.sleep(0.01)
    one.kill()
    assert one.returncode == -signal.SIGKILL
    assert not Path(f"/proc/{its[0]}").exists()


def test_what_is_prepared_is_loaded_once_in_the_server_alone(forks: ForkServer, tmp_path: Path) -> None:
    notes = str(tmp_path / "notes")
    for _ in range(2):
        forks.prepare("tests.test_forkserver:note_loaded", notes)
    forks.fork("tests.test_forkserver:end_with", 0, title="ends").wait()
    assert Path(notes).read_text() == f"loaded in {forks.pid}\n"
    assert forks.is_ready()


def test_a_fork_server_that_is_killed_is_replaced_and_what_it_forked_goes_on(forks: ForkServer, tmp_path: Path) -> None:
    notes = str(tmp_path / "notes")
    forks.prepare("tests.test_forkserver:note_loaded", notes)
    goes_on = forks.fork("tests.test_forkserver:hang", title="jugum that hangs")
    first = forks.pid
    assert first is not None
    # It runs: what its fork server had no time to let go does not (see the test below).
    wait_until(lambda: b"jugum that hangs" in Path(f"/proc/{goes_on.pid}/cmdline").read_bytes())
    os.kill(first, signal.SIGKILL)
    os.waitid(os.P_PID, first, os.WEXITED | os.WNOWAIT)
    assert forks.fork("tests.test_forkserver:end_with", 3, title="ends").wait() == 3
    assert forks.pid != first
    assert Path(notes).read_text() == f"loaded in {first}\nloaded in {forks.pid}\n"
    assert goes_on.poll() is None
    goes_on.kill()
    assert goes_on.returncode == -signal.SIGKILL


def test_a_fork_server_that_ends_over_a_request_says_so(forks: ForkServer) -> None:
    forks.prepare("tests.test_forkserver:hang")
    assert not forks.is_ready()
    assert forks.pid is not None
    os.kill(forks.pid, signal.SIGKILL)
    with pytest.raises(ExternalError, match="has ended; try again"):
        forks._answer()


def test_what_its_owner_was_never_told_of_does_not_run(forks: ForkServer, tmp_path: Path) -> None:
    notes = tmp_path / "notes"
    forks.prepare("tests.test_forkserver:die_when_told_to_tell")
    before = {*children_of(os.getpid()), forks.pid}
    with pytest.raises(ExternalError, match="has ended; try again"):
        forks.fork("tests.test_forkserver:note_loaded", str(notes), title="nobody's")
    (orphan,) = set(children_of(os.getpid())) - before
    os.waitpid(orphan, 0)
    assert not notes.exists()


def test_a_program_that_does_not_load_is_told(forks: ForkServer) -> None:
    forks.prepare("tests.test_forkserver:fail")
    with pytest.raises(JugumError, match="does not load"):
        forks.fork("tests.test_forkserver:hang", title="never")


def test_how_it_ended_is_not_known_where_somebody_else_has_asked(forks: ForkServer) -> None:
    one = forks.fork("tests.test_forkserver:end_with", 0, title="ends")
    os.waitid(os.P_PID, one.pid, os.WEXITED | os.WNOWAIT)
    reap(but={forks.pid})
    assert Forked(one.pid).poll() == ENDED_UNSEEN
