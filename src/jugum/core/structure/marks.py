"""Marks: tick boxes with their state, and signatures."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import cv2
import numpy as np
import numpy.typing as npt

from jugum.core.ocr.rules import Rule, cells_of
from jugum.core.ocr.upright import ink_mask
from jugum.core.page import Box, Word, overlap_share
from jugum.core.structure.stamps import at_rim, box_of, stamps, wipe_stamps

Grey = npt.NDArray[np.uint8]
Numbers = npt.NDArray[np.intp]
SIDE_PT = (5.0, 26.0)  # of a tick box
SIDE_LEAST, SIDE_FULL = 0.7, 0.75  # of the least side, and of the line with most ink, that a side is inked
SIDES_MAX = 14  # candidates for sides of a blot
SQUARE = (0.78, 1.28)  # width of a box in its heights
SIDE_INKED, SIDES_INKED, CORNER_INKED = 0.75, 0.88, 0.4  # of each side, of all four on the whole, of each corner
AT_EDGE = 0.3  # of its width: how far a box stands from the edge of the word that it was read with
LETTERS_WIDE, WORDS_TALL = 1.5, 1.1  # letters, and heights of words, that such a box measures at least
TICKED_LEAST = 0.06  # share of the inside that is ink
WORK_DPI = 200  # sizes of tick boxes and strokes are known at it
RULED_WIDTH, RULED_HEIGHT = 0.15, 0.04
ONE_LINE, RULE_GAP = 0.004, 0.012  # shares of the page: how far pieces of one line stand apart, across and along
WAY_LEAST = 2.2  # diagonals of its box that a signature's strokes are long,
WAVE_WAY_LEAST, WAVE_TURNS_LEAST = 1.2, 3  # or of a low wave, and how often it turns
WAVE_SPAN, WAVE_SINGLE = 0.6, 0.6  # of its height that a column of a single line spans, and share of such columns
RING = 0.4  # of its box that a ring encloses, the rim of a stain; a pen's loops are small
PALE = 0.3  # of the print's contrast to the ground: what has less was not drawn with a pen
FAINT = 0.2  # … and of a single pixel of it: the edges of a pen's strokes are paler
GROUND_AROUND = 61  # pixels whose mean is taken for the ground at a place
DARKER = 25  # per cent of the ink's pixels, the darkest, tell how dark it is
WAVE_STEP = 0.2  # of its height that a turn goes up or down
SIGNATURE_MM, STROKE_MM = (11.0, 3.5), (8.0, 2.0)  # width and height at least
CUT_STROKE_MM = (4.0, 1.5)  # … of what goes on under a stamp
COVERED = (0.02, 0.45)  # share of its box that a pen's ink covers
HALF_THICK_MM = 0.55  # of a pen's strokes
SLANTED_LEAST = 0.38  # of the edges of a pen's ink, and
WIDEST_LEAST = 0.3  # of its width that is one connected line
Looks = Callable[[npt.NDArray[np.bool_], float], bool]  # ink and pixels a millimetre → whether it is a pen's


@dataclass(frozen=True, slots=True)
class TickBox:
    """A tick box, whether it is marked, and how much of its inside is ink (0–1)."""

    box: Box
    ticked: bool
    ink: float


def tick_boxes(grey: Grey, width_pt: float, words: Sequence[Word] = ()) -> list[TickBox]:
    """Square boxes of 2 to 9 mm drawn on an upright H×W picture of a page `width_pt` wide, empty or marked.

    A box has four straight sides of one length and thickness. Square letters and digits fall out by the words read
    there; cells of a table by having neighbours wall to wall.
    """
    pixels_per_pt = grey.shape[1] / width_pt
    least, most = (round(side * pixels_per_pt) for side in SIDE_PT)
    height, width = grey.shape
    mask = _thin_ink(grey)
    places: set[tuple[int, int, int, int]] = set()
    contours, _ = cv2.findContours(mask, cv2.RETR_LIST, cv2.CHAIN_APPROX_SIMPLE)
    for contour in contours:
        x, y, w, h = cv2.boundingRect(contour)
        if not (least <= w <= 1.5 * most and least <= h <= 1.5 * most):
            continue
        place = _frame(mask, x, y, w, h, least, most)
        if place is not None:
            places.add(place)
    found: list[tuple[Box, tuple[int, int, int, int]]] = []
    usual = float(np.median([word.box.height for word in words if word.text] or [0.0]))
    # The largest first: a filled square within a frame has four straight sides too.
    for place in sorted(places, key=lambda one: (-one[2] * one[3], one)):
        x, y, w, h = place
        box = Box(x / width, y / height, (x + w) / width, (y + h) / height)
        if not any(overlap_share(box, other) > 0.4 for other, _ in found) and not _is_letter(box, words, usual):
            found.append((box, place))
    by_box = {box: _judged(mask, box, place) for box, place in found}
    return [by_box[box] for box in cells_of(list(by_box))]


def _thin_ink(grey: Grey) -> Grey:
    """Ink with thin lines kept whole: noise is smoothed away first, so that a lower contrast will do."""
    size = max(21, (min(grey.shape) // 50) | 1)
    blurred = cv2.GaussianBlur(grey, (0, 0), 1.1)
    mask = cv2.adaptiveThreshold(blurred, 255, cv2.ADAPTIVE_THRESH_MEAN_C, cv2.THRESH_BINARY_INV, size, 10)
    return np.asarray(mask, dtype=np.uint8)


def _frame(mask: Grey, x: int, y: int, w: int, h: int, least: int, most: int) -> tuple[int, int, int, int] | None:
    """The square frame in or around a blot: four straight sides, each inked nearly all along, and four corners.

    A tick drawn beyond the frame makes the blot larger than the frame; the frame is then looked for within.
    """
    crop = mask[y : y + h, x : x + w] > 0
    # A side may step by a pixel where the page leans a little: each row and column is joined with the next.
    level = crop.copy()
    level[:-1] |= crop[1:]
    upright = crop.copy()
    upright[:, :-1] |= crop[:, 1:]
    along = _summed(level)
    tops, bottoms = _pairs(_side_lines(along[:, -1], least), least, most)
    if not len(tops):
        return None
    down = _summed(upright.T)
    lefts, rights = _pairs(_side_lines(down[:, -1], least), least, most)
    if not len(lefts):
        return None
    # every pair of rows (first axis) with every pair of columns
    sides = np.stack(
        [
            _inked(along, tops, lefts, rights),
            _inked(along, bottoms, lefts, rights),
            _inked(down, lefts, tops, bottoms).T,
            _inked(down, rights, tops, bottoms).T,
        ]
    )
    tall, wide = (bottoms - tops + 1)[:, None], (rights - lefts + 1)[None, :]
    shape = wide / tall
    square = (shape >= SQUARE[0]) & (shape <= SQUARE[1])
    framed = np.argwhere(square & (sides.min(axis=0) >= SIDE_INKED) & (sides.mean(axis=0) >= SIDES_INKED))
    areas = (tall * wide)[framed[:, 0], framed[:, 1]]
    for pair, other in framed[np.argsort(-areas, kind="stable")].tolist():
        top, bottom, left, right = int(tops[pair]), int(bottoms[pair]), int(lefts[other]), int(rights[other])
        if _has_corners(level, top, bottom, left, right):
            return x + left, y + top, right - left + 1, bottom - top + 1
    return None


def _pairs(lines: Sequence[int], least: int, most: int) -> tuple[Numbers, Numbers]:
    """First and last of all pairs of lines that are as far apart as two sides of a box."""
    every = [(a, b) for a in lines for b in lines if least <= b - a + 1 <= most]
    both = np.array(every, dtype=np.intp).reshape(-1, 2)
    return both[:, 0], both[:, 1]


def _summed(mask: npt.NDArray[np.bool_]) -> Numbers:
    """How much ink each line of a mask (H×W) has before each of its columns and its end (H × W + 1)."""
    summed = np.zeros((mask.shape[0], mask.shape[1] + 1), dtype=np.intp)
    np.cumsum(mask, axis=1, out=summed[:, 1:])
    return summed


def _inked(summed: Numbers, lines: Numbers, starts: Numbers, ends: Numbers) -> npt.NDArray[np.float64]:
    """Shares of ink (lines × stretches) on each line from each start to its end, on the line or the one before it,
    whichever has more."""
    before = np.maximum(lines - 1, 0)
    ink = np.maximum(
        summed[lines][:, ends + 1] - summed[lines][:, starts], summed[before][:, ends + 1] - summed[before][:, starts]
    )
    return np.asarray(ink / (ends - starts + 1), dtype=np.float64)


def _side_lines(counts: Numbers, least: int) -> list[int]:
    """Candidates for sides: the ends of runs of rows (or columns) that hold at least 0.7 of the least side in ink, and
    of those that hold three quarters of the most: a thick tick through a corner goes on where the side has ended."""
    lines: set[int] = set()
    for ink in (SIDE_LEAST * least, SIDE_FULL * float(counts.max(initial=0))):
        edges = np.flatnonzero(np.diff(np.concatenate(([0], (counts >= max(1.0, ink)).astype(np.int8), [0]))))
        for start, end in zip(edges[::2], edges[1::2], strict=True):
            lines.update((int(start), int(end) - 1))
    return sorted(lines)[:SIDES_MAX]


def _has_corners(level: npt.NDArray[np.bool_], top: int, bottom: int, left: int, right: int) -> bool:
    """Whether there is ink in all four corners."""
    reach = max(2, round(0.14 * (bottom - top)))
    corners = (
        level[top : top + reach, left : left + reach],
        level[top : top + reach, right - reach + 1 : right + 1],
        level[bottom - reach + 1 : bottom + 1, left : left + reach],
        level[bottom - reach + 1 : bottom + 1, right - reach + 1 : right + 1],
    )
    return all(float(corner.mean()) > CORNER_INKED for corner in corners)


def _judged(mask: Grey, box: Box, place: tuple[int, int, int, int]) -> TickBox:
    x, y, w, h = place
    inset = max(2, round(0.2 * min(w, h)))
    inside = mask[y + inset : y + h - inset, x + inset : x + w - inset] > 0
    # Adaptive ink loses the middle of solid fillings: a filled inside shows as a ring, so holes are closed first.
    ink = float(inside.mean()) if inside.size else 0.0
    return TickBox(box, ink > TICKED_LEAST, round(ink, 3))


_CAPITALS = frozenset("BDMQW")  # that engines read boxes as; in a file's own text they are what they are
_BOX_LIKE = frozenset("OoXx0DQ口UVv✓✔✗✘☐☑☒□■IiMBW")


def _is_letter(box: Box, words: Sequence[Word], usual: float) -> bool:
    """Whether the box lies in a read word, or is a letter by itself that no tick box is taken for. A box that is read
    as one with the word beside it stands at its edge, and is wider than the word's letters and taller than words
    are (`usual`, page heights)."""
    for word in words:
        if not word.box.contains(*box.middle):
            continue
        edge = min(abs(box.x0 - word.box.x0), abs(box.x1 - word.box.x1)) <= AT_EDGE * box.width
        letter = (word.box.width - box.width) / max(1, len(word.text))
        large = box.width >= LETTERS_WIDE * letter and box.height >= WORDS_TALL * usual
        if edge and large:
            continue
        letters = [letter for letter in word.text if letter.isalnum()]
        if len(letters) >= 2 or (letters and letters[0] not in _BOX_LIKE):
            return True
        if letters and letters[0] in _CAPITALS and word.confidence >= 1:
            return True
    return False


# ---- Signatures ------------------------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Pens:
    """Ink of pens on a page: what looks like a signature, and strokes that are no print and too plain to be told from
    rims and remains of rules by themselves: where a signature is expected, they are one. `stamps` are round ones, and
    rectangular ones that stand askew."""

    signatures: tuple[Box, ...] = ()
    strokes: tuple[Box, ...] = ()
    stamps: tuple[Box, ...] = ()


def pens(grey: Grey, width_pt: float, words: Sequence[Word], rules: Sequence[Rule]) -> Pens:
    """Pen strokes that no word explains, on an upright H×W picture of a page `width_pt` wide: clusters of ink, larger
    and looser than print, often on a ruling line.

    Stamps, printed words (grown a little) and ruling lines are wiped out. What is left is joined over 3 mm and is
    a signature when it is 11 to 120 mm wide, 3.5 to 45 mm high, thin-stroked, curved in many directions, and not much
    paler than print; a stroke is joined over less, may be smaller, and need not turn as often.
    """
    scale = WORK_DPI / (grey.shape[1] / width_pt * 72)
    small = cv2.resize(grey, None, fx=scale, fy=scale, interpolation=cv2.INTER_AREA) if scale < 0.95 else grey
    small = np.asarray(small, dtype=np.uint8)
    mask = ink_mask(small)
    ground = float(np.median(small))
    print_ = ground - float(np.percentile(small[mask > 0], DARKER)) if mask.any() else 0.0
    # patterned grounds run through what is written on them, and would hold it together with half of the page
    mask[cv2.blur(small, (GROUND_AROUND, GROUND_AROUND)).astype(np.int16) - small < FAINT * print_] = 0
    mm = small.shape[1] / (width_pt / 72 * 25.4)
    stamped = stamps(mask, mm)
    wipe_stamps(mask, stamped, mm)
    _wipe_rules(mask, rules)
    _wipe_words(mask, words)
    mask = _without_specks(mask, mm)

    def written(joined_mm: tuple[float, float], least_mm: tuple[float, float], looks: Looks) -> list[Box]:
        """Ink joined over so much upwards and along, of at least such a width and height, that looks written."""
        found = []
        for box, ink in _blots(mask, joined_mm, least_mm, mm):
            x, y, w, h = box
            pen = ground - float(np.percentile(small[y : y + h, x : x + w][ink], DARKER)) if ink.any() else 0.0
            # patterned grounds are pale beside what is printed and written on them
            if pen >= PALE * print_ and looks(ink, mm):
                height, width = small.shape
                found.append(Box(x / width, y / height, (x + w) / width, (y + h) / height))
        return found

    signatures = written((2.2, 3.2), SIGNATURE_MM, _is_handwriting)
    strokes = [
        box
        for box in written((0.8, 0.8), CUT_STROKE_MM, _is_stroke)
        if not any(overlap_share(box, other) > 0 for other in signatures)
        and (
            _as_large(box, STROKE_MM, small.shape, mm) or any(at_rim(box, stamp, small.shape, mm) for stamp in stamped)
        )
    ]
    return Pens(tuple(signatures), tuple(strokes), tuple(box_of(stamp, small.shape) for stamp in stamped))


def _as_large(box: Box, least_mm: tuple[float, float], shape: tuple[int, ...], mm: float) -> bool:
    return box.width * shape[1] >= least_mm[0] * mm and box.height * shape[0] >= least_mm[1] * mm


def _blots(
    mask: Grey, joined_mm: tuple[float, float], least_mm: tuple[float, float], mm: float
) -> Iterator[tuple[tuple[int, int, int, int], npt.NDArray[np.bool_]]]:
    """Pieces of a mask (x, y, width, height in pixels, and their own ink) that are joined over so many millimetres, of
    at least such a width and height and at most 120 by 45 mm."""
    size = max(3, round(joined_mm[0] * mm)), max(3, round(joined_mm[1] * mm))
    joined = cv2.morphologyEx(mask, cv2.MORPH_CLOSE, np.ones(size, np.uint8))
    count, labels, stats, _ = cv2.connectedComponentsWithStats(joined)
    for number in range(1, count):
        x, y, w, h, _ = (int(value) for value in stats[number])
        if least_mm[0] * mm <= w <= 120 * mm and least_mm[1] * mm <= h <= 45 * mm:
            yield (x, y, w, h), (mask[y : y + h, x : x + w] > 0) & (labels[y : y + h, x : x + w] == number)


def _wipe_rules(mask: Grey, rules: Sequence[Rule]) -> None:
    """Only what is ruled: level pieces on one line that are 15 % of the page's width together, upright ones 4 % of
    its height. A pen goes straight for a short way too, and would lose what holds it together."""
    height, width = mask.shape
    for rule in rules:
        if _ruled_length(rule, rules) < (RULED_WIDTH if rule.level else RULED_HEIGHT):
            continue
        x0, x1 = int(rule.box.x0 * width) - 1, int(rule.box.x1 * width) + 2
        y0, y1 = int(rule.box.y0 * height) - 1, int(rule.box.y1 * height) + 2
        mask[max(0, y0) : y1, max(0, x0) : x1] = 0


def _ruled_length(rule: Rule, rules: Sequence[Rule]) -> float:
    """Length of a rule and those that go on from it on the same line, in fractions of the page; a pen's straight pieces
    stand by themselves, whatever is ruled at their height elsewhere."""
    axis = 0 if rule.level else 1
    line = [other.box for other in rules if other.level == rule.level]
    level = rule.box.middle[1 - axis]
    pieces = sorted((box[axis], box[axis + 2]) for box in line if abs(box.middle[1 - axis] - level) < ONE_LINE)
    start, end = rule.box[axis], rule.box[axis + 2]
    for first, last in pieces:  # those behind it, then, from the other end, those before it
        if start <= first <= end + RULE_GAP:
            end = max(end, last)
    for first, last in reversed(pieces):
        if start - RULE_GAP <= last <= end:
            start = min(start, first)
    return end - start


def _wipe_words(mask: Grey, words: Sequence[Word]) -> None:
    """What was read surely is print. A doubtful word of odd height may be a signature that was taken for letters: it
    stays."""
    height, width = mask.shape
    heights = [word.box.height for word in words if word.confidence > 0.9]
    usual = float(np.median(heights)) if heights else 0.012
    for word in words:
        letters = sum(map(str.isalnum, word.text))
        if word.confidence < 0.8 and (word.box.height > 1.4 * usual or letters < 3):
            continue
        grow_x, grow_y = 0.25 * word.box.height * height / width, 0.25 * word.box.height
        x0, x1 = int((word.box.x0 - grow_x) * width), int((word.box.x1 + grow_x) * width) + 1
        y0, y1 = int((word.box.y0 - grow_y) * height), int((word.box.y1 + grow_y) * height) + 1
        mask[max(0, y0) : y1, max(0, x0) : x1] = 0


def _without_specks(mask: Grey, mm: float) -> Grey:
    """Noise out: components whose longer side is under 1.2 mm."""
    _, labels, stats, _ = cv2.connectedComponentsWithStats(mask)
    keep = np.maximum(stats[:, 2], stats[:, 3]) >= 1.2 * mm
    keep[0] = False
    return np.asarray(keep[labels] * np.uint8(255), dtype=np.uint8)


def _enclosed(picture: Grey) -> float:
    """Share of a picture's area that its ink encloses."""
    ground = cv2.copyMakeBorder(255 - picture, 1, 1, 1, 1, cv2.BORDER_CONSTANT, value=255)
    cv2.floodFill(ground, None, (0, 0), 0)
    return float((ground > 0).mean())


