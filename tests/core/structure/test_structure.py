"""What a page holds beyond its words: blocks, rules, pairs, tables, marks, zones; in many spellings and damaged."""

from __future__ import annotations

import random
from collections.abc import Sequence
from datetime import date

import cv2
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from reportlab.lib.pagesizes import A4

from jugum.core.ocr import QuickEngine, open_paper, read_page, upright_picture
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.structure import (
    Rule,
    Structure,
    blocks_of,
    pairs_of,
    repaired_zone,
    structure_of,
    tables_of,
    text_in_order,
)
from jugum.core.structure.marks import _ruled_length, pens, tick_boxes
from jugum.core.structure.zones import check_value
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.scans import worn
from jugum.demo.sheet import Sheet
from jugum.demo.zonetext import Holder, card_zone, passport_zone, sheet_zone


def lines(*texts: str, x: float = 0.1, y: float = 0.1, step: float = 0.02) -> list[Word]:
    """Words of lines of text, one below the other."""
    words = []
    for row, text in enumerate(texts):
        at = x
        for part in text.split(" "):
            if part:
                words.append(Word(part, Box(at, y + row * step, at + 0.011 * len(part), y + row * step + 0.012)))
            at += 0.011 * (len(part) + 1)
    return words


def structure(pdf: bytes, index: int = 0) -> tuple[Page, Structure]:
    paper = open_paper(pdf, "paper.pdf")
    page = read_page(paper, index, QuickEngine()).page
    return page, structure_of(page, upright_picture(paper, index, page, 200, grey=True))


# ---- Blocks and text -------------------------------------------------------------------------------------------------


def test_two_columns_of_prose_are_read_one_after_the_other() -> None:
    left = lines("the left column has", "four lines of words", "that go on and on", "until they end here", x=0.05)
    right = lines("and the right one", "comes after all that", "with lines of its own", "and an end as well", x=0.55)
    text = text_in_order(reading_order([*left, *right]))
    assert text.index("until they end here") < text.index("and the right one")


def test_labels_and_values_side_by_side_are_no_columns() -> None:
    words = reading_order([*lines("Name", "Born", "Number"), *lines("Oda", "1980", "77", x=0.5)])
    assert text_in_order(words).split("\n")[0] == "Name Oda"


def test_wide_gaps_between_lines_part_blocks_and_none_is_lost() -> None:
    words = lines("one two three", "four five six", "seven eight nine", "ten eleven twelve") + lines("apart", y=0.5)
    blocks = blocks_of(words)
    assert len(blocks) == 2
    assert sorted(index for block in blocks for index in block.words) == list(range(len(words)))
    assert blocks_of([]) == []


# ---- Pairs and tables ------------------------------------------------------------------------------------------------


def test_values_are_found_right_of_below_and_after_a_colon() -> None:
    words = reading_order(
        [
            *lines("Invoice number"),
            *lines("4711", x=0.5),
            *lines("Due on: 12.05.2026", y=0.2),
            *lines("Total", y=0.3),
            *lines("12,50", y=0.318),
        ]
    )
    found = {pair.label: pair.value for pair in pairs_of(words)}
    assert found == {"Invoice number": "4711", "Due on": "12.05.2026", "Total": "12,50"}


def test_rows_that_line_up_with_numbers_are_a_table_and_prose_is_none() -> None:
    rows = ["Plank      4     12,50", "Hinge      12     3,00", "Putty      1     8,75", "Nails      40     0,10"]
    words = reading_order(
        [word for n, row in enumerate(rows) for word in lines(row.replace("      ", " " * 14), y=0.1 + 0.02 * n)]
    )
    (table,) = tables_of(words, [])
    assert (table.rows, table.columns, table.ruled) == (4, 3, False)
    assert table.grid()[0] == ["Plank", "4", "12,50"]
    assert (
        tables_of(lines("all of this is prose that goes on", "and on without any table in it", "to the end"), []) == []
    )


