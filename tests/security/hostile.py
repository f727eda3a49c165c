"""Files that are made to hang, fill or end what opens them: a few kilobytes each."""

from __future__ import annotations

import gzip
import io
import struct
import zipfile
import zlib
from collections.abc import Callable

from tests.papers import slip_pdf, slips, words_pdf, zipped


def _pdf(objects: list[bytes]) -> bytes:
    """A PDF of these objects, numbered from 1; the first is the catalogue."""
    out, places = bytearray(b"%PDF-1.7\n"), []
    for number, one in enumerate(objects, start=1):
        places.append(len(out))
        out += b"%d 0 obj\n%s\nendobj\n" % (number, one)
    start = len(out)
    out += b"xref\n0 %d\n0000000000 65535 f \n" % (len(objects) + 1)
    out += b"".join(b"%010d 00000 n \n" % place for place in places)
    return bytes(out + b"trailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF" % (len(objects) + 1, start))


def _stream(data: bytes, about: bytes = b"", *, packed: bool = True) -> bytes:
    body = zlib.compress(data, 9) if packed else data
    how = b"/Filter /FlateDecode" if packed else b""
    return b"<< /Length %d %s %s >>\nstream\n%s\nendstream" % (len(body), how, about, body)


def _page(resources: bytes, content: bytes, *more: bytes, box: bytes = b"[0 0 595 842]") -> bytes:
    page = b"<< /Type /Page /Parent 2 0 R /MediaBox %s /Contents 4 0 R /Resources << %s >> >>" % (box, resources)
    pages = b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>"
    return _pdf([b"<< /Type /Catalog /Pages 2 0 R >>", pages, page, _stream(content), *more])


def forms_within_forms() -> bytes:
    """Each of 12 forms draws the next ten times: 10¹² drawings."""
    levels = 12
    forms = []
    for level in range(levels):
        inner = b"/XObject << /F %d 0 R >>" % (6 + level) if level + 1 < levels else b""
        body = b"/F Do\n" * 10 if inner else b"0 0 1 1 re f\n" * 10
        about = b"/Type /XObject /Subtype /Form /BBox [0 0 595 842] /Resources << %s >>" % inner
        forms.append(_stream(body, about))
    return _page(b"/XObject << /F 5 0 R >>", b"/F Do\n" * 10, *forms)


def picture_of_ten_gigabytes() -> bytes:
    """A picture of 60,000 × 60,000 dots in colour, packed to a few megabytes less."""
    about = b"/Type /XObject /Subtype /Image /Width 60000 /Height 60000 /ColorSpace /DeviceRGB /BitsPerComponent 8"
    squeezed = zlib.compressobj(9)
    body = b"".join(squeezed.compress(b"\0" * 10_000_000) for _ in range(110)) + squeezed.flush()
    image = b"<< /Length %d /Filter /FlateDecode %s >>\nstream\n%s\nendstream" % (len(body), about, body)
    return _page(b"/XObject << /I 5 0 R >>", b"q 595 0 0 842 0 0 cm /I Do Q", image)


def content_of_a_gigabyte() -> bytes:
    """A page whose drawing takes 360 MB of commands, packed twice."""
    squeezed = zlib.compress(zlib.compress(b"0 0 m 500 500 l S\n" * 20_000_000, 1), 9)
    content = b"<< /Length %d /Filter [/FlateDecode /FlateDecode] >>\nstream\n%s\nendstream" % (len(squeezed), squeezed)
    page = b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R >>"
    pages = b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>"
    return _pdf([b"<< /Type /Catalog /Pages 2 0 R >>", pages, page, content])


def pattern_of_a_million_tiles() -> bytes:
    """A page filled with tiles of a hundredth of a point, each a page of lines."""
    about = b"/Type /Pattern /PatternType 1 /PaintType 1 /TilingType 1 /BBox [0 0 1 1] /XStep .01 /YStep .01"
    tile = _stream(b"0 0 m 1 1 l S\n" * 2000, about + b" /Resources <<>>")
    return _page(b"/Pattern << /P 5 0 R >>", b"/Pattern cs /P scn 0 0 595 842 re f", tile)


def pages_within_themselves() -> bytes:
    """A tree of pages that is its own branch, and says it has a million leaves."""
    return _pdf(
        [b"<< /Type /Catalog /Pages 2 0 R >>", b"<< /Type /Pages /Kids [2 0 R 2 0 R] /Count 1000000 /Parent 2 0 R >>"]
    )


def deep_array() -> bytes:
    """A million brackets."""
    return _page(b"/X " + b"[" * 500_000 + b"]" * 500_000, b"0 0 m")


def page_of_a_kilometre() -> bytes:
    """A page wider than any paper."""
    return _page(b"", b"0 0 m", box=b"[0 0 2800000 2800000]")


