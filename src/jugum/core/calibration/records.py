"""Records: how often decisions proved right, by field and by layout, and what was overlooked. The calibrator's last
features and what bounds it rest on them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.classification.layout_book import NEW_LAYOUT, SAME
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.layout_counts import LayoutCounts
from jugum.core.extraction.values.assignment import Decision

Floats = npt.NDArray[np.float64]
AnyDecision = Decision | PartDecision
DRAWN = 4.0  # decisions that a field's record is drawn towards that of all fields by (m-estimate, Cestnik 1990)
NOTHING = "no "  # before a field's key, in records of decisions that nothing is there; no key has a blank
SURE_MOST = 1e-4  # no share is nearer to 0 or 1 than so, where its log-odds are taken


def denies(decision: AnyDecision) -> bool:
    """Whether it says that a mark is not there: no ink for a signature, an empty box. Nothing on the page speaks for
    that, and a pen that was overlooked looks the same."""
    if not isinstance(decision, PartDecision) or decision.kind is not PartKind.MARK:
        return False
    return bool(decision.features.get("says_no") or decision.features.get("absent"))


@dataclass(frozen=True)
class FieldRecords:
    """How often decisions on each field were right, on familiar and on strange layouts: (field, familiar) → right, all.
    Fields differ: a total may be found on every paper and a place on two of three, at the same scores. What is said of
    strange layouts rests on how many there were, not on their papers, which are right or wrong together: a layout
    counts as one decision, right by the share of its papers."""

    counts: Mapping[tuple[str, bool], tuple[float, float]]

    @staticmethod
    def of(
        decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_], layouts: Sequence[int] | None = None
    ) -> FieldRecords:
        """layouts: the layout group of each decision's paper, also where it was held out (each its own when not
        given)."""
        of_layout: dict[tuple[str, bool, int], list[bool]] = {}
        for decision, good, layout in zip(decisions, right, layouts or range(len(decisions)), strict=True):
            key = decision.field, decision.layout_similarity >= SAME, layout
            of_layout.setdefault(key, []).append(bool(good))
        counts: dict[tuple[str, bool], tuple[float, float]] = {}
        for (field, familiar, _), its in of_layout.items():
            hits, total = counts.get((field, familiar), (0, 0))
            share = (sum(its), len(its)) if familiar else (sum(its) / len(its), 1)
            counts[field, familiar] = hits + share[0], total + share[1]
        return FieldRecords(counts)

    def log_odds(self, decisions: Sequence[AnyDecision]) -> Floats:
        """By how much the log-odds of each decision's field are above those of all fields on such layouts (0 for a
        field nothing is known of). On strange layouts never by more than on familiar ones: strangeness must not speak
        for a decision."""
        familiar, strange = self._above[True], self._above[False]
        found = []
        for decision in decisions:
            above = familiar.get(decision.field, 0.0)
            if decision.layout_similarity < SAME:
                above = min(above, strange.get(decision.field, 0.0))
            found.append(above)
        return np.array(found, dtype=np.float64)

    @cached_property
    def _above(self) -> dict[bool, dict[str, float]]:
        """Familiar or not → field → its log-odds above those of all fields there, whose share is by Laplace's rule of
        succession; drawn towards it as if four more decisions had been as good."""
        found: dict[bool, dict[str, float]] = {}
        for familiar in (False, True):
            its = {field: count for (field, known), count in self.counts.items() if known is familiar}
            share = (sum(hits for hits, _ in its.values()) + 1) / (sum(total for _, total in its.values()) + 2)
            rates = {field: (hits + DRAWN * share) / (total + DRAWN) for field, (hits, total) in its.items()}
            found[familiar] = {field: log_odds(rate) - log_odds(share) for field, rate in rates.items()}
        return found

    def to_data(self) -> dict[str, list[float]]:
        """JSON-able: field → right and all on strange, then on familiar layouts."""
        return {
            field: [round(count, 4) for known in (False, True) for count in self.counts.get((field, known), (0, 0))]
            for field in sorted({field for field, _ in self.counts})
        }

    @staticmethod
    def from_data(data: Mapping[str, Sequence[float]]) -> FieldRecords:
        """The inverse; nothing is known of fields without an entry."""
        counts = {}
        for field, (strange, of_strange, familiar, of_familiar) in data.items():
            counts[field, False], counts[field, True] = (strange, of_strange), (familiar, of_familiar)
        return FieldRecords(counts)


@dataclass(frozen=True)
class LayoutRecords(LayoutCounts):
    """How often decisions on each field were right on papers of each layout: (field, layout group) → right, all; those
    that nothing is there apart (`_said_of`). A form whose names stand in boxes may be read badly while all others are
    read well, at the same scores; and where a date is always left out, it is surely not there."""

    @staticmethod
    def of(decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_]) -> LayoutRecords:
        """Counted on decisions of known layouts; `right` says of each whether it was."""
        return LayoutRecords.counted(
            (_said_of(decision), decision.layout, bool(good))
            for decision, good in zip(decisions, right, strict=True)
            if decision.layout != NEW_LAYOUT
        )

    def seen(self, decision: AnyDecision) -> int:
        """How many decisions on the decision's field were counted on papers of its layout."""
        return sum(
            self.counts.get((field, decision.layout), (0, 0))[1] for field in (decision.field, NOTHING + decision.field)
        )

    def log_odds(self, decisions: Sequence[AnyDecision], own: npt.NDArray[np.bool_] | None = None) -> Floats:
        """By how much the log-odds of each decision's field on papers of its layout are above those of the field on all
        known layouts; 0 on new ones. `own` says of decisions that are among those counted whether each is right: it
        is left out of its own record."""
        found = []
        for number, decision in enumerate(decisions):
            field = _said_of(decision)
            hits, total = self.counts.get((field, decision.layout), (0, 0))
            every_hit, every = self.by_field.get(field, (0, 0))
            if own is not None and total:
                hits, total = hits - int(own[number]), total - 1
                every_hit, every = every_hit - int(own[number]), every - 1
            share = (every_hit + 1) / (every + 2)
            found.append(log_odds((hits + DRAWN * share) / (total + DRAWN)) - log_odds(share) if total else 0.0)
        return np.array(found, dtype=np.float64)


