"""Learning from few papers: share of values right on known and new layouts, with two baselines beside it in the same
run.

    .venv/bin/python -m bench.learning                      words from text layers, 1 to 50 papers a type
    .venv/bin/python -m bench.learning --scans              words from OCR of scans, 25 papers a type
    .venv/bin/python -m bench.learning --grow               time and memory of training from 50 to 1,000 papers

Papers come from `bench/families.py`. Per type: labelled papers of layouts 0 to 4, tests on fresh papers of these and
of layouts 5 to 8. F1 counts a value right when it is the same in normal form (micro: over all values of all tests); a
field rightly left empty counts for neither side.
"""

from __future__ import annotations

import argparse
import io
import os
import random
import resource
import time
from collections import defaultdict
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from bench.baselines import template
from bench.families import FAMILIES, LAYOUTS, SEEN, Drawn
from jugum.core.classification import layout_of
from jugum.core.evaluation.metrics import calibration_error
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.model import AnyDecision
from jugum.core.extraction.parts import fit_parts
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.same_layout import suggest_from_same_layout
from jugum.core.extraction.values.second_opinion import fit_tagger, tagged
from jugum.core.ocr import CarefulEngine, open_paper, read_page
from jugum.core.page import Box, Page, text_of, union
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.thresholds import Evidence, EvidenceTable, proposed_thresholds
from jugum.core.training import train_version
from jugum.core.training.holdout import verdict_on
from jugum.core.values import normal_or_text, same_value
from jugum.demo.scans import scanned

os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
COUNTS = (1, 3, 5, 10, 25, 50)
PROMISE = 0.02
TESTS = 4  # of each layout
NEAR = 0.007  # page fractions that a scan's words may stand off their drawn places


@dataclass
class Tally:
    """Values found, values that are there, and values found rightly."""

    right: int = 0
    found: int = 0
    there: int = 0

    def add(self, right: int, found: int, there: int) -> None:
        self.right, self.found, self.there = self.right + right, self.found + found, self.there + there

    @property
    def f1(self) -> float:
        return 2 * self.right / max(1, self.found + self.there)


@dataclass
class Given:
    """A paper as read, with its truth."""

    drawn: Drawn
    sample: Sample
    right: dict[str, list[str]] = field(default_factory=dict)


def read(drawn: Drawn, number: int, scan: bool) -> tuple[Page, ...]:
    paper = open_paper(drawn.pdf, "paper")
    if not scan:
        return tuple(read_page(paper, n, ENGINE()).page for n in range(paper.page_count))
    rng = np.random.default_rng(number)
    pages = []
    for n in range(paper.page_count):
        data = _scan_of(drawn.pdf, n, int(rng.integers(1 << 30)))
        one = read_page(open_paper(data, "paper"), 0, ENGINE()).page
        pages.append(Page(n + 1, one.width_pt, one.height_pt, one.words))
    return tuple(pages)


def _scan_of(pdf: bytes, page: int, seed: int) -> bytes:
    import pikepdf

    with pikepdf.open(io.BytesIO(pdf)) as whole, pikepdf.new() as one:
        one.pages.append(whole.pages[page])
        out = io.BytesIO()
        one.save(out)
    return scanned(out.getvalue(), seed, severity=0.4)[0]


_engine: list[CarefulEngine] = []


def ENGINE() -> CarefulEngine:  # noqa: N802 - made once in each process
    if not _engine:
        _engine.append(CarefulEngine())
    return _engine[0]


def given(family: str, seed: int, layout: int, scan: bool) -> Given:
    plan, draw = FAMILIES[family]
    rng = random.Random(f"{family}-{layout}-{seed}")
    drawn = draw(rng, layout)
    pages = read(drawn, seed * 97 + layout, scan)
    labels: dict[str, tuple[SampleLabel, ...]] = {}
    right: dict[str, list[str]] = {}
    for planned in plan.fields:
        if planned.kind is FieldKind.TABLE:
            continue
        its = drawn.truth.get(planned.key, [])
        right[planned.key] = [_normal(planned, truth.text) for truth in its]
        labels[planned.key] = tuple(_label(planned, truth, pages) for truth in its)
    return Given(drawn, Sample(f"{family}-{layout}-{seed}", pages, labels), right)


def _normal(one: FieldPlan, text: str) -> str:
    return normal_or_text(text, one.value_type) if text and one.kind is FieldKind.VALUE else text


def _label(one: FieldPlan, truth: Any, pages: Sequence[Page]) -> SampleLabel:
    places = []
    for number, box in truth.places:
        wide = Box(box.x0 - NEAR, box.y0 - NEAR, box.x1 + NEAR, box.y1 + NEAR)
        words = [word for word in pages[number - 1].words if wide.contains(*word.box.middle)]
        if words:
            places.append((number, union(word.box for word in words), text_of(words)))
    normal = _normal(one, truth.text)
    if not places:
        return SampleLabel(truth.text, normal)
    return SampleLabel(
        truth.text, normal, places[0][0], places[0][1], tuple((page, box) for page, box, _ in places[1:])
    )