def picture_that_lies() -> bytes:
    """A PNG that says it has 100,000 × 100,000 dots."""
    head = struct.pack(">IIBBBBB", 100_000, 100_000, 8, 2, 0, 0, 0)

    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    body = zlib.compress(b"\0" * 5_000_000, 9)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", body) + chunk(b"IEND", b"")


def picture_within_the_limit() -> bytes:
    """A PNG of 10,900 × 10,900 dots in colour: just allowed, and 360 MB as pixels."""
    from PIL import Image

    out = io.BytesIO()
    Image.new("RGB", (10_900, 10_900), "white").save(out, "PNG", compress_level=9)
    return out.getvalue()


def tiff_in_a_circle() -> bytes:
    """A TIFF whose only page names itself as the next."""
    entries = [(256, 4, 1, 10), (257, 4, 1, 10), (258, 3, 1, 8), (259, 3, 1, 1), (262, 3, 1, 1), (273, 4, 1, 8)]
    entries += [(278, 4, 1, 10), (279, 4, 1, 100)]
    table = struct.pack("<H", len(entries)) + b"".join(struct.pack("<HHII", *entry) for entry in entries)
    return b"II*\0" + struct.pack("<I", 8) + table + struct.pack("<I", 8) + b"\xff" * 100


def mail_of_open_tags() -> bytes:
    """A mail whose page opens a hundred thousand scripts and ends none."""
    return (
        b"From: a@example.org\nSubject: tags\nMIME-Version: 1.0\nContent-Type: text/html; charset=utf-8\n\n"
        + b"<script " * 60_000
        + b"<p>words"
    )


def mail_of_deep_parts() -> bytes:
    """Parts within parts, three thousand deep."""
    out = b"From: a@example.org\nSubject: deep\nMIME-Version: 1.0\n"
    for level in range(3000):
        out += b'Content-Type: multipart/mixed; boundary="b%d"\n\n--b%d\n' % (level, level)
    return out + b"Content-Type: text/plain\n\nwords\n"


def mail_of_a_long_head() -> bytes:
    """An address line of two megabytes of brackets."""
    return (
        b"From: "
        + b"(" * 300_000
        + b"\nTo: "
        + b'"a" <' * 100_000
        + b"\nSubject: "
        + b"=?utf-8?q?a?= " * 50_000
        + b"\n\nx"
    )


def archive_of_zeros() -> bytes:
    """A ZIP in a ZIP: half a megabyte that unpacks to five gigabytes."""
    inner = io.BytesIO()
    with zipfile.ZipFile(inner, "w", zipfile.ZIP_DEFLATED) as archive, archive.open("0.pdf", "w") as entry:
        for _ in range(10):
            entry.write(b"\0" * 10_000_000)
    return zipped({f"{number}.zip": inner.getvalue() for number in range(50)})


def archive_of_one_paper() -> bytes:
    """The same paper four hundred times."""
    paper = slip_pdf(slips(1)[0])
    return zipped({f"{number}.pdf": paper for number in range(400)})


def archive_with_a_lying_list() -> bytes:
    """A ZIP whose list of files is cut and filled with noise."""
    data = bytearray(zipped({"a.pdf": words_pdf("words"), "b.pdf": words_pdf("others")}))
    data[-40:-30] = b"\xff" * 10
    return bytes(data)


def office_file_of_entities() -> bytes:
    """A word-processor file whose text doubles itself thirty times."""
    names = "".join(f'<!ENTITY e{n + 1} "&e{n};&e{n};">' for n in range(30))
    xml = f'<!DOCTYPE x [<!ENTITY e0 "words">{names}]><x>&e30;</x>'.encode()
    return zipped({"[Content_Types].xml": xml, "word/document.xml": xml})


def noise_after_a_mark() -> bytes:
    """A PDF by its mark, then a gzip stream."""
    return b"%PDF-1.7\n" + gzip.compress(b"\0" * 10_000_000)


FILES: dict[str, Callable[[], bytes]] = {
    "forms-within-forms.pdf": forms_within_forms,
    "ten-gigabytes.pdf": picture_of_ten_gigabytes,
    "gigabyte-of-lines.pdf": content_of_a_gigabyte,
    "tiles.pdf": pattern_of_a_million_tiles,
    "circle.pdf": pages_within_themselves,
    "deep.pdf": deep_array,
    "kilometre.pdf": page_of_a_kilometre,
    "lie.png": picture_that_lies,
    "large.png": picture_within_the_limit,
    "circle.tiff": tiff_in_a_circle,
    "tags.eml": mail_of_open_tags,
    "deep.eml": mail_of_deep_parts,
    "head.eml": mail_of_a_long_head,
    "zeros.zip": archive_of_zeros,
    "one-paper.zip": archive_of_one_paper,
    "lying-list.zip": archive_with_a_lying_list,
    "entities.docx": office_file_of_entities,
    "noise.pdf": noise_after_a_mark,
}
