"""Bar and QR codes on a page, each as one word of its own kind."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt
import zxingcpp

from jugum.core.page import Box, Word, WordKind

Grey = npt.NDArray[np.uint8]
SIDE_MAX = 1700  # pixels: about 145 dpi of A4; at twice that the search takes four times as long and finds no more


def barcodes(grey: Grey) -> list[Word]:
    """Codes of an H×W picture, of any common kind and in any direction; boxes in fractions of it."""
    scale = SIDE_MAX / max(grey.shape)
    if scale < 1:
        grey = np.asarray(cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA), dtype=np.uint8)
    height, width = grey.shape
    words = []
    for found in zxingcpp.read_barcodes(grey, try_invert=False, try_downscale=False):
        corners = [
            found.position.top_left,
            found.position.top_right,
            found.position.bottom_right,
            found.position.bottom_left,
        ]
        xs, ys = [corner.x / width for corner in corners], [corner.y / height for corner in corners]
        if found.text.strip():
            box = Box(max(0.0, min(xs)), max(0.0, min(ys)), min(1.0, max(xs)), min(1.0, max(ys)))
            words.append(Word(found.text, box, 1.0, False, WordKind.BARCODE))
    return words