def papers(family: str, count: int, layouts: Sequence[int], first: int, scan: bool) -> list[Given]:
    return [given(family, first + n, layouts[n % len(layouts)], scan) for n in range(count)]


def job(args: tuple[str, int, bool]) -> tuple[str, list[Given], list[Given], list[Given]]:
    family, most, scan = args
    seen, unseen = list(range(SEEN)), list(range(SEEN, LAYOUTS))
    return (
        family,
        papers(family, most, seen, 0, scan),
        papers(family, TESTS * len(seen), seen, 10_000, scan),
        papers(family, TESTS * len(unseen), unseen, 20_000, scan),
    )


# ---- Judging ---------------------------------------------------------------------------------------------------------


def judge(plan: Plan, found: dict[str, list[str | None]], one: Given, tallies: dict[str, Tally]) -> None:
    """Count a paper's findings under "values", "cells", "rows" and "clauses"."""
    for field_ in plan.fields:
        truth = one.right.get(field_.key, [])
        mine = found.get(field_.key, [])
        if field_.is_column:
            pairs = list(zip(mine, truth, strict=False))
            right = sum(bool(a) and bool(b) and same_value(a or "", b, field_.value_type) for a, b in pairs)
            tallies["cells"].add(right, sum(bool(a) for a in mine), sum(bool(b) for b in truth))
        elif field_.kind is FieldKind.CLAUSE:
            right = sum(bool(a) and _same_words(a or "", b) for a, b in zip(mine, truth, strict=False))
            tallies["clauses"].add(right, len(mine), len(truth))
        elif field_.kind is FieldKind.VALUE:
            right = sum(
                bool(a) and same_value(a or "", b, field_.value_type) for a, b in zip(mine, truth, strict=False)
            )
            tallies["values"].add(right, len(mine), len(truth))


def _same_words(a: str, b: str) -> bool:
    """Nine in ten words of both are the other's."""
    mine, theirs = a.split(), b.split()
    shared = len(set(mine) & set(theirs))
    return shared >= 0.9 * len(set(mine)) and shared >= 0.9 * len(set(theirs))


# ---- The version and its baselines -----------------------------------------------------------------------------------


def findings_of(decisions: Sequence[AnyDecision]) -> dict[str, list[str | None]]:
    found: dict[str, list[str | None]] = {}
    for decision in decisions:
        if isinstance(decision, Decision):
            found[decision.field] = [choice.candidate.normal for choice in decision.chosen]
        else:
            found |= {
                key: [value.normal if value else None for value in values] for key, values in decision.values.items()
            }
    return found


@dataclass
class Trial:
    """What one training showed on papers of one kind: tallies, decisions with confidence, and what would pass at a 2
    % promise."""

    tallies: dict[str, Tally] = field(default_factory=lambda: defaultdict(Tally))
    sure: list[float] = field(default_factory=list)
    right: list[bool] = field(default_factory=list)
    passing: int = 0
    wrong: int = 0


def run(
    family: str, counts: Sequence[int], papers_: tuple[list[Given], list[Given], list[Given]]
) -> list[tuple[Trial, Trial]]:
    plan = FAMILIES[family][0]
    train, *tests = papers_
    kept = []
    for count in counts:
        given_ = train[:count]
        samples = [paper.sample for paper in given_]
        layouts = {paper.sample.key: paper.drawn.layout for paper in given_}
        started = time.process_time()
        if count < 3:
            trials = [Trial(), Trial()]
            for trial, its in zip(trials, tests, strict=True):
                for paper in its:
                    judge(
                        plan,
                        findings_of(
                            [
                                *suggest_from_same_layout(plan, samples, paper.sample.pages),
                                *fit_parts(plan, samples).decide(paper.sample.pages, None, 0.0),
                            ]
                        ),
                        paper,
                        trial.tallies,
                    )
            print_line(family, count, 0.0, 0.0, trials, [])
            continue
        version = train_version(plan, samples, groups=layouts)
        spent = time.process_time() - started
        evidence = EvidenceTable.of(
            [
                Evidence(row.field, row.confidence, row.right, row.layout_similarity, row.sample)
                for row in version.evidence
                if not row.unseen
            ],
            [planned.key for planned in plan.fields],
        )
        thresholds = proposed_thresholds(evidence.gated(version.layout_similarity_min), PROMISE)
        tagger = fit_tagger(plan.learned, [tagged(plan.learned, sample) for sample in samples])
        layouts = [layout_of(sample.pages) for sample in samples]
        trials, reading, pages = [Trial(), Trial()], 0.0, 0
        for trial, its in zip(trials, tests, strict=True):
            for paper in its:
                begun = time.process_time()
                decided = version.decide_with_confidence(paper.sample.pages)
                reading += time.process_time() - begun
                pages += len(paper.sample.pages)
                judge(plan, findings_of([decision for decision, _ in decided]), paper, trial.tallies)
                places: dict[str, list[str | None]] = {
                    key: list(values) for key, values in template(plan, samples, layouts, paper.sample.pages).items()
                }
                judge(plan.learned, places, paper, baseline(trial, "template"))
                if tagger:
                    judge(
                        plan.learned,
                        {key: list(values) for key, values in tagger.values(paper.sample.pages).items()},
                        paper,
                        baseline(trial, "CRF"),
                    )
                weigh(plan, version.layout_similarity_min, thresholds, trial, paper, decided)
        print_line(family, count, spent, 1000 * reading / pages, trials, [version.layout_similarity_min])
        kept.append((trials[0], trials[1]))
    return kept


