"""How near two phrases are in meaning: a small table of word meanings, shipped with the program (made by
`prior/meanings.py`).

A phrase is the mean of its word pieces, weighed by rarity (Arora, Liang and Ma, 2017: "A simple but tough-to-beat
baseline for sentence embeddings").
"""

from __future__ import annotations

import io
import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from importlib import resources

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.text_similarity import Texts

Floats = npt.NDArray[np.float32]
COMMON = 1e-3  # how rare a piece must be to count half
FIRST_WORD = 1995  # place of the most frequent word in the vocabulary's order
PIECES_MAX = 24  # of a phrase; a longer one is no printed name


@dataclass(frozen=True)
class Meanings:
    """Word pieces with their vectors (pieces × 64, unit length), weights and ranks by use (pieces)."""

    pieces: tuple[str, ...]
    vectors: Floats
    weights: Floats
    ranks: Floats

    @cached_property
    def places(self) -> dict[str, int]:
        """The row of each word piece."""
        return {piece: number for number, piece in enumerate(self.pieces)}

    def vector(self, phrase: str) -> Floats:
        """A phrase's meaning, of unit length; zeros when none of its pieces is known."""
        found = [place for word in phrase.split() for place in self.pieces_of(word)][:PIECES_MAX]
        if not found:
            return np.zeros(self.vectors.shape[1], dtype=np.float32)
        mean = self.weights[found] @ self.vectors[found]
        length = float(np.linalg.norm(mean))
        return np.asarray(mean / length if length > 0 else mean, dtype=np.float32)

    def rank_of(self, word: str) -> float | None:
        """The place of a whole word in the order of how often words are used (from 1); None where no
        vocabulary has it."""
        place = self.places.get(word)
        return None if place is None else float(self.ranks[place])

    def pieces_of(self, word: str) -> list[int]:
        """A word as pieces of the vocabulary, the longest first; nothing when it can't be told in pieces."""
        found, start = [], 0
        while start < len(word):
            end = len(word)
            while end > start and ("##" if start else "") + word[start:end] not in self.places:
                end -= 1
            if end == start:
                return []
            found.append(self.places[("##" if start else "") + word[start:end]])
            start = end
        return found


@lru_cache(maxsize=1)
def shipped_meanings() -> Meanings:
    """The table that comes with the program."""
    data = resources.files("jugum.core.extraction").joinpath("data", "meanings.npz").read_bytes()
    with np.load(io.BytesIO(data)) as kept:
        pieces = tuple(bytes(kept["pieces"]).decode().split("\n"))
        table = kept["table"].astype(np.float32)
        rank = np.maximum(1.0, kept["rank"].astype(np.float32) - FIRST_WORD)
    vectors = table / np.maximum(np.linalg.norm(table, axis=1, keepdims=True), 1e-6)
    weights = (COMMON / (COMMON + 0.1 / rank)).astype(np.float32)
    return Meanings(pieces, np.asarray(vectors, dtype=np.float32), np.asarray(weights, dtype=np.float32), rank)


@lru_cache(maxsize=20_000)
def weight_of(word: str) -> float:
    """How much a plain word tells (0–1): little when it is among the commonest, all when it is in no vocabulary."""
    found = shipped_meanings()
    pieces = found.pieces_of(word)
    return float(found.weights[pieces].max()) if pieces else 1.0


@lru_cache(maxsize=50_000)
def commonness(phrase: str) -> float:
    """How common a plain word is in English: 1 for the commonest, falling with the logarithm of its rank, 0 for one
    that is in no vocabulary; the mean of several, 0 for none."""
    words = phrase.split()
    if not words:
        return 0.0
    ranks = [shipped_meanings().rank_of(word) for word in words]
    scale = math.log1p(len(shipped_meanings().pieces))
    return sum(0.0 if rank is None else 1 - math.log1p(rank) / scale for rank in ranks) / len(ranks)


@lru_cache(maxsize=20_000)
def _kept_vector(phrase: str) -> Floats:
    return shipped_meanings().vector(phrase)


def vectors_of(phrases: Sequence[str]) -> Floats:
    """Meanings of plain phrases (N × 64)."""
    width = shipped_meanings().vectors.shape[1]
    return np.stack([_kept_vector(phrase) for phrase in phrases]) if phrases else np.zeros((0, width), dtype=np.float32)


def distinct_nearness(mine: Texts, theirs: Texts) -> Floats:
    """D×D′ nearness of distinct phrases; see `nearness`."""
    return np.asarray(np.clip(vectors_of(mine.distinct) @ vectors_of(theirs.distinct).T, 0.0, 1.0), dtype=np.float32)


def nearness(rows: Sequence[str], columns: Sequence[str]) -> Floats:
    """len(rows)×len(columns) nearness 0–1 of plain phrases (cosine, below 0 cut); what has no known word is near
    nothing."""
    mine, theirs = Texts.of(rows), Texts.of(columns)
    return distinct_nearness(mine, theirs)[mine.places][:, theirs.places]
