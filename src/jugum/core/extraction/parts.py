"""What a version reads besides values: clauses and tables, learned from labels, and marks, whose engines need no
training but whose figures are measured too."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from jugum.core.classification import Layout, layout_of
from jugum.core.classification.layout_book import NEW_LAYOUT, SAME
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.model import ClauseModel, Unit, clause_right, units_of
from jugum.core.extraction.decided import PartDecision, PartKind, part_kind
from jugum.core.extraction.found import Finding
from jugum.core.extraction.marks import CAPTION_LEAST
from jugum.core.extraction.pen_places import NO_INKS, Inks, PenPlaces, fit_pen_places
from jugum.core.extraction.tables.by_cells import read_by_cells
from jugum.core.extraction.tables.by_heads import Lines, TableWay, decision_of_rows, table_decision
from jugum.core.extraction.tables.cell_model import CellModel, fit_cells
from jugum.core.extraction.tables.cells import cells_of
from jugum.core.extraction.tables.learned_heads import with_learned_heads
from jugum.core.extraction.tables.sums import with_sums
from jugum.core.extraction.tables.tagger import TableTagger, fit_table_tagger, labelled_table
from jugum.core.extraction.untrained.reading import needs_picture, read_untrained
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.deciding import Inside
from jugum.core.page import Page, overlap_share
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.structure import Structures
from jugum.core.values import DataType, same_value

MOVED = 0.7  # score of a signature that stands by its name, and not where papers of its layout are signed
HEADS = 5.0  # log odds that heads which were labelled are worth on a layout that is known
CLAUSE_SURE = 0.3  # probability of its clause from which on a field inside is looked for there alone


def parts_of(plan: Plan) -> Plan:
    """The part of a plan that is read so: clauses, tables with their columns, and marks."""
    kept = [
        # a clause inside a clause is looked for on its own
        replace(field, inside="") if not field.is_column else field
        for field in plan.fields
        if part_kind(field) or field.is_column
    ]
    return Plan(tuple(kept))


def marks_of(plan: Plan) -> Plan:
    """The plan of the fields that mark engines read: tick boxes, choices, signatures, zones."""
    return Plan(tuple(replace(field, inside="") for field in plan.fields if part_kind(field) is PartKind.MARK))


@dataclass
class PartPaper:
    """A paper with what reading its parts needs, each made once: `units` that clauses may be, `marks` found by their
    engines, `lines` of its pages, `inks` that pens and stamps left."""

    pages: Sequence[Page]
    units: Sequence[Unit]
    marks: Mapping[str, Finding]
    lines: Sequence[Lines]
    inks: Inks = NO_INKS

    @staticmethod
    def of(plan: Plan, pages: Sequence[Page], structures: Structures | None) -> PartPaper:
        """`structures` are the pages' layers; see `mark_findings`."""
        kinds = {field.kind for field in plan.fields}
        return PartPaper(
            pages,
            units_of(pages) if FieldKind.CLAUSE in kinds else [],
            mark_findings(plan, pages, structures),
            [Lines.of(page) for page in pages] if FieldKind.TABLE in kinds else [],
            _inks_of(pages, structures or []),
        )

    @cached_property
    def layout(self) -> Layout:
        """The paper's layout, for telling known ones from new ones."""
        return layout_of(self.pages)


def _inks_of(pages: Sequence[Page], structures: Structures) -> Inks:
    found = [(page.number, layers) for page, layers in zip(pages, structures, strict=False) if layers]
    return Inks(
        tuple((number, box) for number, layers in found for box in (*layers.signatures, *layers.strokes)),
        tuple((number, box) for number, layers in found for box in layers.stamps),
    )


