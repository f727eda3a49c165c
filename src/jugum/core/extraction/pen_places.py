"""Signatures by where they stand on labelled papers of the same layout: many forms print nothing by the line that is
signed, or the same words by several lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from jugum.core.classification import Layout, layout_similarity
from jugum.core.classification.layout_book import SAME
from jugum.core.extraction.candidates.samples import Sample
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.page import Box
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.values import DataType

Ink = tuple[int, Box]  # page and box of a pen's ink
ALIKE = 0.7  # share of the most alike paper's likeness from which on another one is of the same layout (no absolute one
# fits all types, decision 0025)
PAPERS_MAX = 60  # labelled papers that are kept for comparing
NEAREST = 5  # of them that say where a paper is signed
AROUND = (0.04, 0.025)  # shares of the page that ink may lie beside its labelled places: pens go their own way
SURE, ONE_PAPER = 1.0, 0.85  # scores of what several labelled papers say, and of what one says


@dataclass(frozen=True)
class PenPlaces:
    """`signed`: for each signature, the papers (numbers of `layouts`) on which it was labelled, with page and box."""

    layouts: tuple[Layout, ...]
    signed: Mapping[str, tuple[tuple[int, int, Box], ...]]

    def read(self, field: FieldPlan, layout: Layout, inks: Sequence[Ink], likeness: float) -> Finding | None:
        """Whether there is ink where the most alike labelled papers are signed; None where no labelled paper is of
        this layout. `likeness` (0–1) is the layout's to the most alike labelled paper."""
        places = self.signed.get(field.key, ())
        if likeness < SAME or not places:
            return None
        alike = {paper: layout_similarity(layout, self.layouts[paper]) for paper, _, _ in places}
        least = ALIKE * max(alike.values())
        near = sorted((-score, paper) for paper, score in alike.items() if score >= least and score > 0)[:NEAREST]
        here = {paper for _, paper in near}
        mine = [(page, box) for paper, page, box in places if paper in here]
        if not mine:
            return None
        score = SURE if len(here) > 1 else ONE_PAPER
        signed = [(page, ink) for page, ink in inks if any(page == number and _at(ink, box) for number, box in mine)]
        if signed:
            page, ink = max(signed, key=lambda one: one[1].area)
            why = "ink where labelled papers of this layout are signed"
            return Finding(field.key, (Found("yes", "yes", page, ink, score, EngineName.MODEL, why),))
        page, box = mine[0]
        why = "no ink where labelled papers of this layout are signed"
        return Finding(field.key, (Found("no", "no", page, box, score, EngineName.MODEL, why),))

    def to_data(self) -> dict[str, Any]:
        """JSON-able."""
        return {
            "layouts": [layout.to_data() for layout in self.layouts],
            "signed": {
                key: [[paper, page, [round(side, 5) for side in box]] for paper, page, box in its]
                for key, its in self.signed.items()
            },
        }

    @staticmethod
    def from_data(data: Mapping[str, Any]) -> PenPlaces:
        """The inverse."""
        return PenPlaces(
            tuple(Layout.from_data(layout) for layout in data["layouts"]),
            {key: tuple((paper, page, Box(*box)) for paper, page, box in its) for key, its in data["signed"].items()},
        )


def _at(ink: Box, place: Box) -> bool:
    x, y = ink.middle
    return place.x0 - AROUND[0] <= x <= place.x1 + AROUND[0] and place.y0 - AROUND[1] <= y <= place.y1 + AROUND[1]


def fit_pen_places(plan: Plan, samples: Sequence[Sample], layouts: Sequence[Layout]) -> PenPlaces | None:
    """Where labelled papers bear the signatures of a plan; None when none was labelled with a place."""
    fields = [field for field in plan.fields if field.kind is FieldKind.VALUE and field.data_type is DataType.SIGNATURE]
    kept: list[Layout] = []
    signed: dict[str, list[tuple[int, int, Box]]] = {}
    for sample, layout in list(zip(samples, layouts, strict=True))[-PAPERS_MAX:]:
        its = [
            (field.key, label.page, label.box)
            for field in fields
            for label in sample.labels.get(field.key, ())
            if label.page and label.box and label.normal != "no"
        ]
        for key, page, box in its:
            signed.setdefault(key, []).append((len(kept), page, box))
        if its:
            kept.append(layout)
    return PenPlaces(tuple(kept), {key: tuple(its) for key, its in signed.items()}) if kept else None


__all__ = ["PenPlaces", "fit_pen_places"]
