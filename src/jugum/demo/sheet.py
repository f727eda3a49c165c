"""A sheet to draw papers on, which remembers what was drawn where: the truth that readings are measured against."""

from __future__ import annotations

import io
import random
from dataclasses import dataclass, field

from reportlab.pdfgen.canvas import Canvas

from jugum.core.page import Box


@dataclass
class SheetTruth:
    """What stands on one page apart from its words: tick boxes with their state, signatures, machine-readable zones and
    tables as rows of cell texts. Boxes in fractions of the page."""

    ticks: list[tuple[Box, bool]] = field(default_factory=list)
    signatures: list[Box] = field(default_factory=list)
    zones: list[tuple[str, ...]] = field(default_factory=list)
    tables: list[list[list[str]]] = field(default_factory=list)


class Sheet:
    """A canvas of one or more pages with the origin at the top left, in points."""

    def __init__(self, size: tuple[float, float]) -> None:
        self.buffer = io.BytesIO()
        self.width, self.height = size
        self.canvas = Canvas(self.buffer, pagesize=size, invariant=True)
        self.pages = [SheetTruth()]

    @property
    def truth(self) -> SheetTruth:
        return self.pages[-1]

    def text(
        self, x: float, y: float, text: str, size: float = 10, *, bold: bool = False, font: str = "Helvetica"
    ) -> None:
        self.canvas.setFont(_face(font, bold), size)
        self.canvas.drawString(x, self.height - y, text)

    def right(
        self, x: float, y: float, text: str, size: float = 10, *, bold: bool = False, font: str = "Helvetica"
    ) -> None:
        self.canvas.setFont(_face(font, bold), size)
        self.canvas.drawRightString(x, self.height - y, text)

    def line(self, x0: float, y0: float, x1: float, y1: float, width: float = 0.6) -> None:
        self.canvas.setLineWidth(width)
        self.canvas.line(x0, self.height - y0, x1, self.height - y1)

    def box(self, x: float, y: float, width: float, height: float, grey: float | None = None) -> None:
        self.canvas.setLineWidth(0.6)
        if grey is not None:
            self.canvas.setFillGray(grey)
        self.canvas.rect(x, self.height - y - height, width, height, fill=int(grey is not None))
        self.canvas.setFillGray(0)

    def lines_of(self, width: float, text: str, size: float, font: str) -> list[str]:
        """Text broken into lines of at most `width` points."""
        lines, line = [], ""
        for word in text.split():
            wider = f"{line} {word}".strip()
            if line and self.canvas.stringWidth(wider, _face(font, False), size) > width:
                lines.append(line)
                line = word
            else:
                line = wider
        return [*lines, line]

    def paragraph(self, x: float, y: float, width: float, text: str, size: float = 10, font: str = "Times") -> float:
        """Text broken into lines of at most `width` points; returns the y below them."""
        for line in self.lines_of(width, text, size, font):
            self.text(x, y, line, size, font=font)
            y += 1.32 * size
        return y

    def tick(self, x: float, y: float, side: float, state: bool, style: str = "cross") -> None:
        """A square tick box with its top left corner at (x, y), empty or marked with a cross, a tick or a filling."""
        self.canvas.setLineWidth(0.8)
        top = self.height - y
        self.canvas.rect(x, top - side, side, side)
        inset = 0.2 * side
        if state and style == "cross":
            self.canvas.setLineWidth(1.1)
            self.canvas.line(x + inset, top - inset, x + side - inset, top - side + inset)
            self.canvas.line(x + inset, top - side + inset, x + side - inset, top - inset)
        elif state and style == "tick":
            self.canvas.setLineWidth(1.3)
            self.canvas.line(x + inset, top - 0.5 * side, x + 0.42 * side, top - side + inset)
            self.canvas.line(x + 0.42 * side, top - side + inset, x + side + 0.15 * side, top + 0.1 * side)
        elif state:
            self.canvas.rect(x + inset, top - side + inset, side - 2 * inset, side - 2 * inset, fill=1)
        self.truth.ticks.append((self._fraction(x, y, x + side, y + side), state))

    def signature(self, x: float, y: float, width: float, rng: random.Random) -> None:
        """Pen strokes of nobody in particular, standing on the line at y."""
        path = self.canvas.beginPath()
        height = rng.uniform(14, 24)
        base = self.height - y + 3
        place = x
        path.moveTo(place, base + rng.uniform(0, 0.4) * height)
        while place < x + width:
            step = rng.uniform(6, 15)
            up, down = rng.uniform(0.3, 1.0) * height, rng.uniform(-0.3, 0.3) * height
            path.curveTo(place + 0.2 * step, base + up, place + 0.7 * step, base + up, place + 0.6 * step, base + down)
            path.curveTo(
                place + 0.6 * step, base + down - 3, place + step, base + down, place + step, base + 0.3 * height
            )
            place += step
        self.canvas.setLineWidth(rng.uniform(0.9, 1.6))
        self.canvas.setStrokeColorRGB(0.05, 0.08, rng.choice([0.1, 0.45]))
        self.canvas.drawPath(path)
        self.canvas.setStrokeGray(0)
        self.truth.signatures.append(self._fraction(x, y - height, x + width, y + 4))

    def zone(self, x: float, y: float, lines: tuple[str, ...], size: float) -> None:
        """A machine-readable zone: lines of a fixed pitch."""
        for number, text in enumerate(lines):
            self.text(x, y + number * 1.7 * size, text, size, font="Courier", bold=True)
        self.truth.zones.append(lines)

    def new_page(self) -> None:
        self.canvas.showPage()
        self.pages.append(SheetTruth())

    def done(self) -> bytes:
        self.canvas.save()
        return self.buffer.getvalue()

    def _fraction(self, x0: float, y0: float, x1: float, y1: float) -> Box:
        return Box(x0 / self.width, y0 / self.height, x1 / self.width, y1 / self.height)


def _face(font: str, bold: bool) -> str:
    if font == "Times":
        return "Times-Bold" if bold else "Times-Roman"
    return f"{font}-Bold" if bold else font
