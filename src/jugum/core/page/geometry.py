"""Boxes and how they stand to each other."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Box(NamedTuple):
    """A rectangle in page fractions: 0 ≤ x0 ≤ x1 ≤ 1 from the left, 0 ≤ y0 ≤ y1 ≤ 1 from the top."""

    x0: float
    y0: float
    x1: float
    y1: float

    @property
    def width(self) -> float:
        """In page fractions; negative for a box inside out."""
        return self.x1 - self.x0

    @property
    def height(self) -> float:
        """In page fractions; negative for a box inside out."""
        return self.y1 - self.y0

    @property
    def area(self) -> float:
        """In page fractions squared; 0 for a box inside out."""
        return max(0.0, self.width) * max(0.0, self.height)

    @property
    def middle(self) -> tuple[float, float]:
        """The point in the middle, in page fractions."""
        return (self.x0 + self.x1) / 2, (self.y0 + self.y1) / 2

    def contains(self, x: float, y: float) -> bool:
        """Whether a point lies inside or on the edge."""
        return self.x0 <= x <= self.x1 and self.y0 <= y <= self.y1


def union(boxes: Iterable[Box]) -> Box:
    """The smallest box around all of `boxes`; at least one is needed (ValueError else)."""
    listed = list(boxes)
    if not listed:
        raise ValueError("union of no boxes")
    return Box(
        min(box.x0 for box in listed),
        min(box.y0 for box in listed),
        max(box.x1 for box in listed),
        max(box.y1 for box in listed),
    )


def horizontal_overlap(a: Box, b: Box) -> float:
    """Length both boxes share along x, as a share (0–1) of the narrower one: (0,.4) and (.3,.5) → 0.5."""
    shared = min(a.x1, b.x1) - max(a.x0, b.x0)
    narrower = min(a.width, b.width)  # of the narrower: a short value under a long heading still stands under it
    return max(0.0, shared) / narrower if narrower > 0 else 0.0


def vertical_overlap(a: Box, b: Box) -> float:
    """Length both boxes share along y, as a share (0–1) of the lower one."""
    shared = min(a.y1, b.y1) - max(a.y0, b.y0)
    lower = min(a.height, b.height)
    return max(0.0, shared) / lower if lower > 0 else 0.0


def overlap_share(a: Box, b: Box) -> float:
    """Area both boxes share, as a share (0–1) of the smaller one."""
    width = min(a.x1, b.x1) - max(a.x0, b.x0)
    height = min(a.y1, b.y1) - max(a.y0, b.y0)
    smaller = min(a.area, b.area)
    return width * height / smaller if width > 0 and height > 0 and smaller > 0 else 0.0
