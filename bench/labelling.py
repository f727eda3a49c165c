"""Labelling: values from past records placed rightly and wrongly, keys and clicks for one pay stub, and a paper of
300 pages on the desk.

    .venv/bin/python -m bench.labelling                          values from past records only
    JUGUM_PORT=8420 bin/demo                                     in one terminal, then
    .venv/bin/python -m bench.labelling http://127.0.0.1:8420    all of it (it labels one paper of the demo)

Of a value that stands twice on its page nobody can say from the value alone where it was meant; but on one layout a
field has one home: what heads its row, and its place. It is learned from the values that stand once; one placed away
from its field's home counts as placed wrongly.
"""

from __future__ import annotations

import io
import random
import re
import statistics
import sys
import time
from collections import defaultdict
from collections.abc import Callable, Iterator
from contextlib import contextmanager

import httpx2
from reportlab.lib.pagesizes import A4
from reportlab.pdfgen.canvas import Canvas
from tests.client import sign_in_client

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.values.features import Example
from jugum.core.extraction.values.placing import Placement, place_value, placed_examples
from jugum.core.ocr import QuickEngine, open_paper, read_page
from jugum.core.schema import Plan
from jugum.core.states import RecordState
from jugum.demo.fill import PASSWORD
from jugum.demo.papers import FIELDS
from jugum.demo.stubs import EMPLOYERS, stub_paper

PLAN = Plan(FIELDS)
PAPERS_A_LAYOUT = 12
WITH_TABLE = 3  # the employer whose stubs have tables of earnings and deductions
HOME = 0.02  # page fractions a value may stand away from its field's home


def keyed() -> None:
    rng = random.Random(8_080)
    engine = QuickEngine()
    placed: list[tuple[int, dict[str, Placement]]] = []
    for employer in range(len(EMPLOYERS)):
        examples: list[Example] = []
        for number in range(PAPERS_A_LAYOUT):
            paper = stub_paper(employer, rng)
            page = read_page(open_paper(paper.pdf, "a.pdf"), 0, engine).page
            values = {key: text for key, text in paper.truth.items() if text and key in {f.key for f in FIELDS}}
            found = place_value(PLAN, [page], values, examples)
            placed.append((employer, found))
            if number < 6:
                examples += placed_examples(PLAN, number, found)
    homes: dict[tuple[int, str], set[tuple[str, int]]] = defaultdict(set)
    for employer, found in placed:
        for key, one in found.items():
            if one.candidate is not None and len(one.places) == 1:
                homes[employer, key] |= _spots(one.candidate)
    counts = dict.fromkeys(("right", "wrong", "to choose", "not found", "no home known"), 0)
    for employer, found in placed:
        for key, one in found.items():
            if one.how is not RecordState.FOUND or one.candidate is None:
                counts["to choose" if one.how is RecordState.AMBIGUOUS else "not found"] += 1
            elif not homes[employer, key]:
                counts["no home known"] += 1
            else:
                counts["right" if _spots(one.candidate) & homes[employer, key] else "wrong"] += 1
    total = sum(counts.values())
    print(f"values from past records: {total} of {len(placed)} papers, {len(EMPLOYERS)} layouts")
    for name, count in counts.items():
        print(f"  {name:14} {count:5} {count / total:7.1%}")


def _spots(candidate: Candidate) -> set[tuple[str, int]]:
    """Where a value stands, in two ways, either of which tells its home: by what heads its row and its column's
    right edge (rows above may push a row down), and by its place on the page."""
    head = candidate.contexts[CHANNELS.index("row_head")] or candidate.contexts[CHANNELS.index("left")]
    edge = round(candidate.box.x1 / (2 * HOME))
    by_head = {(f"head {head}", edge + step) for step in (-1, 0, 1)} if head else set()
    row = round(candidate.box.y0 / HOME)
    return by_head | {(f"place {row + step}", round(candidate.box.x0 / (2 * HOME))) for step in (-1, 0, 1)}


# ---- On the running demo ---------------------------------------------------------------------------------------------


def many_pages(count: int) -> bytes:
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=A4)
    for number in range(1, count + 1):
        for line in range(40):
            canvas.drawString(
                50, 780 - 18 * line, f"Sheet {number} line {line}: insulation of cellar and roof, {number * line},00 kr"
            )
        canvas.showPage()
    canvas.save()
    return buffer.getvalue()


