"""Types of the papers of a folder, whoever drew them: how many of known and of new layouts are placed, and how many of
a type that was never shown are taken for another.

    .venv/bin/python -m bench.placing FOLDER [--counts 3 5 10 25] [--kept CACHE]

FOLDER is one that `bench.folder` reads. Learned from some papers a type of the split "train", of all types; the tests
are judged, and, with each type left out in turn, its tests are the strangers: of the same office, so hard ones. Papers
of the demo's odd kinds are strangers from elsewhere. Last, the papers of new layouts come in together: a person says
the type of one that waits, all is learned anew, and so on until none waits.
"""

from __future__ import annotations

import argparse
import random
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

from bench.bundles import pages_of
from bench.folder import Folder, samples_of
from jugum.core.classification import TypeClassifier, TypeSample, fit_type_classifier
from jugum.core.page import Page
from jugum.demo.strangers import stranger

ODD = 30
Counts = Counter[tuple[str, str]]


def learned(folder: Folder, types: Sequence[str], count: int) -> TypeClassifier:
    return fit_type_classifier(samples_of(folder, types, count))


def answers_until_placed(folder: Folder, count: int) -> tuple[int, int, int]:
    """Of papers of new layouts that come in together: how many wait, of how many a person must say the type until none
    does, and how many are placed wrongly in the end."""
    types = sorted(folder.plans)
    samples = samples_of(folder, types, count)
    came = [(paper.pages, number) for number, kind in enumerate(types) for paper in folder.of(kind, "test_new")]
    random.Random(count).shuffle(came)
    waited, answers, wrong, waiting = 0, 0, 0, came
    while waiting:
        classifier = fit_type_classifier(samples)
        placed = [(classifier.place(pages), pages, type_) for pages, type_ in waiting]
        wrong += sum(its.accepted and its.likely[0][0] != type_ for its, _, type_ in placed)
        waiting = [(pages, type_) for its, pages, type_ in placed if not its.accepted]
        waited = waited or len(waiting)
        if waiting:
            samples.append(TypeSample(*waiting.pop(0), 0))
            answers += 1
    return waited, answers, wrong


def count_in(counts: Counts, row: str, classifier: TypeClassifier, pages: Sequence[Page], type_: int | None) -> None:
    placed = classifier.place(pages)
    right = placed.likely[0][0] == type_
    for column, holds in (
        ("papers", True),
        ("placed", placed.accepted),
        ("likeliest is right", right),
        ("placed wrongly", placed.accepted and not right),
    ):
        counts[row, column] += holds


def judged(folder: Folder, count: int, odd: Sequence[tuple[Page, ...]]) -> Counts:
    counts: Counts = Counter()
    types = sorted(folder.plans)
    everything = learned(folder, types, count)
    for number, kind in enumerate(types):
        for split in ("test_known", "test_new"):
            for paper in folder.of(kind, split):
                for row in (split, f"{split} {kind}"):
                    count_in(counts, row, everything, paper.pages, number)
        others = learned(folder, [other for other in types if other != kind], count)
        for split in ("test_known", "test_new"):
            for paper in folder.of(kind, split):
                for row in ("never shown", f"never shown {kind}"):
                    count_in(counts, row, others, paper.pages, None)
    for pages in odd:
        count_in(counts, "of odd kinds", everything, pages, None)
    return counts


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--counts", type=int, nargs="*", default=[3, 5, 10, 25])
    asked.add_argument("--kept", type=Path, default=None)
    args = asked.parse_args()
    folder = Folder.read(args.folder, args.kept or args.folder / "read", [])
    rng = random.Random(5)
    odd = [pages_of(stranger(number, rng), rng) for number in range(ODD)]
    for count in args.counts:
        waited, answers, wrong = answers_until_placed(folder, count)
        print(f"{count:3} of papers of new layouts {waited} wait; {answers} answers place them all ({wrong} wrongly)")
        counts = judged(folder, count, odd)
        for row in sorted({row for row, _ in counts}):
            papers = counts[row, "papers"]
            print(
                f"{count:3} {row:28} {papers:4} papers: placed {counts[row, 'placed'] / papers:.3f} "
                f"(wrongly {counts[row, 'placed wrongly']}), likeliest is right "
                f"{counts[row, 'likeliest is right'] / papers:.3f}"
            )


if __name__ == "__main__":
    main()
