"""The papers of the three hands say what their truth says, where it says so."""

from __future__ import annotations

import random
import re
from types import ModuleType

import pytest
from bench.hands import counting, notary, registry
from bench.hands.desk import Desk, Written

from jugum.core.ocr import QuickEngine, open_paper, read_page
from jugum.core.page import Box, Page

HANDS = (registry, counting, notary)
LAYOUTS = [(hand, layout) for hand in HANDS for layout in (*hand.KNOWN, *hand.NEW)]
UNWRITTEN = {"choice", "yesno", "signature"}


def letters(text: str) -> str:
    return re.sub(r"\W", "", text)


def written_at(pages: list[Page], one: Written) -> str:
    """The words of the text layer whose middles lie in a value's boxes."""
    found = []
    for number, *sides in one.boxes:
        box = Box(*sides)
        found += [word.text for word in pages[int(number)].words if box.contains(*word.box.middle)]
    return letters(" ".join(found))


def drawn(hand: ModuleType, layout: str, seed: int) -> tuple[Desk, list[Page]]:
    desk = hand.draw(layout, random.Random(seed))
    paper = open_paper(desk.sheet.done(), "paper.pdf")
    return desk, [read_page(paper, number, QuickEngine()).page for number in range(paper.page_count)]


@pytest.mark.parametrize(("hand", "layout"), LAYOUTS, ids=lambda one: getattr(one, "TYPE", one))
def test_what_is_noted_is_what_stands_there(hand: ModuleType, layout: str) -> None:
    kinds = {one["key"]: one["type"] for one in hand.SCHEMA["fields"]}
    for seed in range(3):
        desk, pages = drawn(hand, layout, seed)
        assert desk.fields.keys() <= kinds.keys()
        for key, (one,) in desk.fields.items():
            if kinds[key] not in UNWRITTEN:
                assert written_at(pages, one) == letters(one.value), key
        for row in desk.rows.get("goods", ()):
            for key, cell in row.items():
                assert cell is not None
                assert written_at(pages, cell) == letters(cell.value), key


@pytest.mark.parametrize("hand", HANDS, ids=lambda hand: hand.TYPE)
def test_required_fields_are_on_every_paper_and_others_on_some(hand: ModuleType) -> None:
    desks = [
        hand.draw(layout, random.Random(seed)) for _, layout in LAYOUTS if layout in hand.KNOWN for seed in range(6)
    ]
    for one in hand.SCHEMA["fields"]:
        there = sum(one["key"] in desk.fields for desk in desks)
        assert there == len(desks) if one.get("required") else there > 0
    assert any(len(desk.fields) < len(hand.SCHEMA["fields"]) for desk in desks)


def test_new_layouts_are_worded_otherwise() -> None:
    for styles, new in ((registry.STYLES, registry.NEW), (counting.STYLES, counting.NEW)):
        known = {text for layout, style in styles.items() if layout not in new for text in style.captions}
        for layout in new:
            assert not known & set(styles[layout].captions)
