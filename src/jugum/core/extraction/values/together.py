"""Papers of a layout that nobody has labelled, read together: each tells something of the others.

What several of them print word for word is no value, be it in large print at the head; a word that all of them print
before or behind a value ("Dear Ann Berg") is no part of it; and what stands beside the same printed words is the same
field on all of them, so that what a field's candidates are given is the mean over the papers.
Which caption an amount belongs to is often seen on one paper alone, whose figures add up, say; the others learn it from
that one. Most is learned from one that a person has settled: what they said is sure. (Collective classification: Sen et
al., AI Magazine 29(3), 2008; decision 0040.)
"""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from jugum.core.classification import Layout
from jugum.core.extraction.candidates.around import CHANNELS
from jugum.core.extraction.candidates.generate import Candidate
from jugum.core.extraction.values.assignment import Choice, Decision
from jugum.core.extraction.values.deciding import Scored, decided_on
from jugum.core.extraction.values.own_shapes import OwnShapes
from jugum.core.extraction.values.relations import Relations
from jugum.core.extraction.values.similarities import Example
from jugum.core.schema import Plan
from jugum.core.values.kinds import ONE_FORM

PEERS_MAX = 8  # papers that another is read with; what more of them tell is the same
HEADS = tuple(CHANNELS.index(name) for name in ("left", "above", "row_head", "column_head", "next", "below"))
BEFORE, BEHIND = CHANNELS.index("previous"), CHANNELS.index("next")
PROSE_BEFORE, PROSE_BEHIND = 2, 1  # words of a sentence before and behind a value that say which it is
PRINTED_LEAST, PRINTED_SHARE = 2, 0.3  # papers, and the share of them, from which on a text is printed on the form
CHOSEN = 1.0  # log-odds more for what a paper by itself decided for, with all that its other values say
# Beta priors of how often another paper says the same: what is printed on the form, and what is neither that nor the
# field's value; of a field's values half a pair in nine, unless labelled papers say how often.
PRINT, OTHER, VALUE = (4.0, 1.0), (0.2, 2.0), (0.3, 2.7)
SAID = 6.0  # log-odds of a candidate that a person has said, and against each that they did not
SAID_WEIGHT = 4.0  # papers that tell as much as one on which a person has said it
PAIRS_MOST = 10.0  # of labelled papers, that speak for how often a field's value comes again
AGAINST_MOST = 8.0  # log-odds

Slot = tuple[str, ...]
Share = tuple[int, int]  # how many, of how many


@dataclass(frozen=True)
class Again:
    """Of pairs of labelled papers of one layout, in how many a field has the same value, and of how many pairs; the
    same of the first and of the last words of its values, where they have several."""

    whole: Share = (0, 0)
    first: Share = (0, 0)
    last: Share = (0, 0)


Repeats = Mapping[str, Again]


@dataclass(frozen=True)
class Standing:
    """Where a candidate of a field stands, and what a paper by itself gives it."""

    page: int
    contexts: tuple[str, ...]
    prose: bool
    ends: tuple[bool, bool]  # whether it begins and ends what is printed in one piece
    text: str
    log_odds: float
    end_words: tuple[str, str] = ("", "")  # its first and last word, where they may or may not belong to it
    normal: str = ""

    def slot(self, printed: Collection[str]) -> Slot | None:
        """What names its place on every paper of the layout: the words that are `printed` around it, in a sentence
        those right before and behind it. None where there are none."""
        if self.prose:
            before = " ".join(self.contexts[BEFORE].split()[-PROSE_BEFORE:])
            behind = " ".join(self.contexts[BEHIND].split()[:PROSE_BEHIND])
            return (before, behind) if before or behind else None
        heads = [self.contexts[channel] if self.contexts[channel] in printed else "" for channel in HEADS]
        return (str(self.page), *heads, *map(str, self.ends)) if any(heads) else None


