"""Confidence from held-out decisions: the calibrators of a version, and its evidence, each row by calibrators that
had not seen its paper."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from typing import Any

from jugum.core.calibration import Calibrator, confidences, kind_of
from jugum.core.extraction.values.assignment import Decision
from jugum.core.training.holdout import HeldOut, Papers

# Held-out layouts count less: at full weight they scared the calibrator into passing nothing (one type: 1 of 240
# decisions instead of 108).
UNSEEN_WEIGHT = 0.6
FOLDS = 5  # of papers, or of layouts: each is judged by a calibrator that has not seen it
UNKNOWN = 0.5  # confidence of a record whose kind of decision no other paper has


@dataclass(frozen=True)
class EvidenceRow:
    """One held-out decision for Weigh: sample key, field, calibrated confidence (by a calibrator that did not see
    the paper), familiarity, what was found and expected (in normal form), right or wrong, unseen layout or not. Of
    wrong ones `detail` says where what was found stands, why it was taken, and what came next. `counted` is false of a
    value that was looked at only because it was held, where there are others: a harder choice than the papers at large
    (decision 0018)."""

    sample: str
    field: str
    confidence: float
    layout_similarity: float
    right: bool
    unseen: bool
    found: str
    expected: str
    detail: dict[str, Any] = kept(default_factory=dict)
    counted: bool = True


def calibrators_of(records: Sequence[HeldOut], groups: Sequence[int]) -> dict[str, Calibrator]:
    """A calibrator for each kind of decision among the records. groups: the layout group of each paper."""
    found = {}
    for kind in sorted({kind_of(record.decision) for record in records}):
        of_kind = [record for record in records if kind_of(record.decision) == kind]
        weights = [UNSEEN_WEIGHT if record.unseen else 1.0 for record in of_kind]
        layouts = [groups[record.paper] for record in of_kind]
        found[kind] = Calibrator().fit(
            [record.decision for record in of_kind], [record.right for record in of_kind], weights, layouts
        )
    return found


def cross_fitted(records: Sequence[HeldOut], groups: Sequence[int]) -> list[float]:
    """Confidence of each record by calibrators fitted on the records of other papers only, of held-out layouts by those
    of other layouts; a kind of decision that only its own fold has is judged by the calibrator of all."""
    of_paper = {paper: place % FOLDS for place, paper in enumerate(sorted({record.paper for record in records}))}
    of_group = {group: place % FOLDS for place, group in enumerate(sorted({groups[paper] for paper in of_paper}))}
    of_layout = {paper: of_group[groups[paper]] for paper in of_paper}
    found = [UNKNOWN] * len(records)
    everywhere = calibrators_of(records, groups)
    for unseen, fold_of in ((False, of_paper), (True, of_layout)):
        judged = [place for place, record in enumerate(records) if record.unseen is unseen]
        for fold in sorted({fold_of[records[place].paper] for place in judged}):
            inside = [place for place in judged if fold_of[records[place].paper] == fold]
            outside = calibrators_of([record for record in records if fold_of[record.paper] != fold], groups)
            sure = confidences({**everywhere, **outside}, [records[place].decision for place in inside])
            for place, value in zip(inside, sure, strict=True):
                found[place] = value if value is not None else UNKNOWN
    return found


def evidence_of(papers: Papers, records: Sequence[HeldOut], sure: Sequence[float]) -> list[EvidenceRow]:
    """Decisions as rows of evidence, with how sure the calibrator is of each."""
    return [_row(papers, record, one) for record, one in zip(records, sure, strict=True)]


def _row(papers: Papers, record: HeldOut, confidence: float) -> EvidenceRow:
    decision = record.decision
    sample = papers.samples[record.paper]
    return EvidenceRow(
        sample=sample.key,
        field=decision.field,
        confidence=round(confidence, 4),
        layout_similarity=round(decision.layout_similarity, 4),
        right=record.right,
        unseen=record.unseen,
        found=record.verdict.found[:400],
        expected=record.verdict.expected[:400],
        detail={} if record.right else _detail(papers, record),
        counted=papers.counted[record.paper],
    )


def _detail(papers: Papers, record: HeldOut) -> dict[str, Any]:
    decision = record.decision
    labels = papers.samples[record.paper].labels.get(decision.field, ())
    expected = next(([label.page, _box(label.box)] for label in labels if label.page and label.box), None)
    if isinstance(decision, Decision):
        found = next(([choice.candidate.page, _box(choice.candidate.box)] for choice in decision.chosen), None)
        others = [other.candidate.text[:80] for other in decision.others[:2]]
        return {
            "found": found,
            "expected": expected,
            "others": others,
            "why": decision.why,
            "scores": dict(decision.scores),
        }
    first = next((cell for column in decision.values.values() for cell in column if cell), None)
    others = [other.text[:80] for other in decision.others[:2]]
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
