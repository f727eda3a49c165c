"""Weigh: spot checks of what passed, breaches of a promise, resuming a policy; live figures."""

from __future__ import annotations

from datetime import date
from typing import Annotated

from fastapi import APIRouter, Request
from pydantic import BaseModel, ConfigDict, Field

from jugum.core.thresholds.checking import CheckRules
from jugum.core.thresholds.periods import Span
from jugum.flow.weigh import breaches, check_settings
from jugum.flow.weigh import spot_checks as checks
from jugum.flow.weigh.check_settings import HALF_LIFE_DAYS, CheckSettings
from jugum.flow.weigh.live import LiveView, live
from jugum.flow.weigh.promise_under import PromiseUnder, promise_under
from jugum.flow.weigh.spot_checks import SpotChecksView
from jugum.web.gate import GatedRoute
from jugum.web.security import MaySee, MayWeigh

router = APIRouter(route_class=GatedRoute, tags=["Weigh"])
Share = Annotated[float, Field(ge=0, le=1)]


class CheckingBody(BaseModel):
    """How passed papers are checked: whether at all; at which rate a policy begins (0–1); which breach must be noticed
    (times the promise) within how many days; which share of checks is blind, and of how many values at most; whether
    checked papers are delivered only after the check; whether a breach suspends the policy; which addresses are told of
    one; after how many days what was seen counts half."""

    model_config = ConfigDict(extra="forbid")  # a misspelt key must not turn it off

    on: bool = True
    probation_rate: Share = CheckRules.probation_rate
    notice_times: float = CheckRules.notice_times
    notice_days: float = CheckRules.notice_days
    blind_share: Share = CheckRules.blind_share
    blind_values: int = Field(CheckRules.blind_values, ge=1, le=100)
    deliver_after: bool = False
    suspends: bool = True
    tell: list[str] = Field(default_factory=list, max_length=20)
    half_life_days: float = HALF_LIFE_DAYS

    def settings(self) -> CheckSettings:
        """As the flow takes it."""
        rules = CheckRules(
            self.probation_rate, self.notice_times, self.notice_days, self.blind_share, self.blind_values
        )
        tell = tuple(address.strip() for address in self.tell if address.strip())
        return CheckSettings(self.on, rules, self.deliver_after, self.suspends, tell, self.half_life_days)

    @staticmethod
    def of(settings: CheckSettings) -> CheckingBody:
        """The other way of `settings`."""
        own = {name: value for name, value in vars(settings).items() if name != "rules"}
        return CheckingBody(**{**own, **vars(settings.rules), "tell": list(settings.tell)})


class ReasonBody(BaseModel):
    reason: str


@router.get("/types/{type_id}/checking")
def checking(request: Request, type_id: int, actor: MaySee) -> CheckingBody:
    """How a type's passed papers are spot-checked."""
    return CheckingBody.of(check_settings.checking(request.app.state.store, type_id))


@router.put("/types/{type_id}/checking", status_code=204)
def set_checking(request: Request, type_id: int, actor: MayWeigh, body: CheckingBody) -> None:
    """Set it for papers that pass from now on."""
    check_settings.set_checking(request.app.state.store, actor, type_id, body.settings())


@router.get("/types/{type_id}/spot-checks")
def spot_checks(request: Request, type_id: int, actor: MaySee) -> SpotChecksView:
    """What the checks of the policy in force have shown: the error among what passes with its interval, by field, by
    layout group, blind against open; the bet against the promise after each paper; wrong values; breaches."""
    return checks.spot_checks(request.app.state.store, type_id)


@router.get("/types/{type_id}/live-figures")
def live_figures(
    request: Request, type_id: int, actor: MaySee, span: Span = Span.WEEK, start: date | None = None
) -> LiveView:
    """How the live papers of a type fared, by `day` or `week`: straight through, held by reason, minutes of review,
    what checks found of what had passed, new layouts; what drifted since the policy in force; with `start` (the first
    day of a period) the papers that came in it."""
    return live(request.app.state.store, type_id, span, start)


@router.get("/versions/{version_id}/promise")
def promise(request: Request, version_id: int, actor: MaySee) -> PromiseUnder | None:
    """What would become of the promise in force if a version were made live, on the held-out values that both it and
    the live version were tested on; null without a policy or another live version."""
    return promise_under(request.app.state.store, version_id)


@router.post("/types/{type_id}/policies/resume", status_code=204)
def resume(request: Request, type_id: int, actor: MayWeigh, body: ReasonBody) -> None:
    """Go on by the policy in force after a breach, with the reason; its probation begins anew."""
    breaches.resume(request.app.state.store, actor, type_id, body.reason)
