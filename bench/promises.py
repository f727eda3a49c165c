"""The promise of at most two wrong in a hundred of what passes, by trial: the same papers, learned from by other draws
of them; and what each version says of itself beside the truth.

    .venv/bin/python -m bench.promises FOLDER [--count 10] [--trials 10] [--types pay_stub …] [--kept CACHE]

FOLDER is one that `bench.folder` reads. In each trial so many papers of the split "train" are drawn and labelled, the
thresholds are what their own evidence allows, and all tests are judged. A trial breaks the promise when more than two
in a hundred of the values that pass on known layouts are wrong.
"""

from __future__ import annotations

import argparse
import random
from collections.abc import Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from multiprocessing import get_context
from pathlib import Path
from statistics import fmean

from bench.folder import PROMISE, Figures, Folder, decide, thresholds_of, trained_on
from jugum.core.training import TrainedVersion


@dataclass(frozen=True)
class Trial:
    """What became of the tests of a type, and how many points (0–100) its own evidence is above the truth."""

    kind: str
    known: Figures
    new: Figures
    off_known: float
    off_new: float

    @property
    def broken(self) -> bool:
        return self.known.passed_wrong > PROMISE * self.known.passed


def right_share(figures: Figures) -> float:
    """Share of decisions about fields that are right, absent ones included."""
    return sum(figures.good) / max(1, len(figures.good))


def said_of_itself(version: TrainedVersion, *, unseen: bool) -> float:
    """The share of held-out decisions that were right."""
    rows = [row.right for row in version.evidence if row.unseen is unseen and row.counted]
    return sum(rows) / max(1, len(rows))


def tried(asked: tuple[Path, Path, str, int, int]) -> Trial:
    """One training and its tests, in a process of its own."""
    path, cache, kind, count, seed = asked
    folder = Folder.read(path, cache, [kind])
    plan = folder.plans[kind]
    drawn = random.Random(seed).sample(folder.of(kind, "train"), count)
    version = trained_on(plan, drawn)
    thresholds = thresholds_of(version, plan)
    figures = {}
    for split in ("test_known", "test_new"):
        figures[split] = Figures()
        for paper in folder.of(kind, split):
            figures[split].add(plan, decide(version, thresholds, plan, paper))
    known, new = figures["test_known"], figures["test_new"]
    return Trial(
        kind,
        known,
        new,
        100 * (said_of_itself(version, unseen=False) - right_share(known)),
        100 * (said_of_itself(version, unseen=True) - right_share(new)),
    )


def summary(name: str, trials: Sequence[Trial]) -> str:
    """A line about some trials."""
    all_known = sum((trial.known for trial in trials), Figures())
    return (
        f"{name:16} {len(trials):3} trials, {sum(trial.broken for trial in trials)} over {PROMISE:.0%}: "
        f"passing {all_known.passed / max(1, len(all_known.sure)):.1%}, "
        f"wrong {all_known.passed_wrong / max(1, all_known.passed):.2%}, "
        f"whole papers {all_known.through / max(1, all_known.papers):.1%} "
        f"({all_known.through_wrong} of {all_known.through} with an error); of itself it says "
        f"{fmean(trial.off_known for trial in trials):+.1f} points too much on known layouts "
        f"({max(abs(trial.off_known) for trial in trials):.1f} off at most), "
        f"{fmean(trial.off_new for trial in trials):+.1f} on new ones "
        f"({max(abs(trial.off_new) for trial in trials):.1f})"
    )


def together(trials: Sequence[Trial], seeds: int) -> str:
    """In how many trials of all types together the promise is broken."""
    kinds = list(dict.fromkeys(trial.kind for trial in trials))
    of_seed = [[trials[kinds.index(kind) * seeds + seed] for kind in kinds] for seed in range(seeds)]
    sums = [sum((trial.known for trial in its), Figures()) for its in of_seed]
    broken = sum(its.passed_wrong > PROMISE * its.passed for its in sums)
    return f"all types together: {broken} of {seeds} trials over {PROMISE:.0%}"


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--count", type=int, default=10)
    asked.add_argument("--trials", type=int, default=10)
    asked.add_argument("--types", nargs="*", default=[])
    asked.add_argument("--kept", type=Path, default=None)
    args = asked.parse_args()
    cache = args.kept or args.folder / "read"
    kinds = list(Folder.read(args.folder, cache, args.types).plans)
    jobs = [(args.folder, cache, kind, args.count, seed) for kind in kinds for seed in range(args.trials)]
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        trials = list(pool.map(tried, jobs))
    for kind in kinds:
        print(summary(kind, [trial for trial in trials if trial.kind == kind]))
    print(summary("all", trials))
    print(together(trials, args.trials))


if __name__ == "__main__":
    main()
