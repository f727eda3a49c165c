"""The demo's papers: made up, repeatable, and saying what their truth says."""

from __future__ import annotations

import random

import pytest

from jugum.core.ocr import open_paper
from jugum.core.values import normal_form
from jugum.demo.papers import FIELDS, demo_papers
from jugum.demo.people import personal_number
from jugum.demo.scans import scanned
from jugum.demo.stubs import EMPLOYERS, UNSEEN_EMPLOYERS, stub_paper


def test_papers_are_the_same_for_the_same_seed_and_others_for_another() -> None:
    first, again, other = (list(demo_papers(samples=3, live=0, seed=seed)) for seed in (1, 1, 2))
    assert first[2].scan
    assert [paper.data for paper in first] == [paper.data for paper in again]
    assert [paper.truth for paper in first] != [paper.truth for paper in other]


def test_three_in_ten_are_scans_and_two_employers_come_only_live(monkeypatch: pytest.MonkeyPatch) -> None:
    # Only the mix is looked at here: the pictures would take a second each.
    monkeypatch.setattr("jugum.demo.papers.scanned", lambda pdf, seed, severity: (pdf, ".jpg"))
    papers = list(demo_papers())
    assert [paper.purpose for paper in papers].count("sample") == 40
    assert sum(paper.scan for paper in papers) == 33
    assert not {paper.employer for paper in papers if paper.purpose == "sample"} & set(UNSEEN_EMPLOYERS)
    assert {paper.employer for paper in papers if paper.purpose == "live"} == set(range(len(EMPLOYERS)))
    assert len({paper.name for paper in papers}) == 112


@pytest.mark.parametrize("employer", range(len(EMPLOYERS)))
def test_every_true_value_is_printed_and_fits_its_data_type(employer: int) -> None:
    rng = random.Random(employer)
    for _ in range(3):
        paper = stub_paper(employer, rng)
        layer = open_paper(paper.pdf, "stub.pdf").text_layer(0)
        assert layer is not None
        printed = "".join(word.text for word in layer.words)
        for field in FIELDS:
            text = paper.truth[field.key]
            assert text.replace(" ", "") in printed, (field.key, text)
            assert not text or normal_form(text, field.data_type), (field.key, text)
            assert text or not field.required


def test_personal_numbers_carry_their_check_digit() -> None:
    rng = random.Random(1)
    for _ in range(50):
        digits = [int(digit) for digit in personal_number(rng).replace("-", "")]
        assert sum(d * w for d, w in zip(digits, (3, 7, 6, 1, 8, 9, 4, 5, 2, 1), strict=True)) % 11 == 0


def test_scans_are_pictures_that_open() -> None:
    pdf = stub_paper(0, random.Random(2)).pdf
    endings = set()
    for seed in (0, 1, 2, 22):
        data, ending = scanned(pdf, seed, severity=0.7)
        endings.add(ending)
        paper = open_paper(data, f"scan{ending}")
        assert paper.page_count == 1
        layer = paper.text_layer(0)
        assert layer is None or layer.unsound
    assert endings == {".jpg", ".png", ".tif", ".pdf"}
