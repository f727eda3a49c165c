"""Opening files, trusting text layers, standing pages upright, reading."""

from __future__ import annotations

import io
import sys
from pathlib import Path

import numpy as np
import pytest
from PIL import Image
from tests import papers

from jugum.core.ocr import CarefulEngine, Engine, How, Limits, QuickEngine, open_paper, read_page, read_region, unlocked
from jugum.core.ocr.upright import lies_sideways, skew_of, straightened
from jugum.core.page import Box, PageSource, Word, WordKind
from jugum.errors import LockedPaper, UnreadablePaper

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


@pytest.fixture(scope="module", params=["careful", "quick"])
def engine(request: pytest.FixtureRequest) -> Engine:
    return CarefulEngine() if request.param == "careful" else QuickEngine()


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
        (b"just some words, no PDF", "not a file that can be read"),
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
    assert any(word in str(caught.value) for word in ("Send", "Save", "Scan", "Give", "send"))


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
    assert Image.open(io.BytesIO(read.peek)).format == "JPEG"


@pytest.mark.parametrize("turn", [90, 180, 270])
def test_words_of_a_turned_page_stand_where_they_are_seen(turn: int) -> None:
    plain = read_page(open_paper(papers.words_pdf(*TEXT), "a.pdf"), 0, NoEngine()).page
    turned = read_page(open_paper(papers.words_pdf(*TEXT, rotate=turn), "a.pdf"), 0, NoEngine()).page
    assert [word.text for word in turned.words] == [word.text for word in plain.words]
    assert turned.words[5].box == pytest.approx(plain.words[5].box, abs=0.01)


def test_text_hidden_under_a_full_page_picture_that_says_otherwise_is_not_trusted(engine: Engine) -> None:
    read = read_page(open_paper(papers.scan_over_hidden_text("Wrong words"), "a.pdf"), 0, engine)
    assert read.page.source is PageSource.OCR
    assert "not used" in read.note
    assert "Wrong" not in [word.text for word in read.page.words]


def test_text_hidden_under_its_own_scan_is_trusted(engine: Engine) -> None:
    read = read_page(open_paper(papers.searchable_scan(*TEXT), "a.pdf"), 0, engine)
    assert read.page.source is PageSource.TEXT_LAYER
    assert "Oddny" in [word.text for word in read.page.words]


def test_words_that_can_t_be_seen_are_left_out() -> None:
    read = read_page(open_paper(papers.words_pdf(*TEXT, white="Secret clause"), "a.pdf"), 0, NoEngine())
    assert "Secret" not in [word.text for word in read.page.words]
    assert "2 hidden words" in read.note


def test_letters_without_meaning_send_the_page_to_the_engine(engine: Engine) -> None:
    layer = open_paper(papers.words_pdf("Xqzt Brtw Kklm Ghjk Pwrt Zxcv Mnbt"), "a.pdf").text_layer(0)
    assert layer is not None
    assert layer.doubt == "words that are none"


def test_a_picture_on_a_page_of_text_is_read_too(engine: Engine) -> None:
    read = read_page(open_paper(papers.mixed_pdf("Printed heading of the page", TEXT), "a.pdf"), 0, engine)
    said = [word.text for word in read.page.words]
    assert read.page.source is PageSource.MIXED
    assert {"Printed", "heading", "Oddny", "Strand"} <= set(said)


def test_values_of_form_fields_are_words_of_their_own_kind() -> None:
    read = read_page(open_paper(papers.form_pdf(), "form.pdf"), 0, NoEngine())
    fields = [word.text for word in read.page.words if word.kind is WordKind.FORM]
    assert fields == ["Oddny", "Strand", "☒", "☐"]


def test_a_separator_s_code_is_read_from_any_side(engine: Engine) -> None:
    from jugum.core.classification import is_separator
    from jugum.core.formats.separator import separator_sheet

    scan = png_of(separator_sheet(), turn=90, lean=2.0)
    assert is_separator(read_page(open_paper(scan, "s.png"), 0, engine).page)
    assert is_separator(read_page(open_paper(separator_sheet(), "s.pdf"), 0, engine).page)


@pytest.mark.parametrize("kind", ["BMP", "WEBP", "AVIF"])
def test_pictures_of_other_kinds_open(kind: str) -> None:
    out = io.BytesIO()
    Image.new("RGB", (300, 400), "white").save(out, kind)
    assert open_paper(out.getvalue(), "x").render(0, 100).mean() > 250


PHONE_PICTURE = Path(__file__).parent / "data/phone.heic"  # 300 × 400 pixels, its upper left quarter black


