"""How well and how fast pages are read: every engine setting and plain `tesseract`, side by side in one run.

    .venv/bin/python -m bench.reading [--pages 60] [--engines careful,quick,both]

Pages of five kinds (contracts, tax forms, pay stubs, identity papers, papers of other kinds) from seeds of their
own, clean and as light and bad scans, an eighth each turned by 90, 180, 270 degrees. Lines of machine-readable zones
are left out of word figures; they are judged whole, after repair. Throughput: all cores, one process each; plain
tesseract once as one command after the other with its defaults (it spreads a page over all cores by itself) and once
with a command a core of one thread each.
"""

from __future__ import annotations

import argparse
import io
import multiprocessing
import os
import resource
import statistics
import subprocess
import tempfile
import time
from collections import Counter
from collections.abc import Iterable, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path

import pikepdf
import pypdfium2 as pdfium
from PIL import Image
from rapidfuzz.distance import Levenshtein
from reportlab.pdfgen.canvas import Canvas

from bench.sheets import CONDITIONS, KINDS, Scan, TruePage, scan_of, true_pages
from jugum.core.ocr import Engine, engine_named, open_paper, read_page, upright_picture
from jugum.core.page import Box, Page, PageSource, Word, overlap_share, reading_order, text_of
from jugum.core.structure import Structure, structure_of

ROUND = 4
_engine: Engine


@dataclass
class Tally:
    """Counts over pages."""

    words: int = 0
    right: int = 0
    letters: int = 0
    wrong_letters: int = 0
    upright: int = 0
    pages: int = 0
    seconds: float = 0.0
    box_errors: list[float] = field(default_factory=list)
    judged: list[tuple[float, bool]] = field(default_factory=list)
    hits: Counter[str] = field(default_factory=Counter)
    found: Counter[str] = field(default_factory=Counter)
    true: Counter[str] = field(default_factory=Counter)

    def add(self, other: Tally) -> None:
        for name in ("words", "right", "letters", "wrong_letters", "upright", "pages", "seconds"):
            setattr(self, name, getattr(self, name) + getattr(other, name))
        self.box_errors += other.box_errors
        self.judged += other.judged
        for name in ("hits", "found", "true"):
            getattr(self, name).update(getattr(other, name))

    def f1(self, what: str) -> float:
        total = self.found[what] + self.true[what]
        return 2 * self.hits[what] / total if total else float("nan")

    def to_check(self) -> float:
        """Share of words to look at, least sure first, until 90 % of the wrong ones are seen."""
        ordered = sorted(self.judged)
        wrong = sum(not right for _, right in ordered)
        seen = 0
        for number, (_, right) in enumerate(ordered, 1):
            seen += not right
            if seen >= 0.9 * wrong:
                return number / len(ordered)
        return 0.0


def plain(words: Sequence[Word]) -> list[Word]:
    return [word for word in words if word.text.count("<") < 2]


def judge(page: TruePage, read: Page, structure: Structure | None, turn_right: bool) -> Tally:
    tally = Tally(pages=1, upright=int(turn_right))
    truth, found = plain(page.words), plain(read.words)
    wanted = Counter(word.text for word in truth)
    got = Counter(word.text for word in found)
    tally.words, tally.right = wanted.total(), (wanted & got).total()
    left = Counter(wanted)
    for word in sorted(found, key=lambda one: -one.confidence):
        tally.judged.append((word.confidence, left[word.text] > 0))
        left[word.text] -= 1
    expected = text_of(reading_order(truth))
    tally.letters = len(expected)
    tally.wrong_letters = min(len(expected), Levenshtein.distance(expected, text_of(found)))
    if page.kind != "identity":
        for word in truth:
            twins = [other for other in found if other.text == word.text]
            if wanted[word.text] == 1 and len(twins) == 1:
                em = word.box.height * read.height_pt / read.width_pt
                tally.box_errors.append(abs(word.box.x0 - twins[0].box.x0) / em)
                tally.box_errors.append(abs(word.box.x1 - twins[0].box.x1) / em)
    if structure is not None:
        _judge_marks(page, structure, tally)
    return tally


