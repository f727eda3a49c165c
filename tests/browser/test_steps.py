"""All seven steps through the real interface: once by mouse, once labelling and reviewing by keyboard alone."""

from __future__ import annotations

import csv
import io

import pytest
from playwright.sync_api import FilePayload, Locator, Page, Route, expect
from tests import papers
from tests.browser.conftest import Application
from tests.client import FIELDS
from tests.papers import Slip, slip_pdf, slips


def payload(slip: Slip, layout: int) -> FilePayload:
    return {
        "name": f"{slip.member}.pdf".replace(" ", "-"),
        "mimeType": "application/pdf",
        "buffer": slip_pdf(slip, layout),
    }


def open_desk(page: Page) -> Locator:
    desk = page.locator("#desk[data-ready=yes]")
    desk.wait_for()
    page.locator("rect.word").first.wait_for(state="attached")
    return desk


def sweep(page: Page, text: str) -> None:
    """Press on a value's first word, move to its last, let go."""
    titles = page.locator("rect.word").evaluate_all("all => all.map((one) => one.textContent)")
    wanted = text.split()
    start = next(n for n in range(len(titles)) if titles[n : n + len(wanted)] == wanted)
    first, last = (page.locator("rect.word").nth(n).bounding_box() for n in (start, start + len(wanted) - 1))
    assert first is not None
    assert last is not None
    page.mouse.move(first["x"] + 2, first["y"] + first["height"] / 2)
    page.mouse.down()
    page.mouse.move(last["x"] + last["width"] - 2, last["y"] + last["height"] / 2, steps=4)
    page.mouse.up()


