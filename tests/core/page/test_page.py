"""Words, boxes, rows and segments."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.page import (
    Box,
    Page,
    Word,
    horizontal_overlap,
    laid_out,
    overlap_share,
    pack_words,
    reading_order,
    rows_of,
    segments_of,
    union,
    unpack_words,
)

fractions = st.floats(0, 1, allow_nan=False)
boxes = st.tuples(fractions, fractions, fractions, fractions).map(
    lambda v: Box(min(v[0], v[2]), min(v[1], v[3]), max(v[0], v[2]), max(v[1], v[3]))
)
words = st.builds(
    Word,
    st.text(min_size=1, max_size=12),
    boxes,
    fractions,
    st.booleans(),
    cell=st.integers(-1, 400),
    differs=st.booleans(),
    by_hand=st.booleans(),
)


@given(st.lists(words, max_size=40))
def test_packed_words_come_back_within_a_grid_step_in_reading_order(drawn: list[Word]) -> None:
    some = [replace(word, text=f"{number} {word.text}") for number, word in enumerate(drawn)]
    back = unpack_words(pack_words(some))
    assert back == reading_order(back)
    for word in back:
        other = some[int(word.text.split()[0])]
        kept = ("text", "bold", "cell", "differs", "by_hand")
        assert [getattr(word, name) for name in kept] == [getattr(other, name) for name in kept]
        assert word.box == pytest.approx(other.box, abs=1 / 65535)
        assert word.confidence == pytest.approx(other.confidence, abs=1 / 255)
    assert len(back) == len(some)


@given(st.lists(words, max_size=40))
def test_rows_are_runs_of_the_words_whatever_their_order(some: list[Word]) -> None:
    rows, segments = laid_out(Page(1, 595, 842, tuple(some)))
    assert [index for row in rows for index in row] == list(range(len(some)))
    assert [index for one in segments for index in range(one.first, one.last + 1)] == list(range(len(some)))


def test_words_of_an_unknown_format_are_refused() -> None:
    import zlib

    with pytest.raises(ValueError, match="format 9"):
        unpack_words(zlib.compress(b'{"format": 9, "texts": []}\n'))


@given(boxes, boxes)
def test_overlap_is_symmetric_and_a_share(a: Box, b: Box) -> None:
    assert overlap_share(a, b) == pytest.approx(overlap_share(b, a))
    assert 0 <= overlap_share(a, b) <= 1 + 1e-9
    assert 0 <= horizontal_overlap(a, b) <= 1 + 1e-9


@given(st.lists(boxes, min_size=1, max_size=8))
def test_a_union_holds_all_its_boxes(some: list[Box]) -> None:
    whole = union(some)
    assert all(whole.x0 <= b.x0 and whole.y0 <= b.y0 and whole.x1 >= b.x1 and whole.y1 >= b.y1 for b in some)


def test_a_union_of_nothing_is_an_error() -> None:
    with pytest.raises(ValueError, match="no boxes"):
        union([])


def line(y: float, *places: tuple[float, str]) -> list[Word]:
    return [Word(text, Box(x, y, x + 0.012 * len(text), y + 0.012)) for x, text in places]


def test_rows_go_down_and_to_the_right_even_when_the_line_leans() -> None:
    leaning = [Word(str(n), Box(0.1 * n, 0.1 + 0.0015 * n, 0.1 * n + 0.02, 0.112 + 0.0015 * n)) for n in range(9)]
    below = line(0.16, (0.1, "under"))
    ordered = reading_order([*below, *reversed(leaning)])
    assert [word.text for word in ordered] == [*"012345678", "under"]
    assert len(rows_of(ordered)) == 2


def test_segments_are_cut_at_wide_gaps_only() -> None:
    row = reading_order(line(0.1, (0.1, "Net"), (0.15, "pay"), (0.5, "1"), (0.516, "200,00")))
    segments = segments_of(row, rows_of(row), 0.7)
    assert [segment.text for segment in segments] == ["Net pay", "1 200,00"]
    assert (segments[1].first, segments[1].last) == (2, 3)
