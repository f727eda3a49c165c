"""A paper that another process holds open."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict
from itertools import count
from typing import Any

import numpy as np
from pydantic import TypeAdapter, ValidationError

from jugum.core.ocr.papers import Limits, Pixels
from jugum.core.ocr.textlayer import TextLayer
from jugum.errors import UnreadablePaper
from jugum.parsing.process import Cause, ParsingProcess, ProcessEnded, Request

LAYER = TypeAdapter(TextLayer | None)
_handles = count(1)


def ended_words(cause: Cause, what: str, megabytes: int) -> str:
    """Why something can't be opened, and what to do, when the process that tried ended over it."""
    said = {
        Cause.TIME: f"{what} takes far too long to open",
        Cause.MEMORY: f"{what} needs more memory than one paper may take ({megabytes} MB)",
        Cause.CRASH: f"{what} is damaged: the program that opens it ended",
    }[cause]
    return f"{said}. Print it to PDF again where it was made, or scan it at 300 dpi, and send that."


class OpenedPaper:
    """A `core.ocr.Paper` in a parsing process. When the process is replaced, the paper is opened again; a page over
    which it ended is not tried a second time."""

    def __init__(
        self, process: ParsingProcess, seconds: float, load: Callable[[], bytes], name: str, limits: Limits
    ) -> None:
        self._process, self._seconds, self._load = process, seconds, load
        self._name, self._limits = name, limits
        self._handle = next(_handles)
        self._bad_pages: dict[int, str] = {}
        opened = self._ask("open", None)[0]
        self.media_type, self.page_count = str(opened["media_type"]), int(opened["page_count"])

    def size_pt(self, index: int) -> tuple[float, float]:
        """Width and height of a page in points."""
        width, height = self._ask("size", index)[0]
        return float(width), float(height)

    def render(self, index: int, dpi: int, turn: int = 0, *, grey: bool = False) -> Pixels:
        """A page as pixels: H×W×3 uint8, H×W when `grey`."""
        shape, data = self._ask("render", index, dpi=dpi, turn=turn, grey=grey)
        pixels = np.frombuffer(data, dtype=np.uint8)
        if len(shape) != (2 if grey else 3) or int(np.prod(shape)) != pixels.size:
            raise UnreadablePaper(ended_words(Cause.CRASH, self._said(index), self._process.megabytes))
        return pixels.reshape(shape)

    def text_layer(self, index: int) -> TextLayer | None:
        """The words a PDF brings along; None for pictures."""
        try:
            return LAYER.validate_python(self._ask("text_layer", index)[0])
        except ValidationError as error:
            raise UnreadablePaper(ended_words(Cause.CRASH, self._said(index), self._process.megabytes)) from error

    def close(self) -> None:
        """Let the file go."""
        with self._process.lock:
            self._process.let_go(self._handle)

    def _said(self, index: int | None) -> str:
        return f"“{self._name}”" if index is None else f"Page {index + 1} of “{self._name}”"

    def _ask(self, operation: str, index: int | None, **arguments: Any) -> tuple[Any, bytearray]:
        """Ask something of the paper, about a page. What earlier papers left in the process is no fault of this one: it
        is tried a second time in a new process, unless it took too long."""
        if index in self._bad_pages:
            raise UnreadablePaper(self._bad_pages[index])
        with self._process.lock:
            try:
                return self._asked(operation, index, arguments)
            except ProcessEnded as ended:
                if ended.cause is Cause.TIME:
                    raise self._ended(index, ended.cause) from ended
            try:
                return self._asked(operation, index, arguments)
            except ProcessEnded as ended:
                raise self._ended(index, ended.cause) from ended

    def _ended(self, index: int | None, cause: Cause) -> UnreadablePaper:
        words = ended_words(cause, self._said(index), self._process.megabytes)
        if index is not None:
            self._bad_pages[index] = words
        return UnreadablePaper(words)

    def _asked(self, operation: str, index: int | None, arguments: dict[str, Any]) -> tuple[Any, bytearray]:
        if not self._process.holds(self._handle):
            about = {"handle": self._handle, "name": self._name, "limits": asdict(self._limits)}
            opened = self._process.answer(Request("open", about, self._seconds), self._load())
            self._process.keep(self._handle)
            if operation == "open":
                return opened
        asked = {"handle": self._handle, "index": index, **arguments}
        most = 4 * self._limits.pixels_max
        return self._process.answer(Request(operation, asked, self._seconds, answer_most=most))
