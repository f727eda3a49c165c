"""Weigh: the dial, its frontier, what follows from thresholds, policies."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field, ValidationError

from jugum.core.states import LABEL_STATES
from jugum.core.thresholds import FieldRules, Outcome
from jugum.core.thresholds.frontier import bounded
from jugum.core.thresholds.outcome import says_something
from jugum.errors import InputError
from jugum.flow.office.actor import Actor
from jugum.flow.weigh import policies, weighing
from jugum.flow.weigh.dial import ERROR_MOST, DialSettings, Way
from jugum.flow.weigh.evidence import EvidencePlace, Point, evidence_place
from jugum.flow.weigh.policies import PolicyView
from jugum.flow.weigh.trial import PAPERS, TrialChange, TrialView, trial
from jugum.flow.weigh.weighing import FieldWeighed, Frontier, SetPoint, WeighView
from jugum.store import Store
from jugum.web import headings
from jugum.web.addresses import crop_address
from jugum.web.api.train import Number
from jugum.web.gate import GatedRoute
from jugum.web.security import MaySee, MayWeigh
from jugum.web.weigh_words import FIELDS, WeighWords

router = APIRouter(route_class=GatedRoute, tags=["Weigh"])


class DialBody(BaseModel):
    """How the dial is to be set: by a promise (`error_most`, a share; `proven`: kept by the upper bound), a budget
    (`hours_a_week` of review, for `papers_a_week`, else as many as have come in) or costs (in the office's money; a
    paper is then opened only when looking at its held values is worth it, unless it `opens_always`); with rules for
    single fields: how much more a wrong value weighs, thresholds that stay, and fields that are always held."""

    way: Way = Way.PROMISE
    error_most: float = ERROR_MOST
    proven: bool = False
    hours_a_week: float = 5.0
    papers_a_week: float | None = None
    wrong_value_cost: float = 50.0
    review_hour_cost: float = 300.0
    opens_always: bool = False
    weights: dict[str, float] = Field(default_factory=dict)
    pinned: dict[str, float] = Field(default_factory=dict)
    always_held: list[str] = Field(default_factory=list)
    layout_similarity_min: float | None = Field(None, ge=0, le=1)

    def settings(self) -> DialSettings:
        """As the flow takes it."""
        rules = FieldRules(self.weights, self.pinned, frozenset(self.always_held))
        own = self.model_dump(exclude={"weights", "pinned", "always_held", "layout_similarity_min"})
        return DialSettings(**own, rules=rules)

    @staticmethod
    def of(settings: DialSettings) -> DialBody:
        """The other way of `settings`."""
        return DialBody.model_validate({**settings.to_data(), "always_held": sorted(settings.rules.always_held)})


class ThresholdsBody(BaseModel):
    """Least confidence per field key, and the least similarity of a paper's layout, all 0–1."""

    thresholds: dict[str, float]
    layout_similarity_min: float = Field(ge=0, le=1)
    error_most: float = Field(ERROR_MOST, ge=0.001, le=0.5)


class PolicyBody(ThresholdsBody):
    """The same with a note, the fields that always go to a person, and how the dial was set."""

    note: str = ""
    always_held: list[str] = Field(default_factory=list)
    dial: DialBody | None = None

    @staticmethod
    def of_file(name: str, data: bytes) -> PolicyBody:
        """A policy as it was taken out. InputError for a file that is none, with what is wrong in it."""
        try:
            return PolicyBody.model_validate_json(data)
        except ValidationError as error:
            first = error.errors()[0]
            place = ".".join(map(str, first["loc"])) or "the file"
            raise InputError(
                f"“{name}” is no policy: {place}: {first['msg'].lower()}. Take one out with “As JSON” and change that."
            ) from error

    def publish(self, store: Store, actor: Actor, type_id: int) -> int:
        """Publish it as a type's next policy; returns its number."""
        return policies.save_policy(
            store,
            actor,
            type_id,
            self.thresholds,
            self.layout_similarity_min,
            self.note,
            always_held=self.always_held,
            settings=self.dial.settings() if self.dial else None,
        )


