"""A process that has loaded the program and forks others from it: they are there at once and share its memory.

Every process is forked twice, so that not the fork server but its owner, which adopts it, is told how it ended, also
when the fork server is gone by then. `python -m jugum.forkserver FD` is started by its owner, with a socket between
the two.
"""

from __future__ import annotations

import contextlib
import gc
import importlib
import json
import os
import select
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any

import setproctitle
import structlog

import jugum
from jugum.errors import ExternalError, JugumError
from jugum.processes import adopt_orphans, reap_group

MESSAGE_MOST, FDS_MOST = 100_000, 4
ANSWER_SECONDS = 60.0
ENDED_UNSEEN = 255  # how a process ended that somebody else has asked for
LOOK_SECONDS = 0.02  # between two looks at a process whose end is waited for
log = structlog.get_logger()


class Forked:
    """A process that a fork server made, for its owner: as much of `subprocess.Popen` as is asked of it."""

    def __init__(self, pid: int) -> None:
        self.pid = pid
        self.returncode: int | None = None  # below nought: the signal that ended it

    def poll(self) -> int | None:
        """How it ended; None while it runs."""
        return self._asked(os.WNOHANG)

    def wait(self, seconds: float | None = None) -> int | None:
        """How it ended, after waiting for that; None when it still runs after so many seconds."""
        if seconds is None:
            return self._asked(0)
        until = time.monotonic() + seconds
        while self.poll() is None and time.monotonic() < until:
            time.sleep(LOOK_SECONDS)
        return self.returncode

    def _asked(self, how: int) -> int | None:
        if self.returncode is None:
            try:
                pid, status = os.waitpid(self.pid, how)
            except ChildProcessError:
                pid, status = self.pid, ENDED_UNSEEN << 8
            if pid:
                self.returncode = os.waitstatus_to_exitcode(status)
        return self.returncode

    def terminate(self) -> None:
        """Ask it to end."""
        if self.poll() is None:
            os.kill(self.pid, signal.SIGTERM)

    def kill(self) -> None:
        """End it and all that is left of its session."""
        with contextlib.suppress(ProcessLookupError, PermissionError):
            os.killpg(self.pid, signal.SIGKILL)
        self.wait()
        reap_group(self.pid)


class ForkServer:
    """A fork server seen from its owner: started when it is first asked, and again when it has ended. Functions that
    run in it or in what it forks are named `module:function`; arguments are what JSON can say. An owner that was
    forked itself has a fork server of its own."""

    def __init__(self, environment: Mapping[str, str], *, quiet: bool = False) -> None:
        self._environment, self._quiet = environment, quiet
        self._lock = threading.Lock()
        self._process: subprocess.Popen[bytes] | None = None
        self._socket: socket.socket | None = None
        self._prepared: list[dict[str, Any]] = []
        self._unanswered = 0

    @property
    def pid(self) -> int | None:
        """The number of its process, None while there is none."""
        return self._process.pid if self._process is not None else None

    def is_ready(self) -> bool:
        """Whether it has done all that it was asked, so that it forks at once. It is started again when it has
        ended."""
        with self._lock, contextlib.suppress(JugumError):
            self._make_run()
            while self._unanswered and self._has_said(0):
                self._answer()
            return not self._unanswered
        return False

    def prepare(self, function: str, *arguments: Any) -> None:
        """Have it run a function that loads what later ones need, once; not waited for."""
        asked = {"prepare": function, "arguments": arguments}
        with self._lock:
            self._make_run()
            if asked not in self._prepared:
                self._prepared.append(asked)
                self._ask(asked)

    def fork(
        self, function: str, *arguments: Any, title: str, fds: Sequence[int] = (), environment: Mapping[str, str] = {}
    ) -> Forked:
        """A new process, in a session of its own and shown under a title, that runs a function with the arguments and
        then its file descriptors, and ends. `environment` is added to its own. ExternalError when there is none to be
        had, JugumError when the program does not load."""
        asked = {"run": function, "arguments": arguments, "title": title, "environment": dict(environment)}
        with self._lock:
            self._make_run()
            self._ask(asked, fds)
            while self._unanswered > 1:
                self._answer()
            pid = self._answer()
        if pid is None:
            raise ExternalError("The machine has no room for another process; try again in a moment.")
        return Forked(pid)

    def _make_run(self) -> None:
        if self._process is not None and self._process.poll() is None:
            return
        if self._process is not None:
            log.warning("the process that starts others ended and is started again")
        self._end()
        adopt_orphans()
        self._socket, its = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        said = subprocess.DEVNULL if self._quiet else None
        self._process = subprocess.Popen(
            [sys.executable, "-m", "jugum.forkserver", str(its.fileno())],
            env={"PYTHONPATH": str(Path(jugum.__file__).parent.parent), **self._environment},
            stdin=subprocess.DEVNULL,
            stdout=said,
            stderr=said,
            pass_fds=[its.fileno()],
            start_new_session=True,
        )
        its.close()
        self._unanswered = 0
        for asked in self._prepared:
            self._ask(asked)

    def _ask(self, asked: dict[str, Any], fds: Sequence[int] = ()) -> None:
        assert self._socket is not None
        try:
            socket.send_fds(self._socket, [json.dumps(asked).encode()], list(fds))
        except OSError as error:
            raise self._gone() from error
        self._unanswered += 1

    def _has_said(self, seconds: float) -> bool:
        assert self._socket is not None
        return bool(select.select([self._socket], [], [], seconds)[0])

    def _answer(self) -> int | None:
        assert self._socket is not None
        said = b""
        with contextlib.suppress(OSError):
            if self._has_said(ANSWER_SECONDS):
                said = self._socket.recv(MESSAGE_MOST)
        if not said:
            raise self._gone()
        self._unanswered -= 1
        pid: int | None = json.loads(said)
        return pid

    def _gone(self) -> JugumError:
        """It does not answer: what to raise. It is ended, if it has not ended by itself."""
        assert self._process is not None
        with contextlib.suppress(subprocess.TimeoutExpired):
            self._process.wait(1)
        failed = (self._process.poll() or 0) > 0
        self._end()
        if failed:
            return JugumError("The program does not load; the log says why.")
        return ExternalError("The process that starts others has ended; try again in a moment.")

    def _end(self) -> None:
        if self._socket is not None:
            self._socket.close()
        if self._process is not None:
            self._process.kill()
            self._process.wait()
        self._socket = self._process = None

    def close(self) -> None:
        """End it; what it has forked goes on."""
        with self._lock:
            self._end()


