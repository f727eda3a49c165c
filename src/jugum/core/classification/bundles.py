"""Cutting a bundle into papers: where does a new one begin?

At separator sheets, at blank pages, after a fixed number of pages, or learned: a logistic regression over what a
page and the one before it say (first-page wording, page numbers, shared names and numbers, letterheads, size, type)
gives each page a chance to be a first one, and a Viterbi over pages (semi-Markov: Sarawagi & Cohen, NIPS 2004) finds
the best cut, types and lengths heeded.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
import numpy.typing as npt

from jugum.core.classification.lookalikes import Layout, layout_of, layout_similarity
from jugum.core.classification.types import TypeClassifier
from jugum.core.classification.wording import Wording, terms_of
from jugum.core.page import Page, WordKind, rows_of
from jugum.errors import NothingToLearn

Floats = npt.NDArray[np.float64]
SEPARATOR = "JUGUM:NEXT-PAPER"  # what the code on a separator sheet says
BLANK_WORDS_MAX = 2  # a page number and a scanner's stamp still make a blank page
PIECE_PAGES_MAX = 60  # pages of the longest paper that a cut may make; bounds the search, which is quadratic in it
# What one clear type over a whole piece is worth beside its boundaries; set by hand, judged by bench/bundles.py.
TYPE_WEIGHT = 0.6
# Orders by lot in which papers are laid after one another to learn from: as many boundaries as a pile of post shows,
# without every pair of papers; and after each paper so many that look most like it.
ORDERS, ALIKE_AFTER = 3, 3
_PAGE_OF = re.compile(r"\b(\d{1,3})\s*(?:of|/|von|av|de|\|)\s*(\d{1,3})\b", re.I)
_PAGE = re.compile(r"\b(?:page|p\.|seite|side|pagina)\s*(\d{1,3})\b", re.I)


@dataclass(frozen=True)
class Piece:
    """Consecutive pages that make one paper: indices into the bundle, its type (None where it is not told) with its
    share of probability, and how sure its cut is (0–1): its beginning, that nothing begins within it, and that it is
    like the papers that cutting was learned from at all."""

    pages: tuple[int, ...]
    type_id: int | None = None
    type_sure: float = 0.0
    sure: float = 1.0


# ---- Without learning ------------------------------------------------------------------------------------------------


def is_separator(page: Page) -> bool:
    """Whether the page is a separator sheet: it carries the product's own code."""
    return any(word.kind is WordKind.BARCODE and word.text == SEPARATOR for word in page.words)


def is_blank(page: Page) -> bool:
    """No more than two words, and no code."""
    return len(page.words) <= BLANK_WORDS_MAX and not any(word.kind is WordKind.BARCODE for word in page.words)


def cut_at(pages: Sequence[Page], parts: npt.NDArray[np.bool_]) -> list[Piece]:
    """Pieces between pages that part (which belong to no piece)."""
    pieces: list[list[int]] = [[]]
    for number in range(len(pages)):
        if parts[number]:
            pieces.append([])
        else:
            pieces[-1].append(number)
    return [Piece(tuple(piece)) for piece in pieces if piece]


def cut_by_separators(pages: Sequence[Page]) -> list[Piece]:
    """A separator sheet's blank back belongs to no piece either."""
    parts = np.array([is_separator(page) for page in pages])
    backs = np.array([n > 0 and bool(parts[n - 1]) and is_blank(page) for n, page in enumerate(pages)])
    return cut_at(pages, parts | backs)


def cut_by_blanks(pages: Sequence[Page]) -> list[Piece]:
    """Cut before and after each blank page; blank pages belong to no piece."""
    return cut_at(pages, np.array([is_blank(page) for page in pages]))


def cut_by_count(count: int, each: int) -> list[Piece]:
    """Every `each` pages a new piece; the last may be shorter."""
    return [Piece(tuple(range(start, min(count, start + each)))) for start in range(0, count, each)]


