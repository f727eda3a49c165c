"""What a version's training showed, as plain data for its page, its file and its tables."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from itertools import compress

import numpy as np

from jugum.core.evaluation.intervals import share_interval
from jugum.core.evaluation.metrics import (
    area_under_risk_coverage,
    bootstrap_interval,
    brier,
    calibration_error,
    chance_of_gap,
    macro_f1,
    reliability,
    share_by_papers,
)
from jugum.core.evaluation.report_model import (
    BothTableFigures,
    ConfidenceFigures,
    Counted,
    CountedPrecision,
    FieldFigures,
    Gap,
    HardPaper,
    LayoutFigures,
    LeftOutFold,
    Overall,
    Precision,
    ReliabilityFigures,
    Report,
    TableFigures,
    TestFigures,
)
from jugum.core.extraction.candidates.samples import LookedAt, Sample
from jugum.core.extraction.values.assignment import Decision
from jugum.core.schema import Plan
from jugum.core.structure import Structures
from jugum.core.training.confidence import EvidenceRow
from jugum.core.training.holdout import HeldOut, Papers
from jugum.core.training.verdicts import Counts, verdict_on
from jugum.core.training.version import TrainedVersion

ERRORS_KEPT = 200  # what a person may go through; the counts are of all
HARDEST = 10  # papers worth a look, a screenful


def report_of(
    trained: TrainedVersion,
    tests: Sequence[EvidenceRow] = (),
    test_papers: int = 0,
) -> Report:
    """Judge a trained version by its held-out decisions, and by `tests`, its decisions on so many papers kept for
    testing (`judged_tests`).

    Values that a person looked at only because they were held are harder than others: the more of them, the worse
    would any version look. The figures are of papers that were looked at as a whole, where each value had the same
    chance to be looked at; the others are counted apart. Where there are no papers but those, they are all there is.
    """
    papers = trained.papers
    count = len(trained.seen.records)
    evidence_seen, evidence_unseen = trained.evidence[:count], trained.evidence[count:]
    counts = papers.counted
    # A paper whose layout no other labelled paper has tells nothing of known layouts: it is judged as a new one, below.
    known = [row.layout_similarity >= trained.layout_similarity_min for row in evidence_seen]
    seen, rows_seen = _of_papers(counts, *_kept(known, trained.seen.records, evidence_seen))
    unseen, rows_unseen = _of_papers(counts, trained.unseen.records, evidence_unseen)
    only_held, _ = _of_papers([not counted for counted in counts], trained.seen.records, evidence_seen)
    judged = list(dict.fromkeys(record.decision.field for record in [*seen, *unseen]))
    # Sure and wrong on a known layout comes first: it would have passed by itself.
    wrong = sorted((row for row in trained.evidence if not row.right), key=lambda row: (row.unseen, -row.confidence))
    left_out = [*trained.seen.left_out, *trained.unseen.left_out]
    looked_at = Counter(sample.looked_at for sample in papers.samples)
    return Report(
        papers=len(papers.samples),
        reviewed=looked_at[LookedAt.REVIEWED_WHOLE] + looked_at[LookedAt.HELD_VALUES],
        reviewed_whole=looked_at[LookedAt.REVIEWED_WHOLE],
        held_values=counted_by_papers(only_held) if only_held else None,
        groups=len(set(papers.corpus.groups.tolist())),
        layout_similarity_min=trained.layout_similarity_min,
        fields=[_figures(papers, field.key, seen, unseen) for field in papers.plan.fields if field.key in judged],
        seen_right=sum(record.right for record in seen),
        seen_total=len(seen),
        unseen_right=sum(record.right for record in unseen),
        unseen_total=len(unseen),
        calibration_error=confidence_figures(rows_seen).calibration_error,
        seen=_overall(seen, rows_seen),
        unseen=_overall(unseen, rows_unseen),
        test=figures_of_tests(papers.plan, tests, test_papers, trained.layout_similarity_min, (rows_seen, rows_unseen)),
        layouts=_layouts(papers, seen, unseen),
        errors=wrong[:ERRORS_KEPT],
        hardest=_hardest(rows_seen),
        left_out=[LeftOutFold.model_validate(asdict(fold)) for fold in left_out],
    )


def _kept(
    wanted: Sequence[bool], records: Sequence[HeldOut], rows: Sequence[EvidenceRow]
) -> tuple[list[HeldOut], list[EvidenceRow]]:
    return list(compress(records, wanted)), list(compress(rows, wanted))


def _of_papers(
    wanted: Sequence[bool], records: Sequence[HeldOut], rows: Sequence[EvidenceRow]
) -> tuple[list[HeldOut], list[EvidenceRow]]:
    """The decisions on some papers (`wanted`, one for each) with their evidence."""
    return _kept([wanted[record.paper] for record in records], records, rows)


def counted_by_papers(records: Sequence[HeldOut]) -> Counted:
    """Right ones of some decisions, with an interval by bootstrap over their papers."""
    return _share([(sum(record.right for record in its), len(its)) for its in _by_paper(records).values()])


def confidence_figures(rows: Sequence[EvidenceRow]) -> ConfidenceFigures:
    """Calibration of some decisions: expected calibration error, Brier score, area under risk–coverage, and the
    reliability diagram's bins."""
    confidence, right = [row.confidence for row in rows], [row.right for row in rows]
    return ConfidenceFigures(
        calibration_error=round(calibration_error(confidence, right), 4),
        brier=round(brier(confidence, right), 4),
        risk_coverage=round(area_under_risk_coverage(confidence, right), 4),
        reliability=[ReliabilityFigures.model_validate(asdict(bin_)) for bin_ in reliability(confidence, right)],
        decisions=len(rows),
    )


