"""Blocks of text in the order a person reads them, columns included: recursive cuts along white (XY cut; Nagy &
Seth, 1984)."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

from jugum.core.page import Box, Word, rows_of, union

COLUMN_GAP = 1.3  # heights of a line: a white stripe this wide over several lines parts columns
BLOCK_GAP = 0.75  # heights of a line, between the foot of one and the head of the next
COLUMN_ROWS = 3  # fewer lines side by side are a form's labels and values, not columns


@dataclass(frozen=True, slots=True)
class Block:
    """Lines that belong together. `lines` are indices into the page's words, line by line."""

    box: Box
    lines: tuple[tuple[int, ...], ...]

    @property
    def words(self) -> tuple[int, ...]:
        """Indices of its words, line by line."""
        return tuple(index for line in self.lines for index in line)


def blocks_of(words: Sequence[Word], aspect: float = 0.707) -> list[Block]:
    """Blocks in reading order; `aspect` is page width ÷ height, to compare lengths along x and y."""
    if not words:
        return []
    high = median(word.box.height for word in words)
    found: list[Block] = []
    _cut(words, list(range(len(words))), high, aspect, found)
    return found


def text_in_order(words: Sequence[Word], aspect: float = 0.707) -> str:
    """The page as plain text: a line a line, an empty line between blocks."""
    blocks = blocks_of(words, aspect)
    return "\n\n".join(
        "\n".join(" ".join(words[index].text for index in line) for line in block.lines) for block in blocks
    )


def _cut(words: Sequence[Word], inside: list[int], high: float, aspect: float, found: list[Block]) -> None:
    """Cut at the widest column gap where lines of prose stand side by side, else at the widest gap between lines."""
    parts = _columns(words, inside, high, aspect) or _stacked(words, inside, high)
    if len(parts) > 1:
        for part in parts:
            _cut(words, part, high, aspect, found)
        return
    rows = rows_of([words[index] for index in inside])
    lines = tuple(tuple(inside[place] for place in row) for row in rows)
    found.append(Block(union(words[index].box for index in inside), lines))


def _columns(words: Sequence[Word], inside: list[int], high: float, aspect: float) -> list[list[int]]:
    gaps = _gaps([(words[index].box.x0, words[index].box.x1) for index in inside])
    wide = [(end - start, start) for start, end in gaps if (end - start) * aspect > COLUMN_GAP * high]
    for _, at in sorted(wide, reverse=True):
        left = [index for index in inside if words[index].box.x0 < at]
        right = [index for index in inside if words[index].box.x0 >= at]
        if _prose(words, left) and _prose(words, right):
            return [left, right]
    return []


def _prose(words: Sequence[Word], inside: list[int]) -> bool:
    """At least three lines with four words or more in most: a column of text and no column of a form."""
    rows = rows_of([words[index] for index in inside])
    return len(rows) >= COLUMN_ROWS and median(len(row) for row in rows) >= 4


def _stacked(words: Sequence[Word], inside: list[int], high: float) -> list[list[int]]:
    """Cut at all gaps between lines that are clearly wider than the usual one within."""
    gaps = _gaps([(words[index].box.y0, words[index].box.y1) for index in inside])
    if not gaps:
        return []
    usual = min(median(end - start for start, end in gaps), 0.6 * high)
    cuts = [end for start, end in gaps if end - start > max(BLOCK_GAP * high, 1.6 * usual)]
    parts: list[list[int]] = [[] for _ in range(len(cuts) + 1)]
    for index in inside:
        middle = words[index].box.middle[1]
        parts[sum(1 for cut in cuts if middle >= cut)].append(index)
    return [part for part in parts if part]


def _gaps(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    """Stretches that no span covers, between the first and the last."""
    ordered = sorted(spans)
    gaps, reached = [], ordered[0][1]
    for start, end in ordered[1:]:
        if start > reached:
            gaps.append((reached, start))
        reached = max(reached, end)
    return gaps