@dataclass(frozen=True)
class Oversights(LayoutCounts):
    """How often what stands on papers was overlooked: (field, layout group) → overlooked, and all that was known to
    stand there."""

    @staticmethod
    def of(decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_]) -> Oversights:
        """Right decisions that something is there, and wrong ones that nothing is; of new layouts none."""
        return Oversights.counted(
            (decision.field, decision.layout, not good)
            for decision, good in zip(decisions, right, strict=True)
            if decision.layout != NEW_LAYOUT and says_nothing(decision) != bool(good)
        )

    def share(self, decision: AnyDecision) -> float:
        """The share (0–1) of what stands there that is overlooked (`_drawn`)."""
        return _drawn(self.counts, decision)

    def nothing_there(self, decision: AnyDecision) -> float:
        """The probability (0–1) that nothing is there when nothing was found on a known layout, by Bayes' theorem: from
        how many papers of the layout lack the field, and how often it is overlooked where it stands."""
        lack = 1 / (1 + float(np.exp(-decision.lacking)))
        return lack / (lack + (1 - lack) * self.share(decision))


def _drawn(counts: Mapping[tuple[str, int], tuple[int, int]], decision: AnyDecision) -> float:
    """A share of the decision's field on its layout: that of other fields by Laplace's rule of succession, to which
    that of the field elsewhere is drawn, and to this that on the layout, each as if four more had been like the wider
    circle's."""
    others = [count for (field, _), count in counts.items() if field != decision.field]
    elsewhere = [count for key, count in counts.items() if key[0] == decision.field and key[1] != decision.layout]
    here = counts.get((decision.field, decision.layout), (0, 0))
    share = (sum(hits for hits, _ in others) + 1) / (sum(total for _, total in others) + 2)
    for circle in (elsewhere, [here]):
        hits, total = sum(hits for hits, _ in circle), sum(total for _, total in circle)
        share = (hits + DRAWN * share) / (total + DRAWN)
    return share


def log_odds(share: float) -> float:
    """Of a share (0–1), however near to an end it is."""
    bounded = min(1 - SURE_MOST, max(SURE_MOST, share))
    return float(np.log(bounded / (1 - bounded)))


def _said_of(decision: AnyDecision) -> str:
    """The field of a decision, marked where the decision is that nothing is there."""
    return NOTHING + decision.field if says_nothing(decision) else decision.field


def says_nothing(decision: AnyDecision) -> bool:
    """Whether it says that nothing is there: no value, or no mark."""
    return decision.absent or denies(decision)


@dataclass(frozen=True)
class RightOfASort(LayoutCounts):
    """How often decisions of one sort were right, such as that a mark is not there: (field, layout group) → right, all;
    on new layouts by field."""

    @staticmethod
    def of(
        decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_], sort: Callable[[AnyDecision], bool]
    ) -> RightOfASort:
        """Counted on the decisions that `sort` picks; `right` says of each of all whether it was."""
        return RightOfASort.counted(
            (decision.field, decision.layout, bool(good))
            for decision, good in zip(decisions, right, strict=True)
            if sort(decision)
        )

    def share(self, decision: AnyDecision) -> float:
        """The share (0–1) of them that were right (`_drawn`); never more than N+1 in N+2 of them all."""
        new = decision.layout == NEW_LAYOUT
        alike = {key: count for key, count in self.counts.items() if (key[1] == NEW_LAYOUT) is new}
        every = sum(total for _, total in alike.values())
        return min(_drawn(alike, decision), (every + 1) / (every + 2))

    @classmethod
    def from_data(cls, data: Sequence[Any]) -> RightOfASort:
        """The inverse of `to_data`; two numbers alone are those of all of a version from before fields were parted."""
        if len(data) == 2 and not isinstance(data[0], (list, tuple)):
            return RightOfASort({("", layout): (int(data[0]), int(data[1])) for layout in (NEW_LAYOUT, NEW_LAYOUT + 1)})
        return super().from_data(data)


__all__ = [
    "AnyDecision",
    "FieldRecords",
    "LayoutRecords",
    "Oversights",
    "RightOfASort",
    "denies",
    "log_odds",
    "says_nothing",
]
