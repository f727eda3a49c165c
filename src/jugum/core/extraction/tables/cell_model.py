"""What cells of tables look like, learned from labelled ones: words, shapes, data types, products, order of columns.

A multinomial logistic regression over single pieces of text says how likely a piece is a cell of each column, or no
cell at all. It knows no places, so that it speaks on layouts that are new.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from dataclasses import field as kept
from decimal import Decimal
from itertools import pairwise, permutations
from typing import Any

import numpy as np
import numpy.typing as npt
from scipy.sparse import csr_array

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.found import Found
from jugum.core.extraction.tables.by_heads import Lines
from jugum.core.page import Box
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.values import NUMERIC, ValueType, normal_form, value_shape

OTHER = ""  # the class of what is no cell
Floats = npt.NDArray[np.float64]
STRENGTH = 1.0  # inverse of the regression's penalty
SEEN_LEAST = 2  # pieces that show a sign, and cells of a column, below which it is chance
MOSTLY = 0.8  # share of rows in which a product or a step must hold
PRODUCT_ROWS = 5  # that a product takes
COUNT_ROWS = 3  # that a column must count
CELL_LEAST = 0.02  # probability: no single piece says more than this against a column


@dataclass(frozen=True)
class Habits:
    """What labelled tables have in common beyond their cells' texts.

    `products` are for each table the columns (a, b, c) for which a · b = c, `counting` the columns whose cells count
    the rows, `usual` the share of rows that have a cell of a column, `order` the share of tables in which the first of
    two columns stands left of the second.
    """

    products: Mapping[str, tuple[tuple[str, str, str], ...]] = kept(default_factory=dict)
    counting: frozenset[str] = frozenset()
    usual: Mapping[str, float] = kept(default_factory=dict)
    order: Mapping[tuple[str, str], float] = kept(default_factory=dict)

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "products": {key: [list(three) for three in its] for key, its in self.products.items()},
            "counting": sorted(self.counting),
            "usual": dict(self.usual),
            "order": [[a, b, share] for (a, b), share in self.order.items()],
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> Habits:
        """The inverse."""
        return Habits(
            {key: tuple((a, b, c) for a, b, c in its) for key, its in data["products"].items()},
            frozenset(data["counting"]),
            data["usual"],
            {(a, b): share for a, b, share in data["order"]},
        )


@dataclass(frozen=True)
class CellModel:
    """`columns` are OTHER and then keys of plan columns, `weights` (columns × signs) and `bias` (columns) those of the
    regression over `signs`, `kinds` what cells may be read as."""

    columns: tuple[str, ...]
    signs: tuple[str, ...]
    weights: Floats
    bias: Floats
    kinds: tuple[ValueType, ...]
    habits: Habits

    def odds(self, texts: Sequence[str]) -> Floats:
        """Log odds of each piece to be a cell of each column instead of none: pieces × columns but OTHER."""
        if not texts:
            return np.zeros((0, len(self.columns) - 1))
        number = {sign: at for at, sign in enumerate(self.signs)}
        scores = _matrix([signs_of(text, self.kinds) for text in texts], number) @ self.weights.T + self.bias
        scores -= scores.max(axis=1, keepdims=True)
        chances = np.maximum(scores - np.log(np.exp(scores).sum(axis=1, keepdims=True)), np.log(CELL_LEAST))
        found: Floats = chances[:, 1:] - chances[:, :1]
        return found

    def support(self, rows: Sequence[Mapping[str, Found]]) -> float:
        """Log odds that the cells of rows (column key → cell) are of their columns instead of none, all together."""
        known = [
            (self.columns.index(key) - 1, cell.text) for row in rows for key, cell in row.items() if key in self.columns
        ]
        odds = self.odds([text for _, text in known])
        return float(sum(its[at] for its, (at, _) in zip(odds, known, strict=True)))

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "columns": list(self.columns),
            "signs": list(self.signs),
            "weights": np.round(self.weights, 3).tolist(),
            "bias": np.round(self.bias, 3).tolist(),
            "habits": self.habits.to_data(),
        }

    @staticmethod
    def from_data(plan: Plan, data: Mapping[str, Any]) -> CellModel:
        """The inverse; KeyError and ValueError for data that can't be of the plan."""
        columns, signs = tuple(map(str, data["columns"])), tuple(map(str, data["signs"]))
        weights, bias = np.array(data["weights"], dtype=float), np.array(data["bias"], dtype=float)
        if weights.shape != (len(columns), len(signs)) or bias.shape != (len(columns),) or columns[:1] != (OTHER,):
            raise ValueError("the weights of cells are not as many as columns and signs")
        for key in columns[1:]:
            plan.field(key)
        return CellModel(columns, signs, weights, bias, kinds_of(plan), Habits.from_data(data["habits"]))