@dataclass(frozen=True)
class PartReader:
    """`plan` has the heads that labelled tables taught; `tagger` reads tables whose heads say too little, on layouts
    where it is the better one; `cells` knows what their cells look like, on any layout; `pens` where papers of a known
    layout are signed."""

    plan: Plan
    clauses: ClauseModel
    tagger: TableTagger | None = None
    cells: CellModel | None = None
    pens: PenPlaces | None = None

    def decide(
        self,
        pages: Sequence[Page],
        structures: Structures | None,
        layout_similarity: float,
        group: int = NEW_LAYOUT,
    ) -> list[PartDecision]:
        """One decision for each clause, table and mark of the plan; see `mark_findings` for which marks."""
        return self.decide_on(PartPaper.of(self.plan, pages, structures), layout_similarity, group)

    def decide_on(self, paper: PartPaper, layout_similarity: float, group: int = NEW_LAYOUT) -> list[PartDecision]:
        """A decision for each clause, table and mark of the plan on a paper. `layout_similarity` (0–1) says how much
        its layout is like one that was learned from, `group` which layout group it is of."""
        # Clauses, tables and marks are decided, and so measured, as values are (decision 0012).
        found = self.clauses.decide(paper.units, layout_similarity) if self.clauses.clauses else []
        labelled = self.tagger.read(paper.pages, paper.layout, layout_similarity) if self.tagger else {}
        for field in self.plan.fields:
            if field.key in labelled:
                found.append(labelled_table(self.plan, field, labelled[field.key], layout_similarity))
            elif field.key in paper.marks:
                found.append(
                    mark_decision(field, self._mark(field, paper, layout_similarity, group), layout_similarity)
                )
        found += self._tables(paper.lines, layout_similarity, frozenset(labelled))
        return [
            with_sums(self.plan, decision, paper.pages) if decision.kind is PartKind.TABLE else decision
            for decision in found
        ]

    def _mark(self, field: FieldPlan, paper: PartPaper, layout_similarity: float, group: int) -> Finding:
        """What the engine of a mark found; of a signature, what its place on known layouts says first. Where there is
        no ink at its place, but by its printed name, a table above may have moved it down: that is heard, and
        doubted, unless another signature has its place there."""
        named = paper.marks[field.key]
        if self.pens is None or field.data_type is not DataType.SIGNATURE:
            return named
        placed = self.pens.read(field, paper.layout, paper.pages, paper.inks, layout_similarity, group)
        if placed is None or _is_signed(placed) or self.pens.is_stamp(field.key):
            return placed or named
        if not _is_signed(named, CAPTION_LEAST):
            return placed
        signatures = [other for other in self.plan.fields if other.data_type is DataType.SIGNATURE]
        taken = [
            value.box
            for other in signatures
            if other.key != field.key
            and (found := self.pens.read(other, paper.layout, paper.pages, paper.inks, layout_similarity, group))
            for value in found.values
            if value and value.normal == "yes"
        ]
        ink = next(value for value in named.values if value)
        if any(overlap_share(ink.box, box) > 0 for box in taken):
            return placed
        return replace(named, values=(replace(ink, score=min(ink.score, MOVED)),))

    def _tables(self, lines: Sequence[Lines], layout_similarity: float, labelled: frozenset[str]) -> list[PartDecision]:
        """Tables by their heads, or by what their cells hold where these speak more for that; rows whose cells rather
        are none are no table on a layout that is not known."""
        tables = [field for field in self.plan.fields if field.kind is FieldKind.TABLE and field.key not in labelled]
        headed = [table_decision(self.plan, table, lines, layout_similarity) for table in tables]
        if self.cells is None:
            return headed
        by_cells = read_by_cells(self.cells, self.plan, lines)
        found = []
        for table, decision in zip(tables, headed, strict=True):
            rows = by_cells.get(table.key, ())
            support, mine = self.cells.support(decision.rows), self.cells.support(rows)
            known = layout_similarity >= SAME
            if mine > support + HEADS * known or (support < 0 and not known):
                support, rows = mine, rows if mine > 0 else ()
                decision = decision_of_rows(self.plan, table, rows, layout_similarity, way=TableWay.CELLS)
            cells = sum(map(len, decision.rows))
            found.append(replace(decision, features={**decision.features, "support": support / max(1, cells)}))
        return found

    def to_data(self) -> dict[str, Any]:
        """JSON-able; the labeller's model is bytes and kept apart."""
        asked = self.tagger.asked if self.tagger else {}
        return {
            "clauses": self.clauses.to_data(),
            "tables": {key: [layout.to_data() for layout in its] for key, its in asked.items()},
            "cells": self.cells.to_data() if self.cells else None,
            "pens": self.pens.to_data() if self.pens else None,
        }

    @staticmethod
    def from_data(plan: Plan, data: Mapping[str, Any], model: bytes) -> PartReader:
        """The inverse; `model` are the labeller's bytes, none where there is no labeller."""
        asked = {key: tuple(Layout.from_data(layout) for layout in its) for key, its in data.get("tables", {}).items()}
        tagger = TableTagger(plan, model, asked) if model else None
        cells = CellModel.from_data(plan, data["cells"]) if data.get("cells") else None
        pens = PenPlaces.from_data(data["pens"]) if data.get("pens") else None
        return PartReader(plan, ClauseModel.from_data(plan, data["clauses"]), tagger, cells, pens)


