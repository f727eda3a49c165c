"""How long reviewing takes, from when fields were settled."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from statistics import median

PAUSE_SECONDS = 120.0  # a longer pause is no reviewing
GAPS_LEAST = 20  # a median of fewer says little


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
