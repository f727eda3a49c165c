"""The sheet that is laid between papers before they are scanned: a large code, told in words for people."""

from __future__ import annotations

import io

from reportlab.graphics import renderPDF
from reportlab.graphics.barcode.qr import QrCodeWidget
from reportlab.graphics.shapes import Drawing
from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas

from jugum.core.classification import SEPARATOR


def separator_sheet() -> bytes:
    """One A4 page as PDF, its code in all four quarters, so that a fold, a stain or a short scan leaves one
    readable."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A4, invariant=True)
    width, height = A4
    side = 130.0
    for x in (0.25 * width, 0.75 * width):
        for y in (0.22 * height, 0.78 * height):
            widget = QrCodeWidget(SEPARATOR, barLevel="H", barWidth=side, barHeight=side)
            drawing = Drawing(side, side)
            drawing.add(widget)
            renderPDF.draw(drawing, canvas, x - side / 2, y - side / 2)
    canvas.setFont("Helvetica-Bold", 26)
    canvas.drawCentredString(width / 2, height / 2 + 14, "Next paper")
    canvas.setFont("Helvetica", 12)
    canvas.drawCentredString(width / 2, height / 2 - 12, "Lay this sheet between two papers and scan them together.")
    canvas.drawCentredString(width / 2, height / 2 - 30, "It parts them, and is left out itself. It can be used again.")
    canvas.showPage()
    canvas.save()
    return buffer.getvalue()
