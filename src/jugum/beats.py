"""Signs of life: a process touches a small file every two seconds; whoever watches it looks how old that is."""

from __future__ import annotations

import contextlib
import math
import os
import time
from pathlib import Path

BEAT_SECONDS = 2


class Beat:
    """The sign of life of this process, which is known by what it is and its number."""

    def __init__(self, home: Path, name: str) -> None:
        self._path = path_of(home, name, os.getpid())
        self._path.touch()

    def beat(self) -> None:
        """This process is alive."""
        with contextlib.suppress(FileNotFoundError):
            os.utime(self._path)

    async def tell(self) -> None:
        """The event loop turns."""
        self.beat()


def seconds_since(home: Path, name: str, pid: int) -> float:
    """How long ago a process gave a sign of life; without end for one that has given none."""
    with contextlib.suppress(FileNotFoundError):
        return max(0.0, time.time() - path_of(home, name, pid).stat().st_mtime)
    return math.inf


def forget(home: Path, name: str, pid: int) -> None:
    """A process is gone, and so is its file."""
    path_of(home, name, pid).unlink(missing_ok=True)


def path_of(home: Path, name: str, pid: int) -> Path:
    """The file of a process."""
    return folder(home) / f"{name}-{pid}"


def folder(home: Path) -> Path:
    """Where such files are kept."""
    found = home / "run"
    found.mkdir(parents=True, exist_ok=True, mode=0o700)
    return found
