"""Learning and deciding on a folder of papers with their truth, whoever drew them; the engine alone, without database
and pages.

    .venv/bin/python -m bench.folder FOLDER [--counts 3 10 25] [--types pay_stub …] [--kept CACHE] [--out FOLDER]
                                            [--alone]

FOLDER holds `schema.json` (types → fields and tables: key, name, type, required, choices), `truth.jsonl` (a paper a
line: file, type, layout, split, quality, fields, tables; places are [page, x0, y0, x1, y1] in fractions, pages from 0)
and the files. Papers of the split "train" are labelled, "test_known" and "test_new" are judged. Only names of the
schema are in the plans. Papers of one new layout are read together, as the product does once they have all come in;
`--alone` reads each by itself. Readings are kept in CACHE, since they take a second a page of a scan. `--out` gets a
file of predictions for each count, in JSON Lines.
"""

from __future__ import annotations

import argparse
import json
import pickle
import random
import re
import time
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass, field, fields, replace
from functools import cache
from multiprocessing import get_context
from pathlib import Path
from typing import Any

from jugum.core.classification import LayoutBook, TypeSample, layout_of
from jugum.core.classification.layout_book import NEW_LAYOUT, group_by
from jugum.core.evaluation.metrics import calibration_error
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.decided import PartDecision
from jugum.core.extraction.model import AnyDecision, Peers
from jugum.core.extraction.values.assignment import Decision
from jugum.core.extraction.values.together import Peer
from jugum.core.ocr import CarefulEngine, open_paper, read_page, reading_picture
from jugum.core.page import Box, Page, text_of, union
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.structure import Structure, structure_of
from jugum.core.thresholds import Evidence, EvidenceTable, proposed_thresholds
from jugum.core.training import TrainedVersion, train_version
from jugum.core.training.verdicts import verdict_on
from jugum.core.values import NUMERIC, DataType, Option, date_order, normal_or_text

PROMISE = 0.02
TYPES = {
    "text": DataType.TEXT,
    "id": DataType.IDENTIFIER,
    "date": DataType.DATE,
    "amount": DataType.MONEY,
    "number": DataType.NUMBER,
    "duration": DataType.TEXT,
    "choice": DataType.CHOICE,
    "yesno": DataType.TICK,
    "signature": DataType.SIGNATURE,
}


# ---- What is given ---------------------------------------------------------------------------------------------------


@dataclass
class PaperRead:
    """A paper as read: its pages and their layers, beside its line of truth."""

    truth: dict[str, Any]
    pages: tuple[Page, ...]
    layers: tuple[Structure, ...]
    sample: Sample | None = None


def plan_of(schema: Mapping[str, Any]) -> Plan:
    """A plan that knows what the schema says, and no more: no printed names, no units, no rules."""
    fields = [
        FieldPlan(
            one["key"],
            one["name"],
            TYPES[one["type"]],
            required=bool(one.get("required")),
            options=tuple(map(Option, one["choices"])) if one["type"] == "choice" else (),
        )
        for one in schema["fields"]
    ]
    for table in schema["tables"]:
        key = table["key"]
        fields.append(FieldPlan(key, table.get("name") or key.replace("_", " "), kind=FieldKind.TABLE, required=False))
        fields += [
            FieldPlan(f"{key}.{column['key']}", column["name"], TYPES[column["type"]], required=False, inside=key)
            for column in table["columns"]
        ]
    return Plan(tuple(fields))


@cache
def engine() -> CarefulEngine:
    """Made once in each process."""
    return CarefulEngine()


def kept_reading(cache: Path, truth: Mapping[str, Any]) -> Path:
    return cache / (truth["file"].replace("/", "-") + ".pickle")


