"""Review: the queue of held papers, the desk, settling; what another version would change."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from jugum.flow.review import changes as version_changes
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue as review_queue
from jugum.flow.review import reopen as reopening
from jugum.flow.review import settle as settling
from jugum.flow.review import whole
from jugum.flow.review.desk import ReviewDesk
from jugum.flow.review.queue import QueueView
from jugum.flow.review.recheck import Settled
from jugum.web.api.train import Published
from jugum.web.api.values import SaidIn
from jugum.web.gate import GatedRoute
from jugum.web.security import MayPlan, MayReview, MaySee
from jugum.web.threads import at_length

router = APIRouter(route_class=GatedRoute, tags=["Review"])


class LetStandIn(BaseModel):
    reason: str
    revision: int


class SeenIn(BaseModel):
    seen: bool = True
    revision: int


class PapersBody(BaseModel):
    documents: list[int] = Field(max_length=version_changes.AGAIN_MAX)


@router.get("/types/{type_id}/queue")
def queue(request: Request, type_id: int, actor: MayReview, reason: str | None = None) -> QueueView:
    """Held papers, the longest waiting first."""
    return review_queue.queue(request.app.state.store, actor, type_id, reason=reason)


@router.get("/documents/{document_id}/review-desk")
def open_review_desk(request: Request, document_id: int, actor: MayReview, look: bool = False) -> ReviewDesk:
    """A live paper's fields with their holds; claims the paper unless only to look."""
    return review_desk.desk(request.app.state.store, actor, document_id, look=look)


@router.put("/documents/{document_id}/review/{key}")
def settle(request: Request, document_id: int, key: str, actor: MayReview, body: SaidIn) -> Settled:
    """Settle a field; the last held one settles the paper."""
    return settling.settle(
        request.app.state.store,
        actor,
        document_id,
        key,
        [value.given() for value in body.values],
        absent=body.absent,
        rows=body.given_rows(),
        revision=body.revision,
    )


@router.delete("/documents/{document_id}/review/{key}")
def reopen(request: Request, document_id: int, key: str, actor: MayReview, revision: int) -> Settled:
    """Undo what a person said of a field: it is as it was drafted, and held again if it was."""
    return reopening.reopen(request.app.state.store, actor, document_id, key, revision=revision)


@router.put("/documents/{document_id}/seen")
def seen(request: Request, document_id: int, actor: MayReview, body: SeenIn) -> Settled:
    """Say that a person has seen the whole paper (what passed on it becomes labels, too), or take it back."""
    return whole.see_whole(request.app.state.store, actor, document_id, seen=body.seen, revision=body.revision)


@router.post("/documents/{document_id}/checks/{key}/let-stand")
def let_stand(request: Request, document_id: int, key: str, actor: MayReview, body: LetStandIn) -> Settled:
    """A failing check stands so on the paper, with the reason; a right of its own."""
    return reopening.let_stand(request.app.state.store, actor, document_id, key, body.reason, revision=body.revision)


@router.get("/types/{type_id}/papers-to-try")
def papers_to_try(
    request: Request, type_id: int, actor: MaySee, count: Annotated[int, Query(ge=1, le=500)] = 20
) -> list[int]:
    """The newest live papers that a version has read."""
    return version_changes.papers_to_try(request.app.state.store, type_id, count)


@router.get("/versions/{version_id}/changes/{document_id}")
@at_length
def changes(request: Request, version_id: int, document_id: int, actor: MaySee) -> version_changes.Changes:
    """What a version reads otherwise on a live paper than was read of it; nothing is saved."""
    state = request.app.state
    found = version_changes.changes(state.store, state.versions, state.explorer, version_id, document_id)
    return found if actor.sees_personal else version_changes.masked(state.store, found)


@router.post("/versions/{version_id}/read-again")
def read_again(request: Request, version_id: int, actor: MayPlan, body: PapersBody) -> Published:
    """Read live papers that nobody has begun with this version, whichever is live."""
    return Published(drafting=version_changes.read_again(request.app.state.store, actor, version_id, body.documents))
