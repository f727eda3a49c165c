"""Opening a file as a paper: what kind it is, how many pages, and a clear word when it can't be used.

Errors of PDFium and Pillow are translated here and nowhere else.
"""

from __future__ import annotations

import io
import warnings
from dataclasses import dataclass
from typing import Protocol

import numpy as np
import numpy.typing as npt
import pypdfium2 as pdfium
from PIL import Image, ImageOps, UnidentifiedImageError

from jugum.core.ocr.textlayer import TextLayer, text_layer
from jugum.errors import UnreadablePaper

Pixels = npt.NDArray[np.uint8]

# Pillow would refuse large pictures by itself, without saying how large; our own limit below is checked before decoding.
Image.MAX_IMAGE_PIXELS = None


@dataclass(frozen=True)
class Limits:
    """What one file may hold: bytes, pages, and pixels a page."""

    bytes_max: int = 200_000_000
    pages_max: int = 1000
    pixels_max: int = 120_000_000


class Paper(Protocol):
    """An opened file: `render` gives a page as it was received, H×W×3 uint8, and its size in points."""

    media_type: str
    page_count: int

    def render(self, index: int, dpi: int, turn: int = 0) -> Pixels: ...

    def size_pt(self, index: int) -> tuple[float, float]: ...

    def text_layer(self, index: int) -> TextLayer | None: ...

    def close(self) -> None: ...


def open_paper(data: bytes, name: str, limits: Limits | None = None) -> Paper:
    """Open PDF, PNG, JPEG or TIFF bytes; `name` is only used in messages.

    Raises UnreadablePaper, which names the paper and the remedy, for anything else, for what is damaged, locked by
    a password, without pages, or larger than `limits`.
    """
    limits = limits or Limits()
    if not data:
        raise UnreadablePaper(f"“{name}” is empty (0 bytes). Send it again from where it was made.")
    if len(data) > limits.bytes_max:
        raise UnreadablePaper(
            f"“{name}” has {len(data) / 1e6:.0f} MB; at most {limits.bytes_max / 1e6:.0f} MB are taken. Split it first."
        )
    if b"%PDF-" in data[:1024]:
        return PdfPaper(data, name, limits)
    if data[:8] == b"\x89PNG\r\n\x1a\n" or data[:3] == b"\xff\xd8\xff" or data[:4] in (b"II*\0", b"MM\0*"):
        return PicturePaper(data, name, limits)
    raise UnreadablePaper(
        f"“{name}” is no PDF, PNG, JPEG or TIFF file, whatever its name says. Save it as one of these and send it again."
    )


class PdfPaper:
    """A PDF file through PDFium."""

    media_type = "application/pdf"

    def __init__(self, data: bytes, name: str, limits: Limits) -> None:
        self._name = name
        self._limits = limits
        try:
            self._document = pdfium.PdfDocument(data)
            self.page_count = len(self._document)
        except pdfium.PdfiumError as error:
            raise UnreadablePaper(_why_not_opened(data, name)) from error
        if self.page_count == 0:
            raise UnreadablePaper(f"“{name}” is a PDF without pages. Send it again from where it was made.")
        if self.page_count > limits.pages_max:
            raise UnreadablePaper(
                f"“{name}” has {self.page_count} pages; at most {limits.pages_max} are taken. Split it."
            )

    def _page(self, index: int) -> pdfium.PdfPage:
        try:
            return self._document[index]
        except pdfium.PdfiumError as error:
            raise UnreadablePaper(f"Page {index + 1} of “{self._name}” is damaged. Send the file again.") from error

    def size_pt(self, index: int) -> tuple[float, float]:
        width, height = self._page(index).get_size()
        if not (1 <= width <= 15_000 and 1 <= height <= 15_000):
            raise UnreadablePaper(
                f"Page {index + 1} of “{self._name}” is {width / 72:.0f} × {height / 72:.0f} inches: no paper has that "
                "size. Print it to PDF again at its real size."
            )
        return float(width), float(height)

    def render(self, index: int, dpi: int, turn: int = 0) -> Pixels:
        """The page at `dpi`, or coarser where it would pass the limit of pixels, turned clockwise by `turn`."""
        width, height = self.size_pt(index)
        scale = min(dpi / 72, (self._limits.pixels_max / 4 / (width * height)) ** 0.5)
        bitmap = self._page(index).render(scale=scale, rotation=turn, may_draw_forms=True)
        pixels = bitmap.to_numpy()
        rgb = (
            pixels[:, :, 2::-1] if pixels.ndim == 3 and pixels.shape[2] >= 3 else np.repeat(pixels[:, :, :1], 3, axis=2)
        )
        return np.ascontiguousarray(rgb)

    def text_layer(self, index: int) -> TextLayer | None:
        return text_layer(self._page(index))

    def close(self) -> None:
        self._document.close()


