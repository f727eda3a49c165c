"""Made-up papers of many kinds as words on pages: the school of the prior ranker. None of the demo's kinds of paper is
among them.

A type draws some of the school's things as its fields. Each of its layouts is of one of several hands (forms with
captions beside, above, beneath, in cells; letters, deeds, sections, notes, certificates in sentences) and has wordings,
order, places and spellings of its own, so that what one layout of a type shows has to be carried over to another hand.
"""

from __future__ import annotations

import random
from dataclasses import dataclass
from datetime import date

from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.page import Box, Page, Word, reading_order, union
from jugum.core.schema import FieldPlan, Plan
from jugum.core.values import DataType, normal_or_text
from prior.forms import FORM_WAYS
from prior.ink import (
    AMOUNT_WAYS,
    DATE_WAYS,
    Ink,
    identifier,
    later,
    spelled_amount,
    spelled_date,
    word,
)
from prior.layout import Facts, LayoutGroup, Row
from prior.prose import PROSE_WAYS
from prior.things import SPANS, THINGS, TITLES
from prior.worlds import World, world

D = DataType
STRANGE = 0.08  # share of captions in words that nobody knows
SENTENCES = 0.4  # share of layouts in running prose


@dataclass(frozen=True)
class Kind:
    """A type of paper: its plan, the thing each field is, its layouts, and the world its papers come from."""

    plan: Plan
    things: dict[str, str]
    world: World
    layouts: tuple[LayoutGroup, ...]


def kind(rng: random.Random, ways: tuple[str, ...] = (*FORM_WAYS, *PROSE_WAYS)) -> Kind:
    """A type with 5 to 12 fields and two to four layouts, in some of the `ways`."""
    chosen = rng.sample(sorted(THINGS), rng.randint(5, 12))
    fields, things = [], {}
    for number, thing in enumerate(chosen):
        names = THINGS[thing].names
        own = rng.choice([names[0], thing.capitalize(), rng.choice(names)])
        printed = tuple(rng.sample(names, rng.choice([0, 0, 1, 2])))
        key = f"f{number}"
        things[key] = thing
        fields.append(FieldPlan(key, own, THINGS[thing].data_type, printed, required=rng.random() < 0.6))
    layouts = tuple(layout(rng, things, ways) for _ in range(rng.randint(2, 4)))
    return Kind(Plan(tuple(fields)), things, world(rng, things.values()), layouts)


def layout(rng: random.Random, things: dict[str, str], ways: tuple[str, ...]) -> LayoutGroup:
    forms, prose = [way for way in ways if way in FORM_WAYS], [way for way in ways if way in PROSE_WAYS]
    sentences = bool(prose) and (not forms or rng.random() < SENTENCES)
    others = [thing for thing in THINGS if thing not in things.values()]
    noise = tuple(rng.sample(others, rng.randint(2, 6)))
    order = [*((key, thing) for key, thing in things.items()), *(("", thing) for thing in noise)]
    rng.shuffle(order)
    captions: dict[str, str] = {}
    for thing in (thing for _, thing in order):
        names = [name for name in THINGS[thing].names if name not in captions.values()] or [thing.capitalize()]
        strange = " ".join(word(rng) for _ in range(rng.randint(1, 2))).capitalize()
        captions[thing] = strange if rng.random() < STRANGE else rng.choice(names)
    title = rng.choice(TITLES)
    return LayoutGroup(
        way=rng.choice(prose if sentences else forms),
        captions=captions,
        order=tuple(order),
        colon=rng.random() < 0.5,
        left=rng.uniform(0.05, 0.15),
        value_x=rng.uniform(0.3, 0.6),
        top=rng.uniform(0.14, 0.28),
        step=rng.uniform(0.02, 0.034),
        dates=rng.randrange(DATE_WAYS),
        amounts=rng.randrange(AMOUNT_WAYS),
        identifiers=rng.randrange(7),
        spans=rng.randrange(3),
        title=title.upper() if rng.random() < 0.5 else title,
        previous_first=rng.random() < 0.5,
        again=rng.random() < 0.3,
        seed=rng.randrange(10**9),
    )


def value(rng: random.Random, thing: str, layout_: LayoutGroup, day: date, total: float, of: World) -> str:
    """What a thing is on a paper of some day and sum, in the spelling of its layout and the words of its world."""
    one = THINGS[thing]
    if one.data_type is D.DATE:
        return spelled_date(later(day, rng, one.when), layout_.dates)
    if one.data_type is D.MONEY:
        return spelled_amount(total * rng.uniform(*one.size), layout_.amounts)
    if one.data_type is D.NUMBER:
        return str(rng.choice([rng.randint(1, 99), rng.randint(100, 9999)]))
    if one.data_type is D.PERCENT:
        return f"{rng.randint(1, 30)}{rng.choice(['', '.5'])} %"
    if one.data_type is D.IDENTIFIER:
        return identifier(rng, layout_.identifiers)
    if one.data_type is D.NAME:
        return of.name(rng, thing)
    return of.span(rng, thing, layout_.spans) if thing in SPANS else of.text(rng, thing)


def paper(rng: random.Random, kind_: Kind, layout_: LayoutGroup, number: str, *, slips: float = 0.0) -> Sample:
    """A paper of a layout as a sample, its labels where its values stand. `slips`: share of letters misread."""
    day = date(rng.randint(2019, 2027), rng.randint(1, 12), rng.randint(1, 28))
    total = rng.choice([rng.uniform(20, 999), rng.uniform(1000, 99_999)])
    rows = [
        Row(key, layout_.captions[thing], thing, value(rng, thing, layout_, day, total, kind_.world))
        for key, thing in layout_.order
        if not key or kind_.plan.field(key).required or rng.random() < 0.7
    ]
    facts = Facts(rng, layout_, lambda thing: value(rng, thing, layout_, day, total, kind_.world), kind_.world)
    ink = Ink()
    said = {**FORM_WAYS, **PROSE_WAYS}[layout_.way](ink, rows, facts)
    ink.text(0.08, 0.955, f"Printed {facts.idle('{d}')} page 1 of 1", size=0.8)
    shift = rng.uniform(-0.01, 0.01)
    words = [_slipped(rng, _moved(one, shift), slips) for one in ink.words]
    texts = {row.key: row.text for row in rows if row.key}
    labels = {
        field.key: (_label(field, texts[field.key], said[field.key], shift),) if said.get(field.key) else ()
        for field in kind_.plan.fields
    }
    return Sample(number, (Page(1, 595, 842, reading_order(words)),), labels)


def _label(field: FieldPlan, text: str, boxes: list[Box], shift: float) -> SampleLabel:
    moved = [_shifted(box, shift) for box in boxes]
    first = union(moved) if len(moved) == 1 else moved[0]
    return SampleLabel(text, normal_or_text(text, field.value_type), 1, first, tuple((1, box) for box in moved[1:]))


def _moved(one: Word, shift: float) -> Word:
    return Word(one.text, _shifted(one.box, shift), one.confidence, one.bold, cell=one.cell)


def _shifted(box: Box, shift: float) -> Box:
    return Box(box.x0, box.y0 + shift, box.x1, box.y1 + shift)


def _slipped(rng: random.Random, one: Word, share: float) -> Word:
    if not share:
        return one
    swaps = {"0": "O", "O": "0", "l": "1", "1": "l", "5": "S", "S": "5", "e": "c", "n": "r", "m": "rn"}
    text = "".join(swaps.get(letter, letter) if rng.random() < share else letter for letter in one.text)
    return Word(text, one.box, 0.8 if text != one.text else 0.97, one.bold, cell=one.cell)
