"""Choosing for all fields of a paper together, and the tables of likeness that choices rest on: laws they must keep."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from rapidfuzz import fuzz
from tests.core.extraction.printed import printed

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import candidates_of
from jugum.core.extraction.candidates.meanings import distinct_nearness, nearness
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.candidates.text_similarity import Texts, distinct_likeness, likeness
from jugum.core.extraction.values.assignment import Choice, Decision, absence_logit, decide, shares_words
from jugum.core.extraction.values.offered import with_plausible_others
from jugum.core.extraction.values.relations import (
    APART_LEAST,
    APART_MOST,
    PAPERS_LEAST,
    SUM_PAPERS,
    Distance,
    Relations,
    Sum,
    distance,
    learned_relations,
    optimise_jointly,
)
from jugum.core.page import Box, Page, Word, laid_out, reading_order, rows_of, segments_of
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType

FIELDS = ("born", "issued", "expires")
PLAN = Plan(tuple(FieldPlan(key, key.title(), DataType.DATE) for key in FIELDS))
TEXTS = ("01.02.1980", "03.04.2020", "05.06.2030", "07.08.1999")
FLOOR = absence_logit(1.0)
logits = st.floats(-6, 6, allow_nan=False)
tables = st.lists(
    st.lists(logits, min_size=len(TEXTS), max_size=len(TEXTS)), min_size=len(FIELDS), max_size=len(FIELDS)
)


def test_printed_names_and_what_is_far_less_likely_are_no_other_candidates() -> None:
    texts = ("Runa Selvik", "Member", "Net Pay", "Tove Marn", "Odd Brekke", "Ness", "Tarnby Quay")
    words = [
        Word(part, Box(0.1 + 0.011 * at, 0.1 * n, 0.1 + 0.011 * (at + len(part)), 0.1 * n + 0.015), 1.0)
        for n, text in enumerate(texts, 1)
        for part, at in [(part, text.index(part)) for part in text.split()]
    ]
    found = {one.text: one for one in candidates_of([Page(1, 595, 842, reading_order(words))], {DataType.TEXT})}
    plan = Plan((FieldPlan("who", "Name of payer", printed_names=("Member",)), FieldPlan("place", "Place")))
    scored = [Choice(found[text], 4.0 - n) for n, text in enumerate(texts[:4])]
    scored += [Choice(found["Odd Brekke"], 1.0 - 4.9), Choice(found["Ness"], 1.0 - 5.1)]
    both = {"who": scored, "place": [Choice(found["Tarnby Quay"], 3.0), Choice(found["Tove Marn"], 0.0)]}
    both["who"].insert(3, Choice(found["Quay"], 1.5))  # a piece of what the other field takes
    who, place = with_plausible_others(plan, decide(plan, both, 1.0))
    assert [choice.candidate.text for choice in who.chosen] == ["Runa Selvik"]
    assert [choice.candidate.text for choice in who.others] == ["Tove Marn", "Odd Brekke"]
    assert [choice.candidate.text for choice in place.others] == ["Tove Marn"]


def test_parts_of_printed_names_and_odd_words_of_the_value_are_no_other_candidates() -> None:
    texts = ("Paid to:", "Runa Selvik", "Sent with", "Odd Brekke", "Old Quay Haulage Works", "Tove Marn")
    rows = [(0.1, 0.1), (0.3, 0.1), (0.1, 0.125), (0.3, 0.125), (0.1, 0.2), (0.1, 0.3)]
    words = [
        Word(part, Box(x + 0.011 * at, y, x + 0.011 * (at + len(part)), y + 0.015), 1.0)
        for text, (x, y) in zip(texts, rows, strict=True)
        for part, at in [(part, text.index(part)) for part in text.split()]
    ]
    found = {one.text: one for one in candidates_of([Page(1, 595, 842, reading_order(words))], {DataType.TEXT})}
    plan = Plan(
        (FieldPlan("who", "Payee", printed_names=("Paid to",)), FieldPlan("via", "By"), FieldPlan("firm", "Firm"))
    )
    assert found["Sent with"].contexts[CHANNELS.index("above")] == "paid to", "a name above a name is no heading"
    firm = (
        "Old Quay Haulage Works",
        "Old Quay Haulage",
        "Quay",
        "Haulage Works",
        "Paid",
        "Paid to:",
        "Sent with",
        "Tove Marn",
    )
    both = {
        "via": [Choice(found["Odd Brekke"], 4.0)],
        "who": [Choice(found["Runa Selvik"], 4.0)],
        "firm": [Choice(found[text], 3.0 - 0.5 * n) for n, text in enumerate(firm)],
    }
    decided = with_plausible_others(plan, decide(plan, both, 1.0))[-1]
    assert [choice.candidate.text for choice in decided.chosen] == ["Old Quay Haulage Works"]
    assert [choice.candidate.text for choice in decided.others] == ["Old Quay Haulage", "Tove Marn"]


DAYS = printed(DataType.DATE, *TEXTS)
ORDERS = Relations(
    (("born", "issued", 20), ("issued", "expires", 20)), missing={"born": 0.05, "issued": 0.4, "expires": 0.05}
)


def greedy(table: list[list[float]]) -> list[Decision]:
    scored = {
        key: sorted((Choice(day, logit) for day, logit in zip(DAYS, row, strict=True)), key=lambda one: -one.logit)
        for key, row in zip(FIELDS, table, strict=True)
    }
    return decide(PLAN, scored, 1.0)


def worth(decisions: list[Decision], relations: Relations) -> float:
    """The sum that is to be greatest, counted plainly."""
    total = sum(
        decision.logit if decision.chosen else relations.absence_threshold(decision.field, FLOOR)
        for decision in decisions
    )
    day = {decision.field: decision.chosen[0].candidate.normal for decision in decisions if decision.chosen}
    for first, second, papers in relations.orders:
        if first in day and second in day and day[first] > day[second]:
            total -= np.log(papers + 1)
    return total


@given(tables)
def test_choosing_together_never_makes_the_whole_worse_and_gives_no_word_twice(table: list[list[float]]) -> None:
    before = greedy(table)
    after = optimise_jointly(before, ORDERS, FLOOR)
    assert [one.field for one in after] == [one.field for one in before]
    assert worth(after, ORDERS) >= worth(before, ORDERS) - 1e-9
    chosen = [one.chosen[0].candidate for one in after if one.chosen]
    assert not any(shares_words(a, b) for a, b in combinations(chosen, 2))


@given(tables)
def test_what_was_chosen_together_stays_when_asked_again(table: list[list[float]]) -> None:
    once = optimise_jointly(greedy(table), ORDERS, FLOOR)
    assert optimise_jointly(once, ORDERS, FLOOR) == once


@given(tables)
def test_a_decision_keeps_what_it_might_have_been(table: list[list[float]]) -> None:
    """No candidate gets lost when words change hands: they are the choices a reviewer is offered."""
    for before, after in zip(greedy(table), optimise_jointly(greedy(table), ORDERS, FLOOR), strict=True):
        known = [{other.candidate.text for other in (*its.chosen, *its.others)} for its in (before, after)]
        assert known[0] == known[1]
        assert after.logit == (after.chosen[0].logit if after.chosen else max(other.logit for other in after.others))


def test_papers_that_lack_a_field_often_make_no_value_cheaper() -> None:
    for share in (0.5, 0.7, 0.95):
        assert Relations(missing={"issued": share}).absence_threshold("issued", FLOOR) <= FLOOR
    rare, never = Relations(missing={"issued": 0.1}), Relations(missing={"issued": 0.02})
    assert never.absence_threshold("issued", FLOOR) < rare.absence_threshold("issued", FLOOR) < FLOOR
    assert never.absence_threshold("issued", FLOOR) == pytest.approx(np.log(0.02 / 0.98))
    # what papers of the layout lack goes before what papers at large do, and asks for no more than the floor
    for lacking, threshold in ((-3.0, -3.0), (2.0, FLOOR)):
        assert replace(never, lacking={"issued": lacking}).absence_threshold("issued", FLOOR) == threshold


# ---- How far apart ----


def test_values_are_as_far_apart_as_days_or_times_say() -> None:
    assert distance("2026-01-01", "2026-01-28") == pytest.approx(np.log(28))
    assert distance("2026-01-28", "2026-01-01") == pytest.approx(-np.log(28))
    assert distance("2000.00", "-500.00") == pytest.approx(np.log(0.25))  # a balance may be on either side
    assert distance("20240501", "20240501") == 0  # amounts without a point are no dates
    for first, second in (("0.00", "5.00"), ("Oslo", "5.00"), ("2026-13-45", "2026-01-01"), ("2026-01-01", "4.00")):
        assert distance(first, second) is None


@given(st.floats(-12, 12), st.floats(-8, 8), st.floats(0.2, 4))
def test_the_usual_distance_speaks_most_and_none_speaks_too_much(apart: float, centre: float, spread: float) -> None:
    one = Distance("a", "b", centre, spread)
    assert APART_LEAST <= one.log_odds(apart) <= one.log_odds(centre) <= APART_MOST
    assert one.log_odds(apart) == pytest.approx(one.log_odds(2 * centre - apart), abs=1e-6)


MONEY = Plan((FieldPlan("gross", "Gross", DataType.MONEY), FieldPlan("fund", "Fund", DataType.MONEY)))


def stub(number: int, **amounts: float) -> Sample:
    labels = {key: (SampleLabel(f"{value:.2f}", f"{value:.2f}"),) for key, value in amounts.items()}
    return Sample(str(number), (), labels)


def test_distances_are_learned_from_papers_that_have_both_values_and_come_back_from_data() -> None:
    papers = [stub(n, gross=1000.0 + 100 * n, fund=(1000.0 + 100 * n) / (18 + n)) for n in range(PAPERS_LEAST)]
    assert learned_relations(MONEY, papers[1:]).distances == ()
    learned = learned_relations(MONEY, [*papers, stub(9, gross=700.0)])
    (found,) = learned.distances
    assert (found.first, found.second) == ("gross", "fund")
    assert found.centre == pytest.approx(-np.log(20))
    assert found.spread < 1
    assert Relations.from_data(learned.to_data()).distances == learned.distances


def test_an_amount_that_lies_as_far_off_as_ever_goes_before_a_slightly_likelier_one() -> None:
    """The fund takes a twentieth of the gross pay on labelled papers: a half is too much, and where nothing else is
    likely a twentieth is given though by itself it would not be."""
    gross, half, part = printed(DataType.MONEY, "3000,00", "1500,00", "150,00")
    usual = Relations(distances=(Distance("gross", "fund", -np.log(20), 0.3),))
    for logits, alone, together in (
        ((0.5, 0.0), "1500.00", "150.00"),
        ((3.0, 0.0), "1500.00", "1500.00"),
        ((-5.0, FLOOR - 0.5), None, "150.00"),
    ):
        others = sorted((Choice(half, logits[0]), Choice(part, logits[1])), key=lambda one: -one.logit)
        before = decide(MONEY, {"gross": [Choice(gross, 4.0)], "fund": others}, 1.0)
        for relations, normal in ((Relations(), alone), (usual, together)):
            fund = optimise_jointly(before, relations, FLOOR)[1]
            assert [choice.candidate.normal for choice in fund.chosen] == ([normal] if normal else [])


# ---- Amounts that add up ----

TAXES = Plan(tuple(FieldPlan(key, key.title(), DataType.MONEY) for key in ("due", "paid", "left", "relief")))
ADD_UP = Relations(sums=(Sum(("paid", "left"), "due", True),))


def test_amounts_that_add_up_are_chosen_at_once_though_another_field_holds_one_of_them() -> None:
    due, paid, left, other = printed(DataType.MONEY, "130,50", "100,25", "30,25", "77,00")
    scored = {
        "due": [Choice(due, 3.0), Choice(other, -3.0)],
        "paid": [Choice(other, 1.0), Choice(paid, 0.3)],
        "left": [Choice(left, FLOOR - 0.5)],
        "relief": [Choice(paid, 0.8), Choice(other, 0.5)],
    }
    before = decide(TAXES, scored, 1.0)
    said = {one.field: one.chosen[0].candidate.normal for one in before if one.chosen}
    assert said == {"due": "130.50", "paid": "77.00", "relief": "100.25"}
    after = optimise_jointly(before, ADD_UP, FLOOR)
    said = {one.field: one.chosen[0].candidate.normal for one in after if one.chosen}
    assert said == {"due": "130.50", "paid": "100.25", "left": "30.25", "relief": "77.00"}
    chosen = [one.chosen[0].candidate for one in after]
    assert not any(shares_words(a, b) for a, b in combinations(chosen, 2))
    assert optimise_jointly(after, ADD_UP, FLOOR) == after
    alone = [one for one in before if one.field != "left"]  # a field of the sum is not in the plan any more
    assert [one.field for one in optimise_jointly(alone, ADD_UP, FLOOR)] == ["due", "paid", "relief"]


def test_amounts_are_not_made_to_add_up_against_what_is_far_likelier() -> None:
    due, paid, left, other = printed(DataType.MONEY, "130,50", "100,25", "30,25", "77,00")
    scored = {
        "due": [Choice(due, 3.0)],
        "paid": [Choice(other, 6.0), Choice(paid, -3.0)],
        "left": [Choice(left, 2.0)],
        "relief": [],
    }
    after = optimise_jointly(decide(TAXES, scored, 1.0), ADD_UP, FLOOR)
    assert after[1].chosen[0].candidate.normal == "77.00"


def test_sums_are_learned_from_a_few_papers_on_which_they_hold_to_the_cent() -> None:
    plan = Plan(tuple(FieldPlan(key, key, DataType.MONEY) for key in ("gross", "tax", "fund", "net")))

    def slip(number: int, other: float = 0.0) -> Sample:
        gross, tax, fund = 1000.0 + 7 * number, 200.0 + number, 30.25 + number
        return stub(number, gross=gross, tax=tax, fund=fund, net=gross - tax - fund - other)

    whole = [slip(n) for n in range(PAPERS_LEAST)]
    (three,) = learned_relations(plan, whole).sums
    assert (three.addends, three.total, three.always) == (("tax", "fund", "net"), "gross", True)
    mixed = [*whole[:SUM_PAPERS], *(slip(n, other=12.5) for n in range(20, 24))]
    (sometimes,) = learned_relations(plan, mixed).sums  # amounts that are no field's
    assert not sometimes.always
    assert learned_relations(plan, mixed[1:]).sums == ()
    data = learned_relations(plan, mixed).to_data()
    assert Relations.from_data(data).sums == (sometimes,)
    nought = [stub(n, gross=100.0 + n, tax=100.0 + n, fund=0.0) for n in range(PAPERS_LEAST)]
    assert learned_relations(plan, nought).sums == ()  # any amount is itself and nought


# ---- Likeness --------------------------------------------------------------------------------------------------------

words = st.sampled_from(["net pay", "gross pay", "", "tax", "name of employee", "pay date", "net", "ålesund 0"])
some = st.lists(words, max_size=8)


@given(some, some)
def test_likeness_of_all_is_that_of_the_distinct_and_of_each_pair(rows: list[str], columns: list[str]) -> None:
    mine, theirs = Texts.of(rows), Texts.of(columns)
    assert [mine.distinct[place] for place in mine.places] == rows
    table = likeness(rows, columns)
    assert table.shape == (len(rows), len(columns))
    assert np.array_equal(table, distinct_likeness(mine, theirs)[mine.places][:, theirs.places] / np.float32(100))
    for row, a in enumerate(rows):
        for column, b in enumerate(columns):
            expected = fuzz.ratio(a, b) / 100 if a and b else 0.0
            assert table[row, column] == pytest.approx(expected, abs=0.0101)


@given(some, some)
def test_nearness_is_symmetric_and_a_share(rows: list[str], columns: list[str]) -> None:
    table = nearness(rows, columns)
    assert np.allclose(table, nearness(columns, rows).T, atol=1e-5)
    assert ((table >= 0) & (table <= 1 + 1e-5)).all()
    mine = Texts.of(rows)
    assert np.allclose(distinct_nearness(mine, Texts.of(columns))[mine.places][:, Texts.of(columns).places], table)


def test_a_page_is_laid_out_once_and_as_its_words_say() -> None:
    page = Page(
        1, 595, 842, reading_order([Word("Net", Box(0.1, 0.1, 0.15, 0.115)), Word("9.50", Box(0.6, 0.1, 0.66, 0.115))])
    )
    rows, segments = laid_out(page)
    assert list(rows) == rows_of(page.words)
    assert list(segments) == segments_of(page.words, rows, page.width_pt / page.height_pt)
    assert laid_out(page) is laid_out(Page(1, 595, 842, page.words))
    moved = Page(1, 595, 842, (page.words[0], Word("9.50", Box(0.16, 0.1, 0.22, 0.115))))
    assert len(laid_out(moved)[1]) == 1


def test_the_ruling_between_two_cells_parts_a_row_however_narrow_the_gap() -> None:
    left, right = Word("100.50", Box(0.1, 0.1, 0.2, 0.115), cell=3), Word("200.75", Box(0.205, 0.1, 0.3, 0.115), cell=4)
    assert [one.text for one in laid_out(Page(1, 595, 842, (left, right)))[1]] == ["100.50", "200.75"]
    same = Word("200.75", right.box, cell=3)
    assert [one.text for one in laid_out(Page(1, 595, 842, (left, same)))[1]] == ["100.50 200.75"]
