"""Reading marks without training: tick boxes by the words beside them, choices by ticked options, signatures, zones."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from jugum.core.extraction.candidates.around import bare_text
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.extraction.guessed_marks import guessed_choice, guessed_question
from jugum.core.extraction.ticks import (
    NO_WORDS,
    YES_WORDS,
    Tick,
    answer_of,
    caption_likeness,
    is_pair,
    rows_of_ticks,
    state_of,
    tick_likeness,
)
from jugum.core.page import Box, Page, Segment, segments_in, union
from jugum.core.schema import FieldPlan
from jugum.core.structure import Structure, Zone
from jugum.core.values import DataType, Option

CAPTION_LEAST = 0.8  # likeness of a box's caption to a name or option; below it another box is meant as often
BY_OTHERS = 0.9  # what an answer scores that is the only one left, of how well the others are known
SIGNATURE_NEAR = 0.09  # of the page's height, from the pen to its printed name


def read_tick(field: FieldPlan, ticks: Sequence[Tick], *, alone: bool = False) -> Finding:
    """The box whose caption is most like the field's printed names, or the pair of boxes for yes and no on a row that
    begins with one of them, if that is at least 80 % alike. Of a pair one box must be ticked: with none or both it
    can't be told. Where no words are alike, a guess by meaning, or, where the plan asks no other such question
    (`alone`) and the paper has one, that it is the one."""
    answered = _by_captions(field, ticks) or _answered_pair(field, ticks)
    if answered is not None:
        return answered
    scored = sorted(
        ((caption_likeness(tick.caption, field.names_on_paper), -n) for n, tick in enumerate(ticks)), reverse=True
    )
    good = [(score, ticks[-place]) for score, place in scored if score >= CAPTION_LEAST]
    found = [_ticked(tick, "yes" if tick.ticked else "no", score) for score, tick in good]
    if not found and (guess := guessed_question(field, ticks, alone=alone)) is not None:
        found = [guess]
    return Finding(field.key, tuple(found[:1]), tuple(found[1:4]))


def _by_captions(field: FieldPlan, ticks: Sequence[Tick]) -> Finding | None:
    """The finding of boxes by whose captions labelled papers answered the question; None where there are none. A box
    by itself says its answer when it is ticked, and the other when it is empty."""
    named = _named_by_options(field, ticks)
    if not named:
        return None
    said = [(tick, option, score) for tick, option, score in named if tick.ticked]
    if len({option.key for _, option, _ in named}) > 1:
        answers = {option.key for _, option, _ in said}
        return Finding(
            field.key,
            tuple(_ticked(tick, option.key, score) for tick, option, score in said[:1]) if len(answers) == 1 else (),
        )
    tick, option, score = max(named, key=lambda one: one[2])
    other = "no" if option.key == "yes" else "yes"
    return Finding(field.key, (_ticked(tick, option.key if tick.ticked else other, score),))


def _named_by_options(field: FieldPlan, ticks: Sequence[Tick]) -> list[tuple[Tick, Option, float]]:
    """Boxes whose captions are like one of the options, each with the option and how like it is (0–1)."""
    named = []
    for tick in ticks:
        option, score = max(
            ((option, tick_likeness(tick, option.spellings)) for option in field.options),
            key=lambda pair: pair[1],
            default=(None, 0.0),
        )
        if option is not None and score >= CAPTION_LEAST:
            named.append((tick, option, score))
    return named


def _answered_pair(field: FieldPlan, ticks: Sequence[Tick]) -> Finding | None:
    """The finding of a yes/no pair whose question is like the field's names; None when there is no such pair."""
    answers = [tick for tick in ticks if bare_text(tick.caption) in YES_WORDS | NO_WORDS]
    pairs = [
        (caption_likeness(row[0].group, field.names_on_paper), -number, row)
        for number, row in enumerate(rows_of_ticks(answers))
        if is_pair(row)
    ]
    score, _, pair = max(pairs, default=(0.0, 0, []), key=lambda found: found[:2])
    if score < CAPTION_LEAST:
        return None
    ticked = [tick for tick in pair if tick.ticked]
    return Finding(
        field.key, tuple(_ticked(tick, answer_of(tick), score) for tick in ticked) if len(ticked) == 1 else ()
    )


