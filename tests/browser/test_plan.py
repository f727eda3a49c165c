"""Plan in the real browser: a whole plan built through the page, proposals by key, checks while they are written,
two analysts."""

from __future__ import annotations

import json
import random
from pathlib import Path
from typing import Any

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips

from jugum.demo.assessments import tax_assessment
from jugum.demo.identity import identity_paper
from jugum.demo.papers import plan_bytes
from jugum.demo.stubs import stub_paper


def open_plan(page: Page, kind: int) -> None:
    page.goto(f"/types/{kind}/plan")
    page.locator("#plan[data-ready=yes]").wait_for()


def with_sample(application: Application, name: str, pdf: bytes, *, fields: bool = False) -> tuple[int, int]:
    kind = application.new_type(fields=fields)
    document = application.upload(kind, name, pdf)
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label")
    return kind, document


def saved(page: Page, number: int) -> None:
    expect(page.locator("[data-status]")).to_have_text(f"Saved as plan {number}")


def fill_field(page: Page, field: dict[str, Any]) -> None:
    """A field of a plan file, put into the form as a person would."""
    kinds = {"value": "value", "derived": "derived"}
    page.get_by_label("Name", exact=True).fill(field["name"])
    page.get_by_label("Kind", exact=True).select_option(kinds[field.get("kind", "value")])
    page.get_by_label("Data type", exact=True).select_option(field.get("data_type", "text"))
    if field.get("expression"):
        page.get_by_label("Expression", exact=True).fill(field["expression"])
        page.keyboard.press("Escape")
    else:
        page.get_by_label("Printed names, one per line").fill("\n".join(field.get("printed_names", ())))
    if field.get("pattern"):
        page.get_by_label("Pattern", exact=True).fill(field["pattern"])
    page.locator("#f-more").evaluate("more => { more.open = true; }")
    page.get_by_label("Heading in the plan").fill(field.get("heading", ""))
    if field.get("output", {}).get("case"):
        page.get_by_label("Letters delivered").select_option(field["output"]["case"])
    page.get_by_label("Required", exact=True).set_checked(field.get("required", True))
    page.get_by_label("Personal", exact=True).set_checked(field.get("personal", False))


@pytest.mark.long
def test_a_whole_plan_is_built_through_the_page(application: Application, page: Page) -> None:
    """The plan of identity papers: every field and check of its file, by the forms; then the file it gives is that
    one."""
    wanted = json.loads(plan_bytes("identity-paper"))
    keys = {field["name"]: field["key"] for field in wanted["fields"]}
    kind, _ = with_sample(application, "card.pdf", identity_paper(1, random.Random(11)).pdf)
    open_plan(page, kind)
    for number, field in enumerate(wanted["fields"], 1):
        # A key is made from the first name; afterwards the name may be anything.
        fill_field(page, {**field, "name": keys[field["name"]].replace("_", " ")})
        page.get_by_role("button", name="Add field").click()
        saved(page, number)
    number = len(wanted["fields"])
    for field in wanted["fields"]:
        if field["name"].lower() == field["key"].replace("_", " "):
            continue
        page.locator(f'tr[data-key="{field["key"]}"]').get_by_role("button", name="Edit").click()
        page.get_by_label("Name", exact=True).fill(field["name"])
        page.get_by_role("button", name="Save changes").click()
        number += 1
        saved(page, number)
    page.get_by_role("tab", name="Checks").click()
    for check in wanted["checks"]:
        page.get_by_label("What must be true").fill(check["expression"])
        page.get_by_label("What to say when it is not").fill(check["message"])
        page.get_by_label("When it fails").select_option(check.get("severity", "blocking"))
        page.get_by_label("May take another candidate").set_checked(check.get("may_choose", False))
        page.get_by_role("button", name="Add check").click()
        number += 1
        saved(page, number)
    expect(page.locator(".plan-checks td.outcome", has_text="holds")).to_have_count(len(wanted["checks"]))
    made = application.call("GET", f"/types/{kind}/plan.json")
    names = {field["key"]: field["name"].lower() for field in wanted["fields"]}
    assert [field | {"name": field["name"].lower()} for field in made["fields"]] == [
        field | {"name": names[field["key"]]} for field in wanted["fields"]
    ]
    assert [{**check, "key": ""} for check in made["checks"]] == [{**check, "key": ""} for check in wanted["checks"]]


