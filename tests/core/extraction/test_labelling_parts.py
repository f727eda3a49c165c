"""What the labelling desk computes: grids of tables, parts of words, paragraphs, values from past records, layouts,
agreement, sets."""

from __future__ import annotations

import random
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.stats import binomtest
from tests.core.extraction.test_learning_parts import page

from jugum.core.classification import LayoutBook, layout_of
from jugum.core.evaluation.agreement import agreement, krippendorff_alpha
from jugum.core.evaluation.compare import ComparisonVerdict, compared, mcnemar_exact
from jugum.core.evaluation.pace import papers_an_hour
from jugum.core.evaluation.splits import Shares, split_papers
from jugum.core.evaluation.teaching import Waiting, teaches_most
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.sections import paragraphs_of, places_of
from jugum.core.extraction.tables.grid import cells_of_grid, propose_grid
from jugum.core.extraction.values.placing import Match, place_value, placed_examples
from jugum.core.extraction.values.same_layout import suggest_from_same_layout
from jugum.core.page import Box, Page, Word, lines_of, part_of
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.states import RecordState
from jugum.core.values import DataType
from jugum.errors import InputError

TABLE = FieldPlan("goods", "Goods", kind=FieldKind.TABLE)
COLUMNS = (
    FieldPlan("goods.what", "What", inside="goods"),
    FieldPlan("goods.count", "Count", DataType.NUMBER, inside="goods"),
    FieldPlan("goods.sum", "Sum", DataType.MONEY, inside="goods"),
)


def goods(*, heads: bool = True) -> Page:
    rows = [(0.1, 0.1, "What"), (0.5, 0.1, "Count"), (0.8, 0.1, "Sum")] if heads else []
    rows += [(0.1, 0.15, "rope"), (0.52, 0.15, "12"), (0.78, 0.15, "40,00")]
    rows += [(0.1, 0.20, "anchor"), (0.52, 0.20, "1"), (0.77, 0.20, "310,00"), (0.1, 0.225, "with chain")]
    rows += [(0.1, 0.29, "paint"), (0.52, 0.29, "3"), (0.78, 0.29, "61,50"), (0.1, 0.5, "Thank you")]
    return page(*rows)


@pytest.mark.parametrize("heads", [True, False])
def test_a_swept_table_is_parted_into_its_columns_and_rows_and_second_lines_join_their_row(heads: bool) -> None:
    shown = goods(heads=heads)
    grid = propose_grid(shown, Box(0.05, 0.08, 0.95, 0.35), COLUMNS)
    assert grid is not None
    assert grid.columns == ("goods.what", "goods.count", "goods.sum")
    texts = [[cell.text if cell else "" for cell in row] for row in cells_of_grid(shown, grid)]
    assert texts == [["rope", "12", "40,00"], ["anchor with chain", "1", "310,00"], ["paint", "3", "61,50"]]


def test_ruled_cells_say_where_columns_part_even_where_cells_are_empty() -> None:
    shown = page((0.1, 0.12, "rope"), (0.75, 0.12, "40,00"), (0.1, 0.22, "oars"), (0.75, 0.22, "9,00"))
    ruled = [Box(x, y, x + w, y + 0.1) for y in (0.1, 0.2) for x, w in ((0.05, 0.3), (0.35, 0.3), (0.65, 0.3))]
    grid = propose_grid(shown, Box(0, 0.05, 1, 0.35), COLUMNS, ruled)
    assert grid is not None
    assert [round(x, 2) for x in grid.rails] == [0.05, 0.35, 0.65, 0.95]
    assert grid.columns[0] == "goods.what"
    assert grid.columns[2] == "goods.sum"


def test_nothing_is_proposed_where_no_words_stand() -> None:
    assert propose_grid(goods(), Box(0.05, 0.7, 0.95, 0.9), COLUMNS) is None


def test_a_part_of_a_word_gets_its_part_of_the_box() -> None:
    word = Word("No.4711", Box(0.1, 0.1, 0.17, 0.12))
    box = part_of([word], "4711")
    assert box is not None
    assert (round(box.x0, 3), round(box.x1, 3)) == (0.13, 0.17)
    assert part_of([word], "No.4711") is None
    assert part_of([word], "9") is None


@given(st.text("abc1", min_size=2, max_size=9), st.data())
def test_a_part_never_reaches_outside_its_word(text: str, data: st.DataObject) -> None:
    start = data.draw(st.integers(0, len(text) - 1))
    end = data.draw(st.integers(start + 1, len(text)))
    box = part_of([Word(text, Box(0.2, 0.1, 0.6, 0.2))], text[start:end])
    assert box is None or (0.2 - 1e-9 <= box.x0 < box.x1 <= 0.6 + 1e-9)


