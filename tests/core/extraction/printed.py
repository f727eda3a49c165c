"""Candidates for tests of what is chosen among them."""

from __future__ import annotations

from jugum.core.extraction.candidates.generate import Candidate, candidates_of
from jugum.core.page import Box, Page, Word, reading_order
from jugum.core.values import DataType


def printed(kind: DataType, *texts: str) -> list[Candidate]:
    """Words below one another on a page, as candidates of a data type."""
    words = [Word(text, Box(0.1, 0.1 * n, 0.25, 0.1 * n + 0.015), 1.0) for n, text in enumerate(texts, 1)]
    page = Page(1, 595, 842, reading_order(words))
    found = {candidate.text: candidate for candidate in candidates_of([page], {kind})}
    return [found[text] for text in texts]
