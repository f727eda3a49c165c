"""The labelling desk in the browser: every way of marking, by mouse and by keyboard; tables, clauses, undo, lost
connections."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image
from playwright.sync_api import Page, expect
from reportlab.lib.pagesizes import A5
from reportlab.pdfgen.canvas import Canvas
from tests.browser.conftest import Application
from tests.browser.labelling import at, drag, labels, pick, sample, saved, sheet, word
from tests.browser.test_steps import open_desk, sweep
from tests.papers import Slip, many_pages, slip_pdf, slips

from jugum.demo.scans import scanned


@pytest.fixture
def desk(application: Application, page: Page) -> tuple[int, int, Slip]:
    """A sample without suggestions on the desk: type, paper and what it says."""
    kind = application.new_type()
    slip = slips(1, start=50)[0]
    document = sample(application, kind, "slip.pdf", slip_pdf(slip))
    page.goto(f"/label/{document}")
    open_desk(page)
    return kind, document, slip


def test_words_are_clicked_extended_and_added(
    application: Application, page: Page, desk: tuple[int, int, Slip]
) -> None:
    _, document, slip = desk
    first, last = slip.member.split()
    pick(page, "Member")
    word(page, first).click()
    saved(page)
    word(page, last).click(modifiers=["Shift"])
    expect(page.locator('.note[data-field="member"] .value')).to_have_text(slip.member)
    pick(page, "Member")
    word(page, "Berth").click(modifiers=["Control"])
    expect(page.locator('.note[data-field="member"] .value')).to_have_text(f"{slip.member} Berth")
    saved(page)
    value = labels(application, document)["member"]["values"][0]
    assert value["text"] == f"{slip.member} Berth"
    assert len(value["more_places"]) == 1
    assert value["ocr_text"] == value["text"]


def test_letters_of_a_word_are_taken_with_alt_and_by_key(application: Application, page: Page) -> None:
    kind = application.new_type()
    document = sample(application, kind, "part.pdf", sheet([(40, 500, "Card"), (160, 500, "No.4711")]))
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Member")
    box = word(page, "No.4711").bounding_box()
    assert box is not None
    page.keyboard.down("Alt")
    page.mouse.move(box["x"] + box["width"] * 3 / 7 + 1, box["y"] + box["height"] / 2)
    page.mouse.down()
    page.mouse.move(box["x"] + box["width"] - 1, box["y"] + box["height"] / 2, steps=4)
    page.mouse.up()
    page.keyboard.up("Alt")
    expect(page.locator('.note[data-field="member"] .value')).to_have_text("4711")
    saved(page)
    value = labels(application, document)["member"]["values"][0]
    assert (value["text"], value["ocr_text"]) == ("4711", "No.4711")
    # By key: the whole word, then the button that takes its lead off.
    pick(page, "Member")
    word(page, "No.4711").click()
    pick(page, "Member")
    page.get_by_role("button", name="Only “4711”").click()
    expect(page.locator('.note[data-field="member"] .value')).to_have_text("4711")


def test_a_value_over_two_pages_by_shift_click_and_a_free_box_read_again(application: Application, page: Page) -> None:
    kind = application.new_type()
    pdf = sheet([(40, 80, "Oddny Marie")], [(40, 520, "Strand of Tarnby")])
    document = sample(application, kind, "two.pdf", pdf)
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Member")
    word(page, "Oddny").click()
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = 800; }")
    word(page, "Strand").click(modifiers=["Shift"])
    expect(page.locator('.note[data-field="member"] .value')).to_have_text("Oddny Marie Strand")
    saved(page)
    value = labels(application, document)["member"]["values"][0]
    assert [value["page"], *(number for number, _ in value["more_places"])] == [1, 2]
    # A box where no word was read: typed there, it keeps its place.
    pick(page, "Amount")
    drag(page, 2, (0.3, 0.4), (0.5, 0.45))
    expect(page.locator(".dock")).to_contain_text("where no word was read")
    page.get_by_role("button", name="Read again here").click()
    expect(page.locator(".offers")).to_contain_text("Nothing can be read here")
    page.locator(".dock .entry input").fill("12,50")
    page.keyboard.press("Enter")
    expect(page.locator('.note[data-field="amount"] .value')).to_have_text("12,50")
    saved(page)
    value = labels(application, document)["amount"]["values"][0]
    assert (value["page"], value["ocr_text"]) == (2, "")


def test_undo_and_redo_go_back_and_forth_as_far_as_one_likes(
    application: Application, page: Page, desk: tuple[int, int, Slip]
) -> None:
    _, document, slip = desk
    sweep(page, slip.member)
    sweep(page, slip.day)
    page.keyboard.press("a")
    page.keyboard.press(".")
    expect(page.locator(".chip.absent", has_text="Amount")).to_be_visible()
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(page.locator("[data-title]")).to_contain_text("3 of 3 to mark")
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert labels(application, document) == {}
    page.keyboard.press("Control+z")
    expect(page.locator("[data-status]")).to_contain_text("nothing to undo")
    for _ in range(3):
        page.keyboard.press("Control+y")
    expect(page.locator('.note[data-field="member"] .value')).to_have_text(slip.member)
    saved(page)
    found = labels(application, document)
    assert found["amount"]["absent"]
    assert found["paid_on"]["values"][0]["text"] == slip.day
    assert found["member"]["values"][0]["box"]


def test_a_table_over_two_pages_is_marked_with_rails(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    made = application.change(
        "POST", f"/types/{kind}/fields", json={"name": "Goods", "data_type": "text", "kind": "table"}
    )
    for name, data_type in (("What", "text"), ("Sum", "money")):
        application.change(
            "POST", f"/types/{kind}/fields", json={"name": name, "data_type": data_type, "inside": "goods"}
        )
    assert made
    first = [
        (40, 120, "What"),
        (300, 120, "Sum"),
        (40, 100, "rope"),
        (300, 100, "40,00"),
        (40, 80, "anchor"),
        (300, 80, "310,00"),
    ]
    second = [(40, 540, "paint"), (300, 540, "61,50"), (40, 520, "brush"), (300, 520, "9,00")]
    document = sample(application, kind, "goods.pdf", sheet(first, second))
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Goods")
    page.keyboard.press("e")
    cells = page.locator(".grid tbody input")
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = 300; }")
    drag(page, 1, (0.05, 0.77), (0.95, 0.9))
    expect(page.locator(".rail")).to_have_count(6)
    expect(cells).to_have_count(4)
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = 760; }")
    drag(page, 2, (0.05, 0.06), (0.95, 0.14))
    expect(cells).to_have_count(8)
    assert [cells.nth(n).input_value() for n in range(8)] == [
        "rope",
        "40,00",
        "anchor",
        "310,00",
        "paint",
        "61,50",
        "brush",
        "9,00",
    ]
    # A line taken away joins two rows; undone by putting it back; a cell is mended as in a spreadsheet.
    hold = page.locator('.paper-page[data-page="2"] [data-hold=lines]').nth(1)
    hold.dblclick(force=True)
    expect(cells).to_have_count(6)
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = 760; }")
    page.mouse.dblclick(*at(page, 2, 0.5, 0.102))
    expect(cells).to_have_count(8)
    cells.nth(6).focus()
    page.keyboard.press("Control+a")
    page.keyboard.type("brushes")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Control+Enter")
    saved(page)
    rows = {
        one["field"]: [value["text"] for value in one["values"]]
        for one in application.call("GET", f"/documents/{document}/labels")
    }
    assert rows == {
        "goods.what": ["rope", "anchor", "paint", "brushes"],
        "goods.sum": ["40,00", "310,00", "61,50", "9,00"],
    }
    places = [value["page"] for value in labels(application, document)["goods.sum"]["values"]]
    assert places == [1, 1, 2, 2]


def test_a_rail_is_moved_by_keyboard_and_by_mouse(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    application.change("POST", f"/types/{kind}/fields", json={"name": "Goods", "data_type": "text", "kind": "table"})
    for name in ("What", "Mark"):
        application.change("POST", f"/types/{kind}/fields", json={"name": name, "data_type": "text", "inside": "goods"})
    rows = [
        (40, 500, "What"),
        (200, 500, "Mark"),
        (40, 480, "rope blue"),
        (200, 480, "A"),
        (40, 460, "oars red"),
        (200, 460, "B"),
    ]
    document = sample(application, kind, "goods.pdf", sheet(rows))
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Goods")
    page.keyboard.press("e")
    drag(page, 1, (0.05, 0.14), (0.7, 0.25))
    cells = page.locator(".grid tbody input")
    expect(cells).to_have_count(4)
    expect(cells.first).to_have_value("rope blue")
    # Between "rope" and "blue": everything right of it goes to the next column.
    middle = page.locator("[data-hold=rails]").nth(1)
    box, blue = middle.bounding_box(), word(page, "blue").bounding_box()
    assert box is not None
    assert blue is not None
    page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 4)
    page.mouse.down()
    page.mouse.move(blue["x"] - 2, box["y"] + box["height"] / 4, steps=6)
    page.mouse.up()
    expect(cells.first).to_have_value("rope")
    expect(cells.nth(1)).to_have_value("blue A")
    middle = page.locator("[data-hold=rails]").nth(1)
    middle.focus()
    for _ in range(24):
        page.keyboard.press("ArrowRight")
    expect(cells.first).to_have_value("rope blue")
    # The key that finishes a paper keeps the rows at hand first.
    page.keyboard.press("Control+Enter")
    saved(page)
    assert page.url.endswith(f"/label/{document}")
    assert len(labels(application, document)["goods.what"]["values"]) == 2


def test_a_clause_over_a_page_break_is_taken_by_click_and_by_keyboard(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    application.change("POST", f"/types/{kind}/fields", json={"name": "Duties", "data_type": "text", "kind": "clause"})
    first = [
        (40, 500, "the house is let as it stands."),
        (40, 120, "the guest keeps the house"),
        (40, 104, "and the boat in good"),
    ]
    second = [(40, 520, "order until the last day."), (40, 440, "both sign here.")]
    document = sample(application, kind, "contract.pdf", sheet(first, second))
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Duties")
    expect(page.locator(".paragraph").first).to_be_attached()
    word(page, "keeps").click()
    expect(page.locator('.note[data-field="duties"]')).to_contain_text("the guest keeps the house")
    saved(page)
    value = labels(application, document)["duties"]["values"][0]
    assert value["text"] == "the guest keeps the house and the boat in good order until the last day."
    assert [value["page"], *(number for number, _ in value["more_places"])] == [1, 2]
    # With shift up to the next; then once more by keyboard alone.
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = 700; }")
    word(page, "both").click(modifiers=["Shift"])
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    assert labels(application, document)["duties"]["values"][0]["text"].endswith("last day. both sign here.")
    page.reload()
    open_desk(page)
    pick(page, "Duties")
    expect(page.locator(".paragraph").first).to_be_attached()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Enter")
    saved(page)
    assert labels(application, document)["duties"]["values"][0]["text"] == "the house is let as it stands."


def test_suggestions_that_pass_are_agreed_with_one_key(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 0.5)
    slip = slips(1, start=60)[0]
    document = sample(application, kind, "one-key.pdf", slip_pdf(slip, 0))
    page.goto(f"/label/{document}")
    open_desk(page)
    expect(page.get_by_role("button", name="Accept the 3 that pass")).to_be_visible()
    page.keyboard.press("Shift+Enter")
    expect(page.locator("[data-title]")).to_contain_text("Every field is marked")
    saved(page)
    found = labels(application, document)
    assert {one["method"] for one in found.values()} == {"agreed"}
    assert found["member"]["values"][0]["text"] == slip.member


def test_a_blindly_agreed_plant_is_told(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.call("PUT", f"/types/{kind}/labelling", json={"plant": 10})
    for number, slip in enumerate(slips(14, start=100)):
        sample(application, kind, f"p{number}.pdf", slip_pdf(slip, number % 2))
    waiting = [
        one["id"]
        for one in application.call("GET", f"/types/{kind}/documents?purpose=sample")
        if one["state"] == "to label"
    ]
    for document in waiting:
        page.goto(f"/label/{document}")
        open_desk(page)
        for _ in range(3):
            page.keyboard.press("Enter")
        page.wait_for_function(f"() => !localStorage.getItem('jugum-label-{document}')")
        if len(labels(application, document)) < 3:
            break
    expect(page.locator(".desk-banner", has_text="control suggestion")).to_contain_text("check the field again")
    page.goto(f"/types/{kind}/label/figures")
    expect(page.locator(".next-steps")).to_contain_text("control suggestions were noticed")


def test_losing_the_connection_in_a_table_loses_nothing(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    application.change("POST", f"/types/{kind}/fields", json={"name": "Goods", "data_type": "text", "kind": "table"})
    application.change("POST", f"/types/{kind}/fields", json={"name": "What", "data_type": "text", "inside": "goods"})
    document = sample(application, kind, "goods.pdf", sheet([(40, 500, "rope")]))
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Goods")
    page.keyboard.press("e")
    page.context.set_offline(True)
    page.locator(".grid tbody input").first.fill("rope")
    page.keyboard.press("Control+Enter")
    expect(page.locator("[data-status]")).to_contain_text("Not saved yet")
    page.context.set_offline(False)
    saved(page)
    assert labels(application, document)["goods.what"]["values"][0]["text"] == "rope"


@pytest.mark.long
def test_a_paper_of_300_pages_opens_with_only_near_pages_in_the_document(application: Application, page: Page) -> None:
    kind = application.new_type()
    document = application.upload(kind, "long.pdf", many_pages(300))
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label", seconds=120)
    page.goto(f"/label/{document}")
    open_desk(page)
    assert page.locator(".paper-page").count() < 12
    page.locator(".desk-scroll").evaluate("one => { one.scrollTop = one.scrollHeight; }")
    expect(page.locator('.paper-page[data-page="300"]')).to_be_attached()
    assert page.locator(".paper-page").count() < 12
    pick(page, "Member")
    page.keyboard.press("/")
    page.keyboard.type("150")
    page.keyboard.press("Enter")
    expect(page.locator('.paper-page[data-page="150"] rect.cursor')).to_be_visible()
    page.keyboard.press("Enter")
    saved(page)
    assert labels(application, document)["member"]["values"][0]["page"] == 150


def test_close_up_the_page_is_drawn_sharper(application: Application, page: Page, desk: tuple[int, int, Slip]) -> None:
    for _ in range(8):
        page.keyboard.press("+")
    expect(page.locator(".sharp-piece").first).to_be_attached()
    assert page.locator(".sharp-piece").first.evaluate("one => one.decode().then(() => one.naturalWidth)") > 100
    page.keyboard.press("0")
    expect(page.locator(".sharp-piece")).to_have_count(0)


def test_outlines_of_suggestions_stand_off_the_ink_of_a_scan(application: Application, page: Page) -> None:
    kind = application.reading_type()
    shares = []
    for seed in (1, 5):
        data, ending = scanned(slip_pdf(slips(1, start=60 + seed)[0], 0), seed, severity=0.5)
        document = sample(application, kind, f"scan-{seed}{ending}", data)
        page.goto(f"/label/{document}")
        open_desk(page)
        expect(page.locator("rect.place").first).to_be_attached()
        boxes = page.locator("rect.place").evaluate_all(
            "all => all.map((one) => ['x', 'y', 'width', 'height'].map((side) => one.getAttribute(side) / 1000))"
        )
        grey = np.asarray(
            Image.open(io.BytesIO(page.request.get(f"/documents/{document}/pages/1.jpg").body())).convert("L")
        )
        dark = grey < 0.6 * np.median(grey)
        shares += [ink_under(dark, box) for box in boxes]
    assert len(shares) >= 4
    assert max(shares) < 0.06  # a stroke through words is dark for a third of its way


def ink_under(dark: np.ndarray, box: list[float]) -> float:  # type: ignore[type-arg]
    """Share of dark pixels under the stroke of an outline (left, top, width, height in page fractions)."""
    high, wide = dark.shape
    x0, x1 = round(box[0] * wide), round((box[0] + box[2]) * wide)
    y0, y1 = round(box[1] * high), round((box[1] + box[3]) * high)
    sides = [dark[y0, x0:x1], dark[y1, x0:x1], dark[y0:y1, x0], dark[y0:y1, x1]]
    return float(np.concatenate(sides).mean())


def test_tick_boxes_and_stamps_are_offered_and_a_signature_is_swept(application: Application, page: Page) -> None:
    kind = application.new_type(fields=False)
    for name, data_type in (("Winter berth", "tick box"), ("Signed", "signature"), ("Received", "signature")):
        application.change("POST", f"/types/{kind}/fields", json={"name": name, "data_type": data_type})
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A5, invariant=True)
    canvas.setFont("Helvetica", 11)
    canvas.drawString(60, 500, "We ask for")
    canvas.rect(60, 470, 11, 11)
    canvas.line(61, 471, 70, 480)
    canvas.line(61, 480, 70, 471)
    canvas.drawString(80, 472, "a berth over the winter")
    canvas.drawString(60, 300, "The member:")
    for radius in (30, 26):
        canvas.circle(340, 480, radius)
    canvas.drawCentredString(340, 478, "PAID")
    canvas.save()
    document = sample(application, kind, "marks.pdf", buffer.getvalue())
    page.goto(f"/label/{document}")
    open_desk(page)
    pick(page, "Winter berth")
    mark = page.locator(".found-mark")
    expect(mark).to_have_count(1)
    mark.click()
    expect(page.locator('.note[data-field="winter_berth"] .value')).to_have_text("yes")
    pick(page, "Received")
    expect(mark).to_have_count(1)
    expect(mark.locator("title")).to_have_text("stamped here")
    mark.click()
    expect(page.locator('.note[data-field="received"] .value')).to_have_text("yes")
    pick(page, "Signed")
    drag(page, 1, (0.35, 0.46), (0.7, 0.52))
    expect(page.locator('.note[data-field="signed"] .value')).to_have_text("yes")
    saved(page)
    found = labels(application, document)
    assert (found["winter_berth"]["values"][0]["normal"], found["signed"]["values"][0]["normal"]) == ("yes", "yes")
    assert found["signed"]["values"][0]["box"] == pytest.approx([0.35, 0.46, 0.7, 0.52], abs=0.01)
    assert found["received"]["values"][0]["box"] == pytest.approx([0.738, 0.143, 0.881, 0.244], abs=0.015)