class OutcomeOut(BaseModel):
    """Of `total` held-out decisions `passing` pass and `wrong` of these are wrong. Shares (0–1) are of what passes,
    `passing_share` of all; `error_upper` is the one-sided bound at 95 %, `error_interval` the two-sided interval, both
    for values of one paper that err together."""

    total: int
    passing: int
    wrong: int
    passing_share: float
    error_share: float
    expected_share: float
    error_upper: float
    error_interval: tuple[float, float]

    @staticmethod
    def of(outcome: Outcome) -> OutcomeOut:
        return OutcomeOut.model_validate(outcome, from_attributes=True)


class PointOut(BaseModel):
    """A point of the frontier: the setting of the dial (None for thresholds that no setting gives), thresholds by field
    (fields that are always held have none), what follows for all fields together, minutes of review per 100 papers, and
    wrong values per 1,000 delivered, expected and at the upper bound. `promise` is proven, expected, broken or empty;
    `more_papers`: about how many more checked papers would prove it."""

    setting: float | None
    thresholds: dict[str, float]
    outcome: OutcomeOut
    minutes_per_100_papers: float
    wrong_per_1000: float
    wrong_per_1000_upper: float
    promise: str
    more_papers: int | None
    said: str
    summary: str

    @staticmethod
    def of(at: SetPoint, words: WeighWords = FIELDS) -> PointOut:
        point = at.point
        summary = (
            headings.weigh(point.outcome, point.minutes)
            if words is FIELDS
            else headings.sorting(point.outcome, point.minutes, words)
        )
        return PointOut(
            setting=None if math.isnan(point.setting) else point.setting,
            thresholds=bounded(point.thresholds),
            outcome=OutcomeOut.of(point.outcome),
            minutes_per_100_papers=point.minutes,
            wrong_per_1000=point.wrong_per_1000,
            wrong_per_1000_upper=point.wrong_per_1000_upper,
            promise=at.promise.state,
            more_papers=at.promise.more_papers,
            said=headings.promise(point.outcome, at.promise, words),
            summary=summary,
        )


class FrontierOut(BaseModel):
    """All settings of the dial from strict to lax, the place of the one that is proposed (None where none keeps the
    promise), and the policy in force. Review takes `opening_seconds` a paper and `field_seconds` a field, measured on
    `effort_papers` papers (0: assumed)."""

    points: list[PointOut]
    proposed: int | None
    now: PointOut | None
    papers: int
    papers_a_week: float
    opening_seconds: float
    field_seconds: float
    effort_papers: int

    @staticmethod
    def of(frontier: Frontier, words: WeighWords = FIELDS) -> FrontierOut:
        return FrontierOut(
            points=[PointOut.of(point, words) for point in frontier.points],
            proposed=frontier.proposed,
            now=PointOut.of(frontier.now, words) if frontier.now else None,
            papers=frontier.papers,
            papers_a_week=frontier.papers_a_week,
            opening_seconds=frontier.effort.opening_seconds,
            field_seconds=frontier.effort.field_seconds,
            effort_papers=frontier.effort.measured_on,
        )


class BalanceOut(BaseModel):
    """A field, its threshold in force (None without one) and the one proposed, its evidence, and what follows at each
    threshold of the grid: how many pass, how many of these are wrong, the upper bound, and the shares (0–1) that pass
    and that of these are wrong, as they count. `thin`: too few decisions to say anything of it. `decisions_a_paper`:
    how many there are in the mean."""

    key: str
    name: str
    threshold: float | None
    proposed: float
    total: int
    thin: bool
    along: list[tuple[int, int, float, float, float]]
    decisions_a_paper: float
    points: list[Point]

    @staticmethod
    def of(field: FieldWeighed, proposed: float) -> BalanceOut:
        total = field.along[0].total if field.along else 0
        along = [
            (at.passing, at.wrong, *(round(share, 4) for share in (at.error_upper, at.passing_share, at.error_share)))
            for at in field.along
        ]
        thin = not says_something(total)
        return BalanceOut(
            key=field.key,
            name=field.name,
            threshold=field.threshold,
            proposed=proposed,
            total=total,
            thin=thin,
            along=along,
            decisions_a_paper=round(field.decisions_a_paper, 4),
            points=field.points,
        )


