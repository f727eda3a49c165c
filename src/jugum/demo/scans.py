"""Turning a clean page into a scan or photo of it: lean, blur, noise, stains, uneven light, wrong way up."""

from __future__ import annotations

import io

import cv2
import numpy as np
import pypdfium2 as pdfium
from PIL import Image


def scanned(pdf: bytes, seed: int, *, severity: float = 0.5) -> tuple[bytes, str]:
    """The first page of a PDF as a scan: file bytes and the ending of its name (.jpg, .png, .tif or .pdf).

    `severity` 0–1 scales lean (to 3°), blur, noise and stains; a quarter of all scans lie on a side or upside down.
    """
    rng = np.random.default_rng(seed)
    document = pdfium.PdfDocument(pdf)
    page = document[0].render(scale=200 / 72).to_numpy()[:, :, 2::-1]
    document.close()
    picture = worn(np.ascontiguousarray(page), rng, severity)
    turn = int(rng.choice([0, 0, 0, 0, 0, 0, 1, 2, 3]))
    picture = np.ascontiguousarray(np.rot90(picture, turn))
    return _saved(picture, str(rng.choice([".jpg", ".jpg", ".png", ".tif", ".pdf"])))


def worn(page: np.ndarray, rng: np.random.Generator, severity: float, *, lean: bool = True) -> np.ndarray:
    """An H×W×3 picture as a scanner or camera would give it; without `lean` its lines stay level."""
    height, width = page.shape[:2]
    angle = rng.uniform(-1, 1) * (0.5 + 2.5 * severity) * lean
    matrix = cv2.getRotationMatrix2D((width / 2, height / 2), angle, 1.0)
    picture = cv2.warpAffine(page, matrix, (width, height), borderValue=(245, 243, 240)).astype(np.float32)
    ramp = np.linspace(1 - 0.25 * severity * rng.uniform(0, 1), 1, width)[None, :, None]
    picture *= ramp * np.linspace(1, 1 - 0.15 * severity * rng.uniform(0, 1), height)[:, None, None]
    for _ in range(int(rng.integers(0, 1 + round(3 * severity)))):
        picture *= _stain(height, width, rng)[:, :, None]
    picture = cv2.GaussianBlur(picture, (0, 0), 0.4 + 0.8 * severity * rng.uniform(0.3, 1))
    picture += rng.normal(0, 3 + 14 * severity * rng.uniform(0.3, 1), picture.shape)
    spoiled: np.ndarray = np.clip(picture, 0, 255).astype(np.uint8)
    return spoiled


def _stain(height: int, width: int, rng: np.random.Generator) -> np.ndarray:
    """A coffee ring: a darker rim and a paler inside."""
    ys, xs = np.mgrid[0:height, 0:width]
    radius = rng.uniform(60, 160)
    distance = np.hypot(ys - rng.uniform(0, height), xs - rng.uniform(0, width))
    ring = np.exp(-((distance - radius) ** 2) / 60)
    stain: np.ndarray = 1 - 0.35 * ring - 0.08 * (distance < radius)
    return stain


def _saved(picture: np.ndarray, ending: str) -> tuple[bytes, str]:
    buffer = io.BytesIO()
    image = Image.fromarray(picture).convert("L")
    if ending == ".tif":
        image.save(buffer, "TIFF", compression="tiff_lzw", dpi=(200, 200))
    elif ending == ".pdf":
        image.save(buffer, "PDF", resolution=200)
    elif ending == ".png":
        image.save(buffer, "PNG", dpi=(200, 200))
    else:
        image.save(buffer, "JPEG", quality=70, dpi=(200, 200))
    return buffer.getvalue(), ending
