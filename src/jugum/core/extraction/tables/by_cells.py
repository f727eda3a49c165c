"""Tables by what their cells hold, for layouts whose heads say nothing that is known.

In each stretch of rows of a page the columns of the plan are assigned to the printed ones so that all cells together
are likeliest (the assignment problem, solved by SciPy), and the consecutive rows that most speak for the table are its
rows (the greatest sum of neighbours, Kadane's); the two in turn, until they agree.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import combinations, pairwise
from statistics import median

import numpy as np

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.meanings import nearness
from jugum.core.extraction.found import Found
from jugum.core.extraction.tables.by_heads import Lines, adds_up, header_likeness, says_total
from jugum.core.extraction.tables.cell_model import (
    COUNT_ROWS,
    CellModel,
    Floats,
    counts_rows,
    number_of,
    product_holds,
)
from jugum.core.extraction.tables.cells import cell_of_words, with_next_line
from jugum.core.extraction.tables.printed_columns import Row, Run, parted, stretches
from jugum.core.schema import FieldKind, FieldPlan, Plan, Totals
from jugum.core.values import NUMERIC, DataType, normal_form

HEAD_ROWS = 2  # above a table's first row that may name its columns
HEAD_WEIGHT = 2.0  # log odds of a head that is the same as a column's name
COUNT_WEIGHT = 3.0  # of a column that counts its rows where labelled ones did, or against it where they did not
PRODUCT_WEIGHT = 3.0  # of a product that holds in every row, or against one that holds in none
ORDER_WEIGHT = 0.5  # of the log odds of columns standing in the order they have on labelled papers
FITS_LEAST = 0.8  # share of its cells that a column's data type must read, where nothing else speaks for it
FITTING = 1.0  # log odds of a column of which no more is known than that its data type reads it
STILL = 0.1  # how far such a column's cells still say which one it is
LONE = -0.5  # log odds of a row with one piece, which may be the next line of a cell or the head of a group
EXCHANGED_MOST = 5  # printed columns that are tried in all ways
ROUNDS = 3  # of assigning columns and choosing rows
WRAP_GAP = 0.75  # of the pitch of rows: a piece that follows nearer than that is its cell's next line
FOOT = 0.5  # of the page's height: a table that ends below it may go on over the page
WHY = "by what its cells hold"


@dataclass(frozen=True)
class Reading:
    """Rows of a run read as a table: span → column, first and last row (inclusive), and the log odds in favour."""

    run: Run
    columns: Mapping[int, str]
    first: int
    last: int
    score: float


def read_by_cells(model: CellModel, plan: Plan, lines: Sequence[Lines]) -> dict[str, list[dict[str, Found]]]:
    """The rows (column key → cell) of each table that is found on a paper's pages; a table that is not there has no
    entry."""
    odds: dict[str, Floats] = {}  # all tables ask of the same texts
    readers = [
        _Reader(model, plan, table, keys, odds)
        for table in plan.fields
        if table.kind is FieldKind.TABLE
        and len(keys := [column.key for column in plan.inside(table.key) if column.key in model.columns]) > 1
    ]
    best: dict[str, Reading] = {}
    for page in lines:
        for rows in stretches(page):
            # rows are of one table: the likeliest
            found = [(reader.table.key, its) for reader in readers if (its := reader.best(page, rows)) is not None]
            if found:
                key, now = max(found, key=lambda pair: pair[1].score)
                if key not in best or now.score > best[key].score:
                    best[key] = now
    tables = {}
    for reader in readers:
        if (key := reader.table.key) in best:
            read = reader.rows(best[key], lines)
            if read:
                tables[key] = read
    return tables


@dataclass
class _Reader:
    """What is worked out for one table on one paper: each text's odds for all columns, each head's likeness, what a
    column reads."""

    model: CellModel
    plan: Plan
    table: FieldPlan
    keys: Sequence[str]
    _odds: dict[str, Floats]
    _likeness: dict[tuple[int, str], float] = field(default_factory=dict)
    _read: dict[tuple[int, str], str] = field(default_factory=dict)

    def best(self, lines: Lines, rows: Sequence[Row]) -> Reading | None:
        """The best reading of a stretch of rows, parted coarsely and finely."""
        found = [its for fine in (False, True) if (its := self._settled(lines, rows, fine=fine)) is not None]
        return max(found, key=lambda one: one.score, default=None)

    def _settled(self, lines: Lines, rows: Sequence[Row], *, fine: bool) -> Reading | None:
        """Once the rows are known they are parted into columns anew, with the head above them."""
        run = parted(lines, rows, fine=fine)
        found: Reading | None = None
        for _ in range(ROUNDS):
            now = self._reading(run) if run else None
            if now is None or (found is not None and now.score <= found.score):
                break
            found = now
            run = parted(lines, now.run.rows[max(0, now.first - HEAD_ROWS) : now.last + 1], fine=fine)
        return found

    def _reading(self, run: Run) -> Reading | None:
        odds = self._all_odds(run)
        first, last, score = 0, len(run.rows) - 1, 0.0
        gain = self._gain(run, odds, first, last)
        for _ in range(ROUNDS):
            columns = _likeliest(gain)
            if len(columns) < 2:
                return None
            first, last, score = _best_stretch(
                [_row_score(run, row, odds[row], columns) for row in range(len(run.rows))]
            )
            if score <= 0:
                return None
            gain = self._gain(run, odds, first, last)
        columns = self._completed(run, gain, first, last)
        return Reading(run, {span: self.keys[at] for span, at in columns.items()}, first, last, score)

    def _all_odds(self, run: Run) -> Floats:
        """Rows × spans × columns: log odds of being a cell of the column instead of none; 0 where nothing stands."""
        new = list({text for row in run.texts for text in row if text and text not in self._odds})
        place = [self.model.columns.index(key) - 1 for key in self.keys]
        self._odds |= dict(zip(new, self.model.odds(new), strict=True))
        none = np.zeros(len(self.model.columns) - 1)
        return np.array([[self._odds[text] if text else none for text in row] for row in run.texts])[:, :, place]

    def _gain(self, run: Run, odds: Floats, first: int, last: int) -> Floats:
        """Log odds, spans × columns, that a printed column is the plan's: by its cells (on average), its head, and
        whether it counts its rows."""
        filled = np.array([[bool(text) for text in row] for row in run.texts[first : last + 1]])
        usual = filled.sum(axis=0) / max(1, int(filled.any(axis=1).sum()))
        gain: Floats = odds[first : last + 1].sum(axis=0) / np.maximum(1, filled.sum(axis=0))[:, None]
        gain *= np.minimum(1.0, 2 * usual)[:, None]
        counting = np.array([key in self.model.habits.counting for key in self.keys])
        for span in range(len(gain)):
            cells = run.column(span, first, last)
            if not cells:  # a head alone is no column
                gain[span] = -np.inf
                continue
            if counts_rows(cells):
                gain[span] += np.where(counting, COUNT_WEIGHT, -COUNT_WEIGHT)
            elif len(cells) >= COUNT_ROWS:
                gain[span] -= np.where(counting, COUNT_WEIGHT, 0.0)
            if head := " ".join(run.column(span, max(0, first - HEAD_ROWS), first - 1)):
                gain[span] += [HEAD_WEIGHT * self._head_likeness(at, head) for at in range(len(self.keys))]
        return gain

    def _head_likeness(self, at: int, head: str) -> float:
        if (at, head) not in self._likeness:
            column = self.plan.field(self.keys[at])
            names = [plain_text(name) for name in column.names_on_paper]
            near = float(nearness([plain_text(head)], names).max(initial=0.0))
            self._likeness[at, head] = max(header_likeness(column, head), near)
        return self._likeness[at, head]

    def _normal(self, at: int, text: str) -> str:
        """What a text says in a column's data type; "" where it can't be read."""
        if (at, text) not in self._read:
            self._read[at, text] = normal_form(text, self.plan.field(self.keys[at]).value_type) or ""
        return self._read[at, text]

    # ---- Columns that only their data type tells ---------------------------------------------------------------------

    def _completed(self, run: Run, gain: Floats, first: int, last: int) -> dict[int, int]:
        """Span → column, once it is known that this is the table. Figures and dates of which no more is known than that
        their data type reads them (another currency, another way to write) are given to the columns that are left, and
        columns of figures are exchanged among each other: by their cells, by products that then hold as on labelled
        papers, by the order of columns there, and by how often a column has cells."""
        chosen = _likeliest(gain)
        free = [at for at, key in enumerate(self.keys) if self._is_told_by_type(key)]
        fits: dict[tuple[int, int], float] = {}
        for span in range(len(gain)):
            cells = run.column(span, first, last)
            if chosen.get(span, -1) in (-1, *free) and cells:
                for at in free:
                    if sum(bool(self._normal(at, text)) for text in cells) >= FITS_LEAST * len(cells):
                        usual = float(np.log(self.model.habits.usual.get(self.keys[at], 0.5)))
                        fits[span, at] = max(gain[span, at], FITTING + STILL * gain[span, at]) + usual
        spans = sorted({span for span, _ in fits}, key=lambda span: -max(gain[span, at] for at in free))
        spans = spans[:EXCHANGED_MOST]
        fixed = {span: at for span, at in chosen.items() if span not in spans}
        rows = run.texts[first : last + 1]
        held: dict[tuple[tuple[int, int], ...], float] = {}

        def score(tried: dict[int, int]) -> float:
            by_key = {self.keys[at]: (span, at) for span, at in (fixed | tried).items()}
            total = sum(fits[place] for place in tried.items())
            for product in self.model.habits.products.get(self.table.key, ()):
                if all(key in by_key for key in product):
                    three = tuple(by_key[key] for key in product)
                    if three not in held:
                        held[three] = self._product_holds(rows, three)
                    total += PRODUCT_WEIGHT * (2 * held[three] - 1)
            for (a, (left, _)), (b, (right, _)) in combinations(by_key.items(), 2):
                share = self.model.habits.order.get((a, b), 0.5)
                total += ORDER_WEIGHT * float(np.log(2 * (share if left < right else 1 - share)))
            return total

        return fixed | max(_ways(spans, fits, frozenset(fixed.values())), key=score)

    def _is_told_by_type(self, key: str) -> bool:
        """Whether a column's data type says something of its cells: free text and identifiers read anything."""
        return self.plan.field(key).data_type not in (DataType.TEXT, DataType.IDENTIFIER)

    def _product_holds(self, rows: Sequence[Sequence[str]], three: Sequence[tuple[int, int]]) -> float:
        read = [tuple(number_of(self._normal(at, row[span])) for span, at in three) for row in rows]
        return product_holds([(a, b, c) for a, b, c in read if a is not None and b is not None and c is not None])

    # ---- Following pages, and the cells ------------------------------------------------------------------------------

    def _with_next_pages(self, found: Reading, lines: Sequence[Lines]) -> Iterator[Reading]:
        """A reading, and those of the pages on which it goes on in columns that stand where they stood before."""
        yield found
        page = next(at for at, its in enumerate(lines) if its is found.run.lines) + 1
        while page < len(lines) and found.run.box(found.last).y1 > FOOT:
            run = Run.at(lines[page], lines[page].rows, found.run.edges)
            if not run.rows:
                return
            odds = self._all_odds(run)
            columns = {span: self.keys.index(key) for span, key in found.columns.items()}
            for span, at in columns.items():
                if self._is_told_by_type(self.keys[at]):  # other columns told what these are
                    fitting = np.array([bool(row[span]) and bool(self._normal(at, row[span])) for row in run.texts])
                    odds[:, span, at] = np.where(fitting, np.maximum(odds[:, span, at], 0.0), odds[:, span, at])
            first, last, score = _best_stretch(
                [_row_score(run, row, odds[row], columns) for row in range(len(run.rows))]
            )
            if score <= 0:
                return
            found = Reading(run, found.columns, first, last, score)
            yield found
            page += 1

    def rows(self, best: Reading, lines: Sequence[Lines]) -> list[dict[str, Found]]:
        """The cells of a reading's rows and of those on following pages; next lines of cells are joined, heads of
        groups left out, and lines of totals are what the plan says they are."""
        found: list[dict[str, Found]] = []
        for part in self._with_next_pages(best, lines):
            if self._add_rows(part, found):
                break
        return found

    def _add_rows(self, reading: Reading, found: list[dict[str, Found]]) -> bool:
        """Add the rows of one page; whether a line of totals ended the table."""
        run, words = reading.run, {row: _words_of(reading, row) for row in range(reading.first, reading.last + 1)}
        tops = [run.box(row).middle[1] for row, its in words.items() if len(its) > 1]
        pitch = median(b - a for a, b in pairwise(tops)) if len(tops) > 1 else 2 * run.lines.height
        before = 0.0
        for row, its in words.items():
            y = run.box(row).middle[1]
            read = {
                key: cell
                for key, at in its.items()
                if (cell := cell_of_words(self.plan.field(key), run.lines.page, at, WHY))
            }
            if len(its) > 1 and (len(run.rows[row]) > 1 or len(its) > 2):
                if self.table.totals is not Totals.KEEP and self._is_total(found, read, run.rows[row], its):
                    if self.table.totals is Totals.END:
                        return True
                elif len(read) > 1:
                    found.append(read)
                    before = y
            elif found and its and y - before < WRAP_GAP * pitch:
                for key, cell in read.items():
                    if key in found[-1] and self.plan.field(key).data_type is DataType.TEXT:
                        found[-1][key] = with_next_line(found[-1][key], cell)
                before = y
        return False

    def _is_total(
        self, rows: Sequence[dict[str, Found]], read: dict[str, Found], row: Row, its: Mapping[str, Sequence[int]]
    ) -> bool:
        mine = {at for words in its.values() for at in words}
        numeric = [key for key in read if self.plan.field(key).data_type in NUMERIC]
        return says_total([piece for piece in row if not mine.isdisjoint(range(piece.first, piece.last + 1))]) or (
            bool(rows) and adds_up(rows, read, numeric)
        )


