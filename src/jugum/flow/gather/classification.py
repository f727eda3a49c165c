"""How papers of a type are told: phrases, near twins, and what became of papers and bundles that the newest classifier
had not seen."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import select

from jugum.core.classification import LEFT_OUT, OTHER
from jugum.core.classification.phrases import Phrases
from jugum.core.evaluation.tables import ReportTable
from jugum.core.training.verdicts import Counts
from jugum.errors import InputError
from jugum.flow.gather.classifiers import LoadedClassifiers
from jugum.flow.gather.place import phrases_in
from jugum.flow.office.actions import Action
from jugum.flow.office.actor import PLAN, Actor, record
from jugum.flow.office.types import type_row
from jugum.store import Store
from jugum.store.models import DocumentType

PHRASES_MAX, PHRASE_MAX = 40, 120


@dataclass(frozen=True)
class TwinView:
    """Another type whose papers are easily taken for this one's: how alike their wording is (0–1)."""

    type_id: int
    name: str
    likeness: float


@dataclass(frozen=True)
class CuttingView:
    """How bundles of papers that the cutter had not seen were cut, `layouts` seen or not: beginnings of papers (F1 0–1
    with its 95 % interval, how many there are), and papers cut out whole (share of `papers` with its interval)."""

    layouts: str
    bundles: int
    papers: int
    starts: int
    f1: float
    f1_interval: tuple[float, float]
    whole: int
    whole_interval: tuple[float, float]


@dataclass(frozen=True)
class SortingView:
    """How papers of a type are told: its phrases, its near twins, and what became of papers of each type when judged
    by a classifier that had not seen them: a row a type with its counts for each of `placed_as`. "" stands for no known
    type and for unplaced."""

    pro: list[str]
    contra: list[str]
    twins: list[TwinView]
    placed_as: list[str]
    confusion: list[tuple[str, list[int]]]
    cutting: list[CuttingView]


def sorting_view(store: Store, classifiers: LoadedClassifiers, type_id: int) -> SortingView:
    with store.session() as session:
        row = type_row(session, type_id)
        workspace_id = row.workspace_id
        said = phrases_in(session, workspace_id).get(type_id, Phrases())
        names = dict(
            session.execute(
                select(DocumentType.id, DocumentType.name).where(DocumentType.workspace_id == workspace_id)
            ).all()
        )
    loaded = classifiers.newest(store, workspace_id)
    pairs = loaded.classifier.twins() if loaded is not None else []
    others = [(b if a == type_id else a, alike) for a, b, alike in pairs if type_id in (a, b)]
    twins = [TwinView(other, names[other], alike) for other, alike in others if other in names]
    placed_as, confusion = _confusion(loaded.classifier.figures() if loaded is not None else {}, names)
    cutting = loaded.report.get("cutting", {}) if loaded is not None else {}
    return SortingView(
        list(said.pro),
        list(said.contra),
        sorted(twins, key=lambda one: -one.likeness),
        placed_as,
        confusion,
        _cutting(cutting),
    )


def _cutting(kept: Mapping[str, Any]) -> list[CuttingView]:
    return [
        CuttingView(
            layouts,
            one["bundles"],
            one["papers"],
            one["starts"]["there"],
            Counts(**one["starts"]).f1,
            tuple(one["starts_interval"]),
            one["whole"],
            tuple(one["whole_interval"]),
        )
        for layouts, key in (("known", "seen"), ("new", "unseen"))
        if (one := kept.get(key))
    ]


def _confusion(
    counts: Mapping[tuple[int, int], int], names: Mapping[int, str]
) -> tuple[list[str], list[tuple[str, list[int]]]]:
    known = [name for name in names if any(name in pair for pair in counts)]
    columns = [*known, OTHER]
    said = {**names, OTHER: "no type", LEFT_OUT: "a type it had not learned"}
    rows = [(said[row], [counts.get((row, other), 0) for other in columns]) for row in (*columns, LEFT_OUT)]
    return [names.get(column, "") for column in columns], [(name, its) for name, its in rows if any(its)]


def set_phrases(store: Store, actor: Actor, type_id: int, pro: Sequence[str], contra: Sequence[str]) -> None:
    """Keep the phrases that speak for and against a type; they count at once for papers placed from now on."""
    actor.require(PLAN)
    kept = {
        name: [" ".join(line.split()) for line in lines if line.strip()]
        for name, lines in (("pro", pro), ("contra", contra))
    }
    for line in [*kept["pro"], *kept["contra"]]:
        if len(line) > PHRASE_MAX or not any(map(str.isalnum, line)):
            raise InputError(f"“{line[:60]}” is not a phrase: write letters or digits, at most {PHRASE_MAX}.")
    if len(kept["pro"]) + len(kept["contra"]) > PHRASES_MAX:
        raise InputError(f"A type has at most {PHRASES_MAX} phrases.")
    if both := {line.casefold() for line in kept["pro"]} & {line.casefold() for line in kept["contra"]}:
        raise InputError(f"“{min(both)}” cannot both show and exclude the type.")
    with store.session() as session:
        row = type_row(session, type_id)
        row.training = {**row.training, "phrases": kept}
        record(
            session,
            actor,
            Action.SET_PHRASES,
            "document_type",
            type_id,
            pro=len(kept["pro"]),
            contra=len(kept["contra"]),
        )


def sorting_tables(view: SortingView) -> list[ReportTable]:
    """The same as tables to take away; none for what was not measured."""
    columns = ("papers of", *((f"placed as {name}" if name else "left unplaced") for name in view.placed_as))
    types = ReportTable("types", "Types", columns, tuple((name, *counts) for name, counts in view.confusion))
    bundles = ReportTable(
        "bundles",
        "Bundles",
        (
            "layouts",
            "bundles",
            "papers",
            "beginnings",
            "F1",
            "F1 low",
            "F1 high",
            "papers whole",
            "whole low",
            "whole high",
        ),
        tuple(
            (
                figures.layouts,
                figures.bundles,
                figures.papers,
                figures.starts,
                round(figures.f1, 4),
                *_rounded(figures.f1_interval),
                figures.whole,
                *_rounded(figures.whole_interval),
            )
            for figures in view.cutting
        ),
    )
    return [shown for shown in (types, bundles) if shown.rows]


def _rounded(pair: Sequence[float]) -> tuple[float, float]:
    return round(pair[0], 4), round(pair[1], 4)
