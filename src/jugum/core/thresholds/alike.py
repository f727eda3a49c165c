"""Values of one field over many papers, in the order in which a person looks them over fastest: like beside like.

Eyes that have just judged a value judge the same value again at a glance, and a value at the same place of the same
layout nearly so. What is doubtful stands apart, so that the rest can be agreed to without stumbling over it."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Hashable, Iterable
from dataclasses import dataclass
from enum import StrEnum

DOUBTFUL_BELOW = 0.5  # of confidence: rather wrong than right
SAME_LEAST = 2  # papers with one value that stand together for it


class Alike(StrEnum):
    """What the values of a group have in common."""

    VALUE = "same value"
    LAYOUT = "same layout"
    UNSEEN = "to be said unseen"
    DOUBTFUL = "doubtful"
    NOTHING = "nothing found"


@dataclass(frozen=True)
class SweptValue:
    """What was read of the field on a paper: `normal` is empty where nothing was found, `layout` None where it is like
    no paper known. It is `doubted` where something besides its confidence speaks against it: a check, its data type. An
    `unseen` one is to be said before what was read is shown."""

    paper: int
    normal: str
    layout: Hashable | None = None
    confidence: float | None = None
    doubted: bool = False
    unseen: bool = False


@dataclass(frozen=True)
class AlikeGroup:
    """Papers whose values have something in common: `value` or `layout` says what."""

    alike: Alike
    papers: tuple[int, ...]
    value: str = ""
    layout: Hashable | None = None


def alike_groups(values: Iterable[SweptValue]) -> list[AlikeGroup]:
    """Groups of values in the order of looking over: the same value on several papers, the largest group first;
    others by layout; then those to be said unseen, doubtful ones, and papers on which nothing was found. In a group
    papers of a layout stand together, the least sure last, and each paper is in one group."""
    sure: list[SweptValue] = []
    apart: dict[Alike, list[SweptValue]] = {Alike.UNSEEN: [], Alike.DOUBTFUL: [], Alike.NOTHING: []}
    for value in values:
        if value.unseen:
            apart[Alike.UNSEEN].append(value)
        elif not value.normal and not value.doubted:
            apart[Alike.NOTHING].append(value)
        elif value.doubted or (value.confidence or 0.0) < DOUBTFUL_BELOW:
            apart[Alike.DOUBTFUL].append(value)
        else:
            sure.append(value)
    by_value: dict[str, list[SweptValue]] = defaultdict(list)
    for value in sure:
        by_value[value.normal].append(value)
    by_layout: dict[Hashable | None, list[SweptValue]] = defaultdict(list)
    groups = []
    for normal, its in by_value.items():
        if len(its) >= SAME_LEAST:
            groups.append(AlikeGroup(Alike.VALUE, _papers(its), value=normal))
        else:
            by_layout[its[0].layout].extend(its)
    layouts = [AlikeGroup(Alike.LAYOUT, _papers(its), layout=layout) for layout, its in by_layout.items()]
    groups.sort(key=lambda group: (-len(group.papers), group.value))
    layouts.sort(key=lambda group: (group.layout is None, -len(group.papers), str(group.layout)))
    return [*groups, *layouts, *(AlikeGroup(alike, _papers(its)) for alike, its in apart.items() if its)]


def _papers(values: Iterable[SweptValue]) -> tuple[int, ...]:
    def place(value: SweptValue) -> tuple[bool, str, float, int]:
        return value.layout is None, str(value.layout), -(value.confidence or 0.0), value.paper

    return tuple(value.paper for value in sorted(values, key=place))


__all__ = ["DOUBTFUL_BELOW", "Alike", "AlikeGroup", "SweptValue", "alike_groups"]