def _by_paper(records: Sequence[HeldOut]) -> dict[int, list[HeldOut]]:
    found: dict[int, list[HeldOut]] = defaultdict(list)
    for record in records:
        found[record.paper].append(record)
    return found


def _overall(records: Sequence[HeldOut], rows: Sequence[EvidenceRow]) -> Overall | None:
    """Micro and macro precision, recall and F1, exact match, each with an interval by bootstrap over papers; None
    without records."""
    if not records:
        return None
    # Values of one paper fail together (a bad scan), so the interval draws papers, not values.
    per_paper = [sum((record.verdict.counts for record in its), Counts()) for its in _by_paper(records).values()]
    keys = sorted({record.decision.field for record in records})
    by_field = [
        sum((record.verdict.counts for record in records if record.decision.field == key), Counts()) for key in keys
    ]
    table = np.array([[counts.right, counts.found, counts.there] for counts in per_paper])
    f1 = bootstrap_interval(list(table), lambda sums: 2 * sums[0] / max(1.0, sums[1] + sums[2]))
    exact = [(sum(record.right for record in its), len(its)) for its in _by_paper(records).values()]
    whole = sum(hits == count for hits, count in exact)
    return Overall(
        **_precision(sum(per_paper, Counts())).model_dump(),
        **confidence_figures(rows).model_dump(),
        f1_interval=_rounded(f1),
        macro_f1=round(macro_f1(by_field), 4),
        exact=round(sum(paper[0] for paper in exact) / len(records), 4),
        exact_interval=_rounded(share_by_papers(exact)),
        whole_papers=whole,
        papers=len(exact),
        whole_interval=_rounded(share_interval(whole, len(exact))),
    )


def _rounded(pair: tuple[float, float]) -> tuple[float, float]:
    return round(pair[0], 4), round(pair[1], 4)


def _precision(counts: Counts) -> Precision:
    return Precision(precision=round(counts.precision, 4), recall=round(counts.recall, 4), f1=round(counts.f1, 4))


def _figures(papers: Papers, key: str, seen: Sequence[HeldOut], unseen: Sequence[HeldOut]) -> FieldFigures:
    one = papers.plan.field(key)
    columns = [column.key for column in papers.plan.inside(key) if column.is_column]
    labels = [[sample.labels[name] for name in (key, *columns) if name in sample.labels] for sample in papers.samples]
    known = [record for record in seen if record.decision.field == key]
    new = [record for record in unseen if record.decision.field == key]
    printed = [
        _as_printed(papers, record)
        for record in known
        # right in normal form, yet perhaps not letter by letter
        if record.right and isinstance(record.decision, Decision) and record.verdict.found
    ]
    return FieldFigures(
        field=key,
        kind=str(one.kind),
        labels=sum(any(its) for its in labels),
        absent=sum(bool(its) and not any(its) for its in labels),
        seen_right=sum(record.right for record in known),
        seen_total=len(known),
        seen_interval=share_by_papers([(record.right, 1) for record in known]),
        unseen_right=sum(record.right for record in new),
        unseen_total=len(new),
        unseen_interval=share_by_papers([(record.right, 1) for record in new]),
        seen=_precision(sum((record.verdict.counts for record in known), Counts())),
        unseen=_precision(sum((record.verdict.counts for record in new), Counts())),
        printed=round(sum(printed) / len(printed), 4) if printed else None,
        cells=BothTableFigures(seen=_table_figures(known), unseen=_table_figures(new)),
    )


def _as_printed(papers: Papers, record: HeldOut) -> bool:
    labels = papers.samples[record.paper].labels.get(record.decision.field, ())
    chosen = record.decision.chosen if isinstance(record.decision, Decision) else ()
    # of several values the order says nothing
    return sorted(choice.candidate.text for choice in chosen) == sorted(label.text for label in labels)


def _table_figures(records: Sequence[HeldOut]) -> TableFigures | None:
    """A table's cells and whole rows; None for what is not a table."""
    its = [record.verdict.cells for record in records if record.verdict.cells is not None]
    if not its:
        return None
    # over all tables: a table of one row must not weigh as much as one of thirty
    cells = Counts(sum(c.right for c in its), sum(c.found for c in its), sum(c.there for c in its))
    rows = Counts(sum(c.rows_right for c in its), sum(c.rows_found for c in its), sum(c.rows_there for c in its))
    return TableFigures(
        cells=CountedPrecision(**_precision(cells).model_dump(), there=cells.there),
        rows=CountedPrecision(**_precision(rows).model_dump(), there=rows.there),
    )


