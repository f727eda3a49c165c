"""Containers, passwords, damage, long papers, reading again: whatever comes in ends read, or set aside with a
reason."""

from __future__ import annotations

import base64
import io
import resource
import tempfile
from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import pikepdf
import pytest
from PIL import Image
from sqlalchemy import text
from tests import papers
from tests.office import Office
from tests.papers import slip_pdf, slips

from jugum.core.ocr import open_paper
from jugum.errors import Conflict, InputError, LockedPaper
from jugum.flow.gather import documents, explore, read
from jugum.flow.gather.documents import DocumentView, Intake
from jugum.flow.gather.explore import Explorer, RegionAsked
from jugum.flow.gather.read_again import ReadAgain, read_again

Run = Callable[[], None]


@pytest.fixture
def open_folder() -> Iterator[Path]:
    """A folder whose programs anybody may start: what opens papers has no rights."""
    with tempfile.TemporaryDirectory(dir="/tmp") as folder:
        Path(folder).chmod(0o755)
        yield Path(folder)


def bring(office: Office, name: str, data: bytes, **intake: object) -> int:
    got = documents.receive(
        office.store, office.analyst, office.type_id, name, data, purpose="sample", intake=Intake(**intake)
    )  # type: ignore[arg-type]
    return got.document_id


def all_documents(office: Office) -> dict[str, DocumentView]:
    return {view.name: view for view in documents.documents(office.store, office.type_id)}


# ---- Containers ------------------------------------------------------------------------------------------------------


def test_an_archive_in_an_archive_gives_its_papers_and_says_what_it_left_out(office: Office, run_jobs: Run) -> None:
    inner = papers.zipped({"deep/../../../b.pdf": slip_pdf(slips(2)[1]), "note.txt": b"no paper"})
    outer = papers.zipped({"a.pdf": slip_pdf(slips(1)[0]), "__MACOSX/x": b"?", "inner.zip": inner, "none.pdf": b""})
    container = bring(office, "post.zip", outer)
    run_jobs()
    found = all_documents(office)
    assert found["a.pdf"].state == found["b.pdf"].state == "to label"
    assert found["note.txt"].state == "set aside"
    assert found["post.zip"].state == "unpacked"
    assert "“none.pdf” is empty" in found["post.zip"].note
    assert found["b.pdf"].parent_id == container


def test_a_mail_gives_its_attachments_and_keeps_its_text(office: Office, run_jobs: Run) -> None:
    bring(office, "m.eml", papers.mail("My slip", "Here it is.\nOddny", {"slip.pdf": slip_pdf(slips(1)[0])}))
    run_jobs()
    found = all_documents(office)
    assert found["slip.pdf"].state == "to label"
    assert "Subject: My slip" in found["slip.pdf"].note
    assert "Here it is." in found["slip.pdf"].note


def test_unpacking_twice_makes_no_paper_twice(office: Office, run_jobs: Run) -> None:
    container = bring(office, "post.zip", papers.zipped({"a.pdf": slip_pdf(slips(1)[0])}))
    run_jobs()
    with office.store.session() as session:
        read.document_row(session, container).state = "received"  # as when a worker died before it said it was done
    read.open_document(office.store, container, read.OpenPapers())
    assert [view.name for view in documents.documents(office.store, office.type_id)].count("a.pdf") == 1


def test_containers_nested_too_deep_or_holding_nothing_say_so(office: Office, run_jobs: Run) -> None:
    data = slip_pdf(slips(1)[0])
    for level in range(6):
        data = papers.zipped({f"level{level}.zip" if level else "a.pdf": data})
    bring(office, "deep.zip", data)
    bring(office, "nothing.zip", papers.zipped({}))
    bring(office, "mail.eml", papers.mail("Hello", "no attachment", {}))
    run_jobs()
    found = all_documents(office)
    assert "deeper than 3" in (found["deep.zip"].reason or "")
    assert "holds no file" in (found["nothing.zip"].reason or "")
    assert found["mail.eml"].state == "set aside"


def test_an_archive_that_unpacks_to_far_too_much_is_stopped(office: Office, run_jobs: Run) -> None:
    office.settings.unpacked_max = 5_000_000
    bring(office, "bomb.zip", papers.zipped({f"{n}.bin": bytes(2_000_000) for n in range(20)}))
    run_jobs()
    taken = [view for view in documents.documents(office.store, office.type_id) if view.name.endswith(".bin")]
    assert len(taken) <= 3
    assert (
        "more than is taken" in all_documents(office)["bomb.zip"].note
        or "larger than" in all_documents(office)["bomb.zip"].note
    )


