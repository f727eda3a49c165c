"""Two plain ways to read values, to measure the engine beside: a template, and a conditional random field over words.

    .venv/bin/python -m bench.baselines FOLDER [--counts 3 10 25] [--types pay_stub …] [--kept CACHE]

FOLDER and CACHE are those of `bench.folder`, whose figures they belong beside: micro F1 over all values that are no
cells, in normal form; ticks and signatures are not found by either.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from pathlib import Path

from bench.folder import Folder, PaperRead, what_is_asked
from jugum.core.classification import Layout, layout_of, layout_similarity
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.values.second_opinion import fit_tagger, tagged
from jugum.core.page import Box, Page, text_of
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.training.verdicts import Counts
from jugum.core.values import normal_form, same_value

Found = Mapping[str, Sequence[str]]


def template(
    plan: Plan, train: Sequence[Sample], layouts: Sequence[Layout], pages: Sequence[Page]
) -> dict[str, list[str]]:
    """The nearest labelled paper's places laid over another paper: the words that stand there."""
    mine = layout_of(pages)
    nearest = train[max(range(len(train)), key=lambda n: layout_similarity(mine, layouts[n]))]
    found: dict[str, list[str]] = {}
    for field in plan.learned.fields:
        for label in nearest.labels.get(field.key, ()):
            if label.box is None or label.page is None or label.page > len(pages):
                continue
            wide = Box(label.box.x0 - 0.01, label.box.y0 - 0.004, label.box.x1 + 0.02, label.box.y1 + 0.004)
            words = [word for word in pages[label.page - 1].words if wide.contains(*word.box.middle)]
            normal = normal_form(text_of(words), field.value_type) if words else None
            if normal is not None:
                found.setdefault(field.key, []).append(normal)
    return found


def counted(field: FieldPlan, found: Sequence[str], labels: Sequence[SampleLabel]) -> Counts:
    """Values against their labels, in normal form."""
    right = sum(same_value(value, label.normal, field.data_type) for value, label in zip(found, labels, strict=False))
    return Counts(right, len(found), len(labels))


def readers(plan: Plan, samples: Sequence[Sample]) -> dict[str, Callable[[Sequence[Page]], Found]]:
    """The two ways by name, learned from labelled papers; the second asks for five."""
    layouts = [layout_of(sample.pages) for sample in samples]
    ways: dict[str, Callable[[Sequence[Page]], Found]] = {
        "template": lambda pages: template(plan, samples, layouts, pages)
    }
    tagger = fit_tagger(plan.learned, [tagged(plan.learned, sample) for sample in samples])
    if tagger:
        ways["random field"] = tagger.values
    return ways


def work(asked: tuple[Path, Path, str, int]) -> dict[tuple[int, str, str], Counts]:
    """Counts by number of papers, way and split, of one type; in a process of its own."""
    path, cache, kind, count = asked
    folder = Folder.read(path, cache, [kind])
    plan = folder.plans[kind]
    values = [field for field in plan.fields if field.kind is FieldKind.VALUE and not field.is_column]
    sums: dict[tuple[int, str, str], Counts] = {}
    ways = readers(plan, [_sample(paper) for paper in folder.of(kind, "train")[:count]])
    for split in ("test_known", "test_new"):
        for paper in folder.of(kind, split):
            for name, read in ways.items():
                found = read(paper.pages)
                for field in values:
                    its = counted(field, found.get(field.key, ()), _sample(paper).labels.get(field.key, ()))
                    sums[count, name, split] = sums.get((count, name, split), Counts()) + its
    return sums


def _sample(paper: PaperRead) -> Sample:
    assert paper.sample is not None
    return paper.sample


def main() -> None:
    args = what_is_asked(__doc__).parse_args()
    cache = args.kept or args.folder / "read"
    kinds = Folder.read(args.folder, cache, args.types).plans
    jobs = [(args.folder, cache, kind, count) for count in args.counts for kind in kinds]
    sums: dict[tuple[int, str, str], Counts] = {}
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for (_, _, kind, _), its in zip(jobs, pool.map(work, jobs), strict=True):
            for (count, name, split), counts in sorted(its.items()):
                print(f"{kind:16}{count:4} {name:14}{split:11} F1 {counts.f1:.3f}", flush=True)
                sums[count, name, split] = sums.get((count, name, split), Counts()) + counts
    for (count, name, split), total in sorted(sums.items()):
        print(f"{count:4} {name:14}{split:11} F1 {total.f1:.3f} of {total.there} values")


if __name__ == "__main__":
    main()
