"""Reading by the plan alone: printed names, questions, rules, marks, tables, sections; and what a sample proposes."""

from __future__ import annotations

import random
from collections.abc import Callable, Sequence

import pytest
from reportlab.lib.pagesizes import A4

from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.found import EngineName, Finding
from jugum.core.extraction.ticks import answer_of, ticks_of
from jugum.core.extraction.untrained.proposals import proposals
from jugum.core.extraction.untrained.proposed_tables import table_from_region
from jugum.core.extraction.untrained.reading import needs_picture, read_untrained
from jugum.core.ocr import QuickEngine, open_paper, read_page, reading_picture
from jugum.core.page import Box, Page
from jugum.core.schema import FieldKind, FieldPlan, Plan, ReadingRule, Totals, Where
from jugum.core.structure import Structure, structure_of
from jugum.core.values import DataType, Option
from jugum.demo.identity import identity_paper
from jugum.demo.sheet import Sheet

MONEY, DATE = DataType.MONEY, DataType.DATE
Draw = Callable[[Sheet], None]


def seen(draw: Draw | bytes) -> tuple[list[Page], list[Structure]]:
    """A drawn sheet read as any paper is."""
    if isinstance(draw, bytes):
        pdf = draw
    else:
        sheet = Sheet(A4)
        draw(sheet)
        pdf = sheet.done()
    paper = open_paper(pdf, "paper.pdf")
    pages = [read_page(paper, index, QuickEngine()).page for index in range(paper.page_count)]
    return pages, [structure_of(page, reading_picture(paper, index, page)) for index, page in enumerate(pages)]


def found(draw: Draw | bytes, *fields: FieldPlan) -> dict[str, Finding]:
    pages, structures = seen(draw)
    return read_untrained(Plan(fields), pages, structures)


def texts(finding: Finding) -> list[str | None]:
    return [value.text if value else None for value in finding.values]


def invoice(sheet: Sheet) -> None:
    sheet.text(60, 60, "Harbour Chandlers", 16, bold=True)
    sheet.text(60, 100, "Invoice no: H-20418")
    sheet.text(300, 100, "Issued")
    sheet.text(300, 114, "17.10.2026", 12)
    sheet.text(60, 130, "Goods")
    sheet.text(200, 130, "812,00")
    sheet.text(60, 150, "Carriage")
    sheet.text(200, 150, "45,50")
    sheet.text(60, 170, "Amount payable")
    sheet.text(200, 170, "857,50", bold=True)
    sheet.text(60, 220, "Questions to Aldis Brenna, aldis@chandlers.example, within 14 days.")


def test_values_stand_right_of_below_and_after_their_printed_names() -> None:
    got = found(
        invoice,
        FieldPlan("number", "Number", DataType.IDENTIFIER, ("Invoice no",)),
        FieldPlan("issued", "Issued", DATE),
        FieldPlan("total", "To pay", MONEY, ("Amount payable",)),
        FieldPlan("mail", "Mail", DataType.EMAIL),
        FieldPlan("bonus", "Bonus", MONEY),
    )
    assert {key: texts(one) for key, one in got.items()} == {
        "number": ["H-20418"],
        "issued": ["17.10.2026"],
        "total": ["857,50"],
        "mail": ["aldis@chandlers.example"],
        "bonus": [],
    }
    assert got["total"].values[0].why == "“Amount payable” is before it"  # type: ignore[union-attr]
    assert got["mail"].values[0].engine is EngineName.TYPE  # type: ignore[union-attr]
    assert {other.text for other in got["total"].others} <= {"812,00", "45,50", "14"}


def test_a_question_finds_what_no_printed_name_stands_by() -> None:
    def letter(sheet: Sheet) -> None:
        sheet.text(60, 90, "We have looked at your case and your loan was granted on 12.03.2026 by our board.")
        sheet.text(60, 120, "It is to be paid back until 30.06.2031 at the latest.")

    got = found(letter, FieldPlan("granted", "Day of decision", DATE, question="On which day was the loan granted?"))
    assert texts(got["granted"]) == ["12.03.2026"]
    assert got["granted"].values[0].engine is EngineName.QUESTION  # type: ignore[union-attr]


