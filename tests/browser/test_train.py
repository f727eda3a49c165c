"""Train in the browser: a second version, set against the first; where labels are short; an error's way to its
place."""

from __future__ import annotations

from pathlib import Path

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.browser.test_steps import open_desk
from tests.papers import slip_pdf, slips


def test_a_second_version_is_trained_and_set_against_the_first(application: Application, page: Page) -> None:
    kind = application.labelled_type(8)
    page.goto(f"/types/{kind}/train")
    expect(page.locator(".coverage tbody tr")).to_have_count(3)
    expect(page.locator(".coverage tr", has_text="Amount")).to_contain_text("4")
    page.get_by_role("button", name="Train from 8 papers").click()
    expect(page.locator("summary", has_text="Publish live")).to_be_visible(timeout=60_000)
    page.get_by_role("link", name="Version 2").click()
    told = "On the 24 values that both were tested on, version 2 has"
    expect(page.locator("[data-compared]")).to_contain_text(told)
    expect(page.locator("[data-compared]")).to_contain_text("The difference may be chance")
    expect(page.locator("table").first).to_contain_text("of 24 values")
    figures = page.locator("details.more-figures")
    expect(figures.get_by_text("Recall", exact=True)).to_be_hidden()
    figures.locator("summary").click()
    expect(figures.get_by_text("Recall", exact=True)).to_be_visible()
    page.get_by_role("link", name="All versions").click()
    expect(page.locator("[data-compared]")).to_contain_text(told)


def test_an_error_of_the_report_leads_to_its_field_on_the_desk(application: Application, page: Page) -> None:
    kind = application.labelled_type(8, amount_of_first="999 999,00")
    version = application.call("GET", f"/types/{kind}/versions")[0]
    page.goto(f"/types/{kind}/train/{version['id']}")
    row = page.locator("table.errors tbody tr", has_text="999999.00").first
    expect(row).to_contain_text("Amount")
    expect(row.locator("img.crop")).to_have_js_property("complete", True)
    assert row.locator("img.crop").evaluate("image => image.naturalWidth") > 50  # the place is shown as it is printed
    row.get_by_role("link").last.click()
    open_desk(page)
    expect(page.locator(".note.active .name, .chip.active").first).to_contain_text("Amount")


def test_the_report_shows_confidence_and_curve_and_its_tables_download(application: Application, page: Page) -> None:
    kind = application.labelled_type(8)
    version = application.call("GET", f"/types/{kind}/versions")[0]["id"]
    application.wait(f"/versions/{version}", lambda view: "curve" in view["report"] and view["report"]["curve"])
    application.wait(f"/types/{kind}/sorting", lambda view: view["confusion"])
    page.goto(f"/types/{kind}/train/{version}")
    expect(page.get_by_role("img", name="decisions stated at")).to_be_visible()
    expect(page.get_by_role("img", name="papers")).to_be_visible()
    expect(page.locator("caption", has_text="All fields together")).to_be_visible()
    with page.expect_download() as download:
        page.locator("caption", has_text="By field").get_by_role("link", name="as CSV").click()
    assert download.value.suggested_filename == "version-1-fields.csv"
    told = page.locator(".sheet", has=page.get_by_role("heading", name="Automatic classification and bundles"))
    expect(told.locator("tbody tr").first).to_be_visible()
    with page.expect_download() as download:
        told.get_by_role("link", name="as CSV").first.click()
    assert download.value.suggested_filename == "version-1-types.csv"
    with page.expect_download() as download:
        page.get_by_role("link", name="Report as one file").click()
    assert "Slip" in Path(download.value.path()).read_text()


