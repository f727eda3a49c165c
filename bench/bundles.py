"""Types and bundles: how well papers are placed, strangers refused, and bundles cut that were never seen.

    .venv/bin/python -m bench.bundles [--each 6] [--bundles 12] [--seeds 3]
    .venv/bin/python -m bench.bundles --folder FOLDER [--kept CACHE] [--each 5 10 25]

Trained on `each` papers of four types (works contracts, tax assessments, pay stubs, identity papers); judged on
bundles of other papers of the same types (some in layouts not trained on), and on strangers (six kinds, none trained
on). A share of the words is misread as bad scans are, letter by letter, from a seed.

With a FOLDER that `bench.folder` reads: trained on so many papers of each of its types; 60 bundles of two to six of its
tests of known layouts, and 60 of new ones, two in five papers of the type of the one before; and how many bundles would
be cut without a person, and how many of these wrongly.
"""

from __future__ import annotations

import argparse
import random
import time
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path

from bench.folder import Folder, PaperRead, samples_of
from jugum.core.classification import (
    LayoutBook,
    TypeSample,
    fit_cutter,
    fit_type_classifier,
    layout_of,
)
from jugum.core.evaluation.cutting import least_sure
from jugum.core.ocr import QuickEngine, open_paper, read_page
from jugum.core.page import Page
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.parts import PrintedPaper
from jugum.demo.strangers import stranger
from jugum.demo.stubs import stub_paper
from jugum.flow.gather.classifiers import SPLIT_LEAST

TYPES = ("works contract", "tax assessment", "pay stub", "identity paper")
SEEN_LAYOUTS = {"works contract": 3, "tax assessment": 2, "pay stub": 6, "identity paper": 2}
ALL_LAYOUTS = {"works contract": 5, "tax assessment": 3, "pay stub": 8, "identity paper": 4}
MISREAD = 0.02  # of letters
FOLDER_BUNDLES, SAME_TYPE = 60, 0.4  # bundles of a folder's tests; papers of the type of the one before


def _stub(layout: int, rng: random.Random) -> PrintedPaper:
    paper = stub_paper(layout % 8, rng)
    return PrintedPaper("pay stub", layout, paper.pdf, [])


DRAW: dict[str, Callable[[int, random.Random], PrintedPaper]] = {
    "works contract": contract,
    "tax assessment": tax_assessment,
    "pay stub": _stub,
    "identity paper": identity_paper,
}


def pages_of(paper: PrintedPaper, rng: random.Random) -> tuple[Page, ...]:
    opened = open_paper(paper.pdf, "paper.pdf")
    engine = QuickEngine()
    pages = [read_page(opened, index, engine).page for index in range(opened.page_count)]
    opened.close()
    return tuple(_misread(page, rng) for page in pages)


def _misread(page: Page, rng: random.Random) -> Page:
    def spoiled(text: str) -> str:
        return "".join(rng.choice("eoaltin10S5") if rng.random() < MISREAD else letter for letter in text)

    return replace(page, words=tuple(replace(word, text=spoiled(word.text)) for word in page.words))


def judged(cuts: Sequence[tuple[set[int], set[int]]]) -> float:
    """F1 of boundaries (the first page of a bundle is none)."""
    hits = sum(len(true & found) for true, found in cuts)
    return 2 * hits / max(1, sum(len(true) + len(found) for true, found in cuts))


def run(each: int, bundles: int, seed: int) -> dict[str, float]:
    rng = random.Random(seed)
    training: list[tuple[str, tuple[Page, ...]]] = []
    for kind in TYPES:
        for number in range(each):
            training.append((kind, pages_of(DRAW[kind](number % SEEN_LAYOUTS[kind], rng), rng)))
    groups = LayoutBook([layout_of(pages) for _, pages in training]).groups
    samples = [
        TypeSample(pages, TYPES.index(kind), group) for (kind, pages), group in zip(training, groups, strict=True)
    ]
    started = time.process_time()
    classifier = fit_type_classifier(samples)
    cutter = fit_cutter([sample.pages for sample in samples], classifier)
    seconds = time.process_time() - started
    cuts, right, total, placed = [], 0, 0, 0
    started = time.process_time()
    pages_cut = 0
    for _ in range(bundles):
        kinds = rng.choices(TYPES, weights=(1, 1, 2, 1), k=rng.randrange(4, 9))
        papers = [(kind, pages_of(DRAW[kind](rng.randrange(ALL_LAYOUTS[kind]), rng), rng)) for kind in kinds]
        flat = [page for _, pages in papers for page in pages]
        pages_cut += len(flat)
        starts: set[int] = set()
        at = 0
        for _, pages in papers:
            starts.add(at)
            at += len(pages)
        pieces = cutter.cut(flat, classifier)
        cuts.append((starts - {0}, {piece.pages[0] for piece in pieces} - {0}))
        for kind, pages in papers:
            total += 1
            said = classifier.place(pages)
            placed += said.accepted
            right += TYPES[said.likely[0][0]] == kind
    strange = [classifier.place(pages_of(stranger(number, rng), rng)) for number in range(30)]
    return {
        "boundary F1": judged(cuts),
        "type accuracy": right / total,
        "known placed": placed / total,
        "strangers accepted": sum(one.accepted for one in strange) / len(strange),
        "training s": seconds,
        "ms a page": 1000 * (time.process_time() - started) / pages_cut,
    }


