"""Values that are words, parts of words, or words on several lines and pages: their text and their boxes."""

from __future__ import annotations

from collections.abc import Sequence

from jugum.core.page.geometry import Box, union
from jugum.core.page.rows import rows_of
from jugum.core.page.words import Word, text_of


def part_of(words: Sequence[Word], text: str) -> Box | None:
    """The box around a text that is part of what some words of one line say, letters taken as equally wide; None
    when they don't hold it, or hold all of it. `"No.4711"` and `"4711"` → the right four sevenths of the word."""
    whole = text_of(words)
    start = whole.find(text)
    if not text or start < 0 or text == whole:
        return None
    end = start + len(text)
    boxes, at = [], 0
    for word in words:
        first, last = max(start, at) - at, min(end, at + len(word.text)) - at
        if first < last:
            width = word.box.width / len(word.text)
            boxes.append(word.box._replace(x0=word.box.x0 + first * width, x1=word.box.x0 + last * width))
        at += len(word.text) + 1
    return union(boxes)


def lines_of(words: Sequence[Word]) -> list[list[Word]]:
    """Words of one page by line, from top to bottom."""
    return [[words[index] for index in row] for row in rows_of(words)]
