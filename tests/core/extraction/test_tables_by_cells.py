"""Tables of layouts whose heads are strange: told by what their cells hold, and by how they stand."""

from __future__ import annotations

import random
from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal

import pytest

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.parts import PartReader, fit_parts, part_right
from jugum.core.extraction.tables.by_heads import Lines
from jugum.core.extraction.tables.cell_model import CellModel, counts_rows, habits_of, product_holds
from jugum.core.extraction.tables.printed_columns import parted, stretches
from jugum.core.page import Box, Page, Word, reading_order, union
from jugum.core.schema import FieldKind, FieldPlan, Plan, Totals
from jugum.core.values import DataType, normal_form
from jugum.core.values.units import without_any_unit

PLAN = Plan(
    (
        FieldPlan("stores", "Stores", kind=FieldKind.TABLE),
        FieldPlan("stores.place", "Place", inside="stores", required=False),
        FieldPlan("stores.thing", "Thing", inside="stores"),
        FieldPlan("stores.count", "Count", DataType.NUMBER, inside="stores"),
        FieldPlan("stores.each", "Each", DataType.MONEY, inside="stores"),
        FieldPlan("stores.sum", "Sum", DataType.MONEY, inside="stores"),
    )
)
THINGS = ("rope", "lamp oil", "tar", "copper nails", "hull paint", "oak planks", "brass hooks", "sail cloth")
LETTER = 0.011
Texts = Sequence[tuple[float, str]]


def words_at(y: float, texts: Texts) -> list[Word]:
    """Each text from its x on, every letter as wide."""
    found = []
    for start, text in texts:
        x = start
        for part in text.split():
            found.append(Word(part, Box(x, y, x + LETTER * len(part), y + 0.012)))
            x += LETTER * (len(part) + 1)
    return found


def ended(x: float, text: str) -> tuple[float, str]:
    """A text that ends at x."""
    return x - LETTER * len(text), text


def page_of(lines: Sequence[tuple[float, Texts]], number: int = 1) -> Page:
    return Page(number, 595, 842, reading_order([word for y, texts in lines for word in words_at(y, texts)]))


def rows_of(rng: random.Random, count: int) -> list[tuple[str, int, Decimal]]:
    return [(rng.choice(THINGS), rng.randint(2, 40), Decimal(rng.randint(300, 9900)) / 100) for _ in range(count)]


def known(number: int) -> Sample:
    """A list as the office writes it: place, thing, count, price of one, sum, under their names."""
    rng = random.Random(number)
    lines: list[tuple[float, Texts]] = [
        (0.05, [(0.1, "Harbour stores of the quarter")]),
        (0.08, [(0.1, "Kept by R. Selvik")]),
    ]
    lines.append((0.2, [(0.1, "Place"), (0.2, "Thing"), (0.5, "Count"), (0.62, "Each"), (0.8, "Sum")]))
    labels: dict[str, list[SampleLabel]] = {column.key: [] for column in PLAN.inside("stores")}
    for at, (thing, count, each) in enumerate(rows_of(rng, rng.randint(3, 6))):
        y = 0.23 + 0.03 * at
        texts = [(0.1, str(at + 1)), (0.2, thing), ended(0.56, str(count)), ended(0.7, f"{each:.2f}")]
        texts.append(ended(0.86, f"{count * each:.2f}"))
        lines.append((y, texts))
        for column, one in zip(PLAN.inside("stores"), texts, strict=True):
            box = union(word.box for word in words_at(y, [one]))
            labels[column.key].append(SampleLabel(one[1], normal_form(one[1], column.value_type) or "", 1, box))
    lines.append((0.6, [(0.1, "Seen on the pier"), (0.5, "No. 5512")]))
    return Sample(str(number), (page_of(lines),), {key: tuple(its) for key, its in labels.items()})


@pytest.fixture(scope="module")
def reader() -> PartReader:
    return fit_parts(PLAN, [known(number) for number in range(12)])


def table(reader: PartReader, pages: Sequence[Page], likeness: float = 0.1) -> PartDecision:
    return next(one for one in reader.decide(pages, None, likeness) if one.field == "stores")


def read(decision: PartDecision) -> list[list[str]]:
    return [
        [row[column.key].normal if column.key in row else "" for column in PLAN.inside("stores")]
        for row in decision.rows
    ]


STRANGE = [("tar", 12, Decimal("4.50")), ("sail cloth", 3, Decimal("61.00")), ("brass hooks", 25, Decimal("1.20"))]