def read_one(asked: tuple[Path, dict[str, Any], Path]) -> PaperRead:
    """A paper by its line of truth, read once and kept."""
    folder, truth, cache = asked
    kept = kept_reading(cache, truth)
    if kept.exists():
        pages, layers = pickle.loads(kept.read_bytes())
        return PaperRead(truth, _dated(pages), layers)
    paper = open_paper((folder / truth["file"]).read_bytes(), truth["file"])
    pages = tuple(read_page(paper, number, engine()).page for number in range(paper.page_count))
    layers = tuple(structure_of(page, reading_picture(paper, number, page)) for number, page in enumerate(pages))
    kept.write_bytes(pickle.dumps((pages, layers)))
    return PaperRead(truth, _dated(pages), layers)


def _dated(pages: Sequence[Page]) -> tuple[Page, ...]:
    """The pages, with the order of day and month that the paper's own dates tell."""
    told = date_order(word.text for page in pages for word in page.words).of_paper
    return tuple(replace(page, month_first=told) for page in pages)


def labelled(plan: Plan, paper: PaperRead) -> Sample:
    """The paper with the labels of a person who sweeps the words of each value, or types what was not read."""
    labels: dict[str, tuple[SampleLabel, ...]] = {}
    for key, places in paper.truth["fields"].items():
        labels[key] = (_label(plan.field(key), places, paper),) if places else ()
    for table, rows in paper.truth["tables"].items():
        for column in plan.inside(table):
            name = column.key.split(".")[1]
            labels[column.key] = tuple(
                _label(column, [row[name]], paper) if row.get(name) else SampleLabel("", "") for row in rows
            )
    return Sample(paper.truth["file"], paper.pages, labels)


def _label(one: FieldPlan, places: Sequence[Mapping[str, Any]], paper: PaperRead) -> SampleLabel:
    """The first of its places; where there are several a labeller takes one."""
    place = places[0]
    boxes = [(place["box"][0] + 1, Box(*place["box"][1:]))] if "box" in place else []
    boxes += [(box[0] + 1, Box(*box[1:])) for box in place.get("boxes", ())]
    normal = normal_or_text(place["normal"], one.value_type) if one.data_type in NUMERIC else place["normal"]
    if one.data_type is DataType.SIGNATURE:
        normal = "yes"
    if one.data_type in (DataType.TEXT, DataType.IDENTIFIER):
        normal = normal_or_text(place["value"], one.value_type)
    found = [(page, swept) for page, box in boxes if (swept := _swept(paper, page, box, place["value"])) is not None]
    if one.data_type in (DataType.SIGNATURE, DataType.TICK, DataType.CHOICE) or len(found) < len(boxes):
        found = boxes
    if not found:
        return SampleLabel(place["value"], normal)
    return SampleLabel(place["value"], normal, found[0][0], found[0][1], tuple(found[1:]))


def _swept(paper: PaperRead, number: int, box: Box, said: str) -> Box | None:
    """The words that are swept: those whose middles lie in the box, which on a scan may be a little off its drawn
    place: the nearest run of words with the same letters, then."""
    if number > len(paper.pages):
        return None
    words = paper.pages[number - 1].words
    here = [
        word
        for word in words
        if box.y0 - 0.003 <= word.box.middle[1] <= box.y1 + 0.003
        and box.x0 - 0.004 <= word.box.middle[0] <= box.x1 + 0.004
    ]
    if here and _letters(text_of(here)) in _letters(said):
        return union(word.box for word in here)
    return _nearest_run(words, box, said) or (union(word.box for word in here) if here else None)


def _nearest_run(words: Sequence[Any], box: Box, said: str) -> Box | None:
    wanted = _letters(said)
    best: tuple[float, Box] | None = None
    for start in range(len(words)):
        run = ""
        for end in range(start, min(len(words), start + 14)):
            run += _letters(words[end].text)
            if not wanted.startswith(run):
                break
            if run == wanted:
                whole = union(word.box for word in words[start : end + 1])
                far = abs(whole.middle[0] - box.middle[0]) + abs(whole.middle[1] - box.middle[1])
                if far < 0.15 and (best is None or far < best[0]):
                    best = (far, whole)
    return best[1] if best else None