@contextmanager
def client(url: str) -> Iterator[httpx2.Client]:
    made = httpx2.Client(base_url=url, follow_redirects=True, timeout=300)
    sign_in_client(made, "analyst", PASSWORD)
    try:
        yield made
    finally:
        made.close()


def on_the_server(url: str) -> int:
    """Desk answers of demo papers, of one with 300 pages, and its id."""
    with client(url) as asked:
        samples = asked.get("/api/v1/types/1/documents?purpose=sample").json()
        ids = [sample["id"] for sample in samples if sample["state"] in ("to label", "in progress")]
        spent: dict[str, list[float]] = {"health (yardstick)": [], "between papers": [], "300 pages": []}
        long = next((sample["id"] for sample in samples if sample["name"] == "bench-300.pdf"), None)
        if long is None:
            made = asked.post(
                "/api/v1/types/1/documents",
                files={"file": ("bench-300.pdf", many_pages(300))},
                data={"purpose": "sample"},
            )
            long = made.json()["document_id"]
            while asked.get(f"/api/v1/documents/{long}").json()["state"] != "to label":
                time.sleep(1)
        for turn in range(24):
            for name, path in (
                ("health (yardstick)", "/health"),
                ("between papers", f"/api/v1/documents/{ids[turn % len(ids)]}/label-desk"),
                ("300 pages", f"/api/v1/documents/{long}/label-desk"),
            ):
                started = time.perf_counter()
                asked.get(path).raise_for_status()
                spent[name].append(1000 * (time.perf_counter() - started))
        base = statistics.median(spent["health (yardstick)"])
        for name, times in spent.items():
            middle = statistics.median(times)
            print(
                f"{name:20} median {middle:7.1f} ms, {middle / base:6.1f} × the yardstick, worst {max(times):7.1f} ms"
            )
        return int(long)


class Hands:
    """Counts what a person does: keys, clicks and sweeps."""

    def __init__(self, page) -> None:  # type: ignore[no-untyped-def]
        self.page, self.keys, self.sweeps, self.started = page, 0, 0, time.perf_counter()

    def key(self, name: str) -> None:
        self.keys += 1
        self.page.keyboard.press(name)

    def sweep(self, box: tuple[float, float, float, float]) -> None:
        self.sweeps += 1
        area = self.page.locator(".paper-page").first.bounding_box()
        under = self.page.locator(".dock").bounding_box()["y"] - 30
        if not 150 < area["y"] + box[1] * area["height"] < area["y"] + box[3] * area["height"] < under:
            self.keys += 1  # a turn of the wheel brings it into sight
            down = area["y"] + box[1] * area["height"] - 170
            self.page.locator(".desk-scroll").evaluate("(one, down) => { one.scrollTop += down; }", down)
            area = self.page.locator(".paper-page").first.bounding_box()
        x0, x1 = (area["x"] + side * area["width"] for side in (box[0], box[2]))
        y0, y1 = (area["y"] + side * area["height"] for side in (box[1], box[3]))
        self.page.mouse.move(x0, y0)
        self.page.mouse.down()
        self.page.mouse.move(x1, y1, steps=2)
        self.page.mouse.up()

    def told(self, what: str) -> None:
        print(
            f"{what}: {self.keys} keys, {self.sweeps} clicks or sweeps (the script took "
            f"{time.perf_counter() - self.started:.1f} s)"
        )


def in_the_browser(url: str, long: int) -> None:
    from playwright.sync_api import sync_playwright

    with sync_playwright() as playwright:
        flags = ["--no-sandbox", "--disable-gpu", "--disable-background-networking"]
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium-headless-shell", args=flags)
        size = {"width": 1280, "height": 800}
        page = browser.new_context(base_url=url, viewport=size, reduced_motion="reduce").new_page()
        page.goto("/sign-in")
        page.get_by_label("Login").fill("analyst")
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.wait_for_url("**/")
        opened = []
        for _ in range(3):
            started = time.perf_counter()
            page.goto(f"/label/{long}")
            page.locator("#desk[data-ready=yes]").wait_for()
            page.locator("rect.word").first.wait_for(state="attached")
            opened.append(time.perf_counter() - started)
            page.wait_for_function("() => !document.querySelector('[data-status]').textContent", timeout=120_000)
        near = page.locator(".paper-page").count()
        print(
            f"300 pages: open with words in {statistics.median(opened):.2f} s (median of 3), {near} pages in the "
            "document"
        )
        started = time.perf_counter()
        frames = page.evaluate(SCROLL)
        print(f"scrolling through it: {frames} frames in {time.perf_counter() - started:.1f} s")
        with client(url) as asked:
            paper = stub_paper(WITH_TABLE, random.Random(time.time_ns()))
            sent = {"file": (f"bench-{time.time_ns()}.pdf", paper.pdf)}
            number = asked.post("/api/v1/types/1/documents", files=sent, data={"purpose": "sample"}).json()[
                "document_id"
            ]
            while asked.get(f"/api/v1/documents/{number}").json()["state"] != "to label":
                time.sleep(0.3)
            desk = asked.get(f"/api/v1/documents/{number}/label-desk").json()
            _scratch(page, desk)
            _wrong(asked, number, paper.truth)
            for field in desk["fields"]:
                body = {"values": [], "revision": asked.get(f"/api/v1/documents/{number}").json()["revision"]}
                asked.put(f"/api/v1/documents/{number}/labels/{field['key']}", json=body).raise_for_status()
            _suggested(page, desk)
            _wrong(asked, number, paper.truth)
        browser.close()


