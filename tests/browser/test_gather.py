"""Gather in the browser: dragging in, progress, passwords, the light table, the page explorer, regions, sources and
batches."""

from __future__ import annotations

import base64
import re
from pathlib import Path

from playwright.sync_api import Page, Route, expect
from tests import papers
from tests.browser.conftest import Application
from tests.papers import many_pages, slip_pdf, slips, words_pdf

DROP = """([name, data]) => {
  const bytes = Uint8Array.from(atob(data), (letter) => letter.charCodeAt(0));
  const carried = new DataTransfer();
  carried.items.add(new File([bytes], name, { type: "application/pdf" }));
  const target = document.querySelector("main");
  for (const kind of ["dragover", "drop"]) target.dispatchEvent(
        new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: carried }));
}"""


ASKED_ON_LEAVING = "() => !window.dispatchEvent(new Event('beforeunload', {cancelable: true}))"


def read_paper(application: Application, kind: int, name: str, data: bytes) -> int:
    document = application.upload(kind, name, data)
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to label")
    return document


def bring_bundle(application: Application, kind: int, data: bytes) -> int:
    sent = {"purpose": "sample", "type_id": kind, "cut": "learned", "engine": "quick"}
    document: int = application.call("POST", "/documents", files={"file": ("post.pdf", data)}, data=sent)["document_id"]
    application.wait(f"/documents/{document}", lambda view: view["state"] == "to cut")
    return document


def test_a_dropped_file_is_read_in_a_batch_and_its_pages_are_counted(application: Application, page: Page) -> None:
    kind = application.new_type()
    page.goto(f"/types/{kind}/gather")
    page.get_by_label("They are").select_option("sample")
    page.locator("#engine").select_option("quick")
    page.get_by_label("in batch").fill("Monday's post")
    page.get_by_label("with the note").fill("from the side door")
    page.evaluate(DROP, ["long.pdf", base64.b64encode(papers.many_pages(6, scans=True)).decode()])
    row = page.locator("#papers tr", has_text="long.pdf")
    expect(row).to_contain_text("to label")
    expect(row.locator("td.num").first).to_have_text("6")
    expect(row.get_by_role("link", name="Monday's post")).to_be_visible()
    expect(page.locator(".ways")).to_contain_text("batch “Monday's post”: 6 of 6 pages read")
    assert (
        application.call("GET", f"/workspaces/{application.workspace_of(kind)['id']}/batches")[0]["note"]
        == "from the side door"
    )


def test_a_password_is_asked_for_and_opens_the_paper(application: Application, page: Page) -> None:
    kind = application.new_type()
    document = application.upload(kind, "locked.pdf", papers.locked_pdf())
    application.wait(f"/documents/{document}", lambda view: view["locked"])
    page.goto(f"/types/{kind}/gather")
    dialog = page.locator("#ask")
    page.get_by_role("button", name="Give password").click()
    expect(dialog.locator("input")).to_have_attribute("type", "password")
    dialog.locator("input").fill("wrong")
    dialog.locator("input").press("Enter")
    expect(dialog).to_contain_text("does not open")
    dialog.get_by_role("button", name="All right").click()
    page.get_by_role("button", name="Give password").click()
    dialog.locator("input").fill("u")
    dialog.locator("input").press("Enter")
    expect(page.locator("#papers tr", has_text="locked.pdf")).to_contain_text("to label")


def test_an_unplaced_paper_is_placed_with_a_number_key(application: Application, page: Page) -> None:
    kind = application.new_type()
    workspace = application.workspace_of(kind)["id"]
    data = words_pdf("Barley soup for winter evenings", "Two onions and a litre of stock")
    sent = {"purpose": "sample", "workspace_id": workspace}
    document = application.call("POST", "/documents", files={"file": ("soup.pdf", data)}, data=sent)["document_id"]
    application.wait(f"/documents/{document}", lambda view: view["state"] == "unplaced")
    page.goto(f"/types/{kind}/gather")
    expect(page.locator("#unplaced")).to_contain_text("soup.pdf")
    page.keyboard.press("1")
    expect(page.locator("#papers tr", has_text="soup.pdf")).to_contain_text("to label")
    assert application.call("GET", f"/documents/{document}")["type_id"] == kind