def test_a_ruled_table_gives_its_cells_also_empty_ones() -> None:
    paper = tax_assessment(0, random.Random(3))
    _, found = structure(paper.pdf)
    (table,) = [table for table in found.tables if table.ruled]
    assert table.grid() == paper.pages[0].tables[0]


# ---- Marks -----------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize("layout", [0, 1, 2])
@pytest.mark.parametrize("damaged", [False, True])
def test_tick_boxes_and_their_state_are_found_on_forms(layout: int, damaged: bool) -> None:
    paper = tax_assessment(layout, random.Random(layout))
    opened = open_paper(paper.pdf, "form.pdf")
    page = read_page(opened, 0, QuickEngine()).page
    grey = upright_picture(opened, 0, page, 200)
    if damaged:
        grey = worn(np.ascontiguousarray(grey), np.random.default_rng(4), 0.25, lean=False)
    found = structure_of(page, np.ascontiguousarray(grey[:, :, 1])).ticks
    assert [tick.ticked for tick in found] == [state for _, state in paper.pages[0].ticks]


def boxes(*ticks: tuple[int, list[tuple[int, int]]], side: int = 27) -> np.ndarray:
    """An A4 page at 200 dpi with square boxes at some x, each with a pen's thick line from corner to corner of it, in
    sides from its upper left one."""
    grey = np.full((2339, 1654), 255, dtype=np.uint8)
    for x, stroke in ticks:
        cv2.rectangle(grey, (x, 900), (x + side, 900 + side), 60, 2, cv2.LINE_AA)
        points = np.array([[x + side * across / 10, 900 + side * down / 10] for across, down in stroke])
        cv2.polylines(grey, [points.round().astype(np.int32)], False, 20, 5, cv2.LINE_AA)
    return grey


@pytest.mark.parametrize(
    "stroke",
    [
        [(1, 5), (4, 9), (8, 1), (12, -5)],  # through the upper right corner and out of it
        [(1, 3), (4, 9), (11, -3)],
        [(-3, -3), (13, 13)],  # from corner to corner
        [(2, 8), (9, 1)],
    ],
)
def test_a_heavy_tick_through_a_corner_does_not_hide_its_box(stroke: list[tuple[int, int]]) -> None:
    found = tick_boxes(boxes((300, []), (500, stroke)), 595.0)
    assert [(round(tick.box.x0 * 1654, -1), tick.ticked) for tick in found] == [(300, False), (500, True)]


def test_a_box_that_was_read_as_one_with_the_word_beside_it_is_still_a_box() -> None:
    grey = boxes((300, [(1, 5), (4, 9), (12, -5)]))
    at = Box(298 / 1654, 895 / 2339, 410 / 1654, 930 / 2339)
    others = [Word("lines", Box(0.1, 0.01 * n, 0.15, 0.01 * n + 0.009)) for n in range(1, 9)]
    assert len(tick_boxes(grey, 595.0, [Word("whatever", at), *others])) == 1
    wide = Word("HARBOUR", Box(298 / 1654, 895 / 2339, 515 / 1654, 930 / 2339))  # its letters are as wide as the box
    assert tick_boxes(grey, 595.0, [wide, *others]) == []
    inside = Word("or whatever", Box(200 / 1654, 895 / 2339, 410 / 1654, 930 / 2339))  # not at its edge
    assert tick_boxes(grey, 595.0, [inside, *others]) == []


def test_letters_and_digits_are_no_tick_boxes() -> None:
    sheet = Sheet(A4)
    for row in range(20):
        sheet.text(60, 80 + 20 * row, "DODO BOD 80 00 IOU QOD HUB MIN 08", 12, bold=row % 2 == 0)
    assert structure(sheet.done())[1].ticks == ()


