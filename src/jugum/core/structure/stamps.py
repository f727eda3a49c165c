"""Round stamps and seals: rings of ink, over print or a signature or by themselves."""

from __future__ import annotations

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.page import Box

Grey = npt.NDArray[np.uint8]
Circle = tuple[float, float, float]  # the middle, x and y, and the radius, in pixels
RADIUS_MM = (5.0, 28.0)  # of a stamp
ACROSS_MOST_MM = 130.0  # of the ink that hangs together with it: a signature goes on beyond the ring
VOTES = 24  # of edge points for a circle to be looked at (accumulator threshold of Hough's transform)
LOOKED_AT = 8  # circles, those with most votes first
DIRECTIONS = 180  # in which the ring is looked for
OFF_MM = 0.45  # that a ring's ink may lie beside the circle
CLOSED_LEAST = 0.85  # of the directions in which there is ink
RING_MOST = 1.5  # times an inner ring's radius that an outer one has at most
RIM_MM = 2.0  # from a stamp's ring to the ink that goes on under it


def stamps(mask: Grey, mm: float) -> list[Circle]:
    """Round stamps in a mask of ink (H×W, 255 where there is some) at `mm` pixels a millimetre: circles of 5 to 28 mm
    radius whose line is closed in most directions, each the outermost of its rings."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    found: list[Circle] = []
    for number in range(1, count):
        x, y, w, h, _ = (int(value) for value in stats[number])
        if min(w, h) < 2 * RADIUS_MM[0] * mm or max(w, h) > ACROSS_MOST_MM * mm:
            continue
        ink = ((labels[y : y + h, x : x + w] == number) * np.uint8(255)).astype(np.uint8)
        found += [(x + cx, y + cy, radius) for cx, cy, radius in _circles(ink, mm)]
    outer = sorted(found, key=lambda circle: -circle[2])
    return [one for place, one in enumerate(outer) if not any(_inside(one, other) for other in outer[:place])]


def _circles(ink: Grey, mm: float) -> list[Circle]:
    """Closed rings in one connected piece of ink: Hough's transform for circles (Yuen et al., 1990) proposes, the ink
    around each decides."""
    half = cv2.resize(ink, None, fx=0.5, fy=0.5, interpolation=cv2.INTER_AREA)
    proposed = cv2.HoughCircles(
        cv2.copyMakeBorder(half, 8, 8, 8, 8, cv2.BORDER_CONSTANT, value=0),
        cv2.HOUGH_GRADIENT,
        dp=1.5,
        minDist=max(2.0, mm),
        param1=100,
        param2=VOTES,
        minRadius=int(RADIUS_MM[0] * mm / 2),
        maxRadius=int(RADIUS_MM[1] * mm / 2),
    )
    if proposed is None:
        return []
    near = cv2.dilate(ink, np.ones((2 * max(1, round(OFF_MM * mm)) + 1,) * 2, np.uint8))
    circles = []
    for cx, cy, radius in np.asarray(proposed)[0][:LOOKED_AT].tolist():
        circle = (2 * (cx - 8), 2 * (cy - 8), 2 * radius)
        if _closed(near, circle) >= CLOSED_LEAST:
            circles.append(_outermost(near, circle, mm))
    return circles


def _outermost(near: Grey, circle: Circle, mm: float) -> Circle:
    """The largest ring around the same middle that is closed: of double rings Hough's transform proposes one."""
    x, y, radius = circle
    wider = np.arange(radius, RING_MOST * radius, OFF_MM * mm)
    return x, y, max(float(one) for one in wider if one == radius or _closed(near, (x, y, one)) >= CLOSED_LEAST)


def _closed(near: Grey, circle: Circle) -> float:
    """The share of directions in which a circle runs over ink."""
    x, y, radius = circle
    angles = np.linspace(0, 2 * np.pi, DIRECTIONS, endpoint=False)
    columns, rows = np.rint(x + radius * np.cos(angles)).astype(int), np.rint(y + radius * np.sin(angles)).astype(int)
    on_page = (columns >= 0) & (columns < near.shape[1]) & (rows >= 0) & (rows < near.shape[0])
    return float((near[rows[on_page], columns[on_page]] > 0).sum() / DIRECTIONS)


def _inside(one: Circle, other: Circle) -> bool:
    """Whether a circle is an inner ring of another, or the same again."""
    return float(np.hypot(one[0] - other[0], one[1] - other[1])) < other[2]


def at_rim(box: Box, circle: Circle, shape: tuple[int, ...], mm: float) -> bool:
    """Whether a box (in fractions of a page of this shape in pixels) reaches a stamp's rim: what is in it may go on
    under the stamp."""
    x, y, radius = circle
    height, width = shape[:2]
    dx = max(box.x0 * width - x, 0.0, x - box.x1 * width)
    dy = max(box.y0 * height - y, 0.0, y - box.y1 * height)
    return float(np.hypot(dx, dy)) <= radius + RIM_MM * mm


def wipe_stamps(mask: Grey, circles: list[Circle], mm: float) -> None:
    """Take a stamp's ring and all that stands in it out of a mask."""
    for x, y, radius in circles:
        cv2.circle(mask, (round(x), round(y)), round(radius + 2 * OFF_MM * mm), 0, -1)


__all__ = ["Circle", "at_rim", "stamps", "wipe_stamps"]