def _turns(ink: npt.NDArray[np.bool_]) -> int:
    """How often a line of ink goes from rising to falling or back, from left to right, by a fifth of its height; 0 for
    what is no single line, such as a ring."""
    height = ink.shape[0]
    filled = ink[:, ink.any(axis=0)]
    first, last = filled.argmax(axis=0), height - filled[::-1].argmax(axis=0)
    single = last - first <= WAVE_SPAN * height
    if single.mean() < WAVE_SINGLE:
        return 0
    step = WAVE_STEP * height
    turns, way, low, high = 0, 0, float(height), 0.0
    for y in ((first + last) / 2)[single]:
        low, high = min(low, float(y)), max(high, float(y))
        if way <= 0 and y - low >= step:  # from the lowest so far it has come up by a step
            turns, way, high = turns + 1, 1, float(y)
        elif way >= 0 and high - y >= step:
            turns, way, low = turns + 1, -1, float(y)
    return turns


def _is_handwriting(ink: npt.NDArray[np.bool_], mm: float) -> bool:
    """Thin strokes in many directions: ink covers little, its strokes are under 1.2 mm thick, and slanted gradients
    abound."""
    if not _is_thin(ink, mm):
        return False
    picture = _picture(ink)
    distance = cv2.distanceTransform(picture, cv2.DIST_L2, 3)
    # A pen goes to and fro: its way is several times the diagonal, or it is one low wave that rises and falls again and
    # again. Rims of stains and remains of rules go once along.
    way = float(ink.sum()) / (2 * max(1.0, float(np.median(distance[ink])))) / float(np.hypot(*ink.shape))
    if way < WAVE_WAY_LEAST or (way < WAY_LEAST and _turns(ink) < WAVE_TURNS_LEAST):
        return False
    # One connected pen line makes most of it: scattered specks and shreds of print do not.
    _, _, stats, _ = cv2.connectedComponentsWithStats(picture)
    return _slanted(picture) >= SLANTED_LEAST and int(stats[1:, 2].max(initial=0)) >= WIDEST_LEAST * ink.shape[1]


