"""What kind of file bytes are, and taking the papers out of mails and archives.

Containers are opened one part at a time, so that memory holds one part and not the whole.
"""

from __future__ import annotations

import email
import email.policy
import io
import re
import zipfile
from collections.abc import Iterator
from dataclasses import dataclass
from email.message import EmailMessage
from enum import StrEnum

import lxml.etree
import lxml.html

from jugum.core.ocr.papers import Limits, is_picture
from jugum.errors import UnreadablePaper


class FileKind(StrEnum):
    """What a file is, by its bytes; its name helps only with mails, which have no mark of their own."""

    PDF = "pdf"
    PICTURE = "picture"
    MAIL = "mail"
    ARCHIVE = "archive"
    OFFICE = "office"
    UNKNOWN = "unknown"


_MAIL_HEAD = re.compile(
    rb"^(?:From|To|Received|Return-Path|Subject|Date|MIME-Version|Message-ID|Delivered-To):", re.I | re.M
)
HTML_MOST = 1_000_000  # letters of a mail's page that are looked at; of its words 4000 are kept
_HTML = lxml.html.HTMLParser(encoding="utf-8", huge_tree=False)
_SKIPPED = ("__MACOSX/", ".DS_Store", "Thumbs.db", "desktop.ini")


def kind_of(data: bytes, name: str = "") -> FileKind:
    """The kind of a file from its first bytes."""
    if b"%PDF-" in data[:1024]:
        return FileKind.PDF
    if is_picture(data):
        return FileKind.PICTURE
    if data[:4] in (b"PK\x03\x04", b"PK\x05\x06"):  # the second is an archive without files
        return FileKind.OFFICE if _is_document(data) else FileKind.ARCHIVE
    # office files from before 2007, and rich text
    if data[:8] == b"\xd0\xcf\x11\xe0\xa1\xb1\x1a\xe1" or data[:5] == b"{\\rtf":
        return FileKind.OFFICE
    # one line "Date:" begins many letters
    if name.lower().endswith(".eml") or len(set(_MAIL_HEAD.findall(data[:4000]))) >= 2:
        return FileKind.MAIL
    return FileKind.UNKNOWN


def _is_document(data: bytes) -> bool:
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            names = set(archive.namelist())
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError):
        return False
    # Office documents are archives too: these two names tell OOXML and ODF.
    return "[Content_Types].xml" in names or "mimetype" in names


@dataclass(frozen=True)
class Part:
    """A file taken out of a container: its path inside, for people, and its bytes; or why it could not be taken out."""

    path: str
    data: bytes = b""
    problem: str = ""

    @property
    def name(self) -> str:
        """The last piece of the path, whatever folders it pretends to lie in."""
        return plain_name(self.path)


def plain_name(path: str) -> str:
    """A file name without folders, drive letters and control characters: "..\\x/../etc/pass\\0wd" → "passwd"."""
    # paths of archives may lead anywhere; only the last piece is a name
    last = path.replace("\\", "/").rsplit("/", 1)[-1]
    return "".join(letter for letter in last if letter.isprintable()).strip()[-255:] or "unnamed"


@dataclass
class _Budget:
    """What may still be taken out, over all nested containers of one file."""

    files: int
    bytes: int


def unpack(data: bytes, name: str, limits: Limits) -> Iterator[Part]:
    """The papers in a mail or an archive, nested ones too, in their order.

    A part that is too large, locked, damaged or nested deeper than `limits.depth_max` comes with its problem instead of
    bytes. Raises UnreadablePaper when the container itself can't be opened.
    """
    yield from _unpack(data, name, limits, 1, _Budget(limits.files_max, limits.unpacked_max))


def _unpack(data: bytes, name: str, limits: Limits, depth: int, budget: _Budget) -> Iterator[Part]:
    parts = _of_mail(data) if kind_of(data, name) is FileKind.MAIL else _of_archive(data, name, limits, budget)
    for part in parts:
        budget.files -= 1
        budget.bytes -= len(part.data)
        # The budget is shared by all that is nested: an archive of archives can't multiply it.
        if budget.files < 0 or budget.bytes < 0:
            yield Part(
                part.path,
                problem=(
                    f"“{name}” holds more than is taken ({limits.files_max} files, {limits.unpacked_max / 1e9:.1f} "
                    "GB). Send the rest by itself."
                ),
            )
            return
        if part.problem or kind_of(part.data, part.name) not in (FileKind.MAIL, FileKind.ARCHIVE):
            yield part
        elif depth >= limits.depth_max:
            yield Part(
                part.path,
                problem=(
                    f"“{part.name}” is nested deeper than {limits.depth_max} containers. Unpack it and send its papers."
                ),
            )
        else:
            try:
                for inner in _unpack(part.data, part.name, limits, depth + 1, budget):
                    yield Part(f"{part.path}/{inner.path}", inner.data, inner.problem)
            except UnreadablePaper as error:
                yield Part(part.path, problem=str(error))