def test_words_of_several_lines_come_line_by_line() -> None:
    shown = page((0.1, 0.1, "12 Quay Street"), (0.1, 0.14, "Tarnby"))
    assert [" ".join(word.text for word in line) for line in lines_of(shown.words)] == ["12 Quay Street", "Tarnby"]


def prose(number: int, *lines: str) -> Page:
    return page(*((0.05, 0.1 + 0.03 * at, line) for at, line in enumerate(lines) if line), number=number)


def test_a_paragraph_goes_on_over_a_page_break_and_white_ends_it() -> None:
    first = prose(1, "the builder begins in", "spring and ends it.", "", "", "the owner pays when the")
    second = prose(2, "work is done and seen.", "", "", "both sign here.")
    found = paragraphs_of([first, second])
    assert [one.text for one in found] == [
        "the builder begins in spring and ends it.",
        "the owner pays when the work is done and seen.",
        "both sign here.",
    ]
    assert [number for number, _ in places_of(found[1].lines)] == [1, 2]


PLAN = Plan(
    (
        FieldPlan("fee", "Fee", DataType.MONEY, ("Total",)),
        FieldPlan("guest", "Guest", DataType.NAME, ("Guest of the house",)),
        FieldPlan("number", "Number", DataType.IDENTIFIER, ("Card",)),
    )
)


def bill(fee: str = "50,00", deposit: str = "12,00", guest: str = "Oddny Strand", card: str = "NH20418") -> Page:
    return page(
        (0.05, 0.1, "Guest of the house"),
        (0.6, 0.1, guest),
        (0.05, 0.2, "Deposit"),
        (0.6, 0.2, deposit),
        (0.05, 0.3, "Total"),
        (0.6, 0.3, fee),
        (0.05, 0.4, "Card"),
        (0.6, 0.4, card),
    )


def test_keyed_values_say_how_they_matched() -> None:
    placed = place_value(PLAN, [bill()], {"fee": "50,00", "guest": "Odny Strand", "number": "NH-20418"})
    assert {key: one.match for key, one in placed.items()} == {
        "fee": Match.EXACT,
        "guest": Match.FUZZY,
        "number": Match.NORMAL,
    }
    assert all(one.state is RecordState.FOUND for one in placed.values())
    assert place_value(PLAN, [bill()], {"fee": "77,00"})["fee"].state is RecordState.NOT_FOUND


def test_a_value_in_two_places_is_settled_by_papers_placed_before() -> None:
    plain = Plan((FieldPlan("fee", "Charge", DataType.MONEY),))  # no printed name helps
    clear = place_value(plain, [bill()], {"fee": "50,00"})
    unclear = place_value(plain, [bill("9,00", "9,00")], {"fee": "9,00"})
    assert unclear["fee"].state is RecordState.AMBIGUOUS
    assert len(unclear["fee"].places) == 2
    taught = place_value(plain, [bill("9,00", "9,00")], {"fee": "9,00"}, placed_examples(plain, 0, clear))
    assert taught["fee"].state is RecordState.FOUND
    assert taught["fee"].candidate is not None
    assert 0.29 < taught["fee"].candidate.box.y0 < 0.31


def test_a_place_clearly_held_by_one_value_is_not_taken_for_another() -> None:
    plan = Plan((FieldPlan("fee", "Total", DataType.MONEY), FieldPlan("before", "Charge", DataType.MONEY)))
    placed = place_value(plan, [bill("9,00", "9,00")], {"fee": "9,00", "before": "9,00"})
    assert placed["fee"].candidate is not None
    assert placed["before"].candidate is not None
    assert placed["fee"].candidate.span != placed["before"].candidate.span


def test_one_labelled_paper_shows_where_values_stand_on_its_same_layout() -> None:
    first, second = bill("50,00", "12,00"), bill("71,20", "3,00", "Tor Vik", "NH99")
    place = next(word.box for word in first.words if word.text == "50,00")
    sample = Sample("1", (first,), {"fee": (SampleLabel("50,00", "50.00", 1, place),)})
    plan = Plan((replace(PLAN.fields[0], printed_names=(), name="Charge"),))
    (decision,) = suggest_from_same_layout(plan, [sample], [second])
    assert decision.chosen[0].candidate.text == "71,20"


def test_a_paper_joins_the_layout_it_is_like_and_none_that_it_is_not() -> None:
    mine, other = layout_of([bill()]), layout_of([prose(1, "quite another paper altogether", "with other words")])
    assert LayoutBook([other, layout_of([bill("1,00")]), mine]).joined([1, 2, None]) == [1, 2, 2]
    assert LayoutBook([other, mine]).joined([1, None]) == [1, None]
    assert LayoutBook([mine]).joined([None]) == [None]


