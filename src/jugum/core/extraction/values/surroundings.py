"""What stands anywhere near a value, word by word: whether the words of a field's name are among it, which of its words
speak for a field, and how usual the words of a value are.

On forms the printed name stands beside the value; in running prose it is some words of the sentence, in no order.
"""

from __future__ import annotations

import zlib
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz, process

from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.meanings import commonness, vectors_of, weight_of
from jugum.core.extraction.values.relations import comparable
from jugum.core.extraction.values.value_model import filled

Floats = npt.NDArray[np.float32]
Words = npt.NDArray[np.int16]
WORD_PLACES = 2048  # that words are hashed to
RANKS = 3  # numbers of `ranks_of`
WORDS_MAX = 18  # of what stands around a value
SAME_LETTERS = 0.8  # words less alike in their letters are different words
UNRELATED = 0.3  # nearness in meaning of words that have nothing to do with each other


def naming(texts: Sequence[str], names: Sequence[str]) -> Floats:
    """How much of each name (M) is said in each text (D), in whatever words and order: D×M, 0–1. A word of a name is
    said as far as the nearest word of the text is like it in letters or meaning; rare words count more."""
    found = np.zeros((len(texts), len(names)), dtype=np.float32)
    split = [text.split() for text in texts]
    number = {word: place for place, word in enumerate(dict.fromkeys(word for words in split for word in words))}
    tokens = list(dict.fromkeys(word for name in names for word in name.split()))
    if not number or not tokens:
        return found
    words = list(number)
    letters = np.asarray(process.cdist(words, tokens, scorer=fuzz.ratio, dtype=np.uint8), dtype=np.float32) / 100
    meaning = (vectors_of(words) @ vectors_of(tokens).T - UNRELATED) / (1 - UNRELATED)
    said = np.maximum(np.where(letters >= SAME_LETTERS, letters, 0.0), np.clip(meaning, 0.0, 1.0))
    weights = np.zeros((len(tokens), len(names)), dtype=np.float32)
    for place, name in enumerate(names):
        for word in name.split():
            weights[tokens.index(word), place] += weight_of(word)
    weights /= np.maximum(weights.sum(axis=0), 1e-6)
    full = [place for place, its in enumerate(split) if its]
    if full:
        rows = np.array([number[word] for place in full for word in split[place]], dtype=np.intp)
        starts = np.cumsum([0, *(len(split[place]) for place in full)])[:-1]
        found[full] = np.maximum.reduceat(said[rows], starts, axis=0) @ weights
    return found


@lru_cache(maxsize=50_000)
def _hashed(text: str) -> tuple[int, ...]:
    return tuple(dict.fromkeys(zlib.crc32(word.encode()) % WORD_PLACES for word in text.split()))[:WORDS_MAX]


def words_of(texts: Sequence[str]) -> Words:
    """Hashed words (N × 18, −1 where there are fewer) of plain texts."""
    return filled([_hashed(text) for text in texts], WORDS_MAX)


def ranks_of(candidates: Sequence[Candidate]) -> Floats:
    """For each candidate how small, how large and how early its value is among the different ones of its type: N×3, 1
    for the smallest (or earliest) date, amount or number, the largest, and the one that comes first in reading order,
    1/2 for the next, and so on; 0 for the size of what has none."""
    table = np.zeros((len(candidates), RANKS), dtype=np.float32)
    for kind in {candidate.kind for candidate in candidates}:
        mine = [place for place, candidate in enumerate(candidates) if candidate.kind == kind]
        values = {place: comparable(candidates[place].normal) for place in mine}
        order = sorted({value for value in values.values() if value is not None})
        at = {value: place for place, value in enumerate(order)}
        first: dict[str, int] = {}
        for place in sorted(mine, key=lambda place: candidates[place].span):
            nth = first.setdefault(candidates[place].normal, len(first))
            value = values[place]
            size = (0.0, 0.0) if value is None else (1 / (1 + at[value]), 1 / (len(order) - at[value]))
            table[place] = *size, 1 / (1 + nth)
    return table


def repeats_of(candidates: Sequence[Candidate]) -> Floats:
    """At how many further places of the paper each candidate's value stands (N), as log(1 + places)."""
    spans: dict[tuple[object, str], set[tuple[int, int, int]]] = {}
    for candidate in candidates:
        spans.setdefault((candidate.kind, candidate.normal), set()).add(candidate.span)
    counts = [len(spans[candidate.kind, candidate.normal]) - 1 for candidate in candidates]
    return np.log1p(np.array(counts, dtype=np.float32))


def usual(candidate: Candidate) -> dict[str, float]:
    """How usual (0–1) the words of a candidate are, on the whole and at its ends, and the words beside it: names are
    of rare words, titles and captions of common ones, and a value ends where common words begin."""
    words = candidate.plain.split() or [""]
    each = [commonness(word) for word in words]
    return {
        "usual": sum(each) / len(each),
        "usual_first": each[0],
        "usual_last": each[-1],
        "usual_before": commonness(candidate.beside[0]),
        "usual_after": commonness(candidate.beside[1]),
    }
