"""Weigh: from which confidence on the program places papers in a type by itself, and splits bundles by itself."""

from __future__ import annotations

from fastapi import APIRouter, Request
from pydantic import BaseModel, Field

from jugum.core.states import SortingSubject
from jugum.flow.weigh import sorting, sorting_lately, sorting_policies, sorting_view
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.sorting_lately import SortedLately
from jugum.flow.weigh.sorting_policies import SortingPolicyView
from jugum.flow.weigh.sorting_view import SortingView
from jugum.flow.weigh.trial import PAPERS
from jugum.web import headings
from jugum.web.api.train import Number
from jugum.web.api.weigh import BalanceOut, DialBody, EvidenceOut, FrontierOut, TrialOut, balances_of
from jugum.web.gate import GatedRoute
from jugum.web.security import MaySee, MayWeigh
from jugum.web.weigh_words import SORTED

router = APIRouter(prefix="/workspaces/{workspace_id}/sorting/{subject}", route_class=GatedRoute, tags=["Weigh"])


class SortingThresholdsBody(BaseModel):
    """Least confidence (0–1) by the id of a type, or for "bundles"; types that only a person gives."""

    thresholds: dict[str, float]
    always_held: list[str] = Field(default_factory=list)


class SortingTrialBody(SortingThresholdsBody):
    """Thresholds to be tried on the last `papers` live papers, or bundles."""

    papers: int = Field(PAPERS, ge=1, le=1000)


class SortingPolicyBody(SortingThresholdsBody):
    """Thresholds with a note, and how the dial was set."""

    note: str = ""
    dial: DialBody | None = None


class SortingOut(BaseModel):
    """What Weigh shows of a subject, "types" or "bundles": the classifier that it is measured on, how many papers (or
    bundles) were judged by what had not seen them, the grid of thresholds from strict to lax, a balance for each type
    (one for bundles), the frontier by the settings of the policy in force (`dial`), and that policy (None before the
    first: then the program has thresholds of its own)."""

    workspace_id: int
    subject: SortingSubject
    classifier: int
    judged: int
    grid: list[float]
    balances: list[BalanceOut]
    frontier: FrontierOut
    dial: DialBody
    policy: SortingPolicyView | None

    @staticmethod
    def of(view: SortingView) -> SortingOut:
        frontier = view.frontier
        same = {name: value for name, value in vars(view).items() if name in SortingOut.model_fields}
        return SortingOut(
            **{**same, "frontier": FrontierOut.of(frontier, SORTED[view.subject])},
            balances=balances_of(view.fields, frontier),
            dial=DialBody.of(frontier.settings),
        )


@router.get("/weigh")
def sorting_out(request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee) -> SortingOut:
    """Evidence, the policy in force, and the frontier by its settings. `subject` is "types" or "bundles"."""
    state = request.app.state
    return SortingOut.of(sorting_view.weigh_sorting(state.store, state.classifiers, workspace_id, subject))


@router.post("/frontier")
def sorting_frontier(
    request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee, body: DialBody
) -> FrontierOut:
    """The frontier by other settings, and the point they propose. Nothing is saved."""
    state = request.app.state
    found = sorting_view.sorting_frontier(state.store, state.classifiers, workspace_id, subject, body.settings())
    return FrontierOut.of(found, SORTED[subject])


@router.get("/weigh/evidence")
def sorting_place(
    request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee, document: int
) -> EvidenceOut:
    """Where a mark of a balance stands: its paper, of a bundle the first one."""
    return EvidenceOut.of(sorting.sorting_place(request.app.state.store, workspace_id, document))


@router.get("/lately")
def lately(request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee) -> SortedLately:
    """What became of the live papers, or bundles, of the last weeks."""
    return sorting_lately.sorted_lately(request.app.state.store, workspace_id, subject)


@router.post("/weigh/trial")
def sorting_trial(
    request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee, body: SortingTrialBody
) -> TrialOut:
    """What thresholds would have done with the last live papers, or bundles. Nothing is saved or judged again."""
    found = sorting_lately.sorting_trial(
        request.app.state.store, workspace_id, subject, body.thresholds, body.always_held, body.papers
    )
    return TrialOut.of(found, headings.sorting_trial(found, SORTED[subject]))


@router.get("/policies")
def list_sorting_policies(
    request: Request, workspace_id: int, subject: SortingSubject, actor: MaySee
) -> list[SortingPolicyView]:
    """The policies of a subject, the newest first, which is in force."""
    return sorting_policies.sorting_policies(request.app.state.store, workspace_id, subject)


@router.get("/policies/{number}")
def one_sorting_policy(
    request: Request, workspace_id: int, subject: SortingSubject, number: int, actor: MaySee
) -> SortingPolicyBody:
    """A policy as it can be published again."""
    found = sorting_policies.one_sorting_policy(request.app.state.store, workspace_id, subject, number)
    dial = DialBody.of(DialSettings.from_data(found.settings, found.always_held)) if found.settings else None
    return SortingPolicyBody(thresholds=found.thresholds, always_held=found.always_held, note=found.note, dial=dial)


@router.post("/policies", status_code=201)
def save_sorting_policy(
    request: Request, workspace_id: int, subject: SortingSubject, actor: MayWeigh, body: SortingPolicyBody
) -> Number:
    """Publish thresholds as the next policy: for what comes in from now on, and for papers that wait for a type."""
    state = request.app.state
    number = sorting_policies.save_sorting_policy(
        state.store,
        state.classifiers,
        actor,
        workspace_id,
        subject,
        body.thresholds,
        body.note,
        always_held=body.always_held,
        settings=body.dial.settings() if body.dial else None,
    )
    return Number(number=number)