def test_the_sample_shows_what_is_found_while_a_field_is_named(application: Application, page: Page) -> None:
    slip = slips(1)[0]
    kind, _ = with_sample(application, "slip.pdf", slip_pdf(slip))
    open_plan(page, kind)
    page.get_by_label("Name", exact=True).fill("Sum")
    page.get_by_label("Data type", exact=True).select_option("money")
    page.get_by_label("Printed names, one per line").fill("Total")
    note = page.locator("[data-note]")
    expect(note).to_contain_text(slip.truth["amount"])
    expect(note).to_contain_text("printed names: “Total” is before it")
    expect(page.locator("rect.spot.lit")).to_have_count(1)
    page.locator("#f-more").evaluate("more => { more.open = true; }")
    page.get_by_label("Rules, one per line").fill("(unclosed")
    expect(page.locator("#field-form [role=alert]")).to_contain_text("is not valid")
    page.get_by_label("Rules, one per line").fill("right of Total")
    expect(note).to_contain_text("rule: a rule of the field found it")
    page.get_by_role("button", name="Add field").click()
    expect(page.locator('tr[data-key="sum"]')).to_contain_text(slip.truth["amount"])
    expect(page.get_by_label("Name", exact=True)).to_have_value("")


def test_proposals_are_taken_renamed_retyped_and_dropped_by_one_key_each(application: Application, page: Page) -> None:
    kind, _ = with_sample(application, "tax.pdf", tax_assessment(0, random.Random(5)).pdf)
    open_plan(page, kind)
    page.get_by_role("tab", name="Proposals").click()
    rows = page.locator(".plan-proposals tbody tr")
    expect(rows.filter(has_text="Personal number")).to_have_count(1)
    count = rows.count()
    first = rows.nth(0).locator("b").inner_text()
    page.keyboard.press("Enter")
    saved(page, 1)
    expect(rows).to_have_count(count - 1)
    page.keyboard.press("x")
    expect(rows).to_have_count(count - 2)
    before = rows.nth(0).locator("td").nth(1).inner_text()
    page.keyboard.press("t")
    expect(rows.nth(0).locator("td").nth(1)).not_to_have_text(before)
    page.keyboard.press("j")
    expect(rows.nth(1)).to_have_class("at")
    expect(page.locator("rect.proposed")).to_have_count(1)
    page.keyboard.press("k")
    page.keyboard.press("r")
    page.locator("dialog#ask input").fill("Another name")
    page.keyboard.press("Enter")
    saved(page, 2)
    names = [field["name"] for field in application.call("GET", f"/types/{kind}/fields")]
    assert names == [first, "Another name"]
    rows.filter(has_text="Line · Code · Crowns").get_by_role("button", name="Add").click()
    saved(page, 3)
    assert [field["key"].split(".")[-1] for field in application.call("GET", f"/types/{kind}/fields")][-3:] == [
        "line",
        "code",
        "crowns",
    ]


def test_a_region_of_the_sample_becomes_a_table(application: Application, page: Page) -> None:
    kind, _ = with_sample(application, "stub.pdf", stub_paper(3, random.Random(2)).pdf)
    open_plan(page, kind)
    page.get_by_role("tab", name="Proposals").click()
    expect(page.locator(".plan-proposals tbody tr").first).to_be_visible()
    page.get_by_role("button", name="Make a table of a region").click()
    sheet = page.locator("[data-overlay]").bounding_box()
    assert sheet is not None
    page.mouse.move(sheet["x"] + 0.05 * sheet["width"], sheet["y"] + 0.18 * sheet["height"])
    page.mouse.down()
    page.mouse.move(sheet["x"] + 0.95 * sheet["width"], sheet["y"] + 0.22 * sheet["height"], steps=4)
    page.mouse.up()
    expect(page.locator(".plan-proposals tr.at")).to_contain_text(
        "Earnings · Hours · Rate · This period · Year to date"
    )


