"""What a type asks of its spot checks, as it is kept with the type."""

from __future__ import annotations

import re
from collections.abc import Mapping
from dataclasses import asdict, dataclass, field
from typing import Any

from jugum.core.thresholds.checking import CheckRules
from jugum.errors import InputError
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.office.types import type_row
from jugum.flow.weigh.rate import rate_anew
from jugum.store import Store
from jugum.store.models import DocumentType

ADDRESS = re.compile(r"[^@\s,]+@[^@\s,]+")
HALF_LIFE_DAYS = 90.0


@dataclass(frozen=True)
class CheckSettings:
    """Whether what passes is spot-checked, and by which rules; whether checked papers are delivered only after the
    check; whether a breach suspends the policy; who is told of one by mail (addresses); after how many days what was
    seen counts half."""

    on: bool = True
    rules: CheckRules = field(default_factory=CheckRules)
    deliver_after: bool = False
    suspends: bool = True
    tell: tuple[str, ...] = ()
    half_life_days: float = HALF_LIFE_DAYS

    def check(self) -> None:
        """InputError for what can't be meant."""
        rules = self.rules
        for share, name in ((rules.probation_rate, "rate of probation"), (rules.blind_share, "share of blind checks")):
            if not 0 <= share <= 1:
                raise InputError(f"The {name} must be between 0 and 100 %.")
        if not 1.2 <= rules.notice_times <= 20:
            raise InputError("A breach to be noticed must be 1.2 to 20 times the promise.")
        if not 1 <= rules.notice_days <= 365:
            raise InputError("A breach must be noticed within 1 to 365 days.")
        if not 1 <= self.half_life_days <= 3650:
            raise InputError("What was seen must count half after 1 to 3,650 days.")
        for address in self.tell:
            if not ADDRESS.fullmatch(address):
                raise InputError(f"“{address}” is no mail address.")

    @staticmethod
    def of(row: DocumentType) -> CheckSettings:
        """Those of a type; the usual ones where nothing was set."""
        return CheckSettings.from_data(row.checking)

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> CheckSettings:
        """The other way of `to_data`."""
        own = {name: value for name, value in data.items() if name != "rules"}
        rules = CheckRules(**data.get("rules", {}))
        return CheckSettings(**{**own, "tell": tuple(data.get("tell", ()))}, rules=rules)

    def to_data(self) -> dict[str, Any]:
        """As it is kept."""
        return {**asdict(self), "tell": list(self.tell)}


def set_checking(store: Store, actor: Actor, type_id: int, settings: CheckSettings) -> None:
    """Set how a type's passed papers are checked from now on. What was drawn stays drawn."""
    actor.require(WEIGH)
    settings.check()
    with store.session() as session:
        row = type_row(session, type_id)
        before, row.checking = dict(row.checking), settings.to_data()
        rate_anew(session, type_id)
        record(session, actor, Action.SET_CHECKING, "document_type", type_id, before=before, after=row.checking)


def checking(store: Store, type_id: int) -> CheckSettings:
    """How a type's passed papers are checked."""
    with store.session() as session:
        return CheckSettings.of(type_row(session, type_id))


__all__ = ["CheckSettings", "checking", "set_checking"]
