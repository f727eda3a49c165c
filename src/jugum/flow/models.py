"""Loaded versions: unpacking one costs tens of milliseconds, so the last few are kept in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Sequence

from jugum.core.calibration import Calibrator
from jugum.core.evaluation.version import confident_decisions
from jugum.core.extraction import Decision, Extractor
from jugum.core.formats import unpack_version
from jugum.core.page import Page
from jugum.store import Store

KEPT = 4


class LoadedVersions:
    """A small cache by file key; a key names its bytes, so nothing in it can go stale."""

    def __init__(self) -> None:
        self._loaded: OrderedDict[str, tuple[Extractor, Calibrator]] = OrderedDict()
        self._lock = threading.Lock()

    def decide(self, store: Store, file_key: str, pages: Sequence[Page]) -> list[tuple[Decision, float]]:
        """A version's decisions on a paper with their confidences."""
        with self._lock:
            if file_key not in self._loaded:
                extractor, calibrator, _ = unpack_version(store.files.get(file_key))
                self._loaded[file_key] = extractor, calibrator
                while len(self._loaded) > KEPT:
                    self._loaded.popitem(last=False)
            self._loaded.move_to_end(file_key)
            extractor, calibrator = self._loaded[file_key]
        return confident_decisions(extractor, calibrator, pages)
