"""Promises on simulated papers, with the product's own functions: how often one is broken, how much passes, how soon a
breach is noticed, how near spent minutes are to planned ones, and how fast the frontier is.

    .venv/bin/python -m bench.weighing [--trials 150] [--fresh 40000]

Papers have 14 values with confidences. Worlds: values err alone; papers differ (their quality shifts all their values
by a random logit, which the confidences do not see); the same and of 2 in 100 papers a quarter of the values is
misread, unnoticed; and confidences that are too high (their log-odds a third larger than true). In each trial
thresholds are chosen on some papers and judged on fresh ones: a trial is violated when more than the promise is wrong.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

import numpy as np

from jugum.core.evaluation.betting import ALARM, breach_winnings, proven_bound
from jugum.core.evaluation.intervals import upper_bound
from jugum.core.thresholds import (
    EvidenceTable,
    by_budget,
    by_promise,
    frontier,
    outcome,
    outcomes_by_field,
    passing,
)
from jugum.core.thresholds.choice import GAMBLE
from jugum.core.thresholds.effort import USUAL_EFFORT
from jugum.core.thresholds.frontier import FOLDS, FrontierPoint, minutes_per_100

FIELDS = 14
PROMISES = (0.01, 0.02, 0.05)
PAPERS = (25, 50, 150, 400)
Rule = Callable[[list[FrontierPoint], float], FrontierPoint | None]


@dataclass(frozen=True)
class World:
    """How papers differ (standard deviation of their quality in logits), how many are misread (share of papers, and of
    their values), and by how much confidences are off (factor on their log-odds)."""

    name: str
    quality: float = 0.0
    misread: float = 0.0
    overstated: float = 1.0


WORLDS = (
    World("values err alone"),
    World("papers differ", 1.0),
    World("and some are misread", 1.0, 0.02),
    World("confidences too high", 0.5, 0.0, 1.33),
)
MISREAD_VALUES = 0.25


def papers_of(world: World, rng: np.random.Generator, papers: int) -> EvidenceTable:
    """So many papers of a world."""
    stated = rng.normal(np.linspace(2.5, 6.5, FIELDS), 1.5, (papers, FIELDS))
    # what a normal shift leaves of log-odds on the mean is undone, so that confidences are true on the whole
    own = stated / world.overstated * np.sqrt(1 + 0.346 * world.quality**2)
    shift = world.quality * rng.normal(0.0, 1.0, (papers, 1))
    wrong = rng.random((papers, FIELDS)) > 1 / (1 + np.exp(-(own + shift)))
    misread = rng.random((papers, 1)) < world.misread
    wrong |= misread & (rng.random((papers, FIELDS)) < MISREAD_VALUES)
    count = papers * FIELDS
    return EvidenceTable(
        tuple(f"field {number:02}" for number in range(FIELDS)),
        np.tile(np.arange(FIELDS), papers),
        np.repeat(np.arange(papers), FIELDS),
        np.minimum(1 / (1 + np.exp(-stated)), 0.995).ravel(),
        np.ones(count),
        wrong.ravel(),
        np.ones(count),
    )


def independent(points: list[FrontierPoint], promise: float) -> FrontierPoint | None:
    """The bound of values that err alone, on the same settings."""
    kept = [point for point in points if upper_bound(point.outcome.wrong, point.outcome.passing) <= promise]
    return kept[-1] if kept else None


def average(points: list[FrontierPoint], promise: float) -> FrontierPoint | None:
    """Counted and expected share, however unsure a single value is."""
    kept = [
        point
        for point in points
        if point.outcome.passing and max(point.outcome.error_share, point.outcome.expected_share) <= promise
    ]
    return kept[-1] if kept else None


# By name: the rule, and of how many folds of papers the frontier is that it chooses from (1: judged on the papers that
# its thresholds were chosen on).
RULES: dict[str, tuple[Rule, int]] = {
    "counted and expected, same papers": (average, 1),
    "bound, values alone, same papers": (independent, 1),
    "proven, same papers": (partial(by_promise, proven=True), 1),
    f"expected, no value over {GAMBLE:g} ×": (partial(by_promise, proven=False), FOLDS),
    "proven": (partial(by_promise, proven=True), FOLDS),
}


def promises(trials: int, fresh: int) -> None:
    """Share of trials violated and mean share that passes, by world, rule, promise and number of papers."""
    for world in WORLDS:
        rng = np.random.default_rng(1)
        judged = papers_of(world, rng, fresh)
        print(f"\n{world.name} ({1 - judged.wrong.mean():.1%} right): violated / passes at {PAPERS} papers")
        found: dict[tuple[str, float, int], list[tuple[bool, float]]] = {}
        for papers in PAPERS:
            for _ in range(trials):
                table = papers_of(world, rng, papers)
                points = {folds: frontier(table, folds=folds) for folds in (1, FOLDS)}
                for name, (rule, folds) in RULES.items():
                    for promise in PROMISES:
                        result = kept(judged, rule(points[folds], promise), promise)
                        found.setdefault((name, promise, papers), []).append(result)
        for name in RULES:
            for promise in PROMISES:
                cells = [np.mean(found[name, promise, papers], axis=0) for papers in PAPERS]
                print(f"  {name:32} {promise:4.0%}  " + "  ".join(f"{bad:.2f} / {share:.2f}" for bad, share in cells))


def kept(judged: EvidenceTable, chosen: FrontierPoint | None, promise: float) -> tuple[bool, float]:
    """Whether a choice breaks its promise on fresh papers, and the share that passes."""
    if chosen is None:
        return False, 0.0
    passes = passing(judged, chosen.thresholds)
    return bool(passes.any() and judged.wrong[passes].mean() > promise), float(passes.mean())


def alarms(trials: int) -> None:
    """How soon a breach is noticed, how often none is called one, and from how many papers a promise is shown kept, by
    how much values of a paper err together; 12 values a paper, 2 % promised."""
    print("\nspot checks, 12 values a paper, promise 2 %: checked papers in the median (share called a breach)")
    rng = np.random.default_rng(2)
    for correlation in (0.0, 0.05, 0.2):
        said = []
        for times, most in ((1.0, 4000), (2.0, 1000), (3.0, 400), (5.0, 200)):
            first = []
            for _ in range(trials):
                won = breach_winnings(*checked(rng, 0.02 * times, correlation, most), 0.02, 12)
                first.append(int(np.argmax(won >= ALARM)) + 1 if won.max() >= ALARM else most + 1)
            found = np.array(first)
            said.append(f"{times:g} × {np.median(found):.0f} ({(found <= most).mean():.0%})")
        shown = []
        for share in (0.002, 0.01):
            wrong, total = checked(rng, share, correlation, 800)
            keeps = [n for n in range(20, 800, 20) if proven_bound(wrong[:n], total[:n], 12) <= 0.02]
            shown.append(f"{share:.1%} after {keeps[0] if keeps else '> 800'}")
        print(f"  correlation {correlation:4}: {', '.join(said)}; shown kept at {', '.join(shown)}")


def checked(rng: np.random.Generator, share: float, correlation: float, papers: int) -> tuple[list[int], list[int]]:
    """Wrong values and values of checked papers whose share of wrong ones differs from paper to paper."""
    of_paper = np.full(papers, share)
    if correlation:
        spread = (1 - correlation) / correlation
        of_paper = rng.beta(share * spread, (1 - share) * spread, papers)
    return rng.binomial(12, of_paper).tolist(), [12] * papers


def hajek(trials: int) -> None:
    """The error on live papers from reviews and spot checks, weighted by their probabilities, against the truth, at the
    thresholds in force and at others."""
    print("\nlive papers: 400, of what passes a tenth is checked; bias in points and share of intervals that cover")
    thresholds = dict.fromkeys((f"field {number:02}" for number in range(FIELDS)), 0.9)
    for world in WORLDS:
        rng = np.random.default_rng(3)
        truth = papers_of(world, rng, 100_000)
        for threshold in (0.8, 0.9, 0.97):
            true = truth.wrong[truth.confidence >= threshold].mean()
            off, covers = [], []
            for _ in range(trials):
                live = papers_of(world, rng, 400)
                passes = passing(live, thresholds)
                drawn = (rng.random(live.papers) < 0.1)[live.paper]
                seen = ~passes | drawn
                weight = np.where(passes, 10.0, 1.0)
                known = EvidenceTable(
                    live.fields,
                    live.field[seen],
                    live.paper[seen],
                    live.confidence[seen],
                    live.layout_similarity[seen],
                    live.wrong[seen],
                    weight[seen],
                )
                found = outcome(known, known.confidence >= threshold)
                off.append(found.error_share - true)
                covers.append(found.error_interval[0] <= true <= found.error_interval[1])
            print(
                f"  {world.name:22} at {threshold:.0%}: true {true:.2%}, bias {100 * np.mean(off):+.2f}, covers "
                f"{np.mean(covers):.0%}"
            )


def budgets(trials: int) -> None:
    """Minutes that fresh papers take, by those planned on some papers for half of what looking at everything takes."""
    print("\nbudgets: minutes spent by minutes planned, at " + ", ".join(map(str, PAPERS)) + " papers")
    for world in WORLDS:
        rng = np.random.default_rng(5)
        judged = papers_of(world, rng, 5000)
        said = []
        for papers in PAPERS:
            spent = []
            for _ in range(trials):
                points = frontier(papers_of(world, rng, papers))
                chosen = by_budget(points, points[0].minutes / 2 / 60, 100)
                assert chosen is not None
                minutes = minutes_per_100(judged, passing(judged, chosen.thresholds), USUAL_EFFORT)
                spent.append(minutes / chosen.minutes)
            said.append(f"{np.mean(spent):.2f} ± {np.std(spent):.2f}")
        print(f"  {world.name:22} {', '.join(said)}")


def speed() -> None:
    """Milliseconds of the frontier, and of what follows for each field, beside a pass over the same decisions."""
    print("speed")
    rng = np.random.default_rng(4)
    for papers, fields in ((1000, 14), (500, 40), (20_000, 40)):
        count = papers * fields
        table = EvidenceTable(
            tuple(f"{number:02}" for number in range(fields)),
            np.tile(np.arange(fields), papers),
            np.repeat(np.arange(papers), fields),
            rng.random(count) ** 0.1,
            np.ones(count),
            rng.random(count) < 0.02,
            np.ones(count),
        )
        table.correlation  # noqa: B018  (once for a table)
        spent = [
            best(lambda table=table: frontier(table)),
            best(lambda table=table: outcomes_by_field(table, table.confidence >= 0.9)),
            best(lambda table=table: float(table.weight[table.confidence >= 0.9].sum())),
        ]
        print(
            f"  {count:7} decisions of {fields} fields: frontier {spent[0]:.0f} ms, fields {spent[1]:.1f} ms, "
            f"one pass {spent[2]:.1f} ms (frontier {spent[0] / spent[2]:.0f} passes)"
        )


def best(work: Callable[[], object]) -> float:
    """The least of five times, in milliseconds."""
    times = []
    for _ in range(5):
        began = time.perf_counter()
        work()
        times.append(1000 * (time.perf_counter() - began))
    return min(times)


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--trials", type=int, default=150)
    parser.add_argument("--fresh", type=int, default=40_000)
    parser.add_argument("--only", choices=["speed", "promises", "alarms", "live", "budgets"])
    given = parser.parse_args()
    parts = {
        "speed": speed,
        "promises": partial(promises, given.trials, given.fresh),
        "alarms": partial(alarms, given.trials),
        "live": partial(hajek, given.trials),
        "budgets": partial(budgets, given.trials),
    }
    for name, part in parts.items():
        if given.only in (None, name):
            part()


if __name__ == "__main__":
    main()