def test_a_word_processor_file_without_libreoffice_says_what_to_do(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("shutil.which", lambda name: None)
    bring(office, "letter.docx", papers.zipped({"[Content_Types].xml": b"<x/>", "word/document.xml": b"<x/>"}))
    run_jobs()
    assert "no LibreOffice" in (all_documents(office)["letter.docx"].reason or "")


def test_a_word_processor_file_is_printed_by_libreoffice_where_there_is_one(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch, open_folder: Path
) -> None:
    printed = open_folder / "printed.pdf"
    printed.write_bytes(papers.words_pdf("Printed from a letter"))
    program = open_folder / "soffice"  # stands in: it takes the same arguments and leaves a PDF in --outdir
    program.write_text(f'#!/bin/sh\nwhile [ "$1" != "--outdir" ]; do shift; done\ncp {printed} "$2/paper.pdf"\n')
    program.chmod(0o755)
    monkeypatch.setattr("shutil.which", lambda name: str(program))
    document = bring(
        office, "letter.docx", papers.zipped({"[Content_Types].xml": b"<x/>", "word/document.xml": b"<x/>"})
    )
    run_jobs()
    assert documents.document_view(office.store, document).state == "to label"
    assert b"Printed" in explore.taken_away(office.store, Explorer(), document, "text")[2]


# ---- Passwords -------------------------------------------------------------------------------------------------------


def test_a_locked_paper_asks_for_its_password_and_keeps_it_nowhere(office: Office, run_jobs: Run) -> None:
    document = bring(office, "locked.pdf", papers.locked_pdf())
    run_jobs()
    assert documents.document_view(office.store, document).locked
    with pytest.raises(Conflict, match="password"):
        documents.return_document(office.store, office.analyst, document)
    with pytest.raises(LockedPaper, match="does not open"):
        read.unlock(office.store, office.analyst, document, "wrong")
    read.unlock(office.store, office.analyst, document, "u")
    run_jobs()
    view = documents.document_view(office.store, document)
    assert (view.state, view.locked) == ("to label", False)
    assert (
        b"/Encrypt" in documents.original(office.store, office.analyst, document)[1]
    )  # the file as received is kept unchanged


# ---- Damage ----------------------------------------------------------------------------------------------------------


def odd_files() -> dict[str, bytes]:
    """Damaged, hostile and odd files; what each must come to stands in the test below."""
    pdf = slip_pdf(slips(1)[0])
    files = {
        "cut-short.pdf": pdf[: len(pdf) // 2],
        "garbage.pdf": b"%PDF-1.7\n" + bytes(range(256)) * 40,
        "no-pages.pdf": papers.empty_pdf(),
        "huge-box.pdf": _boxed(200_000),
        "tiny-box.pdf": _boxed(0.2),
        "bomb.png": papers.huge_png(),
        "text-named.pdf": b"just words",
        "picture-named.pdf": _saved(Image.new("L", (300, 400), 255), "PNG"),
        "pdf-named.png": pdf,
        "../../etc/passwd.pdf": pdf + b"\n",
        "half.jpg": _saved(
            Image.fromarray(np.random.default_rng(1).integers(0, 255, (500, 400), dtype=np.uint8)), "JPEG"
        )[:9000],
        "zip-cut.zip": papers.zipped({"a.pdf": pdf})[:-60],
        "one-bit.tif": _saved(Image.new("1", (300, 400), 1), "TIFF"),
        "sixteen-bit.tif": _saved(Image.fromarray(np.full((400, 300), 40_000, dtype=np.uint16)), "TIFF"),
        "cmyk.jpg": _saved(Image.new("CMYK", (300, 400)), "JPEG"),
        "palette.png": _saved(Image.new("P", (300, 400), 3), "PNG"),
        "nul.pdf": bytes(5000),
        "broken-page.pdf": _broken_page(),
    }
    return files


def _saved(picture: Image.Image, kind: str) -> bytes:
    out = io.BytesIO()
    picture.save(out, kind)
    return out.getvalue()


def _boxed(side: float) -> bytes:
    made = pikepdf.new()
    made.add_blank_page(page_size=(100, 100))
    made.pages[0].MediaBox = pikepdf.Array([0, 0, side, side])
    out = io.BytesIO()
    made.save(out)
    return out.getvalue()


def _broken_page() -> bytes:
    """Two pages, the second one's content is rubbish."""
    with pikepdf.open(io.BytesIO(papers.many_pages(2))) as pdf:
        pdf.pages[1].Contents = pdf.make_stream(b"BT /F9 12 Tf (unfinished \xff\xfe Tj")
        out = io.BytesIO()
        pdf.save(out)
        return out.getvalue()


def test_every_damaged_hostile_and_odd_file_ends_read_or_set_aside_with_a_reason(office: Office, run_jobs: Run) -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    brought = {name: bring(office, name, data) for name, data in odd_files().items()}
    run_jobs()
    ended = {name: documents.document_view(office.store, document) for name, document in brought.items()}
    for name, view in ended.items():
        assert view.state in ("to label", "set aside", "unpacked"), (name, view.state)
        assert (view.state == "set aside") == bool(view.reason), name
    read_well = {"picture-named.pdf", "pdf-named.png", "one-bit.tif", "sixteen-bit.tif", "cmyk.jpg", "palette.png"}
    assert {name for name in read_well if ended[name].state != "to label"} == set()
    refused = {
        "garbage.pdf",
        "no-pages.pdf",
        "huge-box.pdf",
        "tiny-box.pdf",
        "bomb.png",
        "text-named.pdf",
        "zip-cut.zip",
        "nul.pdf",
        "half.jpg",
    }
    assert {name for name in refused if ended[name].state != "set aside"} == set()
    assert ended["../../etc/passwd.pdf"].name == "passwd.pdf"
    assert (
        resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 1_500_000
    )  # kB: the picture bomb was never decoded


def test_a_paper_with_one_bad_page_waits_for_a_person_and_goes_on_without_it(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    from jugum.errors import UnreadablePaper

    real = read.read_page

    def bad_second(paper: object, index: int, engine: object, how: object) -> object:
        if index == 1:
            raise UnreadablePaper("Page 2 of “three.pdf” is damaged. Send the file again.")
        return real(paper, index, engine, how)  # type: ignore[arg-type]

    monkeypatch.setattr(read, "read_page", bad_second)
    document = bring(office, "three.pdf", papers.many_pages(3))
    run_jobs()
    view = documents.document_view(office.store, document)
    assert view.state == "set aside"
    assert "1 of 3 pages can't be read" in (view.reason or "")
    documents.return_document(office.store, office.analyst, document)
    assert documents.document_view(office.store, document).state == "to label"


def test_a_language_that_is_not_installed_sets_the_paper_aside_with_the_remedy(office: Office, run_jobs: Run) -> None:
    scan = _saved(Image.new("L", (300, 400), 250), "PNG")
    document = bring(office, "s.png", scan, language="xyz+eng")
    run_jobs()
    assert "tesseract-ocr-xyz" in (documents.document_view(office.store, document).reason or "")


def test_a_fault_while_a_paper_is_placed_leaves_it_tried_again(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    from jugum.flow.gather import place

    got = documents.receive(office.store, office.analyst, None, "s.pdf", slip_pdf(slips(1)[0]), purpose="sample")
    with monkeypatch.context() as patch:
        patch.setattr(place, "pages_of", lambda *given: 1 / 0)
        run_jobs()
    assert documents.document_view(office.store, got.document_id).state == "set aside"
    documents.return_document(office.store, office.analyst, got.document_id)
    run_jobs()
    assert documents.document_view(office.store, got.document_id).state == "unplaced"


def test_a_paper_removed_before_its_tasks_run_is_no_fault(office: Office, run_jobs: Run) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    with office.store.session() as session:
        session.delete(read.document_row(session, document))
    run_jobs()
    with office.store.session() as session:
        assert (
            session.execute(text("SELECT count(*) FROM procrastinate_jobs WHERE status = 'failed'")).scalar_one() == 0
        )


def test_a_mail_whose_text_can_t_be_kept_as_it_is_comes_in_all_the_same(office: Office, run_jobs: Run) -> None:
    head = b"From: a@example.org\nSubject: odd\nMIME-Version: 1.0\nContent-Type: multipart/mixed; boundary=b\n\n"
    body = b"--b\n\nnul \x00 and \xff\n"
    attached = b"--b\nContent-Disposition: attachment; filename=a.pdf\nContent-Transfer-Encoding: base64\n\n"
    bring(office, "m.eml", head + body + attached + base64.encodebytes(slip_pdf(slips(1)[0])) + b"\n--b--\n")
    run_jobs()
    assert all_documents(office)["m.eml"].state == "unpacked"
    assert "\x00" not in all_documents(office)["m.eml"].note


def test_the_engine_that_read_is_told_not_the_one_that_was_asked_for(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("jugum.core.ocr.network.available", lambda: False)
    document = bring(office, "s.png", _saved(papers.drawn(slip_pdf(slips(1)[0])), "PNG"), engine="careful")
    run_jobs()
    assert explore.layers(office.store, Explorer(), document, 1).engine == "quick"


def test_pages_of_a_paper_that_is_set_aside_are_not_read_again(office: Office, run_jobs: Run) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    run_jobs()
    documents.set_aside(office.store, office.analyst, document, "not ours")
    with pytest.raises(Conflict, match="set aside"):
        read_again(office.store, office.analyst, document, None, ReadAgain(turn=90))


@pytest.mark.parametrize("where", ["jugum.flow.gather.read.read_page", "jugum.parsing.parsers.Parsers.open_paper"])
def test_a_fault_of_our_own_leaves_no_paper_waiting_for_ever(
    office: Office, run_jobs: Run, monkeypatch: pytest.MonkeyPatch, where: str
) -> None:
    def broken(*given: object) -> object:
        raise ZeroDivisionError("inside")

    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    with monkeypatch.context() as patch:
        patch.setattr(where, broken)
        run_jobs()
    view = documents.document_view(office.store, document)
    assert view.state == "set aside"
    assert "under reference" in (view.reason or "")
    assert "inside" not in (view.reason or "")
    documents.return_document(office.store, office.analyst, document)
    run_jobs()
    assert documents.document_view(office.store, document).state == "to label"


# ---- Long papers -----------------------------------------------------------------------------------------------------


def test_pages_of_a_long_paper_are_tasks_of_their_own_and_a_short_one_is_not_kept_waiting(
    office: Office, run_jobs: Run
) -> None:
    order: list[tuple[str, int]] = []
    long = bring(office, "long.pdf", papers.many_pages(40))
    read.open_document(office.store, long, read.OpenPapers())
    short = bring(office, "short.pdf", papers.many_pages(1))
    read.open_document(office.store, short, read.OpenPapers())
    real = read.read_page

    def noted(paper: object, index: int, engine: object, how: object) -> object:
        order.append((str(paper.page_count), index))  # type: ignore[attr-defined]
        return real(paper, index, engine, how)  # type: ignore[arg-type]

    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(read, "read_page", noted)
        run_jobs()
    assert len(order) == 41
    assert order.index(("1", 0)) <= 10  # after the long one's first pages, not after all forty
    assert documents.document_view(office.store, long).state == "to label"


# ---- Reading again, regions, taking away -----------------------------------------------------------------------------


def test_a_page_is_turned_by_hand_and_read_again(office: Office, run_jobs: Run) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    run_jobs()
    assert read_again(office.store, office.analyst, document, [1], ReadAgain(turn=90)).queued == 1
    run_jobs()
    seen = explore.layers(office.store, Explorer(), document, 1)
    assert (seen.rotation, round(seen.width_pt), round(seen.height_pt)) == (90, 595, 420)
    with pytest.raises(InputError, match="quarter turn"):
        read_again(office.store, office.analyst, document, [1], ReadAgain(turn=45))


def test_all_pages_are_read_again_from_the_picture_with_another_engine(office: Office, run_jobs: Run) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    run_jobs()
    read_again(office.store, office.analyst, document, None, ReadAgain(engine="careful", text_layer=False))
    run_jobs()
    seen = explore.layers(office.store, Explorer(), document, 1)
    assert (seen.source, seen.engine) == ("ocr", "careful")
    assert "Oddny" in seen.text


def test_a_region_is_tried_without_change_and_taken_with_one(office: Office, run_jobs: Run) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0]))
    run_jobs()
    explorer = Explorer()
    name = next(word for word in explore.layers(office.store, explorer, document, 1).words if word[0] == "Oddny")
    asked = RegionAsked((0.3, name[2] - 0.01, 0.95, name[4] + 0.01), engine="quick")
    tried = explore.try_region(office.store, explorer, office.analyst, document, 1, asked)
    assert [word[0] for word in tried] == ["Oddny", "Strand"]
    assert all(word[5] == 1.0 for word in explore.layers(office.store, explorer, document, 1).words)
    explore.take_region(office.store, explorer, office.analyst, document, 1, asked)
    after = explore.layers(office.store, explorer, document, 1).words
    assert [word[0] for word in after].count("Oddny") == 1
    assert next(word for word in after if word[0] == "Oddny")[5] < 1.0
    with pytest.raises(InputError, match="four numbers"):
        explore.try_region(office.store, explorer, office.analyst, document, 1, RegionAsked((0.5, 0.5, 0.4, 0.6)))


def text_of_pdf(data: bytes) -> str:
    layer = open_paper(data, "out.pdf").text_layer(0)
    assert layer is not None
    return " ".join(word.text for word in layer.words)


@pytest.mark.parametrize("kind", ["json", "hocr", "alto", "text", "csv", "xlsx", "pdf"])
def test_papers_are_taken_away_in_every_open_format(office: Office, run_jobs: Run, kind: str) -> None:
    document = bring(office, "s.pdf", slip_pdf(slips(1)[0], 2))
    run_jobs()
    name, media, data = explore.taken_away(office.store, Explorer(), document, kind)
    assert name.startswith("s.")
    assert "/" in media
    if kind not in ("csv", "xlsx"):
        text = text_of_pdf(data) if kind == "pdf" else data.decode()
        assert "Oddny" in text
    assert len(data) > 0
