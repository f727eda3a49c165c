"""Reviewing on the desk: what is typed stays, a check may stand so on the paper, answers are undone, nothing races."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips


def held_paper(application: Application, kind: int, number: int, name: str = "live.pdf") -> int:
    document = application.upload(kind, name, slip_pdf(slips(1, start=number)[0]), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    return document


def open_review(page: Page, document: int) -> None:
    page.goto(f"/review/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()


def held_fields(application: Application, document: int) -> list[str]:
    desk = application.call("GET", f"/documents/{document}/review-desk?look=true")
    return [field["key"] for field in desk["fields"] if field["hold"]]


def test_a_blocking_check_holds_the_field_again_until_it_is_mended(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    application.call(
        "PUT", f"/types/{kind}/checks", json={"expression": "amount > 1000000", "message": "Far too little"}
    )
    application.policy(kind, 0.0)
    document = application.upload(kind, "live.pdf", slip_pdf(slips(1, start=71)[0]), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    open_review(page, document)
    note = page.locator('.note[data-field="amount"]')
    expect(note).to_contain_text("correct it, or say that it stands so on the paper")
    page.keyboard.press("Enter")
    expect(page.locator("[data-status]")).to_contain_text("Far too little")
    expect(note).to_contain_text("correct it, or say that it stands so on the paper")
    page.keyboard.press("e")
    note.locator("input").fill("2 000 000,00")
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/types/{kind}/review")


def test_a_sum_that_is_wrong_on_the_paper_stands_so_with_a_reason(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    check = {"expression": "amount > 1000000", "message": "Far too little"}
    application.call("PUT", f"/types/{kind}/checks", json=check)
    application.policy(kind, 0.0)
    document = held_paper(application, kind, 72)
    open_review(page, document)
    note = page.locator('.note[data-field="amount"]')
    page.keyboard.press("e")
    note.locator("input").fill("12,50")
    page.keyboard.press("Enter")
    # What was typed is kept, and the check is said.
    expect(note).to_contain_text("fails a check: Far too little")
    expect(note.locator(".value")).to_have_text("12,50")
    note.get_by_role("button", name="It stands so on the paper").click()
    page.get_by_role("textbox").last.fill("printed so by the harbour")
    page.get_by_role("button", name="Let it stand").click()
    page.wait_for_url(f"**/types/{kind}/review")
    page.goto(f"/types/{kind}/deliver")
    expect(page.get_by_text("stands so on the paper")).to_be_visible()
    (stood,) = application.call("GET", f"/types/{kind}/results")["rows"][0]["let_stand"]
    assert stood["reason"] == "printed so by the harbour"


def test_a_check_that_fails_by_an_answer_can_stand_at_once(application: Application, page: Page) -> None:
    """It held when the desk was opened: what is offered now came with the answer."""
    kind = application.labelled_type()
    application.call("PUT", f"/types/{kind}/checks", json={"expression": "amount > 1", "message": "Nothing is paid"})
    application.policy(kind, 1.0)
    open_review(page, held_paper(application, kind, 80))
    note = page.locator('.note[data-field="amount"]')
    note.click()
    page.keyboard.press("e")
    note.locator("input").fill("0,50")
    page.keyboard.press("Enter")
    expect(note).to_contain_text("fails a check: Nothing is paid")
    note.click()
    expect(note.get_by_role("button", name="It stands so on the paper")).to_be_visible()


def test_what_cannot_be_read_stays_as_it_was_typed(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    document = held_paper(application, kind, 73)
    open_review(page, document)
    note = page.locator('.note[data-field="amount"]')
    note.click()
    page.keyboard.press("e")
    note.locator("input").fill("twelve")
    page.keyboard.press("Enter")
    expect(note).to_contain_text("can't be read as money: correct it")
    expect(note.locator(".value")).to_have_text("twelve")
    page.reload()
    expect(note.locator(".value")).to_have_text("twelve")


def test_answers_are_undone_by_key_over_fields_and_papers(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    first, second = held_paper(application, kind, 74), held_paper(application, kind, 75, "second.pdf")
    open_review(page, first)
    for _ in range(3):
        page.keyboard.press("Enter")
    page.wait_for_url(f"**/review/{second}")
    page.locator("#desk[data-ready=yes]").wait_for()
    page.keyboard.press("Enter")
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert len(held_fields(application, second)) == 2
    page.keyboard.press("Control+z")
    expect(page.locator(".note.is-held")).to_have_count(3)
    # Nothing is left to undo here: the paper before comes back, and its last answer is undone.
    page.keyboard.press("Control+z")
    page.wait_for_url(f"**/review/{first}")
    expect(page.locator(".note.is-held.active")).to_have_count(1)
    application.wait(f"/documents/{first}", lambda view: view["state"] == "held")
    assert len(held_fields(application, first)) == 1
    page.keyboard.press("Control+z")
    expect(page.locator(".note.is-held")).to_have_count(2)
    page.keyboard.press("Control+y")
    expect(page.locator(".note.is-held")).to_have_count(1)


def test_the_field_that_is_written_into_is_named_in_the_dock_and_marked_in_its_note(
    application: Application, page: Page
) -> None:
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    open_review(page, held_paper(application, kind, 76))
    for _ in range(4):
        page.keyboard.press("j")
        active = page.locator(".note.active .name")
        expect(active).to_have_count(1)
        expect(page.locator(".dock .into b")).to_have_text(active.inner_text())


def test_a_banner_lies_over_the_page_and_moves_nothing(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    document = held_paper(application, kind, 77)
    open_review(page, document)
    before = page.locator(".paper-page").first.bounding_box()
    application.call("PUT", f"/documents/{document}/review/member", json={"values": [{"text": "Aldis Brenna"}]})
    page.locator('.note[data-field="amount"]').click()
    page.keyboard.press("Enter")
    expect(page.locator(".desk-banner")).to_contain_text("changed by somebody else")
    expect(page.locator("[data-status]")).to_have_text("Not saved")
    assert page.locator(".paper-page").first.bounding_box() == before
    page.get_by_role("button", name="Save mine anyway").click()
    expect(page.locator(".desk-banner")).to_have_count(0)


def test_two_hundred_answers_in_quick_succession_are_all_kept(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    plan = application.call("GET", f"/types/{kind}/plan.json")
    more = [{"key": f"mark_{n}", "name": f"Mark {n}", "data_type": "text", "required": True} for n in range(200)]
    application.call("PUT", f"/types/{kind}/plan.json", json={**plan, "fields": [*plan["fields"], *more]})
    application.policy(kind, 0.0)
    document = held_paper(application, kind, 78)
    left = len(held_fields(application, document))
    assert left >= 200
    page.clock.install()
    open_review(page, document)
    for number in range(left):
        page.keyboard.press(".")
        page.wait_for_timeout(20)
        if number % 20 == 10:
            page.clock.fast_forward(16_000)  # what others do is asked for in between
    page.wait_for_url(f"**/types/{kind}/review", timeout=120_000)
    assert application.call("GET", f"/documents/{document}")["state"] == "settled"
    settled = application.call("GET", f"/documents/{document}/review-desk?look=true")["fields"]
    assert sum(field["settled"] for field in settled) == left


def test_notes_keep_their_side_while_a_paper_is_open(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    open_review(page, held_paper(application, kind, 79))
    middle = page.locator(".desk-scroll").evaluate("one => one.clientWidth / 2")

    def sides() -> dict[str, bool]:
        notes = page.locator(".note").evaluate_all("all => all.map((one) => [one.dataset.field, one.offsetLeft])")
        return {field: left < middle for field, left in notes}

    before = sides()
    assert len(before) == 3
    # A value that moves to the other end of the page takes its note along, not the others.
    page.locator('.note[data-field="member"]').click()
    page.locator("rect.word").last.click()
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert sides() == before
