"""The queue of Review in the browser: narrowed by list and by name, papers given to people and put first, late ones."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips


@pytest.fixture
def held(application: Application, page: Page) -> int:
    """The queue of a type with four held papers; the type's id."""
    kind = application.reading_type()
    application.policy(kind, 1.0)
    for number, slip in enumerate(slips(4, start=60)):
        application.upload(kind, f"paper-{'abcd'[number]}.pdf", slip_pdf(slip, number % 2), "live")
    application.wait(f"/types/{kind}/queue", lambda queue: queue["papers"] == 4)
    page.goto(f"/types/{kind}/review")
    expect(page.locator("tbody tr")).to_have_count(4)
    return kind


def test_the_queue_is_narrowed_and_its_address_keeps_it(held: int, application: Application, page: Page) -> None:
    page.keyboard.press("/")
    page.keyboard.type("paper-b")
    page.keyboard.press("Enter")
    expect(page.locator("tbody tr")).to_have_count(1)
    expect(page).to_have_url(f"{page.url.split('?')[0]}?text=paper-b")
    page.reload()
    expect(page.locator("tbody .name")).to_contain_text("paper-b.pdf")
    page.get_by_label("Given to", exact=True).select_option("me")
    expect(page.get_by_role("heading", level=1)).to_have_text("None of the papers that wait is like that")
    page.get_by_role("link", name="Show all", exact=True).click()
    expect(page.locator("tbody tr")).to_have_count(4)
    page.get_by_label("Order").select_option("newest")
    expect(page.locator("tbody .name").first).to_contain_text("paper-d")
    page.keyboard.press("n")  # the next one in this order
    expect(page).to_have_url(re.compile("/review/[0-9]+$"))
    expect(page.locator("#desk[data-ready=yes]")).to_be_visible()
    first = page.url
    for _ in range(3):
        page.keyboard.press("Enter")
    page.wait_for_url(lambda address: bool(re.search("/review/[0-9]+$", address)) and address != first)
    names = {row["id"]: row["name"] for row in application.call("GET", f"/types/{held}/queue")["rows"]}
    assert names[int(page.url.rsplit("/", 1)[1])] == "paper-c.pdf"  # the newest of those that are left


def test_papers_are_given_to_people_and_put_first_by_keys_and_mouse(
    held: int, application: Application, page: Page
) -> None:
    for key in ("j", "j", "x", "j", "x"):
        page.keyboard.press(key)
    expect(page.locator("#chosen")).to_contain_text("2 papers chosen")
    name = page.locator("[data-give] option").nth(2).inner_text()
    page.get_by_label("Give to").select_option(name)
    expect(page.locator("tbody tr", has_text=f"given to {name}")).to_have_count(2)
    page.get_by_label("Choose paper-d.pdf").check()
    page.get_by_role("button", name="Put first").click()
    expect(page.locator("tbody .name").first).to_contain_text("paper-d.pdf")
    rows = application.call("GET", f"/types/{held}/queue")["rows"]
    assert [row["priority"] for row in rows] == [1, 0, 0, 0]
    assert [row["assigned_to"] for row in rows] == [None, None, name, name]


def test_a_time_makes_papers_late(held: int, page: Page) -> None:
    page.get_by_role("button", name="Set a time within which papers are due").click()
    dialog = page.locator("#ask")
    dialog.locator("input").fill("0,00001")
    dialog.get_by_role("button", name="Save").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("4 papers wait for a person with 12 fields, 4 late")
    page.get_by_label("late").check()
    expect(page.locator("tbody tr")).to_have_count(4)
    page.get_by_role("button", name="Papers are due within").click()
    dialog.locator("input").fill("soon")
    dialog.get_by_role("button", name="Save").click()
    expect(dialog).to_contain_text("The time was not changed")


def test_a_paper_is_set_aside_with_a_reason_of_its_type_by_its_key(
    held: int, application: Application, page: Page
) -> None:
    page.get_by_text("Reasons for setting aside").click()
    page.get_by_label("The desk offers these").fill("The stamp is missing\nAnother office's")
    page.get_by_role("button", name="Save reasons").click()
    expect(page.locator("[data-said]")).to_have_text("Saved")
    for mouse in (False, True):
        page.goto(f"/types/{held}/review/next")
        expect(page.locator("#desk[data-ready=yes]")).to_be_visible()
        paper = int(page.url.rsplit("/", 1)[1])
        page.keyboard.press("x")
        dialog = page.locator("dialog.ask")
        expect(dialog.get_by_role("button")).to_have_text(
            ["1 The stamp is missing", "2 Another office's", "Cancel", "Set aside"]
        )
        if mouse:
            dialog.get_by_role("button", name="Another office's").click()
            dialog.get_by_role("button", name="Set aside").click()
            said = "Another office's"
        else:
            page.keyboard.press("1")
            expect(dialog.get_by_role("button", name="The stamp is missing")).to_have_attribute("aria-pressed", "true")
            page.keyboard.type("at the foot")
            page.keyboard.press("Enter")
            said = "The stamp is missing: at the foot"
        page.wait_for_url(lambda address: not address.endswith(f"/review/{paper}"))  # noqa: B023
        view = application.call("GET", f"/documents/{paper}")
        assert (view["state"], view["reason"]) == ("set aside", said)
