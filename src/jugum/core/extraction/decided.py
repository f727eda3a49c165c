"""What is decided about a field that is no run of words: a clause, a table as a whole, a tick box, choice, signature
or zone."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from dataclasses import field as kept
from enum import StrEnum

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.found import Found
from jugum.core.schema import FieldKind, FieldPlan


class PartKind(StrEnum):
    """Kinds of such decisions; each is calibrated by itself, since their features mean different things."""

    CLAUSE = "clause"
    TABLE = "table"
    MARK = "mark"


@dataclass(frozen=True)
class PartDecision:
    """`values`: a clause's or mark's own key → its values; for a table each column's key → one value per row (None: an
    empty cell).

    `features` are the numbers that speak for or against it being right, by the names of `core.calibration`,
    `layout_similarity` the layout's likeness (0–1) to the most alike labelled paper, `reading` the least reading
    confidence (0–1) in its words, `layout` the group of layouts that the paper is of, `lacking` the log-odds that a
    paper of it lacks the field (0 where nothing is known), `most` the most confidence (0–1) that so many labelled
    papers of it can give.
    """

    field: str
    kind: PartKind
    values: Mapping[str, tuple[Found | None, ...]]
    others: tuple[Found, ...]
    features: Mapping[str, float]
    layout_similarity: float
    reading: float
    why: Mapping[str, float] = kept(default_factory=dict)
    layout: int = NEW_LAYOUT
    lacking: float = 0.0
    most: float = 1.0

    @property
    def absent(self) -> bool:
        """Whether it says that the part is not on the paper."""
        return not any(self.values.values())

    @property
    def by_hand(self) -> bool:
        """Whether a pen wrote any word of it."""
        return any(cell.by_hand for column in self.values.values() for cell in column if cell)

    @property
    def rows(self) -> list[dict[str, Found]]:
        """A table's rows: column key → cell, without the empty ones."""
        count = max((len(column) for column in self.values.values()), default=0)
        return [
            {key: cell for key, column in self.values.items() if row < len(column) and (cell := column[row])}
            for row in range(count)
        ]

    @property
    def found(self) -> str:
        """What it says, on one line: a table row by row, cells parted by " | "."""
        columns = list(self.values.values())
        if self.kind is not PartKind.TABLE:
            return "; ".join(cell.normal for column in columns for cell in column if cell)
        rows = max((len(column) for column in columns), default=0)
        return "; ".join(
            " | ".join(column[row].normal if row < len(column) and column[row] else "" for column in columns)  # type: ignore[union-attr]
            for row in range(rows)
        )


def part_kind(one: FieldPlan) -> PartKind | None:
    """How a field is decided on as a part; None for learned values, columns and derived fields."""
    if one.kind is FieldKind.CLAUSE:
        return PartKind.CLAUSE
    if one.kind is FieldKind.TABLE:
        return PartKind.TABLE
    if one.kind is FieldKind.VALUE and not one.is_column and not one.learned:
        return PartKind.MARK
    return None