def _matched(wanted: Iterable[Box], got: Iterable[Box], least: float) -> int:
    free = list(got)
    hits = 0
    for box in wanted:
        best = max(free, key=lambda other: overlap_share(box, other), default=None)
        if best is not None and overlap_share(box, best) >= least:
            free.remove(best)
            hits += 1
    return hits


def _judge_marks(page: TruePage, structure: Structure, tally: Tally) -> None:
    for state, name in ((True, "ticks"), (False, "ticks")):
        wanted = [box for box, ticked in page.sheet.ticks if ticked is state]
        got = [tick.box for tick in structure.ticks if tick.ticked is state]
        tally.hits[name] += _matched(wanted, got, 0.4)
        tally.true[name] += len(wanted)
        tally.found[name] += len(got)
    tally.hits["signatures"] += _matched(page.sheet.signatures, structure.signatures, 0.5)
    tally.true["signatures"] += len(page.sheet.signatures)
    tally.found["signatures"] += len(structure.signatures)
    zones = [zone.lines for zone in structure.zones]
    tally.hits["zones"] += sum(1 for zone in page.sheet.zones if zone in zones)
    tally.true["zones"] += len(page.sheet.zones)
    cells = Counter(cell for table in page.sheet.tables for cell in _cells(table))
    read = Counter(cell for table in structure.tables for cell in _cells(table.grid()))
    if page.sheet.tables or page.kind != "pay stub":  # some stubs hold tables that are not in the truth
        tally.hits["cells"] += (cells & read).total()
        tally.true["cells"] += cells.total()
        tally.found["cells"] += read.total()


def _cells(grid: list[list[str]]) -> list[tuple[str, str, str]]:
    """Each cell with what heads its row and its column: it counts only in its right place."""
    return [
        (text, row[0], grid[0][number] if number < len(grid[0]) else "")
        for row in grid
        for number, text in enumerate(row)
        if text
    ]


# ---- Processes -------------------------------------------------------------------------------------------------------


def _start(name: str) -> None:
    global _engine
    _engine = engine_named(name)


def _read(scan: Scan) -> Page:
    paper = open_paper(scan.png, "scan")
    return read_page(paper, 0, _engine).page


def _judged(scan: Scan) -> tuple[str, str, Tally, float]:
    paper = open_paper(scan.png, "scan")
    started = time.process_time()
    page = read_page(paper, 0, _engine).page
    seconds = time.process_time() - started
    structure = structure_of(page, upright_picture(paper, 0, page, 200, grey=True))
    tally = judge(scan.page, page, structure, page.rotation == scan.turn)
    tally.seconds = seconds
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e3
    return scan.condition, scan.page.kind, tally, peak


def _clean(page: TruePage) -> tuple[str, str, Tally, float]:
    paper = open_paper(page.pdf, "clean.pdf")
    started = time.perf_counter()
    read = read_page(paper, 0, _engine).page
    seconds = time.perf_counter() - started
    structure = structure_of(read, upright_picture(paper, 0, read, 200, grey=True))
    tally = judge(page, read, structure, read.rotation == 0)
    tally.seconds = seconds
    return "digital", page.kind, tally, 0.0


def show(name: str, results: list[tuple[str, str, Tally, float]]) -> None:
    for condition in ("digital", *CONDITIONS):
        total = Tally()
        kinds = {kind: Tally() for kind in KINDS}
        peaks = [0.0]
        for its, kind, tally, peak in results:
            if its == condition:
                total.add(tally)
                kinds[kind].add(tally)
                peaks.append(peak)
        if not total.pages:
            continue
        print(
            f"{name:8} {condition:8} CER {100 * total.wrong_letters / total.letters:5.2f} %  "
            f"WR {100 * total.right / total.words:5.2f} % of {total.words}  "
            f"box x error {statistics.mean(total.box_errors):.3f} em  to check for 90 % of errors "
            f"{100 * total.to_check():4.1f} %  "
            f"{1000 * total.seconds / total.pages:6.0f} ms CPU a page  upright {total.upright}/{total.pages}  peak "
            f"{max(peaks):.0f} MB"
        )
        print(
            "         " + "  ".join(f"{kind} WR {100 * tally.right / tally.words:.1f}" for kind, tally in kinds.items())
        )
        print(
            f"         ticks F1 {total.f1('ticks'):.3f} of {total.true['ticks']}   "
            f"signatures F1 {total.f1('signatures'):.3f} of {total.true['signatures']}   "
            f"zones whole {total.hits['zones']}/{total.true['zones']}   table cells F1 {total.f1('cells'):.3f} of "
            f"{total.true['cells']}"
        )