def test_a_bundle_is_cut_on_the_light_table_by_mouse(application: Application, page: Page) -> None:
    kind = application.new_type()
    one, two = slips(2, start=300)
    document = bring_bundle(application, kind, papers.joined(slip_pdf(one), slip_pdf(two, 1), slip_pdf(two, 2)))
    page.goto(f"/types/{kind}/gather")
    page.get_by_role("link", name="Check the cuts").click()
    expect(page.locator("[data-state]").first).to_have_text("1 paper of 3 pages")
    page.get_by_role("button", name="Cut before page 2").click()
    expect(page.locator("[data-make]")).to_have_text("Make 2 papers")
    page.get_by_role("button", name="Cut before page 3").click()
    expect(page.locator("[data-make]")).to_have_text("Make 3 papers")
    page.locator("[data-undo]").click()
    expect(page.locator("[data-make]")).to_have_text("Make 2 papers")
    page.locator('.tile[data-number="3"]').drag_to(page.locator('.tile[data-number="1"]'))
    expect(page.locator(".piece").first.locator(".number")).to_have_text(["3", "1"])
    expect(page.locator("[data-unsaved='0']")).to_be_attached()
    assert page.evaluate(ASKED_ON_LEAVING) is False
    page.reload()
    expect(page.locator(".piece").first.locator(".number")).to_have_text(["3", "1"])  # kept as it was left
    page.locator("[data-make]").click()
    page.wait_for_url("**/gather")
    expect(page.locator("#papers tr", has_text="post p. 3, 1.pdf")).to_contain_text("to label")
    page.goto(f"/documents/{document}/table")
    page.get_by_role("button", name="Join again").first.click()
    page.locator("#ask").get_by_role("button", name="Join again").click()
    expect(page.locator("[data-make]")).to_have_text("Make 2 papers")


def test_a_bundle_is_cut_on_the_light_table_by_keyboard(application: Application, page: Page) -> None:
    kind = application.new_type()
    one, two = slips(2, start=310)
    document = bring_bundle(application, kind, papers.joined(slip_pdf(one), slip_pdf(two, 1), None))
    page.goto(f"/documents/{document}/table")
    state = page.locator("[data-state]").first
    expect(state).to_have_text("1 paper of 3 pages")
    for key in ("ArrowRight", "c", "ArrowRight", "x"):
        page.keyboard.press(key)
    expect(state).to_have_text("2 papers of 3 pages, 1 set aside")
    held: list[Route] = []
    page.route("**/cut", lambda route: held.append(route))  # a slow office
    page.keyboard.press("u")
    expect(state).to_have_text("2 papers of 3 pages")
    assert page.evaluate(ASKED_ON_LEAVING) is True
    for route in held:
        route.continue_()
    page.unroute("**/cut")
    page.keyboard.press("Shift+U")
    expect(state).to_have_text("2 papers of 3 pages, 1 set aside")
    page.keyboard.press("ArrowLeft")
    page.keyboard.press("r")
    application.wait(
        f"/documents/{document}/pages/2/layers", lambda layers: layers["rotation"] == 90 and layers["read"]
    )
    page.keyboard.press("Control+Enter")
    page.wait_for_url("**/gather")
    children = application.call("GET", f"/documents/{document}/cut")["papers"]
    assert len(children) == 2
    assert application.call("GET", f"/documents/{children[1]}/pages/1/layers")["rotation"] == 90


def test_layers_of_a_page_are_seen_over_it_and_as_text_both_ways(application: Application, page: Page) -> None:
    document = read_paper(application, application.new_type(), "slip.pdf", slip_pdf(slips(1, start=320)[0]))
    page.goto(f"/documents/{document}/explore")
    found = page.locator(".found-thing")
    expect(found.first).to_contain_text("Harbour")
    page.keyboard.press("4")
    expect(page.get_by_role("tab", name="Pairs")).to_have_attribute("aria-selected", "true")
    total = found.filter(has_text="Total")
    total.hover()
    expect(page.locator(".thing.at")).to_have_count(1)
    at = page.locator(".thing.at").get_attribute("data-at")
    assert at == total.get_attribute("data-at")
    other = "0" if at != "0" else "1"
    page.locator(f'.thing[data-at="{other}"] rect').first.hover(force=True)
    expect(page.locator(".found-thing.at")).to_have_attribute("data-at", other)
    page.keyboard.press("j")
    expect(page.locator(".found-thing.at")).to_have_count(1)


