"""How fast people label: papers in an hour of work, pauses left out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

PAUSE_SECONDS = 120.0  # a longer pause is no labelling


@dataclass(frozen=True)
class Pace:
    """`papers` finished in `hours` of work; `an_hour` is None below a minute of work."""

    papers: int
    hours: float
    an_hour: float | None


def papers_an_hour(acts: Sequence[tuple[int, float, bool]]) -> Pace:
    """From acts of labelling: (person, seconds since an epoch, whether it finished a paper). Work is the time between
    two acts of one person, pauses of over two minutes left out; a paper counts when it was finished within work.

    Acts at 0, 30 and 60 s, the last of which finished a paper → 1 paper in 1/60 h, 60 an hour.
    """
    by_person: dict[int, list[tuple[float, bool]]] = {}
    for person, at, finished in acts:
        by_person.setdefault(person, []).append((at, finished))
    seconds, papers = 0.0, 0
    for its in by_person.values():
        for (before, _), (now, finished) in pairwise(sorted(its)):
            if 0.05 < now - before <= PAUSE_SECONDS:
                seconds += now - before
                papers += finished
    return Pace(papers, seconds / 3600, papers / (seconds / 3600) if seconds >= 60 else None)


def median_of(values: Sequence[float]) -> float | None:
    """The median of seconds; None of none."""
    return float(median(values)) if values else None