def test_a_version_is_published_with_a_note_and_taken_back(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.bring_version(kind)
    application.policy(kind, 0.5)
    page.goto(f"/types/{kind}/train")
    expect(page.locator("[data-other-version]")).to_have_count(0)
    row = page.locator('.version-row:has(b:text-is("Version 2"))')
    row.locator("summary").click()
    promised = "Policy 1 promises at most 2 % wrong. On 18 values of 6 papers that both were tested on: Version 1: "
    expect(page.locator("[data-promised]")).to_contain_text(promised)
    row.get_by_label("Note (optional)").fill("two more layouts")
    inside, table = row.get_by_role("button", name="Make version 2 live").bounding_box(), row.bounding_box()
    assert inside is not None
    assert table is not None
    assert inside["x"] + inside["width"] <= table["x"] + table["width"]
    row.get_by_role("button", name="Make version 2 live").click()
    expect(page.get_by_role("heading", name="Version 2 is live")).to_be_visible()
    expect(row).to_contain_text("two more layouts")
    told = "Policy 1 is in force, but it was weighed on another version than version 2"
    expect(page.locator("[data-other-version]")).to_contain_text(told)
    row.locator("summary", has_text="Go back").click()
    row.get_by_role("button", name="Version 1 live again").click()
    expect(page.get_by_role("heading", name="Version 1 is live")).to_be_visible()
    expect(page.locator('.version-row:has(b:text-is("Version 1"))')).to_contain_text("Went back from version 2")
    expect(page.locator("[data-other-version]")).to_have_count(0)


def test_a_training_that_waits_is_watched_and_cancelled(application: Application, page: Page) -> None:
    kind = application.labelled_samples(4)
    with application.workers_paused():
        application.call("POST", f"/types/{kind}/versions")
        page.goto(f"/types/{kind}/train")
        expect(page.get_by_role("heading", name="Version 1 is in training")).to_be_visible()
        expect(page.locator("progress.wide")).to_be_visible()
        page.get_by_role("button", name="Cancel the training").click()
    expect(page.locator(".version-row", has_text="Version 1")).to_contain_text("Cancelled by")


def test_what_another_version_would_change_is_shown_paper_by_paper(application: Application, page: Page) -> None:
    kind = application.reading_type()
    paper = application.upload(kind, "live.pdf", slip_pdf(slips(1, start=30)[0], 0), purpose="live")
    application.wait(f"/documents/{paper}", lambda view: view["state"] == "held")
    version = application.call("GET", f"/types/{kind}/versions")[0]["id"]
    page.goto(f"/types/{kind}/train/{version}")
    page.get_by_role("link", name="What it would change").click()
    expect(page.get_by_role("heading", name="Version 1 reads 0 of 3 values differently")).to_be_visible()
    expect(page.get_by_role("button", name="Read the changed papers again")).to_be_disabled()


def test_a_version_goes_out_as_a_file_and_comes_in_again(application: Application, page: Page, tmp_path: Path) -> None:
    kind = application.reading_type()
    version = application.call("GET", f"/types/{kind}/versions")[0]["id"]
    page.goto(f"/types/{kind}/train/{version}")
    with page.expect_download() as download:
        page.get_by_role("link", name="Version as one file").click()
    kept = tmp_path / download.value.suggested_filename
    download.value.save_as(kept)
    page.goto(f"/types/{kind}/train")
    page.get_by_label("Version file").set_input_files(kept)
    page.get_by_role("button", name="Import on trial").click()
    expect(page.locator(".version-row", has_text="Version 2")).to_contain_text("from the file")
    page.get_by_label("Version file").set_input_files(
        {"name": "x.jugum-version", "mimeType": "application/zip", "buffer": b"rubbish"}
    )
    page.get_by_role("button", name="Import on trial").click()
    expect(page.get_by_text("no version file of Jugum")).to_be_visible()


def test_training_by_itself_is_set_and_names_that_mean_the_same_are_kept(application: Application, page: Page) -> None:
    kind = application.labelled_samples(6)
    page.goto(f"/types/{kind}/train")
    page.get_by_label("after").fill("25")
    page.get_by_role("button", name="Save").click()
    expect(page.get_by_label("after")).to_have_value("25")
    page.get_by_role("link", name="Synonyms and phrases").click()
    page.get_by_label("One group per line").fill("amount = hull dues")
    page.get_by_role("button", name="Save the groups").click()
    expect(page.get_by_role("heading", name="Your office has 1 group")).to_be_visible()
    expect(page.get_by_label("One group per line")).to_have_value("amount = hull dues")
    page.get_by_label("Phrases that show this type").fill("harbour slip\nmooring")
    page.get_by_role("button", name="Save the phrases").click()
    expect(page.get_by_label("Phrases that show this type")).to_have_value("harbour slip\nmooring")


def test_the_test_set_is_measured_apart(application: Application, page: Page) -> None:
    kind = application.labelled_samples(8)
    papers = [one["id"] for one in application.call("GET", f"/types/{kind}/documents?purpose=sample")]
    application.call("PUT", "/sets", json={"papers": papers[:2], "set": "test"})
    version = application.call("POST", f"/types/{kind}/versions")["id"]
    application.wait(f"/versions/{version}", lambda view: view["state"] == "on trial")
    page.goto(f"/types/{kind}/train")
    expect(page.locator(".version-row", has_text="Version 1")).to_contain_text("of 6")
    page.get_by_role("link", name="Version 1").click()
    expect(page.locator("caption", has_text="Test set:")).to_contain_text("2 papers that no training uses")
