"""People, keys and one's own account, through the pages."""

from __future__ import annotations

import httpx2
from playwright.sync_api import Browser, Page, expect
from tests.browser.conftest import Application, sign_in

WORDS = "four kettles under snow"


def test_somebody_is_added_let_in_makes_a_key_and_changes_their_password(
    page: Page, browser: Browser, application: Application
) -> None:
    kind = application.new_type()
    workspace = application.workspace_of(kind)
    page.goto("/people")
    login = f"new{kind}"
    page.get_by_label("Name", exact=True).fill("Bodil Tern")
    page.get_by_label("Login").fill(login)
    page.get_by_label("First password").fill("password1234")
    page.get_by_role("button", name="Add person").click()
    expect(page.get_by_text("is easy to guess")).to_be_visible()
    page.goto("/people")
    page.get_by_label("Name", exact=True).fill(f"Bodil {kind}")
    page.get_by_label("Login").fill(login)
    page.get_by_label("First password").fill("nine lamps in a harbour")
    for box in page.locator("[name=workspace]").all():
        box.uncheck()
    page.get_by_role("button", name="Add person").click()
    row = page.get_by_role("row", name=login)
    expect(row).to_contain_text("in no workspace")
    members = page.get_by_label(f"Members of {workspace['name']}", exact=True)
    members.get_by_label("Let in, or change").select_option(label=f"Bodil {kind}")
    members.get_by_label("As", exact=True).select_option("reviewer")
    members.get_by_role("button", name="Save").click()
    expect(page.get_by_role("row", name=login)).to_contain_text(f"reviewer in {workspace['name']}")

    theirs = browser.new_context(base_url=application.url).new_page()
    sign_in(theirs, "nine lamps in a harbour", login)
    theirs.goto("/keys")
    theirs.get_by_label("What will use it").fill("counting")
    theirs.get_by_label("review", exact=True).uncheck()
    theirs.get_by_role("button", name="Create key").click()
    key = theirs.locator(".key-once").inner_text()
    with httpx2.Client(base_url=application.url, headers={"Authorization": f"Bearer {key}"}) as program:
        listed = program.get("/api/v1/workspaces").json()
        assert [its["name"] for its in listed] == [workspace["name"]]
    theirs.goto("/account")
    theirs.get_by_label("Current password").fill("nine lamps in a harbour")
    theirs.get_by_label("New password").fill(WORDS)
    theirs.get_by_role("button", name="Change password").click()
    expect(theirs.get_by_text("Your password is changed.")).to_be_visible()
    theirs.context.close()

    page.get_by_label(f"Members of {workspace['name']}", exact=True).get_by_role(
        "button", name=f"Take out Bodil {kind}"
    ).click()
    expect(page.get_by_role("row", name=login)).to_contain_text("in no workspace")
    with httpx2.Client(base_url=application.url, headers={"Authorization": f"Bearer {key}"}) as program:
        assert program.get("/api/v1/workspaces").status_code == 401
