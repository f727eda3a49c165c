"""Training a version: readers, calibrators, evidence and report from labelled samples."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from typing import Any

from jugum.core.evaluation.curve import WHOLE_SHARE, CurvePoint, curve_records, forecast, papers_wanted, points_of
from jugum.core.evaluation.evidence import (
    Calibrators,
    EvidenceRow,
    calibrators_of,
    confidences,
    cross_fitted,
    evidence_of,
    familiarity_gate,
)
from jugum.core.evaluation.holdout import Papers, held_out_decisions, verdict_on
from jugum.core.evaluation.report import FieldFigures, Report, figures_of_tests, report_of
from jugum.core.extraction import Sample
from jugum.core.extraction.corpus import Corpus
from jugum.core.extraction.decided import part_kind
from jugum.core.extraction.model import PAPERS_MIN
from jugum.core.extraction.parts import Structures
from jugum.core.extraction.reader import AnyDecision, Reader, fit_reader
from jugum.core.extraction.synonyms import Groups
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.schema.plan import PRINTED_NAMES_MAX
from jugum.errors import InputError

WANTED_SHARE = 0.98
Progress = Callable[[str, float], None]


@dataclass(frozen=True)
class TrainedVersion:
    reader: Reader
    calibrators: Calibrators
    evidence: tuple[EvidenceRow, ...]
    report: Report
    groups: tuple[int, ...]

    def decide_with_confidence(
        self, pages: Sequence[Page], structures: Structures | None = None
    ) -> list[tuple[AnyDecision, float | None]]:
        return confident_decisions(self.reader, self.calibrators, pages, structures)


def confident_decisions(
    reader: Reader, calibrators: Calibrators, pages: Sequence[Page], structures: Structures | None = None
) -> list[tuple[AnyDecision, float | None]]:
    """A version's decisions on a paper, each with its calibrated confidence (0–1; None where nothing was measured)."""
    decisions = reader.decide(pages, structures)
    return list(zip(decisions, confidences(calibrators, decisions), strict=True))


def train_version(
    plan: Plan, samples: Sequence[Sample], *, groups: Mapping[str, int] | None = None, seed: int = 0,
    progress: Progress = lambda stage, share: None, tests: Sequence[Sample] = (), structures: Mapping[str, Structures] | None = None,
    synonyms: Groups | None = None,
) -> TrainedVersion:  # fmt: skip
    """Train from labelled samples; `groups` are their look-alike groups by sample key (found here when not given), `structures` the layers of
    their pages where the plan has marks, `synonyms` an office's groups of printed names beside the shipped ones.

    `tests` are papers kept for testing: the finished version is measured on them, and they come into nothing else. Printed names that
    labellers marked are learned as the fields' own.

    Raises InputError when there are fewer than three papers with a label or the plan has nothing to read. `progress` is told the stage and
    the share (0–1) of the whole that is done."""
    papers = papers_of(plan, samples, groups=groups, structures=structures, synonyms=synonyms, progress=progress)
    corpus = papers.corpus
    seen = held_out_decisions(
        papers,
        unseen=False,
        seed=seed,
        progress=lambda share: progress("testing on held-out papers", 0.3 + 0.3 * share),
    )
    unseen = held_out_decisions(
        papers,
        unseen=True,
        seed=seed,
        progress=lambda share: progress("testing on held-out layouts", 0.6 + 0.3 * share),
    )
    records = [*seen, *unseen]
    if not records:
        raise InputError("Nothing could be learned from these labels: every field is either everywhere or nowhere.")
    progress("fitting the version", 0.92)
    reader = fit_reader(papers.plan, papers.samples, corpus, papers.parts, seed=seed)
    calibrators = calibrators_of(records)
    evidence = evidence_of(papers, records, cross_fitted(records))
    gate = familiarity_gate(corpus)
    progress("measuring on the test set", 0.96)
    report = report_of(papers, seen, unseen, evidence, gate)
    report = replace(report, test=figures_on_tests(reader, calibrators, tests, gate, structures))
    progress("done", 1.0)
    return TrainedVersion(reader, calibrators, tuple(evidence), report, tuple(map(int, corpus.groups)))


