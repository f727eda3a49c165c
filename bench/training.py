"""Training time, extraction time a page, and exact match on looks seen and not seen, on papers shaped like the demo's.

    .venv/bin/python -m bench.training

Samples come from six of the eight layouts; tests are fresh papers of these (seen) and of the two others (not seen), born
digital, and of a third of them as scans read by the careful engine.
"""

from __future__ import annotations

import random
import resource
import time

from jugum.core.evaluation import train_version
from jugum.core.extraction import Sample, SampleLabel, place_value
from jugum.core.ocr import CarefulEngine, open_paper, read_page
from jugum.core.page import Page
from jugum.core.schema import Plan
from jugum.core.values import normal_form, same_value
from jugum.demo.papers import FIELDS
from jugum.demo.scans import scanned
from jugum.demo.stubs import SEEN_EMPLOYERS, UNSEEN_EMPLOYERS, StubPaper, stub_paper

PLAN = Plan(FIELDS)
ENGINE = CarefulEngine()


def pages_of(paper: StubPaper, number: int) -> tuple[Page, ...]:
    data = scanned(paper.pdf, 70_000 + number, severity=0.5)[0] if number % 3 == 2 else paper.pdf
    return (read_page(open_paper(data, "paper"), 0, ENGINE).page,)


def normal(key: str, text: str) -> str:
    return normal_form(text, PLAN.field(key).data_type) or text


def sample(paper: StubPaper, number: int) -> Sample:
    pages = pages_of(paper, number)
    placed = place_value(PLAN, pages, {key: text for key, text in paper.truth.items() if text})
    labels: dict[str, tuple[SampleLabel, ...]] = {}
    for key, text in paper.truth.items():
        spot = placed[key].candidate if text else None
        place = (spot.page, spot.box) if spot else (None, None)
        labels[key] = (SampleLabel(text, normal(key, text), *place),) if text else ()
    return Sample(str(number), pages, labels)


def right(key: str, found: str, text: str) -> bool:
    return (not found and not text) or (
        bool(found) and bool(text) and same_value(found, normal(key, text), PLAN.field(key).data_type)
    )


def main() -> None:
    rng = random.Random(31337)
    seen, unseen = list(SEEN_EMPLOYERS), list(UNSEEN_EMPLOYERS)
    samples = [sample(stub_paper(seen[n % len(seen)], rng), n) for n in range(48)]
    tests = {
        "seen": [stub_paper(seen[n % len(seen)], rng) for n in range(48)],
        "not seen": [stub_paper(unseen[n % len(unseen)], rng) for n in range(24)],
    }
    read = {name: [(paper, pages_of(paper, n)) for n, paper in enumerate(papers)] for name, papers in tests.items()}
    print("papers  train s  CPU s   extract ms/page   exact match seen / not seen")
    for count in (6, 12, 24, 48):
        started, cpu = time.perf_counter(), time.process_time()
        version = train_version(PLAN, samples[:count])
        spent, spent_cpu = time.perf_counter() - started, time.process_time() - cpu
        shares, pages, extracting = {}, 0, 0.0
        for name, papers in read.items():
            hits = total = 0
            for paper, page in papers:
                begun = time.perf_counter()
                decisions = version.extractor.decide(page)
                extracting += time.perf_counter() - begun
                pages += len(page)
                for decision in decisions:
                    found = decision.chosen[0].candidate.normal if decision.chosen else ""
                    hits += right(decision.field, found, paper.truth[decision.field])
                    total += 1
            shares[name] = f"{hits / total:.3f} of {total}"
        print(
            f"{count:6} {spent:8.1f} {spent_cpu:6.1f} {1000 * extracting / pages:17.1f}   {shares['seen']} / {shares['not seen']}"
        )
    print(f"largest memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB, OCR engine included")


if __name__ == "__main__":
    main()