def test_zoom_to_eight_hundred_percent_is_drawn_sharp_and_light_can_be_changed(
    application: Application, page: Page
) -> None:
    document = read_paper(application, application.new_type(), "slip.pdf", slip_pdf(slips(1, start=330)[0]))
    page.goto(f"/documents/{document}/explore")
    expect(page.locator(".found-thing").first).to_be_visible()
    page.get_by_text("View", exact=True).click()
    page.locator("[data-zoom]").fill("800")
    expect(page.locator("[data-zoom-said]")).to_have_text("800 %")
    sharp = page.locator("[data-sharp]")
    expect(sharp).to_be_visible()
    expect(sharp).to_have_attribute("src", re.compile(r"region\.jpg.*dpi=600"))
    page.locator("[data-contrast]").fill("200")
    page.locator("[data-grey]").check()
    assert "contrast(2)" in (page.locator("[data-picture]").evaluate("(image) => image.style.filter"))
    assert "grayscale(1)" in (page.locator("[data-picture]").evaluate("(image) => image.style.filter"))
    page.get_by_role("button", name="Reset").click()
    expect(page.locator("[data-zoom-said]")).to_have_text("100 %")


def test_a_region_is_swept_read_again_and_taken(application: Application, page: Page) -> None:
    slip = slips(1, start=340)[0]
    document = read_paper(application, application.new_type(), "slip.pdf", slip_pdf(slip))
    page.goto(f"/documents/{document}/explore")
    expect(page.locator(".found-thing").first).to_be_visible()
    page.keyboard.press("a")
    page.get_by_label("Engine").select_option("quick")
    words = [
        word
        for word in application.call("GET", f"/documents/{document}/pages/1/layers")["words"]
        if word[0] in slip.member.split()
    ]
    box = page.locator("[data-overlay]").bounding_box()
    assert box is not None
    x0, y0 = min(word[1] for word in words) - 0.01, min(word[2] for word in words) - 0.01
    x1, y1 = max(word[3] for word in words) + 0.02, max(word[4] for word in words) + 0.01
    page.mouse.move(box["x"] + x0 * box["width"], box["y"] + y0 * box["height"])
    page.mouse.down()
    page.mouse.move(box["x"] + x1 * box["width"], box["y"] + y1 * box["height"], steps=4)
    page.mouse.up()
    expect(page.locator("[data-region-said]")).to_contain_text(slip.member)
    page.get_by_role("button", name="Take these words").click()
    expect(page.locator("[data-region-bar]")).to_be_hidden()
    after = application.call("GET", f"/documents/{document}/pages/1/layers")["words"]
    assert [word[0] for word in after if word[0] in slip.member.split() and word[5] < 1] == slip.member.split()


def test_a_page_is_shown_before_its_layers_and_a_late_answer_is_let_go(application: Application, page: Page) -> None:
    document = read_paper(application, application.new_type(), "three.pdf", many_pages(3))
    page.goto(f"/documents/{document}/explore")
    about, picture = page.locator("[data-about]"), page.locator("[data-picture]")
    expect(about).to_contain_text("3 words")
    late = []
    page.route("**/pages/2/layers", lambda route: late.append(route))  # kept waiting
    page.keyboard.press("]")
    expect(about).to_have_text("looking at page 2 of 3 …")
    expect(picture).to_have_attribute("src", re.compile("/pages/2[.]jpg"))
    page.keyboard.press("]")
    expect(about).to_contain_text("3 words")
    with page.expect_response("**/pages/2/layers"):
        late[0].continue_()
    expect(picture).to_have_attribute("alt", "page 3")
    expect(page.locator(".found-thing", has_text="3")).to_have_count(1)


def test_a_page_is_turned_by_hand_and_papers_are_taken_away(application: Application, page: Page) -> None:
    document = read_paper(application, application.new_type(), "slip.pdf", slip_pdf(slips(1, start=350)[0]))
    page.goto(f"/documents/{document}/explore")
    expect(page.locator("[data-about]")).to_contain_text("text layer")
    page.keyboard.press("r")
    expect(page.locator("[data-about]")).to_contain_text("turned 90°")
    page.get_by_text("Export").click()
    with page.expect_download() as kept:
        page.get_by_role("link", name="Searchable PDF").click()
    assert kept.value.suggested_filename == "slip.searchable.pdf"
    assert Path(kept.value.path()).read_bytes()[:5] == b"%PDF-"


