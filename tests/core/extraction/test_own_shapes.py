"""Values that have a shape of their own are found wherever they stand."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import replace

import pytest
from tests.core.extraction.printed import printed

from jugum.core.extraction.values.assignment import Choice
from jugum.core.extraction.values.own_shapes import ZONE, OwnShapes, ShapesSeen, shape_of
from jugum.core.values import DataType

ZONES = (
    "P<UTOERIKSSON<<ANNA<MARIA<<<<<<<<<<<<<<<<<<< L898902C36UTO7408122F1204159ZE184226B<<<<<10",
    "I<UTOD231458907<<<<<<<<<<<<<<< 7408122F1204159UTO<<<<<<<<<<<6 ERIKSSON<<ANNA<MARIA<<<<<<<<<<",
)


def paper(value: str, *others: str) -> ShapesSeen:
    wrong = Counter(("number", shape_of(other)) for other in others)
    return ShapesSeen(Counter([("number", shape_of(value))]), wrong)


def test_a_shape_that_only_the_values_of_a_field_have_is_learned_by_how_often_it_was_seen() -> None:
    papers = [paper(f"{n}10203-455{n}", "225 716", f"{n}1/P") for n in range(1, 6)]
    assert OwnShapes.learned(papers).log_odds == {("number", "999999-9999"): pytest.approx(math.log(6))}
    assert OwnShapes.learned(papers[:2]).log_odds == {}
    shared = [paper("110203-4551", "290480-9207") for _ in range(5)]
    assert OwnShapes.learned(shared).log_odds == {}
    assert OwnShapes.learned([paper("Pellquist", "FEE 30") for _ in range(5)]).log_odds == {}
    once = OwnShapes.learned([*papers * 3, *shared[:1]])
    assert once.log_odds == {("number", "999999-9999"): pytest.approx(math.log(17 / 2))}
    again = OwnShapes.from_data(once.to_data())
    assert again.log_odds == pytest.approx(once.log_odds, abs=1e-3)


def test_machine_readable_zones_are_of_one_shape_however_many_lines_they_have() -> None:
    assert [shape_of(zone) for zone in ZONES] == [ZONE, ZONE]
    assert shape_of("L898902C36UTO7408122F1204159ZE184226B<<<<<10") != ZONE
    assert shape_of("4711-B.") == "9999-A"


def test_the_one_value_of_such_a_shape_is_as_likely_as_labelled_papers_say() -> None:
    own = OwnShapes({("number", "999999-9999"): 2.0})
    number, other, twin = printed(DataType.TEXT, "110203-4551", "LAISSEZ-ALLER", "290480-9207")
    choices = [Choice(other, 0.5), Choice(number, -4.0)]
    assert own.raised("number", choices) == [Choice(number, 2.0), Choice(other, 0.5)]
    assert own.raised("surname", choices) == choices
    sure = [Choice(number, 5.0), Choice(other, 0.5)]
    assert own.raised("number", sure) == sure  # nothing is made less likely
    two = [*choices, Choice(twin, -5.0)]
    assert own.raised("number", two) == two  # which of them it is, the shape can't tell
    same = [*choices, Choice(replace(number, page=2), -6.0)]
    assert own.raised("number", same)[0] == Choice(number, 2.0)
