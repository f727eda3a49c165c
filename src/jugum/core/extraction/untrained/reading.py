"""Reading a paper by its plan alone, with no training: printed names, questions, rules, data types, marks, headers,
headings.

This is what the plan's sample shows while a field is being named, what labelling begins with, and what reads the
fields a model does not learn.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import replace

import numpy as np
import numpy.typing as npt
from rapidfuzz import fuzz

from jugum.core.extraction.candidates.around import plain_text
from jugum.core.extraction.candidates.generate import Candidate, PageCandidates
from jugum.core.extraction.candidates.rules import candidates_with_rules
from jugum.core.extraction.clauses.sections import Section, read_section, sections_of
from jugum.core.extraction.found import EngineName, Finding, Found
from jugum.core.extraction.marks import read_choice, read_signature, read_tick, read_zone
from jugum.core.extraction.tables.by_heads import read_table
from jugum.core.extraction.ticks import ticks_of
from jugum.core.extraction.untrained.printed_names import PrintedName, name_words, printed_names, said, standing
from jugum.core.extraction.values.assignment import Choice, decide
from jugum.core.extraction.values.offered import with_plausible_others
from jugum.core.page import Page
from jugum.core.schema import FieldKind, FieldPlan, Plan
from jugum.core.structure import Structure, read_zones
from jugum.core.values import NUMERIC, DataType, ValueType, normal_form

Floats = npt.NDArray[np.float32]
EVEN = 0.62  # the score at which a candidate is as likely right as wrong
LEAST = 0.27  # the score under which nothing is given
STEEP = 7.0  # how fast odds rise with the score
RULE_SCORES = 1.25  # what a rule finds stands before all that names alone find, which score below it
QUESTION_WEIGHT = 0.7  # an answer to a question counts less than a printed name that stands there
LONE = 0.66  # score of the only candidate of a telling data type
NARROW = frozenset({DataType.EMAIL, DataType.PHONE, DataType.COUNTRY})
_STOP = frozenset(
    (
        "the of a an in to and or is are was for on by which what who when how much many does do this that it with "
        "has at from did"
    ).split()
)


_NO_VALUE = frozenset("no nr number code date id of the and to from for page by at in 0".split())


def needs_picture(plan: Plan) -> bool:
    """Whether reading by this plan needs the picture of a page: for tick boxes and signatures."""
    return any(field.data_type in (DataType.TICK, DataType.SIGNATURE, DataType.CHOICE) for field in plan.fields)


def read_untrained(
    plan: Plan, pages: Sequence[Page], structures: Sequence[Structure | None] | None = None
) -> dict[str, Finding]:
    """A finding for each field of a plan but derived ones. `structures` are the pages' layers, where there are any;
    without them no tick box and no signature is found. 10–60 ms a page."""
    layers = list(structures) if structures is not None else [None] * len(pages)
    found: dict[str, Finding] = {}
    sections = sections_of(pages) if any(planned.kind is FieldKind.CLAUSE for planned in plan.fields) else []
    within: dict[str, Section] = {}
    for field in plan.fields:
        if field.kind is FieldKind.CLAUSE:
            found[field.key], section = read_section(field, pages, sections)
            if section is not None:
                within[field.key] = section
        elif field.kind is FieldKind.TABLE:
            found |= read_table(plan, field, pages)
    found |= _marks(plan, pages, layers)
    found |= _values(plan, pages, within, already=found)
    return found


def _marks(plan: Plan, pages: Sequence[Page], layers: Sequence[Structure | None]) -> dict[str, Finding]:
    fields = [planned for planned in plan.fields if planned.kind is FieldKind.VALUE and not planned.is_column]
    ticks = ticks_of(pages, layers)
    zones = [(page, zone) for page in pages for zone in read_zones(page.words)]
    found: dict[str, Finding] = {}
    alone = sum(field.data_type is DataType.TICK for field in fields) == 1
    for field in fields:
        if field.data_type is DataType.TICK:
            found[field.key] = read_tick(field, ticks, alone=alone)
        elif field.data_type is DataType.SIGNATURE:
            found[field.key] = read_signature(field, pages, layers)
        elif field.data_type is DataType.ZONE:
            found[field.key] = read_zone(field, pages, zones)
        elif field.data_type is DataType.CHOICE and (read := read_choice(field, ticks, pages)).values:
            found[field.key] = read
    return found


def _values(
    plan: Plan, pages: Sequence[Page], within: Mapping[str, Section], already: Mapping[str, Finding]
) -> dict[str, Finding]:
    """Fields whose values are runs of words: one-to-one over all of them, by the scores of `_Scores`."""
    wanted = tuple(
        planned
        for planned in plan.fields
        if planned.kind is FieldKind.VALUE and not planned.is_column and planned.key not in already
    )
    if not wanted:
        return {}
    part = Plan(tuple(_loose(planned) for planned in wanted))
    parts = [PageCandidates(page) for page in pages]
    candidates, by_rule = candidates_with_rules(part, pages, parts)
    scores = _Scores(part, parts, candidates, by_rule)
    choices: dict[str, list[Choice]] = {}
    whys: dict[tuple[str, int], tuple[EngineName, str]] = {}
    for field in wanted:
        chosen, own, why = scores.of(part.field(field.key))
        allowed = _inside(within.get(field.inside), candidates, chosen) if field.inside else np.ones(len(chosen), bool)
        own = np.where(allowed, own, -1.0)  # outside its section a value is another clause's
        order = np.argsort(-own, kind="stable")
        choices[field.key] = [
            Choice(candidates[int(chosen[n])], STEEP * (float(own[n]) - EVEN)) for n in order[:60] if own[n] > 0
        ]
        whys |= {(field.key, id(candidates[int(chosen[n])])): why(n) for n in order[:60]}
    found = {}
    for decision in with_plausible_others(part, decide(part, choices, 0.0, least=STEEP * (LEAST - EVEN))):
        values = tuple(_found(choice, *whys[decision.field, id(choice.candidate)]) for choice in decision.chosen)
        others = tuple(_found(choice, *whys[decision.field, id(choice.candidate)]) for choice in decision.others)
        found[decision.field] = Finding(decision.field, values, others)
    return found


def _loose(field: FieldPlan) -> FieldPlan:
    """A field taken out of what it stands in, to make a plan of some fields only."""
    return replace(field, inside="")


def _found(choice: Choice, engine: EngineName, why: str) -> Found:
    one = choice.candidate
    score = min(1.0, max(0.0, choice.logit / STEEP + EVEN))
    # a sentence's full stop is no part of a date or a name
    trimmed = one.text.rstrip(".,;") if one.data_type is not DataType.TEXT else one.text
    text = trimmed if normal_form(trimmed, one.kind) == one.normal else one.text
    return Found(text, one.normal, one.page, one.box, round(score, 3), engine, why, one.confidence)


def _inside(
    section: Section | None, candidates: Sequence[Candidate], chosen: npt.NDArray[np.intp]
) -> npt.NDArray[np.bool_]:
    """Which candidates stand in a section; none where the section was not found."""
    if section is None:
        return np.zeros(len(chosen), dtype=bool)
    words = {(line.page.number, index) for line in section.lines for index in line.words}
    return np.array(
        [
            all(
                (candidates[int(n)].page, index) in words
                for index in range(candidates[int(n)].first, candidates[int(n)].last + 1)
            )
            for n in chosen
        ],
        dtype=bool,
    )


class _Scores:
    """How printed names, question, rules and data type speak for each candidate of a field."""

    def __init__(
        self, plan: Plan, parts: Sequence[PageCandidates], candidates: list[Candidate], by_rule: dict[str, list[int]]
    ) -> None:
        self.parts = {part.page.number: part for part in parts}
        self.candidates = candidates
        self.by_rule = by_rule
        self.names = printed_names(plan, parts)
        taken = name_words(self.names)
        self.is_name = np.array(
            [
                any((candidate.page, index) in taken for index in range(candidate.first, candidate.last + 1))
                for candidate in candidates
            ],
            dtype=np.float32,
        )
        self.fit = np.array(
            [_fit(candidate) - self._cut_short(candidate) for candidate in candidates], dtype=np.float32
        )
        self.of_kind: dict[ValueType, npt.NDArray[np.intp]] = {
            kind: np.array([n for n, one in enumerate(candidates) if one.kind == kind], dtype=np.intp)
            for kind in {field.value_type for field in plan.fields}
        }

    def _cut_short(self, one: Candidate) -> float:
        """What a name loses when it goes on behind: "Kelda" of "Kelda Quarnby"."""
        part = self.parts[one.page]
        if one.data_type is not DataType.NAME or one.last >= part.home[one.first].last or one.text[-1] in ",;.":
            return 0.0
        return 0.12 if part.words[one.last + 1].text[:1].isupper() else 0.0

    def of(self, field: FieldPlan) -> tuple[npt.NDArray[np.intp], Floats, Callable[[int], tuple[EngineName, str]]]:
        """Indices of the field's candidates, their scores, and a function that says why the n-th was taken."""
        chosen = self.of_kind[field.value_type]
        names = self.names[field.key]
        stand, which = self._standing(names, chosen)
        scores = np.where(stand > 0, stand + self.fit[chosen] - 0.5 * self.is_name[chosen], 0.0)
        asked = QUESTION_WEIGHT * self._asked(field, chosen) + self.fit[chosen] - 0.3 * self.is_name[chosen]
        by_question = asked > scores
        scores = np.where(by_question, asked, scores)
        only = field.data_type in NARROW or bool(field.pattern)
        # the same address in letterhead and foot is one address
        lone = only and len({self.candidates[int(n)].normal for n in chosen}) == 1
        by_type = np.full(len(chosen), lone) & (scores < LONE)
        scores = np.where(by_type, LONE + self.fit[chosen], scores)
        ruled = {index: place for place, index in enumerate(self.by_rule.get(field.key, ()))}
        rank = np.array([ruled.get(int(index), -1) for index in chosen], dtype=np.intp)
        # in the order of the rules: a person put the best first
        scores = np.where(rank >= 0, RULE_SCORES - 0.01 * np.minimum(rank, 20), scores)

        def why(n: int) -> tuple[EngineName, str]:
            if rank[n] >= 0:
                return EngineName.RULE, "a rule of the field found it"
            if by_type[n]:
                return EngineName.TYPE, f"the only {field.data_type} on the paper"
            if by_question[n] or which[n] < 0:
                return EngineName.QUESTION, "the words around it answer the question"
            return EngineName.NAMES, said(names[which[n]], self.candidates[int(chosen[n])])

        return chosen, scores, why

    def _standing(self, names: Sequence[PrintedName], chosen: npt.NDArray[np.intp]) -> tuple[Floats, list[int]]:
        stand = np.zeros(len(chosen), dtype=np.float32)
        which = [-1] * len(chosen)
        for page in sorted({name.page for name in names}):
            here = [n for n, index in enumerate(chosen) if self.candidates[int(index)].page == page]
            own, best = standing(names, [self.candidates[int(chosen[n])] for n in here], self.parts[page])
            for n, score, name in zip(here, own, best, strict=True):
                stand[n], which[n] = score, name
        return stand, which

    def _asked(self, field: FieldPlan, chosen: npt.NDArray[np.intp]) -> Floats:
        """How many of the question's telling words stand around each candidate, 0–1."""
        asked = {word for word in plain_text(field.question).split() if word not in _STOP}
        if not asked:
            return np.zeros(len(chosen), dtype=np.float32)
        shares = []
        for index in chosen:
            around = {word for text in self.candidates[int(index)].contexts for word in re.findall(r"\w+", text)}
            shares.append(len(asked & around) / len(asked))
        return np.array(shares, dtype=np.float32)


def _fit(one: Candidate) -> float:
    """What speaks for a candidate by itself: a whole piece of a row, or its end; the widest reading; amounts with
    decimals."""
    fit = 0.04 * one.widest + 0.06 * one.ends_segment + 0.03 * one.whole_segment
    if one.data_type is DataType.MONEY and not re.search(r"[.,]\s?(\d{2}|-)\D*$", one.text):
        fit -= 0.3
    if one.data_type in NUMERIC and one.starts_segment and not one.ends_segment and one.text.isdigit():
        fit -= 0.3  # the number of a line: "9 Gross salary"
    if one.data_type is DataType.CHOICE:
        spellings = (spelling for option in one.kind.options for spelling in option.spellings)
        fit += 0.5 * (max(fuzz.ratio(one.plain, plain_text(spelling)) for spelling in spellings) / 100 - 1)
    if one.data_type in (DataType.TEXT, DataType.NAME):
        fit -= 0.12 * one.text.endswith(":") + 0.03 * one.text[:1].islower()
        fit -= 0.4 * all(word in _NO_VALUE for word in one.plain.split())
    return fit
