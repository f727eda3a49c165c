"""What the tests of labelling do in the browser: uploading a sample, choosing a field, dragging over a page."""

from __future__ import annotations

import io
from typing import Any

from playwright.sync_api import Locator, Page, expect
from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas
from tests.browser.conftest import Application


def sheet(*pages: list[tuple[int, int, str]]) -> bytes:
    """A PDF with texts at places (from the left and the foot, in points of an A5 page), page by page."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    for page in pages:
        canvas.setFont("Helvetica", 11)
        for x, y, text in page:
            canvas.drawString(x, y, text)
        canvas.showPage()
    canvas.save()
    return buffer.getvalue()


def sample(application: Application, kind: int, name: str, data: bytes) -> int:
    document = application.upload(kind, name, data)
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label")
    return document


def labels(application: Application, document: int) -> dict[str, Any]:
    return {one["field"]: one for one in application.call("GET", f"/documents/{document}/labels")}


def saved(page: Page) -> None:
    expect(page.locator("[data-status]")).to_contain_text("Saved")


def at(page: Page, number: int, x: float, y: float) -> tuple[float, float]:
    """Where a place of a page (in fractions) is on the screen."""
    box = page.locator(f'.paper-page[data-page="{number}"]').bounding_box()
    assert box is not None
    return box["x"] + x * box["width"], box["y"] + y * box["height"]


def drag(page: Page, number: int, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*at(page, number, *start))
    page.mouse.down()
    page.mouse.move(*at(page, number, *end), steps=5)
    page.mouse.up()


def word(page: Page, text: str) -> Locator:
    return page.locator("rect.word").filter(has_text=text).first


def pick(page: Page, name: str) -> None:
    page.locator(".dock .chip, .note .head", has_text=name).first.click()
