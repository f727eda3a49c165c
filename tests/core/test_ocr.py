"""Opening files, trusting text layers, standing pages upright, reading."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from tests import papers

from jugum.core.ocr import CarefulEngine, Engine, Limits, QuickEngine, open_paper, read_page
from jugum.core.ocr.upright import lies_sideways, skew_of, straightened
from jugum.core.page import Box, PageSource, Word
from jugum.errors import UnreadablePaper

TEXT = (
    "Harbour receipt for the spring season",
    "Paid by Oddny Strand of Quay Street",
    "Total amount 1 234,50 crowns",
    "Valid until the end of the year",
)


class NoEngine:
    """Fails the test when a page that has a sound text layer is read by OCR all the same."""

    name = "none"

    def read(self, grey: object) -> list[Word]:
        raise AssertionError("OCR was asked for")

    def upside_down(self, crops: object) -> float:
        raise AssertionError("OCR was asked for")


def png_of(pdf: bytes, turn: int = 0, lean: float = 0.0) -> bytes:
    pixels = open_paper(pdf, "x.pdf").render(0, 200)
    picture = Image.fromarray(pixels).rotate(lean, fillcolor="white").rotate(-turn, expand=True)
    out = io.BytesIO()
    picture.save(out, "PNG", dpi=(200, 200))
    return out.getvalue()


@pytest.mark.parametrize(
    ("data", "said"),
    [
        (b"", "is empty"),
        (b"just some words, no PDF", "no file that pages are read from"),
        (papers.words_pdf("Hello there")[:300], "damaged"),
        (papers.locked_pdf(), "password"),
        (papers.empty_pdf(), "without pages"),
        (b"\x89PNG\r\n\x1a\n" + b"rubbish" * 20, "damaged picture"),
        (b"II*\0" + b"\xff" * 40, "damaged picture"),
    ],
    ids=["empty", "text", "truncated", "locked", "no pages", "bad png", "bad tiff"],
)
def test_what_is_no_paper_is_refused_by_name_with_the_remedy(data: bytes, said: str) -> None:
    with pytest.raises(UnreadablePaper, match=said) as caught:
        open_paper(data, "file.pdf")
    assert "“file.pdf”" in str(caught.value)
    assert any(word in str(caught.value) for word in ("Send", "Save", "Scan"))


def test_a_picture_of_20000_by_20000_pixels_is_refused_before_it_is_decoded() -> None:
    with pytest.raises(UnreadablePaper, match="20,000 × 20,000 pixels"):
        open_paper(papers.huge_png(), "map.png")


def test_a_picture_cut_short_is_refused_when_its_page_is_read() -> None:
    whole = png_of(papers.words_pdf(*TEXT))
    with pytest.raises(UnreadablePaper, match="damaged or cut short"):
        open_paper(whole[: len(whole) // 2], "scan.png").render(0, 200)


def test_limits_of_bytes_and_pages_are_told() -> None:
    with pytest.raises(UnreadablePaper, match="at most"):
        open_paper(papers.words_pdf("a"), "a.pdf", Limits(bytes_max=10))


def test_a_born_digital_page_is_read_from_its_text_layer_with_boxes() -> None:
    read = read_page(open_paper(papers.words_pdf("Three small words"), "a.pdf"), 0, NoEngine())
    assert [word.text for word in read.page.words] == ["Three", "small", "words"]
    assert read.page.source is PageSource.TEXT_LAYER
    assert read.page.words[0].box.x0 == pytest.approx(50 / 420, abs=0.01)
    assert read.page.words[0].box.middle[1] == pytest.approx(1 - 504 / 595, abs=0.01)
    assert Image.open(io.BytesIO(read.view)).size == read.view_size


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_words_of_a_turned_page_stand_where_they_are_seen(turn: int) -> None:
    plain = read_page(open_paper(papers.words_pdf(*TEXT), "a.pdf"), 0, NoEngine()).page
    turned = read_page(open_paper(papers.words_pdf(*TEXT, rotate=turn), "a.pdf"), 0, NoEngine()).page
    assert [word.text for word in turned.words] == [word.text for word in plain.words]
    assert turned.words[5].box == pytest.approx(plain.words[5].box, abs=0.01)


def test_text_hidden_under_a_full_page_picture_is_not_trusted() -> None:
    layer = open_paper(papers.scan_over_hidden_text("Wrong words"), "a.pdf").text_layer(0)
    assert layer is not None
    assert "hidden" in layer.unsound


@pytest.mark.parametrize("lean", [-4.0, -0.7, 0.0, 2.3, 6.0])
def test_the_lean_of_lines_is_found_and_taken_out(lean: float) -> None:
    pixels = np.asarray(Image.open(io.BytesIO(png_of(papers.words_pdf(*TEXT), lean=lean))).convert("L"))
    found = skew_of(pixels)
    assert found == pytest.approx(-lean, abs=0.3)
    assert skew_of(straightened(pixels, found)) == pytest.approx(0, abs=0.3)


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
def test_lines_that_run_downwards_are_noticed(turn: int) -> None:
    pixels = np.asarray(Image.open(io.BytesIO(png_of(papers.words_pdf(*TEXT), turn=turn))).convert("L"))
    assert lies_sideways(pixels) is (turn in (90, 270))


@pytest.fixture(scope="module", params=["careful", "quick"])
def engine(request: pytest.FixtureRequest) -> Engine:
    return CarefulEngine() if request.param == "careful" else QuickEngine()


@pytest.mark.parametrize("turn", [0, 90, 180, 270])
def test_a_scan_is_read_whichever_way_it_lies(engine: Engine, turn: int) -> None:
    scan = png_of(papers.words_pdf(*TEXT), turn=turn, lean=1.2)
    page = read_page(open_paper(scan, "scan.png"), 0, engine).page
    said = " ".join(word.text for word in page.words)
    assert "Paid by Oddny Strand" in said
    assert "1 234,50" in said
    assert page.rotation == (360 - turn) % 360
    assert page.source is PageSource.OCR


def test_boxes_of_read_words_lie_on_their_ink(engine: Engine) -> None:
    pdf = papers.words_pdf(*TEXT)
    truth = {w.text: w.box for w in read_page(open_paper(pdf, "a.pdf"), 0, NoEngine()).page.words}
    words = [
        w for w in read_page(open_paper(png_of(pdf), "a.png"), 0, engine).page.words if w.text not in ("the", "of")
    ]
    assert len(words) > 15
    for word in words:
        assert word.box.middle == pytest.approx(truth[word.text].middle, abs=0.02)


def test_a_blank_scan_is_a_page_without_words(engine: Engine) -> None:
    out = io.BytesIO()
    Image.new("L", (800, 1100), 250).save(out, "JPEG")
    assert read_page(open_paper(out.getvalue(), "blank.jpg"), 0, engine).page.words == ()


def test_every_page_of_a_tiff_is_read_and_odd_modes_are_brought_to_grey() -> None:
    out = io.BytesIO()
    frames = [
        Image.new(mode, (400, 500), white)
        for mode, white in (("1", 1), ("I;16", 65535), ("RGBA", (255, 255, 255, 0)), ("CMYK", 0))
    ]
    frames[0].save(out, "TIFF", save_all=True, append_images=frames[1:])
    paper = open_paper(out.getvalue(), "odd.tif")
    assert paper.page_count == 4
    for index in range(4):
        pixels = paper.render(index, 100)
        assert pixels.shape[2] == 3
        assert pixels.mean() > 200


@pytest.mark.parametrize(("text", "blank", "joined"), [("AB", 2, True), ("AB", 20, False), ("A B", 2, False)])
def test_pieces_are_joined_only_where_text_and_picture_both_have_no_blank(text: str, blank: int, joined: bool) -> None:
    from jugum.core.ocr.engines import _as_in_line

    grey = np.full((40, 200), 255, dtype=np.uint8)
    for stroke in (slice(5, 9), slice(31, 35)):
        grey[stroke, 20:60] = 0
        grey[stroke, 60 + blank : 100 + blank] = 0
    pieces = [Word("A", Box(0.1, 0.1, 0.3, 0.9)), Word("B", Box((60 + blank) / 200, 0.1, (100 + blank) / 200, 0.9))]
    assert len(_as_in_line(grey, pieces, text)) == (1 if joined else 2)