@pytest.mark.parametrize(
    ("rule", "text"),
    [
        (ReadingRule(pattern=r"no: (H-\d+)"), "H-20418"),
        (ReadingRule(where=Where.RIGHT, words="Carriage"), "45,50"),
        (ReadingRule(where=Where.BELOW, words="Issued"), "17.10.2026"),
        (ReadingRule(where=Where.LEFT, words="857,50"), "Amount payable"),
        (ReadingRule(where=Where.ABOVE, words="45,50"), "812,00"),
        (
            ReadingRule(where=Where.BETWEEN, words="Questions to", until="within"),
            "Aldis Brenna, aldis@chandlers.example,",
        ),
        (ReadingRule(where=Where.RIGHT, words="Cariage"), "45,50"),
    ],
)
def test_rules_work_alone(rule: ReadingRule, text: str) -> None:
    got = found(invoice, FieldPlan("it", "Something never printed", rules=(rule,)))
    assert texts(got["it"]) == [text]
    assert got["it"].values[0].engine is EngineName.RULE  # type: ignore[union-attr]


def test_rules_give_candidates_to_the_ranker_that_data_types_would_not() -> None:
    field = FieldPlan("part", "Part", DataType.TEXT, rules=(ReadingRule(pattern=r"Aldis Brenna, \S+ within 14"),))
    pages, _ = seen(invoice)
    candidates, by_rule = candidates_with_rules(Plan((field,)), pages)
    assert [candidates[index].text for index in by_rule["part"]] == ["Aldis Brenna, aldis@chandlers.example, within 14"]


def test_a_rule_that_other_engines_try_for_ever_finds_nothing_at_once() -> None:
    def long(sheet: Sheet) -> None:
        sheet.text(40, 90, "a" * 70 + "b", 8)

    assert not found(long, FieldPlan("it", "It", rules=(ReadingRule(pattern="^(a|aa)+$"),)))["it"].values


# ---- Marks -----------------------------------------------------------------------------------------------------------


def ticked(sheet: Sheet) -> None:
    for row, (names, chosen) in enumerate(((("rented", "owned", "shared"), 1), (("has a cellar", "has an attic"), 0))):
        sheet.text(50, 100 + 40 * row, ("Dwelling:", "Also")[row], 10, bold=True)
        for place, name in enumerate(names):
            sheet.tick(140 + 120 * place, 91 + 40 * row, 10, place == chosen)
            sheet.text(156 + 120 * place, 100 + 40 * row, name)
    sheet.line(60, 700, 240, 700)
    sheet.signature(80, 698, 100, random.Random(3))
    sheet.text(60, 716, "The tenant")
    sheet.line(320, 700, 500, 700)
    sheet.text(320, 716, "The landlord")


def test_tick_boxes_choices_and_signatures_are_read_by_the_words_beside_them() -> None:
    fields = (
        FieldPlan(
            "dwelling",
            "Dwelling",
            DataType.CHOICE,
            options=(Option("rented"), Option("own", ("owned",)), Option("shared")),
        ),
        FieldPlan("cellar", "Cellar", DataType.TICK, ("has a cellar",)),
        FieldPlan("attic", "Attic", DataType.TICK, ("has an attic",)),
        FieldPlan("tenant", "Signed", DataType.SIGNATURE, ("The tenant",)),
        FieldPlan("landlord", "Signed too", DataType.SIGNATURE, ("The landlord",)),
    )
    assert needs_picture(Plan(fields))
    got = found(ticked, *fields)
    assert {key: texts(one) for key, one in got.items()} == {
        "dwelling": ["own"],
        "cellar": ["yes"],
        "attic": ["no"],
        "tenant": ["yes"],
        "landlord": ["no"],
    }


