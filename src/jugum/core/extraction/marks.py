"""Reading marks without training: tick boxes by the words beside them, choices by ticked options, signatures, zones."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import fmean, median

import numpy as np
from rapidfuzz import fuzz

from jugum.core.extraction.alternatives import alternatives_of
from jugum.core.extraction.candidates.around import bare_text
from jugum.core.extraction.candidates.meanings import nearness
from jugum.core.extraction.candidates.text_similarity import likeness
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.page import Box, Page, Segment, Word, segments_in, text_of, union
from jugum.core.schema import FieldPlan
from jugum.core.structure import Structure, TickBox, Zone
from jugum.core.values import DataType, Option

CAPTION_LEAST = 0.8  # likeness of a box's caption to a name or option; below it another box is meant as often
MEANT_LEAST = 0.35  # mean nearness in meaning of a row's captions to the options (decision 0030)
NEAR_LEAST = 0.25  # nearness of each of them
GUESSED = 0.5  # what a guess by meaning scores, of its nearness
COMB_GAP = 0.4  # widths of a box to the next
NEAR_EDGE = 0.002  # page widths that a word and a box may overlap
CAPTION_WIDTH_MOST = 0.32  # of the page's width, from the box
GAP_TIMES, GAP_LEAST = 4.0, 0.15  # times the usual gap, page widths: so far off a box belongs to another question
NEARER_LEAST = 0.25  # widths of a box
CROSSES = frozenset("xX×✗✕✓✔vV")  # as which a pen's tick is read
SIGNATURE_NEAR = 0.09  # of the page's height, from the pen to its printed name
# What stands beside the two boxes of a yes/no question.
YES_WORDS = frozenset("yes y ja j oui si sí sim kyllä tak ano da true".split())
NO_WORDS = frozenset("no n nei nein nej nee non não ei nie ne false".split())


@dataclass(frozen=True)
class Tick:
    """A tick box with the words that say what it is: right of it up to the next box, else left of it. `group` is
    what stands first on its row. Or words that a pen left or ringed among others (`ticked`) or struck, which are their
    own caption; `shorter` are then further texts that may be meant."""

    page: int
    box: Box
    ticked: bool
    caption: str
    group: str
    row: int
    shorter: tuple[str, ...] = ()
    in_words: bool = False


def ticks_of(pages: Sequence[Page], structures: Sequence[Structure | None]) -> list[Tick]:
    """All tick boxes of a paper with their captions, row by row, and the words that a pen chose among."""
    return [tick for page, found in zip(pages, structures, strict=True) if found for tick in _page_ticks(page, found)]


def _page_ticks(page: Page, structure: Structure) -> Iterator[Tick]:
    rows: list[list[TickBox]] = []
    for tick in sorted(structure.ticks, key=lambda one: one.box.middle[1]):
        # scans lean a little within a row
        if rows and abs(rows[-1][0].box.middle[1] - tick.box.middle[1]) < 0.6 * tick.box.height:
            rows[-1].append(tick)
        else:
            rows.append([tick])
    questions = [its for row in rows for its in _questions(_without_combs(row))]
    for number, row in enumerate(questions):
        yield from captioned(page, row, number)
    for number, (before, alternatives) in enumerate(alternatives_of(page, structure.words), len(questions)):
        for answer in alternatives:
            yield Tick(
                page.number, answer.box, answer.chosen, answer.text, before, number, answer.shorter, in_words=True
            )


def _questions(row: Sequence[TickBox]) -> list[Sequence[TickBox]]:
    """A row of boxes, parted where one stands far off the others: the box of another question, whose words may stand
    on its other side."""
    gaps = [right.box.x0 - left.box.x1 for left, right in pairwise(row)]
    if len(gaps) < 2:
        return [row] if row else []
    far = max(GAP_LEAST, GAP_TIMES * median(gaps))
    cuts = [0, *(place + 1 for place, gap in enumerate(gaps) if gap > far), len(row)]
    return [row[start:end] for start, end in pairwise(cuts)]


def _without_combs(boxes: Sequence[TickBox]) -> list[TickBox]:
    """A row's boxes but those that stand side by side, nearly touching: boxes for one letter each."""
    row = sorted(boxes, key=lambda one: one.box.x0)
    close = [right.box.x0 - left.box.x1 < COMB_GAP * left.box.width for left, right in pairwise(row)]
    beside = [[*close[max(0, place - 1) : place + 1]] for place in range(len(row))]
    return [tick for tick, near in zip(row, beside, strict=True) if not any(near)]


