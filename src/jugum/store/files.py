"""Files by content: a file is known by the SHA-256 of its bytes, in a folder or any place fsspec reaches."""

from __future__ import annotations

import contextlib
import errno
import hashlib
import io
import os
import shutil
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path
from typing import BinaryIO
from uuid import uuid4

import fsspec
from fsspec.implementations.local import LocalFileSystem

from jugum.errors import ExternalError, StorageFull

PIECE = 1 << 20  # bytes that are at hand at once
UNFINISHED = ".part"
UNFINISHED_SECONDS = 3600.0  # after which nobody is writing a file any more
_FULL = (errno.ENOSPC, errno.EDQUOT)


class FileStore:
    """`put` bytes and get their key back; the same bytes are kept once. What was put is on the disk when `put` returns:
    a receipt may be given for it."""

    def __init__(self, url: str) -> None:
        self._fs, self._root = fsspec.core.url_to_fs(url)
        self._local = isinstance(self._fs, LocalFileSystem)
        if self._local:
            os.makedirs(self._root, mode=0o700, exist_ok=True)
        else:
            self._fs.makedirs(self._root, exist_ok=True)

    @staticmethod
    def key_of(data: bytes) -> str:
        return hashlib.sha256(data).hexdigest()

    def _path(self, key: str) -> str:
        return f"{self._root}/{key[:2]}/{key}"

    def put(self, data: bytes | BinaryIO) -> str:
        """Keep bytes, or what an open file gives from its beginning, a piece at a time; returns their key. Written
        beside and moved, so that a key never names half a file, however many put the same at once. StorageFull when
        there is no room: then nothing of it is kept."""
        source = io.BytesIO(data) if isinstance(data, bytes) else data
        key, size = _digest(source), source.tell()
        path = self._path(key)
        if self._fs.exists(path) and self._fs.size(path) == size:
            return key
        source.seek(0)
        try:
            if self._local:
                _write_durably(Path(path), source)
            else:
                self._write(path, source)
        except OSError as error:
            if error.errno in _FULL:
                raise StorageFull(
                    "The disk of the file store is full: nothing of this was kept. Free some room and send it again."
                ) from error
            raise
        return key

    def _write(self, path: str, source: BinaryIO) -> None:
        self._fs.makedirs(os.path.dirname(path), exist_ok=True)
        beside = f"{path}.{uuid4().hex}{UNFINISHED}"
        with self._fs.open(beside, "wb") as out:
            shutil.copyfileobj(source, out, PIECE)
        self._fs.mv(beside, path)

    def get(self, key: str) -> bytes:
        try:
            with self._fs.open(self._path(key), "rb") as source:
                data: bytes = source.read()
                return data
        except OSError as error:
            raise ExternalError(f"The file store does not have {key[:12]}…: restore it from a backup.") from error

    def keys_before(self, moment: float) -> Iterator[str]:
        """Keys of the files that were put before a moment (seconds of the epoch). Of a folder only: elsewhere the
        place's own rules are for that."""
        if not self._local:
            return
        for path in Path(self._root).glob("??/" + "?" * 64):
            with contextlib.suppress(FileNotFoundError):
                if path.stat().st_mtime < moment:
                    yield path.name

    def remove(self, key: str) -> None:
        """Let a file go that nothing names any more."""
        self._fs.rm_file(self._path(key))

    def sweep(self) -> int:
        """Remove what writers that were killed have left unfinished; returns how many files."""
        if not self._local:
            return 0
        before, removed = time.time() - UNFINISHED_SECONDS, 0
        for left in Path(self._root).glob(f"*/*{UNFINISHED}"):
            with contextlib.suppress(FileNotFoundError):
                if left.stat().st_mtime < before:
                    left.unlink()
                    removed += 1
        return removed


def size_of(data: bytes | BinaryIO) -> int:
    """How many bytes there are."""
    return len(data) if isinstance(data, bytes) else data.seek(0, os.SEEK_END)


def _digest(source: BinaryIO) -> str:
    """SHA-256 of a file from its beginning to its end, where it then stands."""
    source.seek(0)
    digest = hashlib.sha256()
    while piece := source.read(PIECE):
        digest.update(piece)
    return digest.hexdigest()


def _write_durably(path: Path, source: BinaryIO) -> None:
    """The bytes under a name of their own, flushed to the disk, then under the right one, and the folder flushed, too:
    whatever fails in between leaves no half file."""
    is_new = not path.parent.exists()
    path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
    handle, beside = tempfile.mkstemp(dir=path.parent, suffix=UNFINISHED)
    try:
        with os.fdopen(handle, "wb") as out:
            shutil.copyfileobj(source, out, PIECE)
            out.flush()
            os.fsync(out.fileno())
        Path(beside).replace(path)
    except BaseException:
        with contextlib.suppress(OSError):
            os.unlink(beside)
        raise
    _flush_folder(path.parent)
    if is_new:
        _flush_folder(path.parent.parent)


def _flush_folder(folder: Path) -> None:
    handle = os.open(folder, os.O_RDONLY | os.O_DIRECTORY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
