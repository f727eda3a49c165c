"""What Linux does for the processes of one installation: those that a starter leaves behind end with it, and what
others leave behind is adopted and reaped."""

from __future__ import annotations

import contextlib
import ctypes
import os
import signal
from collections.abc import Collection
from pathlib import Path

# One thread a process, one process a core: threads of their own would only be in each other's way.
ONE_THREAD = dict.fromkeys(("OMP_NUM_THREADS", "OMP_THREAD_LIMIT", "OPENBLAS_NUM_THREADS"), "1")
_SET_DEATH_SIGNAL, _SET_CHILD_SUBREAPER = 1, 36  # prctl(2)


def _prctl(option: int, value: int) -> None:
    ctypes.CDLL(None, use_errno=True).prctl(option, value, 0, 0, 0)


def end_with_parent(parent: int) -> None:
    """This process is killed when the one that started it dies, and ends at once if that is gone already: it may have
    died while this one was loading. Else it would go on holding a port or a task that the next start wants."""
    _prctl(_SET_DEATH_SIGNAL, signal.SIGKILL)
    if os.getppid() != parent:
        os._exit(1)


def adopt_orphans() -> None:
    """Become the parent of what our children leave (PostgreSQL's server outlives the command that starts it), so that
    it can be reaped also where nothing else does it, as in many containers."""
    _prctl(_SET_CHILD_SUBREAPER, 1)


def reap(but: Collection[int | None] = ()) -> None:
    """Let adopted processes that have ended go; `but` are children whose end somebody else asks for."""
    with contextlib.suppress(OSError):
        children = Path(f"/proc/self/task/{os.getpid()}/children").read_text().split()
        for pid in {int(child) for child in children} - set(but):
            with contextlib.suppress(ChildProcessError):
                os.waitpid(pid, os.WNOHANG)


def reap_group(pid: int) -> None:
    """Wait for the end of what is left of a group of processes, whose leader was `pid` and which have all been
    killed, and let them go, as far as this process has adopted them."""
    with contextlib.suppress(ChildProcessError):
        while True:
            os.waitpid(-pid, 0)