def test_checks_are_completed_tried_and_told_where_they_are_wrong(application: Application, page: Page) -> None:
    kind = application.labelled_samples()
    open_plan(page, kind)
    page.get_by_role("tab", name="Checks").click()
    box = page.get_by_label("What must be true")
    box.click()
    box.press_sequentially("amo")
    expect(page.locator(".completions:visible li").first).to_contain_text("amount")
    page.keyboard.press("Tab")
    expect(box).to_have_value("amount")
    box.press_sequentially(" > 0")
    expect(page.locator("[data-tried]")).to_have_text("Holds on 6 of 6 labelled samples.")
    box.fill("amount < 0")
    expect(page.locator("[data-tried]")).to_contain_text("Holds on 0 of 6 labelled samples; fails on s0.pdf")
    expect(page.locator("[data-tried] a")).to_have_count(6)
    box.fill("amont > 0")
    expect(page.locator("#check-form [role=alert]")).to_contain_text(
        "There is no field “amont”; is “amount” meant? (at letter 1)"
    )
    box.fill("amount > 0")
    page.get_by_role("button", name="Add check").click()
    expect(page.locator(".plan-checks")).to_contain_text("amount > 0")
    page.get_by_role("button", name="Remove the check amount > 0").click()
    expect(page.locator("[data-checks]")).to_contain_text("A check is a statement that must be true")


def test_what_is_typed_stays_when_somebody_else_changed_the_plan(application: Application, page: Page) -> None:
    kind = application.new_type()
    open_plan(page, kind)
    page.get_by_label("Name", exact=True).fill("Berth")
    application.change("POST", f"/types/{kind}/fields", json={"name": "Keel"})
    page.get_by_role("button", name="Add field").click()
    expect(page.locator("#field-form [role=alert]")).to_contain_text("changed in the meantime")
    expect(page.locator("td b", has_text="Keel")).to_be_visible()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Berth")
    page.get_by_role("button", name="Add field").click()
    expect(page.locator("td b", has_text="Berth")).to_be_visible()


def test_fields_are_moved_copied_and_removed_and_the_plan_goes_back(application: Application, page: Page) -> None:
    kind = application.new_type()
    open_plan(page, kind)
    page.get_by_role("button", name="More for Amount").click()
    page.locator("#row-menu").get_by_role("button", name="Move up").click()
    saved(page, 4)
    expect(page.locator(".plan-row b")).to_have_text(["Member", "Amount", "Paid on"])
    page.get_by_role("button", name="More for Amount").click()
    page.locator("#row-menu").get_by_role("button", name="Copy").click()
    saved(page, 5)
    page.get_by_role("button", name="More for Amount 2").click()
    page.locator("#row-menu").get_by_role("button", name="Remove").click()
    page.locator("dialog#ask").get_by_role("button", name="Remove it").click()
    saved(page, 6)
    page.get_by_role("tab", name="Changes").click()
    page.locator("tr", has_text="copied “Amount”").get_by_role("button", name="Go back to it").click()
    saved(page, 7)
    page.get_by_role("tab", name="Fields").click()
    expect(page.locator(".plan-row b")).to_have_count(4)


def test_a_change_that_touches_labels_is_said_before_it_is_made(application: Application, page: Page) -> None:
    kind = application.labelled_type()
    open_plan(page, kind)
    page.get_by_role("button", name="Edit Amount").click()
    page.get_by_label("Data type", exact=True).select_option("number")
    page.get_by_role("button", name="Save changes").click()
    dialog = page.locator("dialog#ask")
    expect(dialog).to_contain_text("Labels on 6 papers stay as they were printed")
    expect(dialog).to_contain_text("was trained with the old plan")
    dialog.get_by_role("button", name="Cancel").click()
    expect(page.get_by_label("Data type", exact=True)).to_have_value("number")
    assert {field["data_type"] for field in application.call("GET", f"/types/{kind}/fields")} == {
        "text",
        "date",
        "money",
    }