def made(folder: Folder, types: Sequence[str], split: str) -> list[list[tuple[int, PaperRead]]]:
    """60 bundles of the tests of a split, as (number of the type, paper)."""
    rng = random.Random(3)
    by_type = [folder.of(kind, split) for kind in types]
    bundles = []
    for _ in range(FOLDER_BUNDLES):
        its: list[tuple[int, PaperRead]] = []
        for _ in range(rng.randrange(2, 7)):
            kind = its[-1][0] if its and rng.random() < SAME_TYPE else rng.randrange(len(types))
            its.append((kind, rng.choice(by_type[kind])))
        bundles.append(its)
    return bundles


def cut_folder(folder: Folder, each: int) -> None:
    types = sorted(folder.plans)
    samples = samples_of(folder, types, each)
    classifier = fit_type_classifier(samples)
    cutter = fit_cutter([sample.pages for sample in samples], classifier)
    for split in ("test_known", "test_new"):
        counts: Counter[str] = Counter()
        cuts = []
        for bundle in made(folder, types, split):
            starts, flat = [], []
            for _, paper in bundle:
                starts.append(len(flat))
                flat += paper.pages
            pieces = cutter.cut(flat, classifier)
            true, found = set(starts) - {0}, {piece.pages[0] for piece in pieces} - {0}
            cuts.append((true, found))
            chance = least_sure(pieces)
            alone = chance >= SPLIT_LEAST and all(piece.type_id is not None for piece in pieces)
            types_right = [piece.type_id for piece in pieces] == [kind for kind, _ in bundle]
            spans = {tuple(range(a, b)) for a, b in zip(starts, [*starts[1:], len(flat)], strict=True)}
            same = [at for at, (a, _), (b, _) in zip(starts[1:], bundle, bundle[1:], strict=False) if a == b]
            counts.update(
                papers=len(bundle),
                whole=sum(tuple(piece.pages) in spans for piece in pieces),
                alone=alone,
                wrong=alone and not (true == found and types_right),
                same=len(same),
                joined=sum(at not in found for at in same),
                chances=chance,
                right=true == found,
            )
        print(
            f"{each:3} papers a type, {split}: boundary F1 {judged(cuts):.3f}, cut out whole {counts['whole']} of "
            f"{counts['papers']}, bundles cut without a person {counts['alone']} of {FOLDER_BUNDLES} "
            f"({counts['wrong']} wrongly), joined with one of the same type {counts['joined']} of {counts['same']}; "
            f"chances of a right cut {counts['chances']:.0f} stated, {counts['right']} came out",
            flush=True,
        )


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--folder", type=Path)
    parser.add_argument("--kept", type=Path)
    parser.add_argument("--each", type=int, nargs="*", default=[3, 6, 12])
    parser.add_argument("--bundles", type=int, default=12)
    parser.add_argument("--seeds", type=int, default=3)
    given = parser.parse_args()
    if given.folder:
        folder = Folder.read(given.folder, given.kept or given.folder / "read", [])
        for each in given.each:
            cut_folder(folder, each)
        return
    for each in given.each:
        sums: Counter[str] = Counter()
        for seed in range(given.seeds):
            sums.update(run(each, given.bundles, 300 + seed))  # type: ignore[arg-type]
        print(
            f"{each:3} papers a type: "
            + "   ".join(f"{name} {value / given.seeds:.3f}" for name, value in sums.items())
        )


if __name__ == "__main__":
    main()