def serve(fd: int) -> Callable[[], None] | None:
    """Answer the owner until it goes. Returns None then; in a forked process, what that is to run."""
    owner = socket.socket(fileno=fd)
    while True:
        said, fds, _, _ = socket.recv_fds(owner, MESSAGE_MOST, FDS_MOST)
        if not said:
            return None
        asked = json.loads(said)
        if "prepare" in asked:
            _prepare(asked)
            owner.send(b"0")
            continue
        pid, go = _fork_twice()
        if pid == 0:
            owner.close()
            if not os.read(go, 1):  # the fork server ended before its owner was told: nobody would look after this one
                os._exit(1)
            os.close(go)
            return lambda: _run(asked, fds)
        for taken in fds:
            os.close(taken)
        owner.send(json.dumps(pid).encode())
        with contextlib.suppress(BrokenPipeError):  # there is none, or it was killed meanwhile
            os.write(go, b"1")
        os.close(go)


def _fork_twice() -> tuple[int | None, int]:
    """A process whose parent is gone, and a pipe by which it is told to begin. Here: its number, None when there is
    none to be had, and the end to write to. There: 0, and the end to read from."""
    told, tell = os.pipe()
    go, let_go = os.pipe()
    try:
        first = os.fork()
    except OSError:
        first = None
    if first == 0:
        status = 1
        with contextlib.suppress(OSError):
            pid = os.fork()
            if pid == 0:
                for end in (told, tell, let_go):
                    os.close(end)
                return 0, go
            os.write(tell, str(pid).encode())
            status = 0
        os._exit(status)
    os.close(tell)
    os.close(go)
    number = None
    if first is not None:
        said = os.read(told, 20)  # nothing, when the second could not be made
        os.waitpid(first, 0)
        number = int(said) if said else None
    os.close(told)
    return number, let_go


def _named(function: str) -> Callable[..., None]:
    module, name = function.split(":")
    found: Callable[..., None] = getattr(importlib.import_module(module), name)
    return found


def _prepare(asked: dict[str, Any]) -> None:
    """Load, with nothing collected meanwhile: it would take a quarter of the time, for nothing."""
    gc.disable()
    _named(asked["prepare"])(*asked["arguments"])
    gc.enable()
    gc.collect()
    gc.freeze()  # else the first collection in every forked process would copy all of it


def _run(asked: dict[str, Any], fds: Sequence[int]) -> None:
    os.setsid()
    setproctitle.setproctitle(asked["title"])
    os.environ.update(asked["environment"])
    _named(asked["run"])(*asked["arguments"], *fds)


if __name__ == "__main__":
    work = serve(int(sys.argv[1]))
    if work is not None:
        work()
