"""What an engine found for a field, with where it stands and why it was taken."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from jugum.core.page import Box


class EngineName(StrEnum):
    """Which engine a value came from."""

    MODEL = "model"
    NAMES = "printed names"
    QUESTION = "question"
    TYPE = "data type"
    RULE = "rule"
    MARK = "mark"
    ZONE = "zone"
    TABLE = "table"
    SECTION = "section"
    DERIVED = "derived"


@dataclass(frozen=True)
class Found:
    """A value with its place. `score` (0–1) ranks findings of one engine and is no probability; `reading` is the
    least reading confidence in its words, `by_hand` whether a pen wrote any of them; `more_places` are its further
    places when it goes on over pages."""

    text: str
    normal: str
    page: int
    box: Box
    score: float
    engine: EngineName
    why: str
    reading: float = 1.0
    more_places: tuple[tuple[int, Box], ...] = ()
    by_hand: bool = False


@dataclass(frozen=True)
class Finding:
    """What was found for a field: its values (for a table's column one per row, None where the cell is empty) and the
    candidates next in line."""

    field: str
    values: tuple[Found | None, ...] = ()
    others: tuple[Found, ...] = ()
