"""Receiving and reading papers: nothing received is lost, what fails says why."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from sqlalchemy import select
from tests import papers
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.errors import Conflict, Forbidden, InputError, NotFound
from jugum.flow.gather import documents, explore
from jugum.store.models import PageRow


def test_a_received_paper_is_read_in_the_background(office: Office, run_jobs: Callable[[], None]) -> None:
    document = office.bring(slips(1)[0])
    assert documents.document_view(office.store, document).state == "received"
    run_jobs()
    view = documents.document_view(office.store, document)
    assert (view.state, view.page_count, view.pages_read, view.source) == ("to label", 1, 1, "text layer")
    assert explore.page_picture(office.store, explore.Explorer(), document, 1)[:3] == b"\xff\xd8\xff"
    assert documents.original(office.store, office.analyst, document)[1] == slip_pdf(slips(1)[0], 0)


def test_the_same_bytes_twice_are_noticed_and_taken_again_only_when_asked(office: Office) -> None:
    data = slip_pdf(slips(1)[0])
    first = documents.receive(office.store, office.analyst, office.type_id, "a.pdf", data, purpose="sample")
    again = documents.receive(office.store, office.analyst, office.type_id, "b.pdf", data, purpose="sample")
    assert (again.document_id, again.name, again.twin) == (first.document_id, "a.pdf", True)
    forced = documents.receive(office.store, office.analyst, office.type_id, "b.pdf", data, purpose="live", again=True)
    assert forced.document_id != first.document_id


@pytest.mark.parametrize(
    ("made", "said"),
    [
        (lambda: b"a text file", "not a file that can be read"),
        (lambda: papers.words_pdf("cut")[:200], "damaged"),
        (papers.locked_pdf, "password"),
        (papers.empty_pdf, "without pages"),
        (papers.huge_png, "20,000 × 20,000"),
    ],
    ids=["text", "truncated", "locked", "no pages", "huge"],
)
def test_what_can_t_be_read_is_kept_and_set_aside_with_the_reason(
    office: Office, run_jobs: Callable[[], None], made: Callable[[], bytes], said: str
) -> None:
    data = made()
    bad = documents.receive(office.store, office.analyst, office.type_id, "bad.pdf", data, purpose="live").document_id
    good = office.bring(slips(1)[0])
    run_jobs()
    view = documents.document_view(office.store, bad)
    assert view.state == "set aside"
    assert said in (view.reason or "")
    assert "“bad.pdf”" in (view.reason or "")
    assert documents.original(office.store, office.analyst, bad)[1] == data
    assert documents.document_view(office.store, good).state == "to label"


def test_an_empty_file_is_refused_at_once(office: Office) -> None:
    with pytest.raises(InputError, match=r"“none\.pdf” is empty"):
        documents.receive(office.store, office.analyst, office.type_id, "none.pdf", b"", purpose="sample")


def test_names_are_stripped_of_folders(office: Office) -> None:
    got = documents.receive(
        office.store, office.analyst, office.type_id, "..\\x/../../etc/pass\x00wd", b"x", purpose="sample"
    )
    assert got.name == "passwd"


def test_a_page_of_three_words_is_a_paper(office: Office, run_jobs: Callable[[], None]) -> None:
    data = papers.words_pdf("Only three words")
    document = documents.receive(
        office.store, office.analyst, office.type_id, "w.pdf", data, purpose="sample"
    ).document_id
    run_jobs()
    assert documents.document_view(office.store, document).state == "to label"


def test_reading_goes_on_where_a_killed_worker_left_it(
    office: Office, run_jobs: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    from jugum.flow.gather import read
    from jugum.flow.gather.read import OpenPapers

    got = documents.receive(
        office.store, office.analyst, office.type_id, "three.pdf", papers.many_pages(3), purpose="sample"
    )
    read.open_document(office.store, got.document_id, OpenPapers())
    real, done = read.read_page, []

    def dies_at_two(paper: object, index: int, engine: object, how: object) -> object:
        if index == 1 and done == [0]:
            done.append(-1)
            raise KeyboardInterrupt  # what a kill looks like from inside
        done.append(index)
        return real(paper, index, engine, how)  # type: ignore[arg-type]

    monkeypatch.setattr(read, "read_page", dies_at_two)
    ids = page_ids(office, got.document_id)
    read.read_one_page(office.store, ids[0], OpenPapers())
    with pytest.raises(KeyboardInterrupt):
        read.read_one_page(office.store, ids[1], OpenPapers())
    assert documents.document_view(office.store, got.document_id).pages_read == 1
    read.open_document(office.store, got.document_id, OpenPapers())  # put back by another worker: nothing is made twice
    run_jobs()
    assert done == [0, -1, 1, 2]  # page one is not read twice
    assert documents.document_view(office.store, got.document_id).state == "to label"


def page_ids(office: Office, document_id: int) -> list[int]:
    with office.store.session() as session:
        return list(
            session.scalars(select(PageRow.id).where(PageRow.document_id == document_id).order_by(PageRow.number))
        )


def test_setting_aside_asks_why_and_can_be_taken_back(office: Office, run_jobs: Callable[[], None]) -> None:
    document = office.bring(slips(1)[0])
    run_jobs()
    with pytest.raises(InputError, match="why"):
        documents.set_aside(office.store, office.analyst, document, "  ")
    documents.set_aside(office.store, office.analyst, document, "second page missing")
    assert documents.document_view(office.store, document).reason == "second page missing"
    documents.return_document(office.store, office.analyst, document)
    assert documents.document_view(office.store, document).state == "to label"
    with pytest.raises(Conflict, match="not set aside"):
        documents.return_document(office.store, office.analyst, document)


def test_a_reviewer_may_not_bring_papers_in(office: Office) -> None:
    with pytest.raises(Forbidden, match="may not gather"):
        documents.receive(office.store, office.reviewer, office.type_id, "a.pdf", b"x", purpose="sample")


def test_what_is_not_there_is_said(office: Office) -> None:
    with pytest.raises(NotFound, match="no paper 999"):
        documents.document_view(office.store, 999)
    with pytest.raises(InputError, match="not a purpose"):
        documents.receive(office.store, office.analyst, office.type_id, "a.pdf", b"x", purpose="both")
