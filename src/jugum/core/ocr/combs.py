"""Letters written one a box, as forms ask for: each was read as a word of its own, and together they are one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise, takewhile
from statistics import median

from jugum.core.page import Word, WordKind, how_read, rows_of, union

RUN_LEAST = 4  # letters: three single ones at one distance are as often columns, or "1 2 3"
PITCH = (0.5, 2.6)  # heights of the letters from one box to the next; columns of a table stand further apart
OFF_MOST = 0.38  # of the pitch that a letter may stand nearer to the one before, or further off
WIDE = 1.8  # heights from which on boxes are wide: then a run must be longer, and more even
WIDE_RUN, WIDE_OFF = 5, 0.12


@dataclass(frozen=True)
class _Piece:
    """A word of a row, its place among the words, and the middles of its first and last letter (points)."""

    index: int
    letters: int
    first: float
    last: float


def without_combs(words: Sequence[Word], size: tuple[float, float]) -> list[Word]:
    """The words of a page of `size` (points), with letters that stand one by one at even distances, close enough for
    boxes of a form, put together to words; an empty box parts two of them. Their cells are no longer told."""
    printed = [index for index, word in enumerate(words) if word.kind is WordKind.TEXT]
    joined: dict[int, Word] = {}
    gone: set[int] = set()
    for row in rows_of([words[index] for index in printed]):
        for run in _runs([words[printed[place]] for place in row], size):
            its = [[printed[row[piece.index]] for piece in part] for part in run]
            for part in its:
                joined[part[0]] = _one([words[index] for index in part])
                gone.update(part[1:])
    return [joined.get(index, word) for index, word in enumerate(words) if index not in gone]


def _runs(row: Sequence[Word], size: tuple[float, float]) -> Iterator[list[list[_Piece]]]:
    """Runs of letters at even distances in a row (words from left to right), each as the words that they make."""
    start = 0
    while start + 1 < len(row):
        run = _run(row, start, size)
        if run is None:
            start += 1
            continue
        yield run
        start = run[-1][-1].index + 1


def _run(row: Sequence[Word], start: int, size: tuple[float, float]) -> list[list[_Piece]] | None:
    """The longest run that begins with a word; None when there are too few letters for one."""
    found = _pitch(row, start, size)
    if found is None:
        return None
    pitch, wide_boxes = found
    off = WIDE_OFF if wide_boxes else OFF_MOST
    parts, single = [[_piece(start, row[start], pitch, size)]], 1
    for index in range(start + 1, len(row)):
        piece = _piece(index, row[index], pitch, size)
        steps = (piece.first - parts[-1][-1].last) / pitch
        wide = (piece.last - piece.first) / pitch - (piece.letters - 1)
        if round(steps) not in (1, 2) or abs(steps - round(steps)) > off or abs(wide) > OFF_MOST:
            break
        if round(steps) == 2:
            parts.append([])
        parts[-1].append(piece)
        single += piece.letters == 1
    letters = sum(piece.letters for part in parts for piece in part)
    return parts if letters >= (WIDE_RUN if wide_boxes else RUN_LEAST) and 2 * single >= letters else None


def _pitch(row: Sequence[Word], start: int, size: tuple[float, float]) -> tuple[float, bool] | None:
    """The usual distance (points) between the middles of single letters from a word on, and whether that is wide; None
    where it is none of a form's boxes."""
    letters = list(takewhile(lambda word: len(word.text) == 1, row[start:]))
    if len(letters) < 2:
        return None
    high = max(word.box.height for word in letters) * size[1]
    apart = [(right.box.middle[0] - left.box.middle[0]) * size[0] for left, right in pairwise(letters)]
    usual = [gap for gap in apart if PITCH[0] * high <= gap <= PITCH[1] * high]
    usual = [gap for gap in usual if gap <= WIDE * high] or usual  # a blank box among narrow ones is no wide one
    # The first two must be of the run; later ones may be of what stands beside it.
    if not usual or usual[0] != apart[0]:
        return None
    pitch = float(median(usual))
    return pitch, pitch > WIDE * high


def _piece(index: int, word: Word, pitch: float, size: tuple[float, float]) -> _Piece:
    """A word with the middles of its outer letters: of several at this distance, all are taken to be as wide."""
    count = len(word.text)
    left, right = word.box.x0 * size[0], word.box.x1 * size[0]
    half = max(0.0, right - left - (count - 1) * pitch) / 2
    return _Piece(index, count, left + half, right - half)


def _one(words: Sequence[Word]) -> Word:
    return replace(
        words[0],
        text="".join(word.text for word in words),
        box=union(word.box for word in words),
        bold=all(word.bold for word in words),
        cell=-1,
        **how_read(words),
    )