@dataclass(frozen=True)
class Peer:
    """What a paper tells others of its layout: its layout, all its `texts` (in small letters), all texts that stand
    `around` any of them, and where the candidates of each field stand; of the fields `said` a person has said it."""

    layout: Layout
    texts: frozenset[str]
    around: frozenset[str]
    standing: Mapping[str, tuple[Standing, ...]]
    said: frozenset[str] = frozenset()

    @staticmethod
    def of(layout: Layout, candidates: Iterable[Candidate], scored: Scored, decisions: Iterable[Decision]) -> Peer:
        """From what the paper says by itself: its candidates, their scores, what was decided."""
        every = list(candidates)
        chosen = {(decision.field, id(choice.candidate)) for decision in decisions for choice in decision.chosen}
        return Peer(
            layout,
            frozenset(candidate.text.casefold() for candidate in every),
            frozenset(text for candidate in every for text in candidate.contexts),
            {
                key: tuple(
                    _standing(choice, CHOSEN if (key, id(choice.candidate)) in chosen else 0.0) for choice in choices
                )
                for key, choices in scored.choices.items()
            },
        )

    def settled(self, said: Mapping[str, Collection[str]]) -> Peer:
        """The same paper where a person has said what fields are (texts, or their normal forms, by key). A field whose
        text is no candidate, as where nothing is there, tells what it told before."""
        standing, known = dict(self.standing), set()
        for key, texts in said.items():
            wanted = {text.casefold() for text in texts}
            its = standing.get(key, ())
            is_meant = [one.text in wanted or one.normal.casefold() in wanted for one in its]
            if any(is_meant):
                standing[key] = tuple(
                    replace(one, log_odds=SAID if meant else -SAID) for one, meant in zip(its, is_meant, strict=True)
                )
                known.add(key)
        return replace(self, standing=standing, said=frozenset(known))

    @cached_property
    def end_words(self) -> tuple[frozenset[str], frozenset[str]]:
        """The words that likely candidates begin with, and those they end with."""
        pairs = [standing.end_words for its in self.standing.values() for standing in its]
        return frozenset(first for first, _ in pairs), frozenset(last for _, last in pairs)


@dataclass(frozen=True)
class ReadAlone:
    """What a paper says by itself: its `candidates`, their scores, its layout's likeness (0–1) to the most alike
    labelled paper, and what is decided."""

    candidates: Sequence[Candidate]
    scored: Scored
    layout_similarity: float
    decisions: list[Decision]

    def peer(self, layout: Layout) -> Peer:
        """What it tells other papers of its layout."""
        return Peer.of(layout, self.candidates, self.scored, self.decisions)


def repeats_of(examples: Iterable[Example], groups: Sequence[int]) -> Repeats:
    """How often fields say the same on two labelled papers of one layout. `groups`: the layout group of each paper that
    the examples are numbered by."""
    texts: defaultdict[str, defaultdict[int, list[str]]] = defaultdict(lambda: defaultdict(list))
    for example in examples:
        texts[example.field][groups[example.paper]].append(example.text)
    return {key: _again(list(its.values())) for key, its in texts.items()}


def _again(layouts: Sequence[Sequence[str]]) -> Again:
    """Of a field's values on the papers of each layout."""
    several = [[text.split() for text in its if " " in text] for its in layouts]
    return Again(
        _share(layouts),
        _share([[words[0] for words in its] for its in several]),
        _share([[words[-1] for words in its] for its in several]),
    )


def _share(layouts: Sequence[Sequence[str]]) -> Share:
    """Pairs of the same layout that are the same, and all pairs."""
    same = sum(_pairs(count) for its in layouts for count in Counter(its).values())
    return same, sum(_pairs(len(its)) for its in layouts)


def _pairs(count: int) -> int:
    return count * (count - 1) // 2


def decided_together(
    plan: Plan,
    alone: ReadAlone,
    mine: Peer,
    others: Sequence[Peer],
    repeats: Repeats,
    relations: Relations | None,
    own_shapes: OwnShapes,
) -> list[Decision]:
    """One decision per field of the plan for a paper of a new layout, read together with others of it."""
    if not others:
        return alone.decisions
    scored = read_together(alone.scored, mine, others, repeats)
    return decided_on(plan, scored, alone.layout_similarity, relations, own_shapes)


def read_together(scored: Scored, mine: Peer, others: Sequence[Peer], repeats: Repeats) -> Scored:
    """A paper's scores as it and other papers of its layout give them. `repeats`: of pairs of labelled papers of one
    layout, in how many a field has the same value, and of how many."""
    group = [mine, *others]
    printed = _printed(group)
    told: defaultdict[tuple[str, Slot], list[tuple[float, float]]] = defaultdict(list)
    for number, peer in enumerate(others, 1):
        for key, slot, log_odds in _slots(peer, group[:number] + group[number + 1 :], printed, repeats):
            told[key, slot].append((log_odds, SAID_WEIGHT if key in peer.said else 1.0))
    choices = {}
    for key, its in scored.choices.items():
        here = [_standing(choice) for choice in its]
        own = _own_log_odds(here, others, repeats.get(key, Again()))
        again = []
        for choice, standing, log_odds in zip(its, here, own, strict=True):
            place = standing.slot(printed)
            theirs = told.get((key, place), ()) if place else ()
            weighed = log_odds + sum(odds * weight for odds, weight in theirs)
            again.append(replace(choice, logit=weighed / (1 + sum(weight for _, weight in theirs))))
        choices[key] = sorted(again, key=lambda choice: -choice.logit)
    return replace(scored, choices=choices)


