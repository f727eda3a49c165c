"""The stages of a training, and how far it is by the time that each took before."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum


class Stage(StrEnum):
    """What a training does, in order."""

    PICTURES = "looking at pictures"
    COMPARING = "comparing papers"
    HELD_OUT_PAPERS = "testing on held-out papers"
    HELD_OUT_LAYOUTS = "testing on held-out layouts"
    FITTING = "fitting the version"
    TEST_SET = "measuring on the test set"


Progress = Callable[[Stage, float], None]  # the stage, and the share (0–1) of it that is done
# Shares of the time of a first training. Those from comparing to fitting are means of one from 25 pay stubs and one
# from 10 contracts; what pictures and a test set take goes by their number, and is set.
USUAL: Mapping[str, float] = {
    Stage.PICTURES: 0.2,
    Stage.COMPARING: 0.15,
    Stage.HELD_OUT_PAPERS: 0.5,
    Stage.HELD_OUT_LAYOUTS: 0.28,
    Stage.FITTING: 0.06,
    Stage.TEST_SET: 0.01,
}


SHARE_LEAST = 0.05  # below it, what was spent tells too little of what is left


def seconds_left(share: float, spent: float, since: float) -> float | None:
    """Seconds that a training has still to go: `share` (0–1) of it had taken `spent` seconds when it was told, `since`
    seconds ago. None when too little is done to tell."""
    if share < SHARE_LEAST:
        return None
    return round(max(0.0, spent * (1 - share) / share - since), 1)


@dataclass(frozen=True)
class Timetable:
    """How long each stage took (seconds, or any unit): of an earlier training of the type, or what is usual."""

    took: Mapping[str, float] = field(default_factory=lambda: USUAL)

    def share_done(self, stage: Stage, share: float) -> float:
        """The share (0–1) of the whole time that is behind, `share` of a stage being done."""
        took = [self.took.get(each, 0.0) for each in Stage]
        place, total = list(Stage).index(stage), sum(took)
        return (sum(took[:place]) + share * took[place]) / total if total else 0.0

    def without(self, stage: Stage) -> Timetable:
        """The same for a training that leaves a stage out."""
        return Timetable({name: took for name, took in self.took.items() if name != stage})


@dataclass
class Stopwatch:
    """Seconds that each stage takes, told of by the times at which something of it is heard."""

    seconds: dict[str, float] = field(default_factory=dict)
    _last: tuple[Stage, float] | None = None

    def heard(self, stage: Stage, now: float) -> None:
        """The training is in a stage at a time (seconds); the time since the last word belongs to the stage of then."""
        if self._last is not None:
            before, at = self._last
            self.seconds[before] = self.seconds.get(before, 0.0) + now - at
        self._last = stage, now
