"""What Linux says of running processes, for tests and benches that look at whole installations."""

from __future__ import annotations

import contextlib
import os
import re
import time
from collections.abc import Callable
from pathlib import Path

TICKS = os.sysconf("SC_CLK_TCK")


def children_of(pid: int) -> list[int]:
    """The processes that a process has started, from any of its threads; none for one that is gone."""
    with contextlib.suppress(OSError):
        threads = Path(f"/proc/{pid}/task").iterdir()
        return [int(child) for thread in threads for child in (thread / "children").read_text().split()]
    return []


def descendants_of(pid: int) -> list[int]:
    """Its children, theirs, and so on."""
    found = children_of(pid)
    return found + [deeper for child in found for deeper in descendants_of(child)]


def command_of(pid: int) -> list[str]:
    """The words a process was started with; none for one that is gone."""
    with contextlib.suppress(OSError):
        return Path(f"/proc/{pid}/cmdline").read_bytes().decode(errors="replace").split("\0")
    return []


def memory_of(pid: int) -> int:
    """The most memory in bytes that a process has held; 0 for one that is gone."""
    with contextlib.suppress(OSError):
        found = re.search(r"VmHWM:\s+(\d+) kB", Path(f"/proc/{pid}/status").read_text())
        return 1000 * int(found[1]) if found else 0
    return 0


def processor_seconds_of(pid: int) -> float:
    """Seconds of a processor that a process and all that it started have used, whether they run or have ended."""
    with contextlib.suppress(OSError):
        fields = Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()
        own = sum(map(int, fields[11:15])) / TICKS  # its own, and of children it has waited for
        return own + sum(map(processor_seconds_of, children_of(pid)))
    return 0.0


def is_zombie(pid: int) -> bool:
    """Whether a process has ended and nobody has asked how."""
    with contextlib.suppress(OSError):
        return Path(f"/proc/{pid}/stat").read_text().rsplit(")", 1)[1].split()[0] == "Z"
    return False


def wait_until(condition: Callable[[], bool], seconds: float = 60) -> None:
    """Until something holds. AssertionError when it does not in time."""
    until = time.monotonic() + seconds
    while not condition():
        assert time.monotonic() < until, "what was waited for did not come"
        time.sleep(0.02)
