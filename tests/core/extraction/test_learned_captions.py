"""Captions that labelled marks teach: options and yes/no boxes worded otherwise than the plan says."""

from __future__ import annotations

from dataclasses import replace

import pytest

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.learned_marks import printed_choices, with_learned_captions
from jugum.core.extraction.marks import read_choice, read_signature, read_tick
from jugum.core.extraction.ticks import captioned, ticks_of
from jugum.core.extraction.values.assignment import Decision
from jugum.core.formats.version_file import pack_version, unpack_version
from jugum.core.ocr.rules import Ruling
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.schema import FieldPlan, Plan
from jugum.core.structure import Structure, TickBox
from jugum.core.training import train_version
from jugum.core.values import DataType, Option

STATE = FieldPlan("state", "State", DataType.CHOICE, options=(Option("sound"), Option("broken"), Option("missing")))
INSURED = FieldPlan("insured", "Insured", DataType.TICK)
PLAN = Plan((STATE, INSURED))
Y = 0.3


def paper(
    words: list[tuple[float, str]], boxes: list[tuple[float, bool]], *, y: float = Y
) -> tuple[tuple[Page, ...], list[Structure | None]]:
    """A page with texts at places of one row, and tick boxes there."""
    placed = []
    for x, text in words:
        for part in text.split():
            placed.append(Word(part, Box(x, y, x + 0.01 * len(part), y + 0.014)))
            x += 0.01 * len(part) + 0.006
    ticks = tuple(TickBox(box_at(x, y), ticked, 0.5 if ticked else 0.0) for x, ticked in boxes)
    layers = Structure((), Ruling((), ()), (), (), ticks, (), (), ())
    return (Page(1, 595, 842, reading_order(placed)),), [layers]


def box_at(x: float, y: float = Y) -> Box:
    return Box(x, y, x + 0.018, y + 0.013)


def learned(samples: list[tuple[str, tuple[tuple[Page, ...], list[Structure | None]], str, Box]]) -> Plan:
    """The plan after labelled papers: (field, paper, normal form, the label's box)."""
    made = [
        Sample(str(number), pages, {key: (SampleLabel(normal, normal, 1, box),)})
        for number, (key, (pages, _), normal, box) in enumerate(samples)
    ]
    return with_learned_captions(PLAN, made, {str(n): layers for n, (_, (_, layers), _, _) in enumerate(samples)})


def answers(plan: Plan, made: tuple[tuple[Page, ...], list[Structure | None]]) -> list[str]:
    pages, layers = made
    return [value.normal for value in read_choice(plan.field("state"), ticks_of(pages, layers), pages).values if value]


def on_right(chosen: int | None, hidden: int | None = None) -> tuple[tuple[Page, ...], list[Structure | None]]:
    """Three boxes with their captions right of them; the box that is `hidden` is not found."""
    places = [0.2, 0.4, 0.6]
    words = [(x + 0.03, text) for x, text in zip(places, ("in order", "worn out", "not there"), strict=True)]
    return paper(words, [(x, n == chosen) for n, x in enumerate(places) if n != hidden])


def on_left(chosen: int) -> tuple[tuple[Page, ...], list[Structure | None]]:
    """The same with their captions left of them, behind the name of the row."""
    places = [0.32, 0.5, 0.68]
    words = [(0.05, "Seen as:"), (0.22, "in order"), (0.4, "worn out"), (0.57, "not there")]
    return paper(words, [(x, n == chosen) for n, x in enumerate(places)])


def test_options_are_read_by_the_captions_of_labelled_papers() -> None:
    assert answers(PLAN, on_right(1)) == []
    plan = learned([("state", on_right(n), key, box_at(0.2 + 0.2 * n)) for n, key in enumerate(("sound", "broken"))])
    assert plan.field("state").options[0].printed == ("in order",)
    assert [answers(plan, on_right(n)) for n in (0, 1)] == [["sound"], ["broken"]]
    assert answers(plan, on_left(1)) == ["broken"]


def test_captions_left_of_their_boxes_are_told_from_those_on_the_right() -> None:
    plan = learned([("state", on_left(n), key, box_at(0.32 + 0.18 * n)) for n, key in enumerate(("sound", "broken"))])
    assert [option.printed for option in plan.field("state").options] == [("in order",), ("worn out",), ()]