def question(answers: tuple[bool, bool], words: tuple[str, str] = ("yes", "no"), asked: str = "Heat pump:") -> Draw:
    """A question with two boxes behind it, and another one below."""

    def draw(sheet: Sheet) -> None:
        for row, (text, states) in enumerate(((asked, answers), ("Rented out:", (True, False)))):
            sheet.text(50, 100 + 30 * row, text)
            for place, (word, state) in enumerate(zip(words, states, strict=True)):
                sheet.tick(200 + 80 * place, 91 + 30 * row, 10, state)
                sheet.text(216 + 80 * place, 100 + 30 * row, word)

    return draw


@pytest.mark.parametrize(
    ("answers", "words", "value"),
    [
        ((True, False), ("yes", "no"), ["yes"]),
        ((False, True), ("yes", "no"), ["no"]),
        ((True, False), ("No", "Yes"), ["no"]),
        ((False, True), ("Ja", "Nei"), ["no"]),
        ((False, False), ("yes", "no"), []),
        ((True, True), ("yes", "no"), []),
    ],
)
def test_a_pair_of_boxes_for_yes_and_no_says_which_is_ticked(
    answers: tuple[bool, bool], words: tuple[str, str], value: list[str]
) -> None:
    got = found(question(answers, words), FieldPlan("pump", "Heat pump", DataType.TICK))
    assert texts(got["pump"]) == value


def test_a_box_beside_the_word_no_says_no_when_it_is_ticked() -> None:
    boxes = ticks_of(*seen(question((False, True))))
    assert [(tick.caption, tick.ticked, answer_of(tick)) for tick in boxes[:2]] == [
        ("yes", False, "no"),
        ("no", True, "no"),
    ]


def test_a_choice_may_be_printed_as_text() -> None:
    def letter(sheet: Sheet) -> None:
        sheet.text(60, 90, "Kind of dwelling: terraced house")

    options = (Option("flat"), Option("terraced", ("terraced house",)))
    got = found(letter, FieldPlan("kind", "Kind of dwelling", DataType.CHOICE, options=options))
    assert [value.normal for value in got["kind"].values if value] == ["terraced"]


def test_zones_are_found_with_their_check_digits() -> None:
    got = found(identity_paper(1, random.Random(4)).pdf, FieldPlan("zone", "Zone", DataType.ZONE))
    (zone,) = got["zone"].values
    assert zone is not None
    assert zone.score == 1
    assert zone.why == "TD3, 5 of 5 check digits right"


# ---- Tables ----------------------------------------------------------------------------------------------------------

TABLE = (
    FieldPlan("goods", "Goods", kind=FieldKind.TABLE),
    FieldPlan("goods.item", "Item", inside="goods"),
    FieldPlan("goods.count", "Pieces", DataType.NUMBER, ("Qty",), inside="goods"),
    FieldPlan("goods.sum", "Sum", MONEY, ("Amount",), inside="goods"),
)


def goods(sheet: Sheet, rows: Sequence[tuple[str, str, str]], total: str = "Total", y: float = 120) -> float:
    for x, head in ((60, "Item"), (300, "Qty"), (480, "Amount")):
        (sheet.text if x == 60 else sheet.right)(x, y, head, 10, bold=True)
    for name, count, amount in rows:
        y += 18
        sheet.text(60, y, name)
        sheet.right(300, y, count)
        sheet.right(480, y, amount)
    if total:
        y += 24
        sheet.text(60, y, total, 10, bold=True)
        sheet.right(
            480, y, f"{sum(float(row[2].replace(',', '.')) for row in rows):.2f}".replace(".", ","), 10, bold=True
        )
    return y


ROWS = [("oak plank", "4", "120,00"), ("hinge, brass", "12", "96,00"), ("roof nail", "", "14,50")]


@pytest.mark.parametrize("total", ["Total", "Summe", "What you owe", ""])
def test_rows_end_at_the_totals_whatever_they_are_called(total: str) -> None:
    def draw(sheet: Sheet) -> None:
        y = goods(sheet, ROWS, total)
        sheet.text(60, y + 90, "Goods are fetched at the yard. Thank you for your order 1234.")

    got = found(draw, *TABLE)
    assert texts(got["goods.item"]) == ["oak plank", "hinge, brass", "roof nail"]
    assert texts(got["goods.count"]) == ["4", "12", None]
    assert texts(got["goods.sum"]) == ["120,00", "96,00", "14,50"]