def kinds_of(plan: Plan) -> tuple[ValueType, ...]:
    """What the cells of a plan's tables may be read as."""
    return tuple(dict.fromkeys(field.value_type for field in plan.fields if field.is_column))


def signs_of(text: str, kinds: Sequence[ValueType]) -> list[str]:
    """What a piece of text shows of the column it may stand in: its words, its shape, its figures, and which data types
    can read it."""
    words = plain_text(text).split()
    digits, letters = sum(map(str.isdigit, text)), sum(map(str.isalpha, text))
    signs = [f"w={word}" for word in words if not any(map(str.isdigit, word))]
    signs += [f"p={word[:4]}" for word in words if len(word) > 4 and word.isalpha()]
    signs += [f"n={min(len(words), 6)}", f"s={re.sub('9+', '9', value_shape(text))[:10]}"]
    signs.append("figures" if digits > letters else "letters" if letters else "marks")
    if digits:
        decimals = re.search(r"[.,](\d+)\D*$", text)
        signs.append(f"decimals={len(decimals.group(1)) if decimals else 0}")
        signs.append(f"digits={min(digits, 8)}")
        signs.append("digits and letters" if letters else "digits alone")
    for kind in kinds:
        if normal := normal_form(text, kind):
            signs.append(f"reads={kind.data_type}")
            if kind.data_type in NUMERIC:  # without currency and unit
                signs.append(f"{kind.data_type}={len(normal.split('.')[0].lstrip('-'))}")
    if text[:1].isupper():
        signs.append("capital" if text[1:2].islower() else "capitals")
    return signs


def _matrix(signs: Sequence[Sequence[str]], number: Mapping[str, int]) -> csr_array:
    rows, places = [], []
    for row, its in enumerate(signs):
        for at in {number[sign] for sign in its if sign in number}:
            rows.append(row)
            places.append(at)
    return csr_array((np.ones(len(rows)), (rows, places)), shape=(len(signs), len(number)))


# ---- Learning --------------------------------------------------------------------------------------------------------


def fit_cells(plan: Plan, samples: Sequence[Sample], lines: Sequence[Sequence[Lines]]) -> CellModel | None:
    """Learn from labelled tables; `lines` are each sample's pages. None where fewer than two columns have cells."""
    said = [pair for sample, pages in zip(samples, lines, strict=True) for pair in _pieces(plan, sample, pages)]
    often = Counter(key for _, key in said)
    columns = (OTHER, *(field.key for field in plan.fields if field.is_column and often[field.key] >= SEEN_LEAST))
    if len(columns) < 3 or not often[OTHER]:
        return None
    kinds = kinds_of(plan)
    known = [(signs_of(text, kinds), columns.index(key)) for text, key in said if key in columns]
    counts = Counter(sign for its, _ in known for sign in set(its))
    signs = tuple(sorted(sign for sign, count in counts.items() if count >= SEEN_LEAST))
    from sklearn.linear_model import LogisticRegression  # here: it costs a second, and reading needs none of it

    model = LogisticRegression(C=STRENGTH, class_weight="balanced", max_iter=300)
    model.fit(_matrix([its for its, _ in known], {sign: at for at, sign in enumerate(signs)}), [at for _, at in known])
    return CellModel(columns, signs, model.coef_, model.intercept_, kinds, habits_of(plan, samples))


