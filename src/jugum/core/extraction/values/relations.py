"""What values of a paper are to each other: dates and amounts in order, how far apart they are, amounts that add up,
fields that no paper lacks. Learned from labels, and heard when values are chosen.

An order is believed when it held on every labelled paper that has both its fields, on five at least; a sum when it
held on some, since it hardly ever holds by chance. A slightly likelier value then gives way to one that fits the
others, never a clearly likelier one. Where two fields want the same words, the choice that is best for both together is
taken.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from dataclasses import field as kept
from datetime import date
from decimal import Decimal, InvalidOperation
from itertools import combinations, permutations, product
from statistics import median
from typing import Any

from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.values.assignment import NO_RIVAL, Choice, Decision, shares_words
from jugum.core.schema import Plan
from jugum.core.values import DataType

PAPERS_LEAST = 5  # without exception on so many papers, an order or a sum is believed (decision 0012)
APART_BONUS = 0.5  # share of the log-odds that a usual distance lends: distances to several fields say much the same
APART_LEAST, APART_MOST = -3.0, 2.0  # log-odds that one distance may take or lend
APART_ANY = 1 / 16  # density of the distances of values that have nothing to do with each other: e^-8 to e^8 times
APART_SPREAD = (1.0, 2.0)  # what is thought of a distance's spread before any paper, and as of how many papers
SUM_BONUS = 3.0  # log-odds that amounts which add up lend; by chance they hardly ever do
SUM_PAPERS, SUM_SHARE = 3, 0.2  # papers, and share of those that have its fields, on which a sum must have held
ADDENDS_MOST = 3
SUMS_TRIED = 12  # of the ways to choose amounts that add up, the likeliest
TRIED = 5  # candidates of a field that may change places
GAP_MOST = 4.0  # log-odds that a candidate may lie behind the likeliest and still be tried
FIELDS_MAX = 12  # fields of one kind that relations are looked for among
FITS = "it fits the other values of the paper"


@dataclass(frozen=True)
class Distance:
    """How far the value of `second` lies from that of `first`, as `distance` measures it: its median on labelled
    papers, and its spread (a standard deviation)."""

    first: str
    second: str
    centre: float
    spread: float

    def log_odds(self, apart: float) -> float:
        """What a distance says for two values: log-odds of Student's t with three degrees of freedom, which forgives
        what lies off, against any distance; −3 to 2."""
        off = (apart - self.centre) / self.spread
        density = 0.3676 / self.spread / (1 + off * off / 3) ** 2  # Γ(2) / (√(3π) Γ(1.5)) = 0.3676
        return min(APART_MOST, max(APART_LEAST, math.log(density / APART_ANY)))


@dataclass(frozen=True)
class Sum:
    """Amounts (two or three fields) that add up to another; `always` when they did on every labelled paper that has
    them all, five at least. Else papers may have amounts that are no field's, and only that they do says something."""

    addends: tuple[str, ...]
    total: str
    always: bool

    @property
    def fields(self) -> tuple[str, ...]:
        """All of them, the total last."""
        return (*self.addends, self.total)


@dataclass(frozen=True)
class Relations:
    """`orders`: pairs of fields whose first is at most their second, and on how many papers; `sums`: what adds up to
    what; `distances`: how far apart the values of two fields are; `missing`: of each field the share of labelled papers
    that lack it (0–1, by the rule of succession); `lacking`: of each field the log-odds that papers of the layout lack
    it, where the layout is known. `strange` (0–1): how far the layout is from being known, and so how much the usual
    distance may speak for a value."""

    orders: tuple[tuple[str, str, int], ...] = ()
    sums: tuple[Sum, ...] = ()
    distances: tuple[Distance, ...] = ()
    missing: Mapping[str, float] = kept(default_factory=dict)
    lacking: Mapping[str, float] = kept(default_factory=dict)
    strange: float = 1.0

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "orders": [list(order) for order in self.orders],
            "sums": [[*law.addends, law.total, law.always] for law in self.sums],
            "distances": [[law.first, law.second, law.centre, law.spread] for law in self.distances],
            "missing": dict(self.missing),
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> Relations:
        """The inverse; orders without a number of papers held on the fewest that are believed."""
        orders = tuple(
            (order[0], order[1], int(order[2]) if len(order) > 2 else PAPERS_LEAST) for order in data["orders"]
        )
        sums = tuple(Sum(tuple(addends), total, always) for *addends, total, always in data["sums"])
        distances = tuple(Distance(*law) for law in data.get("distances", ()))
        return Relations(orders, sums, distances, dict(data.get("missing", {})))

    def absence_threshold(self, field: str, floor: float) -> float:
        """The log-odds under which a value is worse than none: `floor`, and less for fields that labelled papers
        hardly ever lack, down to where it is as unlikely as that the field is missing: on papers of the layout, where
        that is known."""
        share = self.missing.get(field, 0.5)
        return min(floor, self.lacking.get(field, math.log(share / (1 - share))))


