"""Promises on real decisions: one version each of some families, its decisions on a pool of fresh papers of layouts it
knows (one in ten scanned); of these some are drawn as evidence, thresholds are chosen on them by the product's rules,
and judged on the rest.

    .venv/bin/python -m bench.decisions [--families stub tax contract] [--labelled 8] [--pool 1000] [--kept FOLDER]

A trial breaks a promise when more than it says of what passes on the rest of the pool is wrong. Budgets: the dial is
set to half of the minutes that it takes to look at everything, on the evidence drawn; then the minutes that the rest
takes are counted. `--kept` keeps the decisions, of which reading the scans takes most of the time.
"""

from __future__ import annotations

import argparse
import pickle
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np

from bench.families import FAMILIES, SEEN
from bench.learning import Given, given
from bench.weighing import PAPERS, PROMISES, RULES, Rule, kept
from jugum.core.thresholds import Evidence, EvidenceTable, by_budget, frontier, passing
from jugum.core.thresholds.choice import GAMBLE
from jugum.core.thresholds.effort import USUAL_EFFORT
from jugum.core.thresholds.frontier import minutes_per_100
from jugum.core.training import train_version
from jugum.core.training.holdout import verdict_on

FRESH = 10_000
SCANNED = 3  # of ten papers, counted from 0
SHOWN = ("counted and expected, same papers", f"expected, no value over {GAMBLE:g} ×", "proven")


def _given(asked: tuple[str, int]) -> Given:
    family, number = asked
    return given(family, number, number % SEEN, number // SEEN % 10 == SCANNED)


def decisions(family: str, labelled: int, pool: int) -> list[Evidence]:
    """What a version from so many papers decides on a pool of others, layouts that are not similar enough left out."""
    numbers = [*range(labelled), *range(FRESH, FRESH + pool)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as workers:
        papers = list(workers.map(_given, [(family, number) for number in numbers], chunksize=8))
    plan = FAMILIES[family][0]
    samples = [paper.sample for paper in papers]
    version = train_version(
        plan, samples[:labelled], groups={one.sample.key: one.drawn.layout for one in papers[:labelled]}
    )
    rows = []
    for sample in samples[labelled:]:
        for decision, confidence in version.decide_with_confidence(sample.pages):
            verdict = verdict_on(plan, decision, sample.labels)
            if confidence is not None and verdict is not None:
                similarity = decision.layout_similarity
                rows.append(Evidence(decision.field, confidence, verdict.right, similarity, sample.key))
    return [row for row in rows if row.layout_similarity >= version.layout_similarity_min]


def parted(table: EvidenceTable, papers: int, rng: np.random.Generator) -> tuple[EvidenceTable, EvidenceTable]:
    """So many papers drawn by lot, and the rest."""
    drawn = np.isin(table.paper, rng.permutation(table.papers)[:papers])
    return table.where(drawn), table.where(~drawn)


def promises(table: EvidenceTable, trials: int) -> None:
    """Share of trials violated and mean share that passes, by rule, promise and number of papers."""
    rng = np.random.default_rng(1)
    found: dict[tuple[str, float, int], list[tuple[bool, float]]] = {}
    spent: dict[int, list[float]] = {}
    for papers in PAPERS:
        for _ in range(trials):
            evidence, rest = parted(table, papers, rng)
            points = {folds: frontier(evidence, folds=folds) for folds in {folds for _, folds in RULES.values()}}
            for name in SHOWN:
                rule, folds = RULES[name]
                for promise in PROMISES:
                    found.setdefault((name, promise, papers), []).append(_kept(rest, rule, points[folds], promise))
            most = max(points[max(points)], key=lambda point: point.minutes).minutes
            chosen = by_budget(points[max(points)], most / 2 / 60, 100)
            assert chosen is not None
            minutes = minutes_per_100(rest, passing(rest, chosen.thresholds), USUAL_EFFORT)
            if chosen.minutes:  # else all of it passes at the strictest setting there is
                spent.setdefault(papers, []).append(minutes / chosen.minutes)
    for name in SHOWN:
        for promise in PROMISES:
            cells = [np.mean(found[name, promise, papers], axis=0) for papers in PAPERS]
            print(f"  {name:34} {promise:4.0%}  " + "  ".join(f"{bad:.2f} / {share:.2f}" for bad, share in cells))
    said = (
        f"{np.mean(spent[papers]):.2f} ± {np.std(spent[papers]):.2f}" if papers in spent else "none"
        for papers in PAPERS
    )
    print(f"  {'minutes spent by minutes planned':34}       " + "  ".join(said), flush=True)


def _kept(rest: EvidenceTable, rule: Rule, points: Sequence[object], promise: float) -> tuple[bool, float]:
    return kept(rest, rule(list(points), promise), promise)  # type: ignore[arg-type]


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("--families", nargs="*", default=["stub", "tax", "contract"])
    asked.add_argument("--labelled", type=int, default=8)
    asked.add_argument("--pool", type=int, default=1000)
    asked.add_argument("--trials", type=int, default=100)
    asked.add_argument("--kept", type=Path)
    args = asked.parse_args()
    for family in args.families:
        file = args.kept / f"{family}-{args.labelled}-{args.pool}.pickle" if args.kept else None
        if file and file.exists():
            rows = pickle.loads(file.read_bytes())
        else:
            rows = decisions(family, args.labelled, args.pool)
            if file:
                args.kept.mkdir(parents=True, exist_ok=True)
                file.write_bytes(pickle.dumps(rows))
        table = EvidenceTable.of(rows)
        right, stated = 1 - table.wrong.mean(), table.confidence.mean()
        print(
            f"\n{family}: {len(table)} decisions on {table.papers} papers, {right:.1%} right, {stated:.1%} stated: "
            f"violated / passes at {PAPERS} papers"
        )
        promises(table, args.trials)


if __name__ == "__main__":
    main()
