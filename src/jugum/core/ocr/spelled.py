"""From what a line says to words with boxes: cut at blanks, at wide gaps in the ink, and around dotted leaders."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from jugum.core.ocr.network import LINE_HEIGHT, Letters, ReadLine
from jugum.core.page import Box, Word

Grey = npt.NDArray[np.uint8]
Flags = npt.NDArray[np.bool_]
Floats = npt.NDArray[np.float32]
GAP_WIDE = 0.23  # heights of the line's picture: between letters there is less, between words mostly more
GAP_OF_MEDIAN = 3.0  # times the usual gap between letters; wide print has wide gaps everywhere
OUTER_GAP = 0.14  # heights: what is parted by this much from the first or last letter is no part of the word
LEADER_LEAST = 1.5  # heights: a shorter run of dots is an ellipsis, and is read
CONTRAST_LEAST = 24  # grey levels between ink and ground; less is noise of the paper
BOX_SIGNS = "☐☑☒□■▢◻"  # the network reads tick boxes at times; whether one is ticked is told by its picture, not here


@dataclass(frozen=True, slots=True)
class Ink:
    """Which columns of a line's picture hold ink; `told` says whether the picture has enough contrast to know."""

    columns: Flags
    told: bool


def ink_of(picture: Grey) -> Ink:
    """Columns with ink, light on dark or dark on light, of a picture 48 pixels high."""
    inner = picture[5:-5].astype(np.int16)
    contrast = np.abs(inner - int(np.median(inner)))
    strong = float(np.percentile(contrast, 98))
    if strong < CONTRAST_LEAST:
        return Ink(np.ones(picture.shape[1], dtype=bool), False)
    return Ink((contrast > 0.45 * strong).sum(axis=0) >= 2, True)


def leaderless(picture: Grey) -> list[tuple[int, int]]:
    """Parts (start, end in pixels) of a line's picture between dotted or dashed leaders; the whole where there are
    none.

    Leaders are long runs in which ink appears only near the base line, low and at even intervals.
    """
    height, width = picture.shape
    if width < 4 * LINE_HEIGHT:
        return [(0, width)]
    inner = picture.astype(np.int16)
    contrast = np.abs(inner - int(np.median(inner)))
    strong = float(np.percentile(contrast, 99))
    if strong < CONTRAST_LEAST:
        return [(0, width)]
    inked = contrast > 0.4 * strong
    tall = inked[: round(0.58 * height)].sum(axis=0) >= 2
    low = inked[round(0.58 * height) :].sum(axis=0) >= 1
    parts, start = [], 0
    for run_start, run_end in _runs(~tall):
        if run_end - run_start < LEADER_LEAST * LINE_HEIGHT:
            continue
        dots = len(_runs(low[run_start:run_end]))
        if dots < 6:
            continue
        first = run_start + int(np.flatnonzero(low[run_start:run_end])[0])
        last = run_start + int(np.flatnonzero(low[run_start:run_end])[-1]) + 1
        parts.append((start, max(start, first - 1)))
        start = min(width, last + 1)
    parts.append((start, width))
    return [part for part in parts if part[1] - part[0] >= 8] or [(0, width)]


def _runs(flags: Flags) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(np.concatenate(([0], flags.astype(np.int8), [0]))))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))


def words_of(grey: Grey, line: ReadLine, picture: Grey, letters: Letters) -> list[tuple[Word, Floats]]:
    """The words of a read line, boxes in fractions of the H×W page picture `grey`; each with what tells whether a pen
    wrote it, the mean over its letters."""
    ink = ink_of(picture)
    pieces = _pieces(letters, ink, picture.shape[1])
    words = []
    for (first, last), (start, end) in zip(pieces, _ends(pieces, letters, ink, picture.shape[1]), strict=True):
        sure = letters.sure[first : last + 1]
        # A word is as sure as its least sure letter, a little mended by the others: one wrong letter makes it wrong.
        confidence = 0.7 * min(sure) + 0.3 * sum(sure) / len(sure)
        word = Word(letters.text[first : last + 1], _box(grey, line, start, end), min(1.0, confidence))
        words.append((word, letters.pen[first : last + 1].mean(axis=0)))
    return words


def _pieces(letters: Letters, ink: Ink, width: int) -> list[tuple[int, int]]:
    """First and last letter (inclusive) of each word: parted by a read blank, or by a gap in the ink as wide as one."""
    middles = [(start + end) / 2 * width for start, end in letters.spans]
    gaps = [
        _blank(ink, middles[number], middles[number + 1])[0] if ink.told else 0.0 for number in range(len(middles) - 1)
    ]
    usual = float(np.median(gaps)) if len(gaps) >= 4 else 0.0  # letter-spaced print has wide gaps throughout
    pieces: list[tuple[int, int]] = []
    first = -1
    for number, letter in enumerate(letters.text):
        if not letter.strip() or letter in BOX_SIGNS:
            if first >= 0:
                pieces.append((first, number - 1))
            first = -1
        elif first < 0:
            first = number
        elif gaps[number - 1] > max(GAP_WIDE * LINE_HEIGHT, GAP_OF_MEDIAN * usual):
            pieces.append((first, number - 1))
            first = number
    if first >= 0:
        pieces.append((first, len(letters.text) - 1))
    return pieces