def papers_of(
    plan: Plan, samples: Sequence[Sample], *, groups: Mapping[str, int] | None = None, structures: Mapping[str, Structures] | None = None,
    synonyms: Groups | None = None, progress: Progress = lambda stage, share: None,
) -> Papers:  # fmt: skip
    """Samples made ready to learn from and to be judged; see `train_version`."""
    plan = with_learned_names(plan, samples)
    learned = {field.key for field in plan.learned.fields}
    read = learned | {one.key for one in plan.fields if part_kind(one) or one.is_column}
    if not read:
        raise InputError("The plan has nothing to read. Say in Plan what to read from these papers.")
    usable = [replace(s, labels={k: v for k, v in s.labels.items() if k in read}) for s in samples]
    usable = [sample for sample in usable if sample.labels]
    if len(usable) < PAPERS_MIN or not any(any(sample.labels.values()) for sample in usable):
        raise InputError(
            f"{len(usable)} labelled paper{'s are' if len(usable) != 1 else ' is'} there; training needs at least "
            f"{PAPERS_MIN} with values. Label more in Label."
        )
    looks = [groups[sample.key] for sample in usable] if groups is not None else None
    values = [replace(sample, labels={k: v for k, v in sample.labels.items() if k in learned}) for sample in usable]
    corpus = Corpus(
        plan.learned,
        values,
        groups=looks,
        synonyms=synonyms,
        progress=lambda share: progress("comparing papers", 0.25 * share),
    )
    papers = Papers.of(plan, usable, corpus, structures)
    progress("comparing papers", 0.3)
    return papers


def learning_curve(papers: Papers, full: Mapping[str, tuple[int, int]], *, seed: int = 0) -> dict[str, Any]:
    """Errors by number of papers with their forecast, for all fields together ("") and for each; and how many more papers each needs for 98 %.
    `full` has for each (values right, judged) in the held-out figures of the whole training, whose folds leave four fifths to learn from."""
    records = curve_records(papers, seed=seed)
    count = len(papers.samples)
    found = {}
    for key in ["", *(one.key for one in papers.plan.fields)]:
        points = points_of(records, key)
        if full.get(key, (0, 0))[1]:
            points.append(CurvePoint(round(count * WHOLE_SHARE), *full[key]))
        if points:
            wanted = papers_wanted(points, count, WANTED_SHARE, seed=seed)
            found[key] = {
                "points": [asdict(one) for one in points], "forecast": [asdict(one) for one in forecast(points, count, seed=seed)],
                "wanted": asdict(wanted) if wanted else None,
            }  # fmt: skip
    return found


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
    return replace(plan, fields=tuple(fields))


def figures_on_tests(
    reader: Reader,
    calibrators: Calibrators,
    tests: Sequence[Sample],
    gate: float,
    structures: Mapping[str, Structures] | None = None,
) -> dict[str, Any]:
    """What a finished version does on papers kept for testing; see `figures_of_tests`."""
    rows: list[EvidenceRow] = []
    for sample in tests:
        for decision, sure in confident_decisions(
            reader, calibrators, sample.pages, (structures or {}).get(sample.key)
        ):
            verdict = verdict_on(reader.plan, decision, sample.labels)
            if sure is not None and verdict is not None:
                said = verdict.found, verdict.expected
                rows.append(
                    EvidenceRow(sample.key, decision.field, sure, decision.familiarity, verdict.right, False, *said)
                )
    return figures_of_tests(reader.plan, rows, len(tests), gate)


__all__ = [
    "FieldFigures",
    "Report",
    "TrainedVersion",
    "confident_decisions",
    "learning_curve",
    "papers_of",
    "train_version",
    "with_learned_names",
]
