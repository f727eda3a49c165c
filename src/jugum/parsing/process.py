"""A parsing process seen from its owner: started when it is first asked, replaced when it has ended, never waited for
longer than was agreed.

All of one owner are forked from one process that knows no secret and never sees a file.
"""

from __future__ import annotations

import atexit
import contextlib
import os
import signal
import threading
import time
from collections.abc import Generator
from dataclasses import dataclass
from enum import StrEnum
from typing import Any

import structlog

from jugum import errors
from jugum.forkserver import Forked, ForkServer
from jugum.parsing import wire
from jugum.processes import ONE_THREAD

# What an operation may tell people, by its name; anything else is told as the least of these.
_ERRORS = {kind.__name__: kind for kind in (errors.InputError, errors.UnreadablePaper, errors.LockedPaper)}
log = structlog.get_logger()
START_SECONDS = 60.0
CLOSE_SECONDS = 5.0
HELD_MOST = 3  # papers: a worker reads one and looks at another
WALL_SHARE = 3.0  # the wall clock may run so much longer than the processor: others want it, too
KEPT_ENVIRONMENT = ("PATH", "LANG", "LC_ALL", "TZ", "TESSDATA_PREFIX", "VIRTUAL_ENV")


class Cause(StrEnum):
    """Why a parsing process ended over a file."""

    TIME = "time"
    MEMORY = "memory"
    CRASH = "crash"


class ProcessEnded(Exception):  # noqa: N818 - named for what happened; its owner says it in words
    """A parsing process ended, or was ended, while it worked."""

    def __init__(self, cause: Cause) -> None:
        super().__init__(cause.value)
        self.cause = cause


@dataclass(frozen=True)
class Request:
    """What is asked of a process: an operation, its arguments, the processor seconds it may take, and the most bytes
    that may come back at once."""

    do: str
    arguments: dict[str, Any]
    seconds: float
    answer_most: int = 400_000_000


class ParsingProcess:
    """One process of a kind; one request at a time. It holds a few papers open, by their handles; a process in its
    place holds none."""

    def __init__(self, kind: str, megabytes: int) -> None:
        self.kind, self.megabytes = kind, megabytes
        self.lock = threading.RLock()
        self._process: Forked | None = None
        self._asked = self._answers = -1  # file descriptors, while the process runs
        self._held: list[int] = []

    def ask(self, request: Request, data: bytes = b"") -> Generator[tuple[Any, bytearray]]:
        """The answers to a request, as they come: JSON values with bytes. Raises what the operation raises for people,
        and ProcessEnded. The caller takes all answers or closes the iterator, which ends the process."""
        with self.lock:
            self._make_run()
            until = time.monotonic() + WALL_SHARE * request.seconds + 5
            said = {"do": request.do, "with": request.arguments, "seconds": max(1, round(request.seconds))}
            done = False
            try:
                wire.send(self._asked, wire.packed(said), data, until)
                while True:
                    head, blob = wire.receive(self._answers, request.answer_most, until)
                    answer = wire.unpacked(head)
                    if not answer.get("more"):
                        self._raise(answer)
                        done = True
                        return
                    yield answer.get("value"), blob
                    until = max(until, time.monotonic() + WALL_SHARE * request.seconds)
            except (wire.Garbled, wire.TooLate) as error:
                raise ProcessEnded(self._why_ended(error)) from error
            except errors.JugumError:
                done = True
                raise
            finally:
                if not done:
                    self.end()

    def _raise(self, answer: dict[str, Any]) -> None:
        """Raise what the last frame of an answer says, if it says any."""
        if answer.get("memory"):
            raise ProcessEnded(Cause.MEMORY)
        if "unexpected" in answer:
            log.error("a parser failed", kind=self.kind, error=str(answer["unexpected"])[:300])
            raise ProcessEnded(Cause.CRASH)
        if "error" in answer:
            raise _ERRORS.get(answer["error"], errors.UnreadablePaper)(str(answer.get("message", ""))[:2000])

    def answer(self, request: Request, data: bytes = b"") -> tuple[Any, bytearray]:
        """The only answer to a request; None and no bytes where there is none."""
        return next(iter(list(self.ask(request, data))), (None, bytearray()))

    def holds(self, handle: int) -> bool:
        """Whether a paper is open in the process that runs now."""
        return self._runs() and handle in self._held

    def keep(self, handle: int) -> None:
        """A paper was opened; the one opened longest ago is let go where there are too many."""
        self._held.append(handle)
        while len(self._held) > HELD_MOST:
            self.let_go(self._held[0])

    def let_go(self, handle: int) -> None:
        """Close a paper, if it is open."""
        if self.holds(handle):
            self._held.remove(handle)
            with contextlib.suppress(ProcessEnded):
                self.answer(Request("close", {"handle": handle}, CLOSE_SECONDS))

    def _runs(self) -> bool:
        return self._process is not None and self._process.poll() is None

    def start(self) -> None:
        """Start the process, unless it runs."""
        with self.lock:
            self._make_run()

    def _make_run(self) -> None:
        if not self._runs():
            self.end()
            self._start()

    def _start(self) -> None:
        taken, self._asked = os.pipe()
        self._answers, given = os.pipe()
        title = f"jugum parsing {self.kind}"
        try:
            _FORKS.prepare("jugum.parsing.child:load", self.kind)
            self._process = _FORKS.fork(
                "jugum.parsing.child:main", self.kind, self.megabytes, title=title, fds=[taken, given]
            )
            for fd in (self._asked, self._answers):
                os.set_blocking(fd, False)
            os.close(given)  # else its end would not be seen
            given = -1
            ready, _ = wire.receive(self._answers, 0, time.monotonic() + START_SECONDS)
        except (wire.Garbled, wire.TooLate, errors.ExternalError) as error:
            self.end()
            raise errors.ExternalError("The process that opens files does not start; try again in a moment.") from error
        finally:
            _close(taken, given)
        if not wire.unpacked(ready).get("filtered"):
            log.warning("files are opened without a filter of system calls: the kernel or libseccomp2 has none")

    def _why_ended(self, error: Exception) -> Cause:
        assert self._process is not None
        if isinstance(error, wire.TooLate):
            return Cause.TIME
        self._process.wait(2)
        return Cause.TIME if self._process.returncode == -signal.SIGXCPU else Cause.CRASH

    def end(self) -> None:
        """End the process and all that it started."""
        process, self._process, self._held = self._process, None, []
        if process is not None:
            process.kill()
        _close(self._asked, self._answers)
        self._asked = self._answers = -1


def _close(*fds: int) -> None:
    for fd in fds:
        if fd >= 0:
            os.close(fd)


def _environment() -> dict[str, str]:
    """What of ours a parsing process may know."""
    environment = {name: os.environ[name] for name in KEPT_ENVIRONMENT if name in os.environ}
    own = {"PYTHONDONTWRITEBYTECODE": "1", "MALLOC_ARENA_MAX": "1", "HOME": "/nonexistent"}
    return environment | ONE_THREAD | own


_FORKS = ForkServer(_environment(), quiet=True)
atexit.register(_FORKS.close)
