"""Pages of many kinds with known truth, in three conditions, from seeds that the demo does not use."""

from __future__ import annotations

import io
import random
from dataclasses import dataclass

import cv2
import numpy as np
import pypdfium2 as pdfium
from PIL import Image

from jugum.core.ocr import open_paper
from jugum.core.page import Word
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.scans import worn
from jugum.demo.sheet import SheetTruth
from jugum.demo.strangers import stranger
from jugum.demo.stubs import stub_paper

KINDS = ("contract", "tax form", "pay stub", "identity", "stranger")
CONDITIONS = {"light": 0.15, "bad": 1.0}


@dataclass(frozen=True)
class TruePage:
    """A clean one-page PDF, its words, and what else stands on it."""

    kind: str
    layout: int
    pdf: bytes
    words: tuple[Word, ...]
    sheet: SheetTruth


@dataclass(frozen=True)
class Scan:
    """A page as a scan: PNG bytes; `turn` is what must be turned clockwise to stand it upright."""

    page: TruePage
    condition: str
    png: bytes
    turn: int


def true_pages(count: int, seed: int = 515) -> list[TruePage]:
    """`count` pages, kinds in turn, layouts varied."""
    rng = random.Random(seed)
    made = []
    for number in range(count):
        kind = KINDS[number % len(KINDS)]
        layout = number // len(KINDS)
        if kind == "pay stub":
            pdf, sheet, page = stub_paper(layout % 8, rng).pdf, SheetTruth(), 0
        else:
            draw = {"contract": contract, "tax form": tax_assessment, "identity": identity_paper, "stranger": stranger}
            paper = draw[kind](layout, rng)
            page = len(paper.pages) - 1 if layout % 2 else 0
            pdf, sheet = _only(paper.pdf, page), paper.pages[page]
        layer = open_paper(pdf, "clean.pdf").text_layer(0)
        assert layer is not None
        made.append(TruePage(kind, layout, pdf, layer.words, sheet))
    return made


def _only(pdf: bytes, page: int) -> bytes:
    import pikepdf

    with pikepdf.open(io.BytesIO(pdf)) as opened:
        kept = pikepdf.new()
        kept.pages.append(opened.pages[page])
        out = io.BytesIO()
        kept.save(out)
        return out.getvalue()


def scan_of(page: TruePage, condition: str, seed: int) -> Scan:
    """The page as a scanner would give it: small papers on a glass of A5, a quarter of all turned."""
    rng = np.random.default_rng(seed)
    document = pdfium.PdfDocument(page.pdf)
    small = max(document[0].get_size()) < 420
    dpi = 300 if small else 200
    picture = np.ascontiguousarray(document[0].render(scale=dpi / 72).to_numpy()[:, :, 2::-1])
    document.close()
    if small:
        picture = cv2.copyMakeBorder(picture, 160, 160, 140, 140, cv2.BORDER_CONSTANT, value=(250, 250, 250))
    picture = worn(picture, rng, CONDITIONS[condition])
    turn = int(rng.choice([0, 0, 0, 0, 0, 90, 180, 270]))
    turned = np.ascontiguousarray(np.rot90(picture, turn // 90))
    buffer = io.BytesIO()
    quality = 80 if condition == "light" else 45
    jpeg = io.BytesIO()
    Image.fromarray(turned).convert("L").save(jpeg, "JPEG", quality=quality)
    Image.open(jpeg).save(buffer, "PNG", dpi=(dpi, dpi))
    return Scan(page, condition, buffer.getvalue(), turn)
