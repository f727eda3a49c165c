"""What is in force for a type: its live version and its policy; and versions unpacked from their files.

Unpacking one costs tens of milliseconds, so the last few are kept in memory.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable, Sequence
from dataclasses import replace
from typing import Generic, TypeVar

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.calibration import Calibrator
from jugum.core.classification import Layout
from jugum.core.evaluation.report_model import Report
from jugum.core.extraction.model import AnyDecision, Peers, TrainedModel
from jugum.core.extraction.values.together import Peer
from jugum.core.formats.version_file import unpack_version
from jugum.core.page import Page
from jugum.core.states import VersionState
from jugum.core.structure import Structures
from jugum.core.thresholds import Thresholds
from jugum.core.thresholds.opening import Opening, OpeningPrice
from jugum.core.training.version import confident_decisions
from jugum.errors import Conflict, NotFound
from jugum.store import Store
from jugum.store.models import ModelVersion, Policy

KEPT = 4
LAYOUTS_KEPT, PEERS_KEPT = 256, 64  # tens of kilobytes each, and hundreds
Key = TypeVar("Key", bound=Hashable)
Made = TypeVar("Made")
Decided = list[tuple[AnyDecision, float | None]]


class Kept(Generic[Key, Made]):
    """The last few things that were made, by what they were made from; each is made once, whoever asks."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Key, Made] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Key, make: Callable[[], Made]) -> Made:
        """What is kept, else what `make` gives."""
        with self._lock:
            if key not in self._kept:
                self._kept[key] = make()
                while len(self._kept) > self._most:
                    self._kept.popitem(last=False)
            self._kept.move_to_end(key)
            return self._kept[key]


class LoadedVersions:
    """Versions by file key, and what live papers of new layouts tell others: `layouts` by paper and when it was read,
    `peers` by version, too. A file key names its bytes, so nothing can go stale."""

    def __init__(self) -> None:
        self._loaded: Kept[str, tuple[TrainedModel, dict[str, Calibrator]]] = Kept(KEPT)
        self.layouts: Kept[Hashable, Layout] = Kept(LAYOUTS_KEPT)
        self.peers: Kept[Hashable, Peer | None] = Kept(PEERS_KEPT)

    def decide(
        self,
        store: Store,
        file_key: str,
        pages: Sequence[Page],
        layers: Callable[[], Structures] | None = None,
        peers: Peers | None = None,
    ) -> Decided:
        """A version's decisions on a paper with their confidences. `layers` gives the pages' layers, asked for only
        by versions that read marks; without it marks are left out. `peers` gives other papers of its layout, asked for
        only where that is new."""
        trained_model, calibrators = self.loaded(store, file_key)
        structures = layers() if layers is not None and trained_model.needs_picture else None
        return confident_decisions(trained_model, calibrators, pages, structures, peers)

    def loaded(self, store: Store, file_key: str) -> tuple[TrainedModel, dict[str, Calibrator]]:
        def unpacked() -> tuple[TrainedModel, dict[str, Calibrator]]:
            trained_model, calibrators, _ = unpack_version(store.files.get(file_key))
            return trained_model, calibrators

        return self._loaded.get(file_key, unpacked)


def version_row(session: Session, version_id: int) -> ModelVersion:
    row = session.get(ModelVersion, version_id)
    if row is None:
        raise NotFound(f"There is no version with id {version_id}.")
    return row


def report_in(version: ModelVersion) -> Report:
    """The report of a trained version. Conflict for one that has none."""
    report = Report.from_data(version.report)
    if report is None:
        raise Conflict(f"Version {version.number} is {version.state}; it has no report yet.")
    return report


def live_version(session: Session, type_id: int) -> ModelVersion | None:
    return session.scalar(
        select(ModelVersion).where(ModelVersion.type_id == type_id, ModelVersion.state == VersionState.PUBLISHED)
    )


def current_policy(session: Session, type_id: int) -> Policy | None:
    return session.scalar(select(Policy).where(Policy.type_id == type_id).order_by(Policy.number.desc()).limit(1))


def thresholds_of(policy: Policy) -> Thresholds:
    """A policy as routing needs it. Fields that are always held have no threshold."""
    by_field = {key: float(value) for key, value in policy.thresholds.items() if key not in policy.always_held}
    opening = None
    if kept := policy.settings.get("opening"):
        weights, pinned = policy.settings.get("weights", {}), frozenset(policy.settings.get("pinned", {}))
        opening = Opening(OpeningPrice(**kept), weights, pinned)
    return Thresholds(by_field, policy.layout_similarity_min, frozenset(policy.always_held), opening=opening)


def in_force_now(policy: Policy | None) -> Thresholds | None:
    """The same as papers are routed by it now: while it is suspended nothing passes."""
    return None if policy is None else replace(thresholds_of(policy), suspended=policy.suspended)


def newest_version(session: Session, type_id: int | None) -> ModelVersion | None:
    """The live version, else the newest one on trial."""
    return session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.state.in_((VersionState.PUBLISHED, VersionState.ON_TRIAL)))
        .order_by((ModelVersion.state == VersionState.PUBLISHED).desc(), ModelVersion.number.desc())
        .limit(1)
    )
