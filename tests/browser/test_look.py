"""The layout: notes and leaders, the beam, the palette, the guide, and what is typed."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.papers import slip_pdf, slips

from jugum.core.thresholds.beam import tilt


@pytest.fixture(scope="module")
def filled(application: Application) -> dict[str, int]:
    """A type with work on every step: a sample to label, one paper held, one done."""
    kind = application.labelled_type()
    sample = application.upload(kind, "sample.pdf", slip_pdf(slips(1, start=101)[0], 0))
    application.policy(kind, 0.3)
    done = application.upload(kind, "done.pdf", slip_pdf(slips(1, start=102)[0], 1), "live")
    application.wait(f"/documents/{done}", lambda view: view["state"] == "passed")
    application.policy(kind, 1.0)
    held = application.upload(kind, f"held-{kind}.pdf", slip_pdf(slips(1, start=103)[0], 2), "live")
    application.wait(f"/documents/{held}", lambda view: view["state"] == "held")
    return {"kind": kind, "sample": sample, "held": held, "done": done}


def test_leaders_run_in_the_white_under_the_line(page: Page, filled: dict[str, int]) -> None:
    page.goto(f"/look/{filled['done']}")
    page.locator("#desk[data-ready=yes]").wait_for()
    crossed = page.evaluate(
        """() => {
            const words = [...document.querySelectorAll("rect.word")].map((one) => one.getBoundingClientRect());
            const frame = document.querySelector(".leaders").getBoundingClientRect();
            let crossings = 0;
            for (const path of document.querySelectorAll(".leaders path")) {
              const [, y] = path.getAttribute("d").match(/L[\\d.]+ ([\\d.]+)H/).map(Number);
              const box = path.getBoundingClientRect();
              crossings += words.filter((word) => word.left < box.right && word.right > box.left + 40
                && y + frame.top > word.top + 3 && y + frame.top < word.bottom - 3).length;
            }
            return [document.querySelectorAll(".leaders path").length, crossings];
        }"""
    )
    assert crossed == [3, 0]


def test_the_beam_tilts_alike_in_browser_and_server(page: Page) -> None:
    page.goto("/")
    for confidence, threshold in ((0.97, 0.9), (0.5, 0.9), (0.9, 0.9), (0.999, 0.01)):
        there = page.evaluate(
            "async ([c, t]) => (await import('/static/js/frame/beam.js')).tilt(c, t)", [confidence, threshold]
        )
        assert there == pytest.approx(tilt(confidence, threshold), abs=1e-9)


def test_the_palette_goes_to_papers_and_steps(page: Page, filled: dict[str, int]) -> None:
    page.goto(f"/types/{filled['kind']}/gather")
    page.keyboard.press("Control+k")
    page.keyboard.type("weigh")
    page.keyboard.press("Enter")
    page.wait_for_url("**/weigh")
    page.keyboard.press("Control+k")
    page.keyboard.type(f"held-{filled['kind']}.pdf")
    expect(page.locator("#palette li", has_text=f"held-{filled['kind']}.pdf")).to_be_visible()
    page.keyboard.press("Enter")
    page.wait_for_url(f"**/{filled['held']}")


def test_keys_don_t_fire_while_typing_and_help_shows_them(page: Page, filled: dict[str, int]) -> None:
    page.goto(f"/types/{filled['kind']}/plan")
    page.get_by_label("Name", exact=True).fill("")
    page.keyboard.type("g d?")
    assert page.url.endswith("/plan")
    assert page.get_by_label("Name", exact=True).input_value() == "g d?"
    page.get_by_role("heading", level=1).click()
    page.keyboard.press("?")
    expect(page.locator("#keys")).to_contain_text("Keys of this view")


def test_the_guide_opens_where_the_page_is_and_is_searched(
    application: Application, page: Page, filled: dict[str, int]
) -> None:
    page.goto(f"/types/{filled['kind']}/weigh")
    page.keyboard.press("?")
    page.get_by_role("link", name="What the guide says about Weigh").click()
    page.wait_for_url("**/guide#weigh")
    expect(page.locator("section#weigh h2")).to_be_in_viewport()
    page.keyboard.press("/")
    page.keyboard.type("light table")
    expect(page.locator("section#gather")).to_be_visible()
    expect(page.locator("section#weigh")).to_be_hidden()
    expect(page.locator("[data-hits]")).to_have_text(re.compile(r"^\d+ sections? ha(s|ve) it$"))


def test_the_first_tab_leads_past_the_frame(application: Application, page: Page) -> None:
    page.goto("/")
    page.keyboard.press("Tab")
    expect(page.get_by_role("link", name="Skip to the content")).to_be_focused()
    page.keyboard.press("Enter")
    expect(page.locator("main")).to_be_focused()


def test_a_form_that_was_not_sent_is_there_again_but_never_its_password(application: Application, page: Page) -> None:
    page.goto("/people")
    page.get_by_label("Name", exact=True).fill("Bodil Birkedal")
    page.get_by_label("Login").fill("bodil")
    page.locator("#p-password").fill("a secret of hers")
    page.reload()
    expect(page.get_by_label("Name", exact=True)).to_have_value("Bodil Birkedal")
    expect(page.locator("#p-password")).to_have_value("")
    page.get_by_label("Login").fill("admin")
    page.locator("#p-password").fill("long enough to pass")
    page.get_by_role("button", name="Add person").click()
    expect(page.locator("[data-error-page]")).to_contain_text("Somebody has the login")
    # It was refused: what was typed is not lost.
    page.goto("/people")
    expect(page.get_by_label("Login")).to_have_value("admin")
    page.get_by_label("Login").fill("bodil")
    page.locator("#p-password").fill("long enough to pass")
    page.get_by_role("button", name="Add person").click()
    expect(page.locator("td", has_text="Bodil Birkedal").first).to_be_visible()
    expect(page.get_by_label("Login")).to_have_value("")