@pytest.mark.parametrize("name", ["pay-stub", "works-contract", "tax-assessment"])
def test_plans_are_imported_as_new_types(application: Application, page: Page, name: str, tmp_path: Path) -> None:
    kind = application.new_type()
    file = tmp_path / f"{name}.json"
    file.write_bytes(plan_bytes(name))
    open_plan(page, kind)
    page.locator("summary", has_text="Plan file").click()
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Import a file as a new type").click()
    chooser.value.set_files(file)
    wanted = json.loads(file.read_bytes())
    page.wait_for_url(lambda url: not url.endswith(f"/{kind}/plan"))
    page.locator("#plan[data-ready=yes]").wait_for()
    expect(page.locator(".plan-row")).to_have_count(len(wanted["fields"]))
    file.write_text(json.dumps({**wanted, "colour": "red"}))
    page.locator("summary", has_text="Plan file").click()
    with page.expect_file_chooser() as chooser:
        page.get_by_role("button", name="Import a file here").click()
    chooser.value.set_files(file)
    expect(page.locator("dialog#ask")).to_contain_text("“colour”, which is not a known key")


def test_a_list_is_loaded_from_csv(application: Application, page: Page, tmp_path: Path) -> None:
    kind = application.new_type()
    file = tmp_path / "members.csv"
    file.write_text("name\nOddny Strand\nPer Holm\n")
    open_plan(page, kind)
    page.get_by_role("tab", name="Checks").click()
    page.locator("[data-list-form] [name=name]").fill("members")
    page.locator("[data-list-form] [name=file]").set_input_files(file)
    page.get_by_role("button", name="Load list").click()
    expect(page.locator("[data-lists]")).to_contain_text("members 2 entries")


# ---- What the plan says, on the desk ---------------------------------------------------------------------------------


