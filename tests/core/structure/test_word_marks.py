"""Words that a pen struck out or ringed, on pictures drawn here."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from jugum.core.page import Box, Word
from jugum.core.structure import word_marks

WIDTH, HEIGHT = 1654, 400  # an A4 page's width at 200 dpi
SIZE = 1.0  # of the letters
Y = 200  # baseline


def scanned(grey: np.ndarray) -> np.ndarray:
    """The picture a little blurred, on a grey ground with grain."""
    blurred = cv2.GaussianBlur(grey, (0, 0), 1.1).astype(float)
    grain = np.random.default_rng(3).normal(0, 10, grey.shape)
    return np.clip(0.85 * blurred + 15 + grain, 0, 255).astype(np.uint8)


def set_line(texts: list[str]) -> tuple[np.ndarray, list[Word], list[tuple[int, int, int, int]]]:
    """A picture with words on one line, the words, and their boxes in pixels."""
    grey = np.full((HEIGHT, WIDTH), 255, dtype=np.uint8)
    x, words, places = 100, [], []
    for text in texts:
        (wide, tall), below = cv2.getTextSize(text, cv2.FONT_HERSHEY_COMPLEX, SIZE, 2)
        cv2.putText(grey, text, (x, Y), cv2.FONT_HERSHEY_COMPLEX, SIZE, 0, 2, cv2.LINE_AA)
        places.append((x, Y - tall, x + wide, Y + below // 2))
        x0, y0, x1, y1 = places[-1]
        words.append(Word(text, Box(x0 / WIDTH, y0 / HEIGHT, x1 / WIDTH, y1 / HEIGHT)))
        x += wide + 24
    return grey, words, places


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "scanned"])
@pytest.mark.parametrize("lean", [-2, 0, 3])
def test_a_line_through_a_word_strikes_it_and_no_other(lean: int, scan: bool) -> None:
    grey, words, places = set_line(["single", "/", "married", "/", "widowed"])
    for number in (0, 4):
        x0, y0, x1, y1 = places[number]
        middle = (y0 + y1) // 2 + 3
        cv2.line(grey, (x0 - 6, middle), (x1 + 6, middle + lean), 0, 3, cv2.LINE_AA)
    found = word_marks(scanned(grey) if scan else grey, words)
    assert found.struck == (0, 4)
    assert found.ringed == ()


@pytest.mark.parametrize("scan", [False, True], ids=["clean", "scanned"])
def test_print_by_itself_is_neither_struck_nor_ringed(scan: bool) -> None:
    texts = ["of", "to", "stk", "effect", "title", "zenith", "BEFEHL", "mmm", "1234,50"]
    grey, words, _ = set_line(texts)
    found = word_marks(scanned(grey) if scan else grey, words)
    assert found.struck == ()
    assert found.ringed == ()


def test_a_line_beneath_a_word_is_no_strike() -> None:
    grey, words, places = set_line(["underlined"])
    x0, _, x1, y1 = places[0]
    cv2.line(grey, (x0 - 6, y1 + 2), (x1 + 6, y1 + 2), 0, 3)
    assert word_marks(grey, words).struck == ()


def test_a_rule_through_a_word_that_goes_on_at_both_sides_is_no_strike() -> None:
    grey, words, places = set_line(["ruled"])
    x0, y0, x1, y1 = places[0]
    middle = (y0 + y1) // 2 + 3
    cv2.line(grey, (x0 - 6, middle), (x1 + 6, middle), 0, 3)
    assert word_marks(grey, words).struck == (0,)
    cv2.line(grey, (0, middle), (WIDTH - 20, middle), 0, 3)
    assert word_marks(grey, words).struck == ()


@pytest.mark.parametrize(("number", "wide", "high"), [(1, 10, 14), (0, 14, 6)], ids=["loose", "into the corners"])
def test_a_ring_is_drawn_around_one_of_three_words(number: int, wide: int, high: int) -> None:
    grey, words, places = set_line(["yes", "perhaps", "no"])
    x0, y0, x1, y1 = places[number]
    centre = ((x0 + x1) // 2, (y0 + y1) // 2)
    cv2.ellipse(grey, centre, ((x1 - x0) // 2 + wide, (y1 - y0) // 2 + high), 2, 0, 360, 0, 3, cv2.LINE_AA)
    found = word_marks(grey, words)
    assert found.ringed == (number,)
    assert found.struck == ()


def test_a_ruled_cell_around_a_word_is_no_ring() -> None:
    grey, words, places = set_line(["yes", "perhaps", "no"])
    x0, y0, x1, y1 = places[1]
    cv2.rectangle(grey, (x0 - 8, y0 - 8), (x1 + 8, y1 + 8), 0, 3)
    assert word_marks(grey, words).ringed == ()


def test_a_page_without_words_or_ink_has_no_marks() -> None:
    blank = np.full((HEIGHT, WIDTH), 255, dtype=np.uint8)
    assert word_marks(blank, []).struck == ()
    _, words, _ = set_line(["gone"])
    assert word_marks(blank, words) == word_marks(blank, [])
