"""Weigh in the browser: the dial by mouse and by keyboard, three ways to set it, rules for fields, and publishing."""

from __future__ import annotations

from pathlib import Path

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips


@pytest.fixture
def weighed(application: Application, page: Page) -> int:
    """The Weigh page of a type with a version from 24 papers."""
    kind = application.labelled_type(24)
    page.goto(f"/types/{kind}/weigh")
    expect(page.locator(".frontier .knob")).to_be_visible()
    return kind


def minutes(page: Page) -> float:
    """Minutes of review per 100 papers where the dial stands."""
    return float(page.get_by_role("slider", name="The dial").get_attribute("aria-valuenow") or "nan")


def test_the_dial_is_dragged_along_the_frontier_and_all_figures_follow(weighed: int, page: Page) -> None:
    chart = page.locator(".frontier svg").bounding_box()
    assert chart is not None
    page.mouse.move(chart["x"] + chart["width"] / 2, chart["y"] + 90)
    page.mouse.down()
    page.mouse.move(chart["x"] + chart["width"] - 16, chart["y"] + 90, steps=4)
    page.mouse.up()
    expect(page.get_by_role("heading", level=1)).to_have_text("No value passes, so there is nothing to promise")
    expect(page.locator(".balance [data-passes]").first).to_have_text("0 % of 24")
    everything = minutes(page)
    page.get_by_role("button", name="Take the proposal").click()
    expect(page.get_by_role("button", name="Take the proposal")).to_be_hidden()
    expect(page.get_by_role("heading", level=1)).to_contain_text("At most 2 % wrong among what passes: expected")
    assert minutes(page) < everything


def test_each_of_the_three_ways_proposes_a_setting(weighed: int, page: Page) -> None:
    page.get_by_label("At most", exact=True).select_option("0.1")
    expect(page.get_by_role("heading", level=1)).to_contain_text("At most 10 % wrong among what passes")
    page.get_by_role("radio", name="hours of review").check()
    page.get_by_label("Review takes at most").fill("0")
    page.get_by_label("papers a week").fill("400")
    expect(page.locator("[data-proposal]")).to_contain_text("as proposed: 0 min per 100 papers")
    page.get_by_label("Review takes at most").fill("500")
    expect(page.locator(".balance [data-passes]").first).to_have_text("0 % of 24")
    page.get_by_role("radio", name="costs").check()
    page.get_by_label("A wrong value costs").fill("0.5")
    expect(page.locator(".balance [data-passes]").first).not_to_have_text("0 % of 24")
    page.get_by_label("A wrong value costs").fill("0")
    expect(page.locator("[data-proposal]")).to_contain_text("A wrong value must cost more than 0")
    page.get_by_label("A wrong value costs").fill("50")
    worth = page.get_by_label("Open a paper only when looking at its held values is worth it")
    expect(worth).to_be_checked()
    with page.expect_request("**/frontier") as asked:
        worth.uncheck()
    assert asked.value.post_data_json["opens_always"] is True


def test_weighing_by_keyboard_alone(weighed: int, page: Page) -> None:
    """From the dial to a field's threshold, its marks and its rule, to a policy that is in force."""
    page.keyboard.press("d")
    expect(page.get_by_role("slider", name="The dial")).to_be_focused()
    page.keyboard.press("End")
    expect(page.get_by_role("heading", level=1)).to_have_text("No value passes, so there is nothing to promise")
    page.keyboard.press("Home")
    expect(page.get_by_role("heading", level=1)).not_to_contain_text("nothing to promise")
    page.keyboard.press("j")
    first = page.get_by_role("slider", name="Threshold of")
    expect(first.first).to_be_focused()
    stands = minutes(page)
    page.keyboard.press("ArrowRight")
    expect(page.locator(".balance select").first).to_have_value("pinned")
    page.wait_for_function("() => document.querySelectorAll('.balance.ruled').length === 1")
    assert minutes(page) == pytest.approx(stands, abs=2)  # the dial stays: only the field moved
    page.get_by_role("radio", name="a promise").focus()
    page.keyboard.press("ArrowRight")
    expect(page.get_by_role("radio", name="hours of review")).to_be_checked()
    page.keyboard.press("ArrowLeft")
    expect(page.get_by_role("radio", name="a promise")).to_be_checked()
    first.first.focus()
    page.keyboard.press(".")
    card = page.locator("#mark-card")
    expect(card).to_contain_text("%, right: found")
    expect(card.get_by_role("link", name="Open")).to_be_visible()
    expect(card.locator("img")).to_have_js_property("complete", True)
    page.keyboard.press("Escape")
    expect(card).to_be_hidden()
    page.get_by_label("Note for this policy").focus()
    page.keyboard.type("by hand")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator("td", has_text="by hand")).to_be_visible()
    expect(page.locator(".balance select").first).to_have_value("pinned")  # how the dial was set is kept