def _of_archive(data: bytes, name: str, limits: Limits, budget: _Budget) -> Iterator[Part]:
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
    except (zipfile.BadZipFile, OSError, ValueError, NotImplementedError) as error:
        raise UnreadablePaper(f"“{name}” is a damaged archive: it can't be opened. Pack it again.") from error
    with archive:
        for entry in archive.infolist():
            if entry.is_dir() or any(skipped in entry.filename for skipped in _SKIPPED):
                continue
            yield _entry(archive, entry, min(limits.bytes_max, budget.bytes))


def _entry(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int) -> Part:
    """One entry; never more than `most` bytes are unpacked, whatever its header says."""
    shown = plain_name(entry.filename)
    if entry.flag_bits & 1:
        return Part(entry.filename, problem=f"“{shown}” is locked by a password inside the archive. Send it unlocked.")
    try:
        with archive.open(entry) as source:
            data = source.read(most + 1)  # one byte more than is taken tells that there is more
    except (zipfile.BadZipFile, OSError, EOFError, NotImplementedError, ValueError, RuntimeError) as error:
        return Part(entry.filename, problem=f"“{shown}” is damaged inside the archive ({type(error).__name__}).")
    except zipfile.zlib.error:  # type: ignore[attr-defined]
        return Part(entry.filename, problem=f"“{shown}” is damaged inside the archive.")
    if len(data) > most:
        return Part(entry.filename, problem=f"“{shown}” is larger than {most / 1e6:.0f} MB when unpacked. Split it.")
    return Part(entry.filename, data)


def _message(data: bytes) -> EmailMessage:
    message = email.message_from_bytes(data, policy=email.policy.default)
    assert isinstance(message, EmailMessage)
    return message


def _of_mail(data: bytes) -> Iterator[Part]:
    for number, part in enumerate(_message(data).walk()):
        kind = part.get_content_maintype()
        name = _header(part.get_filename())
        if part.is_multipart():
            continue
        if not name and kind == "text":  # the mail's own words, kept as a note
            continue
        content = part.get_payload(decode=True)
        if isinstance(content, bytes) and content:
            yield Part(name or f"part-{number}.{part.get_content_subtype()}", content)


def _header(value: object) -> str:
    return " ".join(str(value).split()) if value else ""


def mail_note(data: bytes) -> str:
    """Who wrote, when, about what, and the mail's text: kept as a note on its papers (at most 4000 characters)."""
    message = _message(data)
    head = [f"{name}: {_header(message[name])}" for name in ("From", "Date", "Subject") if message[name]]
    note = ("\n".join(head) + "\n\n" + _body(message)).replace("\x00", "").strip()[:4000]
    return note.encode("utf-8", "replace").decode()  # lone surrogates of undeclared bytes can't be kept


def _body(message: EmailMessage) -> str:
    try:
        part = message.get_body(preferencelist=("plain", "html"))
        text = str(part.get_content()) if part is not None else ""
    except (LookupError, UnicodeError, AttributeError, KeyError, ValueError):
        return ""
    if part is not None and part.get_content_subtype() == "html":
        text = _text_of_html(text[:HTML_MOST])
    return re.sub(r"[ \t]+", " ", text).strip()


def _text_of_html(html: str) -> str:
    """The words of a page, a line for each paragraph or line break."""
    try:
        root = lxml.html.document_fromstring(html.encode("utf-8", "replace"), parser=_HTML)
    except (lxml.etree.ParserError, ValueError):  # nothing but blanks and comments
        return ""
    lxml.etree.strip_elements(root, "script", "style", lxml.etree.Comment, with_tail=False)
    for element in root.iter("br", "p", "div", "tr", "li"):
        element.tail = "\n" + (element.tail or "")
    return str(root.text_content())


def mail_name(data: bytes) -> str:
    """A file name for a mail, after its subject."""
    subject = _header(_message(data)["Subject"]) or "mail"
    return f"{plain_name(subject)[:120]}.eml"
