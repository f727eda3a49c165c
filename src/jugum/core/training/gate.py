"""The layout gate: how like a labelled paper's layout a new one must be for its values to pass.

No score alone keeps a promise on layouts it has not seen; only a gate on layout similarity does (docs/decisions/0003).
"""

from __future__ import annotations

import numpy as np

from jugum.core.classification.layout_book import SAME
from jugum.core.extraction.values.corpus import Corpus

GATE_QUANTILE = 0.05  # of papers' likeness to their nearest: one known paper in twenty may be held (decision 0003)
GATE_RANGE = (SAME, 0.6)  # below, a paper is rather of another layout; above rests on too few papers (decision 0003)


def least_layout_similarity(corpus: Corpus) -> float:
    """The layout likeness a paper must have to pass: the 5 % quantile of each paper's likeness to its nearest
    layout, held within 0.5 and 0.6. 0.6 when no group has two papers: then nothing shows what familiar means."""
    nearest = []
    for paper in range(len(corpus.samples)):
        mates = (corpus.groups[corpus.reference_papers] == corpus.groups[paper]) & (corpus.reference_papers != paper)
        if mates.any():
            nearest.append(float(corpus.likeness(paper)[mates].max()))
    if not nearest:
        return GATE_RANGE[1]
    return round(float(np.clip(np.quantile(nearest, GATE_QUANTILE), *GATE_RANGE)), 3)
