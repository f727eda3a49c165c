"""A paper's candidates against labelled examples: likeness of surroundings, place, shape and label, computed once.

Leaving papers out is masking columns. Only what can be asked for is kept: candidates of one value type against the
examples of fields of that type, and, for rivals, of its family; likenesses as bytes. So a paper takes a few
megabytes, and a corpus of hundreds fits into memory.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.meanings import distinct_nearness, nearness, vectors_of
from jugum.core.extraction.candidates.text_similarity import Texts, distinct_likeness, likeness
from jugum.core.extraction.values.surroundings import RANKS, Words, words_of
from jugum.core.extraction.values.value_model import Pieces, letters_of, pieces_of
from jugum.core.page import Box

Floats = npt.NDArray[np.float32]
Bytes = npt.NDArray[np.uint8]
Mask = npt.NDArray[np.bool_]
JOINT_WEIGHTS = {
    "left": 0.24,
    "above": 0.13,
    "row_head": 0.15,
    "column_head": 0.13,
    "previous": 0.07,
    "next": 0.05,
    "below": 0.09,
    "heading": 0.08,
    "right": 0.06,
}
LABEL_CHANNELS = ("left", "above", "row_head", "column_head", "below", "heading", "right")
BOTH_EMPTY = 0.7  # nothing on either side is likeness, but less than the same words are
PLACE_SCALE = (
    0.03  # page fraction, about 9 mm of A4 downwards: values of one layout drift so far with what stands above them
)


@dataclass(frozen=True)
class Example:
    """Where and how a value of a field stood on a labelled paper (known by its number among the papers); `label` is
    the printed name it bore there, `around` the words near it, `ranks` how small, how large and how early it was among
    the values of its type there (`ranks_of`), `lines` how many it had."""

    paper: int
    field: str
    contexts: tuple[str, ...]
    text: str
    shape: str
    page: int
    box: Box
    label: str = ""
    around: str = ""
    ranks: tuple[float, ...] = (0.0, 0.0, 0.0)
    lines: int = 1


@dataclass(frozen=True)
class Examples:
    """Examples as columns: their papers, fields, pieces of their shapes and of their letters, their meanings (M × 64),
    as distinct texts what stands around them (one for each channel, and all together) and their labels, the words
    around them, their ranks (M × 3) and numbers of lines."""

    every: tuple[Example, ...]
    papers: npt.NDArray[np.intp]
    fields: npt.NDArray[np.object_]
    pieces: Pieces
    letters: Pieces
    senses: Floats
    contexts: tuple[Texts, ...]
    labels: Texts
    arounds: Texts
    words: Words
    ranks: Floats
    lines: npt.NDArray[np.int8]

    @staticmethod
    def of(examples: Sequence[Example]) -> Examples:
        """Examples as columns (M of them), texts made distinct."""
        return Examples(
            tuple(examples),
            np.array([example.paper for example in examples], dtype=np.intp),
            np.array([example.field for example in examples], dtype=object),
            pieces_of([example.shape for example in examples]),
            letters_of([example.text for example in examples]),
            vectors_of([example.text for example in examples]),
            tuple(Texts.of([example.contexts[place] for example in examples]) for place in range(len(CHANNELS))),
            Texts.of([example.label for example in examples]),
            Texts.of([example.around for example in examples]),
            words_of([example.around for example in examples]),
            np.array([example.ranks for example in examples], dtype=np.float32).reshape(-1, RANKS),
            np.array([example.lines for example in examples], dtype=np.int8),
        )


@dataclass(frozen=True)
class ContextSimilarities:
    """All candidates of a paper (N) with what stands around them as distinct texts, and against examples (M):
    `alike` by channel, distinct by distinct; `labels` and `meanings` (N × distinct labels) the best channel for each
    label, whichever it stood in there; `near` how near in meaning all words around them are (distinct by distinct)."""

    contexts: tuple[Texts, ...]
    alike: tuple[Bytes, ...]
    labels: Bytes
    meanings: Bytes
    arounds: Texts
    near: Bytes

    @staticmethod
    def of(candidates: Sequence[Candidate], examples: Examples) -> ContextSimilarities:
        """Every candidate of a paper (N) against every example (M), compared once for each pair of distinct texts."""
        contexts = tuple(
            Texts.of([candidate.contexts[place] for candidate in candidates]) for place in range(len(CHANNELS))
        )
        alike = tuple(distinct_likeness(mine, theirs) for mine, theirs in zip(contexts, examples.contexts, strict=True))
        labels = np.zeros((len(candidates), len(examples.labels.distinct)), dtype=np.uint8)
        meanings = np.zeros_like(labels)
        for channel in LABEL_CHANNELS:
            mine = contexts[CHANNELS.index(channel)]
            labels = np.maximum(labels, distinct_likeness(mine, examples.labels)[mine.places])
            meanings = np.maximum(meanings, _bytes(distinct_nearness(mine, examples.labels))[mine.places])
        arounds = Texts.of([candidate.around for candidate in candidates])
        near = _bytes(distinct_nearness(arounds, examples.arounds))
        return ContextSimilarities(contexts, alike, labels, meanings, arounds, near)


@dataclass(frozen=True)
class ExampleSimilarities:
    """Candidates of one value type (n) against examples: `family` are the columns of its family (m), `own` those among
    them whose fields have this very type (k of the m).

    `alike` (C + 5 × n × k) are likenesses in hundredths: one for each channel, of shape, of value, of all words around,
    of label by letters and by meaning. `near` (3 × n × k) are in ten-thousandths: jointly, by row and column, by place.
    `joint` and `labels` (n × m) are the same for rivals.
    """

    family: npt.NDArray[np.intp]
    own: npt.NDArray[np.intp]
    alike: Bytes
    near: npt.NDArray[np.uint16]
    joint: npt.NDArray[np.uint16]
    labels: Bytes
    pieces: Pieces
    letters: Pieces
    senses: Floats
    words: Words


SHAPE, VALUE, AROUND, LABEL, MEANING = (len(CHANNELS) + place for place in range(5))
FINE = 10_000  # parts of one in `near` and `joint`


def compare(
    candidates: Sequence[Candidate],
    chosen: npt.NDArray[np.intp],
    around: ContextSimilarities,
    examples: Examples,
    family: npt.NDArray[np.intp],
    own: npt.NDArray[np.intp],
    alike: Floats,
) -> ExampleSimilarities:
    """The `chosen` candidates of a paper (indices) against examples; `alike`: likeness (0–1) of the paper's layout
    to that of each example."""
    mine = [candidates[int(n)] for n in chosen]
    kept = [examples.every[int(family[n])] for n in own]
    # Hundredths in bytes: a quarter of the memory of floats, and likeness is no finer.
    tables = np.zeros((len(CHANNELS) + 5, len(mine), len(own)), dtype=np.uint8)
    joint = np.zeros((len(mine), len(family)), dtype=np.float32)
    for place, channel in enumerate(CHANNELS):
        rows, columns = around.contexts[place].places[chosen], examples.contexts[place].places[family]
        table = around.alike[place][rows][:, columns]
        tables[place] = table[:, own]
        joint += np.float32(JOINT_WEIGHTS[channel] / 100) * table
        # Nothing above on both papers is a sign too: the value heads its column on both.
        empty = np.logical_and.outer(_empty(around.contexts[place], rows), _empty(examples.contexts[place], columns))
        joint += np.float32(JOINT_WEIGHTS[channel] * BOTH_EMPTY) * empty
        tables[place] += np.uint8(100 * BOTH_EMPTY) * empty[:, own]
    head = np.maximum(tables[CHANNELS.index("row_head")], tables[CHANNELS.index("left")]).astype(np.float32) / 100
    # geometric mean: a cell needs both its row and its column
    crossing = np.sqrt(head * tables[CHANNELS.index("column_head")].astype(np.float32) / 100)
    columns = examples.labels.places[family]
    labels = around.labels[chosen][:, columns]
    tables[SHAPE] = _bytes(likeness([candidate.shape for candidate in mine], [example.shape for example in kept]))
    plain = [candidate.plain for candidate in mine]
    tables[VALUE] = _bytes(likeness(plain, [example.text for example in kept]))
    tables[AROUND] = around.near[around.arounds.places[chosen]][:, examples.arounds.places[family[own]]]
    tables[LABEL], tables[MEANING] = labels[:, own], around.meanings[chosen][:, columns[own]]
    near = np.stack([joint[:, own], crossing, _places(mine, kept, alike[family][own])])
    pieces, letters = pieces_of([candidate.shape for candidate in mine]), letters_of(plain)
    words = words_of([candidate.around for candidate in mine])
    return ExampleSimilarities(
        family, own, tables, _fine(near), _fine(joint), labels, pieces, letters, vectors_of(plain), words
    )


def _empty(texts: Texts, places: npt.NDArray[np.intp]) -> Mask:
    return np.array([not text for text in texts.distinct], dtype=bool)[places]


def _places(candidates: Sequence[Candidate], examples: Sequence[Example], alike: Floats) -> Floats:
    count = len(candidates)
    mine = np.array([(*candidate.box.middle, candidate.page) for candidate in candidates], dtype=np.float32).reshape(
        count, 3
    )
    theirs = np.array([(*example.box.middle, example.page) for example in examples], dtype=np.float32).reshape(-1, 3)
    distance = ((mine[:, None, :2] - theirs[None, :, :2]) ** 2).sum(axis=2)
    same_page = mine[:, None, 2] == theirs[None, :, 2]
    # the place on another layout says nothing, so it counts as much as the layouts are alike
    found: Floats = np.exp(-distance / (2 * PLACE_SCALE**2)) * same_page * alike[None, :]
    return found


def _bytes(table: Floats) -> Bytes:
    return np.rint(100 * table).astype(np.uint8)


def _fine(table: Floats) -> npt.NDArray[np.uint16]:
    return np.asarray(np.rint(FINE * np.minimum(table, 1.0)), dtype=np.uint16)


def label_of(contexts: Sequence[str], names: Sequence[str], seen: dict[str, float]) -> str:
    """Which of the texts around a value is its printed name: what is likest to the field's names by letters or
    meaning, and stands by this field's values and not by others' (`seen`: text → share of the examples it stands by
    that are this field's, less those that are not)."""
    texts = [
        text
        for text in dict.fromkeys(contexts[CHANNELS.index(channel)] for channel in LABEL_CHANNELS)
        if any(map(str.isalpha, text))
    ]
    if not texts:
        return ""
    by_names = (
        np.maximum(likeness(texts, names), nearness(texts, names)).max(axis=1)
        if names
        else np.zeros(len(texts), dtype=np.float32)
    )
    scores = [float(by_names[n]) + 0.5 * seen.get(text, 0.0) for n, text in enumerate(texts)]
    return texts[int(np.argmax(scores))]


def greatest(table: npt.NDArray[np.integer], columns: Mask, rows: npt.NDArray[np.intp] | None = None) -> Floats:
    """Maximum over the chosen columns (the last axis) of a stack of tables, as fractions; zeros when none is chosen.
    `rows` are those asked for (of the axis before). Bytes count as hundredths, the others as ten-thousandths."""
    chosen = np.flatnonzero(columns)
    part = table if rows is None else table[..., rows, :]
    if not len(chosen) or not part.shape[-2]:
        return np.zeros(part.shape[:-1], dtype=np.float32)
    best: Floats = part[..., chosen].max(axis=-1) / np.float32(100 if table.dtype == np.uint8 else FINE)
    return best


def standing(values: Floats) -> tuple[Floats, Floats]:
    """How far each value lies above the best of the others (negative for all but the best), and its rank as 1/(1+r)."""
    if not len(values):
        return values, values
    if len(values) == 1:
        return np.zeros(1, dtype=np.float32), np.ones(1, dtype=np.float32)
    order = np.sort(values)[::-1]
    gap = np.where(values == order[0], values - order[1], values - order[0])
    rank = np.searchsorted(-order, -values, side="left")
    return gap.astype(np.float32), (1 / (1 + rank)).astype(np.float32)