def test_a_fat_capital_by_itself_in_a_file_s_own_text_is_no_tick_box() -> None:
    sheet = Sheet(A4)
    for row, letter in enumerate("BDMQW"):
        for column, size in enumerate((10, 12, 14, 18)):
            sheet.text(60 + 80 * column, 80 + 40 * row, letter, size, bold=True)
    assert structure(sheet.done())[1].ticks == ()


def test_signatures_are_found_where_they_stand_and_print_is_none() -> None:
    paper = contract(1, random.Random(5))
    last = len(paper.pages) - 1
    _, found = structure(paper.pdf, last)
    assert len(found.signatures) == len(paper.pages[last].signatures) == 2
    for box in found.signatures:
        assert any(true.contains(*box.middle) for true in paper.pages[last].signatures)
    assert structure(paper.pdf, 0)[1].signatures == ()


def drawn_on(kind: str) -> np.ndarray:
    """An A4 page at 200 dpi with a line of print, and a stroke: a pen's low wave, its single swing, a rim, a straight
    line, or the pale waves of a patterned ground."""
    grey = np.full((2339, 1654), 255, dtype=np.uint8)
    cv2.putText(grey, "Given under my hand at the quay", (200, 400), cv2.FONT_HERSHEY_SIMPLEX, 1.2, 20, 3)
    x = np.arange(0, 300)
    wave = np.stack([400 + x, 1500 + 26 * np.sin(x / 16) * np.exp(-x / 400)], axis=1).round().astype(np.int32)
    if kind == "pen":
        cv2.polylines(grey, [wave], False, 40, 4, cv2.LINE_AA)
    elif kind == "swing":
        swing = np.stack([400 + x, 1520 - 60 * np.sin(x / 100)], axis=1).round().astype(np.int32)
        cv2.polylines(grey, [swing], False, 40, 4, cv2.LINE_AA)
    elif kind == "rim":
        cv2.ellipse(grey, (550, 1500), (170, 40), 0, 0, 360, 60, 3, cv2.LINE_AA)
    elif kind == "line":
        cv2.line(grey, (400, 1500), (720, 1530), 40, 4, cv2.LINE_AA)
    else:
        for row in range(4):
            cv2.polylines(grey, [wave + np.array([0, 20 * row], dtype=np.int32)], False, 215, 3, cv2.LINE_AA)
    return grey


@pytest.mark.parametrize(("kind", "count"), [("pen", 1), ("rim", 0), ("line", 0), ("ground", 0)])
def test_a_low_wave_is_a_signature_but_neither_rims_nor_lines_nor_patterned_grounds(kind: str, count: int) -> None:
    found = pens(drawn_on(kind), 595.0, [], []).signatures
    assert len(found) == count + kept_print(found)
    if count:
        assert any(box.contains(0.33, 1500 / 2339) for box in found)


@pytest.mark.parametrize(("kind", "count"), [("swing", 1), ("pen", 0), ("rim", 0), ("line", 0), ("ground", 0)])
def test_a_single_swing_of_a_pen_is_a_stroke_and_may_be_a_signature_where_one_is_expected(
    kind: str, count: int
) -> None:
    found = pens(drawn_on(kind), 595.0, [], [])
    strokes = [box for box in found.strokes if box.y0 > 0.5]
    assert len(strokes) == count
    if kind == "swing":
        assert not any(box.y0 > 0.5 for box in found.signatures)
        assert strokes[0].contains(0.33, 1490 / 2339)


def kept_print(found: Sequence[Box]) -> int:
    """The line of print, which no word explains here, may be taken for a pen's."""
    return sum(box.y1 < 0.25 for box in found)


# ---- Zones -----------------------------------------------------------------------------------------------------------

HOLDER = Holder("Lindfoss", "Merith Oda", date(1980, 5, 17), "F", "AB12CD34E", date(2031, 2, 3))


def test_the_check_digit_of_the_standard_s_example() -> None:
    assert check_value("520727") == 3
    assert check_value("AB2134<<<") == 5


