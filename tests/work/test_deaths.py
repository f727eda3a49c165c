"""A task that ends its worker is tried again, but not for ever; one that is killed from outside proves little."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from pathlib import Path

from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.flow.gather import documents
from jugum.work import deaths

CRASHES = "lambda *given, **named: os.abort()"
HANGS = "lambda *given, **named: time.sleep(600)"


def broken_worker(office: Office, how: str) -> subprocess.Popen[bytes]:
    """A worker whose reading of pages is broken."""
    program = (
        "import os, time; from jugum.settings import Settings; from jugum.work import tasks, worker; "
        f"tasks.Tasks._read_page = {how}; worker.run_worker(Settings())"
    )
    env = {
        **os.environ,
        "JUGUM_DATABASE_URL": office.settings.database_url,
        "JUGUM_HOME": str(office.settings.home),
        "JUGUM_STALE_SECONDS": "2",
        "JUGUM_TASK_SECONDS_MAX": "8",
    }
    return subprocess.Popen([sys.executable, "-c", program], env=env, stderr=subprocess.DEVNULL)


def test_a_page_that_ends_its_worker_twice_is_set_aside_with_the_reason(office: Office) -> None:
    document = documents.receive(
        office.store, office.analyst, office.type_id, "slip.pdf", slip_pdf(slips(1)[0]), purpose="sample"
    ).document_id
    ended = []
    for _ in range(2):
        one = broken_worker(office, CRASHES)
        assert one.wait(60) < 0
        ended.append(one.returncode)
        deaths.note_end(office.settings.home, one.pid, took=-one.returncode in deaths.CRASHES)  # as the supervisor does
    assert ended == [-6, -6]
    last = broken_worker(office, CRASHES)
    try:
        until = time.monotonic() + 60
        while (view := documents.document_view(office.store, document)).state == "received":
            assert time.monotonic() < until
            time.sleep(0.1)
        assert last.poll() is None
    finally:
        last.terminate()
        last.wait(20)
    assert view.state == "set aside"
    assert "ended again and again" in (view.reason or "")
    documents.return_document(office.store, office.analyst, document)  # a person may try it once more


def test_a_task_that_hangs_ends_its_worker_and_counts_against_it(office: Office) -> None:
    documents.receive(office.store, office.analyst, office.type_id, "slip.pdf", slip_pdf(slips(1)[0]), purpose="sample")
    assert broken_worker(office, HANGS).wait(60) == deaths.OVER_TIME
    (counted,) = (office.settings.home / "run").glob("job-*")
    assert deaths.ends_of(office.settings.home, int(counted.name.removeprefix("job-"))) == deaths.Ends(1, 1)


def test_a_worker_killed_from_outside_proves_little_against_its_task(tmp_path: Path) -> None:
    for number in range(1, 6):
        deaths.InHand(tmp_path).note(7)
        deaths.note_end(tmp_path, os.getpid(), took=False)
        assert deaths.ends_of(tmp_path, 7) == deaths.Ends(0, number)
        assert deaths.ends_of(tmp_path, 7).is_enough == (number == 5)
    deaths.forget(tmp_path, 7)
    assert deaths.ends_of(tmp_path, 7) == deaths.Ends(0, 0)


def test_what_an_earlier_worker_of_the_same_number_had_in_hand_is_counted_when_the_next_begins(tmp_path: Path) -> None:
    deaths.InHand(tmp_path).note(7)
    deaths.InHand(tmp_path)
    assert deaths.ends_of(tmp_path, 7) == deaths.Ends(0, 1)
    deaths.InHand(tmp_path)
    assert deaths.ends_of(tmp_path, 7) == deaths.Ends(0, 1)


def test_a_worker_that_is_gone_without_a_word_is_counted_when_it_is_missed(tmp_path: Path) -> None:
    gone = subprocess.Popen([sys.executable, "-c", ""])
    gone.wait()
    (tmp_path / "run").mkdir()
    (tmp_path / "run" / f"worker-{gone.pid}").write_text('{"job": 3}')
    (tmp_path / "run" / f"worker-{os.getpid()}").write_text('{"job": 4}')  # this one lives
    deaths.note_lost(tmp_path)
    assert deaths.ends_of(tmp_path, 3) == deaths.Ends(0, 1)
    assert deaths.ends_of(tmp_path, 4) == deaths.Ends(0, 0)
    assert not (tmp_path / "run" / f"worker-{gone.pid}").exists()
