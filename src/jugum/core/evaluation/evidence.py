"""Held-out decisions with calibrated confidences: what Weigh chooses thresholds on, and what a report tells."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from typing import Any

import numpy as np

from jugum.core.calibration import Calibrator
from jugum.core.evaluation.holdout import HeldOut, Papers
from jugum.core.extraction import Decision
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.reader import AnyDecision

GATE_QUANTILE = 0.05
GATE_RANGE = (0.2, 0.6)
UNSEEN_WEIGHT = 0.6
VALUE = "value"
Calibrators = Mapping[str, Calibrator]


@dataclass(frozen=True)
class EvidenceRow:
    """One held-out decision for Weigh: sample key, field, calibrated confidence (by a calibrator that did not see the
    paper), familiarity, what was found and expected (in normal form), right or wrong, unseen layout or not. Of wrong ones `detail` says where
    what was found stands, why it was taken, and what came next."""

    sample: str
    field: str
    confidence: float
    familiarity: float
    right: bool
    unseen: bool
    found: str
    expected: str
    detail: dict[str, Any] = kept(default_factory=dict)


def kind_of(decision: AnyDecision) -> str:
    """Decisions of one kind are calibrated together."""
    return decision.kind.value if isinstance(decision, PartDecision) else VALUE


def calibrators_of(records: Sequence[HeldOut]) -> dict[str, Calibrator]:
    """A calibrator for each kind of decision among the records."""
    found = {}
    for kind in sorted({kind_of(record.decision) for record in records}):
        mine = [record for record in records if kind_of(record.decision) == kind]
        weights = [UNSEEN_WEIGHT if record.unseen else 1.0 for record in mine]
        found[kind] = Calibrator().fit([record.decision for record in mine], [record.right for record in mine], weights)
    return found


def confidences(calibrators: Calibrators, decisions: Sequence[AnyDecision]) -> list[float | None]:
    """Calibrated confidence of each decision (0–1); None for a kind that nothing was measured for."""
    found: list[float | None] = [None] * len(decisions)
    for kind, calibrator in calibrators.items():
        mine = [place for place, decision in enumerate(decisions) if kind_of(decision) == kind]
        for place, sure in zip(mine, calibrator.probabilities([decisions[place] for place in mine]), strict=True):
            found[place] = float(sure)
    return found


def cross_fitted(records: Sequence[HeldOut]) -> list[float]:
    """Confidence of each record by calibrators fitted on the records of other papers only."""
    fold_of = {paper: place % 5 for place, paper in enumerate(sorted({record.paper for record in records}))}
    sure = [0.5] * len(records)
    everywhere = calibrators_of(records)
    for fold in sorted(set(fold_of.values())):
        inside = [place for place, record in enumerate(records) if fold_of[record.paper] == fold]
        outside = calibrators_of([record for record in records if fold_of[record.paper] != fold])
        found = confidences({**everywhere, **outside}, [records[place].decision for place in inside])
        for place, value in zip(inside, found, strict=True):
            sure[place] = value if value is not None else 0.5
    return sure


def evidence_of(papers: Papers, records: Sequence[HeldOut], sure: Sequence[float]) -> list[EvidenceRow]:
    return [_row(papers, record, one) for record, one in zip(records, sure, strict=True)]


def _row(papers: Papers, record: HeldOut, confidence: float) -> EvidenceRow:
    decision = record.decision
    sample = papers.samples[record.paper]
    return EvidenceRow(
        sample=sample.key, field=decision.field, confidence=round(confidence, 4), familiarity=round(decision.familiarity, 4), right=record.right,
        unseen=record.unseen, found=record.verdict.found[:400], expected=record.verdict.expected[:400],
        detail={} if record.right else _detail(papers, record),
    )  # fmt: skip


def _detail(papers: Papers, record: HeldOut) -> dict[str, Any]:
    decision = record.decision
    labels = papers.samples[record.paper].labels.get(decision.field, ())
    expected = next(([one.page, _box(one.box)] for one in labels if one.page and one.box), None)
    if isinstance(decision, Decision):
        found = next(([one.candidate.page, _box(one.candidate.box)] for one in decision.chosen), None)
        others = [one.candidate.text[:80] for one in decision.others[:2]]
        return {
            "found": found,
            "expected": expected,
            "others": others,
            "why": decision.why,
            "scores": dict(decision.scores),
        }
    first = next((one for column in decision.values.values() for one in column if one), None)
    others = [one.text[:80] for one in decision.others[:2]]
    place = [first.page, _box(first.box)] if first else None
    return {
        "found": place,
        "expected": expected,
        "others": others,
        "why": first.why if first else "",
        "scores": dict(decision.why),
    }


def _box(box: Any) -> list[float]:
    return [round(float(edge), 4) for edge in box]


def familiarity_gate(corpus: Corpus) -> float:
    """The layout likeness a paper must have to pass: the 5 % quantile of each paper's likeness to its nearest look-alike,
    held within 0.2 and 0.6. 0.6 when no group has two papers: then nothing shows what familiar means."""
    nearest = []
    for paper in range(len(corpus.samples)):
        mates = (corpus.groups[corpus.exemplars] == corpus.groups[paper]) & (corpus.exemplars != paper)
        if mates.any():
            nearest.append(float(corpus.likeness(paper)[mates].max()))
    if not nearest:
        return GATE_RANGE[1]
    return round(float(np.clip(np.quantile(nearest, GATE_QUANTILE), *GATE_RANGE)), 3)
