"""The sweep in the browser: one field over many papers, by keys and by mouse."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, Route, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips

Held = tuple[int, dict[int, str]]


@pytest.fixture
def held(application: Application, page: Page) -> Held:
    """A type with six held papers, two of them with the same amount; and their amounts."""
    kind = application.reading_type()
    application.policy(kind, 1.0)
    some = slips(5, start=60)
    for number, slip in enumerate([*some, some[0]]):
        application.upload(kind, f"paper-{'abcdef'[number]}.pdf", slip_pdf(slip, number % 2), "live")
    queue = application.wait(f"/types/{kind}/queue", lambda queue: len(queue["rows"]) == 6)
    amounts = {row["id"]: amount_of(application, row["id"])["values"][0]["text"] for row in queue["rows"]}
    page.goto(f"/types/{kind}/review/sweep?field=amount")
    expect(page.locator("#sweep[data-ready=yes]")).to_be_visible()
    expect(page.locator(".swept")).to_have_count(6)
    return kind, amounts


def amount_of(application: Application, paper: int) -> dict[str, object]:
    desk = application.call("GET", f"/documents/{paper}/review-desk?look=true")
    return next(field for field in desk["fields"] if field["key"] == "amount")


def settled(application: Application, kind: int, left: int) -> None:
    application.wait(f"/types/{kind}/sweep?field=amount", lambda view: view["papers"] == left)


def at(page: Page) -> int:
    return int(page.locator(".swept.at").get_attribute("data-paper") or "0")


def test_rows_are_accepted_mended_left_and_taken_back_by_keys(held: Held, application: Application, page: Page) -> None:
    kind, amounts = held
    expect(page.locator(".swept-head").first).to_contain_text("the same value")
    first = at(page)
    page.keyboard.press("Enter")
    expect(page.locator(f"[data-paper='{first}']")).to_contain_text("accepted")
    second = at(page)
    assert second != first
    assert amounts[second] == amounts[first]
    page.keyboard.type("99,50")  # what is no key begins a value
    page.keyboard.press("Enter")
    expect(page.locator(f"[data-paper='{second}']")).to_contain_text("mended")
    third = at(page)
    page.keyboard.press("x")
    expect(page.locator(f"[data-paper='{third}']")).to_contain_text("left")
    fourth = at(page)
    page.keyboard.press(".")
    expect(page.locator(f"[data-paper='{fourth}']")).to_contain_text("not there")
    page.keyboard.press("Control+z")
    expect(page.locator(".swept.at")).to_have_attribute("data-paper", str(fourth))
    page.keyboard.press("Enter")
    settled(application, kind, 3)
    said = {paper: amount_of(application, paper)["values"] for paper in (first, second, fourth)}
    assert {paper: values[0]["text"] for paper, values in said.items()} == {  # type: ignore[index]
        first: amounts[first],
        second: "99,50",
        fourth: amounts[fourth],
    }
    page.reload()
    expect(page.locator(".swept")).to_have_count(3)
    assert str(third) in {row.get_attribute("data-paper") for row in page.locator(".swept").all()}


def test_a_screen_is_accepted_once_it_was_in_view(held: Held, application: Application, page: Page) -> None:
    kind, _ = held
    agree = page.locator("[data-agree]")
    expect(agree).to_be_enabled()
    page.get_by_label("Field", exact=True).select_option("member")
    expect(page.locator("#sweep[data-key=member][data-ready=yes]")).to_be_visible()
    expect(agree).to_have_text(re.compile("Accept these 6"))
    expect(agree).to_be_disabled()
    page.keyboard.press("Shift+Enter")  # too soon
    expect(page.locator("[data-status]")).to_contain_text("in view for a moment")
    expect(agree).to_be_enabled()
    agree.click()
    expect(page.locator(".swept.sent")).to_have_count(6)
    expect(page.get_by_role("heading", level=1)).to_have_text("Member: nothing waits any more")
    application.wait(f"/types/{kind}/sweep?field=member", lambda view: view["papers"] == 0)


def test_by_mouse_a_place_is_seen_large_and_a_value_mended(held: Held, application: Application, page: Page) -> None:
    kind, _ = held
    row = page.locator(".swept").nth(3)
    row.locator(".value").click()
    expect(row).to_have_class(re.compile("at"))
    row.locator(".pictured").click()
    expect(page.locator("dialog.closer img")).to_be_visible()
    page.locator("dialog.closer").click()
    expect(page.locator("dialog.closer")).to_have_count(0)
    page.get_by_role("button", name="Mend e").click()
    page.get_by_role("textbox", name="Value", exact=True).fill("77,00")
    page.get_by_role("textbox", name="Value", exact=True).press("Enter")
    expect(row).to_contain_text("77,00")
    settled(application, kind, 5)


def test_a_value_that_cannot_be_read_waits_on_and_says_why(held: Held, page: Page) -> None:
    first = at(page)
    page.keyboard.press("e")
    page.get_by_role("textbox", name="Value", exact=True).fill("about ninety")
    page.get_by_role("textbox", name="Value", exact=True).press("Enter")
    row = page.locator(f"[data-paper='{first}']")
    expect(row).to_contain_text("can't be read as money")
    expect(row).to_have_class(re.compile("open"))
    expect(row).to_contain_text("about ninety")  # what was typed is kept


def test_what_is_answered_while_the_server_is_away_is_sent_when_it_is_back(
    held: Held, application: Application, page: Page
) -> None:
    kind, _ = held

    def away(route: Route) -> None:
        route.abort()

    page.route("**/api/v1/documents/*/review/*", away)
    for _ in range(3):
        page.keyboard.press("Enter")
    expect(page.locator("[data-status]")).to_contain_text("What you entered is kept here")
    page.on("dialog", lambda dialog: dialog.accept())
    page.unroute("**/api/v1/documents/*/review/*", away)
    page.reload()
    expect(page.locator("#sweep[data-ready=yes]")).to_be_visible()
    settled(application, kind, 3)


def test_two_people_sweep_different_papers(held: Held, page: Page, other: Page) -> None:
    other.goto(f"/types/{held[0]}/review/sweep?field=amount")
    expect(other.get_by_role("heading", level=1)).to_have_text("Amount waits on no free paper")
    page.goto("/")  # leaving lets the papers go
    other.reload()
    expect(other.locator(".swept .value")).to_have_count(6)