def captioned(page: Page, boxes: Sequence[TickBox], number: int = 0) -> Iterator[Tick]:
    """The boxes of row `number` with their captions: all right of their boxes, or, where nothing stands right of the
    last one or captions stand nearer on the other side, all left of them."""
    row = sorted(boxes, key=lambda one: one.box.x0)
    level = row[0].box
    words = [
        _behind_box(word, row)
        for word in page.words
        if abs(word.box.middle[1] - level.middle[1]) < 0.8 * max(level.height, word.box.height)
    ]
    words.sort(key=lambda word: word.box.x0)
    before = _before(words, row[0])
    rights, lefts = [], []
    for place, tick in enumerate(row):
        end = row[place + 1].box.x0 if place + 1 < len(row) else min(1.0, tick.box.x1 + CAPTION_WIDTH_MOST)
        start = row[place - 1].box.x1 if place else 0.0
        rights.append([word for word in words if tick.box.x1 - NEAR_EDGE <= word.box.x0 < end])
        lefts.append([word for word in _before(words, tick) if word.box.x0 >= start - NEAR_EDGE])
    # The last caption on the right may not have been read: the others must then stand clearly nearer to their boxes.
    least = 0.0 if rights[-1] else NEARER_LEAST * level.width
    on_left = len(row) > 1 and all(lefts) and _apart(row, lefts, rights) <= least
    for tick, right, left in zip(row, rights, lefts, strict=True):
        if on_left:
            text = _since_gap(left, page)
            rest = text_of(before).removesuffix(text).strip()
            yield Tick(page.number, tick.box, tick.ticked, text, rest, number)
        else:
            caption = _until_gap(right, page) or _since_gap(before, page)
            yield Tick(page.number, tick.box, tick.ticked, caption, text_of(before) if right else "", number)


def _behind_box(word: Word, row: Sequence[TickBox]) -> Word:
    """What stands behind or before a box of a word that was read together with it, without the cross in it where it is
    ticked ("X14" for a ticked box by "14")."""
    for tick in row:
        if word.box.x0 < tick.box.x0 - NEAR_EDGE and tick.box.x0 + NEAR_EDGE < word.box.x1 <= tick.box.x1 + NEAR_EDGE:
            crossed = tick.ticked and word.text[-1] in CROSSES and len(word.text) > 1
            return replace(word, text=word.text[: -1 if crossed else None], box=word.box._replace(x1=tick.box.x0))
        into = tick.box.x0 - NEAR_EDGE <= word.box.x0 < tick.box.x1 - NEAR_EDGE
        if into and word.box.x1 > tick.box.x1 + NEAR_EDGE:
            crossed = tick.ticked and word.text[0] in CROSSES and len(word.text) > 1
            return replace(word, text=word.text[crossed:], box=word.box._replace(x0=tick.box.x1))
    return word


def _before(words: Sequence[Word], tick: TickBox) -> list[Word]:
    """The words that end left of a box."""
    return [word for word in words if word.box.x1 <= tick.box.x0 + NEAR_EDGE]


def _apart(row: Sequence[TickBox], lefts: Sequence[Sequence[Word]], rights: Sequence[Sequence[Word]]) -> float:
    """By how much further (page widths, mean) words stand off the boxes on their left than on their right, where there
    are words on both sides; 0 where there are none."""
    apart = [
        tick.box.x0 - left[-1].box.x1 - (right[0].box.x0 - tick.box.x1)
        for tick, left, right in zip(row, lefts, rights, strict=True)
        if left and right
    ]
    return fmean(apart) if apart else 0.0


def _since_gap(words: Sequence[Word], page: Page) -> str:
    """The last piece of some words of a row."""
    if not words:
        return ""
    _, segments = segments_in(words, page.width_pt / page.height_pt)
    return segments[-1].text


def _until_gap(words: Sequence, page: Page) -> str:  # type: ignore[type-arg]
    if not words:
        return ""
    _, segments = segments_in(words, page.width_pt / page.height_pt)
    return segments[0].text if segments else ""


def caption_likeness(caption: str, names: Sequence[str]) -> float:
    """How like a caption is to the most alike of some names, 0–1."""
    plain = bare_text(caption)
    return max((fuzz.ratio(plain, bare_text(name)) / 100 for name in names), default=0.0) if plain else 0.0


def _likeness(tick: Tick, names: Sequence[str]) -> float:
    return max(caption_likeness(text, names) for text in (tick.caption, *tick.shorter))


def answer_of(tick: Tick) -> str:
    """What a box says of a yes/no question, "yes" or "no": beside the word "no" a ticked one says no."""
    denies = bare_text(tick.caption) in NO_WORDS
    return "yes" if tick.ticked != denies else "no"


