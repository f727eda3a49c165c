"""The grid in the browser: values of many papers looked over, found and corrected where they stand."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips


def test_values_are_looked_over_found_and_corrected(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    some = slips(4, start=60)
    for number, slip in enumerate(some):
        application.upload(kind, f"paper-{'abcd'[number]}.pdf", slip_pdf(slip, 0), "live")
    application.wait(f"/types/{kind}/queue", lambda queue: queue["papers"] == 4)
    page.goto(f"/types/{kind}/review/grid")
    expect(page.locator("#grid[data-ready=yes]")).to_be_visible()
    rows = page.locator("tbody tr")
    expect(rows).to_have_count(4)
    expect(page.get_by_role("heading", level=1)).to_have_text("4 papers, 4 held")
    cell = rows.nth(1).locator("[data-field=amount]")
    cell.click()
    expect(page.locator("[data-dock] .pictured .here")).to_be_visible()
    page.keyboard.press(" ")
    expect(page.locator("dialog.closer img")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.type("12,50")
    page.keyboard.press("Enter")
    expect(cell).to_have_text("12,50")
    expect(page.locator("[data-status]")).to_have_text("Saved")
    page.keyboard.press("Control+z")
    expect(cell).to_have_text(some[2].amount)
    page.keyboard.press("Enter")  # accepts it, and goes on
    expect(cell).not_to_have_class(re.compile("is-held"))
    expect(page.locator("td.at")).not_to_have_attribute("data-field", "amount")
    page.keyboard.press("ArrowUp")
    row = rows.nth(0)
    row.locator("[data-field=member]").click()
    page.keyboard.press("f")
    expect(rows).to_have_count(1)
    expect(page.locator("tbody th")).to_have_text("paper-d.pdf")
    expect(page.get_by_label("Value contains")).to_have_value(some[3].member)
    for _ in range(3):
        page.keyboard.press("n")
        page.keyboard.press("Enter")
    expect(page.locator("tbody [data-state]")).to_have_text("settled")
    page.get_by_role("link", name="Show all").click()
    expect(rows).to_have_count(4)
    page.get_by_label("State").select_option("settled")
    expect(rows).to_have_count(1)
    page.keyboard.press("o")
    expect(page).to_have_url(re.compile("/review/[0-9]+$"))
