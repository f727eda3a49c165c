"""Handwriting told from print: by what the recogniser's last layer sees of each word, and by how far that is from what
is usual on its page.

The recogniser was trained on print and pens alike, so that its last 120 numbers tell them apart: a straight line
through them is nearly as good as trees, and costs nothing, since the numbers are worked out anyway (Alain and Bengio,
2017, on such probes). It was fitted on words set in fonts of both kinds, worn as scans are (`python -m
prior.handwriting`).
"""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import cache
from pathlib import Path

import numpy as np
import numpy.typing as npt

from jugum.core.page import Word

Floats = npt.NDArray[np.float32]
LETTERS_LEAST = 3
SURE_LEAST = (
    4  # words that a pen surely wrote, from which on others of their page need less: a pen's words come together
)
DATA = Path(__file__).parent / "data/handwriting.json"


@dataclass(frozen=True)
class PenProbe:
    """Weights (C × 2) of the recogniser's last numbers: of a word's own, and of how far these are from the page's; the
    level; and by how much it is lower on pages on which a pen surely wrote."""

    weights: Floats
    level: float
    lower: float = 0.0

    def marks(self, numbers: Floats) -> Floats:
        """N × C numbers of letters or words → their marks (N × 2)."""
        return np.asarray(numbers @ self.weights, dtype=np.float32)

    def scores(self, marks: Floats) -> Floats:
        """Marks of all words of a page (N × 2) → how much speaks for a pen (N); above 0 it surely wrote the word."""
        if not len(marks):
            return np.zeros(0, dtype=np.float32)
        return np.asarray(marks.sum(axis=1) - np.median(marks[:, 1]) + self.level, dtype=np.float32)

    def told(self, scores: Floats) -> npt.NDArray[np.bool_]:
        """Which words of a page (of three letters and more; N) a pen wrote."""
        together = (scores > 0).sum() >= SURE_LEAST
        return np.asarray(scores > (-self.lower if together else 0.0))


@cache
def pen_probe() -> PenProbe:
    """The shipped one."""
    data = json.loads(DATA.read_text())
    return PenProbe(np.array(data["weights"], dtype=np.float32), float(data["level"]), float(data["lower"]))


def told_by_hand(lines: Sequence[Sequence[tuple[Word, Floats]]]) -> list[Word]:
    """The words of a page's lines, each given with its marks, those written by a pen told. A word of fewer than three
    letters says too little: it is as the nearest longer one of its line."""
    words = [read for line in lines for read in line]
    long = np.array([sum(map(str.isalnum, word.text)) >= LETTERS_LEAST for word, _ in words], dtype=bool)
    scores = pen_probe().scores(np.array([marks for _, marks in words], dtype=np.float32).reshape(-1, 2))
    by_pen = np.zeros(len(words), dtype=bool)
    by_pen[long] = pen_probe().told(scores[long])
    told: list[Word] = []
    for line in lines:
        first = len(told)
        near = [first + at for at in np.flatnonzero(long[first : first + len(line)])]
        for at, (word, _) in enumerate(line, first):
            nearest = min(near, key=lambda other, at=at: (abs(other - at), other), default=None)  # type: ignore[misc]
            told.append(replace(word, by_hand=nearest is not None and bool(by_pen[nearest])))
    return told
