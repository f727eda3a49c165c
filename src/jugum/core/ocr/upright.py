"""Standing a picture of a page upright: which axis the lines run along, how much they lean, which end is up."""

from __future__ import annotations

from typing import Any

import cv2
import numpy as np
import numpy.typing as npt

Grey = npt.NDArray[np.uint8]
SKEW_MAX = 12.0  # degrees


def ink_mask(grey: Grey) -> Grey:
    """255 where there is dark ink on a lighter ground of any shade, at the picture's own scale."""
    size = max(15, (min(grey.shape) // 40) | 1)  # a window of a few letters, of odd size as OpenCV wants it
    blurred = cv2.GaussianBlur(grey, (3, 3), 0)
    mask: Any = cv2.adaptiveThreshold(blurred, 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY_INV, size, 14)
    return np.asarray(mask, dtype=np.uint8)


def lies_sideways(grey: Grey) -> bool:
    """Whether the lines of text run from top to bottom.

    Ink is smeared along one axis so that letters join to lines; the axis along which longer line-shaped blobs (at
    least four times as long as thick, and not as thin as a ruled line) arise is that of the text.
    """
    small = _shrunk(grey, 1000)
    mask = ink_mask(small)
    return _line_length(np.ascontiguousarray(mask.T)) > _line_length(mask)


def _line_length(mask: Grey) -> float:
    smeared = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((1, 13), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(smeared)
    widths, heights, areas = stats[1:, 2].astype(float), stats[1:, 3].astype(float), stats[1:, 4].astype(float)
    lines = (widths >= 3.5 * heights) & (heights >= 5) & (heights <= 60) & (areas > 0.3 * widths * heights)
    # more than in proportion: one long line says more than many short blobs
    return float(np.sum(widths[lines] ** 1.5))


def letter_height(grey: Grey) -> float:
    """Height in pixels that nine tenths of the letter-shaped blots reach (0 for a page without such)."""
    small = _shrunk(grey, 1400)
    _, _, stats, _ = cv2.connectedComponentsWithStats(ink_mask(small))
    widths, heights, areas = stats[1:, 2], stats[1:, 3], stats[1:, 4]
    letters = (
        (heights >= 5)
        & (heights <= 60)
        & (widths >= 3)
        & (widths <= 2.5 * heights)
        & (areas >= 0.15 * widths * heights)
    )
    if int(letters.sum()) < 20:
        return 0.0
    # the smaller letters: they are the ones that shrinking loses
    return float(np.percentile(heights[letters], 15) * max(grey.shape) / max(small.shape))


def _shrunk(grey: Grey, long_side: int) -> Grey:
    scale = long_side / max(grey.shape)
    if scale >= 1:
        return grey
    size = (max(1, round(grey.shape[1] * scale)), max(1, round(grey.shape[0] * scale)))
    return np.asarray(cv2.resize(grey, size, interpolation=cv2.INTER_AREA), dtype=np.uint8)


def skew_of(grey: Grey) -> float:
    """Degrees (−12 to 12) that the lines lean, positive when they fall to the right; 0 for a page without ink.

    The turn at which the ink's sums over rows differ most is the one at which lines lie level: half-degree steps,
    then tenths around the best (Postl, 1986).
    """
    mask = ink_mask(_shrunk(grey, 880))
    ys, xs = np.nonzero(mask)
    if len(ys) < 200:  # a speck leans nowhere
        return 0.0
    if len(ys) > 60_000:  # more ink does not sharpen the answer, only slows it
        chosen = np.linspace(0, len(ys) - 1, 60_000).astype(int)
        ys, xs = ys[chosen], xs[chosen]
    centred = xs - mask.shape[1] / 2

    def sharpness(angle: float) -> float:
        rows = np.rint(ys - centred * np.tan(np.radians(angle))).astype(int)
        counts = np.bincount(rows - rows.min())
        return float(np.sum(np.diff(counts.astype(float)) ** 2))

    coarse = max(np.arange(-SKEW_MAX, SKEW_MAX + 0.1, 0.5), key=sharpness)
    return float(max(np.arange(coarse - 0.5, coarse + 0.51, 0.1), key=sharpness))


def straightened(pixels: npt.NDArray[np.uint8], skew: float) -> npt.NDArray[np.uint8]:
    """The picture turned so that lines leaning by `skew` degrees lie level, on a canvas of the same size."""
    if abs(skew) < 0.15:  # turning blurs more than so little a lean harms
        return pixels
    height, width = pixels.shape[:2]
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), skew, 1.0)
    turned = cv2.warpAffine(pixels, matrix, (width, height), flags=cv2.INTER_CUBIC, borderMode=cv2.BORDER_REPLICATE)
    return np.asarray(turned, dtype=np.uint8)


def line_crops(grey: Grey, most: int = 15) -> list[Grey]:
    """Up to `most` crops of level lines of text, the longest first, to ask which end is up."""
    scale = max(1.0, max(grey.shape) / 1000)
    mask = ink_mask(_shrunk(grey, 1000))
    smeared = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones((1, 13), np.uint8))
    _, _, stats, _ = cv2.connectedComponentsWithStats(smeared)
    lines = [
        (x, y, w, h)
        for x, y, w, h, area in stats[1:]
        if w >= 2.5 * h and 6 <= h <= 40 and w >= 25 and area > 0.25 * w * h
    ]
    # beyond twelve heights a line tells no more, so that a rule across the page does not come first
    lines.sort(key=lambda line: -min(line[2], 12 * line[3]))
    crops = []
    for x, y, w, h in lines[:most]:
        top, bottom = int((y - 2) * scale), int((y + h + 2) * scale)
        crops.append(grey[max(0, top) : bottom, max(0, int((x - 2) * scale)) : int((x + min(w, 10 * h) + 2) * scale)])
    return [crop for crop in crops if crop.size]


def flattened(grey: Grey) -> Grey:
    """Even light, less noise, full contrast, for engines that want it: the paper's own level (closed, smoothed, at a
    fifth of the size) is divided out, then a 3×3 median and a stretch. Never binarised: that loses thin strokes."""
    small = cv2.resize(grey, None, fx=0.2, fy=0.2, interpolation=cv2.INTER_AREA)
    paper = cv2.morphologyEx(small, cv2.MORPH_CLOSE, np.ones((9, 9), np.uint8))
    paper = cv2.GaussianBlur(cv2.medianBlur(paper, 9), (0, 0), 5)
    level = cv2.resize(paper, (grey.shape[1], grey.shape[0]), interpolation=cv2.INTER_LINEAR).astype(np.float32)
    flat = np.clip(grey.astype(np.float32) / np.maximum(level, 1) * 245, 0, 255).astype(np.uint8)
    flat = np.asarray(cv2.medianBlur(flat, 3), dtype=np.uint8)
    low, high = np.percentile(flat, (0.5, 90))  # at least a tenth of any page is paper
    stretched: Grey = np.clip((flat.astype(np.float32) - low) * (250 / max(1.0, high - low)), 0, 255).astype(np.uint8)
    return stretched
