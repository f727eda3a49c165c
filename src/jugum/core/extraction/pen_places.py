"""Signatures and stamps by where they stand on labelled papers of the same layout: many forms print nothing by the line
that is signed, or the same words by several lines. What a field is, a signature or a stamp, its labels say."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jugum.core.classification import Layout, layout_similarity
from jugum.core.classification.layout_book import NEW_LAYOUT, SAME
from jugum.core.classification.lookalikes import anchor_text
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.page import Box, Page, overlap_share
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.values import DataType

Ink = tuple[int, Box]  # page and box of a pen's ink
ALIKE = 0.7  # share of the most alike paper's likeness from which on another one is of the same layout (no absolute one
# fits all types, decision 0025)
PAPERS_MAX = 60  # labelled papers that are kept for comparing
NEAREST = 5  # of them that say where a paper is signed
AROUND = (0.04, 0.025)  # shares of the page that ink may lie beside its labelled places: pens go their own way
SURE, ONE_PAPER = 1.0, 0.85  # scores of what several labelled papers say, and of what one says
ELSEWHERE = 0.5  # … of any stamp on another layout
STAMPED = 0.5  # of the smaller of two boxes that a label shares with the ink that is meant
WORDS_MAX, WORDS_REACH = 12, 0.12  # words around a signature that say where it is, and how far off they may stand
AGREE = (0.03, 0.012)  # shares of the page within which the words of a paper point to the same place
WORDS_LEAST = 2  # that must


@dataclass(frozen=True)
class Signed:
    """A labelled signature: the paper (a number), its page and box, the words around it with how far their middles lie
    from the middle of the box (x, y in shares of the page), and whether a stamp is what was labelled."""

    paper: int
    page: int
    box: Box
    around: tuple[tuple[str, float, float], ...] = ()
    stamp: bool = False


@dataclass(frozen=True)
class Inks:
    """What was drawn on a paper after it was printed, as (page, box): by pens, and by round stamps."""

    pens: tuple[Ink, ...] = ()
    stamps: tuple[Ink, ...] = ()


NO_INKS = Inks()


@dataclass(frozen=True)
class PenPlaces:
    """`signed`: for each signature where it was labelled, on papers that are numbers of `layouts`; `groups` are the
    layout groups of these, NEW_LAYOUT where they are not known."""

    layouts: tuple[Layout, ...]
    signed: Mapping[str, tuple[Signed, ...]]
    groups: tuple[int, ...] = ()

    def read(
        self,
        field: FieldPlan,
        layout: Layout,
        pages: Sequence[Page],
        inks: Inks,
        likeness: float,
        group: int = NEW_LAYOUT,
    ) -> Finding | None:
        """Whether there is ink where labelled papers of the layout's `group` are signed, or the most alike ones where
        the group is not known; None where no labelled paper of this layout is signed. What stands above may have moved
        the place: the words around it are looked for. `likeness` (0–1) is the layout's to the most alike labelled
        paper. Of a field that is a stamp any stamp says yes on other layouts."""
        places = self.signed.get(field.key, ())
        stamp = self.is_stamp(field.key)
        if likeness < SAME or not places:
            return _any_stamp(field, inks) if stamp else None
        grouped = group != NEW_LAYOUT and bool(self.groups)
        mates = [place.paper for place in places if grouped and self.group_of(place.paper) == group]
        if grouped and not mates:
            return _any_stamp(field, inks) if stamp else None
        papers = set(mates or [place.paper for place in places])
        alike = {paper: layout_similarity(layout, self.layouts[paper]) for paper in papers}
        least = 0.0 if mates else ALIKE * max(alike.values())
        near = sorted((-score, paper) for paper, score in alike.items() if score >= least)[:NEAREST]
        here = {paper for _, paper in near}
        mine = _moved([place for place in places if place.paper in here], pages)
        if not mine:
            return None
        score = SURE if len(here) > 1 else ONE_PAPER
        drawn = inks.stamps if stamp else inks.pens
        signed = [(page, ink) for page, ink in drawn if any(page == number and _at(ink, box) for number, box in mine)]
        what, done = ("stamp", "stamped") if stamp else ("ink", "signed")
        if signed:
            page, ink = max(signed, key=lambda one: one[1].area)
            why = f"{what} where labelled papers of this layout are {done}"
            return Finding(field.key, (Found("yes", "yes", page, ink, score, EngineName.MODEL, why),))
        page, box = mine[0]
        why = f"no {what} where labelled papers of this layout are {done}"
        return Finding(field.key, (Found("no", "no", page, box, score, EngineName.MODEL, why),))

    def is_stamp(self, key: str) -> bool:
        """Whether a field's labels are stamps, most of them."""
        places = self.signed.get(key, ())
        return 2 * sum(place.stamp for place in places) > len(places)

    def group_of(self, paper: int) -> int:
        """The layout group of a labelled paper."""
        return self.groups[paper] if self.groups else NEW_LAYOUT

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "layouts": [layout.to_data() for layout in self.layouts],
            "groups": list(self.groups),
            "signed": {
                key: [
                    [
                        place.paper,
                        place.page,
                        [round(side, 5) for side in place.box],
                        [[text, round(x, 4), round(y, 4)] for text, x, y in place.around],
                        place.stamp,
                    ]
                    for place in its
                ]
                for key, its in self.signed.items()
            },
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> PenPlaces:
        """The inverse; of what was kept before words around were, there are none, and before stamps were, no stamp."""
        return PenPlaces(
            tuple(Layout.from_data(layout) for layout in data["layouts"]),
            {
                key: tuple(
                    Signed(
                        paper,
                        page,
                        Box(*box),
                        tuple((text, x, y) for text, x, y in (later[0] if later else ())),
                        bool(later[1:] and later[1]),
                    )
                    for paper, page, box, *later in its
                )
                for key, its in data["signed"].items()
            },
            tuple(data.get("groups", ())),
        )