def test_a_heavy_tick_that_hides_its_box_is_found_by_the_others_being_empty() -> None:
    shown = [(0, "sound"), (1, "broken"), (2, "missing")]
    # The ticked box is not found on the labelled papers either: its caption is what stands where the label is.
    plan = learned([("state", on_right(None, hidden=n), key, box_at(0.2 + 0.2 * n)) for n, key in shown])
    assert [option.printed for option in plan.field("state").options] == [("in order",), ("worn out",), ("not there",)]
    for number, key in shown:
        assert answers(plan, on_right(None, hidden=number)) == [key]
    assert answers(plan, on_right(None)) == []  # all boxes are there and empty: nobody chose
    assert answers(plan, on_right(0, hidden=1)) == ["sound"]


def test_a_caption_that_stands_for_two_answers_as_often_is_nobodys() -> None:
    plan = learned([("state", on_right(0), "sound", box_at(0.2)), ("state", on_right(0), "broken", box_at(0.2))])
    assert [option.printed for option in plan.field("state").options] == [(), (), ()]


@pytest.mark.parametrize(("ticked", "answer"), [(True, "yes"), (False, "no")])
def test_a_single_box_says_yes_when_ticked_and_no_when_empty(ticked: bool, answer: str) -> None:
    def form(ticked: bool) -> tuple[tuple[Page, ...], list[Structure | None]]:
        return paper([(0.23, "cover taken out")], [(0.2, ticked)])

    for label_ticked, normal in ((True, "yes"), (False, "no")):  # either teaches the same caption
        plan = learned([("insured", form(label_ticked), normal, box_at(0.2))])
        pages, layers = form(ticked)
        found = read_tick(plan.field("insured"), ticks_of(pages, layers))
        assert [value.normal for value in found.values if value] == [answer]


def test_two_boxes_answer_by_which_of_them_is_ticked() -> None:
    def form(yes: bool) -> tuple[tuple[Page, ...], list[Structure | None]]:
        return paper([(0.23, "taken"), (0.43, "declined")], [(0.2, yes), (0.4, not yes)])

    plan = learned([("insured", form(True), "yes", box_at(0.2)), ("insured", form(False), "no", box_at(0.4))])
    for yes in (True, False):
        pages, layers = form(yes)
        found = read_tick(plan.field("insured"), ticks_of(pages, layers))
        assert [value.normal for value in found.values if value] == ["yes" if yes else "no"]
    pages, layers = paper([(0.23, "taken"), (0.43, "declined")], [(0.2, True), (0.4, True)])
    assert read_tick(plan.field("insured"), ticks_of(pages, layers)).values == ()  # both: it can't be told


def said(made: tuple[tuple[Page, ...], list[Structure | None]], *, alone: bool = True) -> list[tuple[str, bool]]:
    """The answer to the yes/no question, and whether it is a guess."""
    pages, layers = made
    found = read_tick(PLAN.field("insured"), ticks_of(pages, layers), alone=alone)
    return [(value.normal, value.score <= 0.5) for value in found.values if value]


def test_the_only_question_of_a_paper_is_taken_for_the_only_one_of_the_plan() -> None:
    """Though nobody has ever seen how it is worded; what is nearest in meaning is, however many there are."""
    pair = [(0.05, "Stood by at all hours"), (0.43, "Y"), (0.63, "N")]
    for yes in (True, False):
        assert said(paper(pair, [(0.4, yes), (0.6, not yes)])) == [("yes" if yes else "no", True)]
        assert said(paper([(0.05, "Stood by at all hours")], [(0.6, yes)])) == [("yes" if yes else "no", True)]
    assert said(paper(pair, [(0.4, True), (0.6, True)])) == []  # both: it can't be told
    assert said(paper(pair, [(0.4, True), (0.6, False)]), alone=False) == []  # it may be another field's
    # boxes evenly below one another are rather the answers to one question
    (page,), (layers,) = paper([(0.05, "Stood by"), (0.45, "at sea")], [(0.4, True)])
    assert layers is not None
    three = replace(layers, ticks=tuple(TickBox(box_at(0.4, Y + 0.02 * n), n == 1, 0.0) for n in range(3)))
    assert said(((page,), [three])) == []
    apart = replace(layers, ticks=(*three.ticks, TickBox(box_at(0.4, Y + 0.1), True, 0.5)))
    assert said(((page,), [apart])) == [("yes", True)]
    texts = ((0.3, "Stood by at all hours"), (0.5, "Insured with us"))
    rows = [paper([(0.05, text)], [(0.6, False)], y=y)[0][0] for y, text in texts]
    both = Page(1, 595, 842, reading_order([word for row in rows for word in row.words]))
    ticks = (TickBox(box_at(0.6, 0.3), False, 0.0), TickBox(box_at(0.6, 0.5), True, 0.5))
    assert said(((both,), [replace(layers, ticks=ticks)]), alone=False) == [("yes", True)]