@pytest.mark.parametrize(("write", "kind"), [(card_zone, "TD1"), (sheet_zone, "TD2"), (passport_zone, "TD3")])
def test_zones_are_parted_into_their_fields(write: object, kind: str) -> None:
    zone = repaired_zone(write(HOLDER))  # type: ignore[operator]
    assert zone is not None
    assert (zone.kind, zone.whole, zone.repaired) == (kind, True, 0)
    parts = zone.parts()
    assert (parts["surname"], parts["given names"], parts["number"]) == ("LINDFOSS", "MERITH ODA", "AB12CD34E")
    assert (parts["born"], parts["sex"], parts["expires"], parts["nationality"]) == ("800517", "F", "310203", "UTO")


@given(st.sampled_from(["0O", "1I", "5S", "8B", "2Z"]), st.sampled_from([13, 15, 18, 21, 24]))
def test_letters_in_fields_of_digits_are_set_right(swap: str, place: int) -> None:
    first, second = passport_zone(HOLDER)
    spoiled = second[:place] + second[place].replace(swap[0], swap[1]) + second[place + 1 :]
    zone = repaired_zone((first, spoiled))
    assert zone is not None
    assert zone.lines == (first, second)


def test_a_misread_number_is_mended_by_its_check_digit_and_fillers_are_stretched() -> None:
    first, second = passport_zone(HOLDER)
    zone = repaired_zone((first[:-3], second.replace("AB12CD34E", "AB12CO34E")))
    assert zone is not None
    assert zone.lines == (first, second)
    assert zone.repaired == 1


def test_what_is_no_zone_is_none() -> None:
    assert repaired_zone(("A LINE OF PRINT", "AND ANOTHER ONE")) is None
    assert repaired_zone(()) is None


@pytest.mark.parametrize("layout", [0, 1])
def test_zones_are_found_on_identity_papers(layout: int) -> None:
    paper = identity_paper(layout, random.Random(layout))
    _, found = structure(paper.pdf)
    assert [zone.lines for zone in found.zones] == paper.pages[0].zones
    assert found.zones[0].whole


def test_an_empty_page_has_no_layers() -> None:
    blank = structure_of(Page(1, 595, 842, ()), np.full((1100, 800), 250, dtype=np.uint8))
    assert not any((blank.blocks, blank.pairs, blank.tables, blank.ticks, blank.signatures, blank.zones, blank.codes))


def test_a_pen_is_whole_though_a_table_is_ruled_at_its_height_and_waves_run_through_it() -> None:
    grey = drawn_on("pen")
    whole = pens(grey, 595.0, [], []).signatures
    pale = drawn_on("ground")
    both = np.minimum(grey, pale)
    level = 1500 / 2339
    ruled = Rule(Box(0.6, level - 0.0005, 0.95, level + 0.0005), True)
    piece = Rule(Box(0.26, level - 0.0005, 0.3, level + 0.0005), True)  # a straight piece of the pen's own way
    cv2.line(both, (round(0.6 * 1654), 1500), (round(0.95 * 1654), 1500), 0, 2)
    found = pens(both, 595.0, [], [ruled, piece]).signatures
    mine = [box for box in found if box.middle[1] > 0.5]
    assert len(mine) == 1
    (alone,) = [box for box in whole if box.middle[1] > 0.5]
    assert mine[0].x0 == pytest.approx(alone.x0, abs=0.01)
    assert mine[0].x1 == pytest.approx(alone.x1, abs=0.01)


def test_a_rule_in_dashes_is_wiped_out_as_one() -> None:
    dashes = [Rule(Box(x, 0.5, x + 0.02, 0.501), True) for x in np.arange(0.2, 0.5, 0.03)]
    alone = Rule(Box(0.8, 0.5, 0.85, 0.501), True)
    assert _ruled_length(dashes[3], [*dashes, alone]) == pytest.approx(0.29, abs=0.011)
    assert _ruled_length(alone, [*dashes, alone]) == pytest.approx(0.05)
