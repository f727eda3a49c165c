"""Papers of the school in sentences: letters, deeds, sections with headings, notes with captions in the margin,
certificates."""

from __future__ import annotations

from prior.ink import LETTER, Ink, word
from prior.layout import Facts, LayoutGroup, Row, Said, Way
from prior.things import THINGS

Pieces = list[tuple[str, str]]
WITH_CAPTION = (
    "the {c} is {}|{} is the {c}|as {c} we have {}|with {} for {c}|the {c}, namely {}|{c}: {}|{c} ({})|"
    "{}, being the {c}|of {} ({c})|we wrote down {} under {c}"
).split("|")
JOINTS = (", ", " and ", "; ", ", and ", " - ", ", so that ")


def _clause(layout: LayoutGroup, row: Row) -> Pieces:
    """A clause that says a thing: in the thing's own phrases, or with its caption, the same on all papers of a
    layout."""
    fixed = layout.rng(f"clause {row.thing}")
    if fixed.random() < 0.65:
        frame = fixed.choice(THINGS[row.thing].phrases)
    else:
        frame = fixed.choice(WITH_CAPTION).replace("{c}", row.caption.lower())
    before, _, after = frame.partition("{}")
    return [(before.strip(), ""), (row.text, row.key), (after.strip(), "")]


def _capital(pieces: Pieces) -> Pieces:
    """The pieces with a capital at the beginning."""
    for place, (text, key) in enumerate(pieces):
        if text:
            return [*pieces[:place], (text[:1].upper() + text[1:], key), *pieces[place + 1 :]]
    return pieces


