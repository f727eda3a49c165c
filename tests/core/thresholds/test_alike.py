"""Values in the order in which they are looked over."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from jugum.core.thresholds.alike import Alike, AlikeGroup, SweptValue, alike_groups


def test_like_stands_with_like_and_what_is_doubtful_apart() -> None:
    groups = alike_groups(
        [
            SweptValue(1, "Alder", "a", 0.9),
            SweptValue(2, "Birch", "b", 0.9),
            SweptValue(3, "Alder", "b", 0.95),
            SweptValue(4, "Cedar", "a", 0.8),
            SweptValue(5, "", "a"),
            SweptValue(6, "Alder", "a", 0.2),
            SweptValue(7, "Alder", "a", 0.99),
            SweptValue(8, "Elm", None, 0.7),
            SweptValue(9, "Birch", "b", 0.9, doubted=True),
            SweptValue(10, "Birch", "a", 0.9),
            SweptValue(11, "Fir", "a", 0.9),
        ]
    )
    assert groups == [
        AlikeGroup(Alike.VALUE, (7, 1, 3), value="Alder"),
        AlikeGroup(Alike.VALUE, (10, 2), value="Birch"),
        AlikeGroup(Alike.LAYOUT, (11, 4), layout="a"),
        AlikeGroup(Alike.LAYOUT, (8,)),
        AlikeGroup(Alike.DOUBTFUL, (6, 9)),
        AlikeGroup(Alike.NOTHING, (5,)),
    ]


def test_what_cannot_be_read_is_doubtful_rather_than_nothing() -> None:
    assert [group.alike for group in alike_groups([SweptValue(1, "", doubted=True)])] == [Alike.DOUBTFUL]
    assert alike_groups([]) == []


def test_what_is_said_unseen_stands_apart_and_tells_nothing_of_its_value() -> None:
    swept = [SweptValue(number, "Alder", confidence=0.9, unseen=number == 2) for number in (1, 2, 3)]
    assert alike_groups(swept) == [AlikeGroup(Alike.VALUE, (1, 3), value="Alder"), AlikeGroup(Alike.UNSEEN, (2,))]


values = st.builds(
    SweptValue,
    st.integers(),
    st.sampled_from(["", "a", "b", "c"]),
    st.sampled_from([None, 1, 2]),
    st.none() | st.floats(0, 1),
    st.booleans(),
    st.booleans(),
)


@given(st.lists(values, unique_by=lambda value: value.paper))
def test_each_paper_is_in_one_group(swept: list[SweptValue]) -> None:
    papers = [paper for group in alike_groups(swept) for paper in group.papers]
    assert sorted(papers) == sorted(value.paper for value in swept)