def strange(rows: Sequence[tuple[str, int, Decimal]] = STRANGE, *, unit: str = "") -> list[tuple[float, Texts]]:
    """Another office's list: other heads, another order, another currency, the sum before the price."""
    lines: list[tuple[float, Texts]] = [(0.1, [(0.1, "Qzx"), (0.3, "Wvk"), (0.6, "Jjp"), (0.8, "Kkf")])]
    for at, (thing, count, each) in enumerate(rows):
        whole = f"kr {count * each:,.2f}".replace(",", " ").replace(".", ",")
        one = f"kr {each:.2f}".replace(".", ",")
        amount = f"{count} {unit}".strip()
        lines.append((0.13 + 0.03 * at, [ended(0.18, amount), (0.3, thing), ended(0.7, whole), ended(0.9, one)]))
    return lines


def test_a_table_under_strange_heads_is_told_by_its_cells(reader: PartReader) -> None:
    """Currency and order are strange, too: the product tells the price from the sum."""
    found = table(reader, [page_of(strange())])
    assert read(found) == [
        ["", "tar", "12", "4.50", "54.00"],
        ["", "sail cloth", "3", "61.00", "183.00"],
        ["", "brass hooks", "25", "1.20", "30.00"],
    ]
    assert found.features["by_cells"] == 1
    assert found.features["support"] > 0
    assert found.why == {"cells": 1.0}


def test_known_layouts_keep_their_heads(reader: PartReader) -> None:
    for number in range(40, 45):
        sample = known(number)
        found = table(reader, sample.pages, 1.0)
        assert part_right(PLAN, found, sample.labels)
        assert found.features["by_cells"] == 0


def test_what_is_no_table_is_none(reader: PartReader) -> None:
    lines: list[tuple[float, Texts]] = [
        (0.1 + 0.03 * at, [(0.1, name), ended(0.8, value)])
        for at, (name, value) in enumerate(
            (("Quay", "North 4"), ("Due on", "12.03.2026"), ("Master", "Tove Marn"), ("Licence", "LK-5521"))
        )
    ]
    assert table(reader, [page_of(lines)]).absent
    assert table(reader, [page_of([(0.5, [(0.1, "Nothing of the kind is here")])])]).absent


def test_heads_of_groups_are_no_rows_and_next_lines_belong_to_their_cell(reader: PartReader) -> None:
    lines = strange()
    lines.insert(1, (0.115, [(0.1, "Upper deck")]))
    lines = [(y if y < 0.14 else y + 0.03, texts) for y, texts in lines]
    lines.insert(3, (0.1465, [(0.3, "in barrels")]))  # right under "tar"
    assert [row[1] for row in read(table(reader, [page_of(lines)]))] == ["tar in barrels", "sail cloth", "brass hooks"]


@pytest.mark.parametrize(("name", "sum_of"), [("Total", 1), ("Paid out", 0)])
def test_lines_of_totals_are_what_the_plan_says(reader: PartReader, name: str, sum_of: int) -> None:
    """A line that says so with any figure, or one that says nothing with the sum of the rows above."""
    whole = sum((count * each for _, count, each in STRANGE), Decimal(sum_of))
    lines = strange()
    lines.append((0.22, [(0.3, name), ended(0.7, f"kr {whole:.2f}".replace(".", ","))]))
    lines.append((0.25, strange([("rope", 2, Decimal("7.10"))])[1][1]))
    assert [row[1] for row in read(table(reader, [page_of(lines)]))] == ["tar", "sail cloth", "brass hooks"]
    for totals, things in (
        (Totals.SKIP, ["tar", "sail cloth", "brass hooks", "rope"]),
        (Totals.KEEP, ["tar", "sail cloth", "brass hooks", name, "rope"]),
    ):
        fields = (replace(field, totals=totals) if field.key == "stores" else field for field in reader.plan.fields)
        kept = replace(reader, plan=Plan(tuple(fields)))
        assert [row[1] for row in read(table(kept, [page_of(lines)]))] == things


def test_a_table_goes_on_over_the_page_without_a_head(reader: PartReader) -> None:
    rng = random.Random(3)
    rows = rows_of(rng, 24)
    first = strange(rows)
    here, over = first[:21], first[21:]
    second = [(y - over[0][0] + 0.08, texts) for y, texts in over]
    found = read(table(reader, [page_of(here), page_of(second, 2)]))
    assert [row[1] for row in found] == [thing for thing, _, _ in rows]
    assert [row[2] for row in found] == [str(count) for _, count, _ in rows]


def test_figures_with_any_unit_are_read_in_columns(reader: PartReader) -> None:
    assert [row[2] for row in read(table(reader, [page_of(strange(unit="bdl"))]))] == ["12", "3", "25"]
    column = PLAN.field("stores.count").value_type
    assert normal_form("46.2 Nm", column) == "46.2"
    assert normal_form("46.2 Nm", DataType.NUMBER) is None  # alone it may be anything
    assert [without_any_unit(text) for text in ("0.4 ml/h", "220 °C", "12 barrels of tar", "abc")] == [
        "0.4",
        "220",
        "12 barrels of tar",
        "abc",
    ]


