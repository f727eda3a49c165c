"""OCR engines behind one small interface: an upright grey picture → words.

`CarefulEngine` is the main reader (RapidOCR's detection and recognition on OpenVINO, weights in its wheel);
`QuickEngine` is in-process tesseract. Both run one thread: pages are spread over processes, not over threads.
"""

from __future__ import annotations

import os
import threading
import unicodedata
from typing import Any, Protocol

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr.upright import flattened
from jugum.core.page import Box, Word, union
from jugum.errors import ExternalError

Grey = npt.NDArray[np.uint8]
BLANK_LEAST = 0.125  # heights of the line: what is narrower is no blank
# The recogniser also knows full-width marks, which carry their blank within; on our papers they are narrow ones.
_FULL_WIDTH = str.maketrans({"，": ", ", "：": ": ", "；": "; ", "（": " (", "）": ") ", "。": ". "})
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
    """RapidOCR on OpenVINO. Models are loaded at the first picture; one picture at a time."""

    name = "careful"

    def __init__(self) -> None:
        self._reader: Any = None
        self._lock = threading.Lock()

    def _loaded(self) -> Any:
        if self._reader is None:
            cv2.setNumThreads(1)
            from rapidocr import EngineType, RapidOCR

            kind = EngineType.OPENVINO
            self._reader = RapidOCR(
                params={
                    "Global.log_level": "critical",
                    "Det.engine_type": kind,
                    "Cls.engine_type": kind,
                    "Rec.engine_type": kind,
                    "EngineConfig.openvino.inference_num_threads": 1,
                }
            )
        return self._reader

    def read(self, grey: Grey) -> list[Word]:
        picture = cv2.cvtColor(grey, cv2.COLOR_GRAY2BGR)
        with self._lock:
            # The use_* switches stick between calls: all three are passed each time.
            found = self._loaded()(picture, use_det=True, use_cls=False, use_rec=True, return_word_box=True)
        if not found.txts:
            return []
        words: list[Word] = []
        for line, text_of_line in zip(found.word_results, found.txts, strict=True):
            pieces = [
                word
                for text, score, corners in line
                if corners is not None and str(text).strip()
                for word in self._words(grey, _narrow(str(text)), float(score), corners)
            ]
            words.extend(_as_in_line(grey, pieces, _narrow(str(text_of_line))))
        return words

    @staticmethod
    def _words(grey: Grey, text: str, score: float, corners: Any) -> list[Word]:
        """One result → its words; several where the text holds blanks, the box then shared out by letters."""
        points = np.asarray(corners, dtype=float)
        (x0, y0), (x1, y1) = points.min(axis=0), points.max(axis=0)
        parts = text.split()
        letters = len(text)
        words, place = [], 0
        for part in parts:
            place = text.index(part, place)
            left = x0 + (x1 - x0) * place / letters
            place += len(part)
            right = x0 + (x1 - x0) * place / letters
            words.append(Word(part, _tight(grey, left, y0, right, y1), min(1.0, max(0.0, score))))
        return words

    def upside_down(self, crops: list[Grey]) -> float:
        if not crops:
            return 0.0
        with self._lock:
            classify = self._loaded()._load_cls_model()
            said = classify([cv2.cvtColor(crop, cv2.COLOR_GRAY2BGR) for crop in crops]).cls_res
        votes = [float(score) if "180" in label else -float(score) for label, score in said]
        return float(np.mean(votes))


def _narrow(text: str) -> str:
    return unicodedata.normalize("NFKC", text.translate(_FULL_WIDTH))


def _as_in_line(grey: Grey, pieces: list[Word], line: str) -> list[Word]:
    """Join neighbouring pieces that are one word in the line's text and in the picture: boxes are cut apart at wide letters
    ("W", "orks"), but the text also lacks blanks that are printed ("TARNBYMUNICIPAL"). Only where both agree are they joined."""
    starts, place = set(), 0
    for text in line.split():
        starts.add(place)
        place += len(text)
    joined: list[Word] = []
    place = 0
    for piece in pieces:
        if joined and place not in starts and _blank_between(grey, joined[-1], piece) < BLANK_LEAST:
            last = joined.pop()
            text = last.text + piece.text
            sure = (last.confidence * len(last.text) + piece.confidence * len(piece.text)) / len(text)
            joined.append(Word(text, union((last.box, piece.box)), sure))
        else:
            joined.append(piece)
        place += len(piece.text)
    return joined