def _letters(text: str) -> str:
    return re.sub(r"[\W_]", "", text.casefold())


@dataclass
class Folder:
    """All papers of a folder as read, and the plan of each type."""

    plans: dict[str, Plan]
    papers: list[PaperRead]

    @staticmethod
    def read(folder: Path, cache: Path, types: Sequence[str]) -> Folder:
        schema = json.loads((folder / "schema.json").read_text())["types"]
        lines = [json.loads(line) for line in (folder / "truth.jsonl").read_text().split("\n") if line.strip()]
        lines = [line for line in lines if not types or line["type"] in types]
        cache.mkdir(parents=True, exist_ok=True)
        asked = [(folder, line, cache) for line in lines]
        unread = [one for one in asked if not kept_reading(cache, one[1]).exists()]
        if unread:
            with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
                list(pool.map(read_one, unread, chunksize=4))
        papers = [read_one(one) for one in asked]
        plans = {key: plan_of(one) for key, one in schema.items() if not types or key in types}
        for paper in papers:
            paper.sample = labelled(plans[paper.truth["type"]], paper)
        return Folder(plans, papers)

    def of(self, kind: str, split: str) -> list[PaperRead]:
        return [paper for paper in self.papers if paper.truth["type"] == kind and paper.truth["split"] == split]


# ---- What is made of it ----------------------------------------------------------------------------------------------


def layout_numbers(papers: Sequence[PaperRead]) -> dict[str, int]:
    """The layout group of each paper, found as the product finds it."""
    found = LayoutBook([layout_of(paper.pages) for paper in papers]).groups
    return {paper.truth["file"]: group for paper, group in zip(papers, found, strict=True)}


def samples_of(folder: Folder, types: Sequence[str], count: int) -> list[TypeSample]:
    """So many papers of each type, labelled with its number, in an order by lot."""
    samples: list[TypeSample] = []
    for number, kind in enumerate(types):
        pages = [paper.pages for paper in folder.of(kind, "train")[:count]]
        groups = LayoutBook([layout_of(its) for its in pages]).groups
        samples += [
            TypeSample(its, number, number * len(pages) + group) for its, group in zip(pages, groups, strict=True)
        ]
    random.Random(count).shuffle(samples)
    return samples


def trained_on(plan: Plan, papers: Sequence[PaperRead]) -> TrainedVersion:
    return train_version(
        plan,
        [paper.sample for paper in papers if paper.sample],
        groups=layout_numbers(papers),
        structures={paper.truth["file"]: paper.layers for paper in papers},
        seed=1,
    )


def thresholds_of(version: TrainedVersion, plan: Plan) -> dict[str, float]:
    """The threshold of each field that the evidence allows under the promise."""
    rows = [
        Evidence(row.field, row.confidence, row.right, row.layout_similarity, row.sample)
        for row in version.evidence
        if row.counted and not row.unseen
    ]
    table = EvidenceTable.of(rows, [one.key for one in plan.fields]).gated(version.layout_similarity_min)
    return proposed_thresholds(table, PROMISE)


@dataclass
class Judged:
    """What was decided about the fields and tables of a paper."""

    paper: PaperRead
    fields: dict[str, dict[str, Any]] = field(default_factory=dict)
    tables: dict[str, list[dict[str, str | None]]] = field(default_factory=dict)
    decisions: list[tuple[AnyDecision, float | None]] = field(default_factory=list)
    passes: dict[str, bool] = field(default_factory=dict)

    def line(self, type_: str) -> str:
        return json.dumps(
            {"file": self.paper.truth["file"], "type": type_, "fields": self.fields, "tables": self.tables},
            ensure_ascii=False,
        )