def test_narrow_strips_part_columns_but_neither_thousands_nor_units() -> None:
    names = ("tar", "sail cloth", "oak planks", "rope", "lamp oil")
    lines = Lines.of(
        page_of(
            [
                (0.1 + 0.03 * at, [ended(0.2, f"{n} stk"), (0.211, name), ended(0.6, f"kr {10 + n} 160"), (0.7, "ok")])
                for at, (n, name) in enumerate(zip((5, 12, 8, 31, 4), names, strict=True))
            ]
        )
    )
    rows = max(stretches(lines), key=len)
    coarse, fine = parted(lines, rows, fine=False), parted(lines, rows, fine=True)
    assert coarse is not None
    assert fine is not None
    assert coarse.texts[1] == ["12 stk sail cloth", "kr 22 160", "ok"]
    assert fine.texts[1] == ["12 stk", "sail cloth", "kr 22 160", "ok"]


def test_a_page_is_parted_where_rows_keep_to_other_columns() -> None:
    upper: list[tuple[float, Texts]] = [(0.1 + 0.02 * at, [(0.1, "one"), (0.5, "two")]) for at in range(3)]
    lower: list[tuple[float, Texts]] = [(0.16 + 0.02 * at, [(0.2, "a"), (0.4, "b"), (0.8, "c")]) for at in range(3)]
    found = [len(rows) for rows in stretches(Lines.of(page_of(upper + lower)))]
    assert found == [6, 3, 3]


def test_habits_of_labelled_tables_and_what_counts() -> None:
    habits = habits_of(PLAN, [known(number) for number in range(12)])
    assert habits.products["stores"] == (("stores.count", "stores.each", "stores.sum"),)
    assert habits.counting == {"stores.place"}
    assert habits.order["stores.thing", "stores.sum"] == pytest.approx(13 / 14)
    assert habits.usual["stores.thing"] > 0.95
    assert counts_rows(["10", "20", "30", "40"])
    assert not counts_rows(["10", "20"])
    assert not counts_rows(["7", "3", "9", "12"])
    assert product_holds([(Decimal(3), Decimal("1.25"), Decimal("3.75")), (Decimal(3), Decimal(2), Decimal(7))]) == 0.5
    assert product_holds([]) == 0


def test_what_was_learned_of_cells_is_kept_in_files(reader: PartReader) -> None:
    assert reader.cells is not None
    again = CellModel.from_data(reader.plan, reader.cells.to_data())
    texts = ["tar", "12", "4.50", "kr 54,00", "Harbour"]
    assert again.odds(texts) == pytest.approx(reader.cells.odds(texts), abs=0.02)
    assert again.habits == reader.cells.habits
    broken = reader.cells.to_data()
    broken["bias"] = broken["bias"][1:]
    with pytest.raises(ValueError, match="weights of cells"):
        CellModel.from_data(reader.plan, broken)


def test_nothing_is_learned_where_fewer_than_two_columns_have_cells() -> None:
    one = known(1)
    bare = Sample("bare", one.pages, {"stores.thing": one.labels["stores.thing"]})
    assert fit_parts(PLAN, [bare, bare]).cells is None
    assert fit_parts(PLAN, []).cells is None


# ---- Totals beneath --------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("beneath", "adds_up"),
    [
        ((0.30, ended(0.7, "kr 267,00")), True),  # 54 + 183 + 30
        ((0.30, ended(0.9, "Sum 267,00")), True),  # wherever it stands beneath them
        ((0.30, ended(0.7, "kr 237,00")), False),  # a row is missing
        ((0.05, ended(0.7, "kr 267,00")), False),  # above the table
        ((0.30, ended(0.18, "40")), False),  # 12 + 3 + 25 things: so small a number comes by chance
    ],
)
def test_amounts_that_come_to_what_is_printed_beneath_them_speak_for_their_table(
    reader: PartReader, beneath: tuple[float, tuple[float, str]], adds_up: bool
) -> None:
    y, total = beneath
    decision = table(reader, [page_of([*strange(), (y, [total])])])
    assert len(decision.rows) == 3
    assert decision.features["adds_up"] == adds_up


def test_a_single_figure_and_the_same_beneath_it_are_no_sum(reader: PartReader) -> None:
    decision = table(reader, [page_of([*strange(STRANGE[:1]), (0.3, [ended(0.7, "kr 54,00")])])])
    assert decision.features["adds_up"] == 0
