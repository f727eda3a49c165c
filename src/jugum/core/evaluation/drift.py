"""Drift: what is other with the papers that come in now than with those that a policy was made on, and why.

Papers are the units: values of one paper are alike. A change is told when chance alone would hardly give it and when it
is large enough to matter. Its cause is what explains it away: a change that is gone once papers of new layouts are left
out comes of new layouts; one that is gone once badly read papers are left out comes of bad scans; one of a single field
that is missing is of that field.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from statistics import fmean, quantiles

CHANCE_MOST = 0.005  # of a difference at least as large, if nothing had changed; some ten figures are looked at
CHANGE_LEAST = 0.05  # of a share or a mean confidence (0–1): less is not worth a word
PAPERS_LEAST = 10  # on both sides
LEFT_MOST = 0.5  # of a change, where what was left out explains it
CHANCE_LEFT = 0.05  # or what is left is no surer than this
BADLY_READ = 0.1  # of the papers before were read so badly, or worse


class DriftFigure(StrEnum):
    """What is compared, all of them shares or means from 0 to 1."""

    STRAIGHT_THROUGH = "straight through"
    NEW_LAYOUTS = "papers of new layouts"
    CONFIDENCE = "mean confidence"
    READING = "reading confidence"
    MISSING = "missing"


class DriftCause(StrEnum):
    """What most likely lies behind a change."""

    NEW_LAYOUTS = "new layouts"
    BAD_SCANS = "bad scans"
    FIELD_STOPPED = "a field stopped appearing"
    FIELD_BEGAN = "a field appears more often"
    UNKNOWN = "not known"


@dataclass(frozen=True)
class LivePaper:
    """A live paper as drift sees it: whether it passed whole, whether its layout is new, the mean confidence of its
    values and of its reading (0–1), and the keys of the fields that were not found on it."""

    through: bool
    new_layout: bool
    confidence: float
    reading: float
    missing: frozenset[str] = field(default_factory=frozenset)


@dataclass(frozen=True)
class Drift:
    """A figure that changed (of the field `key`, where it is one that is missing) from `before` to `now` (0–1), on so
    many papers each, the chance of that if nothing had changed, and its likely cause."""

    figure: DriftFigure
    before: float
    now: float
    papers_before: int
    papers_now: int
    chance: float
    cause: DriftCause
    key: str = ""


Measure = Callable[[LivePaper], float]
MEASURES: dict[DriftFigure, Measure] = {
    DriftFigure.STRAIGHT_THROUGH: lambda paper: float(paper.through),
    DriftFigure.NEW_LAYOUTS: lambda paper: float(paper.new_layout),
    DriftFigure.CONFIDENCE: lambda paper: paper.confidence,
    DriftFigure.READING: lambda paper: paper.reading,
}


def drift(before: Sequence[LivePaper], now: Sequence[LivePaper]) -> list[Drift]:
    """What changed between two times, the surest first; nothing where either has under ten papers."""
    if min(len(before), len(now)) < PAPERS_LEAST:
        return []
    measures: list[tuple[DriftFigure, str, Measure]] = [(figure, "", measure) for figure, measure in MEASURES.items()]
    keys = sorted({key for paper in (*before, *now) for key in paper.missing})
    measures += [(DriftFigure.MISSING, key, _missing(key)) for key in keys]
    found = []
    for figure, key, measure in measures:
        if _changed(before, now, measure):
            means = fmean(map(measure, before)), fmean(map(measure, now))
            cause = _cause(figure, before, now, measure)
            chance = chance_of_change(list(map(measure, before)), list(map(measure, now)))
            found.append(Drift(figure, *means, len(before), len(now), chance, cause, key))
    return sorted(found, key=lambda one: (one.chance, -abs(one.now - one.before)))


def _missing(key: str) -> Measure:
    return lambda paper: float(key in paper.missing)


def _changed(before: Sequence[LivePaper], now: Sequence[LivePaper], measure: Measure) -> bool:
    """Whether a measure is surely and noticeably other now."""
    was, becomes = list(map(measure, before)), list(map(measure, now))
    return abs(fmean(becomes) - fmean(was)) >= CHANGE_LEAST and chance_of_change(was, becomes) <= CHANCE_MOST


def chance_of_change(before: Sequence[float], now: Sequence[float]) -> float:
    """The chance (0–1) of means so far apart if nothing had changed (z-test, the variance of both together; for shares
    the test of two proportions)."""
    together = [*before, *now]
    mean = fmean(together)
    variance = sum((value - mean) ** 2 for value in together) / len(together)
    if not variance:
        return 1.0
    error = math.sqrt(variance * (1 / len(before) + 1 / len(now)))
    return math.erfc(abs(fmean(now) - fmean(before)) / error / math.sqrt(2))


def _cause(figure: DriftFigure, before: Sequence[LivePaper], now: Sequence[LivePaper], measure: Measure) -> DriftCause:
    """What explains a change away; for itself a figure says what it is."""
    if figure is DriftFigure.NEW_LAYOUTS:
        return DriftCause.NEW_LAYOUTS
    if figure is DriftFigure.READING:
        return DriftCause.BAD_SCANS if fmean(map(measure, now)) < fmean(map(measure, before)) else DriftCause.UNKNOWN
    change = fmean(map(measure, now)) - fmean(map(measure, before))
    least = quantiles([paper.reading for paper in before], n=round(1 / BADLY_READ))[0]
    ways: tuple[tuple[DriftCause, Callable[[LivePaper], bool]], ...] = (
        (DriftCause.NEW_LAYOUTS, lambda paper: not paper.new_layout),
        (DriftCause.BAD_SCANS, lambda paper: paper.reading >= least),
    )
    for cause, stays in ways:
        was, becomes = ([measure(paper) for paper in papers if stays(paper)] for papers in (before, now))
        fewer = len(becomes) / len(now) < len(was) / len(before) - CHANGE_LEAST
        # what is left must be able to show the change, else its absence says nothing
        if fewer and min(len(was), len(becomes)) >= PAPERS_LEAST and _is_gone(was, becomes, change):
            return cause
    if figure is DriftFigure.MISSING:
        rises = fmean(map(measure, now)) > fmean(map(measure, before))
        return DriftCause.FIELD_STOPPED if rises else DriftCause.FIELD_BEGAN
    return DriftCause.UNKNOWN


def _is_gone(before: Sequence[float], now: Sequence[float], change: float) -> bool:
    """Whether of a change little is left, or no more than chance gives."""
    left = fmean(now) - fmean(before)
    return abs(left) <= LEFT_MOST * abs(change) or chance_of_change(before, now) > CHANCE_LEFT


__all__ = ["Drift", "DriftCause", "DriftFigure", "LivePaper", "chance_of_change", "drift"]
