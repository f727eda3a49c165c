"""The pages around the labelling desk in the browser: past records, label quality, layouts and sets, double labelling,
words of another reader."""

from __future__ import annotations

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application, sign_in
from tests.browser.labelling import labels, pick, sample, saved, sheet
from tests.browser.test_steps import open_desk, sweep
from tests.papers import slip_pdf, slips


def test_keyed_values_are_chosen_and_suspicious_labels_settled_by_one_key(application: Application, page: Page) -> None:
    kind = application.new_type()
    application.change(
        "POST", f"/types/{kind}/fields", json={"name": "Charge", "data_type": "money", "required": False}
    )
    pdf = sheet([(40, 500, "Mooring 9,00"), (40, 400, "Upkeep 9,00"), (40, 300, "Paid by Tor Vik")])
    document = sample(application, kind, "nine.pdf", pdf)
    page.goto(f"/types/{kind}/label/past-records")
    csv = b'file,type,field,value\nnine.pdf,,charge,"9,00"\nnine.pdf,,member,Tor Vik\nnine.pdf,,paid_on,1999-01-01\n'
    page.get_by_label("CSV file").set_input_files({"name": "k.csv", "mimeType": "text/csv", "buffer": csv})
    page.get_by_label("The file has every value of its papers").check()
    page.get_by_role("button", name="Import the values").click()
    expect(page.locator(".deciding .choice img")).to_have_count(2)
    expect(page.locator("tr.at")).to_be_visible()
    page.keyboard.press("2")
    expect(page.get_by_role("heading", level=1)).to_contain_text("every place is chosen")
    assert 0.3 < labels(application, document)["charge"]["values"][0]["box"][1] < 0.4
    value = {"values": [{"text": "1,11", "page": 1, "words": [1]}]}
    application.change("PUT", f"/documents/{document}/labels/charge", json=value)
    page.goto(f"/types/{kind}/label/quality")
    expect(page.get_by_role("heading", level=1)).to_have_text("1 label looks suspicious")
    expect(page.locator(".deciding")).to_contain_text("“9,00” was read there")
    expect(page.locator("tr.at")).to_be_visible()
    page.keyboard.press("2")
    expect(page.get_by_role("heading", level=1)).to_have_text("No label looks suspicious")
    assert labels(application, document)["charge"]["values"][0]["text"] == "9,00"


def test_layouts_are_named_and_sets_dealt(application: Application, page: Page) -> None:
    kind = application.new_type()
    for number, slip in enumerate(slips(4)):
        sample(application, kind, f"s{number}.pdf", slip_pdf(slip, number % 2))
    application.wait(f"/types/{kind}/layouts", lambda layouts: sum(layout["papers"] for layout in layouts) == 4)
    page.goto(f"/types/{kind}/label/layouts")
    expect(page.get_by_role("heading", level=1)).to_have_text("4 samples in 2 layouts")
    page.get_by_role("button", name="Rename").first.click()
    page.locator("#ask input").fill("blue form")
    page.keyboard.press("Enter")
    expect(page.locator(".layout b").first).to_have_text("blue form")
    page.wait_for_load_state()  # its scripts take the form; without them it would be sent as a link is
    page.get_by_label("For testing, %").fill("50")
    page.get_by_label("Layouts", exact=True).select_option("yes")
    page.get_by_role("button", name="Assign the samples").click()
    expect(page.locator("table.rows tr", has_text="test").first).to_contain_text("1 (1)")
    page.get_by_label("Choose blue form").check()
    page.locator("[data-choose-layout]").nth(1).check()
    page.get_by_role("button", name="Merge the chosen layouts").click()
    expect(page.get_by_role("heading", level=1)).to_have_text("4 samples in 1 layout")


def test_disputes_are_settled_side_by_side(application: Application, page: Page) -> None:
    kind = application.new_type()
    slip = slips(1, start=5)[0]
    document = sample(application, kind, "both.pdf", slip_pdf(slip))
    page.goto("/people")
    for label, text in (("Name", "Bo Second"), ("Login", "second"), ("First password", "long enough to pass")):
        page.get_by_label(label).fill(text)
    page.get_by_label("Role").select_option("analyst")
    page.get_by_role("button", name="Add person").click()
    members = page.get_by_label(f"Members of {application.workspace_of(kind)['name']}", exact=True)
    members.get_by_label("Let in, or change").select_option(label="Bo Second")
    members.get_by_role("button", name="Save").click()
    expect(page.get_by_role("row", name="second").first).to_contain_text("analyst in")
    page.goto(f"/types/{kind}/label/double-labelling")
    page.get_by_role("button", name="Give the papers").click()
    expect(page.locator("h2", has_text="Still to label")).to_be_visible()
    other = page.context.browser.new_context(base_url=application.url, viewport={"width": 1280, "height": 800})  # type: ignore[union-attr]
    theirs = other.new_page()
    sign_in(theirs, "long enough to pass", "second")
    for one, amount in ((page, slip.amount), (theirs, "50,00")):
        one.goto(f"/label/{document}")
        open_desk(one)
        expect(one.locator(".desk-banner", has_text="Two people label this paper")).to_be_visible()
        for name, text in (("Member", slip.member), ("Paid on", slip.day), ("Amount", amount)):
            pick(one, name)
            sweep(one, text)
        saved(one)
        assert labels(application, document) == {}
        one.keyboard.press("Control+Enter")
        one.wait_for_url("**/label")
    other.close()
    page.goto(f"/types/{kind}/label/double-labelling")
    expect(page.get_by_role("heading", level=1)).to_contain_text("Two people gave different answers to 1 field")
    expect(page.locator(".deciding .choice img")).to_have_count(2)
    page.locator(".choice", has_text=slip.amount).click()
    expect(page.get_by_role("heading", level=1)).to_contain_text("1 of 1 paper labelled by both")
    assert labels(application, document)["amount"]["values"][0]["text"] == slip.amount


def test_words_of_another_reader_are_taken_in_on_the_page_explorer(application: Application, page: Page) -> None:
    kind = application.new_type()
    document = sample(application, kind, "alto.pdf", slip_pdf(slips(1)[0]))
    page.goto(f"/documents/{document}/explore")
    page.locator(".found-thing").first.wait_for()
    page.get_by_text("Correct").click()
    alto = (
        b'<alto><Page WIDTH="100" HEIGHT="100">'
        b'<String CONTENT="Elsewhere" HPOS="10" VPOS="10" WIDTH="20" HEIGHT="5"/></Page></alto>'
    )
    page.get_by_label("ALTO XML file").set_input_files({"name": "a.xml", "mimeType": "text/xml", "buffer": alto})
    expect(page.locator("#ask")).to_contain_text("1 words of the file")
    page.locator("#ask").get_by_role("button", name="All right").click()
    expect(page.locator(".found-thing")).to_have_count(1)
    expect(page.locator(".found-thing")).to_contain_text("Elsewhere")
