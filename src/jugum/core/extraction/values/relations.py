"""What values of a paper are to each other: dates and amounts in order, amounts that add up, fields that no paper
lacks. Learned from labels, and heard when values are chosen.

An order or a sum is believed when it held on every labelled paper that has all its fields, on five at least. A
slightly likelier value then gives way to one that fits the others, never a clearly likelier one. Where two fields
want the same words, the choice that is best for both together is taken.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as kept
from decimal import Decimal, InvalidOperation
from itertools import combinations, permutations
from typing import Any

from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.values.assignment import NO_RIVAL, Choice, Decision, shares_words
from jugum.core.schema import Plan
from jugum.core.values import DataType

PAPERS_LEAST = 5  # without exception on so many papers, an order or a sum is believed (decision 0012)
SUM_BONUS = 3.0  # log-odds that amounts which add up lend; by chance they hardly ever do
TRIED = 5  # candidates of a field that may change places
GAP_MOST = 4.0  # log-odds that a candidate may lie behind the likeliest and still be tried
FIELDS_MAX = 12  # fields of one kind that relations are looked for among
FITS = "it fits the other values of the paper"


@dataclass(frozen=True)
class Relations:
    """`orders`: pairs of fields whose first is at most their second, and on how many papers; `sums`: fields (a, b,
    c) with a + b = c; `missing`: of each field the share of labelled papers that lack it (0–1, by the rule of
    succession); `lacking`: of each field the log-odds that papers of the layout lack it, where the layout is known."""

    orders: tuple[tuple[str, str, int], ...] = ()
    sums: tuple[tuple[str, str, str], ...] = ()
    missing: Mapping[str, float] = kept(default_factory=dict)
    lacking: Mapping[str, float] = kept(default_factory=dict)

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "orders": [list(order) for order in self.orders],
            "sums": [list(addends) for addends in self.sums],
            "missing": dict(self.missing),
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> Relations:
        """The inverse; orders without a number of papers held on the fewest that are believed."""
        orders = tuple(
            (order[0], order[1], int(order[2]) if len(order) > 2 else PAPERS_LEAST) for order in data["orders"]
        )
        return Relations(orders, tuple((a, b, c) for a, b, c in data["sums"]), dict(data.get("missing", {})))

    def absence_threshold(self, field: str, floor: float) -> float:
        """The log-odds under which a value is worse than none: `floor`, and less for fields that labelled papers
        hardly ever lack, down to where it is as unlikely as that the field is missing: on papers of the layout, where
        that is known."""
        share = self.missing.get(field, 0.5)
        return min(floor, self.lacking.get(field, math.log(share / (1 - share))))


def learned_relations(plan: Plan, samples: Sequence[Sample]) -> Relations:
    """Relations that hold on every paper with labels for all their fields, at least five of them; an order also
    needs to be strict on most."""
    orders: list[tuple[str, str, int]] = []
    sums: list[tuple[str, str, str]] = []
    for kind in (DataType.DATE, DataType.MONEY):
        keys = [planned.key for planned in plan.fields if planned.data_type is kind and not planned.many][:FIELDS_MAX]
        values = [_values(sample, keys) for sample in samples]
        for first, second in permutations(keys, 2):
            pairs = [(its[first], its[second]) for its in values if first in its and second in its]
            if (
                len(pairs) >= PAPERS_LEAST
                and all(a <= b for a, b in pairs)
                and sum(a < b for a, b in pairs) > 0.8 * len(pairs)
            ):
                orders.append((first, second, len(pairs)))
        if kind is DataType.MONEY:
            for total in keys:
                for first, second in combinations([key for key in keys if key != total], 2):
                    rows = [its for its in values if {first, second, total} <= its.keys()]
                    if len(rows) >= PAPERS_LEAST and all(its[first] + its[second] == its[total] for its in rows):
                        sums.append((first, second, total))
    missing = {}
    for field in plan.fields:
        told = [not sample.labels[field.key] for sample in samples if field.key in sample.labels]
        missing[field.key] = (sum(told) + 1) / (len(told) + 2)  # never 0 or 1
    return Relations(tuple(orders), tuple(sums), missing)


def _values(sample: Sample, keys: Sequence[str]) -> dict[str, Decimal]:
    found = {}
    for key in keys:
        labels = sample.labels.get(key, ())
        value = comparable(labels[0].normal) if len(labels) == 1 else None
        if value is not None:
            found[key] = value
    return found


def comparable(normal: str) -> Decimal | None:
    """An amount as a number, a date (ISO 8601) as the number its digits are, which stands in order of time."""
    is_date = len(normal) == 10 and normal[4] == normal[7] == "-"
    try:
        return Decimal(normal.replace("-", "") if is_date else normal)
    except InvalidOperation:
        return None


def optimise_jointly(decisions: Sequence[Decision], relations: Relations, floor: float) -> list[Decision]:
    """Decisions changed, a field or two at a time, while the whole gains: the log-odds of what is chosen, with
    `absence_threshold` for what is not, and what relations lend. `floor` is the log-odds that a value needs to be
    given at all."""
    found = {decision.field: decision for decision in decisions}
    # each step gains, so this ends by itself; the bound is for the time it may take
    for _ in range(2 * len(found)):
        best, gain = None, 1e-6
        for changed in _moves(found, relations, floor):
            its = _worth({**found, **changed}, changed, relations, floor) - _worth(found, changed, relations, floor)
            if its > gain:
                best, gain = changed, its
        if best is None:
            break
        found |= best
    return [found[decision.field] for decision in decisions]


def _moves(found: Mapping[str, Decision], relations: Relations, floor: float) -> Iterator[dict[str, Decision]]:
    """Changes worth trying: another value for a field; and where another field holds its words, that field's next
    best, or none, in turn."""
    for key, one in found.items():
        if len(one.chosen) > 1:  # relations are between single values
            continue
        for choice in _options(one, relations, floor):
            holders = [other for other in found.values() if other.field != key and _holds(other, choice)]
            if not holders:
                yield {key: _with(one, choice)}
            # Words that two other fields hold are left alone: trying three fields at once would cost the cube.
            elif len(holders) == 1 and len(holders[0].chosen) == 1:
                holder = holders[0]
                yield {key: _with(one, choice), holder.field: _without(holder)}
                for instead in _options(holder, relations, floor):
                    others = [other for name, other in found.items() if name not in (key, holder.field)]
                    if not shares_words(instead.candidate, choice.candidate) and not any(
                        _holds(other, instead) for other in others
                    ):
                        yield {key: _with(one, choice), holder.field: _with(holder, instead)}


def _options(one: Decision, relations: Relations, floor: float) -> list[Choice]:
    least = relations.absence_threshold(one.field, floor)
    if one.chosen:
        least = max(least, one.logit - GAP_MOST)
    return [choice for choice in one.others[:TRIED] if choice.logit >= least]


def _holds(one: Decision, choice: Choice) -> bool:
    return any(shares_words(choice.candidate, mine.candidate) for mine in one.chosen)


def _worth(found: Mapping[str, Decision], fields: Iterable[str], relations: Relations, floor: float) -> float:
    """Of some fields: log-odds of what they have, and what the relations they are in lend."""
    keys = set(fields)
    own = sum(found[key].logit if found[key].chosen else relations.absence_threshold(key, floor) for key in keys)
    return own + _bonus(found, relations, keys)


def _with(decision: Decision, choice: Choice) -> Decision:
    others = sorted(
        [*decision.chosen, *(other for other in decision.others if other is not choice)], key=lambda one: -one.logit
    )
    return replace(
        decision,
        chosen=(choice,),
        others=tuple(others),
        logit=choice.logit,
        rival=decision.logit,
        reading=choice.candidate.confidence,
        misread=choice.candidate.differs,
        why=FITS,
    )


def _without(decision: Decision) -> Decision:
    """The decision that the field is not there."""
    others = sorted([*decision.chosen, *decision.others], key=lambda one: -one.logit)
    best = others[0].logit if others else NO_RIVAL
    return replace(
        decision, chosen=(), others=tuple(others), logit=best, rival=best, reading=1.0, misread=False, why=""
    )


def _bonus(decisions: Mapping[str, Decision], relations: Relations, keys: set[str]) -> float:
    """What the relations of some fields lend to the choices as they are. A kept order is nothing special, a broken
    one takes the log-odds of a breach that n papers never showed (1 to n + 1, Laplace's rule of succession); that
    amounts add up is hardly chance, and lends a lot."""

    def value(name: str) -> Decimal | None:
        one = decisions.get(name)
        return comparable(one.chosen[0].candidate.normal) if one is not None and len(one.chosen) == 1 else None

    total = 0.0
    for first, second, papers in relations.orders:
        if keys & {first, second}:
            a, b = value(first), value(second)
            if a is not None and b is not None:
                total -= 0.0 if a <= b else math.log(papers + 1)
    for first, second, third in relations.sums:
        if keys & {first, second, third}:
            a, b, c = value(first), value(second), value(third)
            if a is not None and b is not None and c is not None:
                total += SUM_BONUS if a + b == c else -SUM_BONUS / 3
    return total