def _why_not_opened(data: bytes, name: str) -> str:
    """PDFium doesn't tell a locked file from one without pages; qpdf does (loaded only for that)."""
    import pikepdf

    try:
        with pikepdf.open(io.BytesIO(data)) as opened:
            if len(opened.pages) == 0:
                return f"“{name}” is a PDF without pages. Send it again from where it was made."
    except pikepdf.PasswordError:
        return f"“{name}” is locked by a password. Save it without one and send it again."
    except pikepdf.PdfError:
        pass
    return f"“{name}” is a damaged PDF: it can't be opened. Send it again."


class PicturePaper:
    """A PNG, JPEG or TIFF file through Pillow; a TIFF may hold many pages."""

    _TYPES = {"PNG": "image/png", "JPEG": "image/jpeg", "MPO": "image/jpeg", "TIFF": "image/tiff"}

    def __init__(self, data: bytes, name: str, limits: Limits) -> None:
        self._name = name
        self._limits = limits
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # about odd metadata, which we don't use
                self._picture = Image.open(io.BytesIO(data), formats=["PNG", "JPEG", "TIFF"])
            self.media_type = self._TYPES[self._picture.format or ""]
            self.page_count = int(getattr(self._picture, "n_frames", 1)) if self._picture.format == "TIFF" else 1
        except (UnidentifiedImageError, OSError, ValueError, KeyError, SyntaxError) as error:
            raise UnreadablePaper(f"“{name}” is a damaged picture: it can't be opened. Send it again.") from error
        if self.page_count > limits.pages_max:
            raise UnreadablePaper(
                f"“{name}” has {self.page_count} pages; at most {limits.pages_max} are taken. Split it."
            )
        self._check_pixels()

    def _check_pixels(self) -> None:
        if self._picture.width * self._picture.height > self._limits.pixels_max:
            width, height = self._picture.size
            raise UnreadablePaper(
                f"“{self._name}” has {width:,} × {height:,} pixels; at most {self._limits.pixels_max / 1e6:.0f} million are "
                "taken. Scan it again at 300 dpi or less."
            )

    def _frame(self, index: int) -> Image.Image:
        try:
            self._picture.seek(index)
            self._check_pixels()
            upright = ImageOps.exif_transpose(self._picture)
            if upright.mode.startswith("I"):  # 16-bit grey: Pillow clips instead of scaling
                levels = np.asarray(upright, dtype=np.float64)
                return Image.fromarray((levels * (255 / max(1.0, levels.max()))).astype(np.uint8)).convert("RGB")
            if "A" in upright.getbands() or "transparency" in upright.info:
                ground = Image.new("RGBA", upright.size, "white")
                return Image.alpha_composite(ground, upright.convert("RGBA")).convert("RGB")
            return upright.convert("RGB")
        except (OSError, SyntaxError, ValueError, EOFError) as error:
            raise UnreadablePaper(
                f"Page {index + 1} of “{self._name}” is damaged or cut short. Scan or send it again."
            ) from error

    def _dpi(self, picture: Image.Image) -> float:
        """The stated resolution where it is believable, else the one that makes the long side that of A4."""
        stated = self._picture.info.get("dpi", (0, 0))[0]
        long_side = max(picture.size)
        if 72 < float(stated) <= 1200 and 3 <= long_side / float(stated) <= 24:
            return float(stated)
        return long_side / 11.69

    def size_pt(self, index: int) -> tuple[float, float]:
        picture = self._frame(index)
        dpi = self._dpi(picture)
        return picture.width * 72 / dpi, picture.height * 72 / dpi

    def render(self, index: int, dpi: int, turn: int = 0) -> Pixels:
        picture = self._frame(index)
        scale = dpi / self._dpi(picture)
        if abs(scale - 1) > 0.05:
            size = (max(1, round(picture.width * scale)), max(1, round(picture.height * scale)))
            picture = picture.resize(size, Image.Resampling.LANCZOS if scale < 1 else Image.Resampling.BICUBIC)
        pixels = np.asarray(picture, dtype=np.uint8)
        return np.ascontiguousarray(np.rot90(pixels, -(turn // 90))) if turn else np.ascontiguousarray(pixels)

    def text_layer(self, index: int) -> TextLayer | None:
        return None

    def close(self) -> None:
        self._picture.close()