def test_a_phone_s_picture_opens() -> None:
    pixels = open_paper(PHONE_PICTURE.read_bytes(), "phone.heic").render(0, 100)
    height, width = pixels.shape[:2]
    assert pixels[: height // 3, : width // 3].mean() < 5
    assert pixels[height * 2 // 3 :, width * 2 // 3 :].mean() > 250


def test_without_its_extra_a_heic_picture_is_refused_with_the_remedy(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setitem(sys.modules, "pi_heif", None)
    with pytest.raises(UnreadablePaper, match=r"“phone.heic” is a HEIC picture.*Save it as JPEG.*jugum\[heic\]"):
        open_paper(PHONE_PICTURE.read_bytes(), "phone.heic")


def test_a_turned_photo_is_seen_as_its_camera_meant_it() -> None:
    picture = Image.new("L", (300, 200), 255)
    exif = Image.Exif()
    exif[0x0112] = 6  # to be turned a quarter clockwise
    out = io.BytesIO()
    picture.save(out, "JPEG", exif=exif)
    assert (
        open_paper(out.getvalue(), "p.jpg").render(0, 72).shape[0]
        > open_paper(out.getvalue(), "p.jpg").render(0, 72).shape[1]
    )


def test_a_password_opens_a_locked_paper_and_a_wrong_one_says_so() -> None:
    assert open_paper(unlocked(papers.locked_pdf(), "a.pdf", "u"), "a.pdf").page_count == 1
    with pytest.raises(LockedPaper, match="does not open"):
        unlocked(papers.locked_pdf(), "a.pdf", "wrong")


def test_a_region_is_read_again_at_its_place(engine: Engine) -> None:
    paper = open_paper(png_of(papers.words_pdf(*TEXT)), "a.png")
    page = read_page(paper, 0, engine).page
    amount = next(word for word in page.words if word.text.startswith("234"))
    box = Box(0.05, amount.box.y0 - 0.01, 0.95, amount.box.y1 + 0.01)
    words = read_region(paper, 0, page, box, engine, How(contrast=True))
    again = next(word for word in words if word.text.startswith("234"))
    assert again.box.middle == pytest.approx(amount.box.middle, abs=0.01)


def test_a_fixed_turn_is_heeded(engine: Engine) -> None:
    paper = open_paper(png_of(papers.words_pdf(*TEXT), turn=90), "a.png")
    page = read_page(paper, 0, engine, How(turn=270)).page
    assert page.rotation == 270
    assert "Strand" in [word.text for word in page.words]


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


def test_dotted_leaders_are_cut_out_of_a_line() -> None:
    from jugum.core.ocr.spelled import leaderless

    line = np.full((48, 900), 255, dtype=np.uint8)
    line[10:38, 20:120] = 0
    line[10:38, 700:880] = 0
    for x in range(140, 680, 12):
        line[34:38, x : x + 4] = 0
    assert [start < 60 for start, _ in leaderless(line)] == [True, False]
    assert leaderless(line)[1][0] > 600
    line[10:38, 140:680] = 0
    assert leaderless(line) == [(0, 900)]


@pytest.mark.parametrize(("text", "gap", "words"), [("AB", 3, 1), ("AB", 30, 2), ("A B", 12, 2)])
def test_a_line_is_cut_at_read_blanks_and_at_wide_gaps_in_the_ink(text: str, gap: int, words: int) -> None:
    from jugum.core.ocr.network import Letters, ReadLine
    from jugum.core.ocr.spelled import words_of

    picture = np.full((48, 160), 255, dtype=np.uint8)
    picture[8:40, 20:60] = 0
    picture[8:40, 60 + gap : 100 + gap] = 0
    spans = ((0.2, 0.3), *(((0.37, 0.4),) if " " in text else ()), ((75 + gap) / 160, (85 + gap) / 160))
    line = ReadLine(np.array([[0, 0], [160, 0], [160, 48], [0, 48]], dtype=np.float32), 1.0)
    pen = np.zeros((len(text), 2), dtype=np.float32)
    found = [word for word, _ in words_of(picture, line, picture, Letters(text, (0.9,) * len(text), spans, pen))]
    assert len(found) == words
    assert found[0].box.x0 == pytest.approx(20 / 160, abs=0.01)
    assert found[-1].box.x1 == pytest.approx((100 + gap) / 160, abs=0.02)


def test_a_tick_box_before_a_word_is_no_part_of_it() -> None:
    from jugum.core.ocr.network import Letters, ReadLine
    from jugum.core.ocr.spelled import words_of

    picture = np.full((48, 200), 255, dtype=np.uint8)
    picture[10:38, 5:30] = 0  # the box
    picture[10:38, 60:150] = 0
    line = ReadLine(np.array([[0, 0], [200, 0], [200, 48], [0, 48]], dtype=np.float32), 1.0)
    pen = np.array([[9, 9], [1, 2], [3, 4]], dtype=np.float32)
    letters = Letters("☐ab", (0.9,) * 3, ((0.05, 0.1), (0.4, 0.45), (0.6, 0.65)), pen)
    ((word, marks),) = words_of(picture, line, picture, letters)
    assert word.text == "ab"
    assert marks.tolist() == [2, 3]
    assert word.box.x0 == pytest.approx(0.3, abs=0.02)


def test_two_engines_that_agree_are_surer_and_where_they_differ_less() -> None:
    from jugum.core.ocr.engines import reconcile_words

    here, there = Box(0.1, 0.1, 0.3, 0.12), Box(0.5, 0.1, 0.7, 0.12)
    same, other, alone = reconcile_words(
        [Word("Total", here, 0.8), Word("1 234", there, 0.8), Word("lone", Box(0.1, 0.5, 0.2, 0.52), 0.8)],
        [Word("Total", here, 0.9), Word("1 284", there, 0.9)],
    )
    assert same.confidence == pytest.approx(0.9)
    assert other.confidence == pytest.approx(0.48)
    assert alone.confidence == pytest.approx(0.68)
