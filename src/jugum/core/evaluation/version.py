"""Training a version: extractor, calibrator, evidence and report from labelled samples."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

import numpy as np

from jugum.core.calibration import Calibrator
from jugum.core.evaluation.holdout import HeldOut, held_out_decisions, is_right
from jugum.core.extraction import Decision, Extractor, Sample
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.model import PAPERS_MIN, extractor_from
from jugum.core.schema import Plan
from jugum.core.schema.plan import PRINTED_NAMES_MAX
from jugum.core.thresholds import share_interval
from jugum.errors import InputError

GATE_QUANTILE = 0.05
GATE_RANGE = (0.2, 0.6)
UNSEEN_WEIGHT = 0.6

Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class FieldFigures:
    """A field's exact matches (in normal form) on held-out papers: of layouts seen, and with whole look-alike groups
    held out; intervals at 95 %. `labels` counts papers whose label has a value, `absent` those without one."""

    field: str
    labels: int
    absent: int
    seen_right: int
    seen_total: int
    seen_interval: tuple[float, float]
    unseen_right: int
    unseen_total: int
    unseen_interval: tuple[float, float]


@dataclass(frozen=True)
class Report:
    """What a version's training showed."""

    papers: int
    groups: int
    fields: tuple[FieldFigures, ...]
    seen_right: int
    seen_total: int
    unseen_right: int
    unseen_total: int
    calibration_error: float
    gate: float
    errors: tuple[dict[str, Any], ...]
    test: dict[str, Any]

    def to_data(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class EvidenceRow:
    """One held-out decision for Weigh: sample key, field, calibrated confidence (by a calibrator that did not see the
    paper), familiarity, what was found and expected (in normal form), right or wrong, unseen layout or not."""

    sample: str
    field: str
    confidence: float
    familiarity: float
    right: bool
    unseen: bool
    found: str
    expected: str


@dataclass(frozen=True)
class TrainedVersion:
    extractor: Extractor
    calibrator: Calibrator
    evidence: tuple[EvidenceRow, ...]
    report: Report
    groups: tuple[int, ...]

    def decide_with_confidence(self, pages: Sequence[Any]) -> list[tuple[Decision, float]]:
        return confident_decisions(self.extractor, self.calibrator, pages)


def confident_decisions(
    extractor: Extractor, calibrator: Calibrator, pages: Sequence[Any]
) -> list[tuple[Decision, float]]:
    """An extractor's decisions on a paper, each with its calibrated confidence (0–1)."""
    decisions = extractor.decide(pages)
    return list(zip(decisions, map(float, calibrator.probabilities(decisions)), strict=True))


def train_version(
    plan: Plan, samples: Sequence[Sample], *, groups: Mapping[str, int] | None = None, seed: int = 0,
    progress: Progress = lambda stage, share: None, tests: Sequence[Sample] = (),
) -> TrainedVersion:  # fmt: skip
    """Train from labelled samples; `groups` are their look-alike groups by sample key (found here when not given).

    `tests` are papers kept for testing: the finished version is measured on them, and they come into nothing else. Printed names that
    labellers marked are learned as the fields' own.

    Raises InputError when there are fewer than three papers with a label or the plan has no fields. `progress` is told the stage and
    the share (0–1) of the whole that is done; about 3 s at 30 papers."""
    plan = with_learned_names(plan.learned, samples)
    if not plan.fields:
        raise InputError(
            "The plan has no fields that a model learns. Say in Plan what to read from these papers: marks, choices, tables "
            "and sections are read without training."
        )
    learned = {field.key for field in plan.fields}
    samples = [replace(s, labels={k: v for k, v in s.labels.items() if k in learned}) for s in samples]
    usable = [sample for sample in samples if sample.labels]
    if len(usable) < PAPERS_MIN or not any(any(sample.labels.values()) for sample in usable):
        raise InputError(
            f"{len(usable)} labelled paper{'s are' if len(usable) != 1 else ' is'} there; training needs at least "
            f"{PAPERS_MIN} with values. Label more in Label."
        )
    looks = [groups[sample.key] for sample in usable] if groups is not None else None
    corpus = Corpus(plan, usable, groups=looks, progress=lambda share: progress("comparing papers", 0.3 * share))
    seen = held_out_decisions(
        corpus,
        unseen=False,
        seed=seed,
        progress=lambda share: progress("testing on held-out papers", 0.3 + 0.3 * share),
    )
    unseen = held_out_decisions(
        corpus,
        unseen=True,
        seed=seed,
        progress=lambda share: progress("testing on held-out layouts", 0.6 + 0.3 * share),
    )
    records = [*seen, *unseen]
    if not records:
        raise InputError("Nothing could be learned from these labels: every field is either everywhere or nowhere.")
    progress("fitting the version", 0.92)
    extractor = extractor_from(corpus, seed=seed)
    calibrator = _calibrator(records)
    confidences = _cross_fitted(records)
    evidence = tuple(_evidence(corpus, record, sure) for record, sure in zip(records, confidences, strict=True))
    gate = familiarity_gate(corpus)
    progress("measuring on the test set", 0.96)
    report = _report(corpus, seen, unseen, evidence, gate)
    report = replace(report, test=figures_on_tests(extractor, calibrator, tests, gate))
    progress("done", 1.0)
    return TrainedVersion(extractor, calibrator, evidence, report, tuple(map(int, corpus.groups)))


def with_learned_names(plan: Plan, samples: Sequence[Sample]) -> Plan:
    """The plan with the printed names that labellers marked beside values, those of the plan first."""
    marked: dict[str, list[str]] = {}
    for sample in samples:
        for key, its in sample.labels.items():
            marked.setdefault(key, []).extend(one.printed for one in its if one.printed)
    fields = []
    for field in plan.fields:
        names = tuple(dict.fromkeys([*field.printed_names, *marked.get(field.key, [])]))[:PRINTED_NAMES_MAX]
        fields.append(replace(field, printed_names=names))
    return Plan(tuple(fields))


def figures_on_tests(
    extractor: Extractor, calibrator: Calibrator, tests: Sequence[Sample], gate: float
) -> dict[str, Any]:
    """Exact matches in normal form on papers kept for testing, on the whole, by field, and apart for layouts familiar (likeness at or
    above `gate`) and strange; calibration error. Empty without such papers."""
    rows: list[tuple[str, bool, float, bool]] = []
    for sample in tests:
        decided = confident_decisions(extractor, calibrator, sample.pages)
        rows += [
            (
                one.field,
                is_right(one, sample.labels[one.field], extractor.plan.field(one.field)),
                sure,
                one.familiarity >= gate,
            )
            for one, sure in decided
            if one.field in sample.labels
        ]
    if not rows:
        return {}

    def counted(its: Sequence[tuple[str, bool, float, bool]]) -> dict[str, Any]:
        right = sum(one[1] for one in its)
        return {"right": right, "total": len(its), "interval": share_interval(right, len(its))}

    records = [EvidenceRow("", key, sure, 0.0, right, False, "", "") for key, right, sure, _ in rows]
    return {
        "papers": len(tests), **counted(rows), "familiar": counted([one for one in rows if one[3]]),
        "strange": counted([one for one in rows if not one[3]]), "calibration_error": round(calibration_error(records), 4),
        "fields": {field.key: counted([one for one in rows if one[0] == field.key]) for field in extractor.plan.fields},
    }  # fmt: skip


def _calibrator(records: Sequence[HeldOut]) -> Calibrator:
    weights = [UNSEEN_WEIGHT if record.unseen else 1.0 for record in records]
    return Calibrator().fit([record.decision for record in records], [record.right for record in records], weights)


def _cross_fitted(records: Sequence[HeldOut]) -> list[float]:
    """Confidence of each record by a calibrator fitted on the records of other papers only."""
    fold_of = {paper: place % 5 for place, paper in enumerate(sorted({record.paper for record in records}))}
    sure = np.zeros(len(records))
    for fold in sorted(set(fold_of.values())):
        inside = [place for place, record in enumerate(records) if fold_of[record.paper] == fold]
        outside = [record for record in records if fold_of[record.paper] != fold]
        calibrator = _calibrator(outside or records)
        sure[inside] = calibrator.probabilities([records[place].decision for place in inside])
    return [float(value) for value in sure]


def _evidence(corpus: Corpus, record: HeldOut, confidence: float) -> EvidenceRow:
    labels = corpus.samples[record.paper].labels[record.decision.field]
    return EvidenceRow(
        sample=corpus.samples[record.paper].key,
        field=record.decision.field,
        confidence=round(confidence, 4),
        familiarity=round(record.decision.familiarity, 4),
        right=record.right,
        unseen=record.unseen,
        found="; ".join(choice.candidate.normal for choice in record.decision.chosen),
        expected="; ".join(label.normal for label in labels),
    )


def familiarity_gate(corpus: Corpus) -> float:
    """The layout likeness a paper must have to pass: the 5 % quantile of each paper's likeness to its nearest look-alike,
    held within 0.2 and 0.6. 0.6 when no group has two papers: then nothing shows what familiar means."""
    nearest = []
    for paper, view in enumerate(corpus.views):
        mates = (corpus.groups == corpus.groups[paper]) & (np.arange(len(corpus.samples)) != paper)
        if mates.any():
            nearest.append(float(view.alike[mates].max()))
    if not nearest:
        return GATE_RANGE[1]
    return round(float(np.clip(np.quantile(nearest, GATE_QUANTILE), *GATE_RANGE)), 3)


def calibration_error(evidence: Sequence[EvidenceRow], bins: int = 10) -> float:
    """Expected calibration error: |confidence − share right| over bins of equal count, weighted (0–1; 0 is true)."""
    if not evidence:
        return 0.0
    ordered = sorted(evidence, key=lambda row: row.confidence)
    total = 0.0
    for part in np.array_split(np.arange(len(ordered)), min(bins, len(ordered))):
        rows = [ordered[int(place)] for place in part]
        total += abs(sum(row.confidence for row in rows) - sum(row.right for row in rows))
    return total / len(ordered)


def _report(
    corpus: Corpus,
    seen: Sequence[HeldOut],
    unseen: Sequence[HeldOut],
    evidence: Sequence[EvidenceRow],
    gate: float,
) -> Report:
    figures = tuple(_figures(corpus, field.key, seen, unseen) for field in corpus.plan.fields)
    wrong = [asdict(row) for row in evidence if not row.right]
    wrong.sort(key=lambda row: (row["unseen"], -row["confidence"]))
    return Report(
        papers=len(corpus.samples),
        groups=len(set(corpus.groups.tolist())),
        fields=figures,
        seen_right=sum(record.right for record in seen),
        seen_total=len(seen),
        unseen_right=sum(record.right for record in unseen),
        unseen_total=len(unseen),
        calibration_error=round(calibration_error([row for row in evidence if not row.unseen]), 4),
        gate=gate,
        errors=tuple(wrong[:200]),
        test={},
    )


def _figures(corpus: Corpus, key: str, seen: Sequence[HeldOut], unseen: Sequence[HeldOut]) -> FieldFigures:
    mine = [sample.labels[key] for sample in corpus.samples if key in sample.labels]
    known = [record.right for record in seen if record.decision.field == key]
    strange = [record.right for record in unseen if record.decision.field == key]
    return FieldFigures(
        field=key,
        labels=sum(bool(labels) for labels in mine),
        absent=sum(not labels for labels in mine),
        seen_right=sum(known),
        seen_total=len(known),
        seen_interval=share_interval(sum(known), len(known)),
        unseen_right=sum(strange),
        unseen_total=len(strange),
        unseen_interval=share_interval(sum(strange), len(strange)),
    )