def _blank_between(grey: Grey, left: Word, right: Word) -> float:
    """The longest run of columns without ink around where two words meet, in heights of the line (1.0 without contrast)."""
    height, width = grey.shape[:2]
    letter = 0.5 * min(left.box.width / len(left.text), right.box.width / len(right.text))
    x0, x1 = round((left.box.x1 - letter) * width), round((right.box.x0 + letter) * width)
    y0, y1 = round(min(left.box.y0, right.box.y0) * height), round(max(left.box.y1, right.box.y1) * height)
    crop = grey[y0:y1, max(0, x0) : x1].astype(np.float32)
    if crop.shape[0] < 6 or crop.shape[1] < 2 or float(np.ptp(crop)) < 60:
        return 1.0
    contrast = np.abs(crop - np.percentile(crop, 80))
    blank = (contrast > 0.35 * contrast.max()).mean(axis=0) < 0.08
    edges = np.flatnonzero(np.diff(np.concatenate(([0], blank.astype(np.int8), [0]))))
    return float((edges[1::2] - edges[::2]).max(initial=0)) / float(crop.shape[0])


def _tight(grey: Grey, x0: float, y0: float, x1: float, y1: float) -> Box:
    """The box shrunk to its ink from above and below (detection boxes stand a third too high), in page fractions."""
    height, width = grey.shape[:2]
    left, right = max(0, int(x0)), min(width, int(x1) + 1)
    top, bottom = max(0, int(y0)), min(height, int(y1) + 1)
    crop = grey[top:bottom, left:right]
    if crop.size and int(crop.max()) - int(crop.min()) > 40:
        ground = np.median(crop)
        contrast = np.abs(crop.astype(np.int16) - ground).max(axis=1)
        inked = np.nonzero(contrast > 0.4 * contrast.max())[0]
        if len(inked) > 0.3 * (bottom - top):
            top, bottom = top + int(inked[0]), top + int(inked[-1]) + 1
    return Box(
        max(0.0, float(x0) / width),
        top / height,
        min(1.0, float(max(x1, x0 + 1)) / width),
        min(1.0, max(bottom, top + 1) / height),
    )


class QuickEngine:
    """Tesseract 5 in the process, with Debian's data."""

    name = "quick"

    def __init__(self, language: str = "eng") -> None:
        self._language = language
        self._api: Any = None
        self._lock = threading.Lock()

    def _loaded(self) -> Any:
        if self._api is None:
            os.environ.setdefault("OMP_THREAD_LIMIT", "1")
            import tesserocr

            for folder in TESSDATA:
                if os.path.exists(f"{folder}{self._language}.traineddata"):
                    self._api = tesserocr.PyTessBaseAPI(path=folder, lang=self._language, psm=tesserocr.PSM.AUTO)
                    break
            else:
                raise ExternalError(f"tesseract's data for “{self._language}” are missing: install tesseract-ocr-eng.")
        return self._api

    def read(self, grey: Grey) -> list[Word]:
        from PIL import Image
        from tesserocr import RIL, iterate_level

        height, width = grey.shape[:2]
        words = []
        with self._lock:
            api = self._loaded()
            api.SetImage(Image.fromarray(flattened(grey)))
            api.SetSourceResolution(200)
            api.Recognize()
            for item in iterate_level(api.GetIterator(), RIL.WORD):
                if item.Empty(RIL.WORD) or not item.GetUTF8Text(RIL.WORD).strip():
                    continue
                x0, y0, x1, y1 = item.BoundingBox(RIL.WORD)
                box = Box(x0 / width, y0 / height, x1 / width, y1 / height)
                words.append(Word(item.GetUTF8Text(RIL.WORD).strip(), box, item.Confidence(RIL.WORD) / 100))
        return words

    def upside_down(self, crops: list[Grey]) -> float:
        return 0.0  # its own orientation test fails on cards: both ways are read instead


def best_engine() -> Engine:
    """The main reader where it can run here, else the quick one."""
    try:
        import openvino  # noqa: F401
        import rapidocr  # noqa: F401
    except ImportError:
        return QuickEngine()
    return CarefulEngine()
