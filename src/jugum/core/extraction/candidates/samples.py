"""Samples with their labels, and which candidate each label means."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum

from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.page import Box, Page, overlap_share, union
from jugum.core.schema import FieldPlan
from jugum.core.values import same_value


@dataclass(frozen=True)
class SampleLabel:
    """The right answer for a field on a paper: its text and normal form, and where it stands if that is known
    (`page` from 1 and `box`, or None for what was only typed). `more_places` are further lines or pages of it;
    `printed` is the name a labeller marked as standing beside it."""

    text: str
    normal: str
    page: int | None = None
    box: Box | None = None
    more_places: tuple[tuple[int, Box], ...] = ()
    printed: str = ""


class LookedAt(StrEnum):
    """What a person looked at on a paper: all of it, labelling or reviewing, or only the values that were held. Those
    are harder than others, and say nothing of how many values are right."""

    LABELLED = "labelled"
    REVIEWED_WHOLE = "reviewed as a whole"
    HELD_VALUES = "reviewed where held"


@dataclass(frozen=True)
class Sample:
    """A labelled paper. `labels` has an entry for each field a person has decided on; an empty tuple says that the
    field is not on this paper. Fields without an entry are unknown and teach nothing."""

    key: str
    pages: tuple[Page, ...]
    labels: Mapping[str, tuple[SampleLabel, ...]]
    looked_at: LookedAt = LookedAt.LABELLED

    @property
    def is_whole(self) -> bool:
        """Whether a person looked at all of it."""
        return self.looked_at is not LookedAt.HELD_VALUES


def gold_candidate(label: SampleLabel, field: FieldPlan, candidates: Sequence[Candidate]) -> int | None:
    """Index of the candidate that a label means, or None.

    With a place: the candidate of most overlap there (Jaccard of areas over 0.5, then the right value first). Without:
    the only candidate of that value; several equal values don't tell which one was meant.
    """
    if label.box is not None:
        whole = union([label.box, *(box for page, box in label.more_places if page == label.page)])
        common = [
            max(_jaccard(candidate.box, label.box), _jaccard(candidate.box, whole))
            if candidate.page == label.page
            else 0.0
            for candidate in candidates
        ]
        scored = [
            (same_value(candidate.normal, label.normal, field.value_type), common[index], -index)
            for index, candidate in enumerate(candidates)
            if common[index] > 0.5
        ]
        return -max(scored)[2] if scored else None
    equal = [
        index
        for index, candidate in enumerate(candidates)
        if candidate.widest and same_value(candidate.normal, label.normal, field.value_type)
    ]
    return equal[0] if len(equal) == 1 else None


def _jaccard(a: Box, b: Box) -> float:
    shared = overlap_share(a, b) * min(a.area, b.area)
    return shared / (a.area + b.area - shared) if shared > 0 else 0.0