def _pieces(plan: Plan, sample: Sample, pages: Sequence[Lines]) -> Iterator[tuple[str, str]]:
    """(text, column) of a sample's labelled cells and, as OTHER, of what else stands on its pages."""
    boxes: list[tuple[int | None, Box]] = []
    for column in plan.fields:
        if column.is_column:
            for label in sample.labels.get(column.key, ()):
                if label.text:
                    yield label.text, column.key
                if label.box is not None:
                    boxes.append((label.page, label.box))
    for page in pages:
        mine = [box for number, box in boxes if number == page.page.number]
        for piece in (piece for row in page.rows for piece in row):
            if not any(box.contains(*piece.box.middle) or piece.box.contains(*box.middle) for box in mine):
                yield piece.text, OTHER


def habits_of(plan: Plan, samples: Sequence[Sample]) -> Habits:
    """What the labelled tables of samples have in common; shares are smoothed by one table or row for and one
    against."""
    products, usual, order = {}, {}, {}
    counting = set()
    for table in [field for field in plan.fields if field.kind is FieldKind.TABLE]:
        columns = plan.inside(table.key)
        products[table.key] = tuple(_products(columns, samples))
        rows = sum(max((len(sample.labels.get(column.key, ())) for column in columns), default=0) for sample in samples)
        for column in columns:
            its = [[label.normal for label in sample.labels.get(column.key, ())] for sample in samples]
            usual[column.key] = (sum(bool(text) for texts in its for text in texts) + 1) / (rows + 2)
            filled = [texts for texts in its if sum(map(bool, texts)) >= COUNT_ROWS]
            if len(filled) >= SEEN_LEAST and sum(map(counts_rows, filled)) >= MOSTLY * len(filled):
                counting.add(column.key)
        for a, b in permutations([column.key for column in columns], 2):
            both = [(x, y) for sample in samples if (x := _stands(sample, a)) and (y := _stands(sample, b))]
            order[a, b] = (sum(x < y for x, y in both) + 1) / (len(both) + 2)
    return Habits(products, frozenset(counting), usual, order)


def _stands(sample: Sample, key: str) -> float:
    """Where a labelled column stands (x of its cells' middles); 0 where it has no place."""
    its = [label.box.middle[0] for label in sample.labels.get(key, ()) if label.box is not None]
    return sum(its) / len(its) if its else 0.0


def _products(columns: Sequence[FieldPlan], samples: Sequence[Sample]) -> Iterator[tuple[str, str, str]]:
    numeric = [column.key for column in columns if column.data_type in NUMERIC]
    for a, b, c in permutations(numeric, 3):
        if a < b:
            rows = [
                tuple(number_of(its[row].normal) if row < len(its) else None for its in three)
                for sample in samples
                for three in [[sample.labels.get(key, ()) for key in (a, b, c)]]
                for row in range(len(three[2]))
            ]
            whole = [(x, y, z) for x, y, z in rows if x is not None and y is not None and z is not None]
            if len(whole) >= PRODUCT_ROWS and product_holds(whole) >= MOSTLY:
                yield a, b, c


def number_of(normal: str) -> Decimal | None:
    """A number in normal form; None for what is none."""
    try:
        return Decimal(normal.split()[0]) if normal else None
    except ArithmeticError:
        return None


def product_holds(rows: Sequence[tuple[Decimal, Decimal, Decimal]]) -> float:
    """Share of the rows (a, b, c) in which a · b is c but for rounding; 0 where there are none."""
    right = sum(abs(a * b - c) <= Decimal("0.006") + abs(c) * Decimal("0.002") for a, b, c in rows)
    return right / len(rows) if rows else 0.0


def counts_rows(texts: Sequence[str]) -> bool:
    """Whether most cells are one step further than the cell before, by a step that is the same: 1, 2, 3 or 10, 20."""
    numbers = [int(found[-1][:9]) if (found := re.findall(r"\d+", text)) else None for text in texts]
    steps = [b - a for a, b in pairwise(numbers) if a is not None and b is not None]
    usual, often = Counter(steps).most_common(1)[0] if steps else (0, 0)
    return len(texts) >= COUNT_ROWS and usual > 0 and often >= MOSTLY * (len(texts) - 1)
