"""Mails and archives: what is in them, and what is kept out."""

from __future__ import annotations

import io
import zipfile

import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests import papers

from jugum.core.ocr import FileKind, Limits, Part, kind_of, mail_note, plain_name, unpack
from jugum.errors import UnreadablePaper

PDF = papers.words_pdf("A paper")


@pytest.mark.parametrize(
    ("data", "name", "kind"),
    [
        (PDF, "a.zip", FileKind.PDF),
        (b"junk before\n" + PDF, "a.pdf", FileKind.PDF),
        (b"\x89PNG\r\n\x1a\n", "a.pdf", FileKind.PICTURE),
        (b"RIFF\0\0\0\0WEBPVP8 ", "a", FileKind.PICTURE),
        (b"\0\0\0\x18ftypheic\0\0\0\0", "a", FileKind.PICTURE),
        (papers.zipped({"a.pdf": PDF}), "a.pdf", FileKind.ARCHIVE),
        (papers.zipped({"[Content_Types].xml": b"", "word/document.xml": b""}), "a.zip", FileKind.OFFICE),
        (b"{\\rtf1 hello}", "a.doc", FileKind.OFFICE),
        (papers.mail("S", "t", {}), "letter", FileKind.MAIL),
        (b"plain", "x.eml", FileKind.MAIL),
        (b"From here on nothing", "x.txt", FileKind.UNKNOWN),
        (b"", "", FileKind.UNKNOWN),
    ],
)
def test_a_file_is_known_by_its_bytes_not_by_its_name(data: bytes, name: str, kind: FileKind) -> None:
    assert kind_of(data, name) is kind


def test_parts_come_in_order_with_their_paths_and_nested_ones_too() -> None:
    inner = papers.mail("Inner", "text", {"c.pdf": PDF})
    data = papers.zipped({"x/a.pdf": PDF, "b.eml": inner, "empty/": b""})
    found = list(unpack(data, "post.zip", Limits()))
    assert [part.path for part in found] == ["x/a.pdf", "b.eml/c.pdf"]
    assert [part.name for part in found] == ["a.pdf", "c.pdf"]
    assert all(part.data == PDF for part in found)


def test_a_mail_within_a_mail_and_attachments_without_a_name_are_taken() -> None:
    from email.message import EmailMessage

    outer = EmailMessage()
    outer["From"], outer["To"], outer["Subject"] = "a@example.org", "b@example.org", "Forwarded"
    outer.set_content("see below")
    outer.add_attachment(PDF, maintype="application", subtype="pdf")
    found = list(unpack(outer.as_bytes(), "m.eml", Limits()))
    assert [part.name for part in found] == ["part-2.pdf"]


def test_the_note_of_a_mail_holds_who_when_what_and_the_text_of_html_too() -> None:
    from email.message import EmailMessage

    message = EmailMessage()
    message["From"], message["Subject"] = "Oddny <oddny@example.org>", "A slip"
    message.set_content("<style>p {}</style><p>Here it <b>is</b>.<br>Bye</p>", subtype="html")
    note = mail_note(message.as_bytes())
    assert note.startswith("From: Oddny <oddny@example.org>\nSubject: A slip")
    assert "Here it is" in note.replace("  ", " ")
    assert "<b>" not in note
    assert "style" not in note


def test_locked_broken_and_too_large_entries_come_with_their_problem() -> None:
    whole = papers.zipped({"good.pdf": PDF, "big.bin": bytes(3_000_000)})
    found = {part.name: part for part in unpack(whole, "z.zip", Limits(bytes_max=1_000_000))}
    assert found["good.pdf"].data == PDF
    assert "larger than" in found["big.bin"].problem
    spoiled = bytearray(papers.zipped({"spoiled.pdf": PDF}))
    place = bytes(spoiled).index(b"spoiled.pdf") + 40
    spoiled[place : place + 20] = b"\xff" * 20
    (part,) = unpack(bytes(spoiled), "z.zip", Limits())
    assert "damaged" in part.problem


def test_an_entry_that_says_it_is_small_is_not_unpacked_further_than_allowed() -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("bomb.bin", bytes(50_000_000))
    (part,) = unpack(out.getvalue(), "z.zip", Limits(bytes_max=1_000_000))
    assert part.data == b""
    assert "larger than 1 MB" in part.problem


def test_too_many_files_end_with_a_word() -> None:
    data = papers.zipped({f"{n}.txt": b"x" for n in range(20)})
    found = list(unpack(data, "z.zip", Limits(files_max=5)))
    assert len(found) == 6
    assert "more than is taken" in found[-1].problem


def test_a_damaged_archive_is_refused() -> None:
    with pytest.raises(UnreadablePaper, match="damaged archive"):
        list(unpack(papers.zipped({"a": b"b"})[:-30], "z.zip", Limits()))


@given(st.text())
def test_plain_names_hold_no_folder_and_are_never_empty(path: str) -> None:
    name = plain_name(path)
    assert name
    assert len(name) <= 255
    assert not set(name) & {"/", "\\", "\x00", "\n"}
    assert Part(path).name == name
