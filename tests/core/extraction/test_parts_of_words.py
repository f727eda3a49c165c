"""Values that are parts of a word: two dates with a dash between them; and values of several lines."""

from __future__ import annotations

import random
from datetime import date, timedelta

import pytest

from jugum.core.extraction.candidates.generate import candidates_of
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.values.assignment import Decision, shares_words
from jugum.core.page import Box, Page, Word, part_of, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.training import train_version
from jugum.core.values import DataType, normal_or_text
from jugum.demo.zonetext import Holder, passport_zone

PLAN = Plan(
    (FieldPlan("begins", "Begins", DataType.DATE), FieldPlan("ends", "Ends", DataType.DATE), FieldPlan("who", "Member"))
)


def page_of(*texts: str) -> Page:
    """One word after another down a page."""
    words = [
        Word(text, Box(0.1, 0.1 + 0.03 * at, 0.1 + 0.011 * len(text), 0.114 + 0.03 * at))
        for at, text in enumerate(texts)
    ]
    return Page(1, 595, 842, reading_order(words))


@pytest.mark.parametrize(
    ("word", "dates"),
    [
        ("01/02/2026-28/02/2026", ["2026-02-01", "2026-02-28"]),
        ("1.2.2026–28.2.2026", ["2026-02-01", "2026-02-28"]),
        ("2026-02-01—2026-02-28", ["2026-02-01", "2026-02-28"]),
        ("2026-02-01-2026-02-28", ["2026-02-01", "2026-02-28"]),
        ("01/02/2026", ["2026-02-01"]),
        ("2026-02-01", ["2026-02-01"]),
        ("4711-12/02/2026", []),
    ],
)
def test_two_dates_in_one_word_are_two_candidates(word: str, dates: list[str]) -> None:
    found = candidates_of([page_of(word)], [DataType.DATE])
    assert [candidate.normal for candidate in found] == dates
    if len(found) == 2:
        assert not shares_words(found[0], found[1])
        assert found[0].box.x1 <= found[1].box.x0


def stay(number: int) -> Sample:
    """A note of a stay whose first and last day are one word, on one of two lines."""
    rng = random.Random(number)
    first = date(2026, 1, 1) + timedelta(days=rng.randint(0, 300))
    days = [day.strftime("%d/%m/%Y") for day in (first, first + timedelta(days=rng.randint(1, 40)))]
    who = rng.choice(("Runa Selvik", "Odd Brekke", "Tove Marn"))
    y = 0.2 + 0.02 * (number % 4)
    texts = [
        (0.1, 0.1, "Stay"),
        (0.1, y, "Period"),
        (0.3, y, "-".join(days)),
        (0.1, 0.4, "Member"),
        (0.3, 0.4, who),
        (0.1, 0.6, "Issued"),
        (0.3, 0.6, (first + timedelta(days=60)).strftime("%d/%m/%Y")),
    ]
    words = [
        Word(part, Box(x + 0.011 * at, y, x + 0.011 * (at + len(part)), y + 0.014))
        for x, y, text in texts
        for part, at in [(part, text.index(part)) for part in text.split()]
    ]
    period = next(word for word in words if "-" in word.text)
    values = {"begins": (days[0], part_of([period], days[0])), "ends": (days[1], part_of([period], days[1]))}
    name = [word for word in words if word.text in who.split()]
    values["who"] = (who, Box(name[0].box.x0, name[0].box.y0, name[-1].box.x1, name[-1].box.y1))
    labels = {
        key: (SampleLabel(text, normal_or_text(text, PLAN.field(key).value_type), 1, box),)
        for key, (text, box) in values.items()
    }
    return Sample(str(number), (Page(1, 595, 842, reading_order(words)),), labels)