# ---- Learned ---------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class BundleCutter:
    """The learned cutter; build it with `fit_cutter`. `first` weighs wording (terms + bias), `pair` the features of
    a page and the one before it (see `_pair`, + bias), `lengths` the log-probabilities of papers of 1 … 60 pages."""

    wording: Wording
    first: Floats
    pair: Floats
    lengths: Floats

    def boundaries(self, pages: Sequence[Page], classifier: TypeClassifier | None) -> Floats:
        """For each page the chance (0–1) that a paper begins there; 1 for the first."""
        if not pages:
            return np.zeros(0)
        facts = [_facts(page) for page in pages]
        likely = self._first_likely(facts)
        types = classifier.page_types(pages) if classifier is not None else None
        chances = np.ones(len(pages))
        for n in range(1, len(pages)):
            features = _pair(
                facts[n - 1],
                facts[n],
                self.wording,
                likely[n - 1],
                likely[n],
                None if types is None else (types[n - 1], types[n]),
            )
            chances[n] = 1 / (1 + np.exp(-(features @ self.pair[:-1] + self.pair[-1])))
        return chances

    def _first_likely(self, facts: Sequence[_Facts]) -> Floats:
        vectors = self.wording.vectors([fact.terms for fact in facts])
        return np.asarray(vectors @ self.first[:-1] + self.first[-1]).ravel()

    def cut(self, pages: Sequence[Page], classifier: TypeClassifier | None) -> list[Piece]:
        """The best cut. Separator sheets part always; they and blank pages belong to no piece."""
        # Blank backs would stand between a page and the one that goes on from it.
        kept = [n for n, page in enumerate(pages) if not is_separator(page) and not is_blank(page)]
        if not kept:
            return []
        sheets = np.cumsum([is_separator(page) for page in pages])
        forced = {n for before, n in pairwise(kept) if sheets[n] > sheets[before]}
        its = [pages[n] for n in kept]
        # no boundary is so sure that type and length could never speak against it
        chances = np.clip(self.boundaries(its, classifier), 1e-4, 1 - 1e-4)
        for place, number in enumerate(kept):
            if number in forced:
                chances[place] = 1 - 1e-4
        types = (
            np.log(np.maximum(classifier.page_types(its), 1e-4))
            if classifier is not None and len(classifier.types) > 1  # a lone type fits every page and tells nothing
            else None
        )
        starts = _best_cut(chances, types, self.lengths)
        pieces = []
        for start, end in zip(starts, [*starts[1:], len(its)], strict=True):
            piece = Piece(tuple(kept[start:end]), sure=_sureness(chances, start, end))
            pieces.append(_typed(piece, [pages[n] for n in piece.pages], classifier))
        return pieces


def _sureness(chances: Floats, start: int, end: int) -> float:
    """The least sure decision of a piece: its beginning, and every page that was not cut."""
    # a missed cut loses a paper as much as a false one
    inner = [1 - float(chances[n]) for n in range(start + 1, end)]
    return min([float(chances[start]) if start else 1.0, *inner])


def _typed(piece: Piece, pages: Sequence[Page], classifier: TypeClassifier | None) -> Piece:
    if classifier is None:
        return piece
    placed = classifier.place(pages)
    # Where a paper of a strange kind begins is told by what other kinds begin with.
    piece = replace(piece, sure=min(piece.sure, placed.confidence))
    return replace(piece, type_id=placed.likely[0][0], type_sure=placed.likely[0][1]) if placed.accepted else piece


def _best_cut(chances: Floats, types: Floats | None, lengths: Floats) -> list[int]:
    """Where pieces begin: the cut of greatest sum of boundary, type and length log-probabilities (semi-Markov
    Viterbi)."""
    count = len(chances)
    begin, within = np.log(chances), np.log1p(-chances)
    within_sums = np.concatenate(([0.0], np.cumsum(within)))
    type_sums = None if types is None else np.vstack((np.zeros(types.shape[1]), np.cumsum(types, axis=0)))
    best = np.full(count + 1, -np.inf)
    best[0] = 0.0
    came = np.zeros(count + 1, dtype=int)
    for end in range(1, count + 1):
        for start in range(max(0, end - PIECE_PAGES_MAX), end):
            score = best[start] + (begin[start] if start else 0.0) + within_sums[end] - within_sums[start + 1]
            # Half: lengths of samples are a hint, since post comes in other lengths than samples do.
            score += 0.5 * lengths[min(end - start, len(lengths)) - 1]
            if type_sums is not None:
                score += TYPE_WEIGHT * float((type_sums[end] - type_sums[start]).max())
            if score > best[end]:
                best[end], came[end] = score, start
    starts, end = [], count
    while end > 0:
        end = int(came[end])
        starts.append(end)
    return starts[::-1]


