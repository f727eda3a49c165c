"""Weigh: thresholds, what follows from them, policies."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from jugum.core.thresholds import Outcome
from jugum.flow.weigh import policies, weighing
from jugum.flow.weigh.policies import PolicyView
from jugum.flow.weigh.weighing import WeighView
from jugum.web import headings
from jugum.web.api.train import Number
from jugum.web.gate import GatedRoute
from jugum.web.security import MaySee, MayWeigh

router = APIRouter(route_class=GatedRoute, tags=["Weigh"])


class ThresholdsBody(BaseModel):
    """Least confidence per field key, and the least familiarity of a paper's layout, all 0–1."""

    thresholds: dict[str, float]
    layout_similarity_min: float = Field(ge=0, le=1)
    note: str = ""
    error_most: float = Field(weighing.ERROR_MOST, ge=0.001, le=0.5)


class OutcomeOut(BaseModel):
    """Of `total` held-out decisions `passing` pass and `wrong` of these are wrong; bound at 95 % confidence;
    `summary` says it in words; for all fields together `promise` says what that shows of the maximum error rate."""

    total: int
    passing: int
    wrong: int
    error_upper: float
    passing_share: float
    error_share: float
    summary: str
    promise: str


def _out(outcome: Outcome, promise: str) -> OutcomeOut:
    return OutcomeOut(
        total=outcome.total,
        passing=outcome.passing,
        wrong=outcome.wrong,
        error_upper=outcome.error_upper,
        passing_share=outcome.passing_share,
        error_share=outcome.error_share,
        summary=headings.weigh(outcome),
        promise=promise,
    )


@router.get("/types/{type_id}/weigh")
def weigh_view(request: Request, type_id: int, actor: MaySee, error_most: float = weighing.ERROR_MOST) -> WeighView:
    """Evidence, thresholds in force, and thresholds proposed for at most `error_most` wrong among what passes."""
    return weighing.weigh(request.app.state.store, type_id, error_most=error_most)


@router.post("/types/{type_id}/what-follows")
def what_follows(request: Request, type_id: int, actor: MaySee, body: ThresholdsBody) -> dict[str, OutcomeOut]:
    """What thresholds would do on held-out papers of known layouts; key "" is all fields together. Nothing is saved."""
    found = weighing.what_follows(
        request.app.state.store, type_id, body.thresholds, body.layout_similarity_min, body.error_most
    )
    promise = headings.promise(found.outcomes[""], found.promise)
    return {key: _out(outcome, "" if key else promise) for key, outcome in found.outcomes.items()}


@router.get("/types/{type_id}/policies")
def list_policies(request: Request, type_id: int, actor: MaySee) -> list[PolicyView]:
    return policies.policies(request.app.state.store, type_id)


@router.post("/types/{type_id}/policies", status_code=201)
def save_policy(request: Request, type_id: int, actor: MayWeigh, body: ThresholdsBody) -> Number:
    number = policies.save_policy(
        request.app.state.store, actor, type_id, body.thresholds, body.layout_similarity_min, body.note
    )
    return Number(number=number)
