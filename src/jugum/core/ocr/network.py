"""The careful reader's three small networks: where lines are, what they say, which end is up.

The weights (PP-OCR, Apache-2.0) come in the wheel of `rapidocr`; what is done before and after them is ours. They
run on OpenVINO with one thread a process: pages are spread over processes.
"""

from __future__ import annotations

import importlib.util
import unicodedata
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr.handwriting import pen_probe
from jugum.errors import ExternalError

Grey = npt.NDArray[np.uint8]
Floats = npt.NDArray[np.float32]

LINE_HEIGHT = 48  # pixels, what the recogniser was trained on
WIDTH_STEP = 96  # widths are padded to multiples of it: each new shape costs the runtime a compilation
WIDTH_MAX = 2400  # a longer line is squeezed
INK_THRESHOLD = 0.3  # the network's own, as its authors trained it
LINE_SCORE_LEAST = 0.5  # the network's own; specks of dirt score lower
UNCLIP = 1.6  # the network finds the cores of lines: boxes are grown back by this, as it was trained
WEIGHTS = {
    "lines": "PP-OCRv6_det_small.onnx",
    "text": "PP-OCRv6_rec_small.onnx",
    "upright": "ch_ppocr_mobile_v2.0_cls_mobile.onnx",
}
# Letters of these scripts are read; the recogniser knows 18,710 characters, and leaving the others out halves its last
# layer's work and keeps them off our papers. Full-width marks stay: the network prefers them at times; they are
# narrowed afterwards.
_BLOCKS = (
    (0x20, 0x250),
    (0x2013, 0x2023),
    (0x2026, 0x2027),
    (0x2030, 0x2034),
    (0x20A0, 0x20C0),
    (0x2116, 0x2117),
    (0x2122, 0x2123),
    (0x2190, 0x2194),
    (0x2260, 0x2266),
    (0x25A0, 0x25D0),
    (0x2610, 0x2613),
    (0x2713, 0x2719),
    (0xFF01, 0xFF5F),
)
_GREEK = (0x370, 0x400)  # a block of Unicode: first code point, and the first after it
_CYRILLIC = (0x400, 0x530)  # likewise
SCRIPTS = {"latin": _BLOCKS, "greek": (*_BLOCKS, _GREEK), "cyrillic": (*_BLOCKS, _CYRILLIC)}


@dataclass(frozen=True, slots=True)
class ReadLine:
    """A found line of text: its four corners in pixels from the top left clockwise, shape (4, 2), and a score (0–1)."""

    corners: Floats
    score: float

    @property
    def height(self) -> float:
        """Pixels, along its own left side."""
        return float(np.linalg.norm(self.corners[3] - self.corners[0]))

    @property
    def width(self) -> float:
        """Pixels, along its own upper side."""
        return float(np.linalg.norm(self.corners[1] - self.corners[0]))


@dataclass(frozen=True, slots=True)
class Letters:
    """What a line says: characters, the confidence of each (0–1), where each stands (0–1 along the line: start, end),
    and what tells whether a pen wrote it (L × 2, see `handwriting`)."""

    text: str
    sure: tuple[float, ...]
    spans: tuple[tuple[float, float], ...]
    pen: Floats


def available() -> bool:
    """Whether the runtime and the weights are installed."""
    return importlib.util.find_spec("openvino") is not None and all(
        (_folder() / name).exists() for name in WEIGHTS.values()
    )


def _folder() -> Path:
    found = importlib.util.find_spec("rapidocr")
    if found is None or not found.submodule_search_locations:
        raise ExternalError("The careful reader's weights are missing: run the set-up again.")
    return Path(found.submodule_search_locations[0]) / "models"


@cache
def _core() -> Any:
    from openvino import Core

    core = Core()
    core.set_property("CPU", {"INFERENCE_NUM_THREADS": 1, "NUM_STREAMS": 1})  # one process a core (decision 0002)
    return core


class _Session:
    """A network compiled once, inferring one array."""

    def __init__(self, model: Any) -> None:
        self._request = _core().compile_model(model, "CPU").create_infer_request()

    def __call__(self, values: Floats) -> Floats:
        return self.every(values)[0]

    def every(self, values: Floats) -> list[Floats]:
        """All that the network gives, in the order of its outputs."""
        self._request.infer([values])
        return [np.asarray(tensor.data) for tensor in self._request.output_tensors]