def test_options_one_below_another_are_guessed_by_their_meaning() -> None:
    rows = [
        paper([(0.05, text)], [(0.4, False)], y=Y + 0.02 * n) for n, text in enumerate(("gone", "broken into bits"))
    ]
    page = Page(1, 595, 842, reading_order([word for (one,), _ in rows for word in one.words]))
    (layers,) = rows[0][1]
    assert layers is not None
    for chosen, key in ((0, "missing"), (1, "broken")):
        ticks = tuple(TickBox(box_at(0.4, Y + 0.02 * n), n == chosen, 0.0) for n in range(2))
        assert answers(PLAN, ((page,), [replace(layers, ticks=ticks)])) == [key]


def test_labels_without_a_place_or_on_a_sentence_teach_nothing() -> None:
    pages, layers = on_right(0)
    typed = Sample("1", pages, {"state": (SampleLabel("sound", "sound"),)})
    assert with_learned_captions(PLAN, [typed], {"1": layers}) == PLAN
    whole = Box(0.0, 0.25, 1.0, 0.35)
    prose, none = paper([(0.05, "whatever it was that stood in this long line of words that nobody reads")], [])
    assert learned([("state", (prose, none), "sound", whole)]) == PLAN


# ---- Options printed as words --------------------------------------------------------------------------------------


def report(number: int, key: str, *, boxed: bool = False) -> tuple[Sample, list[Structure | None]]:
    """A paper that says the state in one word behind an odd name, and all options once more in its small print; or
    with boxes on the same row."""
    shown = {"sound": "fine", "broken": "worn", "missing": "lost"}
    lines = [
        (0.1, 0.1, f"Report {4000 + 7 * number}"),
        (0.1, 0.2, "Keeper"),
        (0.4, 0.2, ["Mira Toll", "Odd Varga", "Per Quill", "Ina Strand"][number % 4]),
        (0.1, 0.8, "Things are fine or worn or lost as the keeper finds them"),
    ]
    placed, ticks, box = [], [], None
    if boxed:
        for place, (option, text) in enumerate(shown.items()):
            x = 0.4 + 0.15 * place
            ticks.append(TickBox(box_at(x, Y), option == key, 0.5))
            lines.append((x + 0.03, Y, text))
            if option == key:
                box = box_at(x, Y)
    else:
        lines += [(0.1, Y, "Looks"), (0.4, Y, shown[key])]
    for x, y, text in lines:
        for part in text.split():
            word = Word(part, Box(x, y, x + 0.01 * len(part), y + 0.014))
            placed.append(word)
            if not boxed and part == shown[key] and y == Y:
                box = word.box
            x += 0.01 * len(part) + 0.006
    pages = (Page(1, 595, 842, reading_order(placed)),)
    name = next(word.box for word in placed if word.box.y0 == 0.2 and word.box.x0 == 0.4)
    both = Box(name.x0, name.y0, name.x0 + 0.01 * len(lines[2][2]) + 0.006, name.y1)
    labels = {
        "state": (SampleLabel(key, key, 1, box),),
        "keeper": (SampleLabel(lines[2][2], lines[2][2], 1, both),),
    }
    layers = [Structure((), Ruling((), ()), (), (), tuple(ticks), (), (), ())]
    return Sample(str(number), pages, labels), layers


KEYS = ("sound", "broken", "missing")


def test_an_option_printed_as_a_word_is_found_where_it_stands_and_a_box_goes_first() -> None:
    plan = Plan((STATE, FieldPlan("keeper", "Keeper", DataType.NAME)))
    made = [report(number, KEYS[number % 3], boxed=number % 2 == 1) for number in range(12)]
    version = train_version(
        plan, [sample for sample, _ in made], structures={sample.key: layers for sample, layers in made}
    )
    for number, key in enumerate(KEYS, 40):
        for boxed in (False, True):
            asked, layers = report(number, key, boxed=boxed)
            decided = [one for one, _ in version.decide_with_confidence(asked.pages, layers) if one.field == "state"]
            assert len(decided) == 1
            assert isinstance(decided[0], PartDecision) is boxed
            assert findings(decided[0]) == [key]
    back, _, _ = unpack_version(pack_version(version.trained_model, version.calibrators, {}))
    asked, layers = report(50, "missing")
    assert [findings(one) for one in back.decide(asked.pages, layers) if one.field == "state"] == [["missing"]]
    for decision in (row for row in version.seen.records if row.decision.field == "state"):
        assert sum(r.decision.field == "state" and r.paper == decision.paper for r in version.seen.records) == 1


