"""Spot checks as a reviewer and an analyst meet them: the keyboard alone, a blind one, a broken promise."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips


def passing(application: Application, papers: int, **checking: object) -> tuple[int, list[int]]:
    """A type whose papers pass and are all checked, and some of its papers."""
    kind = application.reading_type(checks=True)
    application.policy(kind, 0.0)
    application.call("PUT", f"/types/{kind}/checking", json={"probation_rate": 1.0, "blind_share": 0.0, **checking})
    found = [
        application.upload(kind, f"slip-{number}.pdf", slip_pdf(slip, 0), "live")
        for number, slip in enumerate(slips(papers, start=140))
    ]
    for document in found:
        application.wait(f"/documents/{document}", lambda view: view["state"] == "passed")
    return kind, found


def desk_of(page: Page, document: int) -> None:
    page.goto(f"/review/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()
    page.locator("rect.word").first.wait_for()


def test_a_spot_check_is_done_by_the_keyboard_and_finds_a_wrong_value(application: Application, page: Page) -> None:
    kind, (first, second) = passing(application, 2)
    application.call("POST", f"/types/{kind}/deliveries", json={"format": "csv"})
    page.goto(f"/types/{kind}/review")
    expect(page.locator("h1")).to_contain_text("2 papers that passed wait to be spot-checked, with 6 values")
    page.keyboard.press("n")
    page.wait_for_url(f"**/review/{first}")
    page.locator("#desk[data-ready=yes]").wait_for()
    expect(page.locator("[data-title]")).to_contain_text("3 values to check, 1 more to review")
    expect(page.locator("[data-banners]")).to_contain_text("these values passed by themselves")
    expect(page.locator(".note")).to_have_count(3)
    page.keyboard.press("w")
    page.wait_for_url(f"**/review/{second}")
    desk_of(page, second)
    for _ in range(2):
        active = page.locator(".note.active")
        before = active.get_attribute("data-field")
        page.keyboard.press("Enter")
        expect(page.locator(f'.note.active:not([data-field="{before}"])')).to_have_count(1)
    page.keyboard.press("e")
    page.locator(".note.active input").fill("77,00")
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/types/{kind}/review")
    expect(page.locator("h1")).to_have_text("No paper waits for a person")
    page.goto(f"/types/{kind}/weigh/checks")
    expect(page.locator("h1")).to_have_text("1 of 6 values that passed was wrong, on 2 checked papers")
    expect(page.locator("#found")).to_contain_text("77,00")
    page.goto(f"/types/{kind}/deliver")
    expect(page.locator("h1")).to_have_text("1 paper is done and not delivered, 1 correction among them")


def test_a_blind_check_shows_what_passed_only_afterwards(application: Application, page: Page) -> None:
    _, (document,) = passing(application, 1, blind_share=1.0)
    values = application.call("GET", f"/documents/{document}/review-desk?look=true")["fields"]
    passed = {field["key"]: field["values"][0]["text"] for field in values}
    desk_of(page, document)
    expect(page.locator("[data-banners]")).to_contain_text("Blind spot check")
    expect(page.locator(".note")).to_have_count(0)
    # The first word is clicked for a value that it is not.
    active = page.locator(".dock b").first.inner_text()
    key = next(field["key"] for field in values if field["name"] == active)
    page.locator("rect.word").first.click()
    note = page.locator(f'.note[data-field="{key}"]')
    expect(note).to_contain_text(f"“{passed[key]}” had passed, you say")
    expect(note.locator(".candidates")).to_contain_text(passed[key])
    page.keyboard.press("1")
    expect(note.locator(".value")).to_have_text(passed[key])
    expect(note.locator(".why")).to_have_count(0)
    application.wait(
        f"/documents/{document}/review-desk?look=true",
        lambda desk: [field["hold"] for field in desk["fields"] if field["key"] == key] == [None],
    )


def test_a_broken_promise_is_shown_until_the_policy_is_resumed(application: Application, page: Page) -> None:
    kind, papers = passing(application, 5)
    for document in papers:
        for key in ("member", "paid_on", "amount"):
            if not application.call("GET", f"/types/{kind}/steps")["breach"]:
                application.change("PUT", f"/documents/{document}/review/{key}", json={"absent": True, "values": []})
    page.goto("/")
    expect(page.locator("main")).to_contain_text("The promise of policy 1 is broken")
    banner = page.locator("[data-breach]")
    page.goto(f"/types/{kind}/review")
    expect(banner).to_contain_text("is broken")
    page.goto(f"/types/{kind}/weigh")
    expect(banner).to_contain_text("The policy is suspended: everything waits for a person")
    banner.get_by_role("link", name="See what was wrong").click()
    expect(page.locator("h1")).to_have_text("Policy 1 is suspended: too much of what passed by it was wrong")
    expect(page.locator("#found tbody tr").first).to_contain_text("not on the paper")
    page.locator("[data-breach] input[name=reason]").fill("A scanner was out of focus")
    page.get_by_role("button", name="Resume policy 1").click()
    expect(page.locator("[data-breach]")).to_have_count(0)
    expect(page.locator("main")).to_contain_text("A scanner was out of focus")
    expect(page.locator("h1")).to_contain_text("No paper has been checked by policy 1 yet")


def test_how_papers_are_checked_is_set_on_the_page(application: Application, page: Page) -> None:
    kind = application.reading_type(checks=True)
    application.policy(kind, 0.0)
    page.goto(f"/types/{kind}/weigh/checks")
    page.get_by_label("Rate of probation, percent").fill("30")
    page.get_by_label("Deliver checked papers only after the check").check()
    page.get_by_label("Mail about a broken promise to").fill("a@harbour.example, b@harbour.example")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_label("Rate of probation, percent")).to_have_value("30")
    kept = application.call("GET", f"/types/{kind}/checking")
    assert (kept["probation_rate"], kept["deliver_after"], kept["suspends"]) == (0.3, True, True)
    assert kept["tell"] == ["a@harbour.example", "b@harbour.example"]


def test_live_figures_open_the_papers_behind_each_point(application: Application, page: Page) -> None:
    kind, papers = passing(application, 3)
    for key in ("member", "paid_on", "amount"):
        application.change("PUT", f"/documents/{papers[0]}/review/{key}", json={"absent": True, "values": []})
    page.goto(f"/types/{kind}/weigh")
    page.get_by_role("link", name="Live figures").click()
    expect(page.locator("h1")).to_contain_text("3 of 3 papers went straight through this week; 3 live papers in all")
    charts = page.locator(".period")
    expect(charts).to_have_count(6)
    expect(charts.nth(3)).to_contain_text("Wrong among what passed 100.0 % of 3 checked values")
    charts.first.locator("svg a").last.focus()
    page.keyboard.press("Enter")
    expect(page.locator("#papers h2")).to_contain_text("3 papers of the week that began on")
    expect(page.locator("#papers tbody tr")).to_have_count(3)
    page.get_by_role("link", name="By day").click()
    expect(page.locator("h1")).to_contain_text("on the last day")