class LineFinder:
    """Finds lines of text (differentiable binarisation: Liao et al., AAAI 2020)."""

    def __init__(self) -> None:
        self._session = _Session(_core().read_model(_folder() / WEIGHTS["lines"]))

    def __call__(self, grey: Grey, scale: float) -> list[ReadLine]:
        """Lines of an H×W picture, looked for at `scale` (≤ 1) of its size; corners in the picture's own pixels."""
        height, width = grey.shape
        tall, wide = (max(64, round(side * scale / 64) * 64) for side in (height, width))
        small = cv2.resize(grey, (wide, tall), interpolation=cv2.INTER_AREA)
        # the network was trained on colours; three times the same grey serves
        values = (small.astype(np.float32) / 127.5 - 1)[None, None].repeat(3, axis=1)
        chance = self._session(np.ascontiguousarray(values))[0, 0]
        found = _lines_of(chance)
        factors = np.array([width / wide, height / tall], dtype=np.float32)
        return [ReadLine(line.corners * factors, line.score) for line in found]


def _lines_of(chance: Floats) -> list[ReadLine]:
    mask = cv2.dilate((chance > INK_THRESHOLD).astype(np.uint8), np.ones((2, 2), np.uint8))
    contours, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    lines = []
    for contour in contours:
        x, y, w, h = cv2.boundingRect(contour)
        if min(w, h) < 3:
            continue
        inside = np.zeros((h, w), np.uint8)
        cv2.drawContours(inside, [contour - (x, y)], -1, 1, -1)
        score = float(chance[y : y + h, x : x + w][inside > 0].mean())
        if score < LINE_SCORE_LEAST:
            continue
        corners = _widened(contour)
        if corners is not None:
            lines.append(ReadLine(corners, score))
    return lines


def _widened(contour: Any) -> Floats | None:
    """The contour's rectangle, grown by area × 1.6 ÷ perimeter (what the network was trained to shrink by)."""
    (cx, cy), (w, h), angle = cv2.minAreaRect(contour)
    if angle > 45:  # OpenCV gives 0 < angle ≤ 90; lines lie level here
        w, h, angle = h, w, angle - 90
    if min(w, h) < 3:
        return None
    grown = w * h * UNCLIP / (2 * (w + h))
    w, h = w + 2 * grown, h + 2 * grown
    if abs(angle) < 1.0 or w < 2 * h:
        x, y, bw, bh = cv2.boundingRect(contour)
        x0, y0, x1, y1 = x - grown, y - grown, x + bw + grown, y + bh + grown
        return np.array([[x0, y0], [x1, y0], [x1, y1], [x0, y1]], dtype=np.float32)
    along = np.array([np.cos(np.radians(angle)), np.sin(np.radians(angle))]) * w / 2
    across = np.array([-np.sin(np.radians(angle)), np.cos(np.radians(angle))]) * h / 2
    middle = np.array([cx, cy])
    return np.array(
        [middle - along - across, middle + along - across, middle + along + across, middle - along + across],
        dtype=np.float32,
    )


