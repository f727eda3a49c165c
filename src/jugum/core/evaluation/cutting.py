"""How well bundles are cut, and how sure that is: papers laid after one another by lot, and cut by a cutter and a
classifier that have seen none of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

from jugum.core.classification import OTHER, BundleCutter, Piece, TypeClassifier, TypeSample, fit_cutter, fit_types
from jugum.core.classification.type_training import NEW_LAYOUT_SHARE
from jugum.core.evaluation.metrics import bootstrap_interval, share_by_papers
from jugum.core.page import Page
from jugum.core.training.verdicts import Counts
from jugum.errors import NothingToLearn

Floats = npt.NDArray[np.float64]
FOLDS = 3  # bundles are long: five would leave too few papers of a type in each
BUNDLE_PAPERS = (3, 8)  # papers in a made bundle, at least and at most
PAPERS_LEAST = 12  # below these there is nothing to tell
# Papers of the type of the one before them, where there is one left: post comes in runs, and two papers of one type are
# the hardest to part.
SAME_TYPE = 0.4


@dataclass(frozen=True)
class SplitEvidence:
    """A made bundle that was cut by what had not seen it: how sure the least sure of its pieces was (0–1), whether all
    papers came out with exactly their pages, and by number the samples it was made of."""

    sure: float
    right: bool
    samples: tuple[int, ...]


def split_weights(known: int, new: int) -> Floats:
    """What each of some bundles of known layouts, and after them of new ones, counts: as they are assumed to come in,
    however many of each were judged. Their sum is their number."""
    if not known or not new:
        return np.ones(known + new)
    share = np.repeat([(1 - NEW_LAYOUT_SHARE) / known, NEW_LAYOUT_SHARE / new], [known, new])
    return np.asarray(share * (known + new))


def least_sure(pieces: Sequence[Piece]) -> float:
    """How sure a bundle's cuts are (0–1): its least sure piece."""
    return min((piece.sure for piece in pieces), default=0.0)


@dataclass(frozen=True)
class CutFigures:
    """Of bundles made: how many, their papers and pages; beginnings of papers found rightly, found, and there (a
    bundle's first page is none), with the 95 % interval of their F1; papers cut out with exactly their pages, with
    the interval of their share. Intervals by bootstrap over bundles. `left_out` says of each fold that could not be
    judged why: the rest of the papers left nothing to learn from. `evidence`: a row for each bundle."""

    bundles: int
    papers: int
    pages: int
    starts: Counts
    starts_interval: tuple[float, float]
    whole: int
    whole_interval: tuple[float, float]
    left_out: tuple[str, ...] = ()
    evidence: tuple[SplitEvidence, ...] = ()


def cut_figures(
    samples: Sequence[TypeSample], *, unseen: bool, reject: Floats | None = None, seed: int = 0
) -> CutFigures | None:
    """Judge the cutting of bundles made of held-out papers, three folds of papers or, `unseen`, of whole layout
    groups; types are as sure as the acceptance model `reject` of their classifier says. None for fewer than twelve
    papers, for papers of one page each only, and when no fold leaves enough to learn from."""
    typed = [sample for sample in samples if sample.type_id != OTHER]
    if len(typed) < PAPERS_LEAST or not any(len(sample.pages) > 1 for sample in typed):
        return None
    rng = np.random.default_rng(seed)
    rows: list[_Row] = []
    left_out: list[str] = []
    evidence: list[SplitEvidence] = []
    for fold in _folds(typed, unseen, rng):
        inside = set(fold)
        rest = [sample for number, sample in enumerate(typed) if number not in inside]
        try:
            classifier = fit_types(rest, reject)
            cutter = fit_cutter([sample.pages for sample in rest], classifier)
        except NothingToLearn as error:
            left_out.append(str(error))
            continue
        for bundle in _bundles(fold, [typed[number].type_id for number in fold], rng):
            its = [typed[number] for number in bundle]
            row, sure = _judged([sample.pages for sample in its], cutter, classifier)
            rows.append(row)
            rightly = row.whole == row.papers and row.found == row.there
            evidence.append(SplitEvidence(sure, rightly, tuple(sample.number for sample in its)))
    if not rows:
        return None
    right, found, there, whole, papers, pages = (int(sum(column)) for column in zip(*rows, strict=True))
    starts = Counts(right, found, there)
    interval = bootstrap_interval(
        [row[:3] for row in rows], lambda s: 2 * s[0] / (s[1] + s[2]) if s[1] + s[2] else 1.0, seed=seed
    )
    shares = share_by_papers([(row[3], row[4]) for row in rows], seed=seed)
    return CutFigures(len(rows), papers, pages, starts, interval, whole, shares, tuple(left_out), tuple(evidence))


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


def _bundles(fold: Sequence[int], types: Sequence[int], rng: np.random.Generator) -> list[list[int]]:
    """The papers of a fold (their types given) in an order drawn by lot, two in five after one of their own type, in
    bundles of three to eight; each paper once."""
    left = [int(at) for at in rng.permutation(len(fold))]
    order: list[int] = []
    while left:
        alike = [at for at in left if order and types[at] == types[order[-1]]]
        chosen = alike[0] if alike and rng.random() < SAME_TYPE else left[0]
        left.remove(chosen)
        order.append(chosen)
    papers = [fold[at] for at in order]
    bundles = []
    while papers:
        count = int(rng.integers(BUNDLE_PAPERS[0], BUNDLE_PAPERS[1] + 1))
        bundles.append(papers[:count])
        papers = papers[count:]
    if len(bundles) > 1 and len(bundles[-1]) < 2:
        last = bundles.pop()
        bundles[-1] += last
    return bundles


class _Row(NamedTuple):
    """Of a bundle: beginnings found rightly, found, and there; papers whole, papers, pages."""

    found_right: int
    found: int
    there: int
    whole: int
    papers: int
    pages: int


def _judged(papers: Sequence[Sequence[Page]], cutter: BundleCutter, classifier: TypeClassifier) -> tuple[_Row, float]:
    """The counts of a bundle, and how sure its cut was."""
    flat = [page for pages in papers for page in pages]
    true: list[tuple[int, ...]] = []
    for pages in papers:
        start = true[-1][-1] + 1 if true else 0
        true.append(tuple(range(start, start + len(pages))))
    pieces = cutter.cut(flat, classifier)
    cut = [piece.pages for piece in pieces]
    starts, found = ({numbers[0] for numbers in its} - {0} for its in (true, cut))
    row = _Row(len(starts & found), len(found), len(starts), len(set(true) & set(cut)), len(papers), len(flat))
    return row, least_sure(pieces)


__all__ = [
    "CutFigures",
    "SplitEvidence",
    "cut_figures",
    "least_sure",
    "split_weights",
]
