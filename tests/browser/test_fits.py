"""What is on the screen has room and can be used by all: on every view, in windows of 1024 to 1920 pixels and at 150 %,
with long names, long values, tables and many fields, in light and dark."""

from __future__ import annotations

import io
from pathlib import Path

import pytest
from playwright.sync_api import Page
from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas
from tests.browser.conftest import Application
from tests.papers import Slip, slips

VIEWS = (
    "/",
    "/types/{kind}/gather",
    "/types/{kind}/plan",
    "/types/{kind}/label",
    "/label/{sample}",
    "/types/{kind}/train",
    "/types/{kind}/train/{version}",
    "/types/{kind}/weigh",
    "/types/{kind}/weigh/checks",
    "/types/{kind}/weigh/life",
    "/types/{kind}/review",
    "/review/{held}",
    "/types/{kind}/deliver",
    "/look/{done}",
    "/keys",
    "/people",
    "/services",
    "/api",
    "/guide",
    "/types/{kind}/sources",
    "/documents/{sample}/explore",
    "/documents/{sample}/table",
    "/types/{kind}/label/layouts",
    "/types/{kind}/label/past-records",
    "/types/{kind}/label/double-labelling",
    "/types/{kind}/label/quality",
    "/types/{kind}/label/figures",
)

AXE = (Path(__file__).parents[2] / "node_modules/axe-core/axe.min.js").read_text()
MEASURE = (Path(__file__).parent / "measure.js").read_text()
SIZES = {"1280": (1280, 800), "1024": (1024, 768), "1920": (1920, 1080), "1280 at 150 %": (853, 533)}
LONG_NAME = "mooring-slip-of-the-inner-harbour-second-quarter-of-2026-corrected-for-the-second-time"
COLUMNS = ("Item", "Quantity", "Unit price", "Discount granted", "Payable with harbour dues")
GOODS = (
    ("rope of hemp, tarred, in coils", "12", "1 204,50", "–", "14 454,00"),
    ("fenders", "4", "310,00", "40,00", "1 200,00"),
    ("canvas for the winter berth", "1", "2 980,00", "–", "2 980,00"),
)
PARAGRAPH = (
    "The berth is let for the whole of the season and may be used by no other boat than the one that is named above.",
    "Whoever leaves before the season ends has no claim to a part of the dues, unless the harbour lets the berth to",
    "another boat; what it is paid for the rest of the season is then paid back without the costs of the change.",
)


def crowded_pdf(slip: Slip) -> bytes:
    """A slip with long values, a table of five columns, and a paragraph."""
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A4, invariant=True)
    canvas.setFont("Helvetica", 10)
    texts = [(50, 780, "Paid by"), (150, 780, slip.member), (50, 760, "Date"), (150, 760, slip.day)]
    texts += [
        (50, 740, "Total"),
        (150, 740, slip.amount),
        (320, 780, "Boat"),
        (380, 780, "Seal of the Northern Skerries"),
    ]
    texts += [(320, 760, "Home port"), (380, 760, "Nether Saltholm by the old ferry landing")]
    for column, head in enumerate(COLUMNS):
        texts.append((50 + 110 * column - (30 if column else 0), 690, head))
    for row, cells in enumerate(GOODS):
        texts += [(50 + 110 * n - (30 if n else 0), 668 - 20 * row, cell) for n, cell in enumerate(cells)]
    texts += [(50, 560, "Terms of the berth"), *((50, 544 - 14 * row, line) for row, line in enumerate(PARAGRAPH))]
    for x, y, text in texts:
        canvas.setFontSize(8 if y < 560 else 10)
        canvas.drawString(x, y, text)
    canvas.save()
    return buffer.getvalue()


