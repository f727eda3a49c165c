"""What sorts a workspace's papers now: its newest classifier and cutter, and the policies of sorting in force."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.classification import BundleCutter, Piece, TypeClassifier
from jugum.core.evaluation.cutting import SplitEvidence
from jugum.core.formats.classifier_file import unpack_classifier
from jugum.core.page import Page
from jugum.core.states import SortingSubject
from jugum.core.thresholds.outcome import NEVER
from jugum.core.thresholds.sorting import BUNDLES
from jugum.errors import InputError
from jugum.flow.gather.read import learn_soon
from jugum.store import Store
from jugum.store.models import ClassifierVersion, SortingPolicy

SPLIT_LEAST = 0.9  # how sure the least sure piece of a bundle must be, until a policy says another


@dataclass(frozen=True)
class LoadedClassifier:
    """A classifier with its number, its cutter (None where none could be learned), what was measured of both, and how
    sure the least sure piece of a bundle must be for it to be split."""

    number: int
    classifier: TypeClassifier
    cutter: BundleCutter | None
    report: Mapping[str, Any]
    split_threshold: float = SPLIT_LEAST

    def cut(self, pages: Sequence[Page]) -> list[Piece]:
        """The best cut of a bundle's pages; the whole as one piece, and not surely, where cutting was not learned."""
        if self.cutter is None:
            return [Piece(tuple(range(len(pages))), sure=0.5)]
        return self.cutter.cut(pages, self.classifier)


class LoadedClassifiers:
    """The newest classifier of each workspace, kept by its number."""

    def __init__(self) -> None:
        self._loaded: dict[int, LoadedClassifier] = {}

    def newest(self, store: Store, workspace_id: int) -> LoadedClassifier | None:
        """It, with the thresholds in force."""
        with store.session() as session:
            row = session.scalar(
                select(ClassifierVersion)
                .where(ClassifierVersion.workspace_id == workspace_id)
                .order_by(ClassifierVersion.number.desc())
                .limit(1)
            )
            by_type = type_thresholds(session, workspace_id)
            split_threshold = split_threshold_in(session, workspace_id)
        if row is None:
            return None
        known = self._loaded.get(workspace_id)
        if known is None or known.number != row.number:
            try:
                unpacked = unpack_classifier(store.files.get(row.file_key))
            except InputError:  # of an older program; papers wait unplaced until it has been learned anew
                with store.session() as session:
                    learn_soon(session, workspace_id)
                return None
            self._loaded[workspace_id] = known = LoadedClassifier(row.number, *unpacked, row.report)
        in_force = replace(known.classifier, thresholds=by_type)
        return replace(known, classifier=in_force, report=row.report, split_threshold=split_threshold)


def sorting_policy(session: Session, workspace_id: int, subject: SortingSubject) -> SortingPolicy | None:
    """The policy of sorting in force; None before the first."""
    return session.scalar(
        select(SortingPolicy)
        .where(SortingPolicy.workspace_id == workspace_id, SortingPolicy.subject == subject)
        .order_by(SortingPolicy.number.desc())
        .limit(1)
    )


def sorting_thresholds(policy: SortingPolicy | None) -> dict[str, float]:
    """The thresholds of a policy by key; what always goes to a person has one that no confidence reaches."""
    if policy is None:
        return {}
    return {
        key: NEVER if key in policy.always_held else float(threshold) for key, threshold in policy.thresholds.items()
    }


def type_thresholds(session: Session, workspace_id: int) -> dict[int, float]:
    """From which confidence on papers are placed, by type; types that came after the policy in force have none."""
    policy = sorting_policy(session, workspace_id, SortingSubject.TYPES)
    return {int(key): threshold for key, threshold in sorting_thresholds(policy).items()}


def split_threshold_in(session: Session, workspace_id: int) -> float:
    """How sure the least sure piece of a bundle must be for the program to split it by itself."""
    policy = sorting_policy(session, workspace_id, SortingSubject.BUNDLES)
    return sorting_thresholds(policy).get(BUNDLES, SPLIT_LEAST)


def split_evidence_of(report: Mapping[str, Any], which: str) -> list[SplitEvidence]:
    """The bundles that were made to judge a cutter: "seen" or "unseen" layouts."""
    figures = report.get("cutting", {}).get(which) or {}
    return [SplitEvidence(row["sure"], row["right"], tuple(row["samples"])) for row in figures.get("evidence", ())]


__all__ = [
    "SPLIT_LEAST",
    "LoadedClassifier",
    "LoadedClassifiers",
    "sorting_policy",
    "sorting_thresholds",
    "split_evidence_of",
    "split_threshold_in",
    "type_thresholds",
]
