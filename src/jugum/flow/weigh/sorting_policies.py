"""Policies of sorting: which thresholds of placing papers and of splitting bundles are in force, or were."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.states import SortingSubject
from jugum.core.thresholds import frontier, outcome, passing
from jugum.core.thresholds.frontier import point_among
from jugum.errors import InputError, NotFound
from jugum.flow.gather.classifiers import LoadedClassifiers, sorting_thresholds
from jugum.flow.gather.place import judge_unplaced_again
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import WEIGH, Actor, record
from jugum.flow.weigh.dial import DialSettings
from jugum.flow.weigh.policies import outcome_kept
from jugum.flow.weigh.sorting import loaded_classifier, sorting_effort, sorting_evidence
from jugum.store import Store
from jugum.store.models import Person, SortingPolicy, Workspace


@dataclass(frozen=True)
class SortingPolicyView:
    """A policy of sorting; `classifier` is the number of the one that it was weighed on."""

    id: int
    number: int
    classifier: int
    thresholds: dict[str, float]
    always_held: list[str]
    note: str
    created_at: datetime
    created_by: str
    outcome: dict[str, Any]
    settings: dict[str, Any]


def save_sorting_policy(
    store: Store,
    classifiers: LoadedClassifiers,
    actor: Actor,
    workspace_id: int,
    subject: SortingSubject,
    thresholds: Mapping[str, float],
    note: str = "",
    *,
    always_held: Collection[str] = (),
    settings: DialSettings | None = None,
) -> int:
    """Publish thresholds (type id, or "bundles", → 0–1) as the next policy, in force at once: for what comes in from
    now on, and for papers that wait for a type, which are judged again. `always_held`: types that only a person gives.
    Returns its number."""
    actor.require(WEIGH)
    loaded = loaded_classifier(store, classifiers, workspace_id)
    with store.session() as session:
        session.get_one(Workspace, workspace_id, with_for_update=True)
        evidence = sorting_evidence(session, loaded, workspace_id, subject)
        _check(evidence.names, thresholds, always_held)
        if settings is not None:
            settings.check(evidence.table.fields)
        its = (SortingPolicy.workspace_id == workspace_id, SortingPolicy.subject == subject)
        before = session.scalar(select(SortingPolicy).where(*its).order_by(SortingPolicy.number.desc()).limit(1))
        # Of types that are not this person's, or that nothing was learned of meanwhile, what was in force stays so.
        others = {key: value for key, value in (before.thresholds if before else {}).items() if key not in thresholds}
        held = {key for key in (before.always_held if before else ()) if key in others}
        policy = SortingPolicy(
            workspace_id=workspace_id,
            subject=subject,
            number=before.number + 1 if before else 1,
            classifier=loaded.number,
            note=note.strip()[:500],
            thresholds={**others, **{key: round(float(value), 4) for key, value in thresholds.items()}},
            always_held=sorted(held | set(always_held)),
            settings=settings.to_data() if settings else {},
            created_by=actor.id,
        )
        session.add(policy)
        session.flush()
        effort, rules = sorting_effort(session, workspace_id, subject), sorting_dial(policy).rules
        in_force = sorting_thresholds(policy)
        points = frontier(evidence.table, rules, effort)
        here = point_among(points, evidence.table, in_force, rules, effort)
        total = outcome(evidence.table, passing(evidence.table, in_force))
        policy.outcome = outcome_kept(total, evidence.table.papers, points, here)
        record(
            session,
            actor,
            Action.SAVE_SORTING_POLICY,
            "sorting_policy",
            policy.id,
            subject=subject.value,
            number=policy.number,
            thresholds=policy.thresholds,
        )
        if subject is SortingSubject.TYPES:
            judge_unplaced_again(session, workspace_id)
        return policy.number


def _check(names: Mapping[str, str], thresholds: Mapping[str, float], always_held: Collection[str]) -> None:
    for key, threshold in thresholds.items():
        if key not in names:
            raise InputError(f"There is nothing to place or split with the key “{key}”.")
        if not 0 <= threshold <= 1:
            raise InputError(f"The threshold of “{names[key]}” is {threshold}; it must be between 0 and 1.")
    if unknown := set(always_held) - set(names):
        raise InputError(f"There is nothing to place or split with the key “{min(unknown)}”.")
    if missing := set(names) - set(thresholds):
        raise InputError(f"A threshold is missing for {', '.join(sorted(names[key] for key in missing))}.")


def sorting_dial(policy: SortingPolicy | None) -> DialSettings:
    """How the dial of a policy was set; the usual way for one that does not say."""
    return DialSettings() if policy is None else DialSettings.from_data(policy.settings, policy.always_held)


def sorting_policies(store: Store, workspace_id: int, subject: SortingSubject) -> list[SortingPolicyView]:
    """All of a subject, the newest first, which is in force."""
    with store.session() as session:
        rows = session.scalars(
            select(SortingPolicy)
            .where(SortingPolicy.workspace_id == workspace_id, SortingPolicy.subject == subject)
            .order_by(SortingPolicy.number.desc())
        ).all()
        return [sorting_policy_view(session, row) for row in rows]


def one_sorting_policy(store: Store, workspace_id: int, subject: SortingSubject, number: int) -> SortingPolicyView:
    """One of them; NotFound without it."""
    with store.session() as session:
        return sorting_policy_view(session, _row(session, workspace_id, subject, number))


def _row(session: Session, workspace_id: int, subject: SortingSubject, number: int) -> SortingPolicy:
    found = session.scalar(
        select(SortingPolicy).where(
            SortingPolicy.workspace_id == workspace_id,
            SortingPolicy.subject == subject,
            SortingPolicy.number == number,
        )
    )
    if found is None:
        raise NotFound(f"There is no policy {number} of this kind.")
    return found


def sorting_policy_view(session: Session, row: SortingPolicy) -> SortingPolicyView:
    person = session.get(Person, row.created_by)
    return SortingPolicyView(
        row.id,
        row.number,
        row.classifier,
        dict(row.thresholds),
        list(row.always_held),
        row.note,
        row.created_at,
        person.name if person else "",
        dict(row.outcome),
        dict(row.settings),
    )


def go_back_sorting(
    store: Store,
    classifiers: LoadedClassifiers,
    actor: Actor,
    workspace_id: int,
    subject: SortingSubject,
    number: int,
) -> int:
    """Publish an earlier policy of sorting again, for what there is of it now; returns the new number. NotFound without
    it, InputError where a type came later."""
    with store.session() as session:
        old = _row(session, workspace_id, subject, number)
        loaded = loaded_classifier(store, classifiers, workspace_id)
        keys = sorting_evidence(session, loaded, workspace_id, subject).names
        kept = {key: float(value) for key, value in old.thresholds.items() if key in keys}
        held = [key for key in old.always_held if key in keys]
        settings = sorting_dial(old).for_fields(kept) if old.settings else None
    note = f"Back to policy {number}"
    return save_sorting_policy(
        store, classifiers, actor, workspace_id, subject, kept, note, always_held=held, settings=settings
    )


__all__ = [
    "SortingPolicyView",
    "go_back_sorting",
    "one_sorting_policy",
    "save_sorting_policy",
    "sorting_dial",
    "sorting_policies",
    "sorting_policy_view",
]