def fit_parts(
    plan: Plan, samples: Sequence[Sample], papers: Sequence[PartPaper] | None = None, groups: Sequence[int] = ()
) -> PartReader:
    """Learn clauses, tables and places of signatures from labelled papers; `papers` are the same where they were made
    before, `groups` their layout groups."""
    part = parts_of(plan)
    model = ClauseModel(part)
    known = papers if papers is not None else [PartPaper.of(part, sample.pages, None) for sample in samples]
    if model.clauses:
        model.fit([(paper.units, sample.labels) for paper, sample in zip(known, samples, strict=True)])
    signed = any(field.data_type is DataType.SIGNATURE for field in part.fields)
    pens = (
        fit_pen_places(part, samples, [paper.layout for paper in known], groups, [paper.inks for paper in known])
        if signed
        else None
    )
    if not any(field.kind is FieldKind.TABLE for field in part.fields):
        return PartReader(part, model, pens=pens)
    headed = with_learned_heads(part, samples)
    cells = fit_cells(headed, samples, [paper.lines for paper in known])
    return PartReader(headed, model, _table_tagger(headed, samples, known), cells, pens)


def _table_tagger(plan: Plan, samples: Sequence[Sample], papers: Sequence[PartPaper]) -> TableTagger | None:
    """A labeller for tables that their heads don't tell on the very papers they were learned from; see
    `fit_table_tagger`."""
    by_heads: dict[str, list[bool | None]] = {}
    for table in [field for field in plan.fields if field.kind is FieldKind.TABLE]:
        by_heads[table.key] = [
            part_right(plan, table_decision(plan, table, paper.lines, 1.0), sample.labels)
            if any(sample.labels.get(column.key) for column in plan.inside(table.key))
            else None
            for paper, sample in zip(papers, samples, strict=True)
        ]
    return fit_table_tagger(plan, samples, [paper.layout for paper in papers], by_heads)


def one_each(values: Sequence[Decision], parts: Sequence[PartDecision]) -> tuple[list[Decision], list[PartDecision]]:
    """One decision for each field: a choice may be a box on one paper and a word on the next, and is decided on both
    ways. What boxes say goes first; where they say nothing, or leave one to guess by the meaning of their captions, the
    words do."""
    said = {decision.field for decision in values}
    in_words = {decision.field for decision in values if not decision.absent}
    boxed = {
        decision.field
        for decision in parts
        if not decision.absent and not (_is_guess(decision) and decision.field in in_words)
    }
    kept = [decision for decision in parts if decision.field in boxed or decision.field not in said]
    return [decision for decision in values if decision.field not in boxed], kept


def _is_signed(finding: Finding, least: float = 0.0) -> bool:
    return any(value is not None and value.normal == "yes" and value.score >= least for value in finding.values)


def _is_guess(decision: PartDecision) -> bool:
    """Whether an engine rather guessed than found what a mark says."""
    return decision.kind is PartKind.MARK and decision.features["logit"] <= 0


def mark_findings(plan: Plan, pages: Sequence[Page], structures: Structures | None) -> dict[str, Finding]:
    """What the engines of marks, choices, signatures and zones find. Without `structures` those that need a page's
    picture are left out, since they would seem absent."""
    seen = [field for field in marks_of(plan).fields if structures is not None or not needs_picture(Plan((field,)))]
    marks = Plan(tuple(seen))
    return read_untrained(marks, pages, structures) if marks.fields else {}


