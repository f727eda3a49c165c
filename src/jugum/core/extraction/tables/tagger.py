"""Tables without heads, or with heads that say nothing: a labeller of words by column, learned where the heads fail on
labelled papers.

A conditional random field over the words of a page, as in `sequence`: each word opens a row of a table ("N-"), opens
a cell ("B-"), goes on in a cell ("I-"), or is no part of a table. On layouts that are known it beats heads that
can't be told; on others it is worse, so it is asked only where papers of such a layout showed that it is the better
one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jugum.core.classification import Layout, layout_similarity
from jugum.core.classification.layout_book import SAME
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.found import EngineName, Found
from jugum.core.extraction.tables.by_heads import TableWay, decision_of_rows
from jugum.core.extraction.tables.cells import cell_of_words, cells_of
from jugum.core.extraction.values.second_opinion import (
    OUTSIDE,
    PAPERS_LEAST,
    TaggedPaper,
    fit_model,
    tags_of,
    word_features,
)
from jugum.core.page import Box, Page
from jugum.core.schema import FieldKind, FieldPlan, Plan

READ_BETTER = 0.35  # likeness by words and places to a paper that it read better than the heads did
ODD_LEAST = 2  # papers whose tables the heads got wrong, without which there is nothing to learn for
FOLDS = 2  # halves: each is judged by what the other taught (decision 0013)
WHY = "by words and places, as on labelled papers like this one"
Row = Mapping[str, Found]


@dataclass(frozen=True)
class TableTagger:
    """A fitted labeller, as the bytes of CRFsuite's own model file; `asked` are for each table the layouts of the
    papers on which it was right and the heads were not."""

    plan: Plan
    model: bytes
    asked: Mapping[str, tuple[Layout, ...]]

    def read(self, pages: Sequence[Page], layout: Layout, likeness: float) -> dict[str, list[Row]]:
        """The rows of the tables that are the labeller's to read on a paper of this layout, by table; `likeness`
        (0–1) is the layout's to the most alike labelled paper."""
        if likeness < SAME:
            return {}
        mine = [
            key
            for key, its in self.asked.items()
            if any(layout_similarity(layout, known) >= READ_BETTER for known in its)
        ]
        rows = rows_by(self.plan, self.model, pages) if mine else {}
        return {key: rows.get(key, []) for key in mine}


def labelled_table(plan: Plan, table: FieldPlan, rows: Sequence[Row], layout_similarity: float) -> PartDecision:
    """The decision that a labeller's rows make. It looks for no heads: their sign is even, and columns count that
    have any cell."""
    return decision_of_rows(plan, table, rows, layout_similarity, way=TableWay.LABELLER)


def tagged_tables(plan: Plan, sample: Sample) -> TaggedPaper:
    """A paper's words with the part they play in its labelled tables. A word belongs to the cell whose label's box
    holds its middle."""
    features, tags = [], []
    for page in sample.pages:
        features.append(word_features(page))
        its = [OUTSIDE] * len(features[-1])
        seen: set[tuple[str, int]] = set()
        begun: set[tuple[str, int]] = set()
        cells = _cells(plan, sample, page.number)
        for index in range(len(its)):
            middle = page.words[index].box.middle
            key, row = next(((key, row) for key, row, box in cells if box.contains(*middle)), ("", 0))
            if not key:
                continue
            line = (plan.field(key).inside, row)
            how = "I" if (key, row) in begun else "B" if line in seen else "N"
            its[index] = f"{how}-{key}"
            seen.add(line)
            begun.add((key, row))
        tags.append(its)
    return TaggedPaper(features, tags)


def _cells(plan: Plan, sample: Sample, page: int) -> list[tuple[str, int, Box]]:
    """(column, row, box) of the labelled cells of a page."""
    found = []
    for field in plan.fields:
        if field.is_column:
            for row, label in enumerate(sample.labels.get(field.key, ())):
                places = [(label.page, label.box), *label.more_places]
                found += [(field.key, row, box) for at, box in places if at == page and box is not None]
    return found


def rows_by(plan: Plan, model: bytes, pages: Sequence[Page]) -> dict[str, list[Row]]:
    """Table key → its rows as a model tells them. A cell that a data type can't read is empty."""
    found: dict[str, list[Row]] = {}
    for page, tags in zip(pages, tags_of(model, pages), strict=True):
        for table in [field for field in plan.fields if field.kind is FieldKind.TABLE]:
            for row in _word_rows({column.key for column in plan.inside(table.key)}, tags):
                cells = {
                    key: cell
                    for key, its in row.items()
                    if (cell := cell_of_words(plan.field(key), page, its, WHY, EngineName.MODEL))
                }
                if cells:
                    found.setdefault(table.key, []).append(cells)
    return found


def _word_rows(columns: set[str], tags: Sequence[str]) -> list[dict[str, list[int]]]:
    """Words of each row by column. A new row begins where a tag says so, or where a cell would begin that the row
    has already."""
    rows: list[dict[str, list[int]]] = []
    for index, tag in enumerate(tags):
        key = tag[2:]
        if tag == OUTSIDE or key not in columns:
            continue
        if not rows or tag[0] == "N" or (tag[0] == "B" and key in rows[-1]):
            rows.append({})
        rows[-1].setdefault(key, []).append(index)
    return rows


def fit_table_tagger(
    plan: Plan,
    samples: Sequence[Sample],
    layouts: Sequence[Layout],
    by_heads: Mapping[str, Sequence[bool | None]],
) -> TableTagger | None:
    """A labeller where heads fail; `by_heads` says for each table whether its heads read it rightly on each labelled
    paper (None: not labelled there).

    None when they fail on fewer than two papers, when fewer than five are there, or when the labeller, judged on the
    halves it did not learn from, is no better on any of those papers.
    """
    odd = {number for its in by_heads.values() for number, right in enumerate(its) if right is False}
    if len(odd) < ODD_LEAST or len(samples) < PAPERS_LEAST:
        return None
    papers = [tagged_tables(plan, sample) for sample in samples]
    asked: dict[str, list[Layout]] = {}
    for fold in range(FOLDS):
        model = fit_model([one for number, one in enumerate(papers) if number % FOLDS != fold])
        for number in sorted(odd):
            if number % FOLDS != fold:
                continue
            rows = rows_by(plan, model, samples[number].pages)
            for table, its in by_heads.items():
                said = labelled_table(plan, plan.field(table), rows.get(table, []), 1.0)
                if its[number] is False and cells_of(plan, said, samples[number].labels).all_right:
                    asked.setdefault(table, []).append(layouts[number])
    if not asked:
        return None
    return TableTagger(plan, fit_model(papers), {table: tuple(its) for table, its in asked.items()})
