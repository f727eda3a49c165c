"""Pages a minute of our reading against plain `tesseract` on the same scans, side by side in one run.

    .venv/bin/python -m bench.reading [--papers 24]

Both use all cores: ours one process a core (pages go through straightening, OCR and boxes), tesseract one command a core with
its default settings. Accuracy is the share of the drawn words that were read exactly (words from the clean page's own text).
"""

from __future__ import annotations

import argparse
import multiprocessing
import os
import random
import statistics
import subprocess
import tempfile
import time
from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from jugum.core.ocr import CarefulEngine, Engine, QuickEngine, open_paper, read_page
from jugum.demo.scans import scanned
from jugum.demo.stubs import stub_paper

_engine: Engine


def scans(count: int) -> list[tuple[bytes, bytes, str]]:
    """(clean PDF, scan, ending), light to bad, from a seed the demo does not use."""
    rng = random.Random(4711)
    made = []
    for number in range(count):
        pdf = stub_paper(number % 8, rng).pdf
        made.append((pdf, *scanned(pdf, 9000 + number, severity=(number % 5) / 4)))
    return made


def true_words(pdf: bytes) -> Counter[str]:
    layer = open_paper(pdf, "clean.pdf").text_layer(0)
    assert layer is not None
    return Counter(word.text for word in layer.words)


def recall(truth: list[Counter[str]], read: list[Counter[str]]) -> float:
    hits = sum((one & other).total() for one, other in zip(truth, read, strict=True))
    return hits / sum(one.total() for one in truth)


def _start(name: str) -> None:
    global _engine
    _engine = CarefulEngine() if name == "careful" else QuickEngine()
    warm, _, _ = scans(1)[0], None, None
    read_page(open_paper(warm[1], "warm"), 0, _engine)


def _read(scan: bytes) -> Counter[str]:
    return Counter(word.text for word in read_page(open_paper(scan, "scan"), 0, _engine).page.words)


def ours(name: str, papers: list[bytes]) -> tuple[float, list[Counter[str]]]:
    with multiprocessing.get_context("spawn").Pool(os.cpu_count(), _start, (name,)) as pool:
        pool.map(_read, papers[:2], chunksize=1)  # models loaded, shapes compiled
        started = time.perf_counter()
        read = pool.map(_read, papers, chunksize=1)
        return time.perf_counter() - started, read


def tesseract(papers: list[bytes]) -> tuple[float, list[Counter[str]]]:
    with tempfile.TemporaryDirectory() as folder:
        files = []
        for number, scan in enumerate(papers):
            from PIL import Image

            path = Path(folder, f"{number}.png")
            Image.fromarray(open_paper(scan, "scan").render(0, 200)).convert("L").save(path, dpi=(200, 200))
            files.append(str(path))

        def run(path: str) -> Counter[str]:
            return Counter(
                subprocess.run(["tesseract", path, "-"], capture_output=True, text=True, check=True).stdout.split()
            )

        started = time.perf_counter()
        with ThreadPoolExecutor(os.cpu_count()) as pool:
            read = list(pool.map(run, files))
        return time.perf_counter() - started, read


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--papers", type=int, default=24)
    made = scans(parser.parse_args().papers)
    papers, truth = [scan for _, scan, _ in made], [true_words(pdf) for pdf, _, _ in made]
    seconds, read = tesseract(papers)
    print(f"{'plain tesseract':18} {60 * len(papers) / seconds:7.1f} pages/min   words right {recall(truth, read):.3f}")
    for name in ("careful", "quick"):
        mine, words = ours(name, papers)
        print(
            f"{name:18} {60 * len(papers) / mine:7.1f} pages/min   words right {recall(truth, words):.3f}   {seconds / mine:.2f} × plain"
        )
    digital = []
    for pdf, _, _ in made:
        started = time.perf_counter()
        read_page(open_paper(pdf, "clean.pdf"), 0, QuickEngine())
        digital.append(time.perf_counter() - started)
    print(
        f"{'born digital':18} {1000 * statistics.median(digital):7.1f} ms a page (median of {len(digital)}), view picture included"
    )


if __name__ == "__main__":
    main()