@dataclass(frozen=True)
class _Facts:
    """What pair features need of a page."""

    terms: Counter[str]
    ids: frozenset[str]
    names: frozenset[str]
    top: frozenset[str]
    foot: frozenset[str]
    number: int | None
    of: int | None
    size: tuple[float, float]
    layout: Layout


def _facts(page: Page) -> _Facts:
    rows = rows_of(page.words)
    texts = [" ".join(page.words[n].text for n in row) for row in rows]
    middles = [page.words[row[0]].box.middle[1] for row in rows]
    words = [word.text.strip(".,;:()") for word in page.words]
    # "2 of 3" in the middle of a page counts something else
    edges = " ".join(text for text, y in zip(texts, middles, strict=True) if y < 0.1 or y > 0.88)
    number, of = _page_number(edges)
    return _Facts(
        terms_of(page),
        # case and account numbers, which go on over a paper's pages
        frozenset(word for word in words if sum(map(str.isdigit, word)) >= 4 and len(word) >= 5),
        # people and places
        frozenset(word for word in words if len(word) > 3 and word[:1].isupper() and word[1:].islower()),
        frozenset(w.lower() for text, y in zip(texts, middles, strict=True) if y < 0.14 for w in text.split()),
        frozenset(w.lower() for text, y in zip(texts, middles, strict=True) if y > 0.9 for w in text.split()),
        number,
        of,
        (page.width_pt, page.height_pt),
        layout_of([page]),
    )


def _page_number(text: str) -> tuple[int | None, int | None]:
    """From what stands at the edges: "2 of 3", "2/3", "Page 2", or a lone number."""
    found = _PAGE_OF.search(text)
    if found and 1 <= int(found[1]) <= int(found[2]):  # "3/2" is a date or a share
        return int(found[1]), int(found[2])
    found = _PAGE.search(text)
    if found:
        return int(found[1]), None
    alone = re.fullmatch(r"\W*(\d{1,3})\W*", text.strip())
    return (int(alone[1]), None) if alone else (None, None)


def _share(a: frozenset[str], b: frozenset[str]) -> float:
    return len(a & b) / max(1, min(len(a), len(b)))  # of the smaller: a last page has few words


def _pair(
    before: _Facts,
    here: _Facts,
    wording: Wording,
    likely_before: float,
    likely: float,
    types: tuple[Floats, Floats] | None,
) -> Floats:
    """What tells of a page and the one before it whether a paper begins between them."""
    vectors = wording.vectors([before.terms, here.terms])
    alike = float((vectors[0] @ vectors[1].T).toarray()[0, 0])
    follows = before.number is not None and here.number == before.number + 1
    ended = before.of is not None and before.number == before.of
    same_size = all(abs(a - b) < 0.05 * max(a, b) for a, b in zip(before.size, here.size, strict=True))
    type_alike = float(np.minimum(*types).sum()) if types is not None else 0.5
    return np.array(
        [
            np.clip(likely, -6, 6),
            np.clip(likely_before, -6, 6),
            alike,
            _share(before.ids, here.ids),
            _share(before.names, here.names),
            _share(before.top, here.top),
            _share(before.foot, here.foot),
            float(here.number == 1),
            float(follows),
            float(ended),
            float(same_size),
            type_alike,
            # the same form twice is two papers, whichever form it is
            layout_similarity(before.layout, here.layout),
        ]
    )


