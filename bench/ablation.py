"""What each part of learning is worth: exact match in F1 on known and new layouts, with one part left out at a time.

    .venv/bin/python -m bench.ablation [papers a type]

Papers are those of `bench/families.py`, words from text layers. A part is left out where a model is made and where
it reads: its features are nought, or it is not there.
"""

from __future__ import annotations

import os

os.environ.setdefault("OMP_NUM_THREADS", "1")
os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")

import sys
from collections import defaultdict
from collections.abc import Callable, Iterator
from concurrent.futures import ProcessPoolExecutor
from contextlib import contextmanager
from dataclasses import replace

import numpy as np

from bench.families import FAMILIES
from bench.learning import Given, Tally, findings_of, job, judge
from jugum.core.extraction.model import fit_trained_model
from jugum.core.extraction.values import assignment, corpus, deciding
from jugum.core.extraction.values.features import FEATURES, PaperFeatures
from jugum.core.extraction.values.relations import Relations
from jugum.core.training.version import papers_of

PARTS: dict[str, Callable[[str], bool]] = {
    "word meanings": lambda name: name.startswith("meaning_") or name.startswith("label_meaning"),
    "names that labelled papers print": lambda name: name.startswith("label_"),
    "model of the field's values": lambda name: name in ("value_odds", "shape_like", "value_like"),
    "names beneath values": lambda name: name.endswith("_below"),
    "likeness to labelled examples": lambda name: name.startswith(("example_", "place", "row_and_column")),
    "text common to all papers, and known names": lambda name: name in ("known_text", "is_name"),
}


OTHERS = (
    "synonyms that ship",
    "the prior",
    "a lower bar on strange layouts",
    "choosing for all fields together",
    "order and arithmetic",
    "which fields papers never lack",
)


@contextmanager
def without(part: str) -> Iterator[None]:
    """Learning without a part, for as long as it lasts."""
    features, prior, jointly = PaperFeatures.features_of, deciding.with_prior, deciding.optimise_jointly
    none = assignment.NONE_STRANGE
    try:
        if part in PARTS:
            gone = np.array([PARTS[part](name) for name in FEATURES])
            PaperFeatures.features_of = lambda self, field_scores, rows: np.where(
                gone, np.float32(0), features(self, field_scores, rows)
            )  # type: ignore[method-assign]
        elif part == "the prior":
            deciding.with_prior = corpus.with_prior = lambda rows: np.column_stack(
                [rows, np.zeros(len(rows), dtype=np.float32)]
            )
        elif part == "choosing for all fields together":
            deciding.optimise_jointly = lambda decisions, relations, floor: list(decisions)
        elif part == "order and arithmetic":
            deciding.optimise_jointly = lambda decisions, relations, floor: jointly(
                decisions, Relations(missing=relations.missing), floor
            )
        elif part == "which fields papers never lack":
            deciding.optimise_jointly = lambda decisions, relations, floor: jointly(
                decisions, replace(relations, missing={}), floor
            )
        elif part == "a lower bar on strange layouts":
            assignment.NONE_STRANGE = assignment.NONE_PROBABILITY
        yield
    finally:
        PaperFeatures.features_of = features  # type: ignore[method-assign]
        deciding.with_prior = corpus.with_prior = prior
        deciding.optimise_jointly, assignment.NONE_STRANGE = jointly, none


def measured(args: tuple[str, int, str, tuple[list[Given], list[Given], list[Given]]]) -> tuple[Tally, Tally]:
    family, count, part, (train, *tests) = args
    plan = FAMILIES[family][0]
    found = []
    with without(part):
        given = train[:count]
        synonyms = () if part == "synonyms that ship" else None
        papers = papers_of(
            plan,
            [one.sample for one in given],
            groups={one.sample.key: one.drawn.layout for one in given},
            synonyms=synonyms,
        )
        trained_model = fit_trained_model(papers.plan, papers.samples, papers.corpus)
        for its in tests:
            tallies: dict[str, Tally] = defaultdict(Tally)
            for paper in its:
                judge(plan.learned, findings_of(trained_model.decide(paper.sample.pages)), paper, tallies)
            found.append(tallies["values"])
    return found[0], found[1]


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    parts = ["", *PARTS, *OTHERS]
    with ProcessPoolExecutor(2) as pool:
        papers = {name: its for name, *its in pool.map(job, [(family, count, False) for family in FAMILIES])}
        jobs = [(family, count, part, tuple(papers[family])) for part in parts for family in FAMILIES]
        results = list(pool.map(measured, jobs))
    for number, part in enumerate(parts):
        mine = results[number * len(FAMILIES) : (number + 1) * len(FAMILIES)]
        sums = [
            Tally(
                sum(candidate[k].right for candidate in mine),
                sum(candidate[k].found for candidate in mine),
                sum(candidate[k].there for candidate in mine),
            )
            for k in (0, 1)
        ]
        print(f"{'without ' + part if part else 'everything':45} {sums[0].f1:.3f} / {sums[1].f1:.3f}", flush=True)


if __name__ == "__main__":
    main()