# ---- Plain tesseract and throughput ----------------------------------------------------------------------------------


def tesseract(scans: list[Scan], *, at_once: int, threads: int | None) -> tuple[float, list[Counter[str]]]:
    environment = dict(os.environ)
    environment.pop("OMP_THREAD_LIMIT", None)
    if threads:
        environment["OMP_THREAD_LIMIT"] = str(threads)
    with tempfile.TemporaryDirectory() as folder:
        files = []
        for number, scan in enumerate(scans):
            path = Path(folder, f"{number}.png")
            path.write_bytes(scan.png)
            files.append(str(path))

        def run(path: str) -> Counter[str]:
            done = subprocess.run(["tesseract", path, "-"], capture_output=True, text=True, check=True, env=environment)
            return Counter(done.stdout.split())

        started = time.perf_counter()
        with ThreadPoolExecutor(at_once) as pool:
            read = list(pool.map(run, files))
        return time.perf_counter() - started, read


def throughput(names: list[str], scans: list[Scan]) -> None:
    """Rounds of a few scans, each way in turn, so that a slow moment of the machine meets all of them."""
    cores = os.cpu_count() or 1
    truth = [Counter(word.text for word in plain(scan.page.words)) for scan in scans]
    pools = {name: multiprocessing.get_context("spawn").Pool(cores, _start, (name,)) for name in names}
    for pool in pools.values():
        pool.map(_read, scans[:6] * 2, chunksize=1)  # models loaded, common shapes compiled, as in a worker that runs
    seconds: Counter[str] = Counter()
    read: list[Counter[str]] = []
    for start in range(0, len(scans), ROUND):
        part = scans[start : start + ROUND]
        taken, words = tesseract(part, at_once=1, threads=None)
        read += words
        seconds["one"] += taken  # type: ignore[assignment]
        seconds["many"] += tesseract(part, at_once=cores, threads=1)[0]  # type: ignore[assignment]
        for name, pool in pools.items():
            started = time.perf_counter()
            pool.map(_read, part, chunksize=1)
            seconds[name] += time.perf_counter() - started  # type: ignore[assignment]
    for pool in pools.values():
        pool.terminate()
    hits = sum((a & b).total() for a, b in zip(truth, read, strict=True)) / sum(a.total() for a in truth)
    one, many, count = seconds["one"], seconds["many"], len(scans)
    print(
        f"plain tesseract, one after the other, its own threads: {60 * count / one:6.1f} pages/min, WR "
        f"{100 * hits:.1f} %"
    )
    print(f"plain tesseract, {cores} at once of one thread:            {60 * count / many:6.1f} pages/min")
    for name in names:
        mine = seconds[name]
        print(
            f"{name:8} {60 * count / mine:6.1f} pages/min: {one / mine:.2f} × one after the other, {many / mine:.2f} "
            f"× {cores} at once"
        )


# ---- Text layers -----------------------------------------------------------------------------------------------------


def soundness(pages: list[TruePage]) -> None:
    """How often the right thing is done with a page's text layer: used when it says what the page shows, else not."""
    engine = engine_named("careful")
    kinds: dict[str, list[tuple[bytes, bool]]] = {
        "born digital": [],
        "scan, right words under it": [],
        "scan, another page's words under it": [],
        "born digital, letters shifted by a broken font map": [],
    }
    for number, page in enumerate(pages):
        other = pages[(number + 5) % len(pages)]
        kinds["born digital"].append((page.pdf, True))
        kinds["born digital, letters shifted by a broken font map"].append((with_shifted_map(page.pdf), False))
        if page.kind != "identity" and len(page.words) > 20:
            kinds["scan, right words under it"].append((under_scan(page, page.words), True))
            kinds["scan, another page's words under it"].append((under_scan(page, other.words), False))
    for name, made in kinds.items():
        right = 0
        for pdf, use in made:
            read = read_page(open_paper(pdf, "layer.pdf"), 0, engine).page
            right += (read.source is PageSource.TEXT_LAYER) is use
        print(f"text layer of a {name}: rightly judged {right}/{len(made)}")


