"""Opening a file as a paper: what kind it is, how many pages, and a clear word when it can't be used.

Errors of PDFium and Pillow are translated here and nowhere else.
"""

from __future__ import annotations

import io
import threading
import warnings
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
import numpy.typing as npt
import pypdfium2 as pdfium
import pypdfium2.raw as c
from PIL import ExifTags, Image, ImageOps, UnidentifiedImageError

from jugum.core.ocr.formfields import form_words
from jugum.core.ocr.textlayer import TextLayer, text_layer
from jugum.errors import LockedPaper, UnreadablePaper

Pixels = npt.NDArray[np.uint8]

# Pillow would refuse large pictures by itself, without saying how large; our own limit below is checked before
# decoding.
Image.MAX_IMAGE_PIXELS = None
HEIC_BRANDS = (b"heic", b"heix", b"hevc", b"mif1", b"msf1", b"heim", b"heis")
AVIF_BRAND = b"avif"
STRIP_LINES = 500  # of a picture that are laid over white at once
# PDFium may be entered by one thread at a time; the web process draws pages from several.
PDFIUM = threading.RLock()


@dataclass(frozen=True)
class Limits:
    """What one file may hold: bytes, pages, and pixels a page; a mail or archive: files and bytes unpacked, nesting."""

    bytes_max: int = 200_000_000
    pages_max: int = 1000
    pixels_max: int = 120_000_000
    files_max: int = 2000
    unpacked_max: int = 2_000_000_000
    depth_max: int = 3


class Paper(Protocol):
    """An opened file: `render` gives a page as it was received, H×W×3 uint8 (H×W when `grey`), `size_pt` its size in
    points."""

    media_type: str
    page_count: int

    def render(self, index: int, dpi: int, turn: int = 0, *, grey: bool = False) -> Pixels:
        """A page (`index` from 0) as pixels at `dpi`, turned clockwise by `turn` degrees (a multiple of 90)."""

    def size_pt(self, index: int) -> tuple[float, float]:
        """Width and height of a page in points (72 an inch), as it was received."""

    def text_layer(self, index: int) -> TextLayer | None:
        """The words a PDF brings along; None for pictures."""

    def close(self) -> None:
        """Let the file go; the paper is of no use after that."""


def open_paper(data: bytes, name: str, limits: Limits | None = None) -> Paper:
    """Open a PDF or a picture (PNG, JPEG, TIFF, BMP, WebP, HEIC); `name` is only used in messages.

    Raises UnreadablePaper, which names the paper and the remedy, for anything else, for what is damaged, without
    pages, or larger than `limits`, and LockedPaper for what a password locks.
    """
    limits = limits or Limits()
    if not data:
        raise UnreadablePaper(f"“{name}” is empty (0 bytes). Send it again from where it was made.")
    if len(data) > limits.bytes_max:
        raise UnreadablePaper(
            f"“{name}” has {len(data) / 1e6:.0f} MB; at most {limits.bytes_max / 1e6:.0f} MB are taken. Split it first."
        )
    if b"%PDF-" in data[:1024]:  # By the bytes, since names lie; some programs write a few before the mark.
        return PdfPaper(data, name, limits)
    if is_picture(data):
        return PicturePaper(data, name, limits)
    raise UnreadablePaper(
        f"“{name}” is not a file that can be read, whatever its name says. Save it as PDF, PNG, JPEG or TIFF "
        "and send "
        "it again."
    )


def is_picture(data: bytes) -> bool:
    """Whether the bytes begin as a picture of a kind that is read."""
    return (
        data[:8] == b"\x89PNG\r\n\x1a\n"
        or data[:3] == b"\xff\xd8\xff"
        or data[:4] in (b"II*\0", b"MM\0*")
        or (data[:2] == b"BM" and len(data) > 30)  # two letters alone begin many texts
        or (data[:4] == b"RIFF" and data[8:12] == b"WEBP")
        or (data[4:8] == b"ftyp" and data[8:12] in (*HEIC_BRANDS, AVIF_BRAND))
    )


def unlocked(data: bytes, name: str, password: str) -> bytes:
    """The PDF without its password. Raises LockedPaper when the password does not open it."""
    import pikepdf

    try:
        with pikepdf.open(io.BytesIO(data), password=password) as opened:
            out = io.BytesIO()
            opened.save(out)
            return out.getvalue()
    except pikepdf.PasswordError as error:
        raise LockedPaper(
            f"This password does not open “{name}”. Nothing was changed. Try another password."
        ) from error
    except pikepdf.PdfError as error:
        raise UnreadablePaper(f"“{name}” is a damaged PDF: it can't be opened. Send it again.") from error


