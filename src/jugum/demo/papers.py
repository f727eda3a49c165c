"""The pay stubs of the demo: forty samples of six employers, seventy-two live papers of all eight."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass, field
from importlib import resources

from jugum.core.schema import read_plan_file
from jugum.demo.parts import Rows
from jugum.demo.scans import scanned
from jugum.demo.stubs import EMPLOYERS, SEEN_EMPLOYERS, stub_paper

SEED = 20260
SCAN_SHARE = 0.3
SAMPLES = 40
LIVE = 72


def plan_bytes(name: str) -> bytes:
    """The plan file of one of the demo's types: pay-stub, works-contract, tax-assessment, identity-paper."""
    return resources.files("jugum.demo").joinpath("plans", f"{name}.json").read_bytes()


PLAN = read_plan_file(plan_bytes("pay-stub"))[1]
FIELDS = PLAN.learned.fields


@dataclass(frozen=True)
class DemoPaper:
    """A file with its truth. `purpose` is "sample" or "live"; `scan` tells a picture from a born-digital PDF."""

    name: str
    data: bytes
    purpose: str
    employer: int
    scan: bool
    truth: dict[str, str]
    tables: dict[str, Rows] = field(default_factory=dict)


def demo_papers(*, samples: int = SAMPLES, live: int = LIVE, seed: int = SEED) -> Iterator[DemoPaper]:
    """The demo's papers, the same for the same seed. Every seventh or so of ten is a scan (30 %)."""
    rng = random.Random(seed)
    kinds = [("sample", number % len(SEEN_EMPLOYERS)) for number in range(samples)]
    kinds += [("live", number % len(EMPLOYERS)) for number in range(live)]
    for number, (purpose, employer) in enumerate(kinds):
        paper = stub_paper(employer, rng)
        scan = number % 10 in (2, 5, 8)
        data, ending = (
            scanned(paper.pdf, seed + number, severity=rng.uniform(0.1, 0.8)) if scan else (paper.pdf, ".pdf")
        )
        who = paper.truth["employee"].replace(",", "").replace(" ", "-").lower()
        yield DemoPaper(
            f"stub-{number + 1:03d}-{who}{ending}", data, purpose, employer, scan, paper.truth, paper.tables
        )
