"""OCR engines behind one small interface: an upright grey picture → words.

`CarefulEngine` is the main reader; `QuickEngine` is in-process tesseract; `BothEngine` reads with both, and where they
differ is less sure. All run one thread: pages are spread over processes, not over threads.
"""

from __future__ import annotations

import os
import re
import threading
from dataclasses import replace
from typing import Any, Protocol

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr import network
from jugum.core.ocr.handwriting import Floats, told_by_hand
from jugum.core.ocr.network import LineFinder, LineReader, ReadLine, UprightVote, line_picture
from jugum.core.ocr.spelled import leaderless, words_of
from jugum.core.ocr.upright import flattened, letter_height
from jugum.core.page import Box, Word, overlap_share
from jugum.errors import InputError, UnreadablePaper

Grey = npt.NDArray[np.uint8]
ENGINES = ("careful", "quick", "both")
SURE_LEAST = 0.5  # a line read with less is a stain or a pattern
FIND_LETTER = 10.0  # pixels
FIND_SIDE_MIN, FIND_SIDE_MAX = 960, 1920  # pixels
TESSDATA = ("/usr/share/tesseract-ocr/5/tessdata/", "/usr/share/tessdata/")


class Engine(Protocol):
    """What reading a picture needs."""

    name: str

    def read(self, grey: Grey) -> list[Word]:
        """Words of an upright, straight H×W picture; boxes in fractions of it; in no promised order."""
        ...

    def upside_down(self, crops: list[Grey]) -> float:
        """How surely the lines stand on their heads: −1 (upright) to 1 (upside down), 0 when it can't tell."""
        ...


class CarefulEngine:
    """Finds lines and reads them with the networks of `network`. They are loaded at the first picture; one picture
    at a time."""

    name = "careful"

    def __init__(self, script: str = "latin") -> None:
        self._script = script
        self._lock = threading.Lock()
        self._loaded: tuple[LineFinder, LineReader, UprightVote] | None = None

    def _networks(self) -> tuple[LineFinder, LineReader, UprightVote]:
        if self._loaded is None:
            cv2.setNumThreads(1)  # workers run side by side: threads of one would only slow the others
            self._loaded = LineFinder(), LineReader(self._script), UprightVote()
        return self._loaded

    def read(self, grey: Grey) -> list[Word]:
        """Words of an upright grey page (H×W, 0 is black), in no order; boxes in page fractions, confidences 0–1."""
        with self._lock:
            find, _, _ = self._networks()
            lines = find(grey, finding_scale(grey))
            return self._words(grey, lines)

    def _words(self, grey: Grey, lines: list[ReadLine]) -> list[Word]:
        read = self._networks()[1]
        words: list[list[tuple[Word, Floats]]] = []
        for line in lines:
            whole = line_picture(grey, line)
            # Dots that lead to a number are read as letters: they are cut out; see decision 0005.
            for start, end in leaderless(whole):
                picture = np.ascontiguousarray(whole[:, start:end])
                letters = read(picture)
                if letters.text.strip() and sum(letters.sure) / len(letters.sure) >= SURE_LEAST:
                    part = _part(line, start / whole.shape[1], end / whole.shape[1])
                    words.append(words_of(grey, part, picture, letters))
        return told_by_hand(words)

    def upside_down(self, crops: list[Grey]) -> float:
        """How likely (0–1) the lines in the crops stand on their heads."""
        with self._lock:
            return self._networks()[2](crops)


def _part(line: ReadLine, start: float, end: float) -> ReadLine:
    """The piece of a line between two shares of its length."""
    if start <= 0 and end >= 1:
        return line
    a, b, c, d = line.corners
    return ReadLine(
        np.array([a + (b - a) * start, a + (b - a) * end, d + (c - d) * end, d + (c - d) * start]), line.score
    )


def finding_scale(grey: Grey) -> float:
    """How far the picture may be shrunk to find its lines: its smaller letters keep ten pixels."""
    letter = letter_height(grey)
    long_side = float(max(grey.shape))
    wanted = FIND_LETTER / letter if letter else 1.0
    # Never larger than it is, never beyond what the network was made for.
    return min(1.0, FIND_SIDE_MAX / long_side, max(wanted, FIND_SIDE_MIN / long_side))


def tessdata_of(language: str) -> str:
    """The folder that holds tesseract's data for every part of `language` ("eng", "deu+eng"). UnreadablePaper when
    some are not installed: the page can be read again once they are."""
    parts = check_language(language).split("+")
    for folder in TESSDATA:
        if all(os.path.exists(f"{folder}{part}.traineddata") for part in parts):
            return folder
    packages = " ".join(f"tesseract-ocr-{part.replace('_', '-')}" for part in parts)
    raise UnreadablePaper(
        f"The data to read “{language}” are not installed here. Install {packages}, or choose another language."
    )


def check_engine(name: str) -> str:
    """The name of an engine. InputError for anything else."""
    if name not in ENGINES:
        raise InputError(f"“{name}” is not an engine. Choose {', '.join(ENGINES[:-1])} or {ENGINES[-1]}.")
    return name