def _likeliest(gain: Floats) -> dict[int, int]:
    """Span → column, each once, with the greatest sum; those that rather are no column of the plan are left out."""
    from scipy.optimize import linear_sum_assignment  # here: loading it would delay every start by a quarter second

    spans, places = linear_sum_assignment(np.maximum(gain, 0), maximize=True)
    return {int(span): int(at) for span, at in zip(spans, places, strict=True) if gain[span, at] > 0}


def _ways(
    spans: Sequence[int], fits: Mapping[tuple[int, int], float], taken: frozenset[int]
) -> Iterator[dict[int, int]]:
    """All ways to give each of the spans a column that fits it and is not taken, or none."""
    if not spans:
        yield {}
        return
    yield from _ways(spans[1:], fits, taken)
    for span, at in fits:
        if span == spans[0] and at not in taken:
            for rest in _ways(spans[1:], fits, taken | {at}):
                yield {span: at, **rest}


def _row_score(run: Run, row: int, odds: Floats, columns: Mapping[int, int]) -> float:
    """Log odds that a row is the table's, by its cells; hardly any where it has few of them, which may be the next line
    of a cell or the head of a group."""
    its = [float(odds[span, at]) for span, at in columns.items() if run.texts[row][span]]
    if len(its) < max(2, len(columns) / 2):
        return LONE + min(0.0, sum(its) / max(1, len(its)))
    return sum(its)


def _best_stretch(scores: Sequence[float]) -> tuple[int, int, float]:
    """First and last index of the consecutive rows with the greatest sum, and the sum."""
    best, start, total = (0, 0, -np.inf), 0, 0.0
    for at, score in enumerate(scores):
        if total <= 0:
            start, total = at, 0.0
        total += score
        if total > best[2]:
            best = (start, at, total)
    return best


def _words_of(reading: Reading, row: int) -> dict[str, list[int]]:
    """The words of a row by column. What a strip cut off from a piece, and no column has, goes with the rest of it."""
    home = {at: span for span, its in enumerate(reading.run.cells[row]) for at in its}
    found: dict[str, list[int]] = {}
    for piece in reading.run.rows[row]:
        last = None
        for at in range(piece.first, piece.last + 1):
            last = reading.columns.get(home[at], last)
            if last is not None:
                found.setdefault(last, []).append(at)
    return found
