"""Papers placed and bundles split by the program, as evidence: the same dial, frontier and promise as for fields.

A decision is a paper that is placed in a type, or a bundle that is split. What was judged unseen is counted as it comes
in: known layouts, new ones and strangers by their shares of the post, however many of each were judged.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jugum.core.classification import PlacingEvidence
from jugum.core.classification.type_training import stream_weights
from jugum.core.evaluation.cutting import SplitEvidence, split_weights
from jugum.core.thresholds.evidence import EvidenceTable

BUNDLES = "bundles"  # the key of the one threshold of splitting


def placing_table(evidence: Sequence[PlacingEvidence], types: Sequence[int]) -> EvidenceTable:
    """What papers were taken for, of some types: the types are the fields (their ids as keys). Each judgement is a
    paper of its own: the same paper judged as of a new layout says nothing of it as of a known one."""
    place = {type_id: number for number, type_id in enumerate(types)}
    rows = [row for row in evidence if row.taken_for in place]
    return EvidenceTable(
        tuple(map(str, types)),
        np.array([place[row.taken_for] for row in rows], dtype=np.int64),
        np.arange(len(rows)),
        np.array([row.confidence for row in rows], dtype=np.float64),
        np.ones(len(rows)),
        np.array([not row.right for row in rows], dtype=np.bool_),
        stream_weights([row.acquaintance for row in rows]),
    )


def splitting_table(known: Sequence[SplitEvidence], new: Sequence[SplitEvidence]) -> EvidenceTable:
    """Made bundles of known and of new layouts: one field, each bundle a paper."""
    rows = [*known, *new]
    return EvidenceTable(
        (BUNDLES,),
        np.zeros(len(rows), dtype=np.int64),
        np.arange(len(rows)),
        np.array([row.sure for row in rows], dtype=np.float64),
        np.ones(len(rows)),
        np.array([not row.right for row in rows], dtype=np.bool_),
        split_weights(len(known), len(new)),
    )


__all__ = ["BUNDLES", "placing_table", "splitting_table"]