def balances_of(fields: Sequence[FieldWeighed], frontier: Frontier) -> list[BalanceOut]:
    """The balances of some fields, with the thresholds that are proposed (1 where none is)."""
    place = frontier.proposed
    proposed = bounded(frontier.points[place].point.thresholds) if place is not None else {}
    return [BalanceOut.of(field, proposed.get(field.key, 1.0)) for field in fields]


class WeighOut(BaseModel):
    """What Weigh shows of a type: the version whose evidence it is, the grid of thresholds from strict to lax, a
    balance for each field, the frontier by the settings of the policy in force (`dial`), and that policy."""

    version_id: int
    version: int
    version_state: str
    papers: int
    layout_similarity_min: float
    layout_similarity_proposed: float
    grid: list[float]
    balances: list[BalanceOut]
    frontier: FrontierOut
    dial: DialBody
    policy: PolicyView | None

    @staticmethod
    def of(view: WeighView) -> WeighOut:
        frontier = view.frontier
        same = {name: value for name, value in vars(view).items() if name in WeighOut.model_fields}
        return WeighOut(
            **{**same, "frontier": FrontierOut.of(frontier)},
            balances=balances_of(view.fields, frontier),
            dial=DialBody.of(frontier.settings),
        )


class FollowsOut(OutcomeOut):
    """What follows; for all fields together `summary` says it in words, and `promise` what that shows of the maximum
    error rate."""

    summary: str = ""
    promise: str = ""
    minutes_per_100_papers: float | None = None


@router.get("/types/{type_id}/weigh")
def weigh_view(request: Request, type_id: int, actor: MaySee, error_most: float | None = None) -> WeighOut:
    """Evidence, the policy in force, and the frontier by its settings; with `error_most` (a share) by that promise."""
    return WeighOut.of(weighing.weigh(request.app.state.store, type_id, error_most=error_most))


class EvidenceOut(BaseModel):
    """Where a mark of a balance stands: the paper, the picture of the place ("" without one) and where it is worked
    on."""

    paper: str
    crop: str
    address: str

    @staticmethod
    def of(place: EvidencePlace) -> EvidenceOut:
        document = place.document_id
        crop = crop_address(document, place.page, place.box) if place.page and place.box else ""
        labelled = place.state in LABEL_STATES
        return EvidenceOut(paper=place.paper, crop=crop, address=f"/label/{document}" if labelled else "")


@router.get("/types/{type_id}/weigh/evidence")
def evidence(request: Request, type_id: int, actor: MaySee, field: str, document: int) -> EvidenceOut:
    """Where the decision about a field of a paper stands."""
    return EvidenceOut.of(evidence_place(request.app.state.store, type_id, field, document))


@router.post("/types/{type_id}/frontier")
def frontier(request: Request, type_id: int, actor: MaySee, body: DialBody) -> FrontierOut:
    """The frontier by other settings, and the point they propose. Nothing is saved."""
    return FrontierOut.of(
        weighing.frontier_of(request.app.state.store, type_id, body.settings(), body.layout_similarity_min)
    )


