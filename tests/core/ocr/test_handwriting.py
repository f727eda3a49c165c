"""What a pen wrote, told from print: on a form filled in with pens that the weights were not fitted on."""

from __future__ import annotations

import random
from pathlib import Path

import numpy as np
import numpy.typing as npt
import pytest
from prior.handwriting import Sheet, scanned

from jugum.core.ocr import CarefulEngine, handwriting
from jugum.core.ocr.handwriting import PenProbe, told_by_hand
from jugum.core.page import Box, Word

PENS = Path(__file__).parents[3] / "node_modules/@fontsource"
PRINT = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
NAMES = ("Surname", "First name", "Street and number", "Place of birth", "Employer", "Bank account")
ENTRIES = ("Lindhagen", "Marta Elvira", "Quay Street 14", "Tromsund", "Harbour Works", "4406 129 553")


@pytest.fixture(scope="module")
def engine() -> CarefulEngine:
    return CarefulEngine()


def filled(path: Path, wear: str, *, pen: bool) -> npt.NDArray[np.uint8]:
    """A form with printed names, each with its entry behind it."""
    sheet = Sheet(random.Random(5), np.random.default_rng(5))
    for number, (name, entry) in enumerate(zip(NAMES, ENTRIES, strict=True)):
        y = 150 + 110 * number
        sheet.put(120, y, name.split(), PRINT, 26, pen=False, dark=0.95)
        sheet.put(560, y, entry.split(), path, 40 if pen else 26, pen=pen, dark=0.8)
    sheet.put(
        120, 900, "Please fill in with a ball pen and sign on the last page".split(), PRINT, 24, pen=False, dark=1
    )
    return scanned(sheet, wear)


def by_pen(words: list[Word]) -> tuple[int, int]:
    """Of the entries and of all other words, how many were told to be by hand."""
    entries = {part for entry in ENTRIES for part in entry.split()}
    behind = [word for word in words if word.box.x0 > 0.3 and word.box.y0 < 0.66]
    assert len(behind) > len(entries) / 2
    return sum(word.by_hand for word in behind), sum(word.by_hand for word in words if word not in behind)


@pytest.mark.parametrize(
    ("font", "wear"), [("nothing-you-could-do", "clean"), ("nothing-you-could-do", "worn"), ("gochi-hand", "worn")]
)
def test_entries_by_a_pen_are_told_from_the_print_around_them(engine: CarefulEngine, font: str, wear: str) -> None:
    words = engine.read(filled(PENS / font / f"files/{font}-latin-400-normal.woff", wear, pen=True))
    entries, print_ = by_pen(words)
    assert entries >= 6
    assert print_ <= 1


@pytest.mark.parametrize("wear", ["worn", "fax"])
def test_entries_by_a_machine_are_none(engine: CarefulEngine, wear: str) -> None:
    assert sum(by_pen(engine.read(filled(PRINT, wear, pen=False)))) == 0


def test_short_words_are_as_the_nearest_longer_one_of_their_line(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(handwriting, "pen_probe", lambda: PenProbe(np.array([[1.0, 0.0]] * 2, dtype=np.float32), -1.0))

    def read(text: str, mark: float) -> tuple[Word, npt.NDArray[np.float32]]:
        return Word(text, Box(0, 0, 1, 1)), np.array([mark, 0], dtype=np.float32)

    lines = [
        [read("Total", 0), read("-", 9), read("14", 0), read("crowns", 9)],
        [read("7", 9)],
        [read("Lindhagen", 9), read(",", 0)],
    ]
    told = told_by_hand(lines)
    assert [(word.text, word.by_hand) for word in told] == [
        ("Total", False),
        ("-", False),
        ("14", True),
        ("crowns", True),
        ("7", False),
        ("Lindhagen", True),
        (",", True),
    ]
    assert told_by_hand([]) == []


def test_a_word_is_told_by_itself_and_by_what_is_usual_on_its_page() -> None:
    probe = PenProbe(np.array([[1.0, 0.0], [0.0, 2.0]], dtype=np.float32), -1.0)
    marks = probe.marks(np.array([[0, 1], [0, 1], [3, 4]], dtype=np.float32))
    assert marks.tolist() == [[0, 2], [0, 2], [3, 8]]
    assert probe.scores(marks).tolist() == [-1, -1, 8]
    assert probe.scores(marks[2:]).tolist() == [2]  # alone on its page, it is as usual there
    assert probe.scores(np.zeros((0, 2), dtype=np.float32)).tolist() == []


def test_beside_four_words_that_a_pen_surely_wrote_others_need_less() -> None:
    probe = PenProbe(np.zeros((1, 2), dtype=np.float32), 0.0, 2.0)
    assert probe.told(np.array([1, 1, 1, -1, -3], dtype=np.float32)).tolist() == [True, True, True, False, False]
    assert probe.told(np.array([1, 1, 1, 1, -1, -3], dtype=np.float32)).tolist() == [True] * 5 + [False]
