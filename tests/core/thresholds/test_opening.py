"""Papers that are opened only when looking at what is held on them is worth it."""

from __future__ import annotations

from dataclasses import replace
from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given
from tests.core.thresholds.test_frontier import ROWS, office

from jugum.core.schema import Context, FieldKind, FieldPlan, HoldReason, Plan
from jugum.core.thresholds import DraftedField, Evidence, EvidenceTable, FieldRules, Thresholds, frontier, route
from jugum.core.thresholds.choice import Costs, by_costs
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.frontier import passes_by
from jugum.core.thresholds.opening import Opening, OpeningPrice
from jugum.core.thresholds.through import straight_through
from jugum.core.values import DataType

PRICE = OpeningPrice(look=0.01, paper=0.05)
HELD = {"a": 0.99, "b": 0.99}


def paper(*confidences: float, name: str = "p", wrong: int = -1, similarity: float = 1.0) -> list[Evidence]:
    return [Evidence("ab"[place], sure, place != wrong, similarity, name) for place, sure in enumerate(confidences)]


def passes(rows: list[Evidence], rules: FieldRules = FieldRules(opening=PRICE)) -> list[bool]:
    return passes_by(EvidenceTable.of(rows, ["a", "b"]).gated(0.5), HELD, rules).tolist()


def test_the_price_is_told_from_what_things_cost() -> None:
    price = OpeningPrice.of(50.0, 360.0, Effort(6.0, 4.0))  # ten seconds of review cost 1
    assert (price.look, price.paper) == pytest.approx((0.4 / 50, 0.6 / 50))
    assert price.gains(np.array([0.9, 0.999]), np.array([1.0, 1.0])).tolist() == pytest.approx([0.1 - 0.008, 0.0])


def test_a_paper_with_hardly_an_unsure_value_is_not_opened_for_it() -> None:
    assert passes(paper(0.96, 0.999)) == [True, True]  # worth .03, and opening costs .05
    assert passes(paper(0.96, 0.96)) == [False, False]  # two of them are
    assert passes(paper(0.9, 0.999)) == [False, True]
    assert passes(paper(0.96, 0.999), FieldRules()) == [False, True]


def test_weights_pins_held_fields_and_new_layouts_open_a_paper() -> None:
    unsure = paper(0.96, 0.999)
    assert passes(unsure, FieldRules({"a": 3.0}, opening=PRICE)) == [False, True]
    assert passes(unsure, FieldRules(pinned={"a": 0.99}, opening=PRICE)) == [False, True]
    assert passes(unsure, FieldRules(always_held=frozenset("a"), opening=PRICE)) == [False, True]
    assert passes(paper(0.96, 0.999, similarity=0.2)) == [False, False]


@given(ROWS)
def test_a_laxer_setting_lets_pass_what_a_stricter_one_does_and_no_setting_less_than_without(
    rows: list[Evidence],
) -> None:
    table = EvidenceTable.of(rows)
    with_, without = (frontier(table, FieldRules(opening=opening), folds=1) for opening in (PRICE, None))
    assert [point.setting for point in with_] == [point.setting for point in without]
    for before, after in pairwise(with_):
        assert before.outcome.passing <= after.outcome.passing
        assert before.minutes >= after.minutes - 1e-9
    for one, other in zip(with_, without, strict=True):
        assert one.outcome.passing >= other.outcome.passing
        # what the frontier says is what its thresholds do
        assert one.outcome.passing == int(passes_by(table, one.thresholds, FieldRules(opening=PRICE)).sum())


def test_costs_are_no_more_where_papers_are_opened_only_when_it_is_worth_it() -> None:
    table, effort = office(papers=400), Effort(20.0, 4.0)
    money = Costs(wrong_value=3.0, review_hour=300.0)

    def least(rules: FieldRules) -> float:
        chosen = by_costs(frontier(table, rules, effort), money, 8.0)
        assert chosen is not None
        return chosen.weighted_wrong * 8 * 100 * money.wrong_value + chosen.minutes / 60 * money.review_hour

    opening = OpeningPrice.of(money.wrong_value, money.review_hour, effort)
    assert least(FieldRules(opening=opening)) < 0.98 * least(FieldRules())


# ---- Routing ---------------------------------------------------------------------------------------------------------

PLAN = Plan((FieldPlan("a", "A", DataType.TEXT, required=False), FieldPlan("b", "B", DataType.TEXT)))


def drafted(confidence: float, similarity: float = 1.0, text: str = "x") -> DraftedField:
    from jugum.core.extraction.found import EngineName, Found
    from jugum.core.page import Box

    value = Found(text, text, 1, Box(0.1, 0.1, 0.2, 0.2), 0.0, EngineName.MODEL, "")
    return DraftedField((value,) if text else (), (), confidence, similarity)


def routed(a: DraftedField, b: DraftedField, **more: object) -> set[str]:
    thresholds = Thresholds(HELD, 0.5, opening=Opening(PRICE), **more)  # type: ignore[arg-type]
    return set(route(PLAN, {"a": a, "b": b}, thresholds, Context()).holds)


def test_a_paper_is_routed_by_what_looking_at_it_is_worth() -> None:
    assert routed(drafted(0.96), drafted(0.999)) == set()
    assert routed(drafted(0.96), drafted(0.96)) == {"a", "b"}
    assert routed(drafted(0.96, 0.2), drafted(0.999)) == {"a"}  # a new layout
    assert routed(drafted(0.96), drafted(0.999, text="")) == {"a", "b"}  # "b" is required, and missing
    assert routed(drafted(0.96), drafted(0.999), suspended=True) == {"a", "b"}
    by_plan = replace(drafted(0.96), confidence=None)
    assert routed(by_plan, drafted(0.999)) == {"a"}  # what was not measured
    missing = route(PLAN, {"a": drafted(0.96), "b": drafted(0.9, text="")}, Thresholds(HELD, 0.5), Context())
    assert missing.holds["b"].problem.reason is HoldReason.MISSING


def test_a_table_that_nothing_measured_opens_its_paper() -> None:
    table = FieldPlan("lines", "Lines", kind=FieldKind.TABLE, required=False)
    plan = Plan((*PLAN.fields, table, FieldPlan("lines.what", "What", DataType.TEXT, inside="lines", required=False)))
    its = {"a": drafted(0.96), "b": drafted(0.999), "lines.what": replace(drafted(0.9), confidence=None)}
    thresholds = Thresholds({**HELD, "lines": 0.9}, 0.5, opening=Opening(PRICE))
    assert set(route(plan, its, thresholds, Context()).holds) == {"a", "lines"}


def test_whole_papers_are_counted_by_it() -> None:
    rows = [vars(row) | {"sample": row.paper} for row in [*paper(0.96, 0.999, wrong=0), *paper(0.9, 0.999, name="q")]]
    with_, without = (straight_through(rows, Thresholds(HELD, 0.5, opening=its)) for its in (Opening(PRICE), None))
    assert (with_.papers, with_.through, with_.flawed) == (2, 1, 1)
    assert without.through == 0