def _sentences(rows: list[Row], facts: Facts, of: str = "") -> list[Pieces]:
    """Rows as sentences of one to three clauses, idle ones between them."""
    fixed = facts.layout.rng(f"sentences {of}")
    found: list[Pieces] = []
    idle = iter(facts.idle_sentences(min(5, 1 + len(rows) // 2), of))
    at = 0
    while at < len(rows):
        count = fixed.choice([1, 1, 2, 2, 3])
        pieces: Pieces = []
        for row in rows[at : at + count]:
            if pieces:
                pieces.append((fixed.choice(JOINTS).strip(), ""))
            pieces += _clause(facts.layout, row)
        found.append(_capital([*pieces, (".", "")]))
        at += count
        if fixed.random() < 0.35 and (said := next(idle, "")):
            found.append([(said, "")])
    return found


def _paragraphs(rows: list[Row], facts: Facts) -> list[Pieces]:
    fixed = facts.layout.rng("paragraphs")
    found: list[Pieces] = [[]]
    for sentence in _sentences(rows, facts):
        if found[-1] and fixed.random() < 0.35:
            found.append([])
        found[-1] += sentence
    return found


def _set(ink: Ink, said: Said, x: float, y: float, right: float, pieces: Pieces, step: float = 0.02) -> float:
    below, boxes = ink.paragraph(x, y, right, [piece for piece in pieces if piece[0]], step=step)
    said.update(boxes)
    return below


def _letter(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """A letterhead, a salutation, paragraphs, a name at the end; some facts stand apart above."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("letter")
    ink.text(fixed.choice([0.08, 0.55]), 0.04, facts.house, size=1.4, bold=True)
    ink.text(0.08, 0.07, facts.idle("Mill Lane {n}, 10 Harbour Row"))
    y = 0.13
    apart = rows[: fixed.choice([0, 0, 2, 3])]
    for row in apart:
        box = ink.text(0.6, y, row.caption + ":")
        its = ink.text((box.x1 if box else 0.6) + 0.008, y, row.text)
        if row.key and its:
            said[row.key] = [its]
        y += 0.02
    if fixed.random() < 0.6:
        ink.text(0.08, y + 0.01, layout.title, bold=True)
        y += 0.04
    addressed = facts.idle("{p}")
    ink.text(0.08, y + 0.01, fixed.choice(["Dear", "Good day", "To", "Dear Mr"]) + f" {addressed},")
    y += 0.045
    for pieces in _paragraphs(rows[len(apart) :], facts):
        y = _set(ink, said, 0.08, y, 0.92, pieces) + 0.015
    ink.text(0.08, y + 0.02, fixed.choice(["Yours,", "With kind regards", "Your", "Sincerely"]))
    ink.text(0.08, y + 0.045, facts.idle("{p}"))
    return said


def _deed(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """All in one sentence, clause after clause."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("deed")
    ink.text(0.3, 0.05, layout.title, bold=True, size=1.6)
    joint = fixed.choice(["; that", "; and", ";", ", and further", "; item:"])
    pieces: Pieces = [
        (fixed.choice(["Be it known that", "We say by this paper that", "It is agreed that", "I state:"]), "")
    ]
    for place, row in enumerate(rows):
        pieces += [(joint, "")] if place else []
        pieces += _clause(layout, row)
    y = _set(ink, said, 0.1, 0.11, 0.9, [*pieces, (".", "")], step=fixed.choice([0.02, 0.026]))
    for sentence in facts.idle_sentences(fixed.randint(1, 3)):
        y = _set(ink, said, 0.1, y + 0.01, 0.9, [(sentence, "")])
    return said


def _sections(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Numbered headings with a sentence or two under each."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("sections")
    ink.text(0.1, 0.04, layout.title, bold=True, size=1.5)
    y, at, number = 0.09, 0, 0
    sign = fixed.choice(["{}.", "§ {}", "Article {}", "{})", "({})"])
    while at < len(rows):
        count, number = fixed.choice([1, 2, 2, 3]), number + 1
        heading = fixed.choice([rows[at].caption, rows[at].caption, word(fixed).capitalize(), "General"])
        ink.text(0.1, y, f"{sign.format(number)} {heading}", bold=True)
        y += 0.024
        for pieces in _sentences(rows[at : at + count], facts, of=str(number)):
            y = _set(ink, said, 0.1, y, 0.92, pieces)
        y += 0.012
        at += count
    return said


def _margin(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Captions in a narrow column at the left, what they are about beside them."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("margin")
    ink.text(0.08, 0.04, layout.title, bold=True, size=1.3)
    y, at, number = 0.09, 0, 0
    while at < len(rows):
        count, number = fixed.choice([1, 1, 2]), number + 1
        heading = (
            rows[at].caption if fixed.random() < 0.75 else " and ".join(row.caption for row in rows[at : at + count])
        )
        ink.text(0.06, y, heading[:26], size=0.85, bold=fixed.random() < 0.3)
        pieces = [piece for sentence in _sentences(rows[at : at + count], facts, of=str(number)) for piece in sentence]
        y = _set(ink, said, 0.3, y, 0.94, pieces) + 0.012
        at += count
    return said


def _certificate(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """A few words, then the value on a line of its own, all in the middle of the page."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("certificate")
    ink.text(0.5 - 0.75 * LETTER * len(layout.title), 0.05, layout.title, bold=True, size=1.5)
    y = 0.12
    for row in rows:
        before, value, after = _clause(layout, row)
        lines = [[before, value, after]] if fixed.random() < 0.5 else [[before], [value], [after]]
        for line in lines:
            text = " ".join(piece[0] for piece in line if piece[0])
            if text:
                y = _set(ink, said, max(0.06, 0.5 - LETTER * len(text) / 2), y, 0.96, line, step=0.022)
        y += fixed.choice([0.0, 0.006])
    return said


def _minutes(ink: Ink, rows: list[Row], facts: Facts) -> Said:
    """Short paragraphs that begin with somebody's name or a dash."""
    layout, said = facts.layout, Said()
    fixed = layout.rng("minutes")
    ink.text(0.08, 0.04, layout.title, bold=True, size=1.3)
    y = (
        _set(ink, said, 0.08, 0.08, 0.92, [(facts.idle("Present: {p}, {p} and {p}; {d}, at {n} past nine."), "")])
        + 0.01
    )
    for pieces in _sentences(rows, facts):
        first = fixed.choice(["-", "*", facts.idle("{p}:"), ""])
        y = _set(ink, said, 0.08, y, 0.92, [(first, ""), *pieces]) + 0.006
    return said


PROSE_WAYS: dict[str, Way] = {
    "letter": _letter,
    "deed": _deed,
    "sections": _sections,
    "margin": _margin,
    "certificate": _certificate,
    "minutes": _minutes,
}
