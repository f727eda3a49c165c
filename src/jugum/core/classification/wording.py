"""Pages as bags of words: TF-IDF vectors over words and word pairs, and what a page looks like from afar."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise

import numpy as np
import numpy.typing as npt
from scipy import sparse

from jugum.core.page import Page, WordKind

GRID = (8, 6)  # rows and columns of the look's density map
IDF_LEAST = 0.05  # a term on half of all pages or more still tells a little
MANY = 20  # pages from which on a term must stand on two
TERMS_MAX = 40_000  # words and word pairs of a workspace; the commonest first
_TRIM = re.compile(r"^\W+|\W+$")


def terms_of(page: Page) -> Counter[str]:
    """Words in lower case (digits as 0, long numbers as one shape) and pairs of neighbours, with their counts."""
    texts = [_term(word.text) for word in page.words if word.kind is not WordKind.BARCODE]
    texts = [text for text in texts if text]
    counts = Counter(texts)
    counts.update(f"{a} {b}" for a, b in pairwise(texts) if not (a[0] == "0" and b[0] == "0"))
    return counts


def _term(text: str) -> str:
    text = _TRIM.sub("", text.lower())
    if len(text) < 2:
        return ""
    digits = sum(map(str.isdigit, text))
    if digits > 0.5 * len(text):
        return "0" * min(6, digits)
    return text


def look_of(page: Page) -> npt.NDArray[np.float64]:
    """What a page looks like from afar, shape (50,), of unit length: its size, and how densely words cover an 8×6
    grid."""
    grid = np.zeros(GRID)
    for word in page.words:
        x, y = word.box.middle
        grid[min(GRID[0] - 1, int(y * GRID[0])), min(GRID[1] - 1, int(x * GRID[1]))] += word.box.area
    density = np.minimum(1.0, grid.ravel() * grid.size * 2)
    size = [page.width_pt / 842, page.height_pt / 842]
    look = np.concatenate((size, density))
    return np.asarray(look / np.linalg.norm(look))


@dataclass(frozen=True)
class Wording:
    """A vocabulary with inverse document frequencies; rows it makes have unit length."""

    terms: tuple[str, ...]
    idf: npt.NDArray[np.float64]

    @staticmethod
    def learned(counts: Sequence[Counter[str]]) -> Wording:
        """From the terms of each training page; terms on one page only are kept while there are under 20 pages."""
        seen = Counter(term for page in counts for term in page)
        least = 1 if len(counts) < MANY else 2
        terms = sorted(term for term, pages in seen.most_common(TERMS_MAX) if pages >= least)
        pages = np.array([seen[term] for term in terms], dtype=np.float64)
        return Wording(tuple(terms), np.log((1 + len(counts)) / (1 + pages)) + 1)

    def vectors(self, counts: Sequence[Counter[str]]) -> sparse.csr_matrix:
        """One row a page: (1 + log count) × idf, of unit length; shape (pages, terms)."""
        return _weighed(_counted(counts, self.places), self.idf)

    @cached_property
    def places(self) -> dict[str, int]:
        """The column of each term."""
        return {term: number for number, term in enumerate(self.terms)}


@dataclass(frozen=True)
class Bags:
    """Papers as bags of words, counted once for many vocabularies: `terms`, all that stand on any of them, sorted, and
    `counts` (papers × terms): 1 + log of how often."""

    terms: npt.NDArray[np.str_]
    counts: sparse.csr_matrix

    @staticmethod
    def of(counts: Sequence[Counter[str]]) -> Bags:
        """Of how often each paper has each term."""
        terms = sorted({term for paper in counts for term in paper})
        places = {term: number for number, term in enumerate(terms)}
        return Bags(np.array(terms, dtype=np.str_), _counted(counts, places))

    def telling(self, chosen: Sequence[int], least: int) -> tuple[Wording, sparse.csr_matrix]:
        """The vocabulary of the chosen papers, and their vectors in it (chosen × terms, of unit length): terms that
        stand on at least `least` of them, by how much each tells: a paper that has it apart from one that has not
        (Robertson and Spärck Jones, 1976), so that what half of all papers say tells next to nothing."""
        counts = self.counts[list(chosen)]
        pages = np.bincount(counts.indices, minlength=len(self.terms))
        commonest = np.argsort(-pages, kind="stable")[:TERMS_MAX]
        kept = np.sort(commonest[pages[commonest] >= least])
        on = pages[kept].astype(np.float64)
        idf = np.maximum(IDF_LEAST, np.log((len(chosen) - on + 0.5) / (on + 0.5)))
        return Wording(tuple(self.terms[kept].tolist()), idf), _weighed(counts[:, kept], idf)


def _counted(counts: Sequence[Counter[str]], places: Mapping[str, int]) -> sparse.csr_matrix:
    """1 + log count of the terms that have a place, a row a page."""
    found = [[(places[term], count) for term, count in page.items() if term in places] for page in counts]
    flat = np.array([pair for row in found for pair in row], dtype=np.float64).reshape(-1, 2)
    starts = np.cumsum([0, *map(len, found)])
    columns = flat[:, 0].astype(np.int64)
    return sparse.csr_matrix((1 + np.log(flat[:, 1]), columns, starts), shape=(len(counts), len(places)))


def _weighed(counts: sparse.csr_matrix, idf: npt.NDArray[np.float64]) -> sparse.csr_matrix:
    """Rows × idf, of unit length."""
    matrix = counts @ sparse.diags_array(idf)
    lengths = np.sqrt(np.asarray(matrix.multiply(matrix).sum(axis=1)).ravel())
    return sparse.csr_matrix(sparse.diags_array(1 / np.maximum(lengths, 1e-9)) @ matrix)
