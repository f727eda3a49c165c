"""What labelled marks teach: the captions that options and yes/no boxes bear on papers, beside what the plan says."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import replace

from jugum.core.extraction.candidates.around import bare_text
from jugum.core.extraction.candidates.samples import Sample, SampleLabel
from jugum.core.extraction.marks import name_by_pen
from jugum.core.extraction.ticks import Tick, captioned, ticks_of
from jugum.core.page import Box, Page, overlap_share, text_of
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.schema.plan import PRINTED_NAMES_MAX
from jugum.core.structure import Structures, TickBox
from jugum.core.values import DataType, Option

CAPTIONS_MAX = 20  # of one option: an office has not more forms of one type that word it otherwise
CAPTION_LETTERS_MAX = 60  # a longer text is a sentence with the option in it
WORDS_LEAST = 2  # papers: one may be a slip of the labeller's
SAME_BOX = 0.3  # share of the smaller box
ANSWERS = {"yes": "no", "no": "yes"}


def with_learned_captions(plan: Plan, samples: Sequence[Sample], structures: Mapping[str, Structures]) -> Plan:
    """The plan with the captions of its choices' options, of "yes" and "no" of its tick boxes, and of its signatures,
    as labelled papers have them: the words that were marked, or those beside the box that was. `structures` are the
    layers of the papers' pages by sample key. A caption that stands for two answers as often is nobody's."""
    plan = _with_names_by_pens(plan, samples)
    asked = [field for field in plan.fields if _has_captions(field)]
    if not asked:
        return plan
    counts: dict[str, Counter[tuple[str, str]]] = {field.key: Counter() for field in asked}
    for sample in samples:
        ticks = ticks_of(sample.pages, structures[sample.key]) if sample.key in structures else []
        for field in asked:
            for label in sample.labels.get(field.key, ()):
                told = _caption(field, label, sample, ticks)
                if told is not None:
                    counts[field.key][told] += 1
    fields = [_with_captions(field, counts[field.key]) if field.key in counts else field for field in plan.fields]
    return replace(plan, fields=tuple(fields))


def _with_names_by_pens(plan: Plan, samples: Sequence[Sample]) -> Plan:
    """The plan with what is printed by the pens of labelled signatures as names of their fields, the most frequent
    first after the plan's own. What stands by the pens of two fields as often is nobody's."""
    asked = [field for field in plan.fields if field.kind is FieldKind.VALUE and field.data_type is DataType.SIGNATURE]
    counts: dict[str, Counter[str]] = {field.key: Counter() for field in asked}
    for field in asked:
        for sample in samples:
            for label in sample.labels.get(field.key, ()):
                if label.box is not None and label.normal != "no":
                    page = _page(sample, label.page)
                    name = name_by_pen(page, label.box) if page else ""
                    if bare_text(name) and len(name) <= CAPTION_LETTERS_MAX:
                        counts[field.key][name] += 1
    fields = []
    for field in plan.fields:
        others = [its for key, its in counts.items() if key != field.key]
        mine = [
            name
            for name, count in counts.get(field.key, Counter()).most_common()
            if count >= WORDS_LEAST and all(its[name] < count for its in others)
        ]
        names = tuple(dict.fromkeys([*field.printed_names, *mine]))[:PRINTED_NAMES_MAX]
        fields.append(replace(field, printed_names=names) if mine else field)
    return replace(plan, fields=tuple(fields))


def printed_choices(plan: Plan, samples: Sequence[Sample], structures: Mapping[str, Structures]) -> frozenset[str]:
    """Keys of the choices that stand as words, without a box, on two labelled papers at least: they are found as values
    are, by what stands around them."""
    papers: Counter[str] = Counter()
    for field in plan.fields:
        if not _has_captions(field) or field.data_type is not DataType.CHOICE:
            continue
        for sample in samples:
            ticks = ticks_of(sample.pages, structures[sample.key]) if sample.key in structures else []
            papers[field.key] += any(_is_word(label, sample, ticks) for label in sample.labels.get(field.key, ()))
    return frozenset(key for key, count in papers.items() if count >= WORDS_LEAST)


def _is_word(label: SampleLabel, sample: Sample, ticks: Sequence[Tick]) -> bool:
    if label.box is None or label.page is None or _tick_at(label.page, label.box, ticks) is not None:
        return False
    return bool(bare_text(_words_in(sample, label.page, label.box)))


def _has_captions(field: FieldPlan) -> bool:
    return field.kind is FieldKind.VALUE and not field.is_column and field.data_type in (DataType.CHOICE, DataType.TICK)


def _caption(field: FieldPlan, label: SampleLabel, sample: Sample, ticks: Sequence[Tick]) -> tuple[str, str] | None:
    """The answer that a label's caption stands for, and the caption; None where none is seen."""
    if label.box is None or label.page is None:
        return None
    tick = _tick_at(label.page, label.box, ticks)
    answer = label.normal
    if tick is not None:
        # which of the words beside a struck one are meant, the label shows
        text = (_words_in(sample, label.page, label.box) if tick.in_words else "") or tick.caption
        if field.data_type is DataType.TICK and not tick.ticked:
            answer = ANSWERS.get(answer, answer)  # an empty box by “married” says no, and so its caption means yes
    else:
        text = _words_in(sample, label.page, label.box) or _beside(sample, label.page, label.box, ticks)
    plain = bare_text(text)
    return (answer, text) if plain and len(text) <= CAPTION_LETTERS_MAX else None


def _tick_at(page: int, box: Box, ticks: Sequence[Tick]) -> Tick | None:
    """The tick box that a label's box is."""
    there = [tick for tick in ticks if tick.page == page and overlap_share(tick.box, box) >= SAME_BOX]
    return max(there, key=lambda one: overlap_share(one.box, box), default=None)


def _page(sample: Sample, number: int | None) -> Page | None:
    return next((page for page in sample.pages if page.number == number), None)


def _words_in(sample: Sample, number: int, box: Box) -> str:
    page = _page(sample, number)
    return text_of([word for word in page.words if box.contains(*word.box.middle)]) if page else ""


def _beside(sample: Sample, number: int, box: Box, ticks: Sequence[Tick]) -> str:
    """What stands beside a box that was not found, on the side where the captions of the row's other boxes stand."""
    page = _page(sample, number)
    row = [tick for tick in ticks if tick.page == number and abs(tick.box.middle[1] - box.middle[1]) < box.height]
    if page is None or not row:
        return ""
    boxes = [*(TickBox(tick.box, tick.ticked, 0.0) for tick in row), TickBox(box, True, 1.0)]
    return next(tick.caption for tick in captioned(page, boxes) if tick.box == box)


def _with_captions(field: FieldPlan, counts: Counter[tuple[str, str]]) -> FieldPlan:
    by_text: dict[str, Counter[str]] = {}
    shown: dict[str, str] = {}
    for (answer, text), count in counts.items():
        by_text.setdefault(bare_text(text), Counter())[answer] += count
        shown.setdefault(bare_text(text), text)
    learned: dict[str, list[str]] = {}
    for plain, its in by_text.items():
        (answer, most), *others = its.most_common()
        if not others or others[0][1] < most:
            learned.setdefault(answer, []).append(shown[plain])
    options = field.options or (tuple(map(Option, ANSWERS)) if field.data_type is DataType.TICK and learned else ())
    captions = {option.key: dict.fromkeys([*option.printed, *learned.get(option.key, [])]) for option in options}
    taught = (replace(option, printed=tuple(captions[option.key])[:CAPTIONS_MAX]) for option in options)
    return replace(field, options=tuple(taught))
