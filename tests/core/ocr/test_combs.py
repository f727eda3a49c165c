"""Letters one a box: put together to words, and nothing else is."""

from __future__ import annotations

import random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.ocr.combs import without_combs
from jugum.core.page import Box, Word

SIZE = (595.0, 842.0)
HIGH = 12 / SIZE[1]


def letters(text: str, x: float = 60, y: float = 300, pitch: float = 15, seed: int | None = None) -> list[Word]:
    """One letter a box of `pitch` points, blanks as empty boxes; with a seed, each a little off its middle."""
    rng = random.Random(seed)
    made = []
    for place, letter in enumerate(text):
        if letter == " ":
            continue
        wide = 3 if letter in "1I.,-" else 7
        middle = x + place * pitch + (rng.uniform(-0.12, 0.12) * pitch if seed is not None else 0)
        box = Box((middle - wide / 2) / SIZE[0], y / SIZE[1], (middle + wide / 2) / SIZE[0], y / SIZE[1] + HIGH)
        made.append(Word(letter, box))
    return made


def texts(words: list[Word]) -> list[str]:
    return [word.text for word in without_combs(words, SIZE)]


@pytest.mark.parametrize("seed", [None, 1, 2, 3])
@pytest.mark.parametrize("text", ["4711", "61486299195", "MIRA TOLLUND", "03.11.1984", "1.111,10-", "X1 22 B"])
def test_letters_in_boxes_are_words_and_an_empty_box_parts_them(text: str, seed: int | None) -> None:
    assert texts(letters(text, seed=seed)) == text.split()


@given(st.text("ABC0123456789", min_size=4, max_size=20), st.floats(8, 16), st.integers(0, 1000))
def test_any_text_in_boxes_comes_back(text: str, pitch: float, seed: int) -> None:
    joined = without_combs(letters(text, pitch=pitch, seed=seed), SIZE)
    assert "".join(word.text for word in joined) == text
    assert len(joined) == 1


def test_what_stands_before_and_behind_is_left_alone() -> None:
    before = Word("Number", Box(0.02, 300 / SIZE[1], 0.08, 300 / SIZE[1] + HIGH))
    behind = Word("as issued", Box(0.4, 300 / SIZE[1], 0.5, 300 / SIZE[1] + HIGH))
    assert texts([before, *letters("471109"), behind]) == ["Number", "471109", "as issued"]


def test_letters_that_were_read_together_belong_to_the_word() -> None:
    made = letters("MIRATO")
    pair = Word("RA", Box(made[2].box.x0, made[2].box.y0, made[3].box.x1, made[3].box.y1))
    assert texts([*made[:2], pair, *made[4:]]) == ["MIRATO"]


def test_a_word_of_a_line_keeps_its_place_and_the_surest_doubt() -> None:
    made = letters("4711")
    made[2] = Word("1", made[2].box, confidence=0.4, cell=9, differs=True)
    (word,) = without_combs(made, SIZE)
    assert (word.confidence, word.differs, word.cell) == (0.4, True, -1)
    assert word.box == Box(made[0].box.x0, made[0].box.y0, made[-1].box.x1, made[-1].box.y1)


@pytest.mark.parametrize(
    "words",
    [
        letters("123"),  # three letters are as often columns
        letters("1234", pitch=60),  # columns of a table
        letters("a b c d", pitch=40),
        [*letters("12", x=60), *letters("34", x=300)],
        [word for row in range(6) for word in letters("7", y=100 + 14 * row)],  # one below another
    ],
)
def test_single_letters_that_are_no_boxes_stay_what_they_are(words: list[Word]) -> None:
    assert without_combs(words, SIZE) == words


def test_no_words() -> None:
    assert without_combs([], SIZE) == []


def tight(words: list[Word], share: float) -> list[Word]:
    """Words with boxes as close around the letters as engines draw them on scans."""
    return [Word(one.text, one.box._replace(y1=one.box.y0 + share * HIGH)) for one in words]


@pytest.mark.parametrize("share", [0.5, 0.58])
def test_letters_that_stand_evenly_in_wide_boxes_are_words(share: float) -> None:
    assert texts(tight(letters("70652 29 09 1982"), share)) == ["70652", "29", "09", "1982"]


def test_wide_boxes_are_told_from_columns_by_how_even_they_are() -> None:
    even = tight(letters("70652 29 09 1982"), 0.5)
    uneven = [
        Word(one.text, one.box._replace(x0=one.box.x0 + shift, x1=one.box.x1 + shift))
        for one, shift in zip(even, [0.002, 0.0] * 8, strict=False)
    ]
    assert texts(uneven) == [word.text for word in uneven]
    assert texts(tight(letters("4711"), 0.5)) == list("4711")  # too few to be sure


def test_columns_of_single_digits_stand_further_apart_than_boxes() -> None:
    assert texts(tight(letters("123456", pitch=24), 0.6)) == list("123456")
