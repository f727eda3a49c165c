"""Loaded versions: unpacking one costs tens of milliseconds, so the last few are kept in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Sequence

from jugum.core.calibration import Calibrator
from jugum.core.evaluation.version import confident_decisions
from jugum.core.extraction.parts import Structures
from jugum.core.extraction.reader import AnyDecision, Reader
from jugum.core.formats import unpack_version
from jugum.core.page import Page
from jugum.store import Store

KEPT = 4
Decided = list[tuple[AnyDecision, float | None]]


class LoadedVersions:
    """A small cache by file key; a key names its bytes, so nothing in it can go stale."""

    def __init__(self) -> None:
        self._loaded: OrderedDict[str, tuple[Reader, dict[str, Calibrator]]] = OrderedDict()
        self._lock = threading.Lock()

    def decide(
        self, store: Store, file_key: str, pages: Sequence[Page], layers: Callable[[], Structures] | None = None
    ) -> Decided:
        """A version's decisions on a paper with their confidences. `layers` gives the pages' layers, asked for only by versions that read marks;
        without it marks are left out."""
        reader, calibrators = self.loaded(store, file_key)
        structures = layers() if layers is not None and reader.needs_picture else None
        return confident_decisions(reader, calibrators, pages, structures)

    def loaded(self, store: Store, file_key: str) -> tuple[Reader, dict[str, Calibrator]]:
        with self._lock:
            if file_key not in self._loaded:
                reader, calibrators, _ = unpack_version(store.files.get(file_key))
                self._loaded[file_key] = reader, calibrators
                while len(self._loaded) > KEPT:
                    self._loaded.popitem(last=False)
            self._loaded.move_to_end(file_key)
            return self._loaded[file_key]
