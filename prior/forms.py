"""Forms of the school: captions beside, above, beneath, in cells, under a column's head, by numbers."""

from __future__ import annotations

from jugum.core.page import Box
from prior.ink import LETTER, Ink
from prior.layout import Facts, LayoutGroup, Row, Said, Way, is_figure
from prior.things import IDLE

SENDERS = ("seller", "lender", "keeper", "owner", "office")
UNCAPTIONED = 0.4  # share of layouts that print who writes without a caption
SENDER_PLACES = ((0.012, ""), (0.925, "Yours,"), (0.94, ""), (0.935, "This comes to you from"))


def _put(said: Said, row: Row, box: Box | None) -> None:
    if row.key and box is not None:
        said[row.key] = [box]


def _head(ink: Ink, facts: Facts) -> None:
    layout = facts.layout
    fixed = layout.rng("head")
    ink.text(fixed.choice([0.08, 0.35, 0.6]), 0.04, layout.title, bold=True, size=fixed.choice([1.0, 1.5, 2.0]))
    if fixed.random() < 0.6:
        ink.text(0.08, 0.075, facts.house, size=fixed.choice([0.8, 1.3]), bold=fixed.random() < 0.5)
        ink.text(0.08, 0.095, facts.idle(fixed.choice(["Mill Lane {n}, Harbour Row", "Telephone {n} {n} {n}", "{d}"])))


def _caption(layout: LayoutGroup, row: Row) -> str:
    return row.caption + (":" if layout.colon else "")