def fit_cutter(papers: Sequence[Sequence[Page]], classifier: TypeClassifier | None, seed: int = 7) -> BundleCutter:
    """Learn from whole papers (their pages in order): cut bundles, and samples that came one by one, laid after one
    another in a shuffled order. At least four papers, one of them with two pages (NothingToLearn else)."""
    if len(papers) < 4 or not any(len(paper) > 1 for paper in papers):
        raise NothingToLearn("four papers, one of several pages, are needed to learn where papers begin")
    facts = [[_facts(page) for page in paper] for paper in papers]
    flat = [(number, place, fact) for number, paper in enumerate(facts) for place, fact in enumerate(paper)]
    wording = Wording.learned([fact.terms for _, _, fact in flat])
    likely = _first_out_of_fold(flat, wording)
    types = [classifier.page_types(paper) if classifier is not None else None for paper in papers]
    place_of = {(number, place): at for at, (number, place, _) in enumerate(flat)}
    rows, targets = [], []

    def add(a: tuple[int, int], b: tuple[int, int], begins: bool) -> None:
        its = None
        before, after = types[a[0]], types[b[0]]
        if before is not None and after is not None:
            its = (before[a[1]], after[b[1]])
        rows.append(_pair(facts[a[0]][a[1]], facts[b[0]][b[1]], wording, likely[place_of[a]], likely[place_of[b]], its))
        targets.append(begins)

    rng = np.random.default_rng(seed)
    for number, paper in enumerate(facts):
        for place in range(1, len(paper)):
            add((number, place - 1), (number, place), False)
    for _ in range(ORDERS):
        order = rng.permutation(len(papers))
        for a, b in pairwise(order):
            add((int(a), len(facts[int(a)]) - 1), (int(b), 0), True)
    for a, nearest in enumerate(_most_alike([its[0].terms for its in facts], wording)):
        for b in nearest:
            add((a, len(facts[a]) - 1), (b, 0), True)
    pair = _logistic(np.array(rows), np.array(targets))
    lengths = np.ones(PIECE_PAGES_MAX) * 0.1  # a length no sample has is unlikely, not impossible
    for its_pages in papers:
        lengths[min(len(its_pages), PIECE_PAGES_MAX) - 1] += 1
    return BundleCutter(wording, _first_weights(flat, wording), pair, np.log(lengths / lengths.sum()))


def _most_alike(first_pages: Sequence[Counter[str]], wording: Wording) -> list[list[int]]:
    """Of each paper those whose first pages have most words in common with its own: the same form comes twice in a row
    in post more often than in papers drawn by lot, and is the hardest to part."""
    vectors = wording.vectors(list(first_pages))
    alike = np.asarray((vectors @ vectors.T).toarray())
    np.fill_diagonal(alike, -1.0)
    return [
        [int(n) for n in np.argsort(-row, kind="stable")[:ALIKE_AFTER] if n != place] for place, row in enumerate(alike)
    ]


def _logistic(rows: Floats, targets: npt.NDArray[np.bool_]) -> Floats:
    """Weights and bias of a logistic regression on standardised features, in the features' own scale."""
    from sklearn.linear_model import LogisticRegression

    # a feature that hardly varies here must not explode on new papers
    mean, spread = rows.mean(axis=0), np.maximum(rows.std(axis=0), 0.05)
    model = LogisticRegression(C=0.5, class_weight="balanced").fit((rows - mean) / spread, targets)
    weights = model.coef_[0] / spread
    return np.append(weights, model.intercept_[0] - (weights * mean).sum())


def _first_weights(flat: Sequence[tuple[int, int, _Facts]], wording: Wording) -> Floats:
    from sklearn.linear_model import LogisticRegression

    target = np.array([place == 0 for _, place, _ in flat])
    if target.all():
        return np.zeros(len(wording.terms) + 1)
    model = LogisticRegression(C=5.0, class_weight="balanced", max_iter=300)
    model.fit(wording.vectors([fact.terms for _, _, fact in flat]), target)
    return np.append(model.coef_[0], model.intercept_[0])


def _first_out_of_fold(flat: Sequence[tuple[int, int, _Facts]], wording: Wording) -> Floats:
    """Each page's first-page score by a model that has not seen its paper, as it will be on new bundles."""
    likely = np.zeros(len(flat))
    for fold in range(4):
        train = [entry for entry in flat if entry[0] % 4 != fold]
        test = [at for at, one in enumerate(flat) if one[0] % 4 == fold]
        if not train or not test or len({entry[1] == 0 for entry in train}) < 2:
            continue
        weights = _first_weights(train, wording)
        vectors = wording.vectors([flat[at][2].terms for at in test])
        likely[test] = np.asarray(vectors @ weights[:-1]).ravel() + weights[-1]
    return likely
