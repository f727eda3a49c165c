"""What a version's training showed, as plain data for its page, its file and its tables."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass
from dataclasses import field as kept
from typing import Any

import numpy as np

from jugum.core.evaluation.intervals import share_interval
from jugum.core.evaluation.metrics import (
    area_under_risk_coverage,
    bootstrap_interval,
    brier,
    calibration_error,
    macro_f1,
    reliability,
    share_by_papers,
)
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.parts import Structures
from jugum.core.extraction.values.assignment import Decision
from jugum.core.schema import Plan
from jugum.core.training.confidence import EvidenceRow
from jugum.core.training.holdout import FoldLeftOut, HeldOut, Papers
from jugum.core.training.verdicts import Counts, verdict_on
from jugum.core.training.version import TrainedVersion

ERRORS_KEPT = 200
HARDEST = 10


@dataclass(frozen=True)
class FieldFigures:
    """A field's exact matches (in normal form; a table's when all its cells are right) on held-out papers: of layouts seen, and with whole
    look-alike groups
    held out; intervals at 95 %. `labels` counts papers whose label has a value, `absent` those without one. `seen` and `unseen` have precision,
    recall and F1 (of a table's cells), `printed` the share of found values that are right letter for letter, too."""

    field: str
    kind: str
    labels: int
    absent: int
    seen_right: int
    seen_total: int
    seen_interval: tuple[float, float]
    unseen_right: int
    unseen_total: int
    unseen_interval: tuple[float, float]
    seen: dict[str, float]
    unseen: dict[str, float]
    printed: float | None = None
    cells: dict[str, Any] = kept(default_factory=dict)


@dataclass(frozen=True)
class Report:
    """What a version's training showed. `seen` and `unseen` hold the figures of all fields together, `looks` those of each look-alike group,
    `curve` is made after the training, `test` holds what the test set showed, `left_out` the folds that could give no evidence, and why."""

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
    seen: dict[str, Any] = kept(default_factory=dict)
    unseen: dict[str, Any] = kept(default_factory=dict)
    looks: tuple[dict[str, Any], ...] = ()
    hardest: tuple[dict[str, Any], ...] = ()
    curve: dict[str, Any] = kept(default_factory=dict)
    left_out: tuple[FoldLeftOut, ...] = ()

    def to_data(self) -> dict[str, Any]:
        return asdict(self)


def report_of(
    trained: TrainedVersion,
    tests: Sequence[Sample] = (),
    structures: Mapping[str, Structures] | None = None,
) -> Report:
    """Judge a trained version by its held-out decisions, and on `tests`, papers kept for testing that come into nothing else (`structures`: the
    layers of their pages, by sample key, where the plan has marks)."""
    papers, evidence, gate = trained.papers, trained.evidence, trained.gate
    seen, unseen = trained.seen.records, trained.unseen.records
    judged = list(dict.fromkeys(record.decision.field for record in [*seen, *unseen]))
    figures = tuple(_figures(papers, one.key, seen, unseen) for one in papers.plan.fields if one.key in judged)
    rows_seen, rows_unseen = evidence[: len(seen)], evidence[len(seen) :]
    wrong = [asdict(row) for row in evidence if not row.right]
    wrong.sort(key=lambda row: (row["unseen"], -row["confidence"]))
    return Report(
        papers=len(papers.samples),
        groups=len(set(papers.corpus.groups.tolist())),
        fields=figures,
        seen_right=sum(record.right for record in seen),
        seen_total=len(seen),
        unseen_right=sum(record.right for record in unseen),
        unseen_total=len(unseen),
        calibration_error=confidence_figures(rows_seen)["calibration_error"],
        gate=gate,
        errors=tuple(wrong[:ERRORS_KEPT]),
        test=figures_on_tests(trained, tests, structures),
        seen={**_together(seen), **confidence_figures(rows_seen)} if seen else {},
        unseen={**_together(unseen), **confidence_figures(rows_unseen)} if unseen else {},
        looks=tuple(_looks(papers, seen, unseen)),
        hardest=tuple(_hardest(papers, rows_seen)),
        left_out=(*trained.seen.left_out, *trained.unseen.left_out),
    )


def confidence_figures(rows: Sequence[EvidenceRow]) -> dict[str, Any]:
    """How true the confidences of some decisions are: calibration error, Brier score, area under risk–coverage, and the reliability diagram's
    bins."""
    sure, right = [row.confidence for row in rows], [row.right for row in rows]
    return {
        "calibration_error": round(calibration_error(sure, right), 4), "brier": round(brier(sure, right), 4),
        "risk_coverage": round(area_under_risk_coverage(sure, right), 4), "reliability": [asdict(one) for one in reliability(sure, right)],
        "decisions": len(rows),
    }  # fmt: skip


def _by_paper(records: Sequence[HeldOut]) -> dict[int, list[HeldOut]]:
    found: dict[int, list[HeldOut]] = defaultdict(list)
    for record in records:
        found[record.paper].append(record)
    return found


def _together(records: Sequence[HeldOut]) -> dict[str, Any]:
    """Micro and macro precision, recall and F1, exact match, each with an interval by bootstrap over papers."""
    if not records:
        return {}
    per_paper = [sum((one.verdict.counts for one in its), Counts()) for its in _by_paper(records).values()]
    total = sum(per_paper, Counts())
    keys = sorted({record.decision.field for record in records})
    by_field = [sum((one.verdict.counts for one in records if one.decision.field == key), Counts()) for key in keys]
    rows = np.array([[one.right, one.found, one.there] for one in per_paper])
    f1 = bootstrap_interval(list(rows), lambda sums: 2 * sums[0] / max(1.0, sums[1] + sums[2]))
    exact = [(sum(one.right for one in its), len(its)) for its in _by_paper(records).values()]
    whole = sum(hits == count for hits, count in exact)
    return {
        **_prf(total), "f1_interval": [round(edge, 4) for edge in f1], "macro_f1": round(macro_f1(by_field), 4),
        "exact": round(sum(one[0] for one in exact) / len(records), 4), "exact_interval": [round(edge, 4) for edge in share_by_papers(exact)],
        "whole_papers": whole, "papers": len(exact), "whole_interval": [round(edge, 4) for edge in share_interval(whole, len(exact))],
    }  # fmt: skip


def _prf(counts: Counts) -> dict[str, float]:
    return {"precision": round(counts.precision, 4), "recall": round(counts.recall, 4), "f1": round(counts.f1, 4)}


def _figures(papers: Papers, key: str, seen: Sequence[HeldOut], unseen: Sequence[HeldOut]) -> FieldFigures:
    one = papers.plan.field(key)
    columns = [column.key for column in papers.plan.inside(key) if column.is_column]
    mine = [[sample.labels[name] for name in (key, *columns) if name in sample.labels] for sample in papers.samples]
    known = [record for record in seen if record.decision.field == key]
    strange = [record for record in unseen if record.decision.field == key]
    printed = [
        _as_printed(papers, record)
        for record in known
        if record.right and isinstance(record.decision, Decision) and record.verdict.found
    ]
    return FieldFigures(
        field=key,
        kind=str(one.kind),
        labels=sum(any(its) for its in mine),
        absent=sum(bool(its) and not any(its) for its in mine),
        seen_right=sum(record.right for record in known),
        seen_total=len(known),
        seen_interval=share_by_papers([(record.right, 1) for record in known]),
        unseen_right=sum(record.right for record in strange),
        unseen_total=len(strange),
        unseen_interval=share_by_papers([(record.right, 1) for record in strange]),
        seen=_prf(sum((one.verdict.counts for one in known), Counts())),
        unseen=_prf(sum((one.verdict.counts for one in strange), Counts())),
        printed=round(sum(printed) / len(printed), 4) if printed else None,
        cells=_cells(known, strange),
    )


def _as_printed(papers: Papers, record: HeldOut) -> bool:
    labels = papers.samples[record.paper].labels.get(record.decision.field, ())
    chosen = record.decision.chosen if isinstance(record.decision, Decision) else ()
    return sorted(one.candidate.text for one in chosen) == sorted(label.text for label in labels)


def _cells(known: Sequence[HeldOut], strange: Sequence[HeldOut]) -> dict[str, Any]:
    """A table's cells and whole rows, on layouts seen and not."""
    found: dict[str, Any] = {}
    for name, records in (("seen", known), ("unseen", strange)):
        its = [record.verdict.cells for record in records if record.verdict.cells is not None]
        if its:
            cells = Counts(sum(c.right for c in its), sum(c.found for c in its), sum(c.there for c in its))
            rows = Counts(
                sum(c.rows_right for c in its), sum(c.rows_found for c in its), sum(c.rows_there for c in its)
            )
            found[name] = {"cells": {**_prf(cells), "there": cells.there}, "rows": {**_prf(rows), "there": rows.there}}
    return found


def _looks(papers: Papers, seen: Sequence[HeldOut], unseen: Sequence[HeldOut]) -> list[dict[str, Any]]:
    """Figures of each look-alike group, those with the most papers first; `group` is the number it was given."""
    groups = papers.corpus.groups
    found = []
    for group in sorted(set(groups.tolist()), key=lambda group: (-int((groups == group).sum()), group)):
        one: dict[str, Any] = {"group": int(group), "papers": int((groups == group).sum())}
        for name, records in (("seen", seen), ("unseen", unseen)):
            pairs = [
                (sum(record.right for record in its), len(its))
                for paper, its in _by_paper(records).items()
                if groups[paper] == group
            ]
            one[name] = {
                "right": sum(p[0] for p in pairs),
                "total": sum(p[1] for p in pairs),
                "interval": share_by_papers(pairs),
            }
        found.append(one)
    return found


def _hardest(papers: Papers, rows: Sequence[EvidenceRow]) -> list[dict[str, Any]]:
    """The papers with the most wrong values when held out, of equal ones the least sure."""
    by_sample: dict[str, list[EvidenceRow]] = defaultdict(list)
    for row in rows:
        by_sample[row.sample].append(row)
    its: list[dict[str, Any]] = [
        {
            "sample": key,
            "wrong": sum(not row.right for row in mine),
            "total": len(mine),
            "confidence": round(sum(row.confidence for row in mine) / len(mine), 4),
        }
        for key, mine in by_sample.items()
    ]
    its = [one for one in its if one["wrong"]]
    return sorted(its, key=lambda one: (-one["wrong"], one["confidence"], one["sample"]))[:HARDEST]


def counted(right: Sequence[bool]) -> dict[str, Any]:
    return {"right": sum(right), "total": len(right), "interval": share_interval(sum(right), len(right))}


def figures_on_tests(
    trained: TrainedVersion, tests: Sequence[Sample], structures: Mapping[str, Structures] | None = None
) -> dict[str, Any]:
    """What a finished version does on papers kept for testing; see `figures_of_tests`."""
    rows: list[EvidenceRow] = []
    plan = trained.reader.plan
    for sample in tests:
        for decision, confidence in trained.decide_with_confidence(sample.pages, (structures or {}).get(sample.key)):
            verdict = verdict_on(plan, decision, sample.labels)
            if confidence is not None and verdict is not None:
                texts = verdict.found, verdict.expected
                rows.append(
                    EvidenceRow(
                        sample.key, decision.field, confidence, decision.familiarity, verdict.right, False, *texts
                    )
                )
    return figures_of_tests(plan, rows, len(tests), trained.gate)


def figures_of_tests(plan: Plan, rows: Sequence[EvidenceRow], papers: int, gate: float) -> dict[str, Any]:
    """Exact matches on papers kept for testing, on the whole, by field, and apart for layouts familiar (likeness at or above `gate`) and
    strange; and how true the confidences are. Empty without such papers."""
    if not rows:
        return {}
    keys: Mapping[str, list[bool]] = {
        one.key: [row.right for row in rows if row.field == one.key] for one in plan.fields
    }
    return {
        "papers": papers, **counted([row.right for row in rows]), "familiar": counted([row.right for row in rows if row.familiarity >= gate]),
        "strange": counted([row.right for row in rows if row.familiarity < gate]), **confidence_figures(rows),
        "fields": {key: counted(its) for key, its in keys.items() if its},
    }  # fmt: skip
