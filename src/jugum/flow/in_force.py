"""What is in force for a type: its live version and its policy; and versions unpacked from their files.

Unpacking one costs tens of milliseconds, so the last few are kept in memory.
"""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from jugum.core.calibration import Calibrator
from jugum.core.evaluation.report_model import Report
from jugum.core.extraction.model import AnyDecision, TrainedModel
from jugum.core.formats.version_file import unpack_version
from jugum.core.page import Page
from jugum.core.states import VersionState
from jugum.core.structure import Structures
from jugum.core.training.version import confident_decisions
from jugum.errors import Conflict, NotFound
from jugum.store import Store
from jugum.store.models import ModelVersion, Policy

KEPT = 4
Decided = list[tuple[AnyDecision, float | None]]


class LoadedVersions:
    """A small cache by file key; a key names its bytes, so nothing in it can go stale."""

    def __init__(self) -> None:
        self._loaded: OrderedDict[str, tuple[TrainedModel, dict[str, Calibrator]]] = OrderedDict()
        self._lock = threading.Lock()

    def decide(
        self, store: Store, file_key: str, pages: Sequence[Page], layers: Callable[[], Structures] | None = None
    ) -> Decided:
        """A version's decisions on a paper with their confidences. `layers` gives the pages' layers, asked for only
        by versions that read marks; without it marks are left out."""
        trained_model, calibrators = self.loaded(store, file_key)
        structures = layers() if layers is not None and trained_model.needs_picture else None
        return confident_decisions(trained_model, calibrators, pages, structures)

    def loaded(self, store: Store, file_key: str) -> tuple[TrainedModel, dict[str, Calibrator]]:
        with self._lock:
            if file_key not in self._loaded:
                trained_model, calibrators, _ = unpack_version(store.files.get(file_key))
                self._loaded[file_key] = trained_model, calibrators
                while len(self._loaded) > KEPT:
                    self._loaded.popitem(last=False)
            self._loaded.move_to_end(file_key)
            return self._loaded[file_key]


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


def newest_version(session: Session, type_id: int | None) -> ModelVersion | None:
    """The live version, else the newest one on trial."""
    return session.scalar(
        select(ModelVersion)
        .where(ModelVersion.type_id == type_id, ModelVersion.state.in_((VersionState.PUBLISHED, VersionState.ON_TRIAL)))
        .order_by((ModelVersion.state == VersionState.PUBLISHED).desc(), ModelVersion.number.desc())
        .limit(1)
    )