def test_rules_for_fields_are_kept_with_the_policy_and_hold_papers(
    weighed: int, application: Application, page: Page
) -> None:
    page.get_by_label("Rule for Amount").select_option("held")
    amount = page.locator('.balance[data-key="amount"]')
    expect(amount.locator("[data-wrong]")).to_have_text("nothing passes")
    page.get_by_label("Rule for Member").select_option("10")
    page.get_by_label("Order of fields").select_option("review")
    expect(page.locator(".balance").first).to_have_attribute("data-key", "amount")
    page.get_by_role("button", name="Publish policy 1").click()
    expect(page.get_by_role("button", name="Publish policy 2")).to_be_visible()
    expect(page.get_by_label("Rule for Amount")).to_have_value("held")
    expect(page.get_by_label("Rule for Member")).to_have_value("10")
    (policy,) = application.call("GET", f"/types/{weighed}/policies")
    assert policy["always_held"] == ["amount"]
    assert policy["settings"]["weights"] == {"member": 10.0}


def test_thresholds_are_tried_on_live_papers_before_they_count(
    weighed: int, application: Application, page: Page
) -> None:
    page.keyboard.press("t")
    expect(page.locator("#trial")).to_contain_text("No live paper has been drafted yet")
    page.get_by_role("button", name="Close").click()
    expect(page.locator("#trial")).to_be_hidden()
    application.policy(weighed, 1.0)
    application.upload(weighed, "live.pdf", slip_pdf(slips(1, start=80)[0]), "live")
    application.wait(f"/types/{weighed}/steps", lambda steps: steps["drafted"] == 1)
    page.reload()
    page.keyboard.press("d")
    page.keyboard.press("Home")  # to the setting with the least review
    page.get_by_role("button", name="Try on live papers").click()
    trial = page.locator("#trial")
    expect(trial.get_by_role("heading", level=2)).to_contain_text("Of the last 1 live paper: ")
    expect(trial.locator(".trial-column").first).to_contain_text("would pass")
    expect(trial.locator("li").first).to_contain_text("threshold")
    expect(trial.locator("li img").first).to_have_js_property("complete", True)
    assert application.call("GET", f"/types/{weighed}/policies")[0]["number"] == 1  # nothing was saved


def test_an_earlier_policy_says_what_changed_stands_in_the_picture_and_comes_back(
    weighed: int, application: Application, page: Page
) -> None:
    for threshold in (0.7, 0.9):
        application.policy(weighed, threshold)
    page.reload()
    newest, first = page.locator("tr", has_text="in force"), page.locator("tr", has_text="Policy 1")
    newest.get_by_text("3 changes").click()
    expect(newest).to_contain_text("Amount: 70 % → 90 %")
    expect(first).to_contain_text("the first")
    first.get_by_role("button", name="Show in the picture").click()
    expect(page.locator(".frontier .line.then")).to_be_attached()
    expect(page.locator(".frontier")).to_contain_text("policy 1")
    first.get_by_role("button", name="Show in the picture").click()
    expect(page.locator(".frontier .line.then")).to_have_count(0)
    first.get_by_role("button", name="Go back to it").click()
    expect(page.locator("td", has_text="Back to policy 1")).to_be_visible()


def test_a_policy_goes_out_as_a_file_and_comes_in_again(weighed: int, application: Application, page: Page) -> None:
    application.policy(weighed, 0.7, gate=0.5)
    page.reload()
    with page.expect_download() as download:
        page.locator("tr", has_text="in force").get_by_role("link", name="As JSON").click()
    taken = Path(download.value.path()).read_bytes()
    page.get_by_text("Publish a policy from a file").click()
    chosen = page.get_by_label("Policy as JSON")
    chosen.set_input_files({"name": "broken.json", "mimeType": "application/json", "buffer": b"{}"})
    page.get_by_role("button", name="Publish it").click()
    expect(page.locator("main")).to_contain_text("“broken.json” is no policy: thresholds: field required.")
    page.goto(f"/types/{weighed}/weigh")
    page.get_by_text("Publish a policy from a file").click()
    changed = taken.replace(b'"amount":0.7', b'"amount":0.8')
    assert changed != taken
    chosen.set_input_files({"name": "policy.json", "mimeType": "application/json", "buffer": changed})
    page.get_by_role("button", name="Publish it").click()
    expect(page.locator("tr", has_text="in force")).to_contain_text("Policy 2")
    newest = application.call("GET", f"/types/{weighed}/policies")[0]
    assert (newest["thresholds"]["amount"], newest["layout_similarity_min"]) == (0.8, 0.5)


def test_a_press_on_publish_is_a_click_though_the_figures_come_in_meanwhile(
    weighed: int, application: Application, page: Page
) -> None:
    page.get_by_label("Note for this policy").fill("pressed for long")
    said = page.locator("h1").inner_text()
    button = page.get_by_role("button", name="Publish policy 1").bounding_box()
    assert button is not None
    page.mouse.move(button["x"] + 20, button["y"] + 10)
    page.mouse.down()
    with page.expect_response("**/frontier"):
        gate = "document.getElementById('gate')"
        page.evaluate(f"{gate}.value = 100; {gate}.dispatchEvent(new Event('input'))")
    page.wait_for_timeout(300)
    assert page.locator("h1").inner_text() == said  # nothing has moved under the pointer
    page.mouse.up()
    expect(page.locator("td", has_text="pressed for long")).to_be_visible()
    assert application.call("GET", f"/types/{weighed}/policies")[0]["layout_similarity_min"] == 1.0
