"""Candidates on the reviewing desk: shown where they stand, what makes a check true, what waits without a place."""

from __future__ import annotations

import re
from typing import Any

from playwright.sync_api import Page, expect
from tests.browser.conftest import Application
from tests.browser.test_review import held_paper, open_review


def field_of(application: Application, document: int, key: str) -> dict[str, Any]:
    desk = application.call("GET", f"/documents/{document}/review-desk?look=true")
    return next(field for field in desk["fields"] if field["key"] == key)


def with_others(application: Application, kind: int, start: int) -> tuple[int, str]:
    """A held paper with another candidate for one of its fields, and that field's key."""
    for number in range(start, start + 6):
        document = held_paper(application, kind, number, f"slip-{number}.pdf")
        for key in ("member", "amount", "paid_on"):
            if any(other["box"] for other in field_of(application, document, key)["others"]):
                return document, key
    raise AssertionError("no paper has a second candidate")


def test_candidates_are_shown_where_they_stand(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    document, key = with_others(application, kind, 60)
    open_review(page, document)
    note = page.locator(f'.note[data-field="{key}"]')
    note.locator(".name").click()
    places = page.locator(".place.offer")
    expect(places.first).to_be_attached()
    expect(page.locator(".tag text").first).to_have_text("1")
    expect(page.locator(".place.pointed")).to_have_count(0)
    first = note.locator(".candidates button").first
    first.hover()
    expect(page.locator(".place.pointed")).to_have_count(1)
    page.mouse.move(640, 790)
    expect(page.locator(".place.pointed")).to_have_count(0)
    first.focus()
    expect(page.locator(".place.pointed")).to_have_count(1)


def test_a_candidate_that_makes_a_check_true_is_offered_beside_it(application: Application, page: Page) -> None:
    kind = application.reading_type()
    application.policy(kind, 1.0)
    document, key = with_others(application, kind, 70)
    other = field_of(application, document, key)["others"][0]
    said = f'"{other["normal"]}"' if key == "member" else other["normal"]
    expression = f"{key} = {said}" if key != "paid_on" else f'text({key}) = "{said}"'
    application.change(
        "PUT", f"/types/{kind}/checks", json={"expression": expression, "message": "It is the other one"}
    )
    open_review(page, document)
    note = page.locator(f'.note[data-field="{key}"]')
    note.locator(".name").click()
    expect(note.get_by_role("button", name=re.compile("the check holds"))).to_have_count(0)
    page.keyboard.press("Enter")  # a wrong answer: the check holds the field again
    expect(note).to_contain_text("It is the other one")
    note.locator(".name").click()
    offer = note.get_by_role("button", name=re.compile("the check holds"))
    expect(offer).to_contain_text(other["text"])
    offer.click()
    application.wait(
        f"/documents/{document}/review-desk?look=true",
        lambda desk: next(field for field in desk["fields"] if field["key"] == key)["hold"] is None,
    )
    assert field_of(application, document, key)["values"][0]["text"] == other["text"]
    expect(note.locator(".value")).to_have_text(other["text"])


def test_the_picture_above_a_value_shows_its_printed_name(application: Application, page: Page) -> None:
    """The loupe is drawn from further left than the value, and a line is under the value itself."""
    kind = application.reading_type()
    application.policy(kind, 1.0)
    document = held_paper(application, kind, 81)
    open_review(page, document)
    canvas = page.locator('.note[data-field="amount"] canvas')
    expect(canvas).to_be_visible()
    page.wait_for_function(
        """() => {
          const canvas = document.querySelector('.note[data-field="amount"] canvas');
          const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
          let marked = 0;
          for (let at = 0; at < data.length; at += 4)
            if (data[at] === 31 && data[at + 1] === 90 && data[at + 2] === 166) marked += 1;
          return marked > 40;
        }"""
    )
    ink = canvas.evaluate(
        """(canvas) => {
          const { data } = canvas.getContext("2d").getImageData(0, 0, canvas.width, canvas.height);
          const columns = { blue: [], dark: [] };
          for (let at = 0; at < data.length; at += 4) {
            const x = (at / 4) % canvas.width;
            if (data[at] === 31 && data[at + 1] === 90) columns.blue.push(x);
            else if (data[at] < 90 && data[at + 1] < 90 && data[at + 2] < 90) columns.dark.push(x);
          }
          return { value: Math.min(...columns.blue), ink: Math.min(...columns.dark) };
        }"""
    )
    assert ink["ink"] < ink["value"] - 20, "what is printed left of the value is in the picture"
