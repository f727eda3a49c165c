"""What a mark may say whose words nobody has taught: by the meaning of captions, or by being the only one."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from jugum.core.extraction.candidates.around import bare_text
from jugum.core.extraction.candidates.meanings import nearness
from jugum.core.extraction.candidates.text_similarity import likeness
from jugum.core.extraction.found import EngineName, Found
from jugum.core.extraction.ticks import (
    NO_WORDS,
    YES_WORDS,
    Tick,
    answer_of,
    columns_of_ticks,
    is_pair,
    rows_of_ticks,
    state_of,
)
from jugum.core.schema import FieldPlan
from jugum.core.values import Option

MEANT_LEAST = 0.35  # mean nearness in meaning of a row's captions to the options (decision 0030)
NEAR_LEAST = 0.25  # nearness of each of them
GUESSED = 0.5  # what a guess by meaning scores, of its nearness
CHOSEN_LEAST = 0.55  # what words score that a pen left standing among others: an answer, if of unsure meaning


def guessed_question(field: FieldPlan, ticks: Sequence[Tick], *, alone: bool) -> Found | None:
    """The answer to the one yes/no question of a paper that may be the field's: two boxes for yes and no, one of them
    ticked, or a box by itself. Of several the nearest in meaning to the field's names, if it is near at all. Its score
    is low: it is a guess."""
    listed = {tick for column in columns_of_ticks(ticks) for tick in column}  # rather the options of a choice
    questions = []
    for row in rows_of_ticks(ticks):
        said = [tick for tick in row if tick.ticked]
        if is_pair(row) and len(said) == 1:
            questions.append((row[0].group, said[0]))
        elif len(row) == 1 and not row[0].in_words:
            questions.append((row[0].caption or row[0].group, row[0]))
    if not questions:
        return None
    names = [
        bare_text(name)
        for name in (*field.names_on_paper, *(printed for option in field.options for printed in option.printed))
    ]
    near = nearness([bare_text(text) for text, _ in questions], names).max(axis=1, initial=0.0)
    best = int(near.argmax())
    why = "which is nearest in meaning"
    if near[best] < MEANT_LEAST:
        only = [place for place, (_, tick) in enumerate(questions) if tick not in listed]
        if not alone or len(only) != 1:
            return None
        best, why = only[0], "and the paper asks no other such question"
    tick = questions[best][1]
    answer = answer_of(tick)
    score = GUESSED * max(MEANT_LEAST, float(near[best]))
    return Found(answer, answer, tick.page, tick.box, score, EngineName.MARK, f"{state_of(tick)}, {why}")


def guessed_choice(field: FieldPlan, ticks: Sequence[Tick]) -> Found | None:
    """The answer of the row whose captions, none of them known, are together nearest in meaning to the options: each
    caption is given to one option, the whole as near as can be (assignment problem; Kuhn, 1955). None where no row
    has one mark among as many boxes as may be answers, or none is near. Its score is low: it is a guess."""
    from scipy.optimize import linear_sum_assignment  # here: it takes half a second to load, and few papers need it

    best: tuple[float, Tick, Option] | None = None
    for row in (*rows_of_ticks(ticks), *columns_of_ticks(ticks)):
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
        max(GUESSED * score, CHOSEN_LEAST * tick.in_words),
        EngineName.MARK,
        f"{state_of(tick)}, which is nearest in meaning to “{option.key}”",
    )


def _nearness(tick: Tick, option: Option) -> float:
    texts = [bare_text(text) for text in (tick.caption, *tick.shorter)]
    spellings = [bare_text(spelling) for spelling in option.spellings]
    return float(np.maximum(likeness(texts, spellings), nearness(texts, spellings)).max(initial=0.0))
