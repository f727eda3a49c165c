"""Where a confidence comes from: the calibration features of a decision, the direction each may speak in, and the fit.

A raw score can't tell a new layout from a known one, so calibration rests on several features at once: how far the
ranker's log-odds go, by how much they lead, whether the layout is like labelled ones, how well the words were read
(docs/decisions/0003 and 0012). Decisions of one kind (values, clauses, tables, marks) are calibrated together, since
their features mean different things.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import numpy.typing as npt

from jugum.core.classification.layout_book import NEW_LAYOUT, SAME
from jugum.core.extraction.decided import PartDecision, PartKind
from jugum.core.extraction.layout_counts import LayoutCounts
from jugum.core.extraction.values.assignment import Decision

Floats = npt.NDArray[np.float64]
AnyDecision = Decision | PartDecision

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
ALL_KINDS = {RECORD: 1, RECORD_HERE: 1, AS_USUAL: 1}  # features of every kind of decision, after its own
NAMED_FROM_THE_START = frozenset({"by_cells", "support"})  # that came when version files began to name features
CONFIDENCE_MAX = 0.995  # however many decisions were right: at most 199 in 200
CONFIDENCE_MIN = 0.005  # no decision is called impossible: the fit sees a few hundred of them
LEAD_MAX = 12.0  # log-odds; a lead beyond it says nothing more
NEVER_COUNTED = (10_000, 10_000)  # by versions from before denials were counted: these are as sure as they were
DRAWN = 4.0  # decisions that a field's record is drawn towards that of all fields by (m-estimate, Cestnik 1990)
FLAT = 1e-6  # a feature that varies less is left unscaled, so that it is not divided by nought


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


def denies(decision: AnyDecision) -> bool:
    """Whether it says that a mark is not there: no ink for a signature, an empty box. Nothing on the page speaks for
    that, and a pen that was overlooked looks the same."""
    if not isinstance(decision, PartDecision) or decision.kind is not PartKind.MARK:
        return False
    return bool(decision.features.get("says_no") or decision.features.get("absent"))


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
    }


@dataclass(frozen=True)
class FieldRecords:
    """How often decisions on each field were right, on familiar and on strange layouts: (field, familiar) → right, all.
    Fields differ: a total may be found on every paper and a place on two of three, at the same scores."""

    counts: Mapping[tuple[str, bool], tuple[int, int]]

    @staticmethod
    def of(decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_]) -> FieldRecords:
        counts: dict[tuple[str, bool], tuple[int, int]] = {}
        for decision, good in zip(decisions, right, strict=True):
            key = decision.field, decision.layout_similarity >= SAME
            hits, total = counts.get(key, (0, 0))
            counts[key] = hits + int(good), total + 1
        return FieldRecords(counts)

    def log_odds(self, decisions: Sequence[AnyDecision]) -> Floats:
        """By how much the log-odds of each decision's field are above those of all fields on such layouts (0 for a
        field nothing is known of). On strange layouts never by more than on familiar ones: strangeness must not speak
        for a decision."""
        familiar, strange = self._above[True], self._above[False]
        found = []
        for decision in decisions:
            above = familiar.get(decision.field, 0.0)
            if decision.layout_similarity < SAME:
                above = min(above, strange.get(decision.field, 0.0))
            found.append(above)
        return np.array(found, dtype=np.float64)

    @cached_property
    def _above(self) -> dict[bool, dict[str, float]]:
        """Familiar or not → field → its log-odds above those of all fields there, whose share is by Laplace's rule of
        succession; drawn towards it as if four more decisions had been as good."""
        found: dict[bool, dict[str, float]] = {}
        for familiar in (False, True):
            its = {field: count for (field, known), count in self.counts.items() if known is familiar}
            share = (sum(hits for hits, _ in its.values()) + 1) / (sum(total for _, total in its.values()) + 2)
            rates = {field: (hits + DRAWN * share) / (total + DRAWN) for field, (hits, total) in its.items()}
            found[familiar] = {field: _log_odds(rate) - _log_odds(share) for field, rate in rates.items()}
        return found

    def to_data(self) -> dict[str, list[int]]:
        """JSON-able: field → right and all on strange, then on familiar layouts."""
        return {
            field: [*self.counts.get((field, False), (0, 0)), *self.counts.get((field, True), (0, 0))]
            for field in sorted({field for field, _ in self.counts})
        }

    @staticmethod
    def from_data(data: Mapping[str, Sequence[int]]) -> FieldRecords:
        """The inverse; nothing is known of fields without an entry."""
        counts = {}
        for field, (strange, of_strange, familiar, of_familiar) in data.items():
            counts[field, False], counts[field, True] = (strange, of_strange), (familiar, of_familiar)
        return FieldRecords(counts)


@dataclass(frozen=True)
class LayoutRecords(LayoutCounts):
    """How often decisions on each field were right on papers of each layout: (field, layout group) → right, all. A form
    whose names stand in boxes may be read badly while all others are read well, at the same scores."""

    @staticmethod
    def of(decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_]) -> LayoutRecords:
        return LayoutRecords.counted(
            (decision.field, decision.layout, bool(good))
            for decision, good in zip(decisions, right, strict=True)
            if decision.layout != NEW_LAYOUT
        )

    def log_odds(self, decisions: Sequence[AnyDecision], own: npt.NDArray[np.bool_] | None = None) -> Floats:
        """By how much the log-odds of each decision's field on papers of its layout are above those of the field on all
        known layouts; 0 on new ones. `own` says of decisions that are among those counted whether each is right: it
        is left out of its own record."""
        found = []
        for number, decision in enumerate(decisions):
            hits, total = self.counts.get((decision.field, decision.layout), (0, 0))
            every_hit, every = self.by_field.get(decision.field, (0, 0))
            if own is not None and total:
                hits, total = hits - int(own[number]), total - 1
                every_hit, every = every_hit - int(own[number]), every - 1
            share = (every_hit + 1) / (every + 2)
            found.append(_log_odds((hits + DRAWN * share) / (total + DRAWN)) - _log_odds(share) if total else 0.0)
        return np.array(found, dtype=np.float64)


@dataclass(frozen=True)
class Denials(LayoutCounts):
    """How often "it is not there" was right of marks: (field, layout group) → right, all; on new layouts by field."""

    @staticmethod
    def of(decisions: Sequence[AnyDecision], right: npt.NDArray[np.bool_]) -> Denials:
        return Denials.counted(
            (decision.field, decision.layout, bool(good))
            for decision, good in zip(decisions, right, strict=True)
            if denies(decision)
        )

    def share(self, decision: AnyDecision) -> float:
        """The share (0–1) of such denials that were right: of other fields k+1 in n+2 (Laplace's rule of succession),
        to which those of the field on other layouts are drawn, and to these those on papers of the layout, each as if
        four more had been like the wider circle's; never more than N+1 in N+2 of them all."""
        new = decision.layout == NEW_LAYOUT
        alike = [(key, count) for key, count in self.counts.items() if (key[1] == NEW_LAYOUT) is new]
        others = [count for (field, _), count in alike if field != decision.field]
        elsewhere = [count for key, count in alike if key[0] == decision.field and key[1] != decision.layout]
        here = self.counts.get((decision.field, decision.layout), (0, 0))
        share = (sum(hits for hits, _ in others) + 1) / (sum(total for _, total in others) + 2)
        for circle in (elsewhere, [here]):
            hits, total = sum(hits for hits, _ in circle), sum(total for _, total in circle)
            share = (hits + DRAWN * share) / (total + DRAWN)
        every = sum(total for _, total in [*others, *elsewhere, here])
        return float(min(share, (every + 1) / (every + 2)))

    @classmethod
    def from_data(cls, data: Sequence[Any]) -> Denials:
        """The inverse of `to_data`; two numbers alone are those of all denials of a version from before fields were
        parted."""
        if len(data) == 2 and not isinstance(data[0], (list, tuple)):
            return Denials({("", layout): (int(data[0]), int(data[1])) for layout in (NEW_LAYOUT, NEW_LAYOUT + 1)})
        return super().from_data(data)


def _log_odds(share: float) -> float:
    return float(np.log(share / (1 - share)))


@dataclass
class Calibrator:
    """Logistic regression on the features of decisions of one kind, fitted on out-of-fold decisions; no feature counts
    against its direction.

    Targets are Platt's (1999, section 2.2): (n₊+1)/(n₊+2) and 1/(n₋+2) instead of 1 and 0, so that a handful of
    right answers alone gives no certainty: with 10 decisions, all right, none is called surer than about 92 %.
    """

    regularisation: float = 1.0

    def fit(
        self, decisions: Sequence[AnyDecision], right: Sequence[bool], weights: Sequence[float] | None = None
    ) -> Calibrator:
        """decisions and right: N ≥ 1 each, of one kind; weights: N, positive (1 each when not given). ValueError
        when empty."""
        if not decisions:
            raise ValueError("calibration needs at least one decision")
        good = np.array(right, dtype=bool)
        self.records_ = FieldRecords.of(decisions, good)
        self.here_ = LayoutRecords.of(decisions, good)
        rows = self._rows(decisions, own=good)
        self.mean_ = rows.mean(axis=0)
        self.scale_ = np.where(rows.std(axis=0) > FLAT, rows.std(axis=0), 1.0)
        above, below = (good.sum() + 1) / (good.sum() + 2), 1 / ((~good).sum() + 2)
        target = np.where(good, above, below)
        weight = np.ones(len(rows)) if weights is None else np.array(weights, dtype=float)
        self.names_ = (*CALIBRATION_FEATURES[kind_of(decisions[0])], *ALL_KINDS)
        directions = (*CALIBRATION_FEATURES[kind_of(decisions[0])].values(), *ALL_KINDS.values())
        scaled = (rows - self.mean_) / self.scale_
        self.coefficients_, self.intercept_ = _fit(scaled, target, weight, self.regularisation, directions)
        self.decisions_ = len(rows)
        self.denials_ = Denials.of(decisions, good)
        return self

    def probabilities(self, decisions: Sequence[AnyDecision]) -> Floats:
        """Probability (0–1) that each decision is right, never surer than what N decisions can show: N+1 in N+2. That
        a mark is not there is never surer than the share of such decisions that were right; see `Denials`."""
        if not decisions:
            return np.zeros(0)
        scores = (self._rows(decisions) - self.mean_) / self.scale_ @ self.coefficients_ + self.intercept_
        confidence: Floats = 1 / (1 + np.exp(-scores))
        most = min(CONFIDENCE_MAX, (self.decisions_ + 1) / (self.decisions_ + 2))
        caps = [min(most, self.denials_.share(decision)) if denies(decision) else most for decision in decisions]
        return np.clip(confidence, CONFIDENCE_MIN, caps)

    def _rows(self, decisions: Sequence[AnyDecision], own: npt.NDArray[np.bool_] | None = None) -> Floats:
        """The calibration features of decisions, and as the last ones the record of their fields, that on papers of
        their layout (without the decision itself where `own` says whether it was right), and whether such papers have
        the field."""
        features = np.array([features_of(decision) for decision in decisions], dtype=np.float64)
        usual = [
            decision.lacking if decision.absent or denies(decision) else -decision.lacking for decision in decisions
        ]
        records = self.records_.log_odds(decisions), self.here_.log_odds(decisions, own)
        return np.column_stack([features, *records, usual])

    def to_data(self) -> dict[str, Any]:
        """JSON-able parameters."""
        return {
            "features": list(self.names_),
            "records": self.records_.to_data(),
            "records_here": self.here_.to_data(),
            "mean": self.mean_.tolist(),
            "scale": self.scale_.tolist(),
            "coefficients": self.coefficients_.tolist(),
            "intercept": self.intercept_,
            "decisions": self.decisions_,
            "denials": self.denials_.to_data(),
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
        lists = [np.array(data[name], dtype=np.float64) for name in ("mean", "scale", "coefficients")]
        unnamed = [name for name in calibrator.names_ if name not in NAMED_FROM_THE_START][: len(lists[0])]
        names = data.get("features", unnamed)
        if any(len(its) != len(names) for its in lists) or not set(names) <= set(calibrator.names_):
            raise ValueError(
                f"a calibrator of {kind} has {len(calibrator.names_)} features, the data have {len(lists[0])}"
            )
        places = [calibrator.names_.index(name) for name in names]
        filled = [np.zeros(len(calibrator.names_)), np.ones(len(calibrator.names_)), np.zeros(len(calibrator.names_))]
        for its, given in zip(filled, lists, strict=True):
            its[places] = given
        calibrator.mean_, calibrator.scale_, calibrator.coefficients_ = filled
        calibrator.intercept_ = float(data["intercept"])
        calibrator.decisions_ = int(data["decisions"])
        calibrator.denials_ = Denials.from_data(data.get("denials", NEVER_COUNTED))
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


def _fit(
    rows: Floats, target: Floats, weight: Floats, strength: float, directions: Sequence[int]
) -> tuple[Floats, float]:
    """Coefficients (S) and intercept of a logistic regression with soft targets (N, 0–1), weights (N) and an L2
    penalty of 1/(2·strength), each coefficient on its side of nought."""
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
    return np.asarray(found.x[:-1], dtype=np.float64), float(found.x[-1])


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
