"""Phrases that an analyst gave for telling types apart: what speaks for a type when it stands on a paper, and what
speaks against it."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from jugum.core.classification.types import PAGES_USED, Placed
from jugum.core.page import Page

ODDS = 3.0  # log-odds that each phrase on the paper lends to its type
COUNTED_MAX = 2  # a third phrase says nothing that two have not said
ALONE = 0.95  # sureness of a type that phrases alone speak for
_NOT_WORDS = re.compile(r"[\W_]+")


@dataclass(frozen=True)
class Phrases:
    """What speaks for a type, and against it; a single phrase against it rules it out."""

    pro: tuple[str, ...] = ()
    contra: tuple[str, ...] = ()


def heard(pages: Sequence[Page], phrases: Mapping[int, Phrases]) -> dict[int, int]:
    """Type → how many of its phrases stand on the first three pages; −1 where one against it does. Types without any
    are left out. Case, punctuation and line breaks don't count."""
    text = f" {_plain(' '.join(word.text for page in pages[:PAGES_USED] for word in page.words))} "
    found: dict[int, int] = {}
    for type_id, its in phrases.items():
        if any(f" {_plain(phrase)} " in text for phrase in its.contra if _plain(phrase)):
            found[type_id] = -1
        elif count := sum(f" {_plain(phrase)} " in text for phrase in its.pro if _plain(phrase)):
            found[type_id] = count
    return found


def _plain(text: str) -> str:
    return _NOT_WORDS.sub(" ", text.casefold()).strip()


def placed_by(placed: Placed | None, said: Mapping[int, int]) -> Placed | None:
    """A judgement with what phrases say: each lends odds to its type, a type with one against it comes last and is
    not taken. A type is taken by its phrases when no other type's speak. `placed` is None where nothing was learned
    yet; the answer is then by phrases alone, or None."""
    speaking = [type_id for type_id, count in said.items() if count > 0]
    if placed is None:
        return Placed(((speaking[0], ALONE),), True, ALONE) if len(speaking) == 1 else None
    known = dict(placed.likely)
    for type_id in speaking:
        known.setdefault(type_id, 0.01)
    odds = {
        type_id: math.log(max(1e-6, chance) / max(1e-6, 1 - chance))
        + ODDS * min(COUNTED_MAX, max(0, said.get(type_id, 0)))
        for type_id, chance in known.items()
    }
    order = sorted(known, key=lambda type_id: (said.get(type_id, 0) < 0, -odds[type_id], type_id))
    first = order[0]
    likely = tuple(
        (type_id, 0.0 if said.get(type_id, 0) < 0 else round(1 / (1 + math.exp(-odds[type_id])), 4))
        for type_id in order
    )
    by_phrase = speaking == [first]
    taken = said.get(first, 0) >= 0 and (by_phrase or (placed.accepted and first == placed.likely[0][0]))
    return Placed(likely, taken, max(placed.confidence, ALONE) if by_phrase else placed.confidence)
