"""What values of a field are like: naive Bayes on pieces of their shapes and of their letters, against the other
candidates of the paper.

A date, an amount, a number of one office keep their pattern even where everything around them is new; so do the words
of a name: firms end in "Ltd" and deal in something, people of one land have names of the same sounds, a notice is given
in weeks.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt

PIECES = 512  # places that pieces of shapes are hashed to
PIECES_MAX = 20  # of a value's shape; longer texts are told by their beginning
LETTER_PLACES = 4096  # that pieces of words are hashed to
LETTERS_MAX = 40  # of a value's pieces of words
SCORE_MAX = 4.0  # log-odds: a rare piece must not outweigh where a value stands
Pieces = npt.NDArray[np.int16]
Floats = npt.NDArray[np.float32]


@lru_cache(maxsize=100_000)
def _pieces_of(shape: str) -> tuple[int, ...]:
    marked = f"^{shape}$"
    parts = [marked[i : i + 3] for i in range(len(marked) - 2)] + [
        f"={shape}",
        f"#{min(9, len(shape) // 3)}",
        f"w{shape.count(' ')}",
    ]
    return tuple(dict.fromkeys(zlib.crc32(part.encode()) % PIECES for part in parts))[:PIECES_MAX]


def pieces_of(shapes: Sequence[str]) -> Pieces:
    """Hashed pieces (N × 20, −1 where there are fewer) of value shapes such as `"AA-999 999"`."""
    return filled([_pieces_of(shape) for shape in shapes], PIECES_MAX)


@lru_cache(maxsize=100_000)
def _letters_of(text: str) -> tuple[int, ...]:
    words = text.split()
    ends = [f"<{words[0]}", f">{words[-1]}"] if words else []
    threes = [f"^{word}$"[i : i + 3] for word in words for i in range(len(word))]
    parts = [*ends, *(f"={word}" for word in words), *threes]
    return tuple(dict.fromkeys(zlib.crc32(part.encode()) % LETTER_PLACES for part in parts))[:LETTERS_MAX]


def letters_of(texts: Sequence[str]) -> Pieces:
    """Hashed words and three letters in a row (N × 40, −1 where there are fewer) of plain texts."""
    return filled([_letters_of(text) for text in texts], LETTERS_MAX)


def filled(rows: Sequence[Sequence[int]], width: int) -> Pieces:
    """Rows of at most `width` numbers as a table (N × width), −1 where there are fewer."""
    table = np.full((len(rows), width), -1, dtype=np.int16)
    for number, row in enumerate(rows):
        table[number, : len(row)] = row
    return table


def counts_of(pieces: Pieces, places: int = PIECES) -> npt.NDArray[np.float64]:
    """How many of some values hold each piece (one for each of the places that pieces are hashed to)."""
    return np.bincount(pieces[pieces >= 0].astype(np.intp), minlength=places).astype(np.float64)


def value_log_odds(
    asked: Pieces, mine: Pieces, others: npt.NDArray[np.float64], other_count: int, *, strongest: int | None = None
) -> Floats:
    """For each asked value the mean log-odds (±4) of its pieces, or of the `strongest` of them, among a field's
    values (`mine`) against `other_count` values in which the pieces occur `others` times. 0 when the field has no
    values."""
    if not len(mine) or not len(asked):
        return np.zeros(len(asked), dtype=np.float32)
    own = (counts_of(mine, len(others)) + 0.5) / (len(mine) + 1)
    apart = (others + 0.5) / (other_count + 1)
    odds = _odds(asked, np.log(own / apart))
    return _mean(odds, asked) if strongest is None else _best(odds, strongest)


def telling_log_odds(
    asked: Pieces, mine: Pieces, rest: Pieces, places: int, *, strongest: int
) -> tuple[Floats, Floats]:
    """For each asked value the mean log-odds (±4) of its pieces, and of the `strongest` of them, among a field's values
    (`mine`) against those of the other fields of its type (`rest`). 0 where either has no values."""
    if not len(mine) or not len(rest) or not len(asked):
        return np.zeros(len(asked), dtype=np.float32), np.zeros(len(asked), dtype=np.float32)
    here, there = counts_of(mine, places), counts_of(rest, places)
    told = np.log((here + 0.5) / (len(mine) + 1) * (len(rest) + 1) / (there + 0.5))
    # a piece that neither has tells nothing, however unlike their numbers are
    odds = _odds(asked, np.where((here == 0) & (there == 0), 0.0, told))
    return _mean(odds, asked), _best(odds, strongest)


def _odds(asked: Pieces, table: npt.NDArray[np.float64]) -> Floats:
    """Log-odds of the pieces of each value (N × pieces); 0 where there is none, whose number is −1."""
    found: Floats = np.append(table, 0.0).astype(np.float32)[asked]
    return found


def _mean(odds: Floats, asked: Pieces) -> Floats:
    held = np.maximum((asked >= 0).sum(axis=1, dtype=np.float32), 1)
    mean: Floats = odds.sum(axis=1) / held
    return np.clip(mean, -SCORE_MAX, SCORE_MAX)


def _best(odds: Floats, count: int) -> Floats:
    """The mean of the strongest of the pieces of each value."""
    best: Floats = np.partition(odds, -count, axis=1)[:, -count:].mean(axis=1)
    return np.clip(best, -SCORE_MAX, SCORE_MAX)
