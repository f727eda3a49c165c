"""Searchable PDF: the paper as it was received, its words laid invisibly under the picture."""

from __future__ import annotations

import io
from collections.abc import Sequence

import pikepdf
from PIL import Image
from reportlab.lib.utils import ImageReader
from reportlab.pdfbase.pdfmetrics import stringWidth
from reportlab.pdfgen.canvas import Canvas

from jugum.core.ocr import Paper
from jugum.core.page import Page, PageSource, Word

FONT = "Helvetica"


def searchable_pdf(data: bytes, paper: Paper, pages: Sequence[tuple[int, Page]]) -> bytes:
    """The pages (source index, page) of a file as one PDF whose text can be searched and copied, upright.

    Pages of a PDF are kept as they are and only get words laid over them, invisible (render mode 3, ISO 32000-1
    §9.3.6), where they had none that were sound; a picture becomes a page of its own bytes, so that the file hardly
    grows.
    """
    if paper.media_type == "application/pdf":
        return _over_pdf(data, pages)
    return _of_pictures(data, paper, pages)


def _over_pdf(data: bytes, pages: Sequence[tuple[int, Page]]) -> bytes:
    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(data)) as source, pikepdf.new() as made:
        for index, page in pages:
            made.pages.append(source.pages[index])
            target = made.pages[-1]
            box = [float(side) for side in target.trimbox]
            turned = int(target.obj.get("/Rotate", 0)) % 360
            if page.source is not PageSource.TEXT_LAYER:
                # Words stand upright on the page as it is seen; the page itself may be turned by /Rotate and by our own
                # turn.
                size = (box[2] - box[0], box[3] - box[1])
                layer = _layer(page, size, (turned + page.rotation) % 360, (box[0], box[1]))
                with pikepdf.open(io.BytesIO(layer)) as overlay:
                    target.add_overlay(overlay.pages[0], pikepdf.Rectangle(*box))
            target.obj["/Rotate"] = (turned + page.rotation) % 360
        made.save(out, compress_streams=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)
    return out.getvalue()


def _layer(page: Page, size: tuple[float, float], turn: int, origin: tuple[float, float]) -> bytes:
    """A PDF page of `size` (the received page, before any turn) with the words of the upright page, invisible."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=size)
    canvas.translate(size[0] / 2, size[1] / 2)
    canvas.rotate(turn)
    _write(canvas, page, size if turn % 180 == 0 else (size[1], size[0]))
    canvas.save()
    return buffer.getvalue()


def _write(canvas: Canvas, page: Page, upright: tuple[float, float]) -> None:
    """Invisible words around an origin in the page's middle; straightened pages are leant back by their skew."""
    canvas.rotate(-page.skew)
    for word in page.words:
        _word(canvas, word, upright)


def _word(canvas: Canvas, word: Word, size: tuple[float, float]) -> None:
    width, height = size
    high = max(1.0, word.box.height * height)
    text = canvas.beginText()
    text.setTextRenderMode(3)
    text.setFont(FONT, high)
    natural = stringWidth(word.text, FONT, high)
    if natural > 0:
        text.setHorizScale(max(1.0, 100 * word.box.width * width / natural))
    text.setTextOrigin(word.box.x0 * width - width / 2, height / 2 - word.box.y1 * height + 0.2 * high)
    text.textOut(word.text)
    canvas.drawText(text)


def _of_pictures(data: bytes, paper: Paper, pages: Sequence[tuple[int, Page]]) -> bytes:
    """A page of a picture file as received, turned upright by the page's /Rotate; JPEG bytes go in unchanged."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pageCompression=1)
    plain_jpeg = paper.media_type == "image/jpeg" and not _exif_turned(data)
    for index, page in pages:
        upright = (page.width_pt, page.height_pt)
        size = upright if page.rotation % 180 == 0 else (upright[1], upright[0])
        canvas.setPageSize(size)
        picture = ImageReader(io.BytesIO(data)) if plain_jpeg else ImageReader(_as_jpeg(paper, index))
        canvas.drawImage(picture, 0, 0, *size)
        canvas.saveState()
        canvas.translate(size[0] / 2, size[1] / 2)
        canvas.rotate(page.rotation)
        _write(canvas, page, upright)
        canvas.restoreState()
        canvas.showPage()
    canvas.save()
    return _turned(buffer.getvalue(), [page.rotation for _, page in pages])


def _turned(pdf: bytes, turns: Sequence[int]) -> bytes:
    """Each page with its /Rotate (reportlab's own way of setting it swaps the sides of the page, too)."""
    if not any(turns):
        return pdf
    out = io.BytesIO()
    with pikepdf.open(io.BytesIO(pdf)) as made:
        for page, turn in zip(made.pages, turns, strict=True):
            page.obj["/Rotate"] = turn
        made.save(out)
    return out.getvalue()


def _exif_turned(data: bytes) -> bool:
    with Image.open(io.BytesIO(data)) as picture:
        return int(picture.getexif().get(0x0112, 1)) != 1


def _as_jpeg(paper: Paper, index: int) -> io.BytesIO:
    pixels = paper.render(index, 200)
    grey = bool((pixels.max(axis=2).astype(int) - pixels.min(axis=2)).mean() < 4)
    picture = Image.fromarray(pixels).convert("L") if grey else Image.fromarray(pixels)
    buffer = io.BytesIO()
    picture.save(buffer, "JPEG", quality=75, dpi=(200, 200))
    buffer.seek(0)
    return buffer