def test_agreement_is_corrected_for_chance_as_published() -> None:
    """Krippendorff (2011), section A: two observers, ten units, alpha 0.095."""
    meg, owen = "0100000010", "1110010000"
    assert krippendorff_alpha(list(zip(meg, owen, strict=True))) == pytest.approx(0.095, abs=0.0005)
    assert krippendorff_alpha([("a", "a"), ("b", "b")]) == 1
    assert krippendorff_alpha([("a", "a"), ("a", "a")]) is None
    found = agreement([("1", "1"), ("2", "3")])
    assert (found.papers, found.same) == (2, 1)


@given(st.lists(st.integers(0, 5), min_size=1, max_size=60), st.booleans(), st.integers(0, 9))
def test_sets_keep_layouts_whole_when_asked_and_the_same_seed_deals_the_same(
    layouts: list[int], apart: bool, seed: int
) -> None:
    shares = Shares(0.3, 0.1)
    dealt = split_papers(layouts, shares, apart=apart, seed=seed)
    assert dealt == split_papers(layouts, shares, apart=apart, seed=seed)
    assert "train" in dealt
    if apart:
        assert all(
            len({name for layout, name in zip(layouts, dealt, strict=True) if layout == figures}) == 1
            for figures in layouts
        )


def test_in_proportion_each_layout_gives_about_its_share() -> None:
    layouts = [0] * 20 + [1] * 10
    dealt = split_papers(layouts, Shares(0.2), apart=False, seed=3)
    tested = [sum(d == "test" for d, layout in zip(dealt, layouts, strict=True) if layout == one) for one in (0, 1)]
    assert tested == [4, 2]
    with pytest.raises(InputError, match="leave papers for training"):
        Shares(0.7, 0.4)


def test_the_paper_that_teaches_most_is_of_a_layout_nobody_labelled_then_of_a_short_field_then_the_least_sure() -> None:
    waiting = [Waiting(1, 7, 0.9), Waiting(2, 8, 0.5, "Tax", ("Bonus",)), Waiting(3, 9, 0.4, "Tax"), Waiting(4, 9, 0.8)]
    names = {7: "blue form", 9: "letter"}
    assert teaches_most(waiting, {7: 5, 8: 4}, {}, names).paper == 3
    assert "no paper of letter is labelled; 1 more waits" in teaches_most(waiting, {7: 5, 8: 4}, {}, names).why
    enough = {7: 5, 8: 4, 9: 3}
    assert teaches_most(waiting, enough, {"Bonus": 2}, names).paper == 2
    assert teaches_most(waiting, enough, {"Bonus": 9}, names).paper == 3
    with pytest.raises(ValueError, match="no paper"):
        teaches_most([], {}, {}, {})


def test_papers_an_hour_leave_pauses_out() -> None:
    acts = [(1, 0.0, False), (1, 30.0, False), (1, 60.0, True), (1, 5000.0, False), (1, 5060.0, True)]
    pace = papers_an_hour(acts)
    assert (pace.papers, round(pace.hours * 3600)) == (2, 120)
    assert pace.an_hour == pytest.approx(60)
    assert papers_an_hour([(1, 0.0, False), (1, 3.0, True)]).an_hour is None
    random.Random(1).shuffle(acts)
    assert papers_an_hour(acts) == pace


@given(st.integers(0, 30), st.integers(0, 30))
def test_mcnemar_s_exact_test_is_scipy_s_binomial_test(gained: int, lost: int) -> None:
    expected = binomtest(min(gained, lost), gained + lost, 0.5).pvalue if gained + lost else 1.0
    assert mcnemar_exact(gained, lost) == pytest.approx(min(1.0, expected))
    assert mcnemar_exact(gained, lost) == mcnemar_exact(lost, gained)


def evidence(rights: str, *, expected: str = "1") -> list[dict[str, object]]:
    return [
        {"sample": str(n), "field": "fee", "right": right == "1", "unseen": False, "found": right, "expected": expected}
        for n, right in enumerate(rights)
    ]


def test_a_version_is_called_better_only_on_evidence() -> None:
    slight = compared(evidence("0011111"), evidence("1111111"))
    assert (slight.gained, slight.lost, slight.verdict) == (2, 0, ComparisonVerdict.OPEN)
    clear = compared(evidence("0" * 9 + "1" * 20), evidence("1" * 29))
    assert clear.verdict is ComparisonVerdict.BETTER
    assert compared(evidence("1" * 29), evidence("0" * 9 + "1" * 20)).verdict is ComparisonVerdict.WORSE
    assert compared(evidence("11"), evidence("00", expected="2")).common == 0  # the labels were changed in between