def test_a_line_of_totals_may_be_kept_as_a_row() -> None:
    kept = FieldPlan("goods", "Goods", kind=FieldKind.TABLE, totals=Totals.KEEP)
    got = found(lambda sheet: goods(sheet, ROWS) and None, kept, *TABLE[1:])
    assert texts(got["goods.sum"]) == ["120,00", "96,00", "14,50", "230,50"]


def test_a_table_goes_on_over_pages_with_its_head_again_or_without() -> None:
    def draw(sheet: Sheet) -> None:
        goods(sheet, [(f"thing {n}", "1", f"{n},00") for n in range(10, 45)], total="")
        sheet.new_page()
        goods(sheet, [("last thing", "2", "99,00")], total="", y=60)

    got = found(draw, *TABLE)
    assert len(got["goods.item"].values) == 36
    assert texts(got["goods.item"])[-1] == "last thing"
    assert got["goods.sum"].values[-1].page == 2  # type: ignore[union-attr]


def test_tables_side_by_side_keep_to_their_own_columns() -> None:
    def draw(sheet: Sheet) -> None:
        for x, head in ((50, "Incomes"), (220, "Amount"), (320, "Costs"), (520, "Amount")):
            sheet.text(x, 100, head, 10, bold=True)
        for n in range(3):
            for x, cell in ((50, f"in {n}x"), (220, f"{n}1,00"), (320, f"out {n}x"), (520, f"{n}2,00")):
                sheet.text(x, 120 + 16 * n, cell)

    fields = []
    for key, head in (("incomes", "Incomes"), ("costs", "Costs")):
        fields += [
            FieldPlan(key, head, kind=FieldKind.TABLE),
            FieldPlan(f"{key}.what", "What", printed_names=(head,), inside=key),
            FieldPlan(f"{key}.amount", "Amount", MONEY, inside=key),
        ]
    got = found(draw, *fields)
    assert texts(got["incomes.amount"]) == ["01,00", "11,00", "21,00"]
    assert texts(got["costs.amount"]) == ["02,00", "12,00", "22,00"]
    assert texts(got["costs.what"]) == ["out 0x", "out 1x", "out 2x"]


# ---- Sections --------------------------------------------------------------------------------------------------------


def agreement(sheet: Sheet) -> None:
    sheet.text(60, 80, "LEASE", 18, bold=True)
    y = 120.0
    prose = (
        "Both sides keep to this as to all else that was said between them, and neither may give it up for the other. "
        * 3
    )
    for number, head in enumerate(("Object", "Rent", "Term", "Repairs"), 1):
        if head == "Term":
            sheet.right(540, 810, "Lease 7 · page 1", 8)
            sheet.new_page()
            y = 80
        sheet.text(60, y, f"{number}. {head}", 11, bold=True)
        told = {
            "Rent": "The rent is 8 400,00 crowns a month. ",
            "Term": "The lease begins on 1 May 2026 and ends on 30 April 2029. ",
        }
        y = sheet.paragraph(60, y + 16, 460, told.get(head, "") + prose, 11) + 14
    sheet.right(540, 810, "Lease 7 · page 2", 8)


def test_a_clause_is_the_section_its_names_head_and_values_are_read_inside_it() -> None:
    got = found(
        agreement,
        FieldPlan("term", "Duration", printed_names=("Term",), kind=FieldKind.CLAUSE),
        FieldPlan("ends", "Ends", DATE, ("ends on",), inside="term"),
        FieldPlan(
            "rent",
            "Rent",
            printed_names=("Monthly payment",),
            kind=FieldKind.CLAUSE,
            question="How much rent is to be paid a month?",
        ),
        FieldPlan("sum", "Sum", MONEY, ("The rent is",), inside="rent"),
        FieldPlan("warranty", "Warranty", kind=FieldKind.CLAUSE),
    )
    (term,) = got["term"].values
    assert term is not None
    assert term.text.startswith("3. Term The lease begins on 1 May 2026")
    assert "page 1" not in term.text
    assert "4." not in term.text
    assert texts(got["ends"]) == ["30 April 2029"]
    assert texts(got["sum"]) == ["8 400,00"]
    assert got["warranty"].values == ()


