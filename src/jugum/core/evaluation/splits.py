"""Dealing papers to sets by share: layouts in proportion, or whole layouts kept apart."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jugum.errors import InputError


@dataclass(frozen=True)
class Shares:
    """Shares (0–1) of test and spare papers; the rest is for training."""

    test: float = 0.2
    spare: float = 0.0

    def __post_init__(self) -> None:
        if not (0 <= self.test < 1 and 0 <= self.spare < 1 and self.test + self.spare < 1):
            raise InputError(
                "The shares for testing and spare must be between 0 and 100 % and leave papers for training."
            )


def split_papers(layouts: Sequence[int], shares: Shares, *, apart: bool, seed: int) -> list[str]:
    """The set ("train", "test" or "spare") of each paper, given the layout of each.

    In proportion, each layout gives its share, rounded so that the whole keeps its share too. Apart, whole layouts are
    dealt, the largest first, each to the set that lacks most of its share; with one layout only everything is for
    training.
    """
    rng = np.random.default_rng(seed)
    by_layout: dict[int, list[int]] = defaultdict(list)
    for paper in rng.permutation(len(layouts)):
        by_layout[layouts[paper]].append(int(paper))
    wanted = {"train": 1 - shares.test - shares.spare, "test": shares.test, "spare": shares.spare}
    dealt = ["train"] * len(layouts)
    given = dict.fromkeys(wanted, 0)
    order = sorted(by_layout, key=lambda group: (-len(by_layout[group]), group))
    if apart and len(order) == 1:
        return dealt
    for group in order:
        piles = [by_layout[group]] if apart else [[paper] for paper in by_layout[group]]
        for pile in piles:
            total = sum(given.values()) + len(pile)
            name = max(wanted, key=lambda one: (wanted[one] * total - given[one], one == "train"))
            if wanted[name] <= 0:
                name = "train"
            given[name] += len(pile)
            for paper in pile:
                dealt[paper] = name
    return dealt
