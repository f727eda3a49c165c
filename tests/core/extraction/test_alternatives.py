"""Choices made by striking out or ringing printed words: parted into answers, read by the plan and by what labels
taught."""

from __future__ import annotations

import pytest

from jugum.core.extraction.alternatives import alternatives_of
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.learned_marks import printed_choices, with_learned_captions
from jugum.core.extraction.marks import read_choice, read_tick
from jugum.core.extraction.ticks import ticks_of
from jugum.core.ocr.rules import Ruling
from jugum.core.page import Box, Page, Word, reading_order, union
from jugum.core.schema import FieldPlan, Plan
from jugum.core.structure import Structure, WordMarks
from jugum.core.values import DataType, Option

STATE = FieldPlan("state", "State", DataType.CHOICE, options=(Option("sound"), Option("broken"), Option("missing")))
Y = 0.3


def page(text: str) -> tuple[Page, WordMarks]:
    """A page with one row. Words in ~…~ are struck, in (( … )) ringed; two blanks part pieces."""
    placed: list[Word] = []
    struck, ringed = [], []
    x = 0.08
    in_strike = in_ring = False
    for part in text.replace("  ", " \t ").split(" "):
        if part == "\t":
            x += 0.06
            continue
        starts, ends = part.startswith("~"), part.endswith("~")
        in_strike, in_ring = in_strike or starts, in_ring or part.startswith("((")
        plain = part.strip("~").removeprefix("((").removesuffix("))")
        if in_strike:
            struck.append(len(placed))
        if in_ring:
            ringed.append(len(placed))
        placed.append(Word(plain, Box(x, Y, x + 0.009 * len(plain), Y + 0.014)))
        x += 0.009 * len(plain) + 0.006
        in_strike, in_ring = in_strike and not ends, in_ring and not part.endswith("))")
    return Page(1, 595, 842, reading_order(placed)), WordMarks(tuple(struck), tuple(ringed))


def said(text: str) -> list[tuple[str, bool]]:
    return [(one.text, one.chosen) for _, its in alternatives_of(*page(text)) for one in its]


def layers(marks: WordMarks) -> Structure:
    return Structure((), Ruling((), ()), (), (), (), (), (), (), marks)


@pytest.mark.parametrize(
    ("text", "answers"),
    [
        ("~sound~ / broken / ~missing~", [("sound", False), ("broken", True), ("missing", False)]),
        ("found it  ~sound~ / broken", [("sound", False), ("broken", True)]),
        ("State: sound / ~broken~", [("sound", True), ("broken", False)]),
        ("~sound/~ broken / ~missing~", [("sound", False), ("broken", True), ("missing", False)]),
        ("sound / ((broken)) / missing", [("sound", False), ("broken", True), ("missing", False)]),
        ("~quite sound~ / badly broken", [("quite sound", False), ("badly broken", True)]),
        ("sound  ~broken~  missing", [("sound", True), ("broken", False), ("missing", True)]),
    ],
)
def test_alternatives_are_what_stands_between_bars_or_apart(text: str, answers: list[tuple[str, bool]]) -> None:
    assert said(text) == answers


@pytest.mark.parametrize("text", ["sound / broken / missing", "~sound~ / ~broken~", "and / or", ""])
def test_where_a_pen_chose_nothing_there_are_none(text: str) -> None:
    assert said(text) == []


def test_what_may_belong_to_the_first_or_last_answer_is_offered_shorter_too() -> None:
    ((before, (first, _)),) = alternatives_of(*page("the ware we found quite sound / ~broken~"))
    assert first.chosen
    assert first.text == "ware we found quite sound"
    assert {"sound", "quite sound"} <= set(first.shorter)
    assert before == "the"


@pytest.mark.parametrize(
    ("text", "answer"),
    [
        ("the ware is sound / ~broken~ / ~missing~", "sound"),
        ("the ware is ~sound~ / broken / ~missing~", "broken"),
        ("the ware is ~sound~ / ~broken~ / missing as we saw", "missing"),
    ],
)
def test_a_choice_is_read_from_the_words_a_pen_left(text: str, answer: str) -> None:
    made, marks = page(text)
    found = read_choice(STATE, ticks_of([made], [layers(marks)]), [made])
    assert [value.normal for value in found.values if value] == [answer]
    assert next(value.why for value in found.values if value).startswith("a pen chose")


def test_labelled_papers_teach_what_the_answers_are_called() -> None:
    def labelled(key: str, text: str, answer: str, words: tuple[int, int]) -> tuple[Sample, Structure]:
        made, marks = page(text)
        box = union(word.box for word in made.words[words[0] : words[1] + 1])
        return Sample(key, (made,), {"state": (SampleLabel("", answer, 1, box),)}), layers(marks)

    plan = Plan((STATE,))
    papers = [
        labelled("a", "it came whole / ~in bits~ / ~not at all~", "sound", (2, 2)),
        labelled("b", "it came ~whole~ / in bits / ~not at all~", "broken", (4, 5)),
        labelled("c", "it came ~whole~ / ~in bits~ / not at all", "missing", (7, 9)),
    ]
    samples = [sample for sample, _ in papers]
    structures = {sample.key: [found] for sample, found in papers}
    assert not printed_choices(plan, samples, structures)
    taught = with_learned_captions(plan, samples, structures)
    assert {option.key: option.printed for option in taught.field("state").options} == {
        "sound": ("whole",),
        "broken": ("in bits",),
        "missing": ("not at all",),
    }
    made, marks = page("it came ~whole~ / ~in bits~ / not at all")
    found = read_choice(taught.field("state"), ticks_of([made], [layers(marks)]), [made])
    assert [value.normal for value in found.values if value] == ["missing"]


def test_a_question_is_answered_by_what_was_left_of_did_and_did_not() -> None:
    field = FieldPlan(
        "insured",
        "Insured",
        DataType.TICK,
        options=(Option("yes", printed=("did",)), Option("no", printed=("did not",))),
    )
    for text, answer in (("I did / ~did not~ insure it", "yes"), ("I ~did~ / did not insure it", "no")):
        made, marks = page(text)
        found = read_tick(field, ticks_of([made], [layers(marks)]))
        assert [value.normal for value in found.values if value] == [answer], text
