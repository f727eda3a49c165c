"""A worker process killed in the middle of a paper: another reads it to its end."""

from __future__ import annotations

import io
import os
import subprocess
import sys
import time

import pikepdf
import pytest
from tests.office import Office, run_queue
from tests.papers import scan_over_hidden_text, slips

from jugum.flow.gather import documents
from jugum.flow.gather.documents import DocumentView
from jugum.flow.train import training, versions
from jugum.settings import Settings
from jugum.store.queue import Queue


def scans(count: int) -> bytes:
    """A PDF of pages that need OCR, so that reading takes its time."""
    with pikepdf.open(io.BytesIO(scan_over_hidden_text("Wrong"))) as pdf:
        pdf.pages.extend([pdf.pages[0]] * (count - 1))
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


def worker(office: Office) -> subprocess.Popen[bytes]:
    settings = office.settings
    env = {
        **os.environ,
        "JUGUM_DATABASE_URL": settings.database_url,
        "JUGUM_HOME": str(settings.home),
        "JUGUM_ENGINE": "quick",
        "JUGUM_STALE_SECONDS": "6",
    }
    return subprocess.Popen([sys.executable, "-m", "jugum", "worker"], env=env)


def wait_for(office: Office, document: int, state: str, pages: int = 0) -> DocumentView:
    until = time.monotonic() + 300  # workers are polite: beside other work they get little of the processors
    while time.monotonic() < until:
        view = documents.document_view(office.store, document)
        if view.state == state and view.pages_read >= pages:
            return view
        time.sleep(0.05)
    raise AssertionError(f"it stayed {view}")


@pytest.mark.long
def test_a_paper_whose_worker_was_killed_is_read_by_the_next(office: Office) -> None:
    document = documents.receive(
        office.store, office.analyst, office.type_id, "long.pdf", scans(5), purpose="sample"
    ).document_id
    first = worker(office)
    try:
        wait_for(office, document, "received", pages=1)
    finally:
        first.kill()
        first.wait()
    assert documents.document_view(office.store, document).pages_read < 5
    second = worker(office)
    try:
        assert wait_for(office, document, "to label").pages_read == 5
    finally:
        second.terminate()
        assert second.wait(60) == 0  # a page that is being read is read to its end


def test_papers_are_read_while_a_training_waits_or_runs(trained: Office) -> None:
    version = training.start(trained.store, trained.analyst, trained.type_id)
    document = trained.bring(slips(1, start=40)[0], "live")
    run_queue(trained.store, Queue.PAPERS)
    assert documents.document_view(trained.store, document).state in ("held", "passed")
    assert versions.version_view(trained.store, version).state == "queued"
    run_queue(trained.store, Queue.TRAININGS)
    assert versions.version_view(trained.store, version).state == "on trial"


def test_a_worker_that_holds_too_much_memory_is_to_be_replaced(settings: Settings) -> None:
    from jugum.work.worker import holds_too_much, resident_mb

    assert 20 < resident_mb() < 20_000
    settings.worker_mb_max = 1
    assert holds_too_much(settings)
    settings.worker_mb_max = 1_000_000
    assert not holds_too_much(settings)