def _is_stroke(ink: npt.NDArray[np.bool_], mm: float) -> bool:
    """A thin line that does not go level or upright all along."""
    return _is_thin(ink, mm) and _slanted(_picture(ink)) >= SLANTED_LEAST


def _is_thin(ink: npt.NDArray[np.bool_], mm: float) -> bool:
    """Whether ink covers little of its box and encloses little of it, in strokes under 1.2 mm thick."""
    if not COVERED[0] <= float(ink.mean()) <= COVERED[1]:
        return False
    picture = _picture(ink)
    if _enclosed(picture) > RING:
        return False
    distance = cv2.distanceTransform(picture, cv2.DIST_L2, 3)
    return float(np.percentile(distance[ink], 90)) <= HALF_THICK_MM * mm


def _slanted(picture: Grey) -> float:
    """The share (0–1) of the edges of ink that go neither level nor upright."""
    blurred = cv2.GaussianBlur(picture, (0, 0), 1.2).astype(np.float32)
    gx, gy = cv2.Sobel(blurred, cv2.CV_32F, 1, 0), cv2.Sobel(blurred, cv2.CV_32F, 0, 1)
    strength = np.hypot(gx, gy)
    angle = np.degrees(np.arctan2(gy, gx)) % 90
    edge = strength > 40
    slanted = (angle > 12) & (angle < 78) & edge
    return float(strength[slanted].sum() / strength[edge].sum()) if edge.any() else 0.0


def _picture(ink: npt.NDArray[np.bool_]) -> Grey:
    return (ink * np.uint8(255)).astype(np.uint8)
