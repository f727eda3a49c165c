"""The parts that learning stands on: likeness of texts and layouts, surroundings, features, the ranker."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from rapidfuzz import fuzz

from jugum.core.classification import Layout, layout_of, layout_similarity
from jugum.core.classification.layout_book import grouped
from jugum.core.extraction.candidates.around import CHANNELS, plain_text
from jugum.core.extraction.candidates.generate import Candidate, candidates_of
from jugum.core.extraction.candidates.meanings import nearness, shipped_meanings
from jugum.core.extraction.candidates.synonyms import DISCOUNT, groups_from, meant_names, shipped_groups
from jugum.core.extraction.candidates.text_similarity import likeness
from jugum.core.extraction.values.corpus import spread
from jugum.core.extraction.values.examples import example_of
from jugum.core.extraction.values.features import COLUMN, FEATURES, PaperFeatures
from jugum.core.extraction.values.prior import share_of_prior, shipped_prior
from jugum.core.extraction.values.ranker import LOGIT_MAX, Ranker, _levelled
from jugum.core.extraction.values.similarities import Examples
from jugum.core.extraction.values.value_model import (
    LETTER_PLACES,
    counts_of,
    letters_of,
    pieces_of,
    telling_log_odds,
    value_log_odds,
)
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType
from jugum.errors import NothingToLearn

texts = st.lists(st.text("abc 0", max_size=8), max_size=6)
layouts = st.lists(
    st.tuples(st.sampled_from(["gross", "net", "tax", "name"]), st.floats(0, 1), st.floats(0, 1)), max_size=10
).map(lambda rows: Layout.from_data([list(row) for row in rows]))


def page(*rows: tuple[float, float, str], number: int = 1) -> Page:
    """A square page with words of 0.02 a letter, placed by (x, y, text); several words in a text run on."""
    words = []
    for x, y, text in rows:
        for word in text.split():
            words.append(Word(word, Box(x, y, x + 0.02 * len(word), y + 0.02)))
            x += 0.02 * len(word) + 0.01
    return Page(number, 600, 600, reading_order(words))


@given(texts, texts)
def test_likeness_is_the_pairwise_ratio_and_empty_texts_are_like_nothing(rows: list[str], columns: list[str]) -> None:
    table = likeness(rows, columns)
    assert table.shape == (len(rows), len(columns))
    for place, row in enumerate(rows):
        for other, column in enumerate(columns):
            expected = fuzz.ratio(row, column) / 100 if row and column else 0
            assert table[place, other] == pytest.approx(expected, abs=0.006)


def test_likeness_by_words_lets_one_side_say_more() -> None:
    assert likeness(["name of employee"], ["employee name"], by_tokens=True)[0, 0] > 0.9
    assert likeness(["net pay this month"], ["net pay"], by_tokens=True)[0, 0] == 1


@given(layouts, layouts)
def test_layout_similarity_is_a_symmetric_share(a: Layout, b: Layout) -> None:
    assert 0 <= layout_similarity(a, b) <= 1 + 1e-9
    assert layout_similarity(a, b) == pytest.approx(layout_similarity(b, a), abs=1e-6)


@given(st.floats(-0.05, 0.05), st.floats(-0.05, 0.05))
def test_a_scan_shifted_on_the_glass_is_the_same_layout(dx: float, dy: float) -> None:
    rows = [["gross", 0.2, 0.3], ["net", 0.2, 0.5], ["tax", 0.7, 0.4], ["hours", 0.6, 0.8]]
    moved = [[text, x + dx, y + dy] for text, x, y in rows]  # type: ignore[operator]
    assert layout_similarity(Layout.from_data(rows), Layout.from_data(moved)) == pytest.approx(1, abs=1e-6)


def test_values_don_t_make_a_layout_and_data_comes_back() -> None:
    layout = layout_of([page((0.1, 0.1, "Gross pay"), (0.5, 0.1, "1.234,50 B2B a1"))])
    assert layout.texts == ("gross", "pay")
    back = Layout.from_data(layout.to_data())
    assert back.texts == layout.texts
    assert back.places == pytest.approx(layout.places, abs=1e-4)


@given(st.permutations(range(6)))
def test_groups_don_t_depend_on_the_order_of_papers(order: list[int]) -> None:
    log_odds = np.full((6, 6), -3.0) + np.kron(np.eye(2), np.full((3, 3), 4.0)) + np.eye(6)
    shuffled = grouped(log_odds[np.ix_(order, order)])
    same = {(order[i] // 3 == order[j] // 3) == (shuffled[i] == shuffled[j]) for i in range(6) for j in range(6)}
    assert same == {True}


@pytest.mark.parametrize(
    ("text", "plain"), [("Net pay (kr) 12.50:", "net pay kr 0 0"), ("  A_b—C ", "a b c"), ("№ 7", "0"), ("", "")]
)
def test_surroundings_are_compared_without_case_digits_and_marks(text: str, plain: str) -> None:
    assert plain_text(text) == plain


def surroundings(found: list[Candidate], text: str) -> dict[str, str]:
    candidate = next(c for c in found if c.text == text)
    return dict(zip(CHANNELS, candidate.contexts, strict=True))


def test_a_cell_knows_its_row_and_its_column_over_other_numbers() -> None:
    table = page(
        (0.4, 0.1, "This period"),
        (0.75, 0.1, "Year to date"),
        (0.05, 0.2, "Basic"),
        (0.45, 0.2, "100,00"),
        (0.78, 0.2, "900,00"),
        (0.05, 0.3, "Net pay"),
        (0.46, 0.3, "80,00"),
        (0.79, 0.3, "720,00"),
    )
    around = surroundings(candidates_of([table], {DataType.MONEY}), "720,00")
    assert around["row_head"] == "net pay"
    assert around["column_head"] == "year to date"
    assert around["above"] == "0 0"
    assert around["left"] == "0 0"


def test_a_value_behind_a_colon_knows_the_words_before_it() -> None:
    line = page((0.1, 0.2, "Pay date: 03.04.2026 by bank"))
    around = surroundings(candidates_of([line], {DataType.DATE}), "03.04.2026")
    assert around["left"] == "pay date"
    assert around["next"] == "by bank"


def test_spelled_dates_and_torn_amounts_are_candidates() -> None:
    found = candidates_of(
        [page((0.05, 0.2, "4 March 2026"), (0.5, 0.2, "kr 12 345,-"))], {DataType.DATE, DataType.MONEY}
    )
    assert {(c.text, c.normal) for c in found if c.widest} >= {
        ("4 March 2026", "2026-03-04"),
        ("kr 12 345,-", "12345.00"),
    }


PLAN = Plan((FieldPlan("net", "Net pay", DataType.MONEY), FieldPlan("tax", "Tax", DataType.MONEY)))


def view_of(paper: Page, examples: bool) -> tuple[PaperFeatures, list[Candidate]]:
    found = candidates_of([paper], {DataType.MONEY})
    known = [example_of(0, "net", found[0])] if examples else []
    return PaperFeatures(PLAN, found, Examples.of(known), np.ones(1), [frozenset({"other"})]), found


def test_features_stand_in_their_order_and_name_the_printed_name() -> None:
    paper = page((0.1, 0.2, "Net pay"), (0.5, 0.2, "80,00"), (0.1, 0.3, "Tax"), (0.5, 0.3, "20,00"))
    view, found = view_of(paper, examples=False)
    chosen, rows = view.features(PLAN.fields[0], np.array([True]))
    assert rows.shape == (len(chosen), len(FEATURES))
    assert np.isfinite(rows).all()
    best = rows[:, FEATURES.index("name_best")]
    assert found[int(chosen[best.argmax()])].text == "80,00"
    assert rows[best.argmax(), FEATURES.index("name_lead")] > 0.3


def test_values_have_as_many_lines_as_labelled_ones() -> None:
    """A zone of two lines is not its first line; how many lines a value takes in prose is chance."""
    made = page((0.1, 0.1, "Zone"), (0.1, 0.2, "AB12CD34"), (0.1, 0.225, "EF56GH78"))
    found = candidates_of([made], [DataType.TEXT])
    one, two = (
        next(place for place, c in enumerate(found) if c.text == text) for text in ("AB12CD34", "AB12CD34 EF56GH78")
    )
    plan = Plan((FieldPlan("zone", "Zone", DataType.TEXT),))
    known = Examples.of(
        [example_of(paper, "zone", found[two]) for paper in range(3)] + [example_of(3, "zone", found[one])]
    )
    view = PaperFeatures(plan, found, known, np.ones(4), [frozenset()] * 4)
    chosen, rows = view.features(plan.fields[0], np.ones(4, dtype=bool))
    alike = dict(zip(chosen.tolist(), rows[:, COLUMN["lines_like"]].tolist(), strict=True))
    assert alike[two] == pytest.approx(0.75)
    assert alike[one] == pytest.approx(0.25)
    _, untaught = view.features(plan.fields[0], np.zeros(4, dtype=bool))
    assert set(untaught[:, COLUMN["lines_like"]].tolist()) == {0.5}
    assert replace(found[two], prose=True).stacked == 1


def test_examples_count_only_when_their_paper_is_known() -> None:
    paper = page((0.1, 0.2, "Sum"), (0.5, 0.2, "80,00"))
    view, _ = view_of(paper, examples=True)
    joint = FEATURES.index("example_joint")
    assert view.features(PLAN.fields[0], np.array([True]))[1][:, joint].max() > 0.8
    assert view.features(PLAN.fields[0], np.array([False]))[1][:, joint].max() == 0
    assert view.features(PLAN.fields[1], np.array([True]))[1][:, joint].max() == 0  # the other field has no example


@settings(deadline=None, max_examples=5)
@given(st.integers(0, 10))
def test_a_ranker_learns_what_can_be_learned_and_is_repeatable(seed: int) -> None:
    rng = np.random.default_rng(seed)
    rows = rng.normal(size=(300, 6)).astype(np.float32)
    right = rows[:, 0] + 0.5 * rows[:, 1] > 0.3
    weights, asked = np.ones(300, dtype=np.float32), np.arange(300) // 10
    first, second = (Ranker(seed=1).fit(rows, right, weights, asked) for _ in range(2))
    assert (first.logits(rows) == second.logits(rows)).all()
    assert ((first.logits(rows) > 0) == right).mean() > 0.95
    assert np.abs(first.logits(rows * 1000)).max() <= LOGIT_MAX
    back = Ranker.from_data(*first.to_data())
    assert back.logits(rows) == pytest.approx(first.logits(rows), abs=1e-6)


def test_a_ranker_never_extrapolates_from_what_no_row_has_shown() -> None:
    rng = np.random.default_rng(2)
    rows = rng.normal(size=(200, 4)).astype(np.float32)
    rows[:, 3] = 0.2 + 0.001 * rng.normal(size=200)  # the likeness of layouts that are all strange
    right = rows[:, 0] > 0.5
    ranker = Ranker().fit(rows, right, np.ones(200, dtype=np.float32), np.arange(200) // 5)
    familiar = rows.copy()
    familiar[:, 3] = 0.95
    assert np.abs(ranker.logits(familiar) - ranker.logits(rows)).max() < 1.0


def test_a_ranker_refuses_one_sided_rows() -> None:
    rows = np.zeros((4, 2), dtype=np.float32)
    with pytest.raises(NothingToLearn, match="every candidate"):
        Ranker().fit(rows, np.ones(4, dtype=bool), np.ones(4, dtype=np.float32), np.zeros(4, dtype=np.intp))
    assert len(Ranker().logits(rows[:0])) == 0


def test_synonyms_come_in_at_a_discount_and_never_where_another_field_has_the_name() -> None:
    plan = Plan((FieldPlan("net", "Net pay", DataType.MONEY), FieldPlan("out", "To be paid out", DataType.MONEY)))
    meant = meant_names(plan)
    assert ("net pay", 1.0) in meant["net"]
    assert ("take home", DISCOUNT) not in meant["net"]  # both fields would get it
    alone = dict(meant_names(Plan((plan.fields[0],)))["net"])
    assert alone["take home pay"] == DISCOUNT
    assert alone["to be paid out"] == DISCOUNT


def test_an_office_adds_groups_of_names_of_its_own() -> None:
    groups = groups_from(["Net pay = Paid into your account", "lonely", ""])
    plan = Plan((FieldPlan("net", "Net pay", DataType.MONEY),))
    assert dict(meant_names(plan, groups)["net"]) == {"net pay": 1.0, "paid into your account": DISCOUNT}


def test_the_shipped_groups_hold_no_name_twice_in_one_and_each_at_least_two() -> None:
    assert all(len(group) > 1 for group in shipped_groups())


def test_the_shipped_prior_fits_the_features_and_speaks_less_the_more_papers_there_are() -> None:
    prior = shipped_prior()
    rows = np.zeros((3, len(FEATURES)), dtype=np.float32)
    assert prior.logits(rows).shape == (3,)
    assert len(prior.logits(rows[:0])) == 0
    assert share_of_prior(2) == pytest.approx(0.5)
    assert share_of_prior(25) < 0.03


@given(st.integers(0, 1000), st.integers(0, 1000))
def test_the_share_of_the_prior_never_rises_with_papers(a: int, b: int) -> None:
    assert share_of_prior(min(a, b)) >= share_of_prior(max(a, b))
    assert 0 < share_of_prior(a) <= 1


def test_the_level_of_a_ranker_is_that_of_decisions_not_of_rows() -> None:
    """Two right answers among many wrong rows: rows are seldom right, decisions mostly."""
    logits = np.array([-1.0, -7, -8, -7.5, -1.2, -6.8, -9, -7])
    right = np.array([True, False, False, False, True, False, False, False])
    slope, level = _levelled(logits, right, np.array([0, 0, 0, 0, 1, 1, 1, 1]))
    assert slope > 0
    assert slope * -1.0 + level > 0.5 > -0.5 > slope * -6.8 + level


def test_a_value_like_the_field_s_past_values_is_told_from_others() -> None:
    past = pieces_of(["AA-999 999", "AA-999 999", "A-999 999"])
    asked = pieces_of(["AA-999 999", "99.99.9999", "Aaaa Aaaa"])
    others = pieces_of(["99.99.9999", "Aaaa Aaaa", "Aaaa", "AA-999 999"])
    odds = value_log_odds(asked, past, counts_of(others), len(others))
    assert odds.argmax() == 0
    assert odds[0] > 0 > odds[1]
    assert not value_log_odds(asked, past[:0], counts_of(others), len(others)).any()


def test_words_and_letters_tell_firms_from_people() -> None:
    firms = letters_of(["tarn dairy ltd", "selby pumps ltd", "orla motors plc"])
    people = letters_of(["ella tarvik", "nora selvik", "otto marvik"])
    asked = letters_of(["mosby mills ltd", "runa holvik", "12"])
    other_way = telling_log_odds(asked, people, firms, LETTER_PLACES, strongest=3)
    for said, turned in zip(telling_log_odds(asked, firms, people, LETTER_PLACES, strongest=3), other_way, strict=True):
        firm, person, neither = said
        assert firm > 0.1 > 0 >= neither == 0
        assert person < firm
        assert turned[1] > 0.1
    for mine, rest in ((firms, people[:0]), (firms[:0], people)):
        assert not any(said.any() for said in telling_log_odds(asked, mine, rest, LETTER_PLACES, strongest=3))


def test_what_parts_a_field_s_values_from_others_speaks_only_of_papers_that_are_known() -> None:
    made = page(
        (0.1, 0.1, "Tarn Dairy Ltd"),
        (0.1, 0.2, "Ella Tarvik"),
        (0.1, 0.3, "Selby Pumps Ltd"),
        (0.1, 0.4, "Nora Selvik"),
    )
    found = candidates_of([made], [DataType.TEXT])
    plan = Plan((FieldPlan("firm", "Supplier"), FieldPlan("person", "Inspector")))
    at = {one.text: place for place, one in enumerate(found)}
    known = [
        example_of(0, "firm", found[at["Tarn Dairy Ltd"]]),
        example_of(0, "person", found[at["Ella Tarvik"]]),
        example_of(1, "person", found[at["Selby Pumps Ltd"]]),  # a slip of another paper
    ]
    view = PaperFeatures(plan, found, Examples.of(known), np.ones(2), [frozenset()] * 2)
    chosen, rows = view.features(plan.field("firm"), np.array([True, False]))
    told = {found[int(n)].text: row for n, row in zip(chosen, rows, strict=True)}
    for name in ("telling", "telling_best", "letters_lead"):
        assert told["Selby Pumps Ltd"][COLUMN[name]] > told["Nora Selvik"][COLUMN[name]]
    slipped = dict(zip(chosen.tolist(), view.features(plan.field("firm"), np.ones(2, dtype=bool))[1], strict=True))
    place = at["Selby Pumps Ltd"]
    assert slipped[place][COLUMN["telling"]] < told["Selby Pumps Ltd"][COLUMN["telling"]]
    _, untaught = view.features(plan.field("firm"), np.zeros(2, dtype=bool))
    for name in ("telling", "telling_best", "letters_odds", "letters_lead", "sense_like", "sense_lead", "value_lead"):
        assert not untaught[:, COLUMN[name]].any()


def test_phrases_near_in_meaning_are_nearer_than_others() -> None:
    table = nearness(["wage tax", "take home pay", "staff"], ["income tax", "net pay", "employee"])
    assert table.argmax(axis=1).tolist() == [0, 1, 2]
    assert nearness(["\u2591\u2592"], ["net pay"]).item() == 0
    assert nearness([], ["x"]).shape == (0, 1)
    assert len(shipped_meanings().pieces) == len(shipped_meanings().vectors)


def test_spread_takes_evenly_from_all_groups_and_the_later_papers_of_each() -> None:
    groups = np.array([0] * 8 + [1] * 2 + [2])
    chosen = spread(groups, 5)
    assert [int(groups[n]) for n in chosen].count(0) == 2
    assert {int(groups[n]) for n in chosen} == {0, 1, 2}
    assert 7 in chosen
    assert spread(groups, 50) == list(range(11))


def test_with_nothing_labelled_the_prior_finds_values_by_their_printed_names() -> None:
    """A label and its value side by side, and a rival with another label: the names alone tell."""
    lines = (("Carriage", "45,50"), ("Amount payable", "857,50"), ("Goods", "812,00"))
    shown = page(
        *((x, 0.1 * n, said) for n, line in enumerate(lines, 1) for x, said in zip((0.05, 0.5), line, strict=True))
    )
    plan = Plan(
        (FieldPlan("total", "Amount payable", DataType.MONEY), FieldPlan("freight", "Carriage", DataType.MONEY))
    )
    found = candidates_of([shown], {field.value_type for field in plan.fields})
    view = PaperFeatures(plan, found, Examples.of([]), np.zeros(0), [])
    for field, text in zip(plan.fields, ("857,50", "45,50"), strict=True):
        chosen, rows = view.features(field, np.zeros(0, dtype=bool))
        assert found[int(chosen[int(shipped_prior().logits(rows).argmax())])].text == text
