"""Pages as bags of words: TF-IDF vectors over words and word pairs, and what a page looks like from afar."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Sequence
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
        return Wording._of(
            counts, 1 if len(counts) < MANY else 2, lambda pages: np.log((1 + len(counts)) / (1 + pages)) + 1
        )

    @staticmethod
    def telling(counts: Sequence[Counter[str]], least: int) -> Wording:
        """From the terms of papers on at least `least` of which they stand, by how much a term tells: a paper that has
        it apart from one that has not (Robertson and Spärck Jones, 1976), so that what half of all papers say tells
        next to nothing."""
        return Wording._of(
            counts, least, lambda pages: np.maximum(IDF_LEAST, np.log((len(counts) - pages + 0.5) / (pages + 0.5)))
        )

    @staticmethod
    def _of(
        counts: Sequence[Counter[str]], least: int, weigh: Callable[[npt.NDArray[np.float64]], npt.NDArray[np.float64]]
    ) -> Wording:
        seen: Counter[str] = Counter()
        for count in counts:
            seen.update(count.keys())
        terms = [term for term, pages in seen.most_common(TERMS_MAX) if pages >= least]
        idf = weigh(np.array([seen[term] for term in terms], dtype=float))
        return Wording(tuple(sorted(terms)), idf[np.argsort(terms)] if terms else np.zeros(0))

    def vectors(self, counts: Sequence[Counter[str]]) -> sparse.csr_matrix:
        """One row a page: (1 + log count) × idf, of unit length; shape (pages, terms)."""
        places = self.places
        rows, columns, values = [], [], []
        for row, one in enumerate(counts):
            for term, count in one.items():
                column = places.get(term)
                if column is not None:
                    rows.append(row)
                    columns.append(column)
                    values.append((1 + np.log(count)) * self.idf[column])
        matrix = sparse.csr_matrix((values, (rows, columns)), shape=(len(counts), len(self.terms)))
        lengths = np.sqrt(np.asarray(matrix.multiply(matrix).sum(axis=1)).ravel())
        return sparse.csr_matrix(sparse.diags_array(1 / np.maximum(lengths, 1e-9)) @ matrix)

    @cached_property
    def places(self) -> dict[str, int]:
        """The column of each term."""
        return {term: number for number, term in enumerate(self.terms)}
