"""What values of a paper are to each other: dates and amounts in order, amounts that add up. Learned from labels, and heard when values are chosen.

A relation is believed when it held on every labelled paper that has all its fields, on five at least. It lends a bonus to choices that keep it,
so that a slightly likelier value gives way to one that fits the others, never a clearly likelier one.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal, InvalidOperation
from itertools import combinations, permutations

from jugum.core.extraction.assignment import Choice, Decision, shares_words
from jugum.core.extraction.examples import Sample
from jugum.core.schema import Plan
from jugum.core.values import DataType

PAPERS_LEAST = 5
ORDER_BONUS, SUM_BONUS = 1.0, 3.0
TRIED = 5  # candidates of a field that may change places
GAP_MOST = 4.0  # log-odds that a candidate may lie behind the likeliest and still be tried
FIELDS_MAX = 12  # fields of one kind that relations are looked for among


@dataclass(frozen=True)
class Relations:
    """`orders`: pairs of fields whose first is at most their second; `sums`: fields (a, b, c) with a + b = c."""

    orders: tuple[tuple[str, str], ...] = ()
    sums: tuple[tuple[str, str, str], ...] = ()

    def to_data(self) -> dict[str, list[list[str]]]:
        return {"orders": [list(one) for one in self.orders], "sums": [list(one) for one in self.sums]}

    @staticmethod
    def from_data(data: Mapping[str, Sequence[Sequence[str]]]) -> Relations:
        return Relations(tuple((a, b) for a, b in data["orders"]), tuple((a, b, c) for a, b, c in data["sums"]))


def learned_relations(plan: Plan, samples: Sequence[Sample]) -> Relations:
    """Relations that hold on every paper with labels for all their fields, at least five of them; an order also needs to be strict on most."""
    orders: list[tuple[str, str]] = []
    sums: list[tuple[str, str, str]] = []
    for kind in (DataType.DATE, DataType.MONEY):
        keys = [one.key for one in plan.fields if one.data_type is kind and not one.many][:FIELDS_MAX]
        values = [_values(sample, keys) for sample in samples]
        for first, second in permutations(keys, 2):
            pairs = [(its[first], its[second]) for its in values if first in its and second in its]
            if (
                len(pairs) >= PAPERS_LEAST
                and all(a <= b for a, b in pairs)
                and sum(a < b for a, b in pairs) > 0.8 * len(pairs)
            ):
                orders.append((first, second))
        if kind is DataType.MONEY:
            for total in keys:
                for first, second in combinations([key for key in keys if key != total], 2):
                    rows = [its for its in values if {first, second, total} <= its.keys()]
                    if len(rows) >= PAPERS_LEAST and all(its[first] + its[second] == its[total] for its in rows):
                        sums.append((first, second, total))
    return Relations(tuple(orders), tuple(sums))


def _values(sample: Sample, keys: Sequence[str]) -> dict[str, Decimal]:
    found = {}
    for key in keys:
        labels = sample.labels.get(key, ())
        value = _comparable(labels[0].normal) if len(labels) == 1 else None
        if value is not None:
            found[key] = value
    return found


def _comparable(normal: str) -> Decimal | None:
    """An amount as a number, a date (ISO 8601) as the number its digits are, which stands in order of time."""
    is_date = len(normal) == 10 and normal[4] == normal[7] == "-"
    try:
        return Decimal(normal.replace("-", "") if is_date else normal)
    except InvalidOperation:
        return None


def agreed(decisions: Sequence[Decision], relations: Relations) -> list[Decision]:
    """Decisions with values changed where the relations say so, one field at a time while the whole gains."""
    found = {one.field: one for one in decisions}
    touched = {key for relation in (*relations.orders, *relations.sums) for key in relation}
    for _ in range(2):
        for key in [key for key in found if key in touched and len(found[key].chosen) == 1]:
            now = _bonus(found, relations, key)
            best, gain = found[key], 0.0
            for choice in found[key].others[:TRIED]:
                lost = found[key].logit - choice.logit
                if lost > GAP_MOST or any(
                    shares_words(choice.candidate, other.candidate)
                    for name, one in found.items()
                    if name != key
                    for other in one.chosen
                ):
                    continue
                tried = _with(found[key], choice)
                its = _bonus({**found, key: tried}, relations, key) - now - max(0.0, lost)
                if its > gain:
                    best, gain = tried, its
            found[key] = best
    return [found[one.field] for one in decisions]


def _with(decision: Decision, choice: Choice) -> Decision:
    others = sorted(
        [*decision.chosen, *(one for one in decision.others if one is not choice)], key=lambda one: -one.logit
    )
    return replace(
        decision, chosen=(choice,), others=tuple(others), logit=choice.logit, rival=decision.logit,
        reading=choice.candidate.confidence, misread=choice.candidate.differs,
        why="it fits the other values of the paper",
    )  # fmt: skip


def _bonus(decisions: Mapping[str, Decision], relations: Relations, key: str) -> float:
    """What the relations of a field lend to the choices as they are; a broken one takes as much as a kept one gives."""

    def value(name: str) -> Decimal | None:
        one = decisions.get(name)
        return _comparable(one.chosen[0].candidate.normal) if one is not None and len(one.chosen) == 1 else None

    total = 0.0
    for first, second in relations.orders:
        if key in (first, second):
            a, b = value(first), value(second)
            if a is not None and b is not None:
                total += ORDER_BONUS if a <= b else -ORDER_BONUS
    for first, second, third in relations.sums:
        if key in (first, second, third):
            a, b, c = value(first), value(second), value(third)
            if a is not None and b is not None and c is not None:
                total += SUM_BONUS if a + b == c else -SUM_BONUS / 3
    return total