class Post:
    """Papers of new layouts that have come in, for each of which a version can ask for the others of its layout."""

    def __init__(self, version: TrainedVersion, papers: Sequence[PaperRead]) -> None:
        self.model = version.trained_model
        layouts = [layout_of(paper.pages) for paper in papers]
        book = self.model.book
        new = [group_by(book.likeness(layout), book.groups) == NEW_LAYOUT for layout in layouts]
        self.papers = [paper for paper, is_new in zip(papers, new, strict=True) if is_new]
        self.layouts = [layout for layout, is_new in zip(layouts, new, strict=True) if is_new]
        self.peers: dict[int, Peer | None] = {}

    def others(self, paper: PaperRead) -> Peers:
        def asked(mine: Peer) -> list[Peer]:
            places = [place for place, other in enumerate(self.papers) if other is not paper]
            found = self.model.same_layout(mine.layout, [self.layouts[place] for place in places])
            return [peer for number in found if (peer := self._peer(places[number])) is not None]

        return asked

    def _peer(self, place: int) -> Peer | None:
        if place not in self.peers:
            self.peers[place] = self.model.peer(self.papers[place].pages)
        return self.peers[place]


def decide(
    version: TrainedVersion,
    thresholds: Mapping[str, float],
    plan: Plan,
    paper: PaperRead,
    peers: Peers | None = None,
) -> Judged:
    judged = Judged(paper, decisions=version.decide_with_confidence(paper.pages, paper.layers, peers))
    for decision, sure in judged.decisions:
        passes = (
            sure is not None
            and sure >= thresholds[decision.field]
            and decision.layout_similarity >= version.layout_similarity_min
        )
        one = plan.field(decision.field)
        if isinstance(decision, Decision):
            value: str | None = decision.chosen[0].candidate.normal if decision.chosen else None
        elif one.kind is FieldKind.TABLE:
            judged.tables[one.key] = _rows(plan, decision)
            judged.passes[one.key] = passes
            continue
        else:
            first = next(iter(decision.values[one.key]), None)
            value = first.normal if first else None
            if one.data_type is DataType.SIGNATURE:
                value = "signed" if value == "yes" else None
        if value is None and one.required:
            passes = False
        judged.passes[one.key] = passes
        judged.fields[one.key] = {"value": value, "confidence": sure or 0.0, "passed": passes}
    return judged


def _rows(plan: Plan, decision: PartDecision) -> list[dict[str, str | None]]:
    columns = {column.key.split(".")[1]: decision.values.get(column.key, ()) for column in plan.inside(decision.field)}
    count = max((len(values) for values in columns.values()), default=0)
    return [
        {key: (values[row].normal if row < len(values) and values[row] else None) for key, values in columns.items()}
        for row in range(count)
    ]


def trial(folder: Folder, kind: str, count: int, alone: bool = False) -> Iterator[Judged]:
    plan = folder.plans[kind]
    version = trained_on(plan, folder.of(kind, "train")[:count])
    thresholds = thresholds_of(version, plan)
    post = Post(version, [*folder.of(kind, "test_known"), *folder.of(kind, "test_new")])
    for split in ("test_known", "test_new"):
        for paper in folder.of(kind, split):
            yield decide(version, thresholds, plan, paper, None if alone else post.others(paper))


