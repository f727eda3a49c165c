"""Papers of a new layout tell one another what is print, and what stands beside the same words."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import permutations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.classification import layout_of
from jugum.core.extraction.candidates.generate import Candidate, candidates_of
from jugum.core.extraction.values.assignment import Choice, decide
from jugum.core.extraction.values.deciding import Scored
from jugum.core.extraction.values.similarities import Example
from jugum.core.extraction.values.together import AGAINST_MOST, CHOSEN, Again, Peer, read_together, repeats_of
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType

PLAN = Plan((FieldPlan("firm", "Who pays"), FieldPlan("net", "What is paid", DataType.MONEY)))
TITLE = "WAGES ADVICE"
FIRMS = ("Selvik Roofing", "Marnholt Bakery", "Odd Bygg", "Tarnby Quarry", "Ness Textiles")


def page_of(firm: str, net: str, more: Sequence[tuple[float, float, str]] = ()) -> Page:
    """A form that nobody has labelled: a title in capitals, a firm at its foot, two amounts with their captions."""
    lines = [(0.1, 0.05, TITLE), (0.1, 0.9, firm), (0.1, 0.3, "Zork"), (0.5, 0.3, net), (0.1, 0.4, "Blim"), *more]
    words = [
        Word(part, Box(x + 0.012 * at, y, x + 0.012 * (at + len(part)), y + 0.015), 1.0)
        for x, y, text in lines
        for part, at in [(part, text.index(part)) for part in text.split()]
    ]
    return Page(1, 595, 842, reading_order(words))


class Paper:
    """A paper, and what a ranker gives some of its texts for a field."""

    def __init__(self, firm: str, net: str, other: str, scores: Mapping[str, Mapping[str, float]]) -> None:
        page = page_of(firm, net, [(0.5, 0.4, other)])
        found = {(one.data_type, one.text): one for one in candidates_of([page], {DataType.TEXT, DataType.MONEY})}
        kinds = {"firm": DataType.TEXT, "net": DataType.MONEY}
        choices = {
            key: sorted(
                (Choice(found[kinds[key], text], score) for text, score in its.items()), key=lambda one: -one.logit
            )
            for key, its in scores.items()
        }
        self.candidates: list[Candidate] = list(found.values())
        self.scored = Scored({"firm": [], "net": [], **choices}, np.zeros((0, 0), dtype=np.float32), {})
        decided = decide(PLAN, self.scored.choices, 0.0)
        self.peer = Peer.of(layout_of([page]), self.candidates, self.scored, decided)

    def with_(self, others: Sequence[Paper], repeats: Mapping[str, Again] | None = None) -> dict[str, str]:
        """The likeliest text of each field when others are read with it."""
        scored = read_together(self.scored, self.peer, [other.peer for other in others], repeats or {})
        return {key: its[0].candidate.text for key, its in scored.choices.items() if its}


def titled(number: int, title: float = 2.0, firm: float = 1.0) -> Paper:
    other = f"{number + 3}1,50"
    return Paper(FIRMS[number], f"{number + 1}00,00", other, {"firm": {TITLE: title, FIRMS[number]: firm}})


def test_what_every_paper_of_a_layout_prints_is_no_value() -> None:
    papers = [titled(number) for number in range(4)]
    assert papers[0].with_([]) == {"firm": TITLE}
    assert papers[0].with_(papers[1:]) == {"firm": FIRMS[0]}


def test_what_labelled_papers_of_one_layout_all_say_may_come_again() -> None:
    papers = [titled(number, title=4.0, firm=1.0) for number in range(3)]
    assert papers[0].with_(papers[1:], {"firm": Again((0, 30))}) == {"firm": FIRMS[0]}
    assert papers[0].with_(papers[1:], {"firm": Again((30, 30))}) == {"firm": TITLE}


def test_however_many_say_the_same_it_speaks_against_a_value_by_so_much_at_most() -> None:
    papers = [titled(number % 5, title=5.0) for number in range(40)]
    scored = read_together(papers[0].scored, papers[0].peer, [one.peer for one in papers[1:]], {"firm": Again((0, 90))})
    of_title = next(choice for choice in scored.choices["firm"] if choice.candidate.text == TITLE)
    assert of_title.logit >= 5.0 - AGAINST_MOST


def greeted(number: int) -> Paper:
    firm, other = FIRMS[number], f"{number + 3}1,50"
    return Paper(f"Dear {firm}", f"{number + 1}00,00", other, {"firm": {f"Dear {firm}": 2.0, firm: 1.0}})


def test_a_word_that_every_paper_prints_before_a_value_is_no_part_of_it() -> None:
    papers = [greeted(number) for number in range(4)]
    assert papers[0].with_([]) == {"firm": f"Dear {FIRMS[0]}"}
    assert papers[0].with_(papers[1:]) == {"firm": FIRMS[0]}
    # where the first words of labelled values are often the same, it may be part of the value
    often = {"firm": Again((0, 30), first=(30, 30))}
    assert papers[0].with_(papers[1:], often) == {"firm": f"Dear {FIRMS[0]}"}


def test_what_is_no_candidate_without_its_first_word_keeps_it() -> None:
    def only(number: int) -> Paper:
        firm = f"Dear {FIRMS[number]}"
        return Paper(firm, f"{number + 1}00,00", f"{number + 3}1,50", {"firm": {firm: 2.0, TITLE: -1.0}})

    papers = [only(number) for number in range(4)]
    assert papers[0].with_(papers[1:]) == {"firm": f"Dear {FIRMS[0]}"}


def test_the_currency_of_an_amount_tells_nothing_of_where_it_ends() -> None:
    def paid(number: int) -> Paper:
        net = f"kr {number + 1}00,00"
        return Paper(FIRMS[number], net, f"{number + 3}1,50", {"net": {net: 2.0, net.removeprefix("kr "): 1.0}})

    papers = [paid(number) for number in range(4)]
    assert papers[0].with_(papers[1:]) == {"net": "kr 100,00"}


def amounts(number: int, zork: float, blim: float) -> Paper:
    net, other = f"{number + 1}00,00", f"{number + 3}1,50"
    return Paper(FIRMS[number], net, other, {"net": {net: zork, other: blim}})


def test_a_caption_that_other_papers_are_sure_of_is_believed_on_a_paper_that_is_not() -> None:
    unsure, sure = amounts(0, -1.0, 0.0), [amounts(number, 3.0, -3.0) for number in (1, 2)]
    assert unsure.with_([]) == {"net": "31,50"}
    assert unsure.with_(sure) == {"net": "100,00"}


def test_a_value_is_as_likely_as_it_is_in_the_mean_of_the_papers() -> None:
    one, others = amounts(0, 0.0, -1.0), [amounts(1, 3.0, -4.0), amounts(2, -6.0, -9.0)]
    scored = read_together(one.scored, one.peer, [other.peer for other in others], {})
    zork, blim = (choice.logit for choice in scored.choices["net"])
    # the first of the others gives its value by itself, the second would give none
    assert zork == pytest.approx((0.0 + (3.0 + CHOSEN) - 6.0) / 3)
    assert blim == pytest.approx((-1.0 - 4.0 - 9.0) / 3)


scores = st.floats(-6, 6, allow_nan=False)


@given(st.lists(st.tuples(scores, scores), min_size=4, max_size=4))
def test_the_order_of_papers_changes_nothing_and_a_paper_alone_stays_as_it_is(table: list[tuple[float, float]]) -> None:
    papers = [amounts(number, *its) for number, its in enumerate(table)]
    first, others = papers[0], [paper.peer for paper in papers[1:]]
    assert read_together(first.scored, first.peer, [], {}) == first.scored
    found = [
        [round(choice.logit, 9) for choice in read_together(first.scored, first.peer, order, {}).choices["net"]]
        for order in permutations(others)
    ]
    assert all(its == found[0] for its in found)


def test_how_often_values_come_again_is_counted_within_layouts() -> None:
    def example(paper: int, field: str, text: str) -> Example:
        return Example(paper, field, (), text, "", 1, Box(0, 0, 0, 0), "", "", (0, 0, 0), 1)

    examples = [
        *(example(paper, "firm", text) for paper, text in enumerate(("ness", "ness", "odd", "ness"))),
        example(0, "net", "1"),
        *(example(paper, "place", text) for paper, text in enumerate(("north quay", "north hill", "yard", "old quay"))),
    ]
    found = repeats_of(examples, [0, 0, 0, 1])
    assert found == {"firm": Again((1, 3)), "net": Again(), "place": Again((0, 3), first=(1, 1), last=(0, 1))}


def test_what_a_person_has_said_on_one_paper_is_believed_on_the_others() -> None:
    """Two captions, of which all papers by themselves prefer the wrong one."""
    papers = [amounts(number, -1.0, 1.0) for number in range(4)]
    mine, *others = papers
    assert mine.with_(others) == {"net": "31,50"}
    settled = [others[0].peer.settled({"net": ["200,00"]}), *(paper.peer for paper in others[1:])]
    again = read_together(mine.scored, mine.peer, settled, {})
    first, second = again.choices["net"]
    assert first.candidate.text == "100,00"
    assert first.logit > 0 > second.logit
    unread = others[0].peer.settled({"net": ["what nobody reads there"]})
    assert unread == others[0].peer, "a text that is no candidate tells nothing new"