def _layouts(papers: Papers, seen: Sequence[HeldOut], unseen: Sequence[HeldOut]) -> list[LayoutFigures]:
    """Figures of each layout group, those with the most papers first; `group` is the number it was given."""
    groups = papers.corpus.groups
    order = sorted(set(groups.tolist()), key=lambda group: (-int((groups == group).sum()), group))

    def counted_of(group: int, records: Sequence[HeldOut]) -> Counted:
        return counted_by_papers([record for record in records if groups[record.paper] == group])

    return [
        LayoutFigures(
            group=int(group),
            papers=int((groups == group).sum()),
            seen=counted_of(group, seen),
            unseen=counted_of(group, unseen),
        )
        for group in order
    ]


def _hardest(rows: Sequence[EvidenceRow]) -> list[HardPaper]:
    """The papers with the most wrong values when held out, of equal ones the least sure."""
    by_sample: dict[str, list[EvidenceRow]] = defaultdict(list)
    for row in rows:
        by_sample[row.sample].append(row)
    papers = [
        HardPaper(
            sample=key,
            wrong=sum(not row.right for row in its),
            total=len(its),
            confidence=round(sum(row.confidence for row in its) / len(its), 4),
        )
        for key, its in by_sample.items()
    ]
    wrong = [paper for paper in papers if paper.wrong]
    return sorted(wrong, key=lambda one: (-one.wrong, one.confidence, one.sample))[:HARDEST]


def counted(right: Sequence[bool]) -> Counted:
    """Right ones of some decisions, with Wilson's interval."""
    return Counted(right=sum(right), total=len(right), interval=share_interval(sum(right), len(right)))


def judged_tests(
    trained: TrainedVersion, tests: Sequence[Sample], structures: Mapping[str, Structures] | None = None
) -> list[EvidenceRow]:
    """What a finished version decides on papers kept for testing, which come into nothing else (`structures`: the
    layers of their pages, by sample key, where the plan has marks)."""
    rows: list[EvidenceRow] = []
    plan = trained.trained_model.plan
    for sample in tests:
        for decision, confidence in trained.decide_with_confidence(sample.pages, (structures or {}).get(sample.key)):
            verdict = verdict_on(plan, decision, sample.labels)
            if confidence is not None and verdict is not None:
                texts = verdict.found, verdict.expected
                similarity = decision.layout_similarity
                unseen = similarity < trained.layout_similarity_min
                rows.append(
                    EvidenceRow(sample.key, decision.field, confidence, similarity, verdict.right, unseen, *texts)
                )
    return rows


def figures_of_tests(
    plan: Plan,
    rows: Sequence[EvidenceRow],
    papers: int,
    least: float,
    own: tuple[Sequence[EvidenceRow], Sequence[EvidenceRow]] = ((), ()),
) -> TestFigures | None:
    """Exact matches on papers kept for testing, on the whole, by field, and apart for layouts known (likeness at or
    above `least`) and new; how true the confidences are; and the gaps to the version's `own` evidence, that on known
    and that on new layouts. None without such papers."""
    if not rows:
        return None
    known = [row for row in rows if row.layout_similarity >= least]
    new = [row for row in rows if row.layout_similarity < least]
    by_field = {field.key: [row.right for row in rows if row.field == field.key] for field in plan.fields}
    return TestFigures(
        **counted([row.right for row in rows]).model_dump(),
        **confidence_figures(rows).model_dump(),
        papers=papers,
        known_layouts=counted([row.right for row in known]),
        new_layouts=counted([row.right for row in new]),
        fields={key: counted(its) for key, its in by_field.items() if its},
        known_gap=_gap(own[0], known),
        new_gap=_gap(own[1], new),
    )


def _gap(own: Sequence[EvidenceRow], test: Sequence[EvidenceRow]) -> Gap | None:
    """None where one of them has nothing to compare."""
    if not own or not test:
        return None
    mine, others = _pairs(own), _pairs(test)
    return Gap(own=_share(mine), test=_share(others), chance=round(chance_of_gap(mine, others), 4))


def _pairs(rows: Sequence[EvidenceRow]) -> list[tuple[int, int]]:
    """Rows right, and all of them, of each paper."""
    papers: dict[str, list[bool]] = defaultdict(list)
    for row in rows:
        papers[row.sample].append(row.right)
    return [(sum(its), len(its)) for its in papers.values()]


def _share(pairs: Sequence[tuple[int, int]]) -> Counted:
    right, total = sum(pair[0] for pair in pairs), sum(pair[1] for pair in pairs)
    return Counted(right=right, total=total, interval=share_by_papers(pairs))
