"""Learning from few papers: share of values right on looks seen and not seen, with two baselines beside it in the same run.

    .venv/bin/python -m bench.learning                      words from text layers, 1 to 50 papers a type
    .venv/bin/python -m bench.learning --scans              words from OCR of scans, 25 papers a type
    .venv/bin/python -m bench.learning --quick --counts 25  the version alone, without held-out fits and baselines

Papers come from `bench/families.py`. Per type: labelled papers of looks 0 to 4, tests on fresh papers of these and of looks 5 to 8. F1 counts a
value right when it is the same in normal form (micro: over all values of all tests); a field rightly left empty counts for neither side.
"""

from __future__ import annotations

import argparse
import io
import random
import resource
import time
from collections import defaultdict
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from bench.families import FAMILIES, LOOKS, SEEN, Drawn
from jugum.core.extraction import Sample, SampleLabel
from jugum.core.ocr import CarefulEngine, open_paper, read_page
from jugum.core.page import Box, Page, text_of, union
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.values import normal_or_text, same_value
from jugum.demo.scans import scanned

COUNTS = (1, 3, 5, 10, 25, 50)
TESTS = 4  # of each look
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


def given(family: str, seed: int, look: int, scan: bool) -> Given:
    plan, draw = FAMILIES[family]
    rng = random.Random(f"{family}-{look}-{seed}")
    drawn = draw(rng, look)
    pages = read(drawn, seed * 97 + look, scan)
    labels: dict[str, tuple[SampleLabel, ...]] = {}
    right: dict[str, list[str]] = {}
    for one in plan.fields:
        if one.kind is FieldKind.TABLE:
            continue
        its = drawn.truth.get(one.key, [])
        right[one.key] = [_normal(one, truth.text) for truth in its]
        labels[one.key] = tuple(_label(one, truth, pages) for truth in its)
    return Given(drawn, Sample(f"{family}-{look}-{seed}", pages, labels), right)


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


def papers(family: str, count: int, looks: Sequence[int], first: int, scan: bool) -> list[Given]:
    return [given(family, first + n, looks[n % len(looks)], scan) for n in range(count)]


def job(args: tuple[str, int, bool]) -> tuple[str, list[Given], list[Given], list[Given]]:
    family, most, scan = args
    seen, unseen = list(range(SEEN)), list(range(SEEN, LOOKS))
    return (
        family, papers(family, most, seen, 0, scan), papers(family, TESTS * len(seen), seen, 10_000, scan),
        papers(family, TESTS * len(unseen), unseen, 20_000, scan),
    )  # fmt: skip


# ---- Judging --------------------------------------------------------------------------------------------------------------------------


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


# ---- The version ----------------------------------------------------------------------------------------------------------------------


def quick_version(plan: Plan, samples: Sequence[Sample]) -> Any:
    """The readers of a version without its held-out fits: what it would read."""
    from jugum.core.extraction.reader import fit_reader

    return fit_reader(plan, samples)


def read_with(reader: Any, plan: Plan, one: Given) -> dict[str, list[str | None]]:
    found: dict[str, list[str | None]] = {}
    for decision in reader.decide(one.sample.pages):
        found[decision.field] = [choice.candidate.normal for choice in decision.chosen]
    for part in reader.decide_parts(one.sample.pages, None):
        for key, values in part.values.items():
            found[key] = [value.normal if value else None for value in values]
    return found


def run_quick(family: str, counts: Sequence[int], given_: tuple[list[Given], list[Given], list[Given]]) -> None:
    plan = FAMILIES[family][0]
    train, seen, unseen = given_
    for count in counts:
        started = time.process_time()
        reader = quick_version(plan, [one.sample for one in train[:count]])
        spent = time.process_time() - started
        parts = []
        for tests in (seen, unseen):
            tallies: dict[str, Tally] = defaultdict(Tally)
            for one in tests:
                judge(plan, read_with(reader, plan, one), one, tallies)
            parts.append(tallies)
        said = "  ".join(
            f"{name} {parts[0][name].f1:.3f} / {parts[1][name].f1:.3f}"
            for name in ("values", "cells", "clauses")
            if name in parts[0]
        )
        print(f"{family:12} {count:3}  {spent:5.1f} s CPU  {said}", flush=True)


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--scans", action="store_true")
    asked.add_argument("--quick", action="store_true")
    asked.add_argument("--counts", type=int, nargs="*", default=None)
    asked.add_argument("--families", nargs="*", default=list(FAMILIES))
    args = asked.parse_args()
    counts = args.counts or ([25] if args.scans else list(COUNTS))
    with ProcessPoolExecutor(2) as pool:
        for family, train, seen, unseen in pool.map(job, [(name, max(counts), args.scans) for name in args.families]):
            run_quick(family, counts, (train, seen, unseen))
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")


if __name__ == "__main__":
    main()
