"""The papers of one type as layouts: how like each two are, which of them are of one form, and how familiar a new
paper is."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Hashable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from functools import cache, cached_property
from importlib.resources import files
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.classification.lookalikes import Layout, layout_similarity

Floats = npt.NDArray[np.float64]
RESPECTS = ("places", "pairs", "words", "opening")
LONE = 0.2  # of what stands on one paper alone, beside what stands on two or more: a value or a misread word
# Log-odds of the shipped weights between which "the same" may begin; all is one layout when the least alike are above.
NEVER_BELOW, SURELY_SAME, MOST = -5.5, 1.5, 3.0
ONE_LAYOUT_SHARE = 0.4  # of the gap beneath the least alike, beside gaps between others (measured on pairs of papers)
EACH_ITS_OWN, OWN_SHARE = -1.0, 0.5  # log-odds of the most alike under which it may be, and of its gap beside others
STEP = 1.0  # log-odds beyond what was seen, where nothing stands on the other side
ROUNDING = 1e-9  # a mean that is exactly the least likeness still joins
SAME = 0.5  # likeness from which on two layouts are rather the same than not
SPREAD = (0.25, 1.0)  # log-odds of the weights for one of likeness


@dataclass(frozen=True)
class Scale:
    """What likeness means for one type: the log-odds at which "the same" and "another layout" are as likely, and how
    many of them are worth one log-odds of likeness."""

    middle: float
    spread: float

    def likeness(self, log_odds: npt.ArrayLike) -> Floats:
        """Likeness, 0–1: 0.5 at the middle."""
        away = (np.asarray(log_odds, dtype=np.float64) - self.middle) / self.spread
        return np.asarray(1 / (1 + np.exp(-np.clip(away, -30, 30))))


class LayoutBook:
    """Layouts of papers of one type, compared with one another: what stands on two papers or more is print, what
    stands on one is a value. `groups` are theirs where people or an earlier look have said them, else they are found.
    """

    def __init__(
        self, layouts: Sequence[Layout], groups: Sequence[int] | None = None, scale: Scale | None = None
    ) -> None:
        self.layouts = list(layouts)
        self._counts: tuple[Counter[Hashable], ...] = tuple(
            Counter(thing for layout in self.layouts for thing in things_of(layout)) for things_of in _THINGS
        )
        self._weighed = [self._weigh(layout, 1) for layout in self.layouts]
        self._groups = list(groups) if groups is not None else None
        self._scale = scale

    @cached_property
    def log_odds(self) -> Floats:
        """N×N log-odds of "the same layout" by the shipped weights; the diagonal is the highest of them."""
        count = len(self.layouts)
        found = np.full((count, count), MOST)
        for row in range(count):
            for column in range(row):
                found[row, column] = found[column, row] = self._pair(self.layouts[row], self._weighed[row], column)
        return found

    @cached_property
    def groups(self) -> list[int]:
        """Group numbers from 0 in order of first member (or those given)."""
        return self._groups if self._groups is not None else grouped(self.log_odds)

    @cached_property
    def scale(self) -> Scale:
        """Half way between the least alike of one layout (nearest mates, 10 % quantile) and the most alike of different
        ones (90 % quantile); the further these are apart, the more a step is worth."""
        if self._scale is not None:
            return self._scale
        mates = np.equal.outer(self.groups, self.groups)
        np.fill_diagonal(mates, False)
        others = ~mates
        np.fill_diagonal(others, False)
        near = [float(row[its].max()) for row, its in zip(self.log_odds, mates, strict=True) if its.any()]
        far = [float(row[its].max()) for row, its in zip(self.log_odds, others, strict=True) if its.any()]
        same = float(np.quantile(near, 0.1)) if near else None
        other = float(np.quantile(far, 0.9)) if far else None
        if same is None:
            return Scale(0.0 if other is None else max(0.0, other + STEP), SPREAD[1])
        if other is None:
            return Scale(min(0.0, same - STEP), SPREAD[1])
        return Scale((same + other) / 2, float(np.clip((same - other) / 4, *SPREAD)))

    def likeness(self, layout: Layout) -> Floats:
        """Likeness (0–1) of a new paper's layout to each of the book."""
        weighed = self._weigh(layout, 0)
        odds = [self._pair(layout, weighed, number) for number in range(len(self.layouts))]
        return self.scale.likeness(odds) if odds else np.zeros(0)

    def likeness_among(self, layout: Layout, others: Sequence[Layout]) -> Floats:
        """Likeness (0–1) of a new paper's layout to those of other new ones, on the scale of the book's papers."""
        book = LayoutBook([*self.layouts, layout, *others], scale=self.scale)
        mine = len(self.layouts)
        odds = [book._pair(layout, book._weighed[mine], mine + 1 + number) for number in range(len(others))]
        return self.scale.likeness(odds) if odds else np.zeros(0)

    @cached_property
    def likeness_within(self) -> Floats:
        """N×N likeness (0–1) of the book's own papers, 1 on the diagonal."""
        found = self.scale.likeness(self.log_odds)
        np.fill_diagonal(found, 1.0)
        return found

    def joined(self, known: Sequence[int | None]) -> list[int | None]:
        """For each paper of the book its group among those `known` of others (None: of none yet): what is known stays;
        another paper joins the group of the most alike of the papers that it is grouped with here, if any of these has
        one; None else."""
        found = list(known)
        for paper, group in enumerate(known):
            if group is None:
                mates = [n for n, its in enumerate(self.groups) if its == self.groups[paper] and known[n] is not None]
                found[paper] = known[max(mates, key=lambda mate: self.log_odds[paper, mate])] if mates else None
        return found

    def _weigh(self, layout: Layout, known: int) -> tuple[_Weighed, ...]:
        """What stands on a paper, apart by whether it stands on more than `known` papers of the book."""
        found = []
        for things_of, counts in zip(_THINGS, self._counts, strict=True):
            things = things_of(layout)
            lone = frozenset(thing for thing in things if counts[thing] <= known)
            found.append(_Weighed(things, lone, len(things) - (1 - LONE) * len(lone)))
        return tuple(found)

    def _pair(self, layout: Layout, weighed: Sequence[_Weighed], number: int) -> float:
        """Log-odds that a layout and one of the book are the same."""
        if not layout.texts or not self.layouts[number].texts:
            return NEVER_BELOW - STEP
        weights, bias = shipped_weights()
        return float(np.dot(weights, self._figures(layout, weighed, number)) + bias)

    def figures(self, one: int, other: int) -> list[float]:
        """How like two papers of the book are in each of RESPECTS, 0–1."""
        return self._figures(self.layouts[one], self._weighed[one], other)

    def _figures(self, layout: Layout, weighed: Sequence[_Weighed], number: int) -> list[float]:
        shares = [mine.dice(its) for mine, its in zip(weighed, self._weighed[number], strict=True)]
        return [layout_similarity(layout, self.layouts[number]), *shares]

    def to_data(self) -> dict[str, Any]:
        """JSON-able: the layouts, their groups, and the scale that they taught."""
        return {
            "layouts": [layout.to_data() for layout in self.layouts],
            "groups": [int(group) for group in self.groups],
            "middle": round(self.scale.middle, 4),
            "spread": round(self.scale.spread, 4),
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> LayoutBook:
        """The inverse of `to_data`."""
        layouts = [Layout.from_data(layout) for layout in data["layouts"]]
        return LayoutBook(layouts, data.get("groups"), Scale(float(data["middle"]), float(data["spread"])))


_THINGS: tuple[Callable[[Layout], AbstractSet[Any]], ...] = (
    lambda layout: layout.pairs,
    lambda layout: layout.words,
    lambda layout: layout.opening,
)


@dataclass(frozen=True)
class _Weighed:
    """Things of a paper, those that no other paper has, and the weight of all: of the lone ones a fifth each."""

    things: AbstractSet[Any]
    lone: AbstractSet[Any]
    weight: float

    def dice(self, other: _Weighed) -> float:
        """Dice share of the things that two papers have in common (Dice, 1945). What they have in common is no lone
        thing of either, whatever the other papers hold."""
        common = self.things & other.things
        if not common:
            return 0.0
        found_again = (1 - LONE) * (len(common & self.lone) + len(common & other.lone))
        return 2 * len(common) / (self.weight + other.weight + found_again)


def grouped(log_odds: Floats) -> list[int]:
    """Group numbers from 0 in order of first member: linked down to the widest gap between the likenesses at which
    groups join. How alike papers of one layout are differs from type to type; that they are more alike than others does
    not.

    log_odds: N×N, symmetric. All is one layout when even the least alike are surely the same.
    """
    if len(log_odds) < 2:
        return [0] * len(log_odds)
    alike = np.minimum(log_odds, MOST)
    return linked(alike, _cut(_joins(alike)))


def linked(alike: Floats, least: float) -> list[int]:
    """Group numbers from 0 in order of first member, by average linkage (Sokal and Michener, 1958): two groups are
    joined, the most alike first, while the mean likeness between their members is at least `least`.

    alike: N×N, symmetric. Three papers, the first two .8 alike and the third .1 like both → [0, 0, 1] at .5.
    """
    if len(alike) < 2:
        return [0] * len(alike)
    from scipy.cluster.hierarchy import fcluster  # here: loading SciPy would delay every start by half a second

    tree, most = _tree(alike)
    found = fcluster(tree, t=most - least + ROUNDING, criterion="distance")
    numbers: dict[int, int] = {}
    return [numbers.setdefault(int(group), len(numbers)) for group in found]


def _joins(alike: Floats) -> Floats:
    """The mean likenesses at which groups join, the highest first."""
    tree, most = _tree(alike)
    return most - tree[:, 2]


def _tree(alike: Floats) -> tuple[Floats, float]:
    """SciPy's linkage tree over how much less alike papers are than the most alike, and how alike these are."""
    from scipy.cluster.hierarchy import linkage
    from scipy.spatial.distance import squareform

    most = float(alike.max())
    distance = most - (alike + alike.T) / 2
    np.fill_diagonal(distance, 0.0)
    return np.asarray(linkage(squareform(distance, checks=False), method="average")), most


def _cut(joins: Floats) -> float:
    """Where to cut: the middle of the widest gap among the log-odds (falling) at which groups join."""
    likely = [float(join) for join in joins if join > NEVER_BELOW]
    if not likely:
        return MOST
    if len(joins) == 1:  # of two papers no other gap tells anything
        return likely[0] - STEP if likely[0] >= EACH_ITS_OWN else likely[0] + STEP
    whole = len(likely) == len(joins)
    if whole and likely[-1] >= SURELY_SAME:
        return likely[-1] - STEP
    gaps = [(high - low, (high + low) / 2) for high, low in pairwise(likely) if low < SURELY_SAME]
    gaps.append((ONE_LAYOUT_SHARE * (likely[-1] - NEVER_BELOW), likely[-1] - STEP if whole else NEVER_BELOW))
    if likely[0] < MOST:  # perhaps each is of a layout of its own
        gaps.append((OWN_SHARE * max(0.0, EACH_ITS_OWN - likely[0]), (likely[0] + MOST) / 2))
    return max(gaps)[1]


@cache
def shipped_weights() -> tuple[Floats, float]:
    """Weights of RESPECTS and the bias; see `prior/layouts.py`."""
    data = json.loads(files("jugum.core.classification").joinpath("data/layouts.json").read_text("utf-8"))
    return np.array([data["weights"][name] for name in RESPECTS]), float(data["bias"])


@dataclass(frozen=True)
class BookOfPlaces:
    """What versions from before layouts were compared in several respects have: likeness is by words and places, as the
    thresholds that were set for them mean it."""

    layouts: tuple[Layout, ...]

    @property
    def groups(self) -> list[int]:
        """None were kept: every paper is of a group of its own."""
        return list(range(len(self.layouts)))

    def likeness(self, layout: Layout) -> Floats:
        """Likeness (0–1) of a paper's layout to each of the book."""
        return np.array([layout_similarity(layout, other) for other in self.layouts])

    def likeness_among(self, layout: Layout, others: Sequence[Layout]) -> Floats:
        """Likeness (0–1) of a new paper's layout to those of other new ones."""
        return np.array([layout_similarity(layout, other) for other in others])

    def to_data(self) -> list[Any]:
        """JSON-able."""
        return [layout.to_data() for layout in self.layouts]


AnyBook = LayoutBook | BookOfPlaces
NEW_LAYOUT = -1  # stands for the group of a paper that is like none


def group_by(alike: npt.NDArray[np.floating], groups: Sequence[int] | npt.NDArray[np.integer]) -> int:
    """The group of the paper that is most alike (`alike`: N likenesses, `groups`: N), NEW_LAYOUT when none is like."""
    nearest = int(np.argmax(alike)) if len(alike) else 0
    return int(groups[nearest]) if len(alike) and alike[nearest] >= SAME else NEW_LAYOUT


def book_from(data: Any) -> AnyBook:
    """A book from its data, of either kind."""
    if isinstance(data, list):
        return BookOfPlaces(tuple(Layout.from_data(layout) for layout in data))
    return LayoutBook.from_data(data)


__all__ = [
    "NEW_LAYOUT",
    "SAME",
    "AnyBook",
    "BookOfPlaces",
    "LayoutBook",
    "Scale",
    "book_from",
    "group_by",
    "grouped",
    "linked",
]
