"""Stamps and seals, over print or a signature or by themselves: rings of ink, and rectangular frames of ink that stand
askew on the straightened page, as no printed box does."""

from __future__ import annotations

from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.page import Box

Grey = npt.NDArray[np.uint8]
Circle = tuple[float, float, float]  # the middle, x and y, and the radius, in pixels
Outline = npt.NDArray[np.float32]  # N×2 points on a line, in pixels, not far from one another
RADIUS_MM = (5.0, 28.0)  # of a stamp
ACROSS_MOST_MM = 130.0  # of the ink that hangs together with it: a signature goes on beyond the ring
VOTES = 24  # of edge points for a circle to be looked at (accumulator threshold of Hough's transform)
LOOKED_AT = 8  # circles, those with most votes first
DIRECTIONS = 180  # in which the ring is looked for
OFF_MM = 0.45  # that a ring's ink may lie beside the circle
CLOSED_LEAST = 0.85  # of the directions in which there is ink
RING_MOST = 1.5  # times an inner ring's radius that an outer one has at most
RIM_MM = 2.0  # from a stamp's line to the ink that goes on under it
SHORT_MM, LONG_MM = (7.0, 45.0), (15.0, 95.0)  # sides of a rectangular stamp
ASKEW = 2.5  # degrees; less may remain of the page's own slant at its edges, as on photographs
SIDE_CLOSED = 0.7  # of a side's length, on which there is ink, on each of the four
SIDE_POINTS = 60
FRAMES_MOST = 2  # more of them are the cells of a page that stands askew itself


@dataclass(frozen=True)
class Stamp:
    """The outermost line of a stamp, and whether it is a ring."""

    line: Outline
    ring: bool

    def holds(self, other: Stamp) -> bool:
        """Whether another lies inside it, or is the same again."""
        x, y = other.line.mean(axis=0).tolist()
        return cv2.pointPolygonTest(self.line, (x, y), measureDist=False) >= 0


def stamps(mask: Grey, mm: float) -> list[Stamp]:
    """Stamps in a mask of ink (H×W, 255 where there is some) at `mm` pixels a millimetre: circles of 5 to 28 mm radius
    and rectangles of 7 to 45 by 15 to 95 mm, 2.5 degrees askew or more, whose line is closed for the most part; each
    the outermost of its lines."""
    rings = [Stamp(_circle_line(circle), ring=True) for circle in _rings(mask, mm)]
    frames = _apart([Stamp(frame, ring=False) for frame in _frames(mask, mm)])
    return _apart(rings + (frames if len(frames) <= FRAMES_MOST else []))


def _apart(found: list[Stamp]) -> list[Stamp]:
    """Those that lie in no other."""
    outer = sorted(found, key=lambda stamp: -cv2.contourArea(stamp.line))
    return [stamp for place, stamp in enumerate(outer) if not any(other.holds(stamp) for other in outer[:place])]


def box_of(stamp: Stamp, shape: tuple[int, ...]) -> Box:
    """The box around a stamp, in fractions of a page of this shape in pixels."""
    (x0, y0), (x1, y1) = stamp.line.min(axis=0).tolist(), stamp.line.max(axis=0).tolist()
    return Box(x0 / shape[1], y0 / shape[0], x1 / shape[1], y1 / shape[0])


def _circle_line(circle: Circle) -> Outline:
    x, y, radius = circle
    angles = np.linspace(0, 2 * np.pi, DIRECTIONS, endpoint=False)
    return np.stack([x + radius * np.cos(angles), y + radius * np.sin(angles)], axis=1).astype(np.float32)


def _frames(mask: Grey, mm: float) -> list[Outline]:
    """Closed rectangles that stand askew: the smallest ones around the edges of ink, and of what ink encloses, whose
    sides are drawn."""
    near = cv2.dilate(mask, np.ones((2 * max(1, round(OFF_MM * mm)) + 1,) * 2, np.uint8))
    found = []
    for contour in cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_NONE)[0]:
        if len(contour) < (SHORT_MM[0] + LONG_MM[0]) * mm:  # letters, by the thousand: they run around nothing so large
            continue
        rectangle = cv2.minAreaRect(contour)
        short, long = sorted(side / mm for side in rectangle[1])
        slant = rectangle[2] % 90
        if not (SHORT_MM[0] <= short <= SHORT_MM[1] and LONG_MM[0] <= long <= LONG_MM[1]):
            continue
        if min(slant, 90 - slant) < ASKEW:
            continue
        corners = cv2.boxPoints(rectangle)
        along = np.linspace(0, 1, SIDE_POINTS, endpoint=False)[:, None]
        sides = [a + along * (b - a) for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)]
        drawn = [_over_ink(near, side) for side in sides]
        if min(drawn) >= SIDE_CLOSED and float(np.mean(drawn)) >= CLOSED_LEAST:
            found.append(np.concatenate(sides).astype(np.float32))
    return found


def _over_ink(near: Grey, points: npt.NDArray[np.floating]) -> float:
    """The share of points on a page that lie over ink; those beside the page do not."""
    columns, rows = np.rint(points).astype(int).T
    on_page = (columns >= 0) & (columns < near.shape[1]) & (rows >= 0) & (rows < near.shape[0])
    return float((near[rows[on_page], columns[on_page]] > 0).sum() / len(points))


def _rings(mask: Grey, mm: float) -> list[Circle]:
    """Closed circles, in each connected piece of ink."""
    count, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    found: list[Circle] = []
    for number in range(1, count):
        x, y, w, h, _ = (int(value) for value in stats[number])
        if min(w, h) < 2 * RADIUS_MM[0] * mm or max(w, h) > ACROSS_MOST_MM * mm:
            continue
        ink = ((labels[y : y + h, x : x + w] == number) * np.uint8(255)).astype(np.uint8)
        found += [(x + cx, y + cy, radius) for cx, cy, radius in _circles(ink, mm)]
    return found


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
    return x, y, max(float(ring) for ring in wider if ring == radius or _closed(near, (x, y, ring)) >= CLOSED_LEAST)


def _closed(near: Grey, circle: Circle) -> float:
    """The share of directions in which a circle runs over ink."""
    return _over_ink(near, _circle_line(circle))


def at_rim(box: Box, stamp: Stamp, shape: tuple[int, ...], mm: float) -> bool:
    """Whether a box (in fractions of a page of this shape in pixels) reaches a stamp's rim: what is in it may go on
    under the stamp."""
    height, width = shape[:2]
    least, most = np.array([box.x0 * width, box.y0 * height]), np.array([box.x1 * width, box.y1 * height])
    away = np.maximum(0.0, np.maximum(least - stamp.line, stamp.line - most))
    x, y = ((least + most) / 2).tolist()
    inside = cv2.pointPolygonTest(stamp.line, (x, y), measureDist=False) >= 0
    return bool(inside or float(np.hypot(*away.T).min()) <= RIM_MM * mm)


def wipe_stamps(mask: Grey, found: list[Stamp], mm: float) -> None:
    """Take a stamp's line out of a mask, and of a ring all that stands in it, too: its letters run around. Those in a
    frame are read like others; a signature may stand in one that is printed, on a photograph that is askew itself."""
    for stamp in found:
        points = np.rint(stamp.line).astype(np.int32)
        if stamp.ring:
            cv2.fillPoly(mask, [points], 0)
        cv2.polylines(mask, [points], True, 0, thickness=max(1, round(4 * OFF_MM * mm)))


__all__ = ["Stamp", "at_rim", "box_of", "stamps", "wipe_stamps"]