def _any_stamp(field: FieldPlan, inks: Inks) -> Finding:
    if not inks.stamps:
        return Finding(field.key)
    page, box = inks.stamps[0]
    return Finding(field.key, (Found("yes", "yes", page, box, ELSEWHERE, EngineName.MODEL, "a stamp"),))


def _moved(places: Sequence[Signed], pages: Sequence[Page]) -> list[Ink]:
    """Where the places of labelled papers are on another one: where two words or more that stand around the place on
    most of these papers point to; where they were when the paper has no such words."""
    papers = {place.paper for place in places}
    standing = Counter(text for place in places for text in {text for text, _, _ in place.around})
    lasting = {text for text, count in standing.items() if 2 * count > len(papers)}
    spots: dict[str, list[tuple[int, float, float]]] = defaultdict(list)
    for page in pages:
        for word in page.words:
            spots[anchor_text(word.text)].append((page.number, *word.box.middle))
    found = []
    for place in places:
        pointed = [
            (page, x - aside, y - below, text)
            for text, aside, below in place.around
            if text in lasting
            for page, x, y in spots.get(text, ())
        ]
        agreeing = max(
            ([other for other in pointed if _agree(first, other)] for first in pointed), key=_texts, default=[]
        )
        if _texts(agreeing) >= WORDS_LEAST:
            x, y = sum(x for _, x, _, _ in agreeing) / len(agreeing), sum(y for _, _, y, _ in agreeing) / len(agreeing)
            half_width, half_height = place.box.width / 2, place.box.height / 2
            found.append((agreeing[0][0], Box(x - half_width, y - half_height, x + half_width, y + half_height)))
    return found or [(place.page, place.box) for place in places]


Pointed = tuple[int, float, float, str]  # the place that a word points to: page, x, y; and the word


def _agree(one: Pointed, other: Pointed) -> bool:
    (page, x, y, _), (other_page, other_x, other_y, _) = one, other
    return page == other_page and abs(x - other_x) <= AGREE[0] and abs(y - other_y) <= AGREE[1]


def _texts(pointed: Sequence[Pointed]) -> int:
    return len({text for *_, text in pointed})


def _words_around(page: Page, box: Box) -> tuple[tuple[str, float, float], ...]:
    """The nearest anchor words, with their distance from the middle of the box."""
    x, y = box.middle
    near = []
    for word in page.words:
        text = anchor_text(word.text)
        aside, below = word.box.middle[0] - x, word.box.middle[1] - y
        if text and abs(below) <= WORDS_REACH:
            near.append((abs(aside) / 2 + abs(below), (text, aside, below)))
    return tuple(word for _, word in sorted(near)[:WORDS_MAX])


def _at(ink: Box, place: Box) -> bool:
    x, y = ink.middle
    return place.x0 - AROUND[0] <= x <= place.x1 + AROUND[0] and place.y0 - AROUND[1] <= y <= place.y1 + AROUND[1]


def _drawn_over(inks: Sequence[Ink], page: int, box: Box) -> bool:
    return any(page == number and overlap_share(box, other) > STAMPED for number, other in inks)


def fit_pen_places(
    plan: Plan,
    samples: Sequence[Sample],
    layouts: Sequence[Layout],
    groups: Sequence[int] = (),
    inks: Sequence[Inks] = (),
) -> PenPlaces | None:
    """Where labelled papers (of layout `groups` and with `inks`, if these are known) bear a plan's signatures and
    stamps; None when none was labelled with a place."""
    fields = [field for field in plan.fields if field.kind is FieldKind.VALUE and field.data_type is DataType.SIGNATURE]
    kept: list[Layout] = []
    their: list[int] = []
    found_in = groups or [NEW_LAYOUT] * len(samples)
    signed: dict[str, list[Signed]] = {}
    drawn = inks or [NO_INKS] * len(samples)
    for sample, layout, group, ink in list(zip(samples, layouts, found_in, drawn, strict=True))[-PAPERS_MAX:]:
        its = [
            (field.key, label.page, label.box)
            for field in fields
            for label in sample.labels.get(field.key, ())
            if label.page and label.box and label.normal != "no"
        ]
        for key, page, box in its:
            around = next((_words_around(of_sample, box) for of_sample in sample.pages if of_sample.number == page), ())
            stamp = _drawn_over(ink.stamps, page, box) and not _drawn_over(ink.pens, page, box)
            signed.setdefault(key, []).append(Signed(len(kept), page, box, around, stamp))
        if its:
            kept.append(layout)
            their.append(int(group))
    return PenPlaces(tuple(kept), {key: tuple(its) for key, its in signed.items()}, tuple(their)) if kept else None


__all__ = ["NO_INKS", "Inks", "PenPlaces", "fit_pen_places"]