def learned_relations(plan: Plan, samples: Sequence[Sample]) -> Relations:
    """Orders that hold on every paper with labels for both their fields, at least five of them, and strictly on most;
    sums that hold on some; distances on five papers at least."""
    orders: list[tuple[str, str, int]] = []
    sums: list[Sum] = []
    distances: list[Distance] = []
    for kind in (DataType.DATE, DataType.MONEY):
        keys = [planned.key for planned in plan.fields if planned.data_type is kind and not planned.many][:FIELDS_MAX]
        normals = [_normals(sample, keys) for sample in samples]
        values = [
            {key: value for key, normal in its.items() if (value := comparable(normal)) is not None} for its in normals
        ]
        distances += [
            found
            for first, second in combinations(keys, 2)
            if (found := _distance_of(first, second, normals)) is not None
        ]
        for first, second in permutations(keys, 2):
            pairs = [(its[first], its[second]) for its in values if first in its and second in its]
            if (
                len(pairs) >= PAPERS_LEAST
                and all(a <= b for a, b in pairs)
                and sum(a < b for a, b in pairs) > 0.8 * len(pairs)
            ):
                orders.append((first, second, len(pairs)))
        if kind is DataType.MONEY:
            sums += _sums(keys, values)
    missing = {}
    for field in plan.fields:
        told = [not sample.labels[field.key] for sample in samples if field.key in sample.labels]
        missing[field.key] = (sum(told) + 1) / (len(told) + 2)  # never 0 or 1
    return Relations(tuple(orders), tuple(sums), tuple(distances), missing)


def _sums(keys: Sequence[str], papers: Sequence[Mapping[str, Decimal]]) -> list[Sum]:
    """Which amounts add up on papers; none of them nought, since any amount is itself and nought."""
    found = []
    for total in keys:
        others = [key for key in keys if key != total]
        for count in range(2, ADDENDS_MOST + 1):
            for addends in combinations(others, count):
                rows = [its for its in papers if all(its.get(key) for key in (*addends, total))]
                held = sum(sum(its[key] for key in addends) == its[total] for its in rows)
                if held >= max(SUM_PAPERS, SUM_SHARE * len(rows)):
                    found.append(Sum(addends, total, held == len(rows) >= PAPERS_LEAST))
    return found


def _distance_of(first: str, second: str, papers: Sequence[Mapping[str, str]]) -> Distance | None:
    """The usual distance between the values of two fields; None where fewer than five papers have both."""
    both = [distance(its[first], its[second]) for its in papers if first in its and second in its]
    found = [apart for apart in both if apart is not None]
    if len(found) < PAPERS_LEAST:
        return None
    usual, weight = APART_SPREAD
    centre = median(found)
    squares = sum((apart - centre) ** 2 for apart in found) + weight * usual**2
    return Distance(first, second, centre, math.sqrt(squares / (len(found) + weight)))


def distance(first: str, second: str) -> float | None:
    """How far a value in normal form is from another: of dates the logarithm of the days between them, one more, with
    their sign; of amounts that of how many times as large it is, signs apart. None where that can't be said."""
    if _is_date(first) and _is_date(second):
        try:
            days = (date.fromisoformat(second) - date.fromisoformat(first)).days
        except ValueError:  # typed by hand, and no date
            return None
        return math.copysign(math.log1p(abs(days)), days)
    if _is_date(first) or _is_date(second):
        return None
    a, b = comparable(first), comparable(second)
    return math.log(abs(b / a)) if a and b else None


def _is_date(normal: str) -> bool:
    return len(normal) == 10 and normal[4] == normal[7] == "-"


def _normals(sample: Sample, keys: Sequence[str]) -> dict[str, str]:
    """What a paper's labels say, of fields with one value there."""
    return {key: labels[0].normal for key in keys if len(labels := sample.labels.get(key, ())) == 1}


