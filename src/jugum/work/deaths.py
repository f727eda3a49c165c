"""Which task a worker had in hand when it ended, kept in small files beside the installation's others.

A worker notes its task before it begins. When its process has ended, what it had in hand is counted against that task:
twice for a process that died of what it did (a crash, a task over its time, memory that ran out), or five times
whatever it was, the task is given up, so that one paper can't hold up the office for ever. A worker that is killed
from outside proves little; that is why the two are told apart.
"""

from __future__ import annotations

import contextlib
import json
import os
import signal
import time
from dataclasses import dataclass
from pathlib import Path

from jugum import beats

TOOK_MOST, ENDED_MOST = 2, 5
CRASHES = frozenset(
    {signal.SIGSEGV, signal.SIGBUS, signal.SIGABRT, signal.SIGILL, signal.SIGFPE, signal.SIGSYS, signal.SIGXCPU}
)
OVER_TIME = 70  # exit code of a worker whose task took too long


@dataclass(frozen=True)
class Ends:
    """How often workers ended over a task: of what they did with it (`took`), and in all."""

    took: int
    ended: int

    @property
    def is_enough(self) -> bool:
        """Whether the task is to be given up."""
        return self.took >= TOOK_MOST or self.ended >= ENDED_MOST


class InHand(beats.Beat):
    """What this worker has in hand, for whoever looks after it has ended; the file's age tells that it is alive."""

    def __init__(self, home: Path) -> None:
        note_end(home, os.getpid(), took=False)  # numbers come again: what an earlier process of this one left
        super().__init__(home, "worker")
        self._job: int | None = None
        self._since = time.monotonic()
        self.note(None)

    def note(self, job: int | None) -> None:
        """The task that is begun now; None when it is done."""
        self._job, self._since = job, time.monotonic()
        self._path.write_text(json.dumps({"job": job}))

    @property
    def seconds(self) -> float:
        """How long the task in hand has taken; 0 when there is none."""
        return time.monotonic() - self._since if self._job is not None else 0.0

    def close(self) -> None:
        """This worker ends in order."""
        self._path.unlink(missing_ok=True)


def note_end(home: Path, pid: int, *, took: bool) -> None:
    """A worker has ended: count it against the task it had in hand, if any."""
    path = beats.path_of(home, "worker", pid)
    with contextlib.suppress(FileNotFoundError, ValueError, KeyError):
        job = json.loads(path.read_text())["job"]
        if job is not None:
            with (beats.folder(home) / f"job-{int(job)}").open("a") as counted:
                counted.write("took\n" if took else "ended\n")
    path.unlink(missing_ok=True)


def note_lost(home: Path) -> None:
    """Count the workers that ended without anybody seeing how: those whose process is gone."""
    for path in beats.folder(home).glob("worker-*"):
        pid = int(path.name.removeprefix("worker-"))
        if not Path(f"/proc/{pid}").exists():
            note_end(home, pid, took=False)


def ends_of(home: Path, job: int) -> Ends:
    """How often workers ended over a task."""
    with contextlib.suppress(FileNotFoundError):
        said = (beats.folder(home) / f"job-{job}").read_text().split()
        return Ends(said.count("took"), len(said))
    return Ends(0, 0)


def forget(home: Path, job: int) -> None:
    """A task is done, or given up."""
    (beats.folder(home) / f"job-{job}").unlink(missing_ok=True)