def read_tick(field: FieldPlan, ticks: Sequence[Tick]) -> Finding:
    """The box whose caption is most like the field's printed names, or the pair of boxes for yes and no on a row that
    begins with one of them, if that is at least 80 % alike. Of a pair one box must be ticked: with none or both it
    can't be told."""
    answered = _by_captions(field, ticks) or _answered_pair(field, ticks)
    if answered is not None:
        return answered
    scored = sorted(
        ((caption_likeness(tick.caption, field.names_on_paper), -n) for n, tick in enumerate(ticks)), reverse=True
    )
    good = [(score, ticks[-place]) for score, place in scored if score >= CAPTION_LEAST]
    found = [_ticked(tick, "yes" if tick.ticked else "no", score) for score, tick in good]
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
            ((option, _likeness(tick, option.spellings)) for option in field.options),
            key=lambda pair: pair[1],
            default=(None, 0.0),
        )
        if option is not None and score >= CAPTION_LEAST:
            named.append((tick, option, score))
    return named


def _answered_pair(field: FieldPlan, ticks: Sequence[Tick]) -> Finding | None:
    """The finding of a yes/no pair whose question is like the field's names; None when there is no such pair."""
    rows: dict[tuple[int, int], list[Tick]] = {}
    for tick in ticks:
        if bare_text(tick.caption) in YES_WORDS | NO_WORDS:
            rows.setdefault((tick.page, tick.row), []).append(tick)
    pairs = [
        (caption_likeness(row[0].group, field.names_on_paper), -number, row)
        for number, row in enumerate(rows.values())
        if len(row) == 2 and len({bare_text(tick.caption) in YES_WORDS for tick in row}) == 2
    ]
    score, _, pair = max(pairs, default=(0.0, 0, []), key=lambda found: found[:2])
    if score < CAPTION_LEAST:
        return None
    ticked = [tick for tick in pair if tick.ticked]
    return Finding(
        field.key, tuple(_ticked(tick, answer_of(tick), score) for tick in ticked) if len(ticked) == 1 else ()
    )


def _ticked(tick: Tick, value: str, score: float) -> Found:
    return Found(value, value, tick.page, tick.box, score, EngineName.MARK, _state(tick))


def _state(tick: Tick) -> str:
    if tick.in_words:
        return f"a pen {'chose' if tick.ticked else 'did not choose'} “{tick.caption}”"
    return f"the box by “{tick.caption}” is {'ticked' if tick.ticked else 'empty'}"


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
    if not known and not chosen and (meant := _by_meaning(field, ticks)) is not None:
        return Finding(field.key, (meant,))
    return Finding(
        field.key, tuple(chosen) if field.many else tuple(chosen[:1]), () if field.many else tuple(chosen[1:4])
    )


def _by_meaning(field: FieldPlan, ticks: Sequence[Tick]) -> Found | None:
    """The answer of the row whose captions, none of them known, are together nearest in meaning to the options: each
    caption is given to one option, the whole as near as can be (assignment problem; Kuhn, 1955). None where no row
    has one mark among as many boxes as may be answers, or none is near. Its score is low: it is a guess."""
    from scipy.optimize import linear_sum_assignment  # here: it takes half a second to load, and few papers need it

    best: tuple[float, Tick, Option] | None = None
    rows: dict[tuple[int, int], list[Tick]] = {}
    for tick in ticks:
        rows.setdefault((tick.page, tick.row), []).append(tick)
    for row in rows.values():
        marked = [number for number, tick in enumerate(row) if tick.ticked]
        if field.many or len(marked) != 1 or not 2 <= len(row) <= len(field.options):
            continue
        if all(bare_text(tick.caption) in YES_WORDS | NO_WORDS for tick in row):  # answers to another question
            continue
        near = np.array([[_nearness(tick, option) for option in field.options] for tick in row])
        boxes, options = linear_sum_assignment(-near)
        score = float(near[boxes, options].mean())
        if score >= MEANT_LEAST and near[boxes, options].min() >= NEAR_LEAST and (best is None or score > best[0]):
            best = score, row[marked[0]], field.options[int(options[marked[0]])]
    if best is None:
        return None
    score, tick, option = best
    return Found(
        option.key,
        option.key,
        tick.page,
        tick.box,
        GUESSED * score,
        EngineName.MARK,
        f"{_state(tick)}, which is nearest in meaning to “{option.key}”",
    )


def _nearness(tick: Tick, option: Option) -> float:
    texts = [bare_text(text) for text in (tick.caption, *tick.shorter)]
    spellings = [bare_text(spelling) for spelling in option.spellings]
    return float(np.maximum(likeness(texts, spellings), nearness(texts, spellings)).max(initial=0.0))


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