# ---- Proposals -------------------------------------------------------------------------------------------------------


def test_a_sample_proposes_its_pairs_with_their_data_types() -> None:
    pages, structures = seen(invoice)
    made = {proposal.field.name: proposal.field.data_type for proposal in proposals(Plan(()), pages, structures)}
    assert made["Invoice no"] is DataType.IDENTIFIER
    assert made["Issued"] is DATE
    assert made["Amount payable"] is MONEY
    known = Plan((FieldPlan("total", "To pay", MONEY, ("Amount payable",)),))
    assert "Amount payable" not in {proposal.field.name for proposal in proposals(known, pages, structures)}


def test_a_sample_proposes_choices_tick_boxes_and_signatures() -> None:
    pages, structures = seen(ticked)
    made = {proposal.field.name: proposal.field for proposal in proposals(Plan(()), pages, structures)}
    assert [option.printed for option in made["Dwelling"].options] == [("rented",), ("owned",), ("shared",)]
    assert made["Signature the tenant"].data_type is DataType.SIGNATURE


def test_a_sample_proposes_tables_with_typed_columns_and_sections() -> None:
    pages, structures = seen(lambda sheet: goods(sheet, [*ROWS, ("door seal", "3", "31,00")]) and None)
    table = next(proposal for proposal in proposals(Plan(()), pages, structures) if proposal.columns)
    assert [(column.name, column.data_type) for column in table.columns] == [
        ("Item", DataType.TEXT),
        ("Qty", DataType.NUMBER),
        ("Amount", MONEY),
    ]
    assert all(column.key.startswith(f"{table.field.key}.") for column in table.columns)
    pages, structures = seen(agreement)
    made = {proposal.field.name: proposal.field for proposal in proposals(Plan(()), pages, structures)}
    assert made["Term"].kind is FieldKind.CLAUSE
    assert any(field.data_type is DATE for field in made.values())


def test_a_zone_proposes_its_parts() -> None:
    pages, structures = seen(identity_paper(0, random.Random(8)).pdf)
    made = proposals(Plan(()), pages, structures)
    parts = [one.field.name for one in made if one.field.kind is FieldKind.DERIVED]
    assert {"Surname in the zone", "Born in the zone", "Valid until in the zone"} <= set(parts)
    Plan(tuple(one.field for one in made))  # they fit together


def test_a_swept_region_becomes_a_table_whose_columns_can_be_named() -> None:
    pages, _ = seen(lambda sheet: goods(sheet, ROWS) and None)
    whole = table_from_region(pages[0], Box(0.05, 0.12, 0.9, 0.24))
    assert whole is not None
    assert [column.name for column in whole.columns] == ["Item", "Qty", "Amount"]
    headless = table_from_region(pages[0], Box(0.05, 0.15, 0.9, 0.22))
    assert headless is not None
    assert headless.columns[0].name == "Column 1"
    assert table_from_region(pages[0], Box(0.0, 0.9, 1.0, 1.0)) is None


def blank(sheet: Sheet) -> None:
    sheet.line(300, 400, 303, 400, 0.1)


def test_a_blank_page_gives_nothing_and_breaks_nothing() -> None:
    got = found(
        blank,
        *TABLE,
        FieldPlan("a", "A"),
        FieldPlan("s", "S", DataType.SIGNATURE),
        FieldPlan("c", "C", kind=FieldKind.CLAUSE),
    )
    assert all(one.values == () for one in got.values())
    pages, structures = seen(blank)
    assert proposals(Plan(()), pages, structures) == []