def _blank(ink: Ink, left: float, right: float) -> tuple[float, float, float]:
    """The widest stretch without ink between two places: its width, start and end in pixels."""
    low, high = max(0, int(left)), min(len(ink.columns), int(right) + 1)
    runs = _runs(~ink.columns[low:high])
    if not runs:
        middle = (left + right) / 2
        return 0.0, middle, middle
    start, end = max(runs, key=lambda run: run[1] - run[0])
    return float(end - start), float(low + start), float(low + end)


def _ends(pieces: list[tuple[int, int]], letters: Letters, ink: Ink, width: int) -> list[tuple[float, float]]:
    """Where each word starts and ends along the line (0–1)."""
    if not pieces:
        return []
    middles = [(start + end) / 2 * width for start, end in letters.spans]
    starts = [_start(ink, middles[pieces[0][0]])]
    ends = []
    for (_, last), (first, _) in pairwise(pieces):
        _, gap_start, gap_end = _blank(ink, middles[last], middles[first])
        ends.append(gap_start)
        starts.append(gap_end)
    ends.append(_end(ink, middles[pieces[-1][1]]))
    return [(start / width, max(end, start + 1) / width) for start, end in zip(starts, ends, strict=True)]


def _start(ink: Ink, middle: float) -> float:
    """Where the ink of the first letter begins: after the blank that parts it from other ink (a tick box, a rule),
    if any."""
    inked = np.flatnonzero(ink.columns)
    if not ink.told or not len(inked):
        return 0.0
    before = inked[inked <= middle]
    if not len(before):  # the network says letters a little early or late at times
        return float(inked[0])
    gap, _, end = _blank(ink, float(before[0]), middle)
    return end if gap >= OUTER_GAP * LINE_HEIGHT else float(before[0])


def _end(ink: Ink, middle: float) -> float:
    """Where the ink of the last letter ends: before the blank that parts it from other ink, if any."""
    inked = np.flatnonzero(ink.columns)
    if not ink.told or not len(inked):
        return float(len(ink.columns))
    after = inked[inked >= middle]
    if not len(after):
        return float(inked[-1] + 1)
    gap, start, _ = _blank(ink, middle, float(after[-1]))
    return start if gap >= OUTER_GAP * LINE_HEIGHT else float(after[-1] + 1)


def _inked_rows(crop: Grey) -> tuple[int, int]:
    """First and last row (exclusive) of a word's ink: the tallest run of inked rows, with what is a dot's gap away
    from it; a rule above or below is parted by more, and thin."""
    contrast = np.abs(crop.astype(np.int16) - int(np.median(crop))).max(axis=1)
    runs = _runs(contrast > 0.4 * contrast.max())
    if not runs:
        return 0, crop.shape[0]
    first, last = max(runs, key=lambda run: run[1] - run[0])
    for start, end in runs:
        near = min(abs(start - last), abs(first - end)) <= 0.13 * crop.shape[0]
        if near and end - start < 0.5 * (last - first) and not _is_rule(crop[start:end]):
            first, last = min(first, start), max(last, end)
    return first, last


def _is_rule(rows: Grey) -> bool:
    """Whether rows are inked nearly all along."""
    strong = np.abs(rows.astype(np.int16) - int(rows.max())) > 40
    return bool(strong.any(axis=0).mean() > 0.85)


def _box(grey: Grey, line: ReadLine, start: float, end: float) -> Box:
    """The strip of a line between two shares of its length, shrunk to its ink from above and below, in page
    fractions."""
    height, width = grey.shape
    a, b, c, d = line.corners
    strip = np.array([a + (b - a) * start, a + (b - a) * end, d + (c - d) * end, d + (c - d) * start])
    (x0, y0), (x1, y1) = strip.min(axis=0), strip.max(axis=0)
    left, right = max(0, int(x0)), min(width, int(x1) + 1)
    top, bottom = max(0, int(y0)), min(height, int(y1) + 1)
    crop = grey[top:bottom, left:right]
    if crop.size and int(crop.max()) - int(crop.min()) > 40:
        first, last = _inked_rows(crop)
        if last - first > 0.3 * (bottom - top):
            top, bottom = top + first, top + last
    return Box(
        min(1.0, max(0.0, float(x0) / width)),
        top / height,
        min(1.0, max(0.0, float(x1) / width)),
        min(1.0, max(bottom, top + 1) / height),
    )