class PdfPaper:
    """A PDF file through PDFium."""

    media_type = "application/pdf"

    def __init__(self, data: bytes, name: str, limits: Limits) -> None:
        self._name = name
        self._limits = limits
        with PDFIUM:
            try:
                self._document = pdfium.PdfDocument(data)
                self.page_count = len(self._document)
            except pdfium.PdfiumError as error:
                raise _why_not_opened(data, name) from error
            if self.page_count == 0:
                raise UnreadablePaper(f"“{name}” is a PDF without pages. Send it again from where it was made.")
            if self.page_count > limits.pages_max:
                raise UnreadablePaper(
                    f"“{name}” has {self.page_count} pages; at most {limits.pages_max} are taken. Split it."
                )
            if self._document.get_formtype() != c.FORMTYPE_NONE:  # without this, what is filled in is not drawn
                self._document.init_forms()

    def _page(self, index: int) -> pdfium.PdfPage:
        try:
            return self._document[index]
        except pdfium.PdfiumError as error:
            raise UnreadablePaper(f"Page {index + 1} of “{self._name}” is damaged. Send the file again.") from error

    def size_pt(self, index: int) -> tuple[float, float]:
        """Width and height in points; UnreadablePaper for sizes that no paper has."""
        with PDFIUM:
            width, height = self._page(index).get_size()
        if not (1 <= width <= 15_000 and 1 <= height <= 15_000):
            raise UnreadablePaper(
                f"Page {index + 1} of “{self._name}” is {width / 72:.0f} × {height / 72:.0f} inches: no paper has that "
                "size. Print it to PDF again at its real size."
            )
        return float(width), float(height)

    def render(self, index: int, dpi: int, turn: int = 0, *, grey: bool = False) -> Pixels:
        """The page at `dpi`, or coarser where it would pass the limit of pixels, turned clockwise by `turn`: H×W×3,
        or H×W when `grey`."""
        width, height = self.size_pt(index)
        # A plan of two metres at 300 dpi would fill the memory: it is read coarser instead of not at all.
        scale = min(dpi / 72, (self._limits.pixels_max / 4 / (width * height)) ** 0.5)
        with PDFIUM:
            bitmap = self._page(index).render(scale=scale, rotation=turn, may_draw_forms=True, grayscale=grey)
            pixels = bitmap.to_numpy()
            if grey:
                # a copy: the bitmap's memory goes with it
                return np.array(pixels if pixels.ndim == 2 else pixels[:, :, 0], dtype=np.uint8)
            if pixels.ndim == 3 and pixels.shape[2] >= 3:
                return np.ascontiguousarray(pixels[:, :, 2::-1])  # PDFium gives blue first
            return np.repeat(pixels.reshape(*pixels.shape[:2], 1), 3, axis=2)

    def text_layer(self, index: int) -> TextLayer | None:
        """The page's own text with what is filled into its form fields."""
        with PDFIUM:
            page = self._page(index)
            layer = text_layer(page)
            fields = form_words(self._document, page, layer.turn)
        return replace(layer, words=(*layer.words, *fields)) if fields else layer

    def close(self) -> None:
        """Let the file go."""
        with PDFIUM:
            self._document.close()


def _why_not_opened(data: bytes, name: str) -> UnreadablePaper:
    """PDFium doesn't tell a locked file from one without pages; qpdf does (loaded only for that)."""
    import pikepdf

    try:
        with pikepdf.open(io.BytesIO(data)) as opened:
            if len(opened.pages) == 0:
                return UnreadablePaper(f"“{name}” is a PDF without pages. Send it again from where it was made.")
    except pikepdf.PasswordError:
        return LockedPaper(f"“{name}” is locked by a password. Type the password, or send the file without one.")
    except pikepdf.PdfError:
        pass
    return UnreadablePaper(f"“{name}” is a damaged PDF: it can't be opened. Send it again.")


def _register_heic(name: str) -> None:
    """Pillow's decoder for HEIC, loaded when the first such file comes. It is an extra of the installation, since its
    wheel is under another licence (decision 0015). Raises UnreadablePaper where it is not installed."""
    try:
        import pi_heif
    except ImportError as error:
        raise UnreadablePaper(
            f"“{name}” is a HEIC picture, and this installation cannot read HEIC. Save it as JPEG and send it again, "
            "or ask an administrator to install the package “jugum[heic]”."
        ) from error
    pi_heif.register_heif_opener()


