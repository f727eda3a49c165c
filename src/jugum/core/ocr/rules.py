"""Ruling lines of a page and the cells they enclose."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr.upright import ink_mask
from jugum.core.page import Box, Word

Grey = npt.NDArray[np.uint8]
RULE_LEAST = 0.018  # of the page's longer side: shorter strokes are letters
RULE_THICK = 0.006  # of the page's longer side; thicker strokes are bars and photographs
CELL_LEAST_PX = 9  # smaller ones are gaps in a double line
COMB_PT, COMB_SHAPE = 30.0, 1.6  # a cell narrower than this (points; times its height) is for one letter
WORK_SIDE = 1700  # pixels


@dataclass(frozen=True, slots=True)
class Rule:
    """A ruling line; `level` tells a horizontal one from an upright one."""

    box: Box
    level: bool


@dataclass(frozen=True)
class Ruling:
    """The lines of a page and the rectangles they enclose, cells from top to bottom and left to right."""

    rules: tuple[Rule, ...]
    cells: tuple[Box, ...]


def ruling_of(grey: Grey, side: int = WORK_SIDE) -> Ruling:
    """Ruling lines and cells of an upright H×W picture, looked for at `side` pixels of its longer side at most; boxes
    in fractions of it.

    Lines are what survives opening the ink with long thin bars; cells are the paper between them, closed on all
    sides (connected components of what is not line).
    """
    scale = min(1.0, side / max(grey.shape))
    small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 1 else grey
    small = np.asarray(small, dtype=np.uint8)
    mask = ink_mask(small)
    length = max(18, round(RULE_LEAST * max(small.shape)))
    level = _long_strokes(mask, length, level=True)
    upright = _long_strokes(mask, length, level=False)
    rules = [Rule(box, True) for box in _boxes(level)] + [Rule(box, False) for box in _boxes(upright)]
    return Ruling(tuple(rules), tuple(_cells(level, upright)))


def _long_strokes(mask: Grey, length: int, *, level: bool) -> Grey:
    """Ink in strokes of at least `length`; small breaks are closed first, thick blots are no lines."""

    def along(size: int) -> Grey:
        return np.ones((1, size) if level else (size, 1), np.uint8)

    def across(size: int) -> Grey:
        return np.ones((size, 1) if level else (1, size), np.uint8)

    joined = cv2.morphologyEx(cv2.dilate(mask, across(2)), cv2.MORPH_CLOSE, along(5))
    strokes = cv2.morphologyEx(joined, cv2.MORPH_OPEN, along(length))
    thick = cv2.morphologyEx(joined, cv2.MORPH_OPEN, across(max(7, round(RULE_THICK * max(mask.shape)))))
    strokes = cv2.subtract(strokes, cv2.morphologyEx(thick, cv2.MORPH_OPEN, along(7)))
    return np.asarray(cv2.morphologyEx(strokes, cv2.MORPH_OPEN, along(length // 2)), dtype=np.uint8)


def _boxes(strokes: Grey) -> list[Box]:
    height, width = strokes.shape
    _, _, stats, _ = cv2.connectedComponentsWithStats(strokes)
    return [
        Box(x / width, y / height, (x + w) / width, (y + h) / height)
        for x, y, w, h, _ in sorted(stats[1:].tolist(), key=lambda one: (one[1], one[0]))
    ]


def _cells(level: Grey, upright: Grey) -> list[Box]:
    """Closed areas between lines: components of the background that do not reach the page's edge."""
    height, width = level.shape
    walls = cv2.bitwise_or(cv2.dilate(level, np.ones((3, 7), np.uint8)), cv2.dilate(upright, np.ones((7, 3), np.uint8)))
    if not walls.any():
        return []
    count, _, stats, _ = cv2.connectedComponentsWithStats(cv2.bitwise_not(walls), connectivity=4)
    cells = []
    for x, y, w, h, area in stats[1:count].tolist():
        touches = x <= 1 or y <= 1 or x + w >= width - 1 or y + h >= height - 1
        if touches or min(w, h) < CELL_LEAST_PX or area < 0.75 * w * h or w * h > 0.5 * width * height:
            continue
        cells.append(Box(x / width, y / height, (x + w) / width, (y + h) / height))
    return cells_of(cells)


def cells_of(boxes: Sequence[Box]) -> list[Box]:
    """Boxes row by row, from top to bottom and left to right."""
    return [box for row in rows_of_boxes(boxes) for box in row]


def in_cells(words: Sequence[Word], cells: Sequence[Box], size_pt: tuple[float, float]) -> list[Word]:
    """Words with the number of the ruled cell that holds their middle. Small square cells don't count: they are
    boxes for one letter each, or to be ticked; `size_pt` is the page's width and height."""
    wide, high = size_pt
    kept = [
        (number, cell)
        for number, cell in enumerate(cells)
        if cell.width * wide > COMB_PT or cell.width * wide > COMB_SHAPE * cell.height * high
    ]
    if not kept:
        return list(words)
    return [
        replace(word, cell=next((number for number, cell in kept if cell.contains(*word.box.middle)), -1))
        for word in words
    ]


def in_cells_as(words: Sequence[Word], known: Sequence[Word]) -> list[Word]:
    """Words of a page read anew, each in the cell of the word that was known nearest to it; nothing changes where no
    word stands in a cell."""
    if not any(word.cell >= 0 for word in known):
        return list(words)

    def off(one: Word, other: Word) -> float:
        (x, y), (a, b) = one.box.middle, other.box.middle
        return (x - a) ** 2 + (y - b) ** 2

    return [replace(word, cell=min(known, key=lambda other: off(word, other)).cell) for word in words]


def rows_of_boxes(boxes: Sequence[Box]) -> list[list[Box]]:
    """Rows of boxes: those whose middles stand within 0.4 of the smaller height are one row."""
    rows: list[list[Box]] = []
    for box in sorted(boxes, key=lambda one: (one.middle[1], one.x0)):
        if rows and abs(rows[-1][0].middle[1] - box.middle[1]) < 0.4 * min(rows[-1][0].height, box.height):
            rows[-1].append(box)
        else:
            rows.append([box])
    return [sorted(row) for row in rows]