def _ticked(tick: Tick, value: str, score: float) -> Found:
    return Found(value, value, tick.page, tick.box, score, EngineName.MARK, state_of(tick))


def _left_over(field: FieldPlan, named: Sequence[tuple[Tick, Option, float]], pages: Sequence[Page]) -> Found | None:
    """The one option that is printed on the row of the others' boxes without a box of its own, where all of these are
    empty: a heavy tick hides the box that it is made in. None else."""
    rows: dict[tuple[int, int], list[tuple[Tick, Option, float]]] = {}
    for tick, option, score in named:
        rows.setdefault((tick.page, tick.row), []).append((tick, option, score))
    for (number, _), its in rows.items():
        if any(tick.ticked for tick, _, _ in its):
            continue
        boxed = {option.key for _, option, _ in its}
        level = its[0][0].box
        page = next(page for page in pages if page.number == number)
        printed = []
        for segment in segments_in(page.words, page.width_pt / page.height_pt)[1]:
            if abs(segment.box.middle[1] - level.middle[1]) > max(level.height, segment.box.height):
                continue
            for option in field.options:
                score = max(caption_likeness(segment.text, option.spellings), _ends_with(segment.text, option))
                if option.key not in boxed and score >= CAPTION_LEAST:
                    printed.append((score, option, segment))
        if len({option.key for _, option, _ in printed}) == 1:
            score, option, segment = max(printed, key=lambda one: one[0])
            why = f"all other boxes beside “{segment.text}” are empty"
            return Found(option.key, option.key, number, segment.box, min(score, 0.9), EngineName.MARK, why)
    return None


def _by_the_others(
    field: FieldPlan, named: Sequence[tuple[Tick, Option, float]], ticks: Sequence[Tick]
) -> Found | None:
    """The one answer that is left for the ticked box of a row whose other boxes, all empty, are those of all other
    answers: nobody has ever ticked it where its caption could be learned. None else."""
    for row in rows_of_ticks(ticks):
        mine = [(option, score) for tick, option, score in named if tick in row and not tick.ticked]
        ticked = [tick for tick in row if tick.ticked]
        rest = [option for option in field.options if option.key not in {other.key for other, _ in mine}]
        if mine and len(row) == len(field.options) == len(mine) + 1 and len(ticked) == len(rest) == 1:
            tick, key = ticked[0], rest[0].key
            score = BY_OTHERS * min(score for _, score in mine)
            why = f"{state_of(tick)}, and the other boxes of its row are for the other answers"
            return Found(key, key, tick.page, tick.box, score, EngineName.MARK, why)
    return None


def _ends_with(text: str, option: Option) -> float:
    """1 where a longer text ends or begins with an option's caption, letter by letter: "Rhythm: 7 days"; else 0."""
    plain = f" {bare_text(text)} "
    captions = [bare_text(spelling) for spelling in option.spellings]
    whole = [f" {caption} " for caption in captions if len(caption) > 2]
    return float(any(plain.endswith(caption) or plain.startswith(caption) for caption in whole))


def read_choice(field: FieldPlan, ticks: Sequence[Tick], pages: Sequence[Page] = ()) -> Finding:
    """The ticked box whose caption is one of the options. Boxes of one row or of the same group count together,
    those of the row where most options are found."""
    named = _named_by_options(field, ticks)
    if (left := _left_over(field, named, pages)) is not None:
        return Finding(field.key, (left,))
    # One caption may be like an option by chance; a choice prints several. A caption that is just what the plan or
    # labelled papers print is no chance: the other boxes' may be unknown, since nobody has ever ticked one.
    known = len({option.key for _, option, _ in named}) > 1
    if not known:
        named = [(tick, option, score) for tick, option, score in named if _is_spelled(tick, option, ticks)]
    chosen = [_ticked(tick, option.key, score) for tick, option, score in named if tick.ticked]
    if not chosen:
        meant = _by_the_others(field, named, ticks) or (None if known else guessed_choice(field, ticks))
        if meant is not None:
            return Finding(field.key, (meant,))
    return Finding(
        field.key, tuple(chosen) if field.many else tuple(chosen[:1]), () if field.many else tuple(chosen[1:4])
    )


