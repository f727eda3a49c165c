"""The frontier: what every setting of the dial does, as work against error."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from jugum.core.evaluation.clustered import Sums
from jugum.core.thresholds.dial import GRID, Curves, FieldRules, entered
from jugum.core.thresholds.effort import USUAL_EFFORT, Effort
from jugum.core.thresholds.evidence import UNKNOWN_LAYOUT, Bools, EvidenceTable, Floats, Ints
from jugum.core.thresholds.outcome import NEVER, Outcome, outcome, outcome_of, passing

# Of the dial, from "nothing passes" to "what is as likely wrong as right": each some 7 % laxer than the one before, and
# those that promises of round shares end at (`choice.GAMBLE`).
SETTINGS = (0.0, *sorted({*np.geomspace(0.001, 0.5, 90).tolist(), 0.005, 0.01, 0.025, 0.05, 0.1, 0.25}))


FOLDS = 5  # of papers; see `frontier`


@dataclass(frozen=True)
class FrontierPoint:
    """A setting of the dial, its thresholds, what follows, minutes of review per 100 papers, and the share of all
    values that pass and are wrong, each by the weight of its field (as counted or as expected, whichever is more)."""

    setting: float
    thresholds: Mapping[str, float]
    outcome: Outcome
    minutes: float
    weighted_wrong: float

    @property
    def wrong_per_1000(self) -> float:
        """Wrong values that are expected in 1,000 delivered: what passes is as wrong as it was counted or as the
        confidences say, whichever is more; what a person looked at is right."""
        return 1000 * self.outcome.passing_share * max(self.outcome.error_share, self.outcome.expected_share)

    @property
    def wrong_per_1000_upper(self) -> float:
        """The same at the upper bound of the error."""
        return 1000 * self.outcome.passing_share * self.outcome.error_upper


def frontier(
    table: EvidenceTable, rules: FieldRules = FieldRules(), effort: Effort = USUAL_EFFORT, *, folds: int = FOLDS
) -> list[FrontierPoint]:
    """Every setting at which something changes, from strict to lax, on evidence that is `gated`.

    Thresholds are those of all evidence. What follows from a setting is judged on papers that had no part in it: each
    of `folds` groups of papers by the thresholds of the others at that setting. Judged on the papers they were chosen
    on, thresholds of many fields look better than they are.

    One pass over the decisions: each comes in at one setting and stays, so that sums by paper and setting, added up
    along the settings, are those of all of them.
    """
    curves = Curves.of(table)
    if not len(table):  # of which nothing is known, nothing passes
        return [replace(point_of(table, curves.thresholds_at(0.0, rules), rules, effort), setting=0.0)]
    chosen = [(setting, curves.thresholds_at(setting, rules)) for setting in SETTINGS]
    new = [place == 0 or chosen[place][1] != chosen[place - 1][1] for place in range(len(chosen))]
    sums = _Along(table, _comes_in(table, rules, min(folds, table.papers)), len(chosen))
    wrong, doubt = table.weight * table.wrong, table.weight * (1 - table.confidence)
    follows = zip(
        sums.by_setting(None).tolist(),
        sums.by_setting(table.wrong.astype(np.float64)).tolist(),
        map(Sums, *(values.tolist() for values in sums.clustered(wrong))),
        sums.by_setting(doubt).tolist(),
        strict=True,
    )
    outcomes = [
        outcome_of(table, counts=(int(passes), int(bad)), sums=them, doubt=expected)
        for passes, bad, them, expected in follows
    ]
    heavy = _weights(table, rules)
    weighted = np.maximum(sums.by_setting(wrong * heavy), sums.by_setting(doubt * heavy)) / table.total_weight
    minutes = _minutes(table, sums, effort)
    points = [
        FrontierPoint(setting, thresholds, follows, minute, loss)
        for (setting, thresholds), follows, minute, loss in zip(
            chosen, outcomes, minutes.tolist(), weighted.tolist(), strict=True
        )
    ]
    return [point for point, changes in zip(points, new, strict=True) if changes]


def _comes_in(table: EvidenceTable, rules: FieldRules, folds: int) -> Ints:
    """For each decision the first setting at which it passes, by thresholds of other papers; their number for one that
    never does."""
    fold, place = table.paper % folds, entered(table)
    first = np.stack([_first_settings(curves, rules) for curves in Curves.of_others(table, fold, folds, place)])
    found = first[fold, table.field, place]
    for number, key in enumerate(table.fields):
        if key in rules.pinned and key not in rules.always_held:  # which need not lie on the grid
            own = table.field == number
            found[own] = np.where(table.confidence[own] >= rules.pinned[key], 0, len(SETTINGS))
    return _of_unopened(table, rules, found, len(SETTINGS))


def _of_unopened(table: EvidenceTable, rules: FieldRules, comes_in: Ints, settings: int) -> Ints:
    """The same with papers that are not worth opening from some setting on: there all that is held on them passes."""
    if rules.opening is None or not len(table):
        return comes_in
    by_hand = np.array([key in rules.pinned or key in rules.always_held for key in table.fields])[table.field]
    always = (comes_in == settings) & (by_hand | (table.confidence == UNKNOWN_LAYOUT))
    gains = np.where(always, 0.0, rules.opening.gains(table.confidence, _weights(table, rules)))
    held = _Along(table, comes_in, settings + 1).by_paper(gains)  # what came in, which is held no more
    worth = held[:, -1:] - held[:, :-1] > rules.opening.paper
    worth[np.unique(table.paper[always])] = True
    first = np.where(worth.all(axis=1), settings, np.argmin(worth, axis=1))
    return np.minimum(comes_in, np.where(always, settings, first[table.paper]))


def passes_by(table: EvidenceTable, thresholds: Mapping[str, float], rules: FieldRules = FieldRules()) -> Bools:
    """Which decisions pass (N) by some thresholds, and by papers not being worth to open."""
    passes = passing(table, thresholds)
    return np.asarray(_of_unopened(table, rules, np.where(passes, 0, 1), 1) == 0)


def point_of(
    table: EvidenceTable,
    thresholds: Mapping[str, float],
    rules: FieldRules = FieldRules(),
    effort: Effort = USUAL_EFFORT,
) -> FrontierPoint:
    """Where any thresholds stand in the picture of the frontier (a policy in force, thresholds set by hand); its
    setting is not a number."""
    passes = passes_by(table, thresholds, rules)
    heavy = (table.weight * _weights(table, rules))[passes]
    wrong = max(float(heavy[table.wrong[passes]].sum()), float((heavy * (1 - table.confidence[passes])).sum()))
    loss = wrong / table.total_weight if len(table) else 0.0
    minutes = minutes_per_100(table, passes, effort)
    return FrontierPoint(float("nan"), thresholds, outcome(table, passes), minutes, loss)


def point_among(
    points: Sequence[FrontierPoint],
    table: EvidenceTable,
    thresholds: Mapping[str, float],
    rules: FieldRules = FieldRules(),
    effort: Effort = USUAL_EFFORT,
) -> FrontierPoint:
    """The point of the frontier with these thresholds, where there is one, so that they are judged as their setting is;
    else where they stand by themselves (`point_of`)."""

    def rounded(them: Mapping[str, float]) -> dict[str, float]:
        return {key: round(value, 4) for key, value in them.items()}  # as policies keep them

    wanted = rounded(thresholds)
    same = (point for point in points if rounded(bounded(point.thresholds)) == wanted)
    return next(same, None) or point_of(table, thresholds, rules, effort)


def _weights(table: EvidenceTable, rules: FieldRules) -> Floats:
    """The weight of each decision's field (N)."""
    return np.array([rules.weights.get(key, 1.0) for key in table.fields] or [1.0], dtype=np.float64)[table.field]


