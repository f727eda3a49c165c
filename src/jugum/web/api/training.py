"""Training, versions with their reports, and policies."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Depends, Request
from pydantic import BaseModel, Field

from jugum.core.evaluation.compare import Comparison
from jugum.core.thresholds import Outcome
from jugum.flow import train, weigh
from jugum.flow.actor import SEE, TRAIN, WEIGH, Actor
from jugum.flow.train import VersionView
from jugum.flow.weigh import PolicyView, WeighView
from jugum.web.api.plans import Made
from jugum.web.security import Requires

router = APIRouter()
See = Annotated[Actor, Depends(Requires(SEE))]
Train = Annotated[Actor, Depends(Requires(TRAIN))]
Weigh = Annotated[Actor, Depends(Requires(WEIGH))]


class Published(BaseModel):
    """How many live papers are drafted with the version now."""

    drafting: int


class Thresholds(BaseModel):
    """Least confidence per field key, and the least familiarity of a paper's layout, all 0–1."""

    thresholds: dict[str, float]
    familiarity_least: float = Field(ge=0, le=1)
    note: str = ""


class Number(BaseModel):
    number: int


class OutcomeOut(BaseModel):
    """Of `total` held-out decisions `passing` pass and `wrong` of these are wrong; bound at 95 % confidence."""

    total: int
    passing: int
    wrong: int
    error_upper: float
    passing_share: float
    error_share: float


def _out(outcome: Outcome) -> OutcomeOut:
    return OutcomeOut(
        total=outcome.total, passing=outcome.passing, wrong=outcome.wrong, error_upper=outcome.error_upper,
        passing_share=outcome.passing_share, error_share=outcome.error_share,
    )  # fmt: skip


@router.post("/types/{type_id}/versions", status_code=201, tags=["Training"])
def start(request: Request, type_id: int, actor: Train) -> Made:
    """Queue the training of a new version from all labels."""
    return Made(id=train.start(request.app.state.store, actor, type_id))


@router.get("/types/{type_id}/versions", tags=["Training"])
def versions(request: Request, type_id: int, actor: See) -> list[VersionView]:
    return train.versions(request.app.state.store, type_id)


@router.get("/versions/{version_id}", tags=["Training"])
def version(request: Request, version_id: int, actor: See) -> VersionView:
    """A version with its progress and, when trained, its report."""
    return train.version_view(request.app.state.store, version_id)


@router.get("/versions/{version_id}/against-before", tags=["Training"])
def against_before(request: Request, version_id: int, actor: See) -> Comparison | None:
    """What got better and worse against the trained version before, on the papers both were judged on."""
    found = train.against_before(request.app.state.store, version_id)
    return found[1] if found else None


@router.post("/versions/{version_id}/cancel", tags=["Training"])
def cancel(request: Request, version_id: int, actor: Train) -> VersionView:
    """Cancel a training that waits or runs."""
    train.cancel(request.app.state.store, actor, version_id)
    return train.version_view(request.app.state.store, version_id)


@router.post("/versions/{version_id}/publish", tags=["Training"])
def publish(request: Request, version_id: int, actor: Train) -> Published:
    return Published(drafting=train.publish(request.app.state.store, actor, version_id))


@router.get("/types/{type_id}/weigh", tags=["Policies"])
def weigh_view(request: Request, type_id: int, actor: See, error_most: float = weigh.ERROR_MOST) -> WeighView:
    """Evidence, thresholds in force, and thresholds proposed for at most `error_most` wrong among what passes."""
    return weigh.weigh(request.app.state.store, type_id, error_most=error_most)


@router.post("/types/{type_id}/what-follows", tags=["Policies"])
def what_follows(request: Request, type_id: int, actor: See, body: Thresholds) -> dict[str, OutcomeOut]:
    """What thresholds would do on held-out papers of layouts seen; key "" is all fields together. Nothing is saved."""
    found = weigh.what_follows(request.app.state.store, type_id, body.thresholds, body.familiarity_least)
    return {key: _out(outcome) for key, outcome in found.items()}


@router.get("/types/{type_id}/policies", tags=["Policies"])
def policies(request: Request, type_id: int, actor: See) -> list[PolicyView]:
    return weigh.policies(request.app.state.store, type_id)


@router.post("/types/{type_id}/policies", status_code=201, tags=["Policies"])
def save_policy(request: Request, type_id: int, actor: Weigh, body: Thresholds) -> Number:
    number = weigh.save_policy(
        request.app.state.store, actor, type_id, body.thresholds, body.familiarity_least, body.note
    )
    return Number(number=number)
