"""How long reviewing takes, from when fields were settled."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from statistics import median

import numpy as np

PAUSE_SECONDS = 120.0  # a longer pause is no reviewing
PROGRAM_SECONDS = 0.1  # a field: what is settled faster was settled by a program
GAPS_LEAST = 20  # a median of fewer says little
USUAL_WEIGHT = 30.0  # papers that weigh as much as what is usual, until there are measured ones


@dataclass(frozen=True)
class Effort:
    """Seconds of review: to open a paper, and for each field of it that is looked at. `measured_on`: papers it was
    measured on; 0 for what is assumed."""

    opening_seconds: float
    field_seconds: float
    measured_on: int = 0

    def minutes(self, *, papers: float, fields: float) -> float:
        """Minutes for so many papers with so many fields to look at in all."""
        return (papers * self.opening_seconds + fields * self.field_seconds) / 60


USUAL_EFFORT = Effort(6.0, 4.0)  # before anything is measured: an assumption


def effort_of(visits: Sequence[tuple[int, float]]) -> Effort:
    """From papers that were reviewed (fields looked at, seconds): the line through them by least squares, drawn to what
    is usual by as much as there are few; neither part is negative."""
    count = len(visits)
    if not count:
        return USUAL_EFFORT
    fields, seconds = (np.array(column, dtype=np.float64) for column in zip(*visits, strict=True))
    usual = np.array([USUAL_EFFORT.opening_seconds, USUAL_EFFORT.field_seconds])
    design = np.column_stack([np.ones(count), fields])
    # of what is off the usual line, the smallest change of both parts that explains it
    off = np.linalg.lstsq(design, seconds - design @ usual, rcond=None)[0]
    opening, field = np.maximum(usual + off * count / (count + USUAL_WEIGHT), 0.0).tolist()
    return Effort(opening, field, count)


def visits_of(settled: Sequence[tuple[int | None, int, float]]) -> list[tuple[int, float]]:
    """Papers as one person reviewed them at one go, from when fields were settled (person, paper, seconds since an
    epoch): fields and seconds. A paper's time begins when the one before was done, so that the first one after a pause
    of over two minutes says nothing; what a program settled is left out."""
    by_person: dict[int, list[tuple[float, int]]] = defaultdict(list)
    for person, paper, at in settled:
        if person is not None:
            by_person[person].append((at, paper))
    found = []
    for acts in by_person.values():
        for before, run in pairwise(_runs(sorted(acts))):
            if run.began - before.ended <= PAUSE_SECONDS:
                found.append((run.fields, run.ended - before.ended))
    return [(fields, seconds) for fields, seconds in found if seconds >= PROGRAM_SECONDS * fields]


@dataclass
class _Run:
    """Fields of a paper settled one after the other, without a pause."""

    paper: int
    began: float
    ended: float
    fields: int = 1


def _runs(acts: Sequence[tuple[float, int]]) -> list[_Run]:
    runs: list[_Run] = []
    for at, paper in acts:
        if runs and runs[-1].paper == paper and at - runs[-1].ended <= PAUSE_SECONDS:
            runs[-1].ended, runs[-1].fields = at, runs[-1].fields + 1
        else:
            runs.append(_Run(paper, at, at))
    return runs


def seconds_a_field(settled: Sequence[tuple[int | None, float]]) -> float | None:
    """Median seconds between two fields settled by the same person (person, seconds since an epoch), pauses of over two
    minutes and fields settled in the same half second (by a program) left out; None under 20 such gaps."""
    by_person: dict[int, list[float]] = {}
    for person, at in settled:
        if person is not None:
            by_person.setdefault(person, []).append(at)
    gaps = [
        later - earlier
        for times in by_person.values()
        for earlier, later in pairwise(sorted(times))
        if 0.5 <= later - earlier <= PAUSE_SECONDS
    ]
    return median(gaps) if len(gaps) >= GAPS_LEAST else None


__all__ = ["USUAL_EFFORT", "Effort", "effort_of", "seconds_a_field", "visits_of"]