def minutes_per_100(table: EvidenceTable, passes: Bools, effort: Effort) -> float:
    """Minutes of review per 100 papers when the decisions of a mask (N) pass and the others wait for a person."""
    if not table.papers:
        return 0.0
    counts = weight_of_papers(table)
    held = np.bincount(table.paper[~passes], minlength=table.papers) > 0
    fields = float(table.weight[~passes].sum())
    return effort.minutes(papers=float(counts[held].sum()), fields=fields) * 100 / float(counts.sum())


def decisions_a_paper(table: EvidenceTable) -> dict[str, float]:
    """How many decisions about each field a paper has in the mean."""
    papers = float(weight_of_papers(table).sum()) if len(table) else 1.0
    sums = np.bincount(table.field, weights=table.weight, minlength=len(table.fields)).tolist()
    return {key: total / papers for key, total in zip(table.fields, sums, strict=True)}


def weight_of_papers(table: EvidenceTable) -> Floats:
    """What each paper counts (P): as much as its decisions in the mean."""
    decisions = np.bincount(table.paper, minlength=table.papers)
    return np.asarray(np.bincount(table.paper, weights=table.weight, minlength=table.papers) / decisions)


def _first_settings(curves: Curves, rules: FieldRules) -> Ints:
    """For each field and place in the grid (F × (G + 1); the last is beyond it) the first setting at which a decision
    passes that enters there; their number where none does."""
    # falling along the settings
    limits = np.array([list(curves.thresholds_at(setting, rules).values()) for setting in SETTINGS])
    first = np.array([np.searchsorted(-limits[:, number], -GRID) for number in range(limits.shape[1])])
    return np.column_stack([first, np.full(len(first), len(SETTINGS))])


