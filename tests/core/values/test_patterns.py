"""Patterns of analysts: letters of all scripts, bounded in time and memory, told where they are wrong."""

from __future__ import annotations

import resource

import pytest

from jugum.core.values import compiled, matches
from jugum.errors import InputError


@pytest.mark.parametrize(
    ("pattern", "text", "fits"),
    [
        (r"\d{6}-?\d{4}", "061088-4076", True),
        (r"\w+ \w+", "Åge Øyvind", True),
        (r"[\w.-]+@\w+", "bjørn.å-b@østmark", True),
        (r"[^\W\d]+", "Åge", True),
        (r"\W+", "Åge", False),
        (r"\D\S", "Åg", True),
        (r"\d+", "٣٤", True),
        (r"a\sb", "a\u00a0b", True),
        (r"[]\d]+", "]1", True),
        (r"\\w", "\\w", True),
        (r"(?i)ABC", "abc", True),
        (r"(a|aa)+$", "a" * 20_000 + "b", False),
        (r"((a+)+)+b", "a" * 20_000, False),
    ],
)
def test_what_a_pattern_says_is_what_it_fits(pattern: str, text: str, fits: bool) -> None:
    assert matches(pattern, text) is fits


@pytest.mark.parametrize(
    ("pattern", "said"),
    [
        ("ab(", "not valid at letter 1: a bracket “(” is not closed"),
        ("a{2000000}", "at letter 2: a part may be repeated at most 1000 times"),
        ("(a{1000}){1000}", "repeated at most 1000 times"),
        ("a(?=b)", "at letter 2: looking ahead or behind, and referring back, are not possible"),
        ("[z-a]", "at letter 2: a range goes from a later to an earlier letter"),
        ("*a", "at letter 1: there is nothing to repeat"),
        ("a" * 500, "at most 400 are taken"),
    ],
)
def test_what_is_wrong_with_a_pattern_is_told_with_its_place(pattern: str, said: str) -> None:
    with pytest.raises(InputError) as told:
        compiled(pattern)
    assert said in str(told.value)


def test_no_pattern_takes_much_memory() -> None:
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    refused = 0
    for number in range(40):
        try:
            assert not matches(rf"(\w{{1,{100 + number}}}\s?){{1,9}}x", "año " * 5000)
        except InputError:
            refused += 1
    assert refused in (0, 40)
    assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss - before < 300_000  # kB
