"""Files by content: a file is known by the SHA-256 of its bytes, in a folder or any place fsspec reaches."""

from __future__ import annotations

import hashlib
import os

import fsspec

from jugum.errors import ExternalError


class FileStore:
    """`put` bytes and get their key back; the same bytes are kept once."""

    def __init__(self, url: str) -> None:
        self._fs, self._root = fsspec.core.url_to_fs(url)
        self._fs.makedirs(self._root, exist_ok=True)

    @staticmethod
    def key_of(data: bytes) -> str:
        return hashlib.sha256(data).hexdigest()

    def _path(self, key: str) -> str:
        return f"{self._root}/{key[:2]}/{key}"

    def put(self, data: bytes) -> str:
        """Keep bytes; returns their key. Written beside and moved, so that a key never names half a file."""
        key = self.key_of(data)
        path = self._path(key)
        if self._fs.exists(path) and self._fs.size(path) == len(data):
            return key
        self._fs.makedirs(os.path.dirname(path), exist_ok=True)
        beside = f"{path}.{os.getpid()}.part"
        with self._fs.open(beside, "wb") as out:
            out.write(data)
        self._fs.mv(beside, path)
        return key

    def get(self, key: str) -> bytes:
        try:
            with self._fs.open(self._path(key), "rb") as source:
                data: bytes = source.read()
                return data
        except OSError as error:
            raise ExternalError(f"The file store does not have {key[:12]}…: restore it from a backup.") from error
