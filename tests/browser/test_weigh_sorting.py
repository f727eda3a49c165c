"""Weighing how papers get their type and how bundles are split, in the browser."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import joined, slip_pdf, slips, words_pdf


def crew(number: int, *, pages: int = 1) -> bytes:
    first = words_pdf(
        "Crew list of the vessel Havsula", f"Skipper {number}", "Mate and deck hands on board", "Signed on at home"
    )
    return joined(first, *[words_pdf("continued: deck hands", f"page 2, voyage {number}")] * (pages - 1))


@pytest.fixture
def two_types(application: Application) -> int:
    """A workspace with slips and crew lists of one and two pages, told apart; the id of the slips."""
    kind = application.new_type()
    workspace = application.workspace_of(kind)["id"]
    crews = application.call("POST", f"/workspaces/{workspace}/types", json={"name": "Crew list"})["id"]
    for number, slip in enumerate(slips(7)):
        application.upload(kind, f"slip-{number}.pdf", slip_pdf(slip, number % 2))
        application.upload(crews, f"crew-{number}.pdf", crew(number, pages=1 + number % 2))
    for one in (kind, crews):
        application.wait(f"/types/{one}/steps", lambda steps: steps["to_label"] == 7)
    judged(application, workspace, "types", 14)
    return kind


def judged(application: Application, workspace: int, subject: str, least: int) -> None:
    """Wait until so many papers or bundles were judged."""

    def enough() -> bool:
        answer = application.api.get(f"/api/v1/workspaces/{workspace}/sorting/{subject}/weigh")
        return answer.status_code == 200 and answer.json()["judged"] >= least

    application.wait("/workspaces", lambda _: enough())


def came(application: Application, workspace: int, name: str, data: bytes, cut: str = "none") -> None:
    sent = {"file": (name, data)}
    form = {"purpose": "live", "cut": cut, "workspace_id": str(workspace)}
    application.call("POST", "/documents", files=sent, data=form)


def test_types_are_weighed_tried_and_published(two_types: int, application: Application, page: Page) -> None:
    workspace = application.workspace_of(two_types)["id"]
    types = application.call("GET", f"/workspaces/{workspace}/types")
    (name,) = [one["name"] for one in types if one["id"] == two_types]
    came(application, workspace, "came.pdf", slip_pdf(slips(1, start=60)[0]))
    lately = f"/workspaces/{workspace}/sorting/types/lately"
    application.wait(lately, lambda found: found["by_program"] == 1)
    page.goto(f"/types/{two_types}/weigh")
    page.get_by_role("link", name="Types", exact=True).click()
    expect(page.locator(".weigh-line")).to_contain_text("the program placed 1 paper, of which people changed 0")
    expect(page.locator(".balance")).to_have_count(2)
    expect(page.locator("#gate")).to_have_count(0)
    page.keyboard.press("d")
    page.keyboard.press("End")  # everything to a person
    expect(page.get_by_role("heading", level=1)).to_have_text(
        "All papers wait for a person to place them, so there is nothing to promise"
    )
    page.keyboard.press("t")
    trial = page.locator("#trial")
    expect(trial.get_by_role("heading", level=2)).to_contain_text("Of the last 1 live paper: 0 instead of 1")
    expect(trial.locator(".trial-column").last).to_contain_text("1 paper would wait for a person")
    expect(trial.locator("li")).to_contain_text(name)
    expect(trial.locator("li img")).to_have_js_property("complete", True)
    page.get_by_role("slider", name=f"Threshold of {name}").focus()
    page.keyboard.press(".")
    card = page.locator("#mark-card")
    expect(card).to_contain_text(f"found {name}")
    expect(card.get_by_role("link", name="Open")).to_be_visible()
    page.keyboard.press("Escape")
    page.get_by_label("Rule for Crew list").select_option("held")
    expect(page.get_by_role("region", name="Crew list").locator("[data-wrong]")).to_have_text("nothing passes")
    page.get_by_label("Note for this policy").fill("crew lists by hand")
    page.get_by_role("button", name="Publish policy 1").click()
    expect(page.locator("td", has_text="crew lists by hand")).to_be_visible()
    came(application, workspace, "crew.pdf", crew(60))
    application.wait(lately, lambda found: found["waiting"] == 1)
    page.get_by_label("Rule for Crew list").select_option("")
    page.get_by_label("At most", exact=True).select_option("0.1")
    page.get_by_role("button", name="Publish policy 2").click()
    expect(page.locator("tr", has_text="in force")).to_contain_text("Policy 2")
    with page.expect_download() as download:
        page.locator("tr", has_text="in force").get_by_role("link", name="As JSON").click()
    assert download.value.suggested_filename == "policy-2.json"
    page.locator("tr", has_text="Policy 1").get_by_role("button", name="Go back to it").click()
    expect(page.locator("td", has_text="Back to policy 1")).to_be_visible()


def test_bundles_have_a_threshold_of_their_own(two_types: int, application: Application, page: Page) -> None:
    workspace = application.workspace_of(two_types)["id"]
    judged(application, workspace, "bundles", 1)
    page.goto(f"/types/{two_types}/weigh/bundles")
    expect(page.locator(".balance")).to_have_count(1)
    expect(page.locator(".balance output")).to_have_text("90 %")  # the program's own, until a policy says another
    page.get_by_label("Rule for Bundles").select_option("held")
    page.get_by_role("button", name="Publish policy 1").click()
    expect(page.get_by_role("button", name="Publish policy 2")).to_be_visible()
    post = joined(slip_pdf(slips(1, start=70)[0]), crew(70, pages=2))
    came(application, workspace, "post.pdf", post, "learned")
    lately = f"/workspaces/{workspace}/sorting/bundles/lately"
    application.wait(lately, lambda found: found["waiting"] == 1)
    page.reload()
    expect(page.locator(".weigh-line")).to_contain_text(
        "the program split 0 bundles, of which people changed 0; 1 wait"
    )


def test_a_workspace_that_learned_no_types_says_what_is_missing(application: Application, page: Page) -> None:
    kind = application.new_type()
    for subject in ("types", "bundles"):
        page.goto(f"/types/{kind}/weigh/{subject}")
        expect(page.locator("main")).to_contain_text("No types have been learned yet")
        expect(page.get_by_role("link", name="To Gather")).to_be_visible()
