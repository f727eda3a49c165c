"""Where a section ends, and sections that are proposed as they were marked on another paper of the layout."""

from __future__ import annotations

import pytest

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.clauses.same_layout import suggest_clauses
from jugum.core.extraction.clauses.sections import paragraphs_of, sections_of
from jugum.core.page import Box, Page, Word, union
from jugum.core.schema import FieldKind, FieldPlan, Plan

PROSE = (
    "The works begin in March and are done by the end of June of this year",
    "and the price that was agreed on is paid when all of them have been seen",
)
HEIGHT = 0.014


def page_of(*lines: tuple[str, float], number: int = 1) -> Page:
    """A page of lines (text, y from the top); headings begin with a number."""
    words = []
    for text, y in lines:
        at = 0.1
        for part in text.split():
            words.append(Word(part, Box(at, y, at + 0.011 * len(part), y + HEIGHT)))
            at += 0.011 * (len(part) + 1)
    return Page(number, 595, 842, tuple(words))


SECTION = (("3. Payment", 0.5), (PROSE[0], 0.52), (PROSE[1], 0.54))


@pytest.mark.parametrize(
    "after",
    [
        ((PROSE[0], 0.62),),  # white of almost five lines
        (("______________________", 0.56), ("The client", 0.575)),
        (("Signature of the client", 0.57),),
        (("Place and date:", 0.57), ("Tarnby, 3 March", 0.585)),
        (("RECEIVED 12 MAY 2026", 0.556), ("Registry of Tarnby", 0.572)),
        (("4. Notice", 0.56), (PROSE[0], 0.58)),
    ],
)
def test_a_section_ends_before_what_is_no_part_of_it(after: tuple[tuple[str, float], ...]) -> None:
    payment = next(section for section in sections_of([page_of(*SECTION, *after)]) if section.heading == "3. Payment")
    assert payment.text == f"3. Payment {PROSE[0]} {PROSE[1]}"


@pytest.mark.parametrize(
    "after",
    [
        ((PROSE[0], 0.57),),  # the next paragraph
        (("RECEIVED GOODS ARE PAID FOR WITHIN THIRTY DAYS OF THE INVOICE AND", 0.556),),  # a line of prose in capitals
        (("Signatures by telefax are as good as others under this contract", 0.556),),  # a line of prose
    ],
)
def test_a_section_goes_on_over_its_paragraphs(after: tuple[tuple[str, float], ...]) -> None:
    payment = next(section for section in sections_of([page_of(*SECTION, *after)]) if section.heading == "3. Payment")
    assert payment.text.endswith(after[-1][0])


def test_a_section_goes_on_over_the_page_whatever_white_ends_it() -> None:
    pages = [page_of(*SECTION), page_of((PROSE[0], 0.1), ("4. Notice", 0.13), (PROSE[1], 0.15), number=2)]
    assert sections_of(pages)[0].text == f"3. Payment {PROSE[0]} {PROSE[1]} {PROSE[0]}"


def test_every_line_is_still_in_a_paragraph() -> None:
    page = page_of(*SECTION, ("Signature of the client", 0.57), (PROSE[0], 0.7))
    said = [line.text for paragraph in paragraphs_of([page]) for line in paragraph.lines]
    assert said == ["3. Payment", *PROSE, "Signature of the client", PROSE[0]]


# ---- As on another paper of the layout -------------------------------------------------------------------------------

PLAN = Plan((FieldPlan("terms", "Terms", kind=FieldKind.CLAUSE),))


def contract(number: int, *, shift: float = 0.0) -> Page:
    """Terms between two lines that all contracts have, with words of their own."""
    return page_of(
        ("Contract of works", 0.1),
        ("Between the parties it is agreed", 0.2),
        (f"that works number {number} are done at house {number} of the lane and no other", 0.22 + shift),
        (f"for a price of {number} crowns and with timber of the {number}th grade", 0.24 + shift),
        ("All else is as the law has it", 0.26 + shift),
        ("Tarnby in spring", 0.3 + shift),
    )


def marked(page: Page, first: int, last: int) -> Sample:
    """A paper on which lines (counted from 0) were marked as the terms, though the engines take them otherwise."""
    ys = sorted({word.box.y0 for word in page.words})
    box = union(word.box for word in page.words if ys[first] <= word.box.y0 <= ys[last])
    return Sample("1", (page,), {"terms": (SampleLabel("as marked", "as marked", 1, box),)})


@pytest.mark.parametrize("shift", [0.0, 0.03])
def test_a_corrected_section_is_proposed_right_on_the_next_paper(shift: float) -> None:
    labelled = marked(contract(3), 2, 3)
    found = suggest_clauses(PLAN, [labelled], [contract(47, shift=shift)])["terms"]
    assert found.text == (
        "that works number 47 are done at house 47 of the lane and no other for a price of 47 crowns and with timber "
        "of the 47th grade"
    )


def test_a_section_whose_beginning_is_not_found_again_is_not_proposed() -> None:
    other = page_of(("Receipt", 0.1), ("Paid by Runa Selvik", 0.2), ("Total 12.50", 0.3))
    assert suggest_clauses(PLAN, [marked(contract(3), 2, 3)], [other]) == {}
    unplaced = Sample("2", (contract(4),), {"terms": (SampleLabel("typed", "typed"),)})
    assert suggest_clauses(PLAN, [unplaced], [contract(5)]) == {}
