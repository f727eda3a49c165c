"""Learn from pairs of made-up papers what tells one layout from another, and write the weights where the program finds
them.

    .venv/bin/python -m prior.layouts

The pairs are of the demo's papers (clean and with letters misread) and of the school of the prior ranker, in books of
several sizes, since what stands on two papers of a book is print and the larger the book, the surer. Whether two papers
are of one layout is known of all of them.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from jugum.core.classification.layout_book import RESPECTS, LayoutBook
from jugum.core.classification.lookalikes import Layout, layout_of
from jugum.core.ocr import engine_named, open_paper, read_page
from jugum.core.page import Page, Word
from jugum.demo.assessments import tax_assessment
from jugum.demo.contracts import contract
from jugum.demo.identity import identity_paper
from jugum.demo.stubs import stub_paper
from prior.papers import kind, paper

FOLDER = Path(__file__).parents[1] / "src/jugum/core/classification/data"
DRAWN: dict[str, tuple[Callable[[int, random.Random], Any], int]] = {
    "pay stubs": (stub_paper, 8),
    "contracts": (contract, 5),
    "assessments": (tax_assessment, 3),
    "identity papers": (identity_paper, 4),
}
PAPERS = 6  # of each layout
KINDS = 12  # of the prior's school
SIZES = (36, 12, 6)  # papers of a book
MISREAD = 0.03  # share of letters, on every third paper
SEED = 815

Laid = tuple[Layout, int]


def of_demo(name: str) -> list[Laid]:
    """Papers of a type of the demo with their layout's number."""
    draw, layouts = DRAWN[name]
    found = []
    for number in range(PAPERS * layouts):
        rng = random.Random(f"{SEED}-{name}-{number}")
        opened = open_paper(draw(number % layouts, rng).pdf, "paper.pdf")
        pages = [read_page(opened, index, engine_named("quick")).page for index in range(opened.page_count)]
        if number % 3 == 0:
            pages = [_misread(one, rng) for one in pages]
        found.append((layout_of(pages), number % layouts))
    return found


def _misread(page: Page, rng: random.Random) -> Page:
    def word(one: Word) -> Word:
        text = "".join(rng.choice("aceilnrt") if rng.random() < MISREAD else letter for letter in one.text)
        return Word(text, one.box, one.confidence, one.bold)

    return Page(page.number, page.width_pt, page.height_pt, tuple(map(word, page.words)))


def of_school(seed: int) -> list[Laid]:
    """Papers of a kind of the prior's school."""
    rng = random.Random(seed)
    drawn = kind(rng)
    layouts = [number % len(drawn.layouts) for number in range(PAPERS * len(drawn.layouts))]
    return [
        (layout_of(paper(rng, drawn, drawn.layouts[layout], str(n), slips=rng.choice([0.0, 0.02])).pages), layout)
        for n, layout in enumerate(layouts)
    ]


def pairs(papers: list[Laid], rng: random.Random) -> Iterator[tuple[list[float], bool]]:
    """Figures of every two papers of books drawn by lot, and whether they are of one layout."""
    for size in SIZES:
        for _ in range(max(1, 24 // size)):
            chosen = rng.sample(papers, min(size, len(papers)))
            book = LayoutBook([layout for layout, _ in chosen])
            for a in range(len(chosen)):
                for b in range(a):
                    yield book.figures(a, b), chosen[a][1] == chosen[b][1]


def main() -> None:
    rng = random.Random(SEED)
    rows: list[list[float]] = []
    same: list[bool] = []
    for name, papers in [
        *((name, of_demo(name)) for name in DRAWN),
        *((f"school {n}", of_school(SEED + n)) for n in range(KINDS)),
    ]:
        figures, truth = zip(*pairs(papers, rng), strict=True)
        areas = " ".join(
            f"{respect} {roc_auc_score(truth, [row[n] for row in figures]):.3f}" for n, respect in enumerate(RESPECTS)
        )
        print(f"{name:16} {len(truth):5} pairs, area under the curve: {areas}")
        rows += figures
        same += truth
    model = LogisticRegression(C=1.0, class_weight="balanced").fit(np.array(rows), np.array(same))
    weights = dict(zip(RESPECTS, model.coef_[0].round(3).tolist(), strict=True))
    about = {"seed": SEED, "pairs": len(same), "weights": weights, "bias": round(float(model.intercept_[0]), 3)}
    FOLDER.mkdir(exist_ok=True)
    (FOLDER / "layouts.json").write_text(json.dumps(about, indent=1) + "\n")
    print(about)


if __name__ == "__main__":
    main()