SCROLL = """() => new Promise((done) => {
  const one = document.querySelector(".desk-scroll"); let frames = 0; const from = performance.now();
  const step = () => {
    frames += 1; one.scrollTop += one.scrollHeight / 240;
    if (performance.now() - from < 4000) requestAnimationFrame(step); else done(frames);
  };
  requestAnimationFrame(step); })"""


def _place(desk: dict, key: str) -> tuple[float, float, float, float] | None:
    field = next(one for one in desk["fields"] if one["key"] == key)
    value = next(iter(field["suggestion"]), None)
    return tuple(value["box"]) if value else None


def _open(page, number: int) -> None:  # type: ignore[no-untyped-def]
    page.goto(f"/label/{number}")
    page.locator("#desk[data-ready=yes]").wait_for()
    page.locator("rect.word").first.wait_for(state="attached")


def _letter(page, key: str) -> str:  # type: ignore[no-untyped-def]
    return page.locator(f"[data-field={key}] kbd").first.inner_text()


def _scratch(page, desk: dict) -> None:  # type: ignore[no-untyped-def]
    """As if nothing were suggested: each value is swept where it stands (the next field is picked by the desk),
    tables are swept."""
    _open(page, desk["id"])
    hands = Hands(page)
    for field in desk["fields"]:
        box = _place(desk, field["key"])
        table = field["shape"]["kind"] == "table"
        hands.key(_letter(page, field["key"]))
        if box is None:
            hands.key(".")
            continue
        if table:
            hands.key("e")
            hands.sweep((box[0] - 0.01, box[1] - 0.004, box[2] + 0.01, box[3] + 0.004))

            page.locator(".rail").first.wait_for(state="attached")
            hands.key("Control+Enter")
        else:
            hands.sweep((box[0] + 0.002, box[1] + 0.003, box[2] - 0.002, box[3] - 0.003))
    page.wait_for_function(f"() => !localStorage.getItem('jugum-label-{desk['id']}')")
    hands.told(f"{desk['name']}, {len(desk['fields'])} fields, from scratch")


def _suggested(page, desk: dict) -> None:  # type: ignore[no-untyped-def]
    """All that passes by one key, the rest one by one."""
    _open(page, desk["id"])
    hands = Hands(page)
    hands.key("Shift+Enter")
    for _ in range(len(desk["fields"])):
        if "Every field" in page.locator("[data-title]").inner_text():
            break
        hands.key("Enter" if page.locator(".note.active.ghost").count() else ".")
    page.wait_for_function(f"() => !localStorage.getItem('jugum-label-{desk['id']}')")
    hands.told("the same from suggestions")


def _wrong(asked: httpx2.Client, number: int, truth: dict[str, str]) -> None:
    labels = {one["field"]: one for one in asked.get(f"/api/v1/documents/{number}/labels").json()}
    plain: Callable[[str], str] = lambda text: re.sub(r"\W", "", text).lower()  # noqa: E731
    off = [
        key
        for key, text in truth.items()
        if key in labels and plain("; ".join(value["text"] for value in labels[key]["values"])) != plain(text)
    ]
    print(f"  labels unlike the truth: {', '.join(off) or 'none'}, of {len(labels)} labelled fields and columns")


if __name__ == "__main__":
    keyed()
    if sys.argv[-1].startswith("http"):
        in_the_browser(sys.argv[1], on_the_server(sys.argv[1]))