def comparable(normal: str) -> Decimal | None:
    """An amount as a number, a date (ISO 8601) as the number its digits are, which stands in order of time."""
    try:
        return Decimal(normal.replace("-", "") if _is_date(normal) else normal)
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
    for addends in relations.sums:
        yield from _adding_up(found, addends, relations, floor)
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


def _adding_up(
    found: Mapping[str, Decision], one: Sum, relations: Relations, floor: float
) -> Iterator[dict[str, Decision]]:
    """The likeliest choices of all amounts of a sum at once that make it hold. Fields whose words they take get their
    next best, or none."""
    if any(key not in found or len(found[key].chosen) > 1 for key in one.fields):
        return
    amounts = [
        [(value, choice) for choice in (*found[key].chosen, *found[key].others) if (value := _amount(choice))]
        for key in one.fields
    ]
    totals: dict[Decimal, list[Choice]] = {}
    for value, choice in amounts.pop():
        totals.setdefault(value, []).append(choice)
    ways = []
    for chosen in product(*amounts):
        for total in totals.get(sum((value for value, _ in chosen), Decimal()), ()):
            choices = [*(choice for _, choice in chosen), total]
            if not any(shares_words(a.candidate, b.candidate) for a, b in combinations(choices, 2)):
                ways.append(choices)
    ways.sort(key=lambda choices: -sum(choice.logit for choice in choices))
    for choices in ways[:SUMS_TRIED]:
        changed = {
            key: _with(found[key], choice)
            for key, choice in zip(one.fields, choices, strict=True)
            if found[key].chosen != (choice,)
        }
        taken = [choice.candidate for choice in choices]
        for holder in found.values():
            if holder.field not in one.fields and any(_holds(holder, choice) for choice in choices):
                held = [its.chosen[0].candidate for its in found.values() if its.field != holder.field and its.chosen]
                free = (
                    its
                    for its in _options(holder, relations, floor)
                    if not any(shares_words(its.candidate, other) for other in (*taken, *held))
                )
                instead = next(free, None)
                changed[holder.field] = _with(holder, instead) if instead else _without(holder)
                taken += [instead.candidate] if instead else []
        if changed:
            yield changed


def _amount(choice: Choice) -> Decimal | None:
    return None if _is_date(choice.candidate.normal) else comparable(choice.candidate.normal)


def _options(one: Decision, relations: Relations, floor: float) -> list[Choice]:
    # what other values lend may lift one that would not be given by itself
    least = relations.absence_threshold(one.field, floor) - APART_MOST * relations.strange
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
        by_hand=choice.candidate.by_hand,
        why=FITS,
    )


def _without(decision: Decision) -> Decision:
    """The decision that the field is not there."""
    others = sorted([*decision.chosen, *decision.others], key=lambda one: -one.logit)
    best = others[0].logit if others else NO_RIVAL
    return replace(
        decision,
        chosen=(),
        others=tuple(others),
        logit=best,
        rival=best,
        reading=1.0,
        misread=False,
        by_hand=False,
        why="",
    )


def _bonus(decisions: Mapping[str, Decision], relations: Relations, keys: set[str]) -> float:
    """What the relations of some fields lend to the choices as they are. A kept order is nothing special, a broken
    one takes the log-odds of a breach that n papers never showed (1 to n + 1, Laplace's rule of succession); that
    amounts add up is hardly chance, and lends a lot."""

    def normal(name: str) -> str | None:
        one = decisions.get(name)
        return one.chosen[0].candidate.normal if one is not None and len(one.chosen) == 1 else None

    def value(name: str) -> Decimal | None:
        said = normal(name)
        return None if said is None else comparable(said)

    total = 0.0
    for first, second, papers in relations.orders:
        if keys & {first, second}:
            a, b = value(first), value(second)
            if a is not None and b is not None:
                total -= 0.0 if a <= b else math.log(papers + 1)
    for law in relations.sums:
        if keys.intersection(law.fields):
            values = [value(name) for name in law.fields]
            if all(its is not None for its in values):
                *addends, whole = (its for its in values if its is not None)
                total += SUM_BONUS if sum(addends) == whole else -SUM_BONUS / 3 * law.always
    for between in relations.distances:
        if keys & {between.first, between.second}:
            here, there = normal(between.first), normal(between.second)
            apart = distance(here, there) if here is not None and there is not None else None
            said = 0.0 if apart is None else between.log_odds(apart)
            # where the layout is known, it says better than any distance whether a value is there
            total += APART_BONUS * (said * relations.strange if said > 0 else said)
    return total