def mark_decision(one: FieldPlan, finding: Finding, layout_similarity: float) -> PartDecision:
    """The decision that an engine's finding makes, calibrated by its score, how near the next finding comes, the
    layout, the reading, and whether it says no."""
    values = tuple(value for value in finding.values if value)
    score = min((value.score for value in values), default=0.0)
    rival = max((other.score for other in finding.others), default=0.0)
    # the worst letter decides: one wrong word makes the value wrong
    sure = min((value.reading for value in values), default=1.0)
    # Scores of 0 and 1 must stay finite; beyond ±4 engines' scores say nothing more.
    logit = float(np.clip(np.log((score + 0.02) / (1.02 - min(1.0, score))), -4, 4))
    whole = float(one.data_type is DataType.ZONE and score >= 1)
    features = {
        "logit": logit,
        "rival": rival,
        "absent": float(not values),
        "layout_similarity": layout_similarity,
        "reading": sure,
        "whole_zone": whole,
        "says_no": float(any(value.normal == "no" for value in values)),
    }
    why = {"score": round(score, 3)}
    return PartDecision(
        one.key, PartKind.MARK, {one.key: values}, finding.others, features, layout_similarity, sure, why
    )


def part_right(plan: Plan, decision: PartDecision, labels: Mapping[str, Sequence[SampleLabel]]) -> bool:
    """Whether a decision is what was labelled: a clause in place, a mark in value, a table in every cell of every
    row."""
    one = plan.field(decision.field)
    if decision.kind is PartKind.CLAUSE:
        return clause_right(decision, labels.get(one.key, ()))
    if decision.kind is PartKind.MARK:
        found, truth = marked(one, decision, labels)
        return len(found) == len(truth) and all(
            same_value(a, b, one.value_type) for a, b in zip(found, truth, strict=True)
        )
    return cells_of(plan, decision, labels).all_right


def marked(
    one: FieldPlan, decision: PartDecision, labels: Mapping[str, Sequence[SampleLabel]]
) -> tuple[list[str], list[str]]:
    """What a mark was found to say, and what was labelled. A paper that is not signed has no signature, whether it has
    a line for one or not."""
    unsigned = "no" if one.data_type is DataType.SIGNATURE else None
    found = [value.normal for value in decision.values[one.key] if value and value.normal != unsigned]
    return found, [label.normal for label in labels.get(one.key, ()) if label.normal != unsigned]


def judged(plan: Plan, one: FieldPlan, labels: Mapping[str, Sequence[SampleLabel]]) -> bool:
    """Whether a person has decided on a field of a paper; on a table, when any of its columns is."""
    if one.kind is FieldKind.TABLE:
        # one column labelled: the table was looked at
        return one.key in labels or any(column.key in labels for column in plan.inside(one.key))
    return one.key in labels


def expected_of(plan: Plan, one: FieldPlan, labels: Mapping[str, Sequence[SampleLabel]]) -> str:
    """What was labelled, on one line, as PartDecision.found has it."""
    if one.kind is not FieldKind.TABLE:
        return "; ".join(label.normal for label in labels.get(one.key, ()))
    columns = [labels.get(column.key, ()) for column in plan.inside(one.key)]
    rows = max((len(column) for column in columns), default=0)
    return "; ".join(
        " | ".join(column[row].normal if row < len(column) else "" for column in columns) for row in range(rows)
    )


def inside_of(plan: Plan, decisions: Sequence[PartDecision]) -> dict[str, Inside]:
    """For each field that stands inside a clause: which candidates lie in the clause found. Fields of clauses that
    are not sure are looked for everywhere."""
    found: dict[str, Inside] = {}
    for field in plan.fields:
        holder = next((decision for decision in decisions if decision.field == field.inside), None)
        # a clause not found must not hide its fields
        if not field.inside or field.is_column or holder is None or holder.absent:
            continue
        value = holder.values[holder.field][0]
        if value is not None and value.score >= CLAUSE_SURE:
            found[field.key] = _within([(value.page, value.box), *value.more_places])
    return found


def _within(places: Sequence[tuple[int, Any]]) -> Inside:
    def inside(candidate: Candidate) -> bool:
        # by the middle: boxes of lines are often a little too narrow
        return any(page == candidate.page and box.contains(*candidate.box.middle) for page, box in places)

    return inside