def test_sources_are_added_switched_off_and_batches_paused_and_removed(application: Application, page: Page) -> None:
    kind = application.new_type()
    workspace = application.workspace_of(kind)["id"]
    batch = application.call("POST", f"/workspaces/{workspace}/batches", json={"name": "Old letters"})["id"]
    sent = {"purpose": "sample", "batch_id": batch}
    application.call(
        "POST", f"/types/{kind}/documents", files={"file": ("a.pdf", slip_pdf(slips(1, start=360)[0]))}, data=sent
    )
    page.goto(f"/types/{kind}/sources")
    page.get_by_label("Name", exact=True).fill("Front desk")
    page.get_by_role("button", name="Add source").click()
    row = page.locator("#sources tr", has_text="Front desk")
    expect(row).to_contain_text("/front-desk/in")
    row.get_by_role("button", name="Switch off").click()
    expect(row).to_contain_text("Switch on")
    page.wait_for_load_state()  # the page was fetched anew: its buttons listen from then on
    letters = page.locator("#batches tr", has_text="Old letters")
    letters.get_by_role("button", name="Pause").click()
    expect(letters).to_contain_text("paused")
    page.wait_for_load_state()
    letters.get_by_role("button", name="Resume").click()
    expect(letters.get_by_role("button", name="Pause")).to_be_visible()
    page.wait_for_load_state()
    letters.get_by_role("button", name="Delete").click()
    page.locator("#ask").get_by_role("button", name="Delete").click()
    expect(page.locator("#ask")).to_contain_text("1 paper deleted, 0 kept")
    page.locator("#ask").get_by_role("button", name="All right").click()
    expect(letters).to_have_count(0)


def test_how_files_come_in_stays_until_it_is_changed_and_is_said(application: Application, page: Page) -> None:
    kind = application.new_type()
    page.goto(f"/types/{kind}/gather")
    page.get_by_label("They are").select_option("live")
    page.locator("#kind").select_option("any")
    page.locator("#cut").select_option("learned")
    page.get_by_label("in batch").fill("Monday post")
    said = "as live papers, type found automatically, bundle: cut where papers begin, in batch “Monday post”"
    expect(page.locator("[data-said]")).to_have_text(said)
    batches = f"/workspaces/{application.workspace_of(kind)['id']}/batches"
    for number, name in enumerate(("first.pdf", "second.pdf"), start=1):
        page.evaluate(DROP, [name, base64.b64encode(papers.slip_pdf(papers.slips(1, start=len(name))[0])).decode()])
        # Both came in, and into one batch.
        application.wait(
            batches,
            lambda made, number=number: [(one["name"], one["papers"]) for one in made] == [("Monday post", number)],
        )
        expect(page.locator("#uploads")).to_be_hidden()
        expect(page.locator("[data-said]")).to_have_text(said)
        expect(page.get_by_label("They are")).to_have_value("live")
        expect(page.get_by_label("in batch")).to_have_value("Monday post")


def test_the_list_is_filtered_and_sorted_and_the_address_keeps_it(application: Application, page: Page) -> None:
    kind = application.new_type()
    for name, purpose in (("beta.pdf", "sample"), ("alpha.pdf", "live"), ("alpine.pdf", "sample")):
        document = application.upload(kind, name, papers.slip_pdf(papers.slips(1, start=len(name))[0]), purpose)
        application.wait(f"/documents/{document}", lambda view: view["state"] in ("to label", "placed"))
    page.goto(f"/types/{kind}/gather")
    names = page.locator("#papers tbody td.name > a[title], #papers tbody td.name > span")
    page.locator("th.sorted a", has_text="Paper").click()
    expect(names).to_have_text(["alpha.pdf", "alpine.pdf", "beta.pdf"])
    page.locator("th.sorted a", has_text="Paper").click()
    expect(names).to_have_text(["beta.pdf", "alpine.pdf", "alpha.pdf"])
    page.get_by_label("State", exact=True).select_option("to label")
    expect(names).to_have_text(["beta.pdf", "alpine.pdf"])
    page.get_by_label("Name contains").fill("alp")
    page.keyboard.press("Enter")
    expect(names).to_have_text(["alpine.pdf"])
    expect(page.locator("[data-total]")).to_have_text("1 paper")
    page.reload()
    expect(names).to_have_text(["alpine.pdf"])
    expect(page.get_by_label("State", exact=True)).to_have_value("to label")
    page.get_by_role("link", name="Show all").click()
    expect(names).to_have_count(3)