class PicturePaper:
    """A picture file through Pillow; a TIFF may hold many pages."""

    _TYPES = {
        "PNG": "image/png",
        "JPEG": "image/jpeg",
        "MPO": "image/jpeg",
        "TIFF": "image/tiff",
        "BMP": "image/bmp",
        "WEBP": "image/webp",
        "HEIF": "image/heic",
        "AVIF": "image/avif",
    }

    def __init__(self, data: bytes, name: str, limits: Limits) -> None:
        self._name = name
        self._limits = limits
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")  # about odd metadata, which we don't use
                formats = ["PNG", "JPEG", "TIFF", "BMP", "WEBP", "AVIF"]
                # AVIF comes in the same box, and Pillow reads it by itself
                if data[4:8] == b"ftyp" and data[8:12] != AVIF_BRAND:
                    _register_heic(name)
                    formats = ["HEIF"]
                self._picture = Image.open(io.BytesIO(data), formats=formats)
            self.media_type = self._TYPES[self._picture.format or ""]
            # frames of other kinds are films or small copies
            self.page_count = int(getattr(self._picture, "n_frames", 1)) if self._picture.format == "TIFF" else 1
        except (UnidentifiedImageError, OSError, ValueError, KeyError, SyntaxError) as error:
            raise UnreadablePaper(f"“{name}” is a damaged picture: it can't be opened. Send it again.") from error
        if self.page_count > limits.pages_max:
            raise UnreadablePaper(
                f"“{name}” has {self.page_count} pages; at most {limits.pages_max} are taken. Split it."
            )
        self._kept: tuple[tuple[int, str], Image.Image] | None = None
        self._check_pixels()

    def _check_pixels(self) -> None:
        if self._picture.width * self._picture.height > self._limits.pixels_max:
            width, height = self._picture.size
            raise UnreadablePaper(
                f"“{self._name}” has {width:,} × {height:,} pixels; at most {self._limits.pixels_max / 1e6:.0f} "
                "million are "
                "taken. Scan it again at 300 dpi or less."
            )

    def _frame(self, index: int, mode: str = "RGB") -> Image.Image:
        """A page as "RGB" or "L"; the last one is kept, for reading asks for it several times."""
        if self._kept is not None and self._kept[0] == (index, mode):
            return self._kept[1]
        try:
            self._picture.seek(index)  # each page of a TIFF has a size of its own, checked before it is decoded
            self._check_pixels()
            picture = _on_white(_upright(self._picture), mode)
        except (OSError, SyntaxError, ValueError, EOFError, RuntimeError) as error:
            raise UnreadablePaper(
                f"Page {index + 1} of “{self._name}” is damaged or cut short. Scan or send it again."
            ) from error
        self._kept = ((index, mode), picture)
        return picture

    def _dpi(self, picture: Image.Image) -> float:
        """The stated resolution where it is believable, else the one that makes the long side that of A4."""
        stated = self._picture.info.get("dpi", (0, 0))[0]
        long_side = max(picture.size)
        # Cameras and phones state 72 whatever they saw; a page is 3 to 24 inches long.
        if 72 < float(stated) <= 1200 and 3 <= long_side / float(stated) <= 24:
            return float(stated)
        return long_side / 11.69

    def size_pt(self, index: int) -> tuple[float, float]:
        """Width and height in points, by the resolution the file states or a likely one."""
        picture = self._frame(index)
        dpi = self._dpi(picture)
        return picture.width * 72 / dpi, picture.height * 72 / dpi

    def render(self, index: int, dpi: int, turn: int = 0, *, grey: bool = False) -> Pixels:
        """A frame at `dpi`; one that is nearly so already is not resampled, since that would only blur it."""
        picture = self._frame(index, "L" if grey else "RGB")
        scale = dpi / self._dpi(picture)
        if abs(scale - 1) > 0.05:
            size = (max(1, round(picture.width * scale)), max(1, round(picture.height * scale)))
            # Thin strokes vanish when few pixels are picked: much smaller pictures are averaged.
            picture = picture.resize(size, Image.Resampling.BOX if scale < 0.6 else Image.Resampling.BICUBIC)
        pixels = np.asarray(picture, dtype=np.uint8)
        return np.ascontiguousarray(np.rot90(pixels, -(turn // 90))) if turn else np.ascontiguousarray(pixels)

    def text_layer(self, index: int) -> TextLayer | None:
        """None: a picture has no text of its own."""
        return None

    def close(self) -> None:
        """Let the file go."""
        self._picture.close()


def _upright(picture: Image.Image) -> Image.Image:
    """The picture as its camera says it was held: itself, where it was held upright, since a large one has half a
    gigabyte."""
    held = picture.getexif().get(ExifTags.Base.Orientation, 1)
    return picture if held == 1 else ImageOps.exif_transpose(picture)


def _on_white(picture: Image.Image, mode: str) -> Image.Image:
    """Any picture as 8-bit `mode`, what is transparent over white; itself where it is so already."""
    if picture.mode.startswith("I") or picture.mode == "F":  # 16 bits and more: Pillow clips instead of scaling
        levels = np.asarray(picture, dtype=np.float64)
        return Image.fromarray((levels * (255 / max(1.0, levels.max()))).clip(0, 255).astype(np.uint8)).convert(mode)
    if "A" in picture.getbands() or "transparency" in picture.info:
        ground = Image.new(mode, picture.size, "white")
        for top in range(0, picture.height, STRIP_LINES):  # whole, it would be in memory four times
            strip = picture.crop((0, top, picture.width, min(picture.height, top + STRIP_LINES))).convert("RGBA")
            white = Image.new("RGBA", strip.size, "white")
            ground.paste(Image.alpha_composite(white, strip).convert(mode), (0, top))
        return ground
    picture.load()
    return picture if picture.mode == mode else picture.convert(mode)