@dataclass
class Figures:
    """Counts over the papers of a split."""

    right: int = 0
    found: int = 0
    there: int = 0
    cells: list[int] = field(default_factory=lambda: [0, 0, 0])
    sure: list[float] = field(default_factory=list)
    good: list[bool] = field(default_factory=list)
    passed: int = 0
    passed_wrong: int = 0
    papers: int = 0
    through: int = 0
    through_wrong: int = 0

    def add(self, plan: Plan, judged: Judged) -> None:
        """Count a paper. A table counts in its cells; whether the paper goes through asks for all its fields."""
        assert judged.paper.sample is not None
        any_wrong, all_pass = False, True
        for decision, sure in judged.decisions:
            verdict = verdict_on(plan, decision, judged.paper.sample.labels)
            if verdict is None:
                continue
            if plan.field(decision.field).kind is FieldKind.TABLE:
                its = verdict.counts
                self.cells = [self.cells[0] + its.right, self.cells[1] + its.found, self.cells[2] + its.there]
                continue
            its = verdict.counts
            self.right, self.found, self.there = self.right + its.right, self.found + its.found, self.there + its.there
            self.sure.append(sure or 0.0)
            self.good.append(verdict.right)
            passes = judged.passes[decision.field]
            self.passed += passes
            self.passed_wrong += passes and not verdict.right
            all_pass, any_wrong = all_pass and passes, any_wrong or not verdict.right
        self.papers += 1
        self.through += all_pass
        self.through_wrong += all_pass and any_wrong

    def __add__(self, other: Figures) -> Figures:
        summed = {one.name: getattr(self, one.name) + getattr(other, one.name) for one in fields(self)}
        return Figures(**{**summed, "cells": [a + b for a, b in zip(self.cells, other.cells, strict=True)]})

    def said(self) -> str:
        f1 = 2 * self.right / max(1, self.found + self.there)
        cells = 2 * self.cells[0] / max(1, self.cells[1] + self.cells[2])
        off = calibration_error(self.sure, self.good) if self.sure else 0.0
        return (
            f"F1 {f1:.3f} cells {cells:.3f} off {off:.3f} passing {self.passed}/{len(self.sure)} "
            f"({self.passed_wrong} wrong) through {self.through}/{self.papers} ({self.through_wrong} wrong)"
        )


def work(args: tuple[Path, Path, str, int, bool]) -> tuple[str, int, dict[str, Figures], list[str], float]:
    """One training and its tests, in a process of its own."""
    path, cache, kind, count, alone = args
    folder = Folder.read(path, cache, [kind])
    started = time.process_time()
    figures: dict[str, Figures] = defaultdict(Figures)
    lines = []
    for judged in trial(folder, kind, count, alone):
        figures[judged.paper.truth["split"]].add(folder.plans[kind], judged)
        figures[f"{judged.paper.truth['split']} {judged.paper.truth['quality']}"].add(folder.plans[kind], judged)
        lines.append(judged.line(kind))
    return kind, count, figures, lines, time.process_time() - started


def what_is_asked(about: str | None) -> argparse.ArgumentParser:
    """The folder, how many papers are labelled, of which types, and where readings are kept."""
    asked = argparse.ArgumentParser(description=about, formatter_class=argparse.RawDescriptionHelpFormatter)
    asked.add_argument("folder", type=Path)
    asked.add_argument("--counts", type=int, nargs="*", default=[25])
    asked.add_argument("--types", nargs="*", default=[])
    asked.add_argument("--kept", type=Path, default=None)
    return asked


def main() -> None:
    asked = what_is_asked(__doc__)
    asked.add_argument("--out", type=Path, default=None)
    asked.add_argument("--alone", action="store_true")
    args = asked.parse_args()
    cache = args.kept or args.folder / "read"
    folder = Folder.read(args.folder, cache, args.types)
    jobs = [(args.folder, cache, kind, count, args.alone) for count in args.counts for kind in folder.plans]
    written: dict[int, list[str]] = defaultdict(list)
    sums: dict[tuple[int, str], Figures] = defaultdict(Figures)
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for kind, count, figures, lines, spent in pool.map(work, jobs):
            for split in ("test_known", "test_new"):
                print(f"{kind:16}{count:4} {split:11} {figures[split].said()}", flush=True)
            print(f"{kind:16}{count:4} {spent:.1f} s of CPU")
            written[count] += lines
            for name, its in figures.items():
                sums[count, name] += its
    for (count, name), its in sorted(sums.items()):
        print(f"{count:4} {name:22} {its.said()}")
    if args.out:
        args.out.mkdir(parents=True, exist_ok=True)
        for count, lines in written.items():
            (args.out / f"predictions-{count}.jsonl").write_text("\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
