"""One dial for the thresholds of all fields of a type."""

from __future__ import annotations

from itertools import product

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from jugum.core.thresholds import Evidence, EvidenceTable, FieldRules
from jugum.core.thresholds.dial import GRID, Curves
from jugum.core.thresholds.outcome import NEVER, passing

CONFIDENCES = st.floats(0.3, 0.995).map(lambda value: round(value, 3))
ROWS = st.lists(st.tuples(CONFIDENCES, st.booleans()), max_size=25)
FIELDS = st.dictionaries(st.sampled_from("abc"), ROWS, min_size=1)
SETTINGS = st.sampled_from([0.001, 0.01, 0.05, 0.1, 0.3])


def rows(field: str, *counts: tuple[float, int, int]) -> list[Evidence]:
    """Evidence of groups: confidence, how many are right, how many are wrong."""
    return [
        Evidence(field, confidence, right)
        for confidence, good, bad in counts
        for right in (True,) * good + (False,) * bad
    ]


def table(evidence: dict[str, list[tuple[float, bool]]]) -> EvidenceTable:
    return EvidenceTable.of([Evidence(key, *row) for key, its in evidence.items() for row in its], sorted(evidence))


def at(evidence: EvidenceTable, setting: float, rules: FieldRules = FieldRules()) -> dict[str, float]:
    return Curves.of(evidence).thresholds_at(setting, rules)


def test_a_field_lets_pass_what_is_wrong_no_more_often_than_the_setting_says() -> None:
    evidence = EvidenceTable.of(rows("a", (0.99, 50, 0), (0.95, 49, 1), (0.8, 8, 2)))
    assert at(evidence, 0.02)["a"] == 0.98  # of those at .95 a twentieth is expected to be wrong
    assert at(evidence, 0.06)["a"] == 0.94
    assert at(evidence, 0.2)["a"] == 0.8


def test_one_wrong_value_among_the_surest_does_not_hold_its_field() -> None:
    """It is half of the two surest, and one of forty further down."""
    assert at(EvidenceTable.of(rows("a", (0.985, 1, 1), (0.96, 38, 0))), 0.05)["a"] == 0.95


def test_a_field_of_which_nothing_is_known_or_that_is_wrong_too_often_is_held() -> None:
    evidence = EvidenceTable.of([*rows("a", (0.99, 50, 0)), *rows("bad", (0.97, 20, 5))], ["a", "bad", "none"])
    assert at(evidence, 0.1) == {"a": 0.9, "bad": 1.0, "none": 1.0}


def test_no_value_passes_that_is_itself_likelier_wrong_than_the_setting_says() -> None:
    """However good all values were that a field has had: it has had none so unsure."""
    sure = EvidenceTable.of(rows("a", (0.99, 50, 0)))
    assert [at(sure, setting)["a"] for setting in (0.012, 0.1, 0.5)] == [0.99, 0.9, 0.5]


def test_weights_pins_and_fields_that_always_go_to_a_person() -> None:
    evidence = EvidenceTable.of([row for key in "abcd" for row in rows(key, (0.99, 50, 0), (0.9, 20, 2))])
    rules = FieldRules(weights={"b": 10.0}, pinned={"c": 0.42}, always_held=frozenset("d"))
    assert at(evidence, 0.12, rules) == {"a": 0.88, "b": 0.99, "c": 0.42, "d": NEVER}
    assert not passing(evidence, at(evidence, 0.5, rules))[evidence.field == 3].any()


@given(FIELDS, SETTINGS, SETTINGS)
def test_what_passes_at_a_strict_setting_passes_at_every_laxer_one(
    evidence: dict[str, list[tuple[float, bool]]], one: float, other: float
) -> None:
    them = table(evidence)
    strict, lax = (passing(them, at(them, setting)) for setting in sorted((one, other)))
    assert not (strict & ~lax).any()


@given(FIELDS, SETTINGS)
def test_no_other_thresholds_let_as_much_pass_with_fewer_wrong_ones(
    evidence: dict[str, list[tuple[float, bool]]], setting: float
) -> None:
    """By brute force over all combinations of thresholds."""
    found = Curves.of(table(evidence))
    chosen = found.thresholds_at(setting)
    place = [int(np.flatnonzero(chosen[key] == GRID)[0]) for key in found.fields]
    fields = range(len(found.fields))
    total = sum(found.passing[field][place[field]] for field in fields)
    wrong = sum(found.wrong[field][place[field]] for field in fields)
    allowed = [place for place in range(len(GRID)) if GRID[place] >= 1 - setting - 1e-9]
    distinct = [{(found.passing[field][place], found.wrong[field][place]) for place in allowed} for field in fields]
    for several in product(*distinct):
        if sum(pair[0] for pair in several) >= total:
            assert sum(pair[1] for pair in several) >= wrong - 1e-9


@given(FIELDS, SETTINGS)
def test_neither_order_nor_the_size_of_weights_changes_a_threshold(
    evidence: dict[str, list[tuple[float, bool]]], setting: float
) -> None:
    backwards = {key: its[::-1] for key, its in reversed(evidence.items())}
    assert at(table(backwards), setting) == at(table(evidence), setting)
    faded = EvidenceTable.of(
        [Evidence(key, *row, age_days=90.0) for key, its in evidence.items() for row in its],
        sorted(evidence),
        half_life_days=90.0,
    )
    assert np.all(faded.weight == 0.5)
    assert at(faded, setting) == pytest.approx(at(table(evidence), setting))
