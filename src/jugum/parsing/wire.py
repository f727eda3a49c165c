"""What a parsing process and its owner say to each other: frames of JSON and bytes over a pair of pipes.

The process may be in somebody else's hands, so nothing it says is unpickled, and it can't make its owner wait or keep
more than was agreed.
"""

from __future__ import annotations

import contextlib
import fcntl
import json
import os
import select
import struct
import time
from collections.abc import Callable
from typing import Any

_HEAD = struct.Struct("<IQ")  # bytes of JSON, bytes of data
_F_SETPIPE_SZ, _PIPE_BYTES = 1031, 1 << 20
SAID_MOST = 64_000_000  # bytes of JSON in one frame: words of a thousand full pages


class Garbled(Exception):  # noqa: N818
    """The other side has ended, or says what no frame is."""


class TooLate(Exception):  # noqa: N818
    """The other side did not answer in time."""


def widen(fd: int) -> None:
    """Let a pipe hold a megabyte, so that a picture takes few turns. An office may allow less: then it stays as it
    is."""
    with contextlib.suppress(OSError):
        fcntl.fcntl(fd, _F_SETPIPE_SZ, _PIPE_BYTES)


def send(fd: int, said: bytes, data: bytes | memoryview = b"", until: float | None = None) -> None:
    """One frame. `until` is a moment of `time.monotonic`, for file descriptors that don't block. Raises Garbled where
    nobody reads any more, TooLate."""
    view = memoryview(data).cast("B") if len(data) else memoryview(b"")
    for piece in (memoryview(_HEAD.pack(len(said), view.nbytes) + said), view):
        done = 0
        while done < piece.nbytes:
            _wait(fd, select.POLLOUT, until)
            try:
                done += os.write(fd, piece[done:])
            except BlockingIOError:
                continue
            except OSError as error:
                raise Garbled("nobody reads") from error


def receive(fd: int, most: int, until: float | None = None) -> tuple[bytes, bytearray]:
    """JSON and data of the next frame, of which the data may have `most` bytes. Raises Garbled, TooLate."""
    said, size = _HEAD.unpack(_read(fd, _HEAD.size, until))
    if said > SAID_MOST or size > most:
        raise Garbled(f"{said} bytes of JSON and {size} of data are more than was agreed")
    return bytes(_read(fd, said, until)), _read(fd, size, until)


def _read(fd: int, count: int, until: float | None) -> bytearray:
    whole = bytearray(count)
    view, done = memoryview(whole), 0
    while done < count:
        _wait(fd, select.POLLIN, until)
        got = _now(lambda: os.readv(fd, [view[done:]]))  # noqa: B023 - called at once
        if got == 0:
            raise Garbled("the other side has ended")
        done += max(0, got)
    return whole


def _now(work: Callable[[], int]) -> int:
    try:
        return work()
    except BlockingIOError:
        return -1


def _wait(fd: int, what: int, until: float | None) -> None:
    if until is None:
        return
    poll = select.poll()
    poll.register(fd, what)
    left = until - time.monotonic()
    if left <= 0 or not poll.poll(left * 1000):
        raise TooLate


def packed(value: Any) -> bytes:
    """A value of JSON as bytes; half characters, which damaged files have, are written as escapes."""
    return json.dumps(value, ensure_ascii=True, separators=(",", ":")).encode()


def unpacked(said: bytes) -> dict[str, Any]:
    """The object of a frame. Raises Garbled for anything else."""
    try:
        value = json.loads(said)
    except (ValueError, RecursionError) as error:
        raise Garbled("no JSON") from error
    if not isinstance(value, dict):
        raise Garbled("no object")
    return value
