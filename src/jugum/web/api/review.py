"""Review: the queue of held papers, the desk, settling; what another version would change."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Query, Request
from pydantic import BaseModel, Field

from jugum.flow.review import aside, whole
from jugum.flow.review import changes as version_changes
from jugum.flow.review import desk as review_desk
from jugum.flow.review import queue as review_queue
from jugum.flow.review import reopen as reopening
from jugum.flow.review import settle as settling
from jugum.flow.review.desk import ReviewDesk
from jugum.flow.review.queue import QueueView
from jugum.flow.review.recheck import Settled
from jugum.flow.review.waiting import ROWS_A_PAGE
from jugum.web.api.train import Published
from jugum.web.api.values import SaidIn
from jugum.web.gate import GatedRoute
from jugum.web.lists import QueueWantedOf
from jugum.web.security import MayPlan, MayReview, MaySee, MayWeigh
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
def queue(
    request: Request,
    type_id: int,
    actor: MayReview,
    wanted: QueueWantedOf,
    limit: Annotated[int, Query(ge=1, le=500)] = ROWS_A_PAGE,
) -> QueueView:
    """Papers that wait for a person, a page of them; `next` is the `after` of the page that follows. They can be
    narrowed to a reason, a field (its key), a batch, a source, a layout, those that wait so many days, those given to a
    person ("me", "nobody" or an id), late ones, and names that hold a text; `sort` is due, newest, name or fields."""
    return review_queue.queue(request.app.state.store, actor, type_id, wanted, limit)


class Claimed(BaseModel):
    """The paper that was handed out; None where nothing is left."""

    document_id: int | None


@router.post("/types/{type_id}/queue/claim")
def claim(request: Request, type_id: int, actor: MayReview, wanted: QueueWantedOf) -> Claimed:
    """Hand out the next paper of a queue, as it is narrowed and sorted: two who ask at once get two papers."""
    found = review_queue.claim_next(request.app.state.store, actor, type_id, replace(wanted, after=""))
    return Claimed(document_id=found)


class GiveBody(BaseModel):
    """Papers that are given to a person, or (None) to nobody."""

    documents: list[int] = Field(min_length=1, max_length=500)
    person: int | None = None


class FirstBody(BaseModel):
    """Papers that come first in the queue, or no longer."""

    documents: list[int] = Field(min_length=1, max_length=500)
    first: bool = True


class Changed(BaseModel):
    """How many papers were changed."""

    papers: int


@router.post("/types/{type_id}/queue/give")
def give(request: Request, type_id: int, actor: MayReview, body: GiveBody) -> Changed:
    """Give papers that wait to a person: others are not handed them."""
    return Changed(papers=review_queue.give(request.app.state.store, actor, type_id, body.documents, body.person))


@router.post("/types/{type_id}/queue/first")
def put_first(request: Request, type_id: int, actor: MayReview, body: FirstBody) -> Changed:
    """Papers that come first."""
    store = request.app.state.store
    return Changed(papers=review_queue.put_first(store, actor, type_id, body.documents, first=body.first))


class HoursBody(BaseModel):
    """Within how many hours after they came in a type's papers are to be settled; None: no time is set."""

    hours: float | None = None


@router.put("/types/{type_id}/review-hours", status_code=204)
def set_review_hours(request: Request, type_id: int, actor: MayWeigh, body: HoursBody) -> None:
    """Papers that wait longer are late, and come first."""
    review_queue.set_review_hours(request.app.state.store, actor, type_id, body.hours)


class ReasonsBody(BaseModel):
    """Reasons that the desk offers for setting a paper aside; none: the usual ones."""

    reasons: list[str] = Field(max_length=100)


@router.put("/types/{type_id}/aside-reasons")
def set_aside_reasons(request: Request, type_id: int, actor: MayWeigh, body: ReasonsBody) -> list[str]:
    """What is offered for setting papers of a type aside, in this order."""
    return aside.set_aside_reasons(request.app.state.store, actor, type_id, body.reasons)


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


@router.post("/documents/{document_id}/checks/let-stand")
def let_all_stand(request: Request, document_id: int, actor: MayReview, body: LetStandIn) -> Settled:
    """All advisory checks that fail stand so on the paper, with one reason."""
    return reopening.let_all_stand(request.app.state.store, actor, document_id, body.reason, revision=body.revision)


@router.post("/documents/{document_id}/checks/{key}/let-stand")
def let_stand(request: Request, document_id: int, key: str, actor: MayReview, body: LetStandIn) -> Settled:
    """A failing check stands so on the paper, with the reason; a right of its own where the check must hold."""
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
