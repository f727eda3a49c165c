"""Fuzzy likeness of short texts, computed once for all distinct pairs."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz, process

Floats = npt.NDArray[np.float32]


def likeness(rows: Sequence[str], columns: Sequence[str], *, by_tokens: bool = False) -> Floats:
    """len(rows)×len(columns) likeness 0–1 of texts: 1 − indel distance ÷ length, or, `by_tokens`, of their sets of
    words, where one may hold more than the other ("employee name" and "name" are 1). An empty text is like nothing.
    """
    distinct_rows, row_index = np.unique(np.array(rows, dtype=object), return_inverse=True)
    distinct_columns, column_index = np.unique(np.array(columns, dtype=object), return_inverse=True)
    if not len(rows) or not len(columns):
        return np.zeros((len(rows), len(columns)), dtype=np.float32)
    scorer = fuzz.token_set_ratio if by_tokens else fuzz.ratio
    table = process.cdist(list(distinct_rows), list(distinct_columns), scorer=scorer, dtype=np.uint8) / np.float32(100)
    table[[not text for text in distinct_rows], :] = 0
    table[:, [not text for text in distinct_columns]] = 0
    full: Floats = table[row_index][:, column_index].astype(np.float32)
    return full