def line_picture(grey: Grey, line: ReadLine) -> Grey:
    """The line cut out, level, at the recogniser's height of 48 pixels; its own width."""
    width = min(WIDTH_MAX, max(16, round(line.width * LINE_HEIGHT / max(1.0, line.height))))
    source = line.corners[:3].astype(np.float32)
    target = np.array([[0, 0], [width, 0], [width, LINE_HEIGHT]], dtype=np.float32)
    matrix = cv2.getAffineTransform(source, target)
    shrinks = line.height > 1.6 * LINE_HEIGHT
    if shrinks:  # warping samples points: large letters are shrunk first, or thin strokes fall between them
        factor = 1.3 * LINE_HEIGHT / line.height
        grey = np.asarray(cv2.resize(grey, None, fx=factor, fy=factor, interpolation=cv2.INTER_AREA), dtype=np.uint8)
        matrix = cv2.getAffineTransform(source * np.float32(factor), target)
    cut = cv2.warpAffine(grey, matrix, (width, LINE_HEIGHT), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(cut, dtype=np.uint8)


class LineReader:
    """Reads pictures of lines (SVTR with CTC: Du et al., IJCAI 2022; Graves et al., ICML 2006)."""

    def __init__(self, script: str = "latin") -> None:
        model = _core().read_model(_folder() / WEIGHTS["text"])
        everything = ["", *str(model.get_rt_info()["framework"]["character"].value).split("\n"), " "]
        kept = [0, *(number for number, text in enumerate(everything) if number and _wanted(text, SCRIPTS[script]))]
        # one script alone: faster, and no ideographs on our papers (decision 0006)
        numbers = _keep_characters(model, np.array(kept))
        model.add_outputs([numbers])
        self.characters = ["", *(_narrow(everything[number]) for number in kept[1:])]
        self._session = _Session(model)

    def __call__(self, picture: Grey) -> Letters:
        """What a picture (48 pixels high, any width) says. One line at a time: batches were measured and are no
        faster."""
        chance, numbers, step = self.seen(picture)
        path = best_path(chance)
        pen = [numbers[columns].mean(axis=0) for _, columns in path]
        return Letters(
            "".join(self.characters[number] for number, _ in path),
            tuple(float(chance[columns, number].max()) for number, columns in path),
            tuple((min(1.0, columns[0] * step), min(1.0, (columns[-1] + 1) * step)) for _, columns in path),
            pen_probe().marks(np.array(pen, dtype=np.float32).reshape(-1, numbers.shape[1])),
        )

    def seen(self, picture: Grey) -> tuple[Floats, Floats, float]:
        """The probabilities of characters in every column (T × characters), the numbers they are told from (T × 120),
        and how wide a column is, as a share of the picture."""
        width = picture.shape[1]
        # each new width is compiled anew: steps keep them few (decision 0006)
        wide = -(-width // WIDTH_STEP) * WIDTH_STEP
        values = np.zeros((1, 3, LINE_HEIGHT, wide), dtype=np.float32)
        values[0, :, :, :width] = picture.astype(np.float32) / 127.5 - 1
        chance, numbers = self._session.every(values)
        return chance[0], numbers[0], wide / chance.shape[1] / width


def best_path(chance: Floats) -> list[tuple[int, list[int]]]:
    """The likeliest character of each column (T × characters): repeated ones count once, blanks (0) part them. Each
    with the columns it was seen in."""
    path: list[tuple[int, list[int]]] = []
    last = 0
    for column, number in enumerate(chance.argmax(axis=1).tolist()):
        if number and number != last:
            path.append((number, []))
        if number:
            path[-1][1].append(column)
        last = number
    return path


def _wanted(text: str, blocks: tuple[tuple[int, int], ...]) -> bool:
    return len(text) == 1 and any(low <= ord(text) < high for low, high in blocks)


def _narrow(text: str) -> str:
    """Full-width marks and letters as their plain forms: "：" → ":"."""
    return unicodedata.normalize("NFKC", text) if 0xFF00 < ord(text) < 0xFF5F else text


def _keep_characters(model: Any, kept: npt.NDArray[np.int64]) -> Any:
    """Cut the columns of all other characters out of the network's last layer. Gives the output of the layer before,
    from whose numbers (1 × T × 120) the characters are told."""
    from openvino import opset13 as ops

    softmax = model.outputs[0].get_node().input_value(0).get_node()
    node = softmax
    add = multiply = None
    while multiply is None:
        node = node.input_value(0).get_node()
        if node.get_type_name() == "Add" and add is None:
            add = node
        elif node.get_type_name() == "MatMul":
            multiply = node
    assert add is not None
    weights = multiply.input_value(1).get_node().data[:, kept].copy()
    bias = add.input_value(1).get_node().data.reshape(-1)[kept].copy()
    multiply.input(1).replace_source_output(ops.constant(weights).output(0))
    add.input(1).replace_source_output(ops.constant(bias).output(0))
    model.validate_nodes_and_infer_types()
    return multiply.input_value(0)


class UprightVote:
    """Which way up a line stands (the line-direction classifier of PP-OCR)."""

    def __init__(self) -> None:
        self._session = _Session(_core().read_model(_folder() / WEIGHTS["upright"]))

    def __call__(self, crops: list[Grey]) -> float:
        """−1 (upright) to 1 (upside down), the mean over the crops; 0 without any."""
        if not crops:
            return 0.0
        values = np.zeros((len(crops), 3, LINE_HEIGHT, 192), dtype=np.float32)
        for row, crop in zip(values, crops, strict=True):
            width = min(192, max(1, round(crop.shape[1] * LINE_HEIGHT / crop.shape[0])))
            row[:, :, :width] = cv2.resize(crop, (width, LINE_HEIGHT)).astype(np.float32) / 127.5 - 1
        said = self._session(values)
        turned = said.argmax(axis=1) == 1
        return float(np.where(turned, said[:, 1], -said[:, 0]).mean())