@router.post("/types/{type_id}/what-follows")
def what_follows(request: Request, type_id: int, actor: MaySee, body: ThresholdsBody) -> dict[str, FollowsOut]:
    """What thresholds would do on held-out papers of known layouts; key "" is all fields together. Nothing is saved."""
    found = weighing.what_follows(
        request.app.state.store, type_id, body.thresholds, body.layout_similarity_min, body.error_most
    )
    total = PointOut.of(found.total)
    said: dict[str, Any] = {
        "summary": total.summary,
        "promise": total.said,
        "minutes_per_100_papers": total.minutes_per_100_papers,
    }
    return {
        **{key: FollowsOut(**OutcomeOut.of(outcome).model_dump()) for key, outcome in found.outcomes.items()},
        "": FollowsOut(**total.outcome.model_dump(), **said),
    }


class TrialBody(ThresholdsBody):
    """Thresholds with the fields that always go to a person, to be tried on the last `papers` live papers, which are
    opened as the `dial` says."""

    always_held: list[str] = Field(default_factory=list)
    papers: int = Field(PAPERS, ge=1, le=1000)
    dial: DialBody | None = None


class TrialChangeOut(BaseModel):
    """A field of a live paper that would change sides, with the picture of its place ("" without one) and where the
    paper is looked at. `corrected`: whether a person gave another value than was read; None where nobody looked."""

    document_id: int
    paper: str
    key: str
    name: str
    value: str
    confidence: float
    threshold: float
    would_pass: bool
    corrected: bool | None
    corrected_to: str
    crop: str
    address: str

    @staticmethod
    def of(change: TrialChange) -> TrialChangeOut:
        return TrialChangeOut.model_validate(
            {
                **{name: value for name, value in vars(change).items() if name != "place"},
                "crop": crop_address(change.document_id, *change.place) if change.place else "",
                "address": f"/look/{change.document_id}",
            }
        )


class TrialOut(BaseModel):
    """What thresholds would have done with the last live papers: fields and whole papers that pass now and then,
    minutes of review, and the changes; `said` sums up."""

    papers: int
    fields: int
    passing_now: int
    passing_then: int
    whole_now: int
    whole_then: int
    minutes_now: float
    minutes_then: float
    checked: int
    wrong: int
    would_pass: int
    would_wait: int
    said: str
    changes: list[TrialChangeOut]

    @staticmethod
    def of(found: TrialView, said: str) -> TrialOut:
        same = {name: value for name, value in vars(found).items() if name != "changes"}
        return TrialOut(**same, said=said, changes=[TrialChangeOut.of(change) for change in found.changes])


@router.post("/types/{type_id}/weigh/trial")
def try_thresholds(request: Request, type_id: int, actor: MaySee, body: TrialBody) -> TrialOut:
    """What thresholds would do to the last live papers, by their kept readings. Nothing is saved and nothing is read
    again."""
    found = trial(
        request.app.state.store,
        type_id,
        body.thresholds,
        body.layout_similarity_min,
        body.always_held,
        body.papers,
        body.dial.settings() if body.dial else None,
    )
    return TrialOut.of(found, headings.trial(found))


@router.get("/types/{type_id}/policies")
def list_policies(request: Request, type_id: int, actor: MaySee) -> list[PolicyView]:
    """The policies of a type, the newest first, which is in force."""
    return policies.policies(request.app.state.store, type_id)


@router.get("/types/{type_id}/policies/{number}")
def one_policy(request: Request, type_id: int, number: int, actor: MaySee) -> PolicyBody:
    """A policy as it can be published again, here or for another type with the same fields."""
    found = policies.policy(request.app.state.store, type_id, number)
    dial = DialBody.of(DialSettings.from_data(found.settings, found.always_held))
    return PolicyBody(
        thresholds=found.thresholds,
        layout_similarity_min=found.layout_similarity_min,
        error_most=dial.error_most,
        note=found.note,
        always_held=found.always_held,
        dial=dial if found.settings else None,
    )


@router.post("/types/{type_id}/policies", status_code=201)
def save_policy(request: Request, type_id: int, actor: MayWeigh, body: PolicyBody) -> Number:
    """Publish thresholds as the next policy: papers that are drafted from now on and held ones that nobody has begun
    are held and pass by it."""
    return Number(number=body.publish(request.app.state.store, actor, type_id))