def _own_log_odds(its: Sequence[Standing], others: Sequence[Peer], again: Again) -> list[float]:
    """The log-odds of a field's candidates on a paper, less what speaks against words that others have, too: all of a
    candidate, or one at its end without which it is a candidate as well."""
    texts = {standing.text for standing in its}
    found = []
    for standing in its:
        against = _against_print(sum(standing.text in peer.texts for peer in others), len(others), again.whole)
        first, last = standing.end_words
        if first and standing.text[len(first) + 1 :] in texts:
            against += _against_print(sum(first in peer.end_words[0] for peer in others), len(others), again.first)
        if last and standing.text[: -len(last) - 1] in texts:
            against += _against_print(sum(last in peer.end_words[1] for peer in others), len(others), again.last)
        found.append(standing.log_odds - min(AGAINST_MOST, against))
    return found


def _slots(
    peer: Peer, others: Sequence[Peer], printed: Collection[str], repeats: Repeats
) -> Iterator[tuple[str, Slot, float]]:
    """Field, place and log-odds of the best that a paper has there."""
    for key, its in peer.standing.items():
        best: dict[Slot, float] = {}
        if key in peer.said:
            own = [standing.log_odds for standing in its]
        else:
            own = _own_log_odds(its, others, repeats.get(key, Again()))
        for standing, log_odds in zip(its, own, strict=True):
            if (slot := standing.slot(printed)) is not None:
                best[slot] = max(best.get(slot, -math.inf), log_odds)
        for slot, log_odds in best.items():
            yield key, slot, log_odds


def _printed(group: Sequence[Peer]) -> frozenset[str]:
    """Texts that stand around something on several papers of a layout, other than figures."""
    counts = Counter(text for peer in group for text in peer.around)
    least = max(PRINTED_LEAST, PRINTED_SHARE * len(group))
    return frozenset(text for text, count in counts.items() if count >= least and text.strip("0 "))


def _against_print(count: int, among: int, again: Share) -> float:
    """Log-odds (0 or more) by which a text that `count` of so many other papers have, too, is less likely a value:
    against how often values of the field come again."""
    if not count:
        return 0.0
    same, pairs = again
    often, seldom = same + VALUE[0], pairs - same + VALUE[1]
    fewer = min(1.0, PAIRS_MOST / (often + seldom))
    value = _beta_binomial(count, among, often * fewer, seldom * fewer)
    other = (math.exp(_beta_binomial(count, among, *PRINT)) + math.exp(_beta_binomial(count, among, *OTHER))) / 2
    return min(AGAINST_MOST, max(0.0, math.log(other) - value))


def _beta_binomial(count: int, among: int, a: float, b: float) -> float:
    """Log-likelihood of `count` of `among` in a given order, the share being Beta(a, b)."""

    def beta(x: float, y: float) -> float:
        return math.lgamma(x) + math.lgamma(y) - math.lgamma(x + y)

    return beta(count + a, among - count + b) - beta(a, b)


def _standing(choice: Choice, more: float = 0.0) -> Standing:
    one = choice.candidate
    ends = (one.starts_segment, one.ends_segment)
    text = one.text.casefold()
    odds = choice.logit + more
    return Standing(one.page, one.contexts, one.prose, ends, text, odds, _end_words(one, text), one.normal)


def _end_words(one: Candidate, text: str) -> tuple[str, str]:
    """The word it begins with, where it begins what is printed in one piece, and the one it ends with, where it ends
    that; "" else. A value that has one normal form however it is printed has no ends to tell."""
    if one.data_type in ONE_FORM or " " not in text:
        return "", ""
    words = text.split()
    return words[0] if one.starts_segment else "", words[-1] if one.ends_segment else ""


__all__ = ["PEERS_MAX", "Again", "Peer", "ReadAlone", "Repeats", "decided_together", "read_together", "repeats_of"]