def test_a_table_is_filled_in_by_keyboard_on_the_desk(application: Application, page: Page) -> None:
    kind, document = with_sample(application, "stub.pdf", stub_paper(3, random.Random(2)).pdf)
    earnings = {
        "name": "Pay lines",
        "kind": "table",
        "columns": [
            {"name": "What", "printed_names": ["Earnings"]},
            {"name": "Sum", "data_type": "money", "printed_names": ["This period"]},
        ],
    }
    application.change("POST", f"/types/{kind}/fields", json=earnings)
    page.goto(f"/label/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()
    note = page.locator('.note[data-field="pay_lines"]')
    expect(note).to_contain_text("read by table")
    page.keyboard.press("e")
    cells = page.locator(".grid-editor input")
    expect(cells.first).to_be_focused()
    rows = cells.count() // 2
    page.keyboard.press("ArrowDown")
    page.locator(".grid-editor").get_by_role("button", name="Add a row").click()
    page.keyboard.type("Night work")
    page.keyboard.press("Tab")
    page.keyboard.type("12,50")
    page.keyboard.press("Control+Enter")
    expect(page.locator("[data-status]")).to_contain_text("Saved")
    expect(note).to_contain_text(f"{rows + 1} rows")
    desk = application.call("GET", f"/documents/{document}/label-desk")
    assert [cell["text"] for cell in desk["fields"][0]["rows"][-1]] == ["Night work", "12,50"]
    assert desk["fields"][0]["rows"][0][0]["box"], "a cell that was agreed to keeps its place"


def test_a_check_that_fails_is_told_on_the_desk_and_an_advisory_one_let_stand(
    application: Application, page: Page
) -> None:
    kind = application.reading_type()
    check = {"expression": "amount > 1000000", "message": "Far too little", "severity": "advisory"}
    application.change("PUT", f"/types/{kind}/checks", json=check)
    application.policy(kind, 0.0)
    document = application.upload(kind, "live.pdf", slip_pdf(slips(1, start=70)[0]), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    page.goto(f"/review/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()
    note = page.locator('.note[data-field="amount"]')
    expect(note).to_contain_text("fails a check: Far too little (may be accepted as it is)")
    note.get_by_role("button", name="Accept as it is").click()
    page.wait_for_url(f"**/types/{kind}/review")
    (stood,) = application.call("GET", f"/documents/{document}/review-desk?look=true")["checks"]
    assert stood["let_stand_by"]


def test_all_advisory_checks_are_let_stand_with_one_reason(application: Application, page: Page) -> None:
    kind = application.reading_type()
    for expression in ("amount > 1000000", 'member = "nobody"'):
        check = {"expression": expression, "message": "Odd", "severity": "advisory"}
        application.change("PUT", f"/types/{kind}/checks", json=check)
    application.policy(kind, 0.0)
    document = application.upload(kind, "live.pdf", slip_pdf(slips(1, start=73)[0]), "live")
    application.wait(f"/documents/{document}", lambda view: view["state"] == "held")
    page.goto(f"/review/{document}")
    page.locator("#desk[data-ready=yes]").wait_for()
    page.get_by_role("button", name="Let all 2 stand so").click()
    page.get_by_role("textbox").last.fill("an old form")
    page.get_by_role("button", name="Let them stand").click()
    page.wait_for_url(f"**/types/{kind}/review")
    checks = application.call("GET", f"/documents/{document}/review-desk?look=true")["checks"]
    assert {check["reason"] for check in checks} == {"an old form"}


def test_a_half_typed_field_is_there_after_a_reload_and_after_going_back(application: Application, page: Page) -> None:
    kind, _ = with_sample(application, "slip.pdf", slip_pdf(slips(1)[0]))
    open_plan(page, kind)
    page.get_by_label("Name", exact=True).fill("Berth fee")
    page.get_by_label("Data type", exact=True).select_option("money")
    page.get_by_label("Printed names, one per line").fill("Total\nTo pay")
    page.reload()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Berth fee")
    page.locator("[data-step-link=gather]").click()
    page.wait_for_url(f"**/types/{kind}/gather")
    page.go_back()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Berth fee")
    expect(page.get_by_label("Data type", exact=True)).to_have_value("money")
    expect(page.get_by_label("Printed names, one per line")).to_have_value("Total\nTo pay")
    page.get_by_role("button", name="Add field").click()
    saved(page, 1)
    page.reload()
    expect(page.get_by_label("Name", exact=True)).to_have_value("")


def test_a_proposal_that_was_dropped_is_seen_and_taken_back(application: Application, page: Page) -> None:
    kind, _ = with_sample(application, "tax.pdf", tax_assessment(0, random.Random(5)).pdf)
    open_plan(page, kind)
    page.get_by_role("tab", name="Proposals").click()
    rows = page.locator(".plan-proposals tbody tr")
    first = rows.first.locator("b")
    expect(first).to_be_visible()
    name = first.inner_text()
    page.keyboard.press("x")
    expect(page.get_by_text("1 proposal was dropped")).to_be_visible()
    page.reload()
    page.get_by_role("tab", name="Proposals").click()
    expect(rows.first).to_be_visible()
    expect(rows.locator("b", has_text=name)).to_have_count(0)
    page.get_by_text("1 proposal was dropped").click()
    page.get_by_role("button", name=f"Take back {name}").click()
    expect(rows.locator("b").get_by_text(name, exact=True)).to_have_count(1)
    expect(page.get_by_text("proposal was dropped")).to_have_count(0)


def test_functions_stand_beside_the_check_with_an_example_that_goes_into_it(
    application: Application, page: Page
) -> None:
    kind = application.new_type()
    open_plan(page, kind)
    page.get_by_role("tab", name="Checks").click()
    box = page.get_by_label("What must be true")
    page.get_by_text("Functions, each with an example").click()
    page.get_by_role("button", name="present(bonus)").click()
    expect(box).to_have_value("present(bonus)")
    page.get_by_role("button", name="count(goods.sum) >= 1").click()
    expect(box).to_have_value("present(bonus) and count(goods.sum) >= 1")
    expect(page.get_by_role("alert").filter(has_text="bonus")).to_be_visible()
    box.focus()
    page.keyboard.press("Escape")
    expect(box).not_to_be_focused()
    expect(box).to_have_value("present(bonus) and count(goods.sum) >= 1")
