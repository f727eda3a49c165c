"""What stands near a value in sentences, and which runs of words are offered as values there."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.extraction.candidates.meanings import commonness
from jugum.core.extraction.values.surroundings import naming, ranks_of, repeats_of, usual, words_of
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.values import DataType, ValueType

D = DataType
HEADING = CHANNELS.index("heading")


def page(*rows: str | tuple[float, str] | list[tuple[float, str]], step: float = 0.02) -> Page:
    """A page with a line of words a row, at the left edge or from the place that is given, or several pieces."""
    words = []
    for number, row in enumerate(rows):
        y = 0.1 + number * step
        for start, text in row if isinstance(row, list) else [row if isinstance(row, tuple) else (0.08, row)]:
            x = start
            for part in text.split():
                words.append(Word(part, Box(x, y, x + 0.0085 * len(part), y + 0.013)))
                x += 0.0085 * len(part) + 0.006
    return Page(1, 595, 842, reading_order(words))


def found(made: Page, kind: DataType) -> list[Candidate]:
    return PageCandidates(made).of([ValueType(kind)])


LETTER = page(
    "We lend the machine to Ella Tarvik from the fourth week on, and she pays for it a sum of",
    "kr 4 250,00 each month; the first time on May 28, 2025, and then as the calendar says it.",
)


def test_the_words_around_a_value_go_over_the_line_and_stop_where_the_sentence_does() -> None:
    amount = next(one for one in found(LETTER, D.MONEY) if one.normal == "4250.00" and one.text.startswith("kr"))
    assert amount.prose
    assert "pays for it a sum of" in amount.around
    assert "calendar" not in amount.around
    day = next(one for one in found(LETTER, D.DATE) if one.normal == "2025-05-28")
    assert "sum" not in day.around
    assert day.beside == ("on", "and")


def test_on_forms_what_stands_around_is_what_its_sides_say() -> None:
    form = page("Gross pay 4 250,00", "Paid on 28.05.2025")
    amount = next(one for one in found(form, D.MONEY) if one.normal == "4250.00")
    assert not amount.prose
    assert "gross pay" in amount.around


WORKS = (
    "The builder renews the roof and its gutters, all of it in one summer, at the house 12 Quay",
    "Street, Ness, and nothing else is done there by anybody who has not been named before it",
    "by the two who sign; what is broken on the way is mended by him who broke it, or is paid",
    "within four weeks of the day on which it was found and told to him in a letter by her.",
    "Each keeps one of two like copies, and a third one lies with the",
    "office of works.",
)


@pytest.mark.parametrize("step", [0.02, 0.03, 0.045])
def test_a_paragraph_goes_on_in_the_next_line_however_wide_it_is_set(step: float) -> None:
    """Lines of 0.013 page heights, half of one to two and a half apart."""
    made = PageCandidates(page(*WORKS, step=step))
    assert made.is_prose(made.segments[-1])
    # an address may begin with its number and go on in the next line
    assert "12 Quay Street, Ness," in [one.text for one in made.of([ValueType(D.TEXT)])]


def test_lines_far_below_a_paragraph_are_none_of_it() -> None:
    above, far = page(*WORKS), Word("Ness", Box(0.08, 0.3, 0.12, 0.313))
    made = PageCandidates(replace(above, words=reading_order([*above.words, far])))
    assert not made.is_prose(made.segments[-1])


def test_on_forms_a_number_at_a_line_s_end_begins_no_text_of_the_next() -> None:
    form = PageCandidates(page("Rows of the form 12 Quay", "Street, Ness"))
    assert "12 Quay Street, Ness" not in [one.text for one in form.of([ValueType(D.TEXT)])]


@pytest.mark.parametrize("text", ["28", "2025", "28, 2025,"])
def test_parts_of_a_date_with_its_month_are_no_amounts(text: str) -> None:
    assert text not in [one.text for kind in (D.MONEY, D.NUMBER) for one in found(LETTER, kind)]


def test_a_number_beside_a_date_stays_an_amount() -> None:
    made = page("28 May 2025 120,00", "May 12 2025")
    assert "120.00" in [one.normal for one in found(made, D.MONEY)]


def test_a_date_begins_and_ends_with_itself() -> None:
    made = page("It was said on 4 May 2025, and never again")
    assert {one.text for one in found(made, D.DATE) if one.normal == "2025-05-04"} == {"4 May 2025,"}


@pytest.mark.parametrize(
    ("line", "kind", "normal"),
    [
        ("to Ella Tarvik (roll 564989): what we paid to her over the whole of the year", D.IDENTIFIER, "564989"),
        ("and for that we owe you (in figures 163 050,00), half of it now and half later", D.MONEY, "163050.00"),
        (
            "either may leave it by telling the other twelve (12) weeks before the end",
            D.TEXT,
            "twelve (12) weeks",
        ),
        ("the paper that we know as no. 5582/Y was left with us on the first of the month", D.IDENTIFIER, "5582/Y"),
    ],
)
def test_values_in_sentences_are_offered_without_what_belongs_to_the_sentence(
    line: str, kind: DataType, normal: str
) -> None:
    assert normal in [one.normal for one in found(page(line), kind)]


def test_dates_are_read_in_the_order_of_their_paper_unless_a_person_said_another() -> None:
    made = page("Made out on 03/04/2025 by us,", "for work from 05/06/2025-07/08/2025 on.")
    for order, said, normals in (
        (None, None, {"2025-04-03", "2025-06-05", "2025-08-07"}),
        (True, None, {"2025-03-04", "2025-05-06", "2025-07-08"}),
        (False, True, {"2025-03-04", "2025-05-06", "2025-07-08"}),
        (True, False, {"2025-04-03", "2025-06-05", "2025-08-07"}),
    ):
        kind = ValueType(D.DATE, month_first=said)
        its = PageCandidates(replace(made, month_first=order)).of([kind])
        assert {one.normal for one in its} == normals
        assert {one.kind for one in its} == {kind}


def test_a_paragraph_is_headed_by_its_margin_or_by_the_short_line_above_it() -> None:
    made = page(
        "2. Price",
        "The whole of it is given for kr 4 250,00 and that is all there is to be said of it here,",
        "though whoever wants more may have it for kr 5 100,00 if he asks before the summer ends.",
    )
    heads = {one.normal: one.contexts[HEADING] for one in found(made, D.MONEY) if one.text.startswith("kr")}
    assert heads == {"4250.00": "0 price", "5100.00": "0 price"}
    beside = Page(
        1,
        595,
        842,
        reading_order(
            [
                *page((0.06, "Deposit")).words,
                *page((0.3, "He who takes it leaves kr 900,00 with us until we have it back again")).words,
            ]
        ),
    )
    assert {one.contexts[HEADING] for one in found(beside, D.MONEY)} == {"deposit"}


@pytest.mark.parametrize(
    ("row", "value", "said"),
    [
        ([(0.08, "Ella Tarvik"), (0.5, "= holder")], "Ella Tarvik", "holder"),
        ([(0.08, "Ella Tarvik (the holder) of this")], "Ella Tarvik", "the holder"),
        ([(0.08, "Ella Tarvik (holder of a card that ends")], "Ella Tarvik", ""),  # the bracket is too long
        ([(0.08, "Ella Tarvik"), (0.5, "Born:")], "Ella Tarvik", ""),  # whose value stands below
        ([(0.08, "Ella Tarvik"), (0.4, "Card"), (0.7, "48 213")], "Ella Tarvik", ""),  # the name of the number
        ([(0.08, "Ella Tarvik"), (0.5, "48 213")], "Ella Tarvik", ""),
        ([(0.08, "Ella Tarvik"), (0.5, "holder")], "Ella", ""),  # it stands behind the whole name
    ],
)
def test_names_may_stand_behind_their_values(row: list[tuple[float, str]], value: str, said: str) -> None:
    made = page(row)
    one = next(one for one in found(made, D.TEXT) if one.text == value)
    assert one.contexts[CHANNELS.index("right")] == said


def test_a_name_is_said_by_its_words_or_their_like_in_any_order() -> None:
    table = naming(
        ["the day on which payment falls due", "of the first part", "payments made on days due", ""],
        ["due date of payment", "seller"],
    )
    assert table.shape == (4, 2)
    assert table[0, 0] > 0.6
    assert table[2, 0] > 0.6
    assert table[1, 0] < 0.4
    assert table[:, 1].max() < 0.5
    assert not table[3].any()
    assert naming([], ["name"]).shape == (0, 1)
    assert naming(["text"], []).shape == (1, 0)


def test_ranks_tell_the_smallest_the_largest_and_the_first() -> None:
    made = page("fee 20,00", "whole 500,00", "half 250,00", "again 500,00")
    its = [one for one in found(made, D.MONEY) if one.widest]
    ranks = {one.text: row.tolist() for one, row in zip(its, ranks_of(its), strict=True)}
    assert ranks["20,00"] == pytest.approx([1, 1 / 3, 1])
    assert ranks["500,00"] == pytest.approx([1 / 3, 1, 1 / 2])
    assert ranks["250,00"] == pytest.approx([1 / 2, 1 / 2, 1 / 3])
    repeats = dict(zip([one.text for one in its], repeats_of(its).tolist(), strict=True))
    assert repeats == pytest.approx({"20,00": 0.0, "500,00": np.log(2), "250,00": 0.0})


def test_names_are_of_rarer_words_than_titles() -> None:
    made = page("Statement of account", "Tarvik Holmgrend")
    by_text = {one.text: usual(one) for one in found(made, D.TEXT)}
    assert by_text["Statement of account"]["usual"] > by_text["Tarvik Holmgrend"]["usual"] + 0.2
    assert commonness("the") > commonness("account") > commonness("holmgrend") == 0.0
    assert commonness("") == 0.0


def test_words_are_hashed_alike_wherever_they_stand() -> None:
    first, second, none = words_of(["pays the price", "the price is named", ""])
    assert len(set(first[first >= 0]) & set(second[second >= 0])) == 2
    assert (none == -1).all()
