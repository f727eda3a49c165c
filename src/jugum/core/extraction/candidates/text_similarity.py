"""Fuzzy likeness of short texts, computed once for all distinct pairs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz, process

Floats = npt.NDArray[np.float32]
Bytes = npt.NDArray[np.uint8]


@dataclass(frozen=True)
class Texts:
    """N texts as D distinct ones, and for each of the N its place among these."""

    distinct: tuple[str, ...]
    places: npt.NDArray[np.intp]

    @staticmethod
    def of(texts: Sequence[str]) -> Texts:
        """Distinct texts in the order they come first, and where each of the given ones is among them."""
        known: dict[str, int] = {}
        places = np.array([known.setdefault(text, len(known)) for text in texts], dtype=np.intp)
        return Texts(tuple(known), places)


def distinct_likeness(mine: Texts, theirs: Texts, *, by_tokens: bool = False) -> Bytes:
    """D×D′ likeness of distinct texts in hundredths; see `likeness`."""
    if not mine.distinct or not theirs.distinct:
        return np.zeros((len(mine.distinct), len(theirs.distinct)), dtype=np.uint8)
    scorer = fuzz.token_set_ratio if by_tokens else fuzz.ratio
    table = np.asarray(process.cdist(mine.distinct, theirs.distinct, scorer=scorer, dtype=np.uint8))
    for texts, side in ((mine, table), (theirs, table.T)):
        if "" in texts.distinct:
            side[texts.distinct.index("")] = 0
    return table


def likeness(rows: Sequence[str], columns: Sequence[str], *, by_tokens: bool = False) -> Floats:
    """len(rows)×len(columns) likeness 0–1 of texts: 1 − indel distance ÷ length, or, `by_tokens`, of their sets of
    words, where one may hold more than the other ("employee name" and "name" are 1). An empty text is like nothing.
    """
    mine, theirs = Texts.of(rows), Texts.of(columns)
    table = distinct_likeness(mine, theirs, by_tokens=by_tokens)
    return np.asarray(table[mine.places][:, theirs.places] / np.float32(100), dtype=np.float32)
