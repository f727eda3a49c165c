"""Evidence: decisions whose truth is known, as rows for people and as columns for sums over many."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from functools import cached_property

import numpy as np
import numpy.typing as npt

from jugum.core.evaluation.clustered import OnPapers, intraclass_correlation

Floats = npt.NDArray[np.float64]
Ints = npt.NDArray[np.int64]
Bools = npt.NDArray[np.bool_]

# Values at least so sure tell how much more often values of one paper are wrong together. Those that pass would be
# the ones to ask, but few of them are wrong, and the correlation of rare events is mostly noise.
LOOSE = 0.5
UNKNOWN_LAYOUT = -1.0  # confidence of what no threshold lets pass


class EvidenceSource(StrEnum):
    """How the truth of a decision became known."""

    HELD_OUT = "held out"  # a labelled sample that was not learned from in that round
    TEST_SET = "test set"
    SPOT_CHECK = "spot check"  # a live value that had passed
    REVIEW = "review"  # a live value that was held


@dataclass(frozen=True)
class Evidence:
    """A decision about a field of a paper whose truth is known: its calibrated confidence (0–1), whether it was right,
    the similarity of the paper's layout to the labelled ones (0–1), the paper and its layout group, how its truth
    became known, with which probability (0–1] such a value is looked at, and how long ago that was."""

    field: str
    confidence: float
    right: bool
    layout_similarity: float = 1.0
    paper: str = ""
    layout_group: int = 0
    source: EvidenceSource = EvidenceSource.HELD_OUT
    probability: float = 1.0
    age_days: float = 0.0


@dataclass(frozen=True)
class EvidenceTable:
    """N decisions as columns: `field` are places in `fields`, `paper` numbers from 0 without gaps. A decision counts
    `weight`: one divided by its probability of being looked at, less the older it is."""

    fields: tuple[str, ...]
    field: Ints
    paper: Ints
    confidence: Floats
    layout_similarity: Floats
    wrong: Bools
    weight: Floats

    @staticmethod
    def of(
        rows: Iterable[Evidence], keys: Sequence[str] | None = None, *, half_life_days: float | None = None
    ) -> EvidenceTable:
        """Rows as columns; of some fields only, in their order, where `keys` are given. What is `half_life_days` old
        counts half; without it age changes nothing."""
        kept = [row for row in rows if keys is None or row.field in keys]
        names = tuple(sorted({row.field for row in kept}) if keys is None else keys)
        place = {name: number for number, name in enumerate(names)}
        papers = np.array([row.paper for row in kept], dtype=object).astype(str)
        age = np.array([row.age_days for row in kept], dtype=np.float64)
        fade = 1.0 if half_life_days is None else 0.5 ** (age / half_life_days)
        return EvidenceTable(
            names,
            np.array([place[row.field] for row in kept], dtype=np.int64),
            np.unique(papers, return_inverse=True)[1].astype(np.int64),
            np.array([row.confidence for row in kept], dtype=np.float64),
            np.array([row.layout_similarity for row in kept], dtype=np.float64),
            np.array([not row.right for row in kept], dtype=np.bool_),
            np.broadcast_to(fade, age.shape) / np.array([row.probability for row in kept], dtype=np.float64),
        )

    def __len__(self) -> int:
        return len(self.field)

    @property
    def papers(self) -> int:
        """How many papers the decisions stand on."""
        return int(self.paper.max()) + 1 if len(self) else 0

    def where(self, mask: Bools) -> EvidenceTable:
        """The decisions for which a mask (N) is true; their papers are numbered anew."""
        columns = {column.name: getattr(self, column.name)[mask] for column in fields(self) if column.name != "fields"}
        columns["paper"] = np.unique(columns["paper"], return_inverse=True)[1].astype(np.int64)
        return replace(self, **columns)

    def gated(self, layout_similarity_min: float) -> EvidenceTable:
        """The same decisions, of which those on layouts that are not similar enough pass at no threshold: they wait for
        a person whatever their confidence."""
        known = self.layout_similarity >= layout_similarity_min
        return replace(self, confidence=np.where(known, self.confidence, UNKNOWN_LAYOUT))

    @cached_property
    def total_weight(self) -> float:
        """What all decisions count together."""
        return float(self.weight.sum())

    @cached_property
    def correlation(self) -> float:
        """How much more often values of one paper are wrong together (0–1), among values that are not unsure."""
        among = self.confidence >= LOOSE
        return intraclass_correlation(OnPapers.of_numbers(self.paper[among], self.wrong[among]))


__all__ = ["Evidence", "EvidenceSource", "EvidenceTable"]