def check_language(language: str) -> str:
    """A language in tesseract's names, several joined by +. InputError for anything else."""
    if not re.fullmatch(r"[a-zA-Z]{3}(?:_[a-zA-Z]+)*(?:\+[a-zA-Z]{3}(?:_[a-zA-Z]+)*)*", language):
        raise InputError(
            f"“{language}” is not a language. Write three letters, such as “eng”; join several with + (“deu+eng”)."
        )
    return language


class QuickEngine:
    """Tesseract 5 in the process, with Debian's data."""

    name = "quick"

    def __init__(self, language: str = "eng") -> None:
        self._language = language
        self._api: Any = None
        self._vote: UprightVote | None = None
        self._lock = threading.Lock()

    def _loaded(self) -> Any:
        if self._api is None:
            os.environ.setdefault("OMP_THREAD_LIMIT", "1")  # before tesseract is loaded, which reads it once
            import tesserocr

            folder = tessdata_of(self._language)
            self._api = tesserocr.PyTessBaseAPI(path=folder, lang=self._language, psm=tesserocr.PSM.AUTO)
        return self._api

    def read(self, grey: Grey) -> list[Word]:
        """Words of an upright grey page (H×W, 0 is black); boxes in page fractions, confidences 0–1."""
        from PIL import Image
        from tesserocr import RIL, iterate_level

        height, width = grey.shape[:2]
        words = []
        with self._lock:
            api = self._loaded()
            api.SetImage(Image.fromarray(flattened(grey)))
            api.SetSourceResolution(200)  # pictures without one are guessed at, and small print is missed
            api.Recognize()
            for item in iterate_level(api.GetIterator(), RIL.WORD):
                if item.Empty(RIL.WORD) or not item.GetUTF8Text(RIL.WORD).strip():
                    continue
                x0, y0, x1, y1 = item.BoundingBox(RIL.WORD)
                box = Box(x0 / width, y0 / height, x1 / width, y1 / height)
                words.append(Word(item.GetUTF8Text(RIL.WORD).strip(), box, item.Confidence(RIL.WORD) / 100))
        return words

    def upside_down(self, crops: list[Grey]) -> float:
        """By the careful reader's small classifier: tesseract's own orientation test fails on cards. Without it both
        ways are read."""
        if not network.available():
            return 0.0
        with self._lock:
            if self._vote is None:
                self._vote = UprightVote()
            return self._vote(crops)


class BothEngine:
    """The careful reader's text; the quick reader's opinion. A word that the quick reader has otherwise at the same
    place is less sure, one that both have alike is surer: two readings that differ are mostly wrong."""

    name = "both"

    def __init__(self, careful: Engine, quick: Engine) -> None:
        self._careful = careful
        self._quick = quick

    def read(self, grey: Grey) -> list[Word]:
        """The careful engine's words, less sure where the quick one reads otherwise: see `reconcile_words`."""
        return reconcile_words(self._careful.read(grey), self._quick.read(grey))

    def upside_down(self, crops: list[Grey]) -> float:
        """As the careful engine says."""
        return self._careful.upside_down(crops)


def reconcile_words(words: list[Word], others: list[Word]) -> list[Word]:
    """`words` with confidences that heed a second reading: alike → half-way to 1, other text → times 0.6 and marked
    as differing, nothing there → times 0.85. Where both read alike, the second reading's box is taken: it lies
    closer."""
    by_row: dict[int, list[Word]] = {}
    for other in others:
        for row in range(int(other.box.y0 * 100), int(other.box.y1 * 100) + 1):
            by_row.setdefault(row, []).append(other)
    judged = []
    for word in words:
        # by hundredths of the page: else every word would meet every other
        near = by_row.get(int(word.box.middle[1] * 100), [])
        over = [other for other in near if overlap_share(word.box, other.box) > 0.5]
        same = next((other for other in over if other.text == word.text), None)
        if same is not None:
            judged.append(replace(word, box=same.box, confidence=(1 + word.confidence) / 2))
        else:
            # a word missed speaks less against another than a word read otherwise
            sure = word.confidence * (0.6 if over else 0.85)
            judged.append(replace(word, confidence=sure, differs=bool(over)))
    return judged


def engine_named(name: str, language: str = "eng") -> Engine:
    """The engine for "careful", "quick" or "both" and a language of tesseract's ("eng", "deu+eng", …); the quick one
    where the careful one's runtime is not installed."""
    quick = QuickEngine(language)
    if name == "quick" or not network.available():
        return quick
    careful = CarefulEngine(script_of(language))
    return BothEngine(careful, quick) if name == "both" else careful


def script_of(language: str) -> str:
    """The script a language is written in, as far as the careful reader knows it."""
    parts = set(language.split("+"))
    if parts & {"rus", "ukr", "bul", "srp", "bel", "mkd"}:
        return "cyrillic"
    return "greek" if "ell" in parts else "latin"
