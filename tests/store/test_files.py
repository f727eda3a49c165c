"""Files are whole or not there at all, whoever puts them and whatever fails."""

from __future__ import annotations

import errno
import io
import os
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from tests.api.conftest import client_of
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.errors import ExternalError, StorageFull
from jugum.settings import Settings
from jugum.store.files import PIECE, UNFINISHED_SECONDS, FileStore
from jugum.web.app import create_app


def kept(folder: Path) -> list[Path]:
    return [path for path in folder.rglob("*") if path.is_file()]


def test_many_may_put_the_same_at_once(tmp_path: Path) -> None:
    data = os.urandom(200_000)
    with ThreadPoolExecutor(16) as pool:
        keys = set(pool.map(lambda _: FileStore(str(tmp_path)).put(data), range(180)))
    assert keys == {FileStore.key_of(data)}
    (file,) = kept(tmp_path)
    assert file.read_bytes() == data


def test_files_and_folders_are_for_their_owner_alone(tmp_path: Path) -> None:
    store = FileStore(str(tmp_path / "files"))
    store.put(b"a paper")
    (file,) = kept(tmp_path)
    assert file.stat().st_mode & 0o777 == 0o600
    assert {folder.stat().st_mode & 0o777 for folder in (file.parent, tmp_path / "files")} == {0o700}


def test_bytes_are_on_the_disk_before_their_key_is_given(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    done: list[str] = []
    flush, move = os.fsync, os.replace
    monkeypatch.setattr(
        os, "fsync", lambda handle: (done.append(os.readlink(f"/proc/self/fd/{handle}")), flush(handle))[1]
    )
    monkeypatch.setattr(os, "replace", lambda old, new: (done.append("moved"), move(old, new))[1])
    key = FileStore(str(tmp_path)).put(b"a paper")
    assert done[0].endswith(".part")
    assert done[1:] == ["moved", str(tmp_path / key[:2]), str(tmp_path)]


class Told(io.BytesIO):
    """A file that tells how much of it was at hand at once."""

    most = 0

    def read(self, size: int | None = -1, /) -> bytes:
        found = super().read(size)
        self.most = max(self.most, len(found))
        return found


@pytest.mark.parametrize("place", ["folder", "memory"])
def test_an_open_file_is_kept_a_piece_at_a_time(tmp_path: Path, place: str) -> None:
    store = FileStore(str(tmp_path) if place == "folder" else "memory://pieces")
    data = os.urandom(5 * PIECE + 7)
    file = Told(data)
    assert store.put(file) == store.put(data) == FileStore.key_of(data)
    assert store.get(FileStore.key_of(data)) == data
    assert file.most == PIECE


def test_an_upload_goes_from_the_form_to_the_file_store_a_piece_at_a_time(
    office: Office, settings: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    given: list[object] = []
    put = FileStore.put
    monkeypatch.setattr(FileStore, "put", lambda self, data: (given.append(data), put(self, data))[1])
    sent = {"file": ("slip.pdf", slip_pdf(slips(1)[0]) + bytes(3 * PIECE))}
    with client_of(create_app(settings), office, "analyst") as client:
        answer = client.post(f"/api/v1/types/{office.type_id}/documents", files=sent)
    assert answer.status_code == 201
    assert [type(data) for data in given] == [tempfile.SpooledTemporaryFile]


def test_a_full_disk_is_told_and_keeps_nothing_of_it(
    office: Office, settings: Settings, monkeypatch: pytest.MonkeyPatch
) -> None:
    def full(handle: int) -> None:
        raise OSError(errno.ENOSPC, "No space left on device")

    app, paper = create_app(settings), slip_pdf(slips(1)[0])
    before = kept(settings.home / "files")
    with client_of(app, office, "analyst") as client:
        path = f"/api/v1/types/{office.type_id}/documents"
        with monkeypatch.context() as patched:
            patched.setattr(os, "fsync", full)
            answer = client.post(path, files={"file": ("a.pdf", paper)})
            with pytest.raises(StorageFull):
                office.store.files.put(b"something")
        assert answer.status_code == 507
        assert "full: nothing of this was kept" in answer.json()["error"]
        assert kept(settings.home / "files") == before
        assert client.get(path).json() == []
        assert client.post(path, files={"file": ("a.pdf", paper)}).status_code < 300


def test_what_killed_writers_left_is_swept_once_it_is_old(tmp_path: Path) -> None:
    store = FileStore(str(tmp_path))
    key = store.put(b"a paper")
    old, fresh = (tmp_path / key[:2] / name for name in ("a.part", "b.part"))
    for left in (old, fresh):
        left.write_bytes(b"half")
    ago = time.time() - UNFINISHED_SECONDS - 60
    os.utime(old, (ago, ago))
    assert store.sweep() == 1
    assert not old.exists()
    assert fresh.exists()
    assert store.get(key) == b"a paper"
    with pytest.raises(ExternalError, match="restore it from a backup"):
        store.get("0" * 64)
