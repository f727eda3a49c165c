"""How the dial of a type is set, as it is asked for and as it is kept with a policy."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import Any

from jugum.core.thresholds import FieldRules
from jugum.core.thresholds.effort import Effort
from jugum.core.thresholds.opening import OpeningPrice
from jugum.errors import InputError
from jugum.store.models import Policy

ERROR_MOST = 0.02
WEIGHT_MOST = 1000.0  # of a field; more is the same as always held


class Way(StrEnum):
    """How the dial is set."""

    PROMISE = "promise"
    BUDGET = "budget"
    COSTS = "costs"


@dataclass(frozen=True)
class DialSettings:
    """How the dial is to be set, and by which rules for single fields. A budget without `papers_a_week` is for as many
    as have come in. Costs are in the office's money; a field that weighs twice as much costs twice as much; by costs a
    paper is opened only when it is worth it, unless it `opens_always`."""

    way: Way = Way.PROMISE
    error_most: float = ERROR_MOST
    proven: bool = False
    hours_a_week: float = 5.0
    papers_a_week: float | None = None
    wrong_value_cost: float = 50.0
    review_hour_cost: float = 300.0
    opens_always: bool = False
    rules: FieldRules = field(default_factory=FieldRules)

    def for_fields(self, keys: Collection[str]) -> DialSettings:
        """The same without rules for fields that are not weighed, such as were removed since."""
        rules = FieldRules(
            {key: weight for key, weight in self.rules.weights.items() if key in keys},
            {key: threshold for key, threshold in self.rules.pinned.items() if key in keys},
            self.rules.always_held & frozenset(keys),
        )
        return replace(self, rules=rules)

    def rules_for(self, effort: Effort) -> FieldRules:
        """The rules for fields, with the price of opening a paper where costs set the dial."""
        if self.way is not Way.COSTS or self.opens_always:
            return self.rules
        return replace(self.rules, opening=OpeningPrice.of(self.wrong_value_cost, self.review_hour_cost, effort))

    def check(self, keys: Collection[str]) -> None:
        """InputError for what can't be meant for these fields."""
        if not 0.001 <= self.error_most <= 0.5:
            raise InputError("The maximum error rate must be between 0.1 % and 50 %.")
        if self.wrong_value_cost <= 0 or self.review_hour_cost < 0:
            raise InputError("A wrong value must cost more than 0, and an hour of review no less than 0.")
        if self.hours_a_week < 0 or (self.papers_a_week or 0.0) < 0:
            raise InputError("Hours and papers a week must not be negative.")
        for key, weight in self.rules.weights.items():
            if not 1 / WEIGHT_MOST <= weight <= WEIGHT_MOST:
                raise InputError(f"The weight of “{key}” is {weight:g}; it must be between 0.001 and 1,000.")
        for key, threshold in self.rules.pinned.items():
            if not 0 <= threshold <= 1:
                raise InputError(f"The threshold of “{key}” is {threshold}; it must be between 0 and 1.")
        named = {*self.rules.weights, *self.rules.pinned, *self.rules.always_held}
        if unknown := named - set(keys):
            raise InputError(f"No field that is weighed has the key {', '.join(sorted(unknown))}.")

    def to_data(self) -> dict[str, Any]:
        """As it is kept with a policy, which has the fields that are always held itself, and the price of opening."""
        own = {name: value for name, value in asdict(self).items() if name != "rules"}
        return {**own, "weights": dict(self.rules.weights), "pinned": dict(self.rules.pinned)}

    @staticmethod
    def of(policy: Policy | None) -> DialSettings:
        """How the dial of a policy was set; the usual way for one that does not say."""
        return DialSettings() if policy is None else DialSettings.from_data(policy.settings, policy.always_held)

    @staticmethod
    def from_data(data: Mapping[str, Any], always_held: Collection[str]) -> DialSettings:
        """The other way of `to_data`."""
        own = {name: value for name, value in data.items() if name not in ("weights", "pinned", "opening")}
        own.setdefault("opens_always", own.get("way") == Way.COSTS)  # as by policies from before that could be said
        rules = FieldRules(data.get("weights", {}), data.get("pinned", {}), frozenset(always_held))
        return DialSettings(**{**own, "way": Way(own.get("way", Way.PROMISE))}, rules=rules)


__all__ = ["ERROR_MOST", "DialSettings", "Way"]
