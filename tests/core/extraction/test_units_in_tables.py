"""Tables whose numbers stand with units, and whose empty cells are dashes, as on claims of travel costs."""

from __future__ import annotations

import random
from collections.abc import Sequence

import pytest

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.parts import part_right
from jugum.core.page import Box, Page, Word, reading_order, union
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.training import train_version
from jugum.core.training.version import TrainedVersion
from jugum.core.values import DataType, normal_or_text

PLACES = ("Tarnby", "Holm", "Lowfell", "Ness", "Great Skarn", "Odde")
HEADS = ("Place", "Distance", "Nights", "Share", "Fare")
COLUMNS = (
    FieldPlan("trips.place", "Place", inside="trips"),
    FieldPlan("trips.way", "Distance", DataType.NUMBER, inside="trips"),
    FieldPlan("trips.nights", "Nights", DataType.NUMBER, inside="trips"),
    FieldPlan("trips.share", "Share", DataType.PERCENT, inside="trips"),
    FieldPlan("trips.fare", "Fare", DataType.MONEY, inside="trips"),
)
PLAN = Plan((FieldPlan("who", "Claimed by"), FieldPlan("trips", "Trips", kind=FieldKind.TABLE), *COLUMNS))


def written(x: float, y: float, text: str, right: bool) -> list[Word]:
    """The words of a text from `x` on, or up to it, each letter 0.011 wide."""
    words, at = [], x - 0.011 * len(text) if right else x
    for part in text.split():
        words.append(Word(part, Box(at, y, at + 0.011 * len(part), y + 0.014)))
        at += 0.011 * (len(part) + 1)
    return words


def claim(number: int) -> Sample:
    """A claim of three to six trips, in one of two layouts (figures to the left or to the right)."""
    rng = random.Random(number)
    right = bool(number % 2)
    edges = (0.08, 0.42, 0.57, 0.72, 0.92) if right else (0.08, 0.3, 0.47, 0.62, 0.8)
    who = rng.choice(("Runa Selvik", "Odd Brekke", "Tove Marn"))
    words = [*written(0.08, 0.08, "Claim of travel costs", False), *written(0.08, 0.14, "Claimed by", False)]
    name = written(0.3, 0.14, who, False)
    labels: dict[str, list[SampleLabel]] = {"who": [_label(FieldPlan("who", "Who"), who, name)]}
    words += name
    for place, (edge, head) in enumerate(zip(edges, HEADS, strict=True)):
        words += written(edge, 0.22, head, right and place > 0)
    for row in range(rng.randint(3, 6)):
        night = rng.randint(0, 4)
        texts = (
            rng.choice(PLACES),
            rng.choice((f"{rng.randint(4, 900)} km", "–")),
            "–" if not night else "1 night" if night == 1 else f"{night} nights",
            rng.choice(("12.5 %", "50 %", "–", "100 %")),
            rng.choice((f"{rng.randint(5, 400)}.{rng.randint(10, 99)}", "–")),
        )
        for place, (edge, text, column) in enumerate(zip(edges, texts, COLUMNS, strict=True)):
            mine = written(edge, 0.26 + 0.03 * row, text, right and place > 0)
            words += mine
            labels.setdefault(column.key, []).append(_label(column, text, mine))
    return Sample(
        str(number), (Page(1, 595, 842, reading_order(words)),), {key: tuple(its) for key, its in labels.items()}
    )


def _label(column: FieldPlan, text: str, words: Sequence[Word]) -> SampleLabel:
    return SampleLabel(text, normal_or_text(text, column.value_type), 1, union(word.box for word in words))


@pytest.fixture(scope="module")
def version() -> TrainedVersion:
    return train_version(PLAN, [claim(number) for number in range(8)], seed=1)


def test_numbers_with_units_and_dashes_are_read_in_every_cell(version: TrainedVersion) -> None:
    for number in range(50, 62):
        paper = claim(number)
        decided = version.decide_with_confidence(paper.pages)
        table = next(one for one, _ in decided if isinstance(one, PartDecision) and one.field == "trips")
        assert part_right(PLAN, table, paper.labels), number
