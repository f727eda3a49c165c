"""Which fields papers of a layout carry."""

from __future__ import annotations

import pytest

from jugum.core.classification.layout_book import NEW_LAYOUT
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.presence import Presence
from jugum.core.schema import FieldPlan
from jugum.core.values import DataType, Option

THERE = (SampleLabel("17", "17"),)
TOW, FARE = (
    FieldPlan("tow", "Tow"),
    FieldPlan("fare", "Fare", DataType.CHOICE, options=(Option("half"), Option("full"))),
)


def papers(*groups: tuple[int, dict[str, bool]]) -> Presence:
    samples = [
        Sample(str(number), (), {key: THERE if there else () for key, there in its.items()})
        for number, (_, its) in enumerate(groups)
    ]
    return Presence.of(samples, [group for group, _ in groups])


def test_a_field_that_no_paper_of_a_layout_has_is_rather_lacking_there_and_nowhere_else() -> None:
    presence = papers(*[(0, {"berth": True, "tow": False})] * 5, *[(1, {"berth": True, "tow": True})] * 5)
    assert presence.lacking(0)["tow"] > 1
    assert presence.lacking(1)["tow"] < -1
    assert presence.lacking(0)["berth"] == pytest.approx(presence.lacking(1)["berth"])
    assert presence.lacking(0)["berth"] < -1
    assert presence.lacking(NEW_LAYOUT) == presence.lacking(7) == {}


def test_one_paper_says_less_than_many_and_a_field_without_a_word_nothing() -> None:
    one, many = papers((0, {"tow": False})), papers(*[(0, {"tow": False})] * 8)
    assert 0 < one.lacking(0)["tow"] < many.lacking(0)["tow"]
    assert "berth" not in one.lacking(0)


@pytest.mark.parametrize(
    ("labelled", "field", "absent", "most"),
    [
        ([False], TOW, True, 2 / 3),  # one paper that lacks it
        ([False, False], TOW, True, 1),
        ([True], TOW, True, 1),  # that it is not there has other reasons
        ([False], TOW, False, 1),
        ([True], FARE, False, 2 / 3),
        ([True, True], FARE, False, 3 / 4),
        ([True, False], FARE, True, 3 / 4),
        ([True, True, True], FARE, False, 1),
        ([], FARE, False, 1),
    ],
)
def test_few_papers_of_a_layout_bound_what_is_said_of_it(
    labelled: list[bool], field: FieldPlan, absent: bool, most: float
) -> None:
    presence = papers(*((0, {field.key: there}) for there in labelled))
    assert presence.most_sure(field, 0, absent=absent) == pytest.approx(most)
    assert presence.most_sure(field, NEW_LAYOUT, absent=absent) == 1


def test_it_survives_its_data() -> None:
    presence = papers((0, {"tow": False}), (3, {"tow": True}))
    assert Presence.from_data(presence.to_data()) == presence
    assert Presence.from_data([]).lacking(0) == {}