def findings(decision: Decision | PartDecision) -> list[str]:
    if isinstance(decision, Decision):
        return [choice.candidate.normal for choice in decision.chosen]
    return [value.normal for value in decision.values[decision.field] if value]


def test_only_choices_that_stand_as_words_on_two_papers_are_looked_for_as_words() -> None:
    made = [report(number, KEYS[number % 3], boxed=number > 0) for number in range(3)]
    layers = {sample.key: its for sample, its in made}
    assert printed_choices(PLAN, [sample for sample, _ in made], layers) == frozenset()
    more = [*made, report(9, "sound")]
    layers["9"] = more[-1][1]
    assert printed_choices(PLAN, [sample for sample, _ in more], layers) == {"state"}


# ---- Signatures ------------------------------------------------------------------------------------------------------

SIGNED = Plan(
    (FieldPlan("master", "Harbour master", DataType.SIGNATURE), FieldPlan("owner", "Owner", DataType.SIGNATURE))
)
LEFT, RIGHT = Box(0.1, 0.5, 0.35, 0.53), Box(0.6, 0.5, 0.85, 0.53)


def signed(number: int, *pens: Box) -> tuple[tuple[Page, ...], list[Structure | None]]:
    """A page with two lines to sign, each with a small word below that no plan knows."""
    texts = [(0.1, 0.54, "ashore"), (0.6, 0.54, "aboard"), (0.1, 0.2, f"Berth {number}")]
    words = [
        Word(part, Box(x + 0.07 * place, y, x + 0.07 * place + 0.01 * len(part), y + 0.014))
        for x, y, text in texts
        for place, part in enumerate(text.split())
    ]
    layers = Structure((), Ruling((), ()), (), (), (), pens, (), ())
    return (Page(1, 595, 842, reading_order(words)),), [layers]


def test_what_is_printed_by_labelled_pens_names_signatures() -> None:
    samples, structures = [], {}
    for number in range(4):
        pages, layers = signed(number, LEFT, RIGHT)
        labels = {key: (SampleLabel("yes", "yes", 1, box),) for key, box in (("master", LEFT), ("owner", RIGHT))}
        samples.append(Sample(str(number), pages, labels))
        structures[str(number)] = layers
    plan = with_learned_captions(SIGNED, samples, structures)
    assert [field.printed_names for field in plan.fields] == [("ashore",), ("aboard",)]
    pages, layers = signed(9, RIGHT)
    said = {field.key: read_signature(field, pages, layers).values[0] for field in plan.fields}
    assert {key: value.normal for key, value in said.items() if value} == {"master": "no", "owner": "yes"}
    # one paper may be a slip, and what stands by both is nobody's
    assert with_learned_captions(SIGNED, samples[:1], structures) == SIGNED
    swapped = [
        Sample("x", one.pages, {"master": one.labels["owner"], "owner": one.labels["master"]}) for one in samples
    ]
    assert with_learned_captions(SIGNED, [*samples, *swapped], structures) == SIGNED


def test_captions_that_differ_in_a_figure_alone_are_told_apart() -> None:
    def form(chosen: int) -> tuple[tuple[Page, ...], list[Structure | None]]:
        words = [(x + 0.03, text) for x, text in ((0.2, "7 days"), (0.4, "14 days"), (0.6, "31 days"))]
        return paper(words, [(x, n == chosen) for n, x in enumerate((0.2, 0.4, 0.6))])

    shown = ((0, "sound"), (1, "broken"), (1, "broken"), (2, "missing"))
    plan = learned([("state", form(n), key, box_at(0.2 + 0.2 * n)) for n, key in shown])
    assert [answers(plan, form(n)) for n in range(3)] == [["sound"], ["broken"], ["missing"]]