def yardstick() -> float:
    """Seconds of CPU that five million multiplications in plain Python take just now: what times of this machine are
    to be measured by."""
    started = time.process_time()
    total = 0
    for number in range(5_000_000):
        total += number * number
    return time.process_time() - started


def baseline(trial: Trial, name: str) -> dict[str, Tally]:
    """A view of a trial's tallies under a baseline's name."""
    found: dict[str, Tally] = defaultdict(Tally)
    found["values"] = trial.tallies[name]
    return found


def weigh(
    plan: Plan,
    gate: float,
    thresholds: dict[str, float],
    trial: Trial,
    one: Given,
    decided: Sequence[tuple[AnyDecision, float | None]],
) -> None:
    for decision, sure in decided:
        verdict = verdict_on(plan, decision, one.sample.labels)
        right = verdict is not None and verdict.right
        trial.sure.append(sure or 0.0)
        trial.right.append(right)
        if sure is not None and sure >= thresholds[decision.field] and decision.layout_similarity >= gate:
            trial.passing += 1
            trial.wrong += not right


def print_line(
    family: str, count: int, spent: float, reading: float, trials: Sequence[Trial], more: Sequence[float]
) -> None:
    seen, unseen = trials
    said = [
        f"{name} {seen.tallies[name].f1:.3f} / {unseen.tallies[name].f1:.3f}"
        for name in ("values", "cells", "clauses", "CRF", "template")
        if name in seen.tallies
    ]
    if seen.sure:
        off = [calibration_error(trial.sure, trial.right) for trial in trials]
        said.append(f"off by {off[0]:.3f} / {off[1]:.3f}")
        said.append(
            f"passing {seen.passing / len(seen.sure):.2f} ({seen.wrong} wrong) / "
            f"{unseen.passing / len(unseen.sure):.2f} ({unseen.wrong} wrong)"
        )
    print(f"{family:12}{count:4}  train {spent:5.1f} s  read {reading:4.0f} ms/page  {'  '.join(said)}", flush=True)


def grow(counts: Sequence[int]) -> None:
    """Training and its memory as papers grow, on pay stubs (9 fields)."""
    plan = FAMILIES["stub"][0]
    train = papers("stub", max(counts), list(range(SEEN)), 0, False)
    for count in counts:
        samples = [entry.sample for entry in train[:count]]
        measure = yardstick()
        started = time.process_time()
        train_version(plan, samples, groups={entry.sample.key: entry.drawn.layout for entry in train[:count]})
        spent = time.process_time() - started
        used = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        print(
            f"{count:5} papers  {spent:6.1f} s CPU, {spent / measure:.0f} yardsticks  largest memory so far "
            f"{used:.2f} GB",
            flush=True,
        )


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--scans", action="store_true", help="words from OCR of scans")
    asked.add_argument("--grow", type=int, nargs="*", help="only how training grows with so many papers")
    asked.add_argument("--counts", type=int, nargs="*", default=None)
    asked.add_argument("--families", nargs="*", default=list(FAMILIES))
    args = asked.parse_args()
    if args.grow is not None:
        grow(args.grow or (50, 200, 1000))
        return
    counts = args.counts or ([25] if args.scans else list(COUNTS))
    print(f"yardstick: {yardstick():.2f} s of CPU for five million multiplications in plain Python")
    print("F1 on known layouts / not seen; passing: share of decisions above thresholds that promise at most 2 % wrong")
    trials: list[tuple[Trial, Trial]] = []
    with ProcessPoolExecutor(2) as pool:
        for family, train, seen, unseen in pool.map(job, [(name, max(counts), args.scans) for name in args.families]):
            trials += run(family, counts, (train, seen, unseen))
    if trials:
        both = [assignment for pair in trials for assignment in pair if assignment.passing]
        broken = sum(one.wrong > PROMISE * one.passing for one in both)
        print(
            f"promise of {PROMISE:.0%} broken in {broken} of {len(both)} trials in which anything passed (of "
            f"{2 * len(trials)})"
        )
        seen_, unseen_ = [trial[0] for trial in trials], [trial[1] for trial in trials]
        for name, its in (("seen", seen_), ("not seen", unseen_)):
            passing, wrong = sum(one.passing for one in its), sum(one.wrong for one in its)
            print(f"  {name}: {passing} of {sum(len(one.sure) for one in its)} pass, {wrong} of them wrong")
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")


if __name__ == "__main__":
    main()
