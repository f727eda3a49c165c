"""Rows of ruled boxes for one letter each, on pictures: the letters are taken out of their boxes, set side by side as
print is, and read again as words. Among walls the engines take letters for walls, and lose minus signs and points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import median

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr.engines import Engine
from jugum.core.ocr.rules import rows_of_boxes, ruling_of
from jugum.core.ocr.upright import ink_mask
from jugum.core.page import Box, Word, WordKind, union

Grey = npt.NDArray[np.uint8]
BOX_PT, BOX_LEAST_PT = 32.0, 6.0  # of a box's sides: larger ones hold words, smaller ones are dots of a pattern
SHAPE = (0.4, 1.8)  # width of a box in its heights
ROW_LEAST = 4  # boxes: three may be three columns, or three ways to tick
ALIKE = 0.25  # by what share a box may be wider or narrower than the usual one
WALL = 0.35  # of a box's width that may lie between two
SEED_LEAST = 2  # boxes found side by side: the others are where walls stand
NEAR = 0.15  # of the distance between two boxes that a wall may stand off its place
WALL_DARK = 0.5  # of the usual wall's darkness that one has at least
STRIP_LEAST = 5  # pixels of a row's height: in a coarser picture there are no letters
TOUCHING = 0.25  # of a box's height from it to the cell above or beneath, where they are of one table
FILLED_LEAST = 3  # letters in a row: fewer are ticks, and the engines read them as well
EDGE = 0.05  # of a box's sides that belongs to its walls
WALL_LEFT = 0.5  # of a side: ink at the edge that is as long is what is left of a wall
SPECK = 0.07  # of a box's height: smaller blots are dirt
BLANK = 0.45  # of a box's height that is left between two words
PAPER_LEVEL = 245  # grey of the paper that letters are set on


@dataclass(frozen=True)
class _Letter:
    """The ink of one box: its columns and rows in pixels of the page (half-open), and the number of its box."""

    x0: int
    x1: int
    y0: int
    y1: int
    place: int


@dataclass(frozen=True)
class _Line:
    """Letters of a row set side by side: the picture, and where in it each letter begins and ends."""

    picture: Grey
    letters: tuple[_Letter, ...]
    spans: tuple[tuple[int, int], ...]


def letter_rows(grey: Grey, cells: Sequence[Box], size_pt: tuple[float, float]) -> list[tuple[Box, ...]]:
    """Rows of boxes for a letter each on an upright H×W picture of a page of `size_pt` (points), from its ruled cells:
    at least four side by side, alike, small, with nothing but walls between them, and no cells right above or beneath,
    as tables have. Boxes that were not found among the cells are there for as long as a wall stands where the next is
    due."""
    rows: list[tuple[Box, ...]] = []
    for seed in sorted(_seeds(cells, size_pt), key=len, reverse=True):
        if not any(union(row).contains(*seed[0].middle) for row in rows):
            row = _walked(grey, seed)
            if len(row) >= ROW_LEAST and not _in_table(row, cells):
                rows.append(row)
    return rows


def _seeds(cells: Sequence[Box], size_pt: tuple[float, float]) -> list[list[Box]]:
    """Small cells alike that stand wall by wall, two or more."""
    wide, high = size_pt
    small = [
        cell
        for cell in cells
        if min(cell.width * wide, cell.height * high) >= BOX_LEAST_PT
        and max(cell.width * wide, cell.height * high) <= BOX_PT
        and SHAPE[0] <= cell.width * wide / (cell.height * high) <= SHAPE[1]
    ]
    found = []
    for row in rows_of_boxes(small):
        usual = median(box.width for box in row)
        run: list[Box] = []
        for box in [box for box in row if abs(box.width / usual - 1) <= ALIKE]:
            if run and box.x0 - run[-1].x1 > WALL * usual:
                found.append(run)
                run = []
            run.append(box)
        found.append(run)
    return [run for run in found if len(run) >= SEED_LEAST]


def _walked(grey: Grey, seed: Sequence[Box]) -> tuple[Box, ...]:
    """A row from a few of its boxes, to both sides as far as walls stand one box apart."""
    height, width = grey.shape
    strip = grey[round(union(seed).y0 * height) : round(union(seed).y1 * height)]
    if len(strip) < STRIP_LEAST:
        return tuple(seed)
    walls = _walls(strip)
    pitch = float(median(right.x0 - left.x0 for left, right in pairwise(seed)))
    near = max(1, round(NEAR * pitch * width))

    def strongest(x: float) -> tuple[float, float]:
        """How dark the darkest column near x is, and where it stands."""
        first = max(0, round(x * width) - near)
        columns = walls[first : round(x * width) + near + 1]
        return (float(columns.max()), (first + int(columns.argmax())) / width) if columns.size else (0.0, x)

    between = [(left.x1 + right.x0) / 2 for left, right in pairwise(seed)]
    usual = float(median(strongest(x)[0] for x in between))
    row = list(seed)
    if usual <= 0:  # paper as dark as walls: nothing tells where to stop
        return tuple(row)
    for side in (-1, 1):
        while True:
            last = row[0] if side < 0 else row[-1]
            middle = (last.x0 + last.x1) / 2
            dark, wall = strongest(middle + side * 1.5 * pitch)
            if dark < WALL_DARK * usual or not 0 < wall < 1:
                break
            shift = wall - side * pitch / 2 - middle
            row.insert(0 if side < 0 else len(row), last._replace(x0=last.x0 + shift, x1=last.x1 + shift))
    return tuple(row)


def _walls(strip: Grey) -> npt.NDArray[np.float64]:
    """How dark each column of a strip is from top to bottom against the paper around (grey levels): a letter fills a
    part of the height only."""
    smooth = cv2.GaussianBlur(strip, (3, 3), 0).astype(np.float64)
    paper = cv2.blur(np.percentile(smooth, 70, axis=0)[None, :], (2 * strip.shape[0] + 1, 1))[0]
    return np.asarray(paper - np.percentile(smooth, 75, axis=0), dtype=np.float64)


def _in_table(row: Sequence[Box], cells: Sequence[Box]) -> bool:
    """Whether half of the boxes of a row have a cell of their width right above or beneath."""
    wide, high = row[0].width, row[0].height

    def touched(box: Box) -> bool:
        return any(
            abs(cell.x0 - box.x0) + abs(cell.x1 - box.x1) < ALIKE * wide
            and (abs(cell.y1 - box.y0) < TOUCHING * high or abs(cell.y0 - box.y1) < TOUCHING * high)
            for cell in cells
        )

    return 2 * sum(map(touched, row)) >= len(row)


def with_letter_boxes(
    grey: Grey, words: Sequence[Word], cells: Sequence[Box], size_pt: tuple[float, float], engine: Engine
) -> list[Word]:
    """The words of an upright H×W picture, those in rows of letter boxes read anew without the boxes. A row keeps its
    words where the new ones have another number of letters than there are boxes with ink, or hold several letters a
    box."""
    if not _seeds(cells, size_pt):
        return list(words)
    lines: list[tuple[_Line, list[int]]] = []
    for row in letter_rows(grey, ruling_of(grey).cells, size_pt):  # finer than for the cells of words
        inside = [place for place, word in enumerate(words) if _in_row(word, row)]
        letters = _letters(grey, row)
        if len(letters) >= FILLED_LEAST and not any(_crowded(words[place], row) for place in inside):
            lines.append((_set_side_by_side(grey, letters, row), inside))
    if not lines:
        return list(words)
    read = _read([line for line, _ in lines], engine)
    gone: set[int] = set()
    made: list[Word] = []
    for (line, inside), found in zip(lines, read, strict=True):
        anew = [_placed(word, covered, grey.shape) for word, covered in found]
        if sum(len(word.text) for word in anew) == len(line.letters):
            gone.update(inside)
            made += anew
    return [*(word for place, word in enumerate(words) if place not in gone), *made]


def _in_row(word: Word, row: Sequence[Box]) -> bool:
    return word.kind is WordKind.TEXT and union(row).contains(*word.box.middle)


def _crowded(word: Word, row: Sequence[Box]) -> bool:
    """Whether a word of several letters stands in one box alone."""
    return len(word.text) > 1 and any(box.x0 <= word.box.x0 and word.box.x1 <= box.x1 for box in row)


def _letters(grey: Grey, row: Sequence[Box]) -> list[_Letter]:
    """The ink in each box of a row that has any."""
    height, width = grey.shape
    found = []
    for place, box in enumerate(row):
        dx, dy = EDGE * box.width, EDGE * box.height
        x0, x1 = round((box.x0 + dx) * width), round((box.x1 - dx) * width)
        y0, y1 = round((box.y0 + dy) * height), round((box.y1 - dy) * height)
        ink = _ink(grey[y0:y1, x0:x1])
        if ink is not None:
            left, top, right, bottom = ink
            found.append(_Letter(x0 + left, x0 + right, y0 + top, y0 + bottom, place))
    return found


def _ink(box: Grey) -> tuple[int, int, int, int] | None:
    """Left, top, right and bottom of what is written in a box, without specks and what is left of its walls."""
    if min(box.shape) < 5:
        return None
    high, wide = box.shape
    _, _, stats, _ = cv2.connectedComponentsWithStats(ink_mask(box))
    blots = [
        (x, y, x + w, y + h)
        for x, y, w, h, area in stats[1:].tolist()
        if area >= max(4.0, (SPECK * high) ** 2)
        and not ((x == 0 or x + w == wide) and h >= WALL_LEFT * high and w < h / 3)
        and not ((y == 0 or y + h == high) and w >= WALL_LEFT * wide and h < w / 3)
    ]
    if not blots:
        return None
    left, top, right, bottom = zip(*blots, strict=True)
    return min(left), min(top), max(right), max(bottom)


def _set_side_by_side(grey: Grey, letters: Sequence[_Letter], row: Sequence[Box]) -> _Line:
    """Letters on paper of one level, as far apart as in print; a blank where boxes are empty."""
    height = grey.shape[0]
    top, bottom = round(row[0].y0 * height), round(row[0].y1 * height)
    tall = bottom - top
    gap, margin = max(2, round(0.09 * tall)), tall
    spans: list[tuple[int, int]] = []
    at = margin
    for number, letter in enumerate(letters):
        if number:
            at += round(BLANK * tall) if letter.place - letters[number - 1].place > 1 else gap
        spans.append((at, at + letter.x1 - letter.x0))
        at = spans[-1][1]
    picture = np.full((tall, at + margin), PAPER_LEVEL, np.uint8)
    for letter, (start, end) in zip(letters, spans, strict=True):
        above, below = max(top, letter.y0 - 1), min(bottom, letter.y1 + 1)
        box = grey[above:below, letter.x0 : letter.x1].astype(np.float32)
        paper = max(1.0, float(np.percentile(grey[top:bottom, letter.x0 : letter.x1], 80)))
        picture[above - top : below - top, start:end] = np.clip(box / paper * PAPER_LEVEL, 0, PAPER_LEVEL)
    return _Line(picture, tuple(letters), tuple(spans))


def _read(lines: Sequence[_Line], engine: Engine) -> list[list[tuple[Word, list[_Letter]]]]:
    """The words of each line with the letters they cover, all lines read as one page."""
    tall = max(line.picture.shape[0] for line in lines)
    wide = max(line.picture.shape[1] for line in lines)
    page = np.full((2 * tall * len(lines) + tall, wide), PAPER_LEVEL, np.uint8)
    for number, line in enumerate(lines):
        high, length = line.picture.shape
        page[2 * tall * number + tall : 2 * tall * number + tall + high, :length] = line.picture
    found: list[list[tuple[Word, list[_Letter]]]] = [[] for _ in lines]
    for word in sorted(engine.read(page), key=lambda word: word.box.x0):
        number = int((word.box.middle[1] * page.shape[0] - tall / 2) // (2 * tall))
        if not 0 <= number < len(lines):
            continue
        start, end = word.box.x0 * wide, word.box.x1 * wide
        line = lines[number]
        covered = [
            letter for letter, (a, b) in zip(line.letters, line.spans, strict=True) if start <= (a + b) / 2 <= end
        ]
        if covered:
            found[number].append((word, covered))
    return found


def _placed(word: Word, covered: Sequence[_Letter], shape: tuple[int, ...]) -> Word:
    """A word at the place of its letters on the page."""
    height, width = shape[:2]
    boxes = [Box(cell.x0 / width, cell.y0 / height, cell.x1 / width, cell.y1 / height) for cell in covered]
    return replace(word, box=union(boxes), cell=-1)


__all__ = ["letter_rows", "with_letter_boxes"]
