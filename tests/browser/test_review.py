"""Reviewing on the desk: what is typed stays, a check may stand so on the paper, answers are undone, nothing races."""

from __future__ import annotations

import io

import pytest
from playwright.sync_api import Page, expect
from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas
from tests.browser.conftest import Application
from tests.browser.labelling import drag
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
    kind = application.reading_type()
    application.change(
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
    kind = application.reading_type()
    check = {"expression": "amount > 1000000", "message": "Far too little"}
    application.change("PUT", f"/types/{kind}/checks", json=check)
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
    kind = application.reading_type()
    application.change("PUT", f"/types/{kind}/checks", json={"expression": "amount > 1", "message": "Nothing is paid"})
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
    kind = application.reading_type()
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
    kind = application.reading_type()
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
    kind = application.reading_type()
    application.policy(kind, 1.0)
    open_review(page, held_paper(application, kind, 76))
    for _ in range(4):
        page.keyboard.press("j")
        active = page.locator(".note.active .name")
        expect(active).to_have_count(1)
        expect(page.locator(".dock .into b")).to_have_text(active.inner_text())


def test_a_banner_lies_over_the_page_and_moves_nothing(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    document = held_paper(application, kind, 77)
    open_review(page, document)
    before = page.locator(".paper-page").first.bounding_box()
    application.change("PUT", f"/documents/{document}/review/member", json={"values": [{"text": "Aldis Brenna"}]})
    page.locator('.note[data-field="amount"]').click()
    page.keyboard.press("Enter")
    expect(page.locator(".desk-banner")).to_contain_text("changed by somebody else")
    expect(page.locator("[data-status]")).to_have_text("Not saved")
    assert page.locator(".paper-page").first.bounding_box() == before
    page.get_by_role("button", name="Save mine anyway").click()
    expect(page.locator(".desk-banner")).to_have_count(0)


@pytest.mark.long
def test_many_answers_in_quick_succession_are_all_kept(application: Application, page: Page) -> None:
    kind = application.reading_type()
    plan = application.call("GET", f"/types/{kind}/plan.json")
    more = [{"key": f"mark_{n}", "name": f"Mark {n}", "data_type": "text", "required": True} for n in range(60)]
    number = application.call("GET", f"/types/{kind}/plan")["number"]
    path = f"/types/{kind}/plan.json?number={number}"
    application.call("PUT", path, json={**plan, "fields": [*plan["fields"], *more]})
    application.policy(kind, 0.0)
    document = held_paper(application, kind, 78)
    left = len(held_fields(application, document))
    assert left >= 60
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


def stay_note() -> bytes:
    """A receipt with a yes/no question answered no, a table of goods, a period in one word and a paragraph."""
    slip = slips(1, start=91)[0]
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    canvas.setFont("Helvetica", 11)
    texts = [(40, 550, "Harbour receipt"), (40, 500, "Paid by"), (160, 500, slip.member), (40, 475, "Date")]
    texts += [(160, 475, slip.day), (40, 400, "Total"), (160, 400, slip.amount)]
    texts += [(40, 370, "Stay"), (160, 370, "01/02/2026-28/02/2026"), (40, 340, "Winter berth:")]
    texts += [(176, 340, "yes"), (246, 340, "no")]
    for row, (item, way) in enumerate((("rope", "30 km"), ("tar", "–"))):
        texts += [(40, 290 - 20 * row, item), (160, 290 - 20 * row, way)]
    for x, y, text in texts:
        canvas.drawString(x, y, text)
    for x in (160, 230):
        canvas.rect(x, 339, 11, 11)
    canvas.line(231, 340, 240, 349)
    canvas.line(231, 349, 240, 340)
    canvas.save()
    return buffer.getvalue()


def test_review_marks_all_that_labelling_marks(application: Application, page: Page) -> None:
    kind = application.reading_type()
    for name, data_type in (
        ("Insured", "tick box"),
        ("First day", "date"),
        ("Last day", "date"),
        ("Signed", "signature"),
    ):
        application.change("POST", f"/types/{kind}/fields", json={"name": name, "data_type": data_type})
    # With another yes/no question in the plan nobody knows which of them the paper asks.
    other = {"name": "Ferry taken", "data_type": "tick box", "required": False}
    application.change("POST", f"/types/{kind}/fields", json=other)
    columns = [{"name": "Item"}, {"name": "Distance", "data_type": "number", "required": False}]
    application.change("POST", f"/types/{kind}/fields", json={"name": "Goods", "kind": "table", "columns": columns})
    application.policy(kind, 0.0)
    document = application.upload(kind, "stay.pdf", stay_note(), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    open_review(page, document)

    def held(name: str) -> None:
        page.locator(".dock .chip.held", has_text=name).click()

    def read(key: str) -> list[str]:
        desk = application.call("GET", f"/documents/{document}/review-desk?look=true")
        return [value["normal"] for field in desk["fields"] if field["key"] == key for value in field["values"]]

    # The ticked box beside "no" says no.
    held("Insured")
    marks = page.locator(".found-mark")
    expect(marks).to_have_count(2)
    marks.nth(1).click()
    expect(page.locator('.note[data-field="insured"] .value')).to_have_text("no")
    # A key answers, too.
    page.locator('.note[data-field="insured"]').click()
    page.keyboard.press("y")
    expect(page.locator('.note[data-field="insured"] .value')).to_have_text("yes")
    # The key that goes to the next field never turns an answer round.
    page.locator('.note[data-field="insured"]').click()
    page.keyboard.press("n")
    expect(page.locator(".dock .into")).not_to_have_text("Into Insured")
    expect(page.locator('.note[data-field="insured"] .value')).to_have_text("yes")
    # Two dates that are one word are parted by sweeping over the one that is meant.
    box = page.locator("rect.word").filter(has_text="01/02/2026-28/02/2026").bounding_box()
    assert box is not None
    for name, start, end in (("First day", 0.05, 0.46), ("Last day", 0.55, 0.97)):
        held(name)
        page.mouse.move(box["x"] + start * box["width"], box["y"] + box["height"] / 2)
        page.mouse.down()
        page.mouse.move(box["x"] + end * box["width"], box["y"] + box["height"] / 2, steps=6)
        page.mouse.up()
    expect(page.locator('.note[data-field="first_day"] .value')).to_have_text("01/02/2026")
    expect(page.locator('.note[data-field="last_day"] .value')).to_have_text("28/02/2026")
    # A box is drawn around ink that nothing was found in.
    held("Signed")
    drag(page, 1, (0.7, 0.16), (0.95, 0.22))
    expect(page.locator('.note[data-field="signed"] .value')).to_have_text("yes")
    # A table is swept, its rows saved.
    held("Goods")
    drag(page, 1, (0.07, 0.48), (0.6, 0.56))
    expect(page.locator(".dock .grid input").first).to_have_value("rope")
    page.keyboard.press("Control+Enter")
    page.wait_for_url(f"**/types/{kind}/review")
    assert (read("insured"), read("first_day"), read("last_day")) == (["yes"], ["2026-02-01"], ["2026-02-28"])
    fields = application.call("GET", f"/documents/{document}/review-desk?look=true")["fields"]
    goods = next(field["rows"] for field in fields if field["key"] == "goods")
    assert [[cell and (cell["text"], cell["normal"]) for cell in row] for row in goods] == [
        [("rope", "rope"), ("30 km", "30")],
        [("tar", "tar"), ("–", "")],
    ]


def test_nothing_that_is_rather_wrong_is_accepted_by_a_key(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.change("POST", f"/types/{kind}/fields", json={"name": "Boat", "data_type": "text"})
    application.policy(kind, 0.0)
    document = held_paper(application, kind, 92)
    open_review(page, document)
    expect(page.locator(".dock .into")).to_have_text("Into Boat")
    page.keyboard.press("Enter")
    expect(page.locator("[data-status]")).to_contain_text("There is nothing to accept")
    assert held_fields(application, document) == ["boat"]
    page.keyboard.press(".")
    page.wait_for_url(f"**/types/{kind}/review")


def test_a_whole_paper_that_was_seen_is_said_by_one_key_and_taken_back_by_it(
    application: Application, page: Page
) -> None:
    kind = application.labelled_type()
    thresholds = {"thresholds": {"member": 0.0, "paid_on": 0.0, "amount": 1.0}, "layout_similarity_min": 0.0}
    application.call("POST", f"/types/{kind}/policies", json=thresholds)
    document = held_paper(application, kind, 93)

    def labelled() -> set[str]:
        return {label["field"] for label in application.call("GET", f"/documents/{document}/labels")}

    open_review(page, document)
    button = page.get_by_role("button", name="Seen whole paper")
    page.keyboard.press("w")
    expect(page.locator("[data-status]")).to_contain_text("the values that passed are labels now")
    expect(button).to_have_attribute("aria-pressed", "true")
    assert labelled() == {"member", "paid_on"}
    page.keyboard.press("w")
    expect(button).to_have_attribute("aria-pressed", "false")
    assert labelled() == set()
    button.click()
    expect(button).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/types/{kind}/review")
    assert labelled() == {"member", "paid_on", "amount"}
    page.goto(f"/types/{kind}/train")
    expect(page.get_by_role("button", name="Train from 6 labelled and 1 reviewed paper")).to_be_visible()


def test_a_place_is_seen_large_and_a_table_grows_in_its_note(application: Application, page: Page) -> None:
    kind = application.reading_type()
    columns = [{"name": "Item"}, *({"name": f"Distance of part {n}", "data_type": "number"} for n in range(6))]
    application.change("POST", f"/types/{kind}/fields", json={"name": "Goods", "kind": "table", "columns": columns})
    application.policy(kind, 1.0)
    document = application.upload(kind, "stay.pdf", stay_note(), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    rows = [
        {"goods.item": {"text": item, "page": 1, "box": [0.09, top, 0.5, top + 0.09]}}
        for item, top in (("rope", 0.46), ("tar", 0.54))
    ]
    application.change("PUT", f"/documents/{document}/review/goods", json={"rows": rows})
    open_review(page, document)
    # A value: Space shows its place large, a key or click closes it, and nothing is answered by that.
    page.locator('.note[data-field="member"]').click()
    low = page.locator('.note[data-field="member"] canvas')
    assert low.evaluate("one => one.height") == 88
    page.keyboard.press(" ")
    picture = page.locator("dialog.closer img")
    expect(picture).to_have_js_property("complete", True)
    assert picture.evaluate("one => one.naturalWidth") > 200
    page.keyboard.press("Escape")
    expect(picture).to_have_count(0)
    low.click()
    expect(picture).to_be_visible()
    page.keyboard.press("Enter")
    expect(picture).to_have_count(0)
    assert "member" in held_fields(application, document)
    # A table: its picture in the note is as high as its rows need.
    page.goto(f"/look/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()
    page.locator('.note[data-field="goods"]').click()
    high = page.locator('.note[data-field="goods"] canvas')
    expect(high).to_be_visible()
    within = "note => [...note.querySelectorAll('*')].every((one) => one.closest('.cells-holder table') || "
    within += "one.getBoundingClientRect().right <= note.getBoundingClientRect().right)"
    assert page.locator('.note[data-field="goods"]').evaluate(within)
    assert high.evaluate("one => one.height") > 120


def test_a_long_value_is_edited_in_a_box_that_grows_and_covers_no_other_note(
    application: Application, page: Page
) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    document = held_paper(application, kind, 94)
    placed = application.call("GET", f"/documents/{document}/review-desk?look=true")["fields"][0]["values"][0]
    said = "The member who pays for the berth on behalf of her brother"
    value = {"text": said, "page": placed["page"], "box": placed["box"]}
    application.change("PUT", f"/documents/{document}/review/member", json={"values": [value]})
    open_review(page, document)
    page.locator('.note[data-field="member"]').click()
    page.keyboard.press("e")
    box = page.locator('.note[data-field="member"] textarea')
    low = box.bounding_box()
    assert low is not None
    expect(page.locator('.note[data-field="member"] .normal').first).to_have_text("")  # no text is said twice
    page.keyboard.type(" and her  sister, both of whom live in the house by the harbour of Tarnby")
    expect(box).to_have_value(f"{said} and her  sister, both of whom live in the house by the harbour of Tarnby")
    high = box.bounding_box()
    assert high is not None
    assert high["height"] > low["height"] + 20
    # The blank too much goes in the normal form, which is said below: the note grows once more.
    expect(page.locator('.note[data-field="member"] .normal').first).to_contain_text("and her sister, both of whom")
    notes = [note.bounding_box() for note in page.locator(".note").all()]
    rooms = [(note["x"], note["y"], note["y"] + note["height"]) for note in notes if note is not None]
    for x, top, bottom in rooms:
        assert not [other for other in rooms if other[0] == x and top < other[1] < bottom]
    page.keyboard.press("Enter")
    expect(page.locator('.note[data-field="member"] .value')).to_contain_text("harbour of Tarnby")


def test_notes_keep_their_side_while_a_paper_is_open(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    open_review(page, held_paper(application, kind, 79))
    middle = page.locator(".desk-scroll").evaluate("one => one.clientWidth / 2")

    def sides() -> dict[str, bool]:
        # Found and measured in one step: notes that are drawn anew in between would stand nowhere.
        drawn = "[...document.querySelectorAll('.note')].map((one) => [one.dataset.field, one.offsetLeft])"
        notes: list[tuple[str, float]] = page.evaluate(drawn)
        return {field: left < middle for field, left in notes}

    before = sides()
    assert len(before) == 3
    # A value that moves to the other end of the page takes its note along, not the others.
    page.locator('.note[data-field="member"]').click()
    page.locator("rect.word").last.click()
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert sides() == before


def test_a_paper_of_a_new_layout_says_with_how_many_like_it_it_was_read(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    new_layout = 2  # of the slips, of which the version knows two
    papers = [
        application.upload(kind, f"ledger-{number}.pdf", slip_pdf(slip, new_layout), "live")
        for number, slip in enumerate(slips(2, start=81))
    ]
    for paper in papers:
        application.wait(f"/documents/{paper}", lambda seen: seen["state"] == "held")
    application.wait(f"/documents/{papers[0]}/review-desk?look=true", lambda desk: desk["read_with"] == 1)
    open_review(page, papers[0])
    expect(page.locator("[data-status]")).to_have_text("New layout, read with 1 like it")
    known = held_paper(application, kind, 83)
    open_review(page, known)
    expect(page.locator("[data-status]")).to_have_text("")
