"""The eighty pay stubs of the demo: forty samples of six employers, forty live papers of all eight."""

from __future__ import annotations

import random
from collections.abc import Iterator
from dataclasses import dataclass

from jugum.core.schema import FieldPlan
from jugum.core.values import DataType
from jugum.demo.scans import scanned
from jugum.demo.stubs import EMPLOYERS, SEEN_EMPLOYERS, stub_paper

SEED = 20260
SCAN_SHARE = 0.3
SAMPLES = 40
LIVE = 40

FIELDS = (
    FieldPlan("employer", "Employer", DataType.TEXT, ("Company",)),
    FieldPlan("employee", "Employee", DataType.TEXT, ("Name of employee", "Surname and given name")),
    FieldPlan("personal_number", "Personal number", DataType.TEXT, ("Personal no.", "Born/PN")),
    FieldPlan("period_from", "Period from", DataType.DATE, ("Period begins", "From")),
    FieldPlan("period_to", "Period to", DataType.DATE, ("Period ends", "To", "until")),
    FieldPlan("pay_date", "Pay date", DataType.DATE, ("Date of payment", "Payment date", "Paid on")),
    FieldPlan("hours", "Hours", DataType.NUMBER, ("Hours worked",)),
    FieldPlan("gross_pay", "Gross pay", DataType.MONEY, ("Total gross", "Gross salary", "Gross wage")),
    FieldPlan("tax", "Income tax", DataType.MONEY, ("Tax withheld", "Tax", "Withheld tax")),
    FieldPlan("bonus", "Bonus", DataType.MONEY, ("Premium", "Supplement"), required=False),
    FieldPlan("net_pay", "Net pay", DataType.MONEY, ("Net wage", "Net salary", "To be paid out", "Payable to you")),
    FieldPlan("gross_year", "Gross this year", DataType.MONEY, ("Year to date", "Gross since January"), required=False),
)


@dataclass(frozen=True)
class DemoPaper:
    """A file with its truth. `purpose` is "sample" or "live"; `scan` tells a picture from a born-digital PDF."""

    name: str
    data: bytes
    purpose: str
    employer: int
    scan: bool
    truth: dict[str, str]


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
        yield DemoPaper(f"stub-{number + 1:03d}-{who}{ending}", data, purpose, employer, scan, paper.truth)
