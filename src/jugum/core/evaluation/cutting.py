"""How well bundles are cut: papers laid after one another by lot, and cut by a cutter and a classifier that have seen
none of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from jugum.core.classification import OTHER, BundleCutter, TypeClassifier, TypeSample, fit_cutter, fit_types
from jugum.core.evaluation.metrics import bootstrap_interval, share_by_papers
from jugum.core.page import Page
from jugum.core.training.verdicts import Counts
from jugum.errors import NothingToLearn

FOLDS = 3  # bundles are long: five would leave too few papers of a type in each
BUNDLE_PAPERS = (3, 8)  # papers in a made bundle, at least and at most
PAPERS_LEAST = 12  # below these there is nothing to tell


@dataclass(frozen=True)
class CutFigures:
    """Of bundles made: how many, their papers and pages; beginnings of papers found rightly, found, and there (a
    bundle's first page is none), with the 95 % interval of their F1; papers cut out with exactly their pages, with
    the interval of their share. Intervals by bootstrap over bundles. `left_out` says of each fold that could not be
    judged why: the rest of the papers left nothing to learn from."""

    bundles: int
    papers: int
    pages: int
    starts: Counts
    starts_interval: tuple[float, float]
    whole: int
    whole_interval: tuple[float, float]
    left_out: tuple[str, ...] = ()


def cut_figures(samples: Sequence[TypeSample], *, unseen: bool, seed: int = 0) -> CutFigures | None:
    """Judge the cutting of bundles made of held-out papers, three folds of papers or, `unseen`, of whole layout
    groups. None for fewer than twelve papers, for papers of one page each only, and when no fold leaves enough to
    learn from."""
    typed = [sample for sample in samples if sample.type_id != OTHER]
    if len(typed) < PAPERS_LEAST or not any(len(sample.pages) > 1 for sample in typed):
        return None
    rng = np.random.default_rng(seed)
    rows: list[tuple[int, int, int, int, int, int]] = []
    left_out: list[str] = []
    for fold in _folds(typed, unseen, rng):
        inside = set(fold)
        rest = [sample for number, sample in enumerate(typed) if number not in inside]
        try:
            classifier = fit_types(rest)
            cutter = fit_cutter([sample.pages for sample in rest], classifier)
        except NothingToLearn as error:
            left_out.append(str(error))
            continue
        for bundle in _bundles(fold, rng):
            rows.append(_judged([typed[number].pages for number in bundle], cutter, classifier))
    if not rows:
        return None
    right, found, there, whole, papers, pages = (int(sum(column)) for column in zip(*rows, strict=True))
    starts = Counts(right, found, there)
    interval = bootstrap_interval(
        [row[:3] for row in rows], lambda s: 2 * s[0] / (s[1] + s[2]) if s[1] + s[2] else 1.0, seed=seed
    )
    shares = share_by_papers([(row[3], row[4]) for row in rows], seed=seed)
    return CutFigures(len(rows), papers, pages, starts, interval, whole, shares, tuple(left_out))


def _folds(typed: Sequence[TypeSample], unseen: bool, rng: np.random.Generator) -> list[list[int]]:
    """Numbers of the papers in each fold: those of each type, or the layouts of each type, spread evenly."""
    keys = [
        (sample.type_id, sample.group) if unseen else (sample.type_id, number) for number, sample in enumerate(typed)
    ]
    order = sorted(set(keys))
    by_type: dict[int, list[tuple[int, int]]] = {}
    for key in order:
        by_type.setdefault(key[0], []).append(key)
    home: dict[tuple[int, int], int] = {}
    for its in by_type.values():
        for place, at in enumerate(rng.permutation(len(its))):
            home[its[int(at)]] = place % FOLDS
    folds: list[list[int]] = [[] for _ in range(FOLDS)]
    for number, key in enumerate(keys):
        folds[home[key]].append(number)
    return [fold for fold in folds if fold]


def _bundles(fold: Sequence[int], rng: np.random.Generator) -> list[list[int]]:
    """The papers of a fold in an order drawn by lot, in bundles of three to eight; each paper once."""
    order = [fold[int(at)] for at in rng.permutation(len(fold))]
    bundles = []
    while order:
        count = int(rng.integers(BUNDLE_PAPERS[0], BUNDLE_PAPERS[1] + 1))
        bundles.append(order[:count])
        order = order[count:]
    if len(bundles) > 1 and len(bundles[-1]) < 2:
        last = bundles.pop()
        bundles[-1] += last
    return bundles


def _judged(
    papers: Sequence[Sequence[Page]], cutter: BundleCutter, classifier: TypeClassifier
) -> tuple[int, int, int, int, int, int]:
    flat = [page for pages in papers for page in pages]
    true: list[tuple[int, ...]] = []
    for pages in papers:
        start = true[-1][-1] + 1 if true else 0
        true.append(tuple(range(start, start + len(pages))))
    pieces = [piece.pages for piece in cutter.cut(flat, classifier)]
    starts, found = ({numbers[0] for numbers in its} - {0} for its in (true, pieces))
    return len(starts & found), len(found), len(starts), len(set(true) & set(pieces)), len(papers), len(flat)


__all__ = ["CutFigures", "cut_figures"]