def _is_spelled(tick: Tick, option: Option, ticks: Sequence[Tick]) -> bool:
    """Whether a box has just an option's caption, not its key, and stands in a row with others."""
    of_row = sum((other.page, other.row) == (tick.page, tick.row) for other in ticks)
    texts = {bare_text(text) for text in (tick.caption, *tick.shorter)}
    return of_row > 1 and not texts.isdisjoint(map(bare_text, option.printed))


def read_signature(field: FieldPlan, pages: Sequence[Page], structures: Sequence[Structure | None]) -> Finding:
    """Whether there is a pen's ink near the field's printed name: above or right of it, at most 9 % of the page's
    height away. A name without ink says no; where no name stands, any ink says yes."""
    inks = [(page, box) for page, found in zip(pages, structures, strict=True) if found for box in found.signatures]
    named = [(score, page, segment) for page in pages for score, segment in _named(field, page)]
    if not named:
        return _any_ink(field, inks)
    score, page, segment = max(named, key=lambda one: (one[0], one[1].number, one[2].box.y0))
    near = [box for inked, box in inks if inked.number == page.number and _by(box, segment.box)]
    if near:
        box = min(near, key=lambda one: abs(one.middle[0] - segment.box.middle[0]))
        return Finding(
            field.key, (Found("yes", "yes", page.number, box, score, EngineName.MARK, f"ink by “{segment.text}”"),)
        )
    return Finding(
        field.key,
        (Found("no", "no", page.number, segment.box, score, EngineName.MARK, f"no ink by “{segment.text}”"),),
    )


def _any_ink(field: FieldPlan, inks: Sequence[tuple[Page, Box]]) -> Finding:
    if not inks:
        return Finding(field.key)
    page, box = inks[-1]  # the last: papers are signed at their end
    return Finding(field.key, (Found("yes", "yes", page.number, box, 0.5, EngineName.MARK, "ink of a pen"),))


def _named(field: FieldPlan, page: Page) -> Iterator[tuple[float, Segment]]:
    _, segments = segments_in(page.words, page.width_pt / page.height_pt)
    for segment in segments:
        score = caption_likeness(segment.text, field.names_on_paper)
        if score >= CAPTION_LEAST:
            yield score, segment


def name_by_pen(page: Page, ink: Box) -> str:
    """What is printed by a pen's ink: the nearest piece of a row that may be its name, "" where none stands there."""
    _, segments = segments_in(page.words, page.width_pt / page.height_pt)
    near = [piece for piece in segments if _by(ink, piece.box) and not ink.contains(*piece.box.middle)]

    def far(piece: Segment) -> float:
        across = max(0.0, piece.box.x0 - ink.x1, ink.x0 - piece.box.x1)
        down = max(0.0, piece.box.y0 - ink.y1, ink.y0 - piece.box.y1)
        return across * page.width_pt + down * page.height_pt

    return min(near, key=far).text if near else ""


def _by(ink: Box, name: Box) -> bool:
    # pens reach far beyond the printed name, mostly to the right
    level = ink.x0 < name.x1 + 0.25 and name.x0 < ink.x1 + 0.08
    return (level and -0.02 <= name.y0 - ink.y1 + 0.02 <= SIGNATURE_NEAR) or (
        level and abs(ink.middle[1] - name.middle[1]) < 0.03
    )


def read_zone(field: FieldPlan, pages: Sequence[Page], zones: Sequence[tuple[Page, Zone]]) -> Finding:
    """The paper's machine-readable zones, whole ones (all check digits right) first."""
    ordered = sorted(zones, key=lambda one: not one[1].whole)
    found = []
    for page, zone in ordered:
        right = sum(zone.checks.values())
        text = "\n".join(zone.lines)
        box = zone.box or union(word.box for word in page.words)
        why = f"{zone.kind}, {right} of {len(zone.checks)} check digits right"
        found.append(Found(text, text, page.number, box, right / len(zone.checks), EngineName.ZONE, why))
    return Finding(field.key, tuple(found[:1]), tuple(found[1:]))


MARK_READERS = {DataType.TICK: read_tick}
