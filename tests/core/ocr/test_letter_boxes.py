"""Letters in ruled boxes on pictures: read as words, however the boxes came through the scanner; tables and tick boxes
are left alone."""

from __future__ import annotations

import io
from functools import cache

import cv2
import numpy as np
import pytest
from reportlab.pdfgen.canvas import Canvas
from tests import papers

from jugum.core.ocr import CarefulEngine, How, open_paper, read_page
from jugum.core.ocr.letter_boxes import letter_rows, with_letter_boxes
from jugum.core.ocr.rules import ruling_of
from jugum.core.page import Box, Word, rows_of

SIZE = (595.0, 300.0)  # points
TEXTS = ["-2213.83", "MIRA TOLLUND", "03.11.1984", "61486299195", "9618.20"]
BOX, HIGH = 15.0, 17.0


def form(
    rows: list[str], *, box: float = BOX, apart: float = 34.0, font: str = "Courier", spare: int = 3
) -> np.ndarray:
    """A drawn page at 200 dpi: a row of boxes for each text, one letter a box, `spare` empty ones behind."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=SIZE, invariant=True)
    canvas.setLineWidth(0.7)
    for number, text in enumerate(rows):
        y = SIZE[1] - 60 - number * apart
        canvas.setFont("Helvetica", 8)
        canvas.drawString(40, y + HIGH + 4, f"Line {number + 1}")
        canvas.setFont(font, 11)
        for place in range(len(text) + spare):
            canvas.rect(40 + place * BOX, y, BOX, HIGH)
            if place < len(text):
                canvas.drawCentredString(40 + (place + 0.5) * BOX, y + 5, text[place])
    canvas.save()
    return np.array(papers.drawn(buffer.getvalue()), dtype=np.uint8)


def badly_scanned(grey: np.ndarray) -> np.ndarray:
    """Grey paper with grain and shade, a blur, and some walls that did not come through."""
    rng = np.random.default_rng(5)
    broken = grey.copy()
    height, width = grey.shape
    for _ in range(60):
        x, y = int(rng.integers(0, width - 8)), int(rng.integers(0, height - 5))
        broken[y : y + 5, x : x + 8] = 255
    blurred = cv2.GaussianBlur(broken, (0, 0), 1.3).astype(float)
    shade = np.linspace(0.55, 0.8, width)[None, :]
    return np.clip(blurred * shade + 25 + rng.normal(0, 9, grey.shape), 0, 255).astype(np.uint8)


@cache
def engine() -> CarefulEngine:
    return CarefulEngine()


def lines_of(grey: np.ndarray) -> list[str]:
    encoded = cv2.imencode(".png", grey)[1].tobytes()
    words = read_page(open_paper(encoded, "form.png"), 0, engine(), How(turn=0, dpi=200)).page.words
    return [" ".join(words[place].text for place in row) for row in rows_of(words)]


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "bad scan"])
@pytest.mark.parametrize("font", ["Courier", "Helvetica-Bold"])
def test_letters_in_boxes_are_read_as_words(font: str, scan: bool) -> None:
    grey = form(TEXTS, font=font)
    said = lines_of(badly_scanned(grey) if scan else grey)
    assert [line for line in said if not line.startswith("Line")] == TEXTS


def test_a_word_stands_where_its_letters_stand() -> None:
    grey = form(["-2213.83"])
    cells = ruling_of(grey).cells
    (word,) = [word for word in with_letter_boxes(grey, [], cells, SIZE, engine()) if word.text == "-2213.83"]
    first, last = word.box.x0 * SIZE[0], word.box.x1 * SIZE[0]
    assert 40 < first < 40 + BOX
    assert 40 + 7 * BOX < last < 40 + 8 * BOX


def test_boxes_that_the_scanner_lost_are_there_by_their_walls() -> None:
    grey = form(["61486299195"])
    found = ruling_of(grey).cells
    (row,) = letter_rows(grey, found, SIZE)
    assert len(row) == 14
    few = [cell for cell in found if cell in row[3:5]]
    (walked,) = letter_rows(grey, few, SIZE)
    assert len(walked) == 14
    assert walked[0].x0 == pytest.approx(row[0].x0, abs=0.003)
    assert walked[-1].x1 == pytest.approx(row[-1].x1, abs=0.003)


def test_in_a_picture_too_coarse_for_letters_no_wall_is_looked_for() -> None:
    coarse = np.full((40, 30), 250, dtype=np.uint8)
    cells = [Box(0.1 + 0.012 * n, 0.5, 0.111 + 0.012 * n, 0.508) for n in range(8)]
    assert letter_rows(coarse, cells, (595.0, 842.0)) == [tuple(cells)]


def test_a_grid_of_small_cells_is_a_table() -> None:
    """Cells wall by wall below one another: "3", "1", "4" are three values."""
    grey = form(["314159", "271828", "161803"], apart=HIGH)
    assert letter_rows(grey, ruling_of(grey).cells, SIZE) == []


def test_cells_with_several_letters_are_no_letter_boxes() -> None:
    grey = form([""], spare=6)
    cells = ruling_of(grey).cells
    (row,) = letter_rows(grey, cells, SIZE)
    words = [Word("12", Box(box.x0 + 0.2 * box.width, box.y0, box.x0 + 0.8 * box.width, box.y1)) for box in row]
    for box in row:
        x, y = round((box.x0 + 0.2 * box.width) * grey.shape[1]), round((box.y1 - 0.2 * box.height) * grey.shape[0])
        cv2.putText(grey, "12", (x, y), cv2.FONT_HERSHEY_SIMPLEX, 0.8, 0, 2)
    assert with_letter_boxes(grey, words, cells, SIZE, engine()) == words


class Mistaken:
    """An engine that reads one letter too few."""

    name = "mistaken"

    def read(self, grey: object) -> list[Word]:
        return [Word("4711", Box(0.1, 0.4, 0.9, 0.6))]

    def upside_down(self, crops: object) -> float:
        return 0.0


def test_a_reading_with_another_number_of_letters_is_not_taken() -> None:
    grey = form(["47110"])
    cells = ruling_of(grey).cells
    (row,) = letter_rows(grey, cells, SIZE)
    known = [Word(letter, box) for letter, box in zip("47110", row, strict=False)]
    assert with_letter_boxes(grey, known, cells, SIZE, Mistaken()) == known


def test_a_page_without_letter_boxes_asks_no_engine() -> None:
    class Never(Mistaken):
        def read(self, grey: object) -> list[Word]:
            raise AssertionError("read again")

    grey = np.asarray(papers.drawn(papers.words_pdf("Nothing in boxes")), dtype=np.uint8)
    words = [Word("Nothing", Box(0.1, 0.1, 0.2, 0.12))]
    assert with_letter_boxes(grey, words, ruling_of(grey).cells, (420, 595), Never()) == words