@pytest.mark.long
def test_from_plan_to_delivery_by_mouse(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    page.goto(f"/types/{kind}/plan")
    for name, data_type, printed in FIELDS:
        page.get_by_label("Name", exact=True).fill(name)
        page.get_by_label("Data type", exact=True).select_option(data_type)
        page.get_by_label("Printed names, one per line").fill("\n".join(printed))
        page.get_by_role("button", name="Add field").click()
        expect(page.locator("td b", has_text=name)).to_be_visible()
    expect(page.get_by_role("heading", level=1)).to_contain_text("3 fields are read")

    samples = slips(6)
    page.get_by_role("link", name="Gather").click()
    page.get_by_label("They are").select_option("sample")
    page.locator("#files").set_input_files([payload(slip, n % 2) for n, slip in enumerate(samples)])
    expect(page.locator("#papers td", has_text="to label")).to_have_count(6)

    page.get_by_role("link", name="Label", exact=False).first.click()
    page.get_by_role("link", name="Label the next").click()
    by_name = {payload(slip, 0)["name"]: slip for slip in samples}
    for _ in samples:
        open_desk(page)
        slip = by_name[page.locator("[data-title]").get_attribute("title") or ""]
        for name, text in zip(("Member", "Paid on", "Amount"), slip.truth.values(), strict=True):
            page.locator(".dock .chip, .note .head", has_text=name).click()
            sweep(page, text)
            expect(page.locator(".note", has_text=name).locator(".value")).to_have_text(text)
        expect(page.locator("[data-status]")).to_contain_text("Saved")
        before = page.url
        page.get_by_role("button", name="Labelled, next paper").click()
        page.wait_for_url(lambda url, before=before: url != before)
    expect(page.get_by_role("heading", level=1)).to_have_text("All 6 samples are labelled")

    page.locator("[data-step-link=train]").click()
    page.get_by_role("button", name="Train from 6 papers").click()
    page.locator("summary", has_text="Publish live").click(timeout=60_000)
    page.get_by_role("button", name="Make version 1 live").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("Version 1 is live")
    page.get_by_role("link", name="Version 1").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("on known layouts")

    page.locator("[data-step-link=weigh]").click()
    handle = page.get_by_role("slider", name="Threshold of Amount")
    before = handle.get_attribute("aria-valuenow")
    grip = handle.locator("rect").bounding_box()
    assert grip is not None
    page.mouse.move(grip["x"] + 9, grip["y"] + 20)
    page.mouse.down()
    page.mouse.move(grip["x"] - 200, grip["y"] + 20, steps=5)
    page.mouse.up()
    expect(handle).not_to_have_attribute("aria-valuenow", before or "")
    expect(page.locator('.balance[data-key="amount"] [data-passes]')).to_contain_text("of 6")
    expect(page.locator('.balance[data-key="amount"] [data-wrong]')).to_have_text("too few to say")
    expect(page.get_by_label("Rule for Amount")).to_have_value("pinned")
    page.get_by_label("Note for this policy").fill("first try")
    page.get_by_role("button", name="Publish policy 1").click()
    expect(page.locator("td", has_text="first try")).to_be_visible()

    page.locator("[data-step-link=gather]").click()
    page.get_by_label("They are").select_option("live")
    known, strange = slips(2, start=20)
    page.locator("#files").set_input_files([payload(known, 0), payload(strange, 2)])
    expect(page.locator("#papers tbody tr")).to_have_count(8)
    application.wait(f"/types/{kind}/steps", lambda steps: steps["drafted"] == 2)

    page.locator("[data-step-link=review]").click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("for a person")
    page.get_by_role("link", name="Review the next").click()
    truth = {f"{slip.member}.pdf".replace(" ", "-"): slip for slip in (known, strange)}
    while "/review/" in page.url and not page.url.endswith("/review"):
        open_desk(page)
        settle_all(page, truth)
    expect(page.get_by_role("heading", level=1)).to_have_text("No paper waits for a person")
    expect(page.get_by_role("link", name="Go on to deliver 2 papers")).to_be_visible()
    page.goto(f"{page.url}?reason=fails a check")
    expect(page.get_by_role("heading", level=1)).to_have_text("No paper waits for the reason “fails a check”")
    page.get_by_role("link", name="Show all", exact=True).click()
    expect(page.get_by_role("heading", level=1)).to_have_text("No paper waits for a person")

    page.locator("[data-step-link=deliver]").click()
    expect(page.locator("table.rows").first.locator("tbody tr")).to_have_count(2)
    page.get_by_role("link", name=strange.member, exact=True).click()
    open_desk(page)
    expect(page.locator(".note.active .value")).to_have_text(strange.member)
    page.get_by_role("link", name="Back to results").click()
    page.get_by_role("button", name="Deliver 2 papers").click()
    with page.expect_download() as download:
        page.get_by_role("link", name="The file as sent").first.click()
    rows = list(csv.DictReader(io.StringIO(download.value.path().read_text("utf-8-sig"))))
    assert {row["member"] for row in rows} == {known.member, strange.member}


def settle_all(page: Page, truth: dict[str, Slip]) -> None:
    """Settle every held field of the open paper by sweeping its words."""
    here = page.url
    slip = next(
        slip for name, slip in truth.items() if name in (page.locator("[data-title]").get_attribute("title") or "")
    )
    words = {"Member": slip.member, "Paid on": slip.day, "Amount": slip.amount}
    held = page.locator(".note.is-held .name, .dock .chip.held").all_inner_texts()
    for place, name in enumerate(held):
        key = next(field for field in words if field in name)
        page.locator(".note.is-held .head, .dock .chip.held", has_text=key).first.click()
        sweep(page, words[key])
        if place < len(held) - 1:
            expect(page.locator("[data-status]")).to_contain_text("Saved")
    page.wait_for_url(lambda url: url != here)


def test_labelling_and_reviewing_by_keyboard_alone(application: Application, page: Page) -> None:
    kind = application.reading_type()
    slip, other = slips(2, start=30)
    sample = application.upload(kind, "by-keys.pdf", slip_pdf(slip, 0))
    application.policy(kind, 1.0)
    live = application.upload(kind, "live.pdf", slip_pdf(other, 1), "live")
    application.wait(f"/types/{kind}/steps", lambda steps: steps["to_label"] == 1 and steps["held_papers"] == 1)
    page.goto(f"/types/{kind}/gather")
    keys = page.keyboard
    keys.press("g")
    keys.press("l")
    page.wait_for_url("**/label")
    keys.press("n")
    open_desk(page)

    # The member by hand: its key, find its first word, take the second too.
    keys.press("m")
    expect(page.locator(".active", has_text="Member").first).to_be_visible()
    keys.press("/")
    keys.type(slip.member[:3])
    keys.press("Enter")
    expect(page.locator("rect.swept")).to_have_count(1)
    keys.press("Shift+ArrowRight")
    expect(page.locator("rect.swept")).to_have_count(2)
    keys.press("Enter")
    expect(page.locator(".note", has_text="Member").locator(".value")).to_have_text(slip.member)
    # The date by agreeing to the suggestion, the amount by typing it.
    keys.press("p")
    keys.press("Enter")
    keys.press("a")
    keys.press("e")
    keys.press("Control+a")
    keys.type("7 777,00")
    expect(
        page.locator(".note .normal", has_text="= 7777.00")
        .or_(page.locator(".dock .normal", has_text="= 7777.00"))
        .first
    ).to_be_visible()
    keys.press("Enter")
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    keys.press("Control+Enter")
    page.wait_for_url("**/label")
    labels = {one["field"]: one for one in application.call("GET", f"/documents/{sample}/labels")}
    assert labels["member"]["values"][0]["text"] == slip.member
    assert (labels["paid_on"]["method"], labels["paid_on"]["values"][0]["text"]) == ("agreed", slip.day)
    assert labels["amount"]["values"][0]["normal"] == "7777.00"

    keys.press("g")
    keys.press("r")
    page.wait_for_url("**/review")
    keys.press("n")
    open_desk(page)
    for left in (2, 1):
        keys.press("Enter")
        expect(page.locator("[data-title]")).to_contain_text(f"{left} field")
    keys.press("Enter")
    page.wait_for_url("**/review")
    assert application.call("GET", f"/documents/{live}")["state"] == "settled"


def test_what_can_t_be_taken_is_said_and_the_rest_goes_on(application: Application, page: Page) -> None:
    kind = application.new_type()
    slip = slips(1, start=70)[0]
    application.upload(kind, "first.pdf", slip_pdf(slip))
    page.goto(f"/types/{kind}/gather")
    page.locator("#files").set_input_files(
        [
            {"name": "again.pdf", "mimeType": "application/pdf", "buffer": slip_pdf(slip)},
            {"name": "empty.pdf", "mimeType": "application/pdf", "buffer": b""},
            {"name": "words.pdf", "mimeType": "application/pdf", "buffer": b"no PDF at all"},
            {"name": "locked.pdf", "mimeType": "application/pdf", "buffer": papers.locked_pdf()},
        ]
    )
    uploads = page.locator("#uploads li")
    expect(uploads.filter(has_text="again.pdf")).to_contain_text("this file was received before, as “first.pdf”")
    expect(uploads.filter(has_text="empty.pdf")).to_contain_text("is empty (0 bytes)")
    application.wait(f"/types/{kind}/steps", lambda steps: steps["set_aside"] == 2)
    page.get_by_role("link", name="Set aside").click()
    expect(page.locator(".reason", has_text="locked by a password")).to_be_visible()
    expect(page.locator(".reason", has_text="is not a file that can be read")).to_be_visible()
    with page.expect_navigation():
        page.get_by_role("button", name="Try again").first.click()
    application.wait(f"/types/{kind}/steps", lambda steps: steps["set_aside"] == 2)  # tried again, and set aside again


def test_marking_survives_a_lost_connection(application: Application, page: Page) -> None:
    kind = application.new_type()
    slip = slips(1, start=80)[0]
    document = application.upload(kind, "slip.pdf", slip_pdf(slip))
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label")
    page.goto(f"/label/{document}")
    open_desk(page)
    page.context.set_offline(True)
    sweep(page, slip.member)
    expect(page.locator("[data-status]")).to_contain_text("Not saved yet")
    expect(page.locator('.note[data-field="member"] .value')).to_have_text(slip.member)
    assert application.call("GET", f"/documents/{document}/labels") == []
    page.context.set_offline(False)
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert application.call("GET", f"/documents/{document}/labels")[0]["values"][0]["text"] == slip.member


def test_two_people_on_one_paper_are_told(application: Application, page: Page) -> None:
    kind = application.new_type()
    slip = slips(1, start=90)[0]
    document = application.upload(kind, "slip.pdf", slip_pdf(slip))
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label")
    page.goto(f"/label/{document}")
    open_desk(page)
    application.change("PUT", f"/documents/{document}/labels/member", json={"values": [{"text": "Somebody Else"}]})
    sweep(page, slip.member)
    banner = page.locator(".desk-banner", has_text="changed by somebody else")
    expect(banner).to_contain_text(slip.member)
    expect(page.locator(".dock .chip", has_text="Somebody Else")).to_be_visible()
    banner.get_by_role("button", name="Save mine").click()
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert application.call("GET", f"/documents/{document}/labels")[0]["values"][0]["text"] == slip.member


def test_a_press_in_the_plan_is_a_click_though_the_list_is_drawn_anew_meanwhile(
    application: Application, page: Page
) -> None:
    kind = application.labelled_samples(4)
    page.goto(f"/types/{kind}/plan")
    page.get_by_role("button", name="Edit Amount").click()
    page.get_by_label("Name", exact=True).fill("Sum")
    held: list[Route] = []
    page.route(f"**/types/{kind}/plan", lambda route: held.append(route))
    with page.expect_request(f"**/types/{kind}/plan"):  # by which the page loads what it shows after saving
        page.get_by_role("button", name="Save changes").click()
    more = page.get_by_role("button", name="More for Member").bounding_box()
    assert more is not None
    page.mouse.move(more["x"] + more["width"] / 2, more["y"] + more["height"] / 2)
    page.mouse.down()
    with page.expect_response(f"**/types/{kind}/plan"):
        held[0].continue_()
    page.wait_for_timeout(300)
    page.mouse.up()
    expect(page.locator("#row-menu")).to_be_visible()
    expect(page.locator("td b", has_text="Sum")).to_be_visible()


def test_a_removed_field_says_what_goes_with_it_and_comes_back(application: Application, page: Page) -> None:
    kind = application.labelled_samples(4)
    page.goto(f"/types/{kind}/plan")
    page.get_by_role("button", name="More for Amount").click()
    page.locator("#row-menu").get_by_role("button", name="Remove").click()
    dialog = page.locator("#ask")
    expect(dialog).to_contain_text("Its labels on 4 papers are put away with it.")
    dialog.get_by_role("button", name="Cancel").click()
    expect(page.locator("td b", has_text="Amount")).to_be_visible()
    page.get_by_role("button", name="Edit Amount").click()
    page.get_by_label("Name", exact=True).fill("Sum")
    page.get_by_role("button", name="Save changes").click()
    expect(page.locator("td b", has_text="Sum")).to_be_visible()
    page.get_by_role("button", name="More for Sum").click()
    page.locator("#row-menu").get_by_role("button", name="Remove").click()
    dialog.get_by_role("button", name="Remove it with its labels").click()
    expect(page.locator("td b", has_text="Sum")).to_have_count(0)
    page.get_by_role("tab", name="Changes").click()
    page.locator("tr", has_text="changed “Sum”").get_by_role("button", name="Go back to it").click()
    expect(page.locator("tr", has_text="“Sum” came back with labels and values")).to_be_visible()
    counts = {field["key"]: field["labels"] for field in application.call("GET", f"/types/{kind}/fields")}
    assert counts["amount"] == 4