def under_scan(page: TruePage, words: Sequence[Word]) -> bytes:
    """The page as a picture with words laid under it."""
    document = pdfium.PdfDocument(page.pdf)
    width, height = document[0].get_size()
    picture = document[0].render(scale=150 / 72).to_pil().convert("L")
    document.close()
    buffer = io.BytesIO()
    canvas = Canvas(buffer, pagesize=(width, height))
    for word in words:
        canvas.setFont("Helvetica", max(2.0, word.box.height * height * 0.8))
        canvas.drawString(word.box.x0 * width, height - word.box.y1 * height, word.text)
    canvas.drawInlineImage(picture, 0, 0, width, height)
    canvas.save()
    return buffer.getvalue()


def with_shifted_map(pdf: bytes) -> bytes:
    """A page whose fonts tell wrong letters for their glyphs: a → d, b → e, …"""
    cmap = (
        b"/CIDInit /ProcSet findresource begin 12 dict begin begincmap /CMapType 2 def 1 begincodespacerange <00> <ff> "
        b"endcodespacerange 1 beginbfrange <21> <7b> <0024> endbfrange endcmap end end"
    )
    with pikepdf.open(io.BytesIO(pdf)) as opened:
        for font in opened.pages[0].Resources.Font.values():
            font.ToUnicode = opened.make_stream(cmap)
        out = io.BytesIO()
        opened.save(out)
        return out.getvalue()


def long_scan(count: int) -> None:
    """Memory while a long scan is read page by page, as a worker does it."""
    page = true_pages(3)[2]
    picture = Image.open(io.BytesIO(scan_of(page, "light", 1).png)).convert("L")
    buffer = io.BytesIO()
    picture.save(buffer, "PDF", save_all=True, append_images=[picture] * (count - 1), resolution=200, quality=60)
    engine = engine_named("careful")
    paper = open_paper(buffer.getvalue(), "long.pdf")
    after: dict[int, float] = {}
    for index in range(count):
        read_page(paper, index, engine)
        after[index + 1] = int(Path("/proc/self/statm").read_text().split()[1]) * os.sysconf("SC_PAGE_SIZE") / 1e6
    told = "  ".join(f"{number}: {after[number]:.0f} MB" for number in (1, 10, 50, 100, 200, 300) if number in after)
    print(f"a scan of {count} pages ({len(buffer.getvalue()) / 1e6:.0f} MB), memory held after page {told}")


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--pages", type=int, default=60)
    parser.add_argument("--engines", default="careful,quick,both")
    parser.add_argument("--timed", type=int, default=30, help="scans for throughput")
    parser.add_argument("--long", type=int, default=300, help="pages of the long scan")
    parser.add_argument("--only", default="accuracy,layers,long,throughput")
    given = parser.parse_args()
    names, parts = given.engines.split(","), given.only.split(",")
    pages = true_pages(given.pages)
    scans = [scan_of(page, condition, 7000 + number) for condition in CONDITIONS for number, page in enumerate(pages)]
    if "throughput" in parts:
        throughput(names, scans[:: max(1, len(scans) // given.timed)])
    if "layers" in parts:
        soundness(pages)
        digital(pages)
    if "long" in parts:
        with multiprocessing.get_context("spawn").Pool(1) as pool:
            pool.apply(long_scan, (given.long,))
    for name in names if "accuracy" in parts else []:
        with multiprocessing.get_context("spawn").Pool(os.cpu_count(), _start, (name,)) as pool:
            clean = pool.map(_clean, pages, chunksize=1) if name == names[0] else []
            show(name, [*clean, *pool.map(_judged, scans, chunksize=1)])


def digital(pages: list[TruePage]) -> None:
    """Milliseconds a born-digital page takes, opening its file included."""
    engine = engine_named("quick")
    taken = []
    for page in pages:
        started = time.perf_counter()
        read_page(open_paper(page.pdf, "clean.pdf"), 0, engine)
        taken.append(1000 * (time.perf_counter() - started))
    print(
        f"born digital: {statistics.median(taken):.1f} ms a page (median), {statistics.mean(taken):.1f} (mean of "
        f"{len(taken)})"
    )


if __name__ == "__main__":
    main()