def test_one_labelled_caption_is_enough_where_its_box_is_ticked_in_a_row_of_boxes() -> None:
    plan = learned([("state", on_right(1), "broken", box_at(0.4))])
    assert answers(plan, on_right(1)) == ["broken"]
    pages, layers = on_right(0)  # what the other boxes mean nobody has said yet: it is a guess
    (guess,) = read_choice(plan.field("state"), ticks_of(pages, layers), pages).values
    assert guess.normal == "sound"
    assert guess.score <= 0.5
    assert "nearest in meaning" in guess.why
    alone = paper([(0.43, "worn out")], [(0.4, True)])
    assert answers(plan, alone) == []  # by itself it may be the box of another question
    assert answers(PLAN, paper([(0.23, "sound"), (0.43, "loud")], [(0.2, True), (0.4, False)])) == []


def test_the_ticked_box_is_for_the_answer_that_the_others_leave() -> None:
    shown = [("state", on_right(n), key, box_at(0.2 + 0.2 * n)) for n, key in enumerate(("sound", "broken"))]
    plan = learned(shown)  # nobody has ticked the third
    pages, layers = on_right(2)
    (found,) = read_choice(plan.field("state"), ticks_of(pages, layers), pages).values
    assert found.normal == "missing"
    assert found.score > 0.6
    one = learned(shown[:1])  # of two unknown ones either may be meant: a guess
    (guess,) = read_choice(one.field("state"), ticks_of(pages, layers), pages).values
    assert guess.score <= 0.5
    assert answers(plan, on_right(None)) == []
    more = paper([(0.23, "in order"), (0.43, "worn out")], [(0.2, False), (0.4, False), (0.6, True), (0.8, False)])
    assert answers(plan, more) == []  # a row of more boxes asks something else


def test_a_cross_that_was_read_together_with_its_caption_is_no_part_of_it() -> None:
    def form(read: str, boxes: list[tuple[float, bool]]) -> tuple[tuple[Page, ...], list[Structure | None]]:
        (page,), layers = paper([(0.23, "uke"), (0.45, "d"), (0.63, "mnd")], boxes)
        glued = Word(read, Box(0.401, Y, 0.445, Y + 0.014))
        return (Page(1, 595, 842, reading_order([*page.words, glued])),), layers

    hidden = form("X14", [(0.2, False), (0.6, False)])
    plan = learned([("state", hidden, "broken", box_at(0.4))])
    assert plan.field("state").options[1].printed == ("14 d",)
    assert answers(plan, form("X14", [(0.2, False), (0.4, True), (0.6, False)])) == ["broken"]
    kept = ticks_of(*form("Vat", [(0.2, False), (0.36, True), (0.6, False)]))  # a word of its own right of its box
    assert kept[1].caption == "Vat d"
    empty = ticks_of(*form("Vat", [(0.2, True), (0.4, False), (0.6, False)]))  # the box was read as nothing
    assert [tick.caption for tick in empty] == ["uke", "Vat d", "mnd"]


def test_a_box_far_off_its_row_is_another_questions() -> None:
    words = [(0.15, "S"), (0.2, "M"), (0.25, "W"), (0.35, "there from first to last")]
    made = paper(words, [(0.13, True), (0.18, False), (0.23, False), (0.6, False)])
    assert [tick.caption for tick in ticks_of(*made)] == ["S", "M", "W", "there from first to last"]
    near = paper(words[:3], [(0.13, True), (0.18, False), (0.23, False)])
    assert len({tick.row for tick in ticks_of(*near)}) == 1
    assert len({tick.row for tick in ticks_of(*made)}) == 2


def test_a_last_caption_that_was_not_read_turns_no_row_round() -> None:
    words = [(0.05, "Check:"), (0.15, "S"), (0.2, "M")]
    made = paper(words, [(0.13, True), (0.18, False), (0.23, False)])
    assert [tick.caption for tick in ticks_of(*made)][:2] == ["S", "M"]


def test_a_caption_that_was_read_as_one_with_the_box_behind_it_is_still_its_caption() -> None:
    """Captions left of their boxes; the engine's places of the words end with the boxes, and a cross was read along."""
    words = [Word("smallX", Box(0.3, 0.1, 0.4, 0.115)), Word("large", Box(0.5, 0.1, 0.6, 0.115))]
    boxes = [TickBox(Box(0.385, 0.1, 0.4, 0.112), True, 0.3), TickBox(Box(0.585, 0.1, 0.6, 0.112), False, 0.0)]
    found = list(captioned(Page(1, 595, 842, tuple(words)), boxes))
    assert [(tick.caption, tick.ticked) for tick in found] == [("small", True), ("large", False)]