def _left(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Captions left of values, at a tab or right before them."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    close, dotted = layout.rng("l").random() < 0.4, layout.rng("d").random() < 0.2
    for place, row in enumerate(rows):
        y = layout.top + place * layout.step
        box = ink.text(layout.left, y, _caption(layout, row) + (" " + "." * 12 if dotted else ""))
        x = (box.x1 if box else layout.left) + 0.008
        _put(said, row, ink.text(x if close else max(x, layout.value_x), y, row.text))
    return said


def _above(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    layout, said = facts.layout, Said()
    _head(ink, facts)
    across = layout.rng("a").choice([1, 2, 3])
    for place, row in enumerate(rows):
        x = layout.left + (place % across) * 0.9 / across
        y = layout.top + (place // across) * (layout.step + 0.025)
        ink.text(x, y, row.caption, size=0.85)
        _put(said, row, ink.text(x, y + 0.016, row.text))
    return said


def _grid(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    layout, said = facts.layout, Said()
    _head(ink, facts)
    for place, row in enumerate(rows):
        x, y = layout.left + (place % 2) * 0.45, layout.top + (place // 2) * layout.step
        ink.text(x, y, _caption(layout, row))
        _put(said, row, ink.text(x + 0.22, y, row.text))
    return said


def _columns(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """This period's figures beside others': numbers in two or three columns, the rest above."""
    layout, figures = facts.layout, [row for row in rows if is_figure(row)]
    rest = [row for row in rows if not is_figure(row)]
    said = _left(ink, rest, facts)
    fixed = layout.rng("c")
    heads = fixed.sample(
        ["This time", "Last time", "Since January", "Budget", "Now", "Before", "So far", "A year ago"], 3
    )
    places = [0.5, 0.65, 0.8][: fixed.choice([2, 3])]
    mine = fixed.randrange(len(places))
    top = layout.top + (len(rest) + 2) * layout.step
    for place, head in zip(places, heads, strict=False):
        ink.text(place, top - layout.step, head, bold=True)
    for number, row in enumerate(figures):
        y = top + number * layout.step
        ink.text(layout.left, y, row.caption)
        for column, place in enumerate(places):
            box = ink.text(place, y, row.text if column == mine else facts.other(row.thing))
            if column == mine:
                _put(said, row, box)
    return said


def _beneath(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Values on lines, their names in small print beneath."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    for place, row in enumerate(rows):
        x, y = layout.left + (place % 2) * 0.45, layout.top + (place // 2) * (layout.step + 0.025)
        _put(said, row, ink.text(x, y, row.text))
        ink.text(x, y + 0.016, row.caption, size=0.75)
    return said


def _numbered(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """A form's numbered lines, values at the right edge, the line's number once more beside them."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    start, twice = layout.rng("n").choice([1, 10, 201]), layout.rng("n2").random() < 0.5
    for place, row in enumerate(rows):
        y = layout.top + place * layout.step
        ink.text(layout.left, y, str(start + place))
        ink.text(layout.left + 0.05, y, row.caption)
        _put(said, row, ink.text(0.88 - LETTER * len(row.text), y, row.text))
        if twice:
            ink.text(0.93, y, str(start + place))
    return said


def _cells(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Ruled boxes with a small name in their corner and the value under it."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    ruled = layout.rng("r").random() < 0.7
    for place, row in enumerate(rows):
        x, y = layout.left + (place % 3) * 0.29, layout.top + (place // 3) * 0.045
        cell = place if ruled else -1
        ink.text(x, y, row.caption, size=0.7, cell=cell)
        _put(said, row, ink.text(x + 0.01, y + 0.017, row.text, cell=cell))
    return said


def _ruled_rows(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """A ruled table of two columns, caption and value each in a cell."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    for place, row in enumerate(rows):
        y = layout.top + place * 0.03
        ink.text(layout.left, y, row.caption, cell=2 * place)
        _put(said, row, ink.text(layout.value_x + 0.1, y, row.text, cell=2 * place + 1))
    return said


def _behind(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Values in a column, their names at the right of them, with or without a sign."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    fixed = layout.rng("b")
    sign, close = fixed.choice(["", "= ", "( ", "* ", "- "]), fixed.random() < 0.4
    for place, row in enumerate(rows):
        y = layout.top + place * layout.step
        box = ink.text(layout.left, y, row.text)
        _put(said, row, box)
        x = (box.x1 if box else layout.left) + 0.03
        ink.text(x if close else max(x, layout.value_x), y, sign + row.caption, size=0.9)
    return said


def _tiles(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Values in large print, two or three beside each other, with a few words in small print under each."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    across = layout.rng("t").choice([2, 3])
    for place, row in enumerate(rows):
        x, y = layout.left + (place % across) * 0.88 / across, layout.top + (place // across) * 0.06
        _put(said, row, ink.text(x, y, row.text, size=1.5, bold=True))
        ink.text(x, y + 0.028, row.caption, size=0.8)
    return said


def _across(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Heads in one line, the values below them, in bands of three or four."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    wide = layout.rng("w").choice([3, 4])
    for start in range(0, len(rows), wide):
        y = layout.top + (start // wide) * 0.07
        for place, row in enumerate(rows[start : start + wide]):
            x = layout.left + place * 0.88 / wide
            ink.text(x, y, row.caption, bold=True)
            _put(said, row, ink.text(x, y + 0.02, row.text))
    return said


def _legend(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Values by small numbers, what these mean in a legend below."""
    layout, said = facts.layout, Said()
    _head(ink, facts)
    for place, row in enumerate(rows):
        y = layout.top + place * layout.step
        ink.text(layout.left, y, f"{place + 1}.", size=0.8)
        _put(said, row, ink.text(layout.left + 0.04, y, row.text))
    y = layout.top + (len(rows) + 2) * layout.step
    for place, row in enumerate(rows):
        ink.text(0.08 + (place % 2) * 0.45, y + (place // 2) * 0.016, f"{place + 1}. {row.caption}", size=0.7)
    return said


def _sender(rows: list[Row], layout: LayoutGroup) -> Row | None:
    """Who writes, on layouts that print it at the head or the foot without a caption."""
    if layout.rng("sender").random() > UNCAPTIONED:
        return None
    return next((row for row in rows if row.thing in SENDERS), None)


def _with_notes(way: Way) -> Way:
    """The same with figures once more further down, and idle sentences at the foot."""

    def made(ink: Ink, rows: list[Row], facts: Facts) -> Said:
        layout = facts.layout
        sender = _sender(rows, layout)
        said = way(ink, [row for row in rows if row is not sender], facts)
        if sender is not None:
            place, words = layout.rng("sender place").choice(SENDER_PLACES)
            box = ink.text(0.08, place, words)
            x = (box.x1 if box else 0.08) + 0.01
            _put(said, sender, ink.text(x, place, sender.text, bold=place < 0.5, size=1.4 if place < 0.5 else 1.0))
        y = max(word.box.y1 for word in ink.words) + 0.03
        fixed = layout.rng("again")
        if layout.again:
            ink.text(layout.left, y, fixed.choice(["So far", "This year", "Running totals", "All periods"]), bold=True)
            for place, row in enumerate([row for row in rows if is_figure(row)][:3], 1):
                ink.text(layout.left, y + 0.02 * place, row.caption)
                ink.text(layout.left + 0.4, y + 0.02 * place, facts.other(row.thing))
            y += 0.1
        for sentence in facts.idle_sentences(fixed.randint(0, min(3, len(IDLE)))):
            ink.text(0.06, min(y, 0.93), sentence, size=0.8)
            y += 0.018
        return said

    return made


FORM_WAYS: dict[str, Way] = {
    name: _with_notes(way)
    for name, way in {
        "left": _left,
        "above": _above,
        "grid": _grid,
        "columns": _columns,
        "beneath": _beneath,
        "numbered": _numbered,
        "cells": _cells,
        "ruled rows": _ruled_rows,
        "behind": _behind,
        "tiles": _tiles,
        "across": _across,
        "legend": _legend,
    }.items()
}
