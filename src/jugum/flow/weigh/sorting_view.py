"""Weighing what sorts papers: from which confidence on the program places a paper in a type by itself, and splits a
bundle by itself. The dial, its frontier and the promise are those of fields."""

from __future__ import annotations

from dataclasses import dataclass, replace

from sqlalchemy.orm import Session

from jugum.core.classification.type_training import StreamShares, stream_shares
from jugum.core.states import SortingSubject
from jugum.core.thresholds.dial import GRID
from jugum.core.thresholds.frontier import decisions_a_paper
from jugum.core.thresholds.outcome import NEVER
from jugum.flow.gather.classifiers import LoadedClassifiers, sorting_policy
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.sorting import (
    SortingEvidence,
    came_a_week,
    loaded_classifier,
    sorting_effort,
    sorting_evidence,
)
from jugum.flow.weigh.sorting_policies import SortingPolicyView, sorting_dial, sorting_policy_view
from jugum.flow.weigh.weighing import FieldWeighed, Frontier, along_grid, frontier_by
from jugum.store import Store


@dataclass(frozen=True)
class SortingView:
    """What Weigh shows of a subject: the classifier that it is measured on, a balance for each type (of bundles one),
    the frontier, and the policy in force (None before the first: then the program has thresholds of its own).
    `judged` counts what was judged by classifiers that had not seen it, `shares` say how it counts."""

    workspace_id: int
    subject: SortingSubject
    classifier: int
    judged: int
    shares: StreamShares
    grid: list[float]
    fields: list[FieldWeighed]
    frontier: Frontier
    policy: SortingPolicyView | None


def weigh_sorting(
    store: Store,
    classifiers: LoadedClassifiers,
    workspace_id: int,
    subject: SortingSubject,
    settings: DialSettings | None = None,
) -> SortingView:
    """Evidence of the newest classifier, and the frontier by some settings, else by those of the policy in force.
    InputError where nothing was learned yet."""
    loaded = loaded_classifier(store, classifiers, workspace_id)
    with store.session() as session:
        evidence = sorting_evidence(session, loaded, workspace_id, subject)
        policy = sorting_policy(session, workspace_id, subject)
        along, a_paper = along_grid(evidence.table), decisions_a_paper(evidence.table)
        fields = [
            FieldWeighed(
                key,
                name,
                evidence.in_force[key] if evidence.in_force[key] != NEVER else None,
                evidence.points[key],
                along[key],
                a_paper[key],
            )
            for key, name in evidence.names.items()
        ]
        return SortingView(
            workspace_id,
            subject,
            loaded.number,
            len(evidence.table),
            stream_shares([row.acquaintance for row in loaded.classifier.evidence]),
            GRID.tolist(),
            fields,
            _frontier(session, workspace_id, subject, evidence, settings or sorting_dial(policy)),
            sorting_policy_view(session, policy) if policy else None,
        )


def sorting_frontier(
    store: Store,
    classifiers: LoadedClassifiers,
    workspace_id: int,
    subject: SortingSubject,
    settings: DialSettings,
) -> Frontier:
    """The frontier by some settings."""
    loaded = loaded_classifier(store, classifiers, workspace_id)
    with store.session() as session:
        evidence = sorting_evidence(session, loaded, workspace_id, subject)
        return _frontier(session, workspace_id, subject, evidence, settings)


def _frontier(
    session: Session,
    workspace_id: int,
    subject: SortingSubject,
    evidence: SortingEvidence,
    settings: DialSettings,
) -> Frontier:
    keys = evidence.table.fields
    effort = sorting_effort(session, workspace_id, subject)
    in_force = {key: threshold for key, threshold in evidence.in_force.items() if threshold != NEVER}
    return frontier_by(
        evidence.table,
        replace(settings.for_fields(keys), opens_always=True),  # each is a paper by itself
        effort,
        came_a_week(session, workspace_id, subject),
        in_force,
    )


__all__ = ["SortingView", "sorting_frontier", "weigh_sorting"]
