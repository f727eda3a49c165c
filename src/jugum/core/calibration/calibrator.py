"""Where a confidence comes from: the calibration features of a decision, the direction each may speak in, and the fit.

A raw score can't tell a new layout from a known one, so calibration rests on several features at once: how far the
ranker's log-odds go, by how much they lead, whether the layout is like labelled ones, how well the words were read
(docs/decisions/0003 and 0012). Decisions of one kind (values, clauses, tables, marks) are calibrated together, since
their features mean different things.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.calibration.records import (
    AnyDecision,
    FieldRecords,
    LayoutRecords,
    Oversights,
    RightOfASort,
    denies,
    log_odds,
    says_nothing,
)
from jugum.core.classification.layout_book import SAME
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.values.assignment import Decision

Floats = npt.NDArray[np.float64]

VALUE = "value"
# The features of each kind of decision, with their monotonicity: 1 where more may only speak for the decision being
# right, −1 only against it, 0 either way. What a handful of papers happen to show must not turn a known layout, or a
# surer ranker, into a reason for doubt: without the directions the calibration error at five papers was .81 instead of
# .04 (docs/decisions/0012). The order is that of the coefficients in version files that do not name them.
CALIBRATION_FEATURES: Mapping[str, Mapping[str, int]] = {
    VALUE: {
        "logit": 1,
        "lead": 1,
        "absent": 0,
        "layout_similarity": 1,
        "reading": 1,
        "logit_if_similar": 1,
        "logit_if_absent": 0,
        "opinion_agrees": 1,
        "opinion_differs": -1,
        "readings_differ": -1,
        "label_like": 1,
    },
    PartKind.CLAUSE.value: {"logit": 1, "lead": 1, "absent": 0, "layout_similarity": 1, "learned": 0},
    PartKind.TABLE.value: {
        "heads": 1,
        "columns_with_head": 1,
        "cells_filled": 1,
        "log_rows": 0,
        "absent": 0,
        "layout_similarity": 1,
        "reading": 1,
        "by_tagger": 0,
        "by_cells": 0,
        "support": 1,
        "adds_up": 1,
    },
    PartKind.MARK.value: {
        "logit": 1,
        "rival": -1,
        "absent": 0,
        "layout_similarity": 1,
        "reading": 1,
        "whole_zone": 1,
        "says_no": 0,
    },
}
RECORD = "record"  # of the decision's field, after the features
RECORD_HERE = "record_here"  # of the field on papers of the decision's layout, after that
AS_USUAL = "as_usual"  # whether papers of the layout have the field, as the decision says: log-odds
NOTHING_HERE = "nothing_here"  # how well the layout is known, where nothing is said to be there: else an oversight
ALL_KINDS = {RECORD: 1, RECORD_HERE: 1, AS_USUAL: 1, NOTHING_HERE: 1}  # of every kind of decision, after its own
# That came when version files began to name features, or later.
NAMED_FROM_THE_START = frozenset({"by_cells", "support", "adds_up", "label_like"})
CONFIDENCE_MAX = 0.995  # however many decisions were right: at most 199 in 200
CONFIDENCE_MIN = 0.005  # no decision is called impossible: the fit sees a few hundred of them
LEAD_MAX = 12.0  # log-odds; a lead beyond it says nothing more
NEVER_COUNTED = (10_000, 10_000)  # by versions from before denials were counted: these are as sure as they were
SCALE_LEAST = 0.05  # a feature that hardly varied is not blown up: of papers that differ in it nothing was learned
SCORE_MOST = 30.0  # log-odds
STRANGE = 0.1  # how far coefficients may go on strange layouts, beside known ones (decision 0035)
POOLED = 10.0  # decisions of a field on a layout from which on what they say of "nothing there" counts half


def kind_of(decision: AnyDecision) -> str:
    """The kind of a decision: "value", or that of a part."""
    return decision.kind.value if isinstance(decision, PartDecision) else VALUE


def features_of(decision: AnyDecision) -> tuple[float, ...]:
    """The calibration features of a decision, in the order of CALIBRATION_FEATURES for its kind. A part's feature
    that was not worked out is 0."""
    if isinstance(decision, PartDecision):
        return tuple(decision.features.get(name, 0.0) for name in CALIBRATION_FEATURES[decision.kind.value])
    named = _value_features(decision)
    return tuple(named[name] for name in CALIBRATION_FEATURES[VALUE])


def _value_features(decision: Decision) -> dict[str, float]:
    """For "not there" the logit is that of the best candidate, turned round, and nothing leads."""
    logit = -decision.logit if decision.absent else decision.logit
    return {
        "logit": logit,
        "lead": 0.0 if decision.absent else min(LEAD_MAX, decision.logit - decision.rival),
        "absent": float(decision.absent),
        "layout_similarity": decision.layout_similarity,
        "reading": decision.reading,
        "logit_if_similar": logit * decision.layout_similarity,
        "logit_if_absent": logit * float(decision.absent),
        "opinion_agrees": float(decision.opinion is True),
        "opinion_differs": float(decision.opinion is False),
        "readings_differ": float(decision.misread),
        "label_like": decision.label_like,
    }


@dataclass(frozen=True)
class Line:
    """Coefficients (S) of scaled features, and the intercept."""

    coefficients: Floats
    intercept: float

    def scores(self, rows: Floats) -> Floats:
        """Log-odds (N) of rows of scaled features (N × S)."""
        return np.asarray(rows @ self.coefficients + self.intercept)


@dataclass
class Calibrator:
    """Logistic regression on the features of decisions of one kind, fitted on out-of-fold decisions; no feature counts
    against its direction.

    Targets are Platt's (1999, section 2.2): (n₊+1)/(n₊+2) and 1/(n₋+2) instead of 1 and 0, so that a handful of
    right answers alone gives no certainty: with 10 decisions, all right, none is called surer than about 92 %.

    Strange layouts have a line of their own through the same features, held ten times as near to what is usual: what
    four or five held-out layouts happen to show of each feature is no law for the next one (decision 0035).
    """

    regularisation: float = 1.0

    def fit(
        self,
        decisions: Sequence[AnyDecision],
        right: Sequence[bool],
        weights: Sequence[float] | None = None,
        layouts: Sequence[int] | None = None,
    ) -> Calibrator:
        """decisions and right: N ≥ 1 each, of one kind; weights: N, positive (1 each when not given); layouts: N, the
        layout group of each decision's paper, also where it was held out (each its own when not given). ValueError
        when empty."""
        if not decisions:
            raise ValueError("calibration needs at least one decision")
        good = np.array(right, dtype=bool)
        self.records_ = FieldRecords.of(decisions, good, layouts)
        self.here_ = LayoutRecords.of(decisions, good)
        rows = self._rows(decisions, own=good)
        self.mean_ = rows.mean(axis=0)
        self.scale_ = np.maximum(rows.std(axis=0), SCALE_LEAST)
        above, below = (good.sum() + 1) / (good.sum() + 2), 1 / ((~good).sum() + 2)
        target = np.where(good, above, below)
        weight = np.ones(len(rows)) if weights is None else np.array(weights, dtype=float)
        self.names_ = (*CALIBRATION_FEATURES[kind_of(decisions[0])], *ALL_KINDS)
        directions = (*CALIBRATION_FEATURES[kind_of(decisions[0])].values(), *ALL_KINDS.values())
        scaled = (rows - self.mean_) / self.scale_
        self.familiar_ = _fit(scaled, target, weight, self.regularisation, directions)
        self.strange_ = _fit(scaled, target, weight, STRANGE * self.regularisation, directions)
        self.decisions_ = len(rows)
        self.denials_ = RightOfASort.of(decisions, good, denies)
        self.by_hand_ = RightOfASort.of(decisions, good, lambda decision: decision.by_hand)
        self.oversights_ = Oversights.of(decisions, good)
        return self

    def probabilities(self, decisions: Sequence[AnyDecision]) -> Floats:
        """Probability (0–1) that each decision is right, never surer than what N decisions can show (N+1 in N+2), nor
        than the labelled papers of its layout can.

        That nothing is there on a known layout is told in two ways, whose log-odds are pooled (a logarithmic opinion
        pool, Genest and Zidek 1986): by the features, and, the more the more papers of the layout were decided on, by
        how often such papers lack the field and how often it is overlooked; see `Oversights`. Where the second way
        says nothing, that a mark is not there is never surer than the share of such decisions that were right, and
        what was written by hand never surer than the share of what was and was right: of print the engines know far
        more. See `RightOfASort`."""
        if not decisions:
            return np.zeros(0)
        scaled = (self._rows(decisions) - self.mean_) / self.scale_
        strange = np.array([decision.layout_similarity < SAME for decision in decisions])
        scores = np.where(strange, self.strange_.scores(scaled), self.familiar_.scores(scaled))
        most = min(CONFIDENCE_MAX, (self.decisions_ + 1) / (self.decisions_ + 2))
        caps = np.array([min(most, decision.most) for decision in decisions])
        for place, decision in enumerate(decisions):
            seen = self.here_.seen(decision)
            if says_nothing(decision) and decision.lacking and seen:
                share = seen / (seen + POOLED)
                by_layout = log_odds(self.oversights_.nothing_there(decision))
                scores[place] = (1 - share) * scores[place] + share * by_layout
            elif denies(decision):
                caps[place] = min(caps[place], self.denials_.share(decision))
            if decision.by_hand:
                caps[place] = min(caps[place], self.by_hand_.share(decision))
        bounded = np.clip(scores, -SCORE_MOST, SCORE_MOST)
        confidence: Floats = np.clip(1 / (1 + np.exp(-bounded)), CONFIDENCE_MIN, caps)
        return confidence

    def _rows(self, decisions: Sequence[AnyDecision], own: npt.NDArray[np.bool_] | None = None) -> Floats:
        """The calibration features of decisions, and as the last ones those of all kinds: the record of their fields,
        that on papers of their layout (without the decision itself where `own` says whether it was right), whether such
        papers have the field, and how well the layout is known where nothing is said to be there."""
        features = np.array([features_of(decision) for decision in decisions], dtype=np.float64)
        nothing = np.array([says_nothing(decision) for decision in decisions])
        lacking = np.array([decision.lacking for decision in decisions])
        here = nothing * np.array([decision.layout_similarity for decision in decisions])
        records = self.records_.log_odds(decisions), self.here_.log_odds(decisions, own)
        return np.column_stack([features, *records, np.where(nothing, lacking, -lacking), here])

    def to_data(self) -> dict[str, Any]:
        """JSON-able parameters."""
        return {
            "features": list(self.names_),
            "records": self.records_.to_data(),
            "records_here": self.here_.to_data(),
            "mean": self.mean_.tolist(),
            "scale": self.scale_.tolist(),
            "coefficients": self.familiar_.coefficients.tolist(),
            "intercept": self.familiar_.intercept,
            "strange_coefficients": self.strange_.coefficients.tolist(),
            "strange_intercept": self.strange_.intercept,
            "decisions": self.decisions_,
            "denials": self.denials_.to_data(),
            "by_hand": self.by_hand_.to_data(),
            "oversights": self.oversights_.to_data(),
        }

    @staticmethod
    def from_data(data: Mapping[str, Any], kind: str) -> Calibrator:
        """The inverse of `to_data`, for a kind of decision. Features that came later than the data say nothing.
        ValueError for data that can't be of this kind: more numbers than it has features, or lists of unequal
        length."""
        calibrator = Calibrator()
        calibrator.records_ = FieldRecords.from_data(data.get("records", {}))
        calibrator.here_ = LayoutRecords.from_data(data.get("records_here", []))
        calibrator.names_ = (*CALIBRATION_FEATURES[kind], *ALL_KINDS)
        strange = data.get("strange_coefficients", data["coefficients"])  # one line was for all layouts once
        given = (data["mean"], data["scale"], data["coefficients"], strange)
        lists = [np.array(its, dtype=np.float64) for its in given]
        unnamed = [name for name in calibrator.names_ if name not in NAMED_FROM_THE_START][: len(lists[0])]
        names = data.get("features", unnamed)
        if any(len(its) != len(names) for its in lists) or not set(names) <= set(calibrator.names_):
            raise ValueError(
                f"a calibrator of {kind} has {len(calibrator.names_)} features, the data have {len(lists[0])}"
            )
        places = [calibrator.names_.index(name) for name in names]
        filled = [np.full(len(calibrator.names_), value) for value in (0.0, 1.0, 0.0, 0.0)]
        for its, numbers in zip(filled, lists, strict=True):
            its[places] = numbers
        calibrator.mean_, calibrator.scale_ = filled[:2]
        calibrator.familiar_ = Line(filled[2], float(data["intercept"]))
        calibrator.strange_ = Line(filled[3], float(data.get("strange_intercept", data["intercept"])))
        calibrator.decisions_ = int(data["decisions"])
        calibrator.denials_ = RightOfASort.from_data(data.get("denials", NEVER_COUNTED))
        calibrator.by_hand_ = RightOfASort.from_data(data.get("by_hand", []))
        calibrator.oversights_ = Oversights.from_data(data.get("oversights", []))
        return calibrator


Calibrators = Mapping[str, Calibrator]


def confidences(calibrators: Calibrators, decisions: Sequence[AnyDecision]) -> list[float | None]:
    """Calibrated confidence of each decision (0–1); None for a kind that nothing was measured for."""
    found: list[float | None] = [None] * len(decisions)
    for kind, calibrator in calibrators.items():
        places = [place for place, decision in enumerate(decisions) if kind_of(decision) == kind]
        of_kind = calibrator.probabilities([decisions[place] for place in places])
        for place, confidence in zip(places, of_kind, strict=True):
            found[place] = float(confidence)
    return found


def _fit(rows: Floats, target: Floats, weight: Floats, strength: float, directions: Sequence[int]) -> Line:
    """The line of a logistic regression with soft targets (N, 0–1), weights (N) and an L2 penalty of 1/(2·strength),
    each coefficient on its side of nought."""
    from scipy.optimize import minimize  # here: loading SciPy would delay every start by half a second

    def loss(both: Floats) -> tuple[float, Floats]:
        scores = rows @ both[:-1] + both[-1]
        off = weight * (1 / (1 + np.exp(-scores)) - target)
        value = float(
            np.sum(weight * (np.logaddexp(0, scores) - target * scores)) + both[:-1] @ both[:-1] / (2 * strength)
        )
        return value, np.append(rows.T @ off + both[:-1] / strength, off.sum())

    sides = {1: (0.0, None), -1: (None, 0.0), 0: (None, None)}
    bounds = [*(sides[direction] for direction in directions), (None, None)]
    found = minimize(
        loss, np.zeros(rows.shape[1] + 1), jac=True, method="L-BFGS-B", bounds=bounds, options={"maxiter": 500}
    )
    return Line(np.asarray(found.x[:-1], dtype=np.float64), float(found.x[-1]))


__all__ = [
    "CALIBRATION_FEATURES",
    "CONFIDENCE_MAX",
    "VALUE",
    "AnyDecision",
    "Calibrator",
    "Calibrators",
    "confidences",
    "features_of",
    "kind_of",
]
