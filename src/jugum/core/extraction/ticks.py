"""Tick boxes with the words that say what they are, and the questions that rows and columns of them answer."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from statistics import fmean, median

from rapidfuzz import fuzz

from jugum.core.extraction.alternatives import alternatives_of
from jugum.core.extraction.candidates.around import bare_text
from jugum.core.page import Box, Page, Word, segments_in, text_of
from jugum.core.structure import Structure, TickBox

COMB_GAP = 0.4  # widths of a box to the next
NEAR_EDGE = 0.002  # page widths that a word and a box may overlap
CAPTION_WIDTH_MOST = 0.32  # of the page's width, from the box
GAP_TIMES, GAP_LEAST = 4.0, 0.15  # times the usual gap, page widths: so far off a box belongs to another question
NEARER_LEAST = 0.25  # widths of a box
UNEVEN, APART_MOST = 1.2, 4.0  # times the next gap, heights of a box: so far off a box below is another question's
CROSSES = frozenset("xX×✗✕✓✔vV")  # as which a pen's tick is read
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


def tick_likeness(tick: Tick, names: Sequence[str]) -> float:
    """How like one of the names the tick's caption is, or its beginning, from 0 to 1."""
    return max(caption_likeness(text, names) for text in (tick.caption, *tick.shorter))


def answer_of(tick: Tick) -> str:
    """What a box says of a yes/no question, "yes" or "no": beside the word "no" a ticked one says no."""
    denies = bare_text(tick.caption) in NO_WORDS
    return "yes" if tick.ticked != denies else "no"


def state_of(tick: Tick) -> str:
    """What a tick shows, as a reason a person reads."""
    if tick.in_words:
        return f"a pen {'chose' if tick.ticked else 'did not choose'} “{tick.caption}”"
    return f"the box by “{tick.caption}” is {'ticked' if tick.ticked else 'empty'}"


def rows_of_ticks(ticks: Sequence[Tick]) -> list[list[Tick]]:
    """Marks by the rows they stand on."""
    rows: dict[tuple[int, int], list[Tick]] = {}
    for tick in ticks:
        rows.setdefault((tick.page, tick.row), []).append(tick)
    return list(rows.values())


def columns_of_ticks(ticks: Sequence[Tick]) -> list[list[Tick]]:
    """Boxes, each by itself on its row, that stand evenly below one another, two or more."""
    alone = [row[0] for row in rows_of_ticks(ticks) if len(row) == 1 and not row[0].in_words]
    piles: list[list[Tick]] = []
    for tick in sorted(alone, key=lambda one: (one.page, one.box.y0)):
        pile = next(
            (
                its
                for its in piles
                if its[0].page == tick.page and abs(its[0].box.x0 - tick.box.x0) < tick.box.width / 2
            ),
            None,
        )
        if pile is None:
            piles.append([tick])
        else:
            pile.append(tick)
    found = []
    for pile in piles:
        gaps = [below.box.y0 - above.box.y0 for above, below in pairwise(pile)]
        beside = [min(gaps[max(0, place - 1) : place + 2]) for place in range(len(gaps))]
        far = [
            gap > UNEVEN * least or gap > APART_MOST * pile[0].box.height
            for gap, least in zip(gaps, beside, strict=True)
        ]
        cuts = [0, *(place + 1 for place, is_far in enumerate(far) if is_far), len(pile)]
        found += [pile[start:end] for start, end in pairwise(cuts) if end - start > 1]
    return found


def is_pair(row: Sequence[Tick]) -> bool:
    """Whether a row is one box for yes and one for no."""
    return (
        len(row) == 2
        and sorted(bare_text(tick.caption) in YES_WORDS for tick in row) == [False, True]
        and all(bare_text(tick.caption) in YES_WORDS | NO_WORDS for tick in row)
    )