class _Along:
    """Sums over what passes, for each of K settings."""

    def __init__(self, table: EvidenceTable, comes_in: Ints, settings: int) -> None:
        self.table, self.comes_in, self.settings = table, comes_in, settings

    def by_setting(self, values: Floats | None) -> Floats:
        """Sums of values (N; their number where nothing is given) at each setting (K)."""
        sums = np.bincount(self.comes_in, weights=values, minlength=self.settings + 1)
        return np.asarray(sums[: self.settings].cumsum(), dtype=np.float64)

    def clustered(self, wrong: Floats) -> tuple[Floats, Floats, Floats, Floats]:
        """What bounds are worked out from, at each setting (K): see `Sums`."""
        weights = self.by_paper(self.table.weight)
        squares = self.by_setting(self.table.weight**2)
        return weights.sum(axis=0), self.by_setting(wrong), squares, (weights**2).sum(axis=0)

    def by_paper(self, values: Floats | None) -> Floats:
        """The same for each paper (P × K)."""
        place = self.table.paper * (self.settings + 1) + self.comes_in
        count = self.table.papers * (self.settings + 1)
        sums = np.bincount(place, weights=values, minlength=count).reshape(self.table.papers, -1)
        return np.asarray(sums[:, : self.settings].cumsum(axis=1), dtype=np.float64)


def _minutes(table: EvidenceTable, sums: _Along, effort: Effort) -> Floats:
    """Minutes of review per 100 papers at each setting (K)."""
    counts = weight_of_papers(table)
    last = np.zeros(table.papers, dtype=np.int64)  # the setting at which the last of a paper's values comes in
    np.maximum.at(last, table.paper, sums.comes_in)
    whole = np.bincount(last, weights=counts, minlength=sums.settings + 1)[:-1].cumsum()
    # not below nothing, where sums of weights are off by a rounding
    papers = np.maximum(0.0, counts.sum() - whole)
    fields = np.maximum(0.0, table.total_weight - sums.by_setting(table.weight))
    return np.array(
        [
            effort.minutes(papers=opened, fields=looked_at) * 100 / float(counts.sum())
            for opened, looked_at in zip(papers.tolist(), fields.tolist(), strict=True)
        ]
    )


def bounded(thresholds: Mapping[str, float]) -> dict[str, float]:
    """Thresholds as numbers from 0 to 1, without fields that are always held."""
    return {key: value for key, value in thresholds.items() if value != NEVER}


__all__ = [
    "FrontierPoint",
    "bounded",
    "decisions_a_paper",
    "frontier",
    "minutes_per_100",
    "passes_by",
    "point_among",
    "point_of",
]