def test_first_and_last_day_of_one_word_are_learned_as_two_fields() -> None:
    version = train_version(PLAN, [stay(number) for number in range(8)], seed=1)
    for number in range(40, 50):
        paper = stay(number)
        decided = {
            one.field: one for one, _ in version.decide_with_confidence(paper.pages) if isinstance(one, Decision)
        }
        for key, (label,) in paper.labels.items():
            assert [choice.candidate.normal for choice in decided[key].chosen] == [label.normal], (number, key)


def line(*pieces: tuple[float, float, str]) -> Page:
    """Texts at places of a page, words a blank apart."""
    words = []
    for x, y, text in pieces:
        for part in text.split():
            words.append(Word(part, Box(x, y, x + 0.0085 * len(part), y + 0.013)))
            x += 0.0085 * len(part) + 0.006
    return Page(1, 595, 842, reading_order(words))


def test_brackets_behind_words_of_a_line_are_no_minus_sign() -> None:
    prose = line((0.1, 0.1, "payable within sixty (60) days of the invoice"), (0.1, 0.2, "(1,250.00)"))
    found = {(one.text, one.normal) for one in candidates_of([prose], [DataType.NUMBER, DataType.MONEY])}
    assert ("(60)", "60") in found
    assert ("sixty (60) days", "60") in found
    assert ("(1,250.00)", "-1250.00") in found  # alone in its column it is an amount below nought
    assert not any(normal == "-60" for _, normal in found)


def test_brackets_that_tell_of_a_credit_are_a_minus_sign_among_words_too() -> None:
    told = (0.1, 0.1, "leaving a balance of (Cr 626.37) on the day")
    prose = line(told, (0.1, 0.2, "or of (CR 12.00), and (crew 60)"))
    found = {(one.text, one.normal) for one in candidates_of([prose], [DataType.MONEY])}
    assert ("(Cr 626.37)", "-626.37") in found
    assert ("(CR 12.00),", "-12.00") in found
    assert not any(normal == "-60" for _, normal in found)


def test_a_zone_is_one_value_however_far_apart_its_lines_stand_and_with_its_letters_set_right() -> None:
    first, second = passport_zone(
        Holder("Lindfoss", "Merith Oda", date(1980, 5, 17), "F", "AB12CD34E", date(2031, 2, 3))
    )
    misread = second.replace("UTO", "UT0")
    words = [Word(text, Box(0.05, y, 0.95, y + 0.015)) for text, y in ((first, 0.8), (misread, 0.85))]
    found = candidates_of([Page(1, 595, 842, reading_order(words))], [DataType.TEXT])
    (zone,) = [one for one in found if one.stacked == 2]
    assert zone.text == f"{first} {second}"
    assert zone.box.y0 == pytest.approx(0.8)
    assert zone.box.y1 == pytest.approx(0.865)


def test_an_amount_whose_thousands_stand_apart_is_not_cut_in_two() -> None:
    found = {one.text for one in candidates_of([line((0.1, 0.1, "Net 12 450,00"))], [DataType.MONEY])}
    assert "12 450,00" in found
    assert not found & {"450,00", "12"}
    apart = line((0.1, 0.1, "12"), (0.2, 0.1, "450,00"))
    assert {"12", "450,00"} <= {one.text for one in candidates_of([apart], [DataType.MONEY])}


def stacked(*texts: str, step: float) -> list[str]:
    """Candidates of several lines, of texts that stand `step` lines (of 0.012 page heights) below one another."""
    words = [
        Word(text, Box(0.1, 0.1 + 0.012 * step * at, 0.1 + 0.011 * len(text), 0.112 + 0.012 * step * at))
        for at, text in enumerate(texts)
    ]
    found = candidates_of([Page(1, 595, 842, reading_order(words))], {DataType.TEXT})
    return [candidate.text for candidate in found if len(candidate.spans) > 1]


def test_lines_of_a_text_are_one_value_where_boxes_are_close_around_the_letters() -> None:
    assert stacked("Quay Lane", "Tarnby", step=1.8) == ["Quay Lane Tarnby"]
    assert stacked("Quay Lane", "Tarnby", step=2.3) == []