@pytest.fixture(scope="module")
def crowded(application: Application) -> dict[str, int]:
    """A type with a table, a clause and many long names; papers of it to label, held and done."""
    kind = application.labelled_type()
    application.policy(kind, 1.0)
    first = application.upload(kind, "plain.pdf", crowded_pdf(slips(1, start=300)[0]), "live")
    application.wait(f"/documents/{first}", lambda view: view["state"] == "held")
    application.policy(kind, 0.01)
    done = application.upload(kind, "done.pdf", crowded_pdf(slips(1, start=301)[0]), "live")
    application.wait(f"/documents/{done}", lambda view: view["state"] == "passed")
    fields = [
        {"name": "Name of the boat as it stands in the register", "printed_names": ["Boat"]},
        {"name": "Home port", "printed_names": ["Home port"]},
        {"name": "Terms of the berth", "kind": "clause", "printed_names": ["Terms of the berth"]},
        *({"name": f"Remark number {n} of the harbour master", "required": n % 2 == 0} for n in range(9)),
        {"name": "Goods", "kind": "table", "columns": [{"name": name} for name in COLUMNS]},
    ]
    for field in fields:
        application.change("POST", f"/types/{kind}/fields", json=field)
    application.change(
        "PUT",
        f"/types/{kind}/checks",
        json={"expression": "amount > 1000000", "message": "The total of a season's berth is far higher than this"},
    )
    application.policy(kind, 1.0)
    held = application.upload(kind, f"{LONG_NAME}.pdf", crowded_pdf(slips(1, start=302)[0]), "live")
    application.wait(f"/documents/{held}", lambda view: view["state"] == "held")
    sample = application.upload(kind, f"{LONG_NAME}-sample.pdf", crowded_pdf(slips(1, start=303)[0]))
    application.wait(f"/documents/{sample}", lambda view: view["state"] == "to label")
    version = application.call("GET", f"/types/{kind}/versions")[0]["id"]
    return {"kind": kind, "sample": sample, "held": held, "done": done, "version": version}


def opened(page: Page, address: str) -> None:
    page.goto(address)
    if address.startswith(("/label/", "/review/", "/look/")):
        page.locator("#desk[data-ready=yes]").wait_for()
    elif address.endswith("/plan"):
        page.locator("#plan[data-ready=yes]").wait_for()
    elif address.startswith("/documents/"):
        page.locator(".found-thing, .tile").first.wait_for()
    page.wait_for_load_state("networkidle")


def misfits(page: Page) -> list[str]:
    """What does not fit in any of the windows."""
    found = []
    for name, (width, height) in SIZES.items():
        page.set_viewport_size({"width": width, "height": height})
        page.evaluate("() => new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(done)))")
        found += [f"{name}: {said}" for said in page.evaluate(MEASURE)]
    return found


def inaccessible(page: Page) -> list[str]:
    """Serious findings about who can't see or reach what; in the dark only colours are others."""
    page.set_viewport_size({"width": 1280, "height": 800})
    page.evaluate(AXE)  # evaluated by the test's tool: the page's own policy stays as strict as it is
    found = []
    for theme, asked in (("light", {}), ("dark", {"runOnly": ["color-contrast"]})):
        page.evaluate("theme => { document.documentElement.dataset.bsTheme = theme; }", theme)
        violations = page.evaluate("asked => axe.run(document, asked).then((result) => result.violations)", asked)
        found += [
            f"{theme}: {one['id']}: {one['help']} {[node['target'] for node in one['nodes']][:4]}"
            for one in violations
            if one["impact"] in ("serious", "critical")
        ]
    return found


@pytest.mark.parametrize("view", VIEWS)
def test_nothing_is_cut_covered_out_of_reach_or_for_some_alone(page: Page, crowded: dict[str, int], view: str) -> None:
    opened(page, view.format(**crowded))
    assert not "\n".join([*misfits(page), *inaccessible(page)])


@pytest.mark.parametrize("chosen", ["goods", "terms_of_the_berth", "member", "home_port"])
def test_notes_under_edit_have_room(page: Page, crowded: dict[str, int], chosen: str) -> None:
    opened(page, f"/review/{crowded['held']}?field={chosen}")
    page.keyboard.press("e")
    assert not "\n".join(misfits(page))


@pytest.mark.parametrize("opening", ["Control+k", "?"])
def test_dialogs_have_room(page: Page, crowded: dict[str, int], opening: str) -> None:
    opened(page, f"/review/{crowded['held']}")
    page.keyboard.press(opening)
    page.locator("dialog[open]").wait_for()
    assert not "\n".join(misfits(page))


def test_a_field_under_edit_in_the_plan_has_room(page: Page, crowded: dict[str, int]) -> None:
    opened(page, f"/types/{crowded['kind']}/plan")
    page.get_by_role("button", name="Edit Goods").click()
    assert not "\n".join(misfits(page))
    for tab in ("Checks", "Proposals", "Changes"):
        page.get_by_role("tab", name=tab).click()
        assert not "\n".join(misfits(page)), tab
